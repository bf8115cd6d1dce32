"""Signing in and out, sessions, tokens."""

import hashlib
import secrets
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import timedelta
from functools import lru_cache, partial

from argon2 import PasswordHasher
from argon2.exceptions import VerificationError

from dogana.core.errors import InvalidError, NotFoundError, SignedOutError, UnknownNameError
from dogana.service.access import SCOPES, Actor, Right, rights_of
from dogana.service.backend import Backend
from dogana.service.record import record
from dogana.service.set_up_views import PersonView, TokenView
from dogana.service.together import Together
from dogana.service.views import Named
from dogana.store import accounts
from dogana.store.tables import PersonRow, SessionRow, TokenRow

SESSION_LASTS = timedelta(hours=12)
TOKEN_PREFIX = "dgn_"  # noqa: S105 - not a secret
_hasher = PasswordHasher()


def secret_digest(secret: str) -> str:
    """What is stored of a session or token: these carry 256 random bits, so no salt is needed."""
    return hashlib.sha256(secret.encode()).hexdigest()


def hash_password(password: str) -> str:
    """Argon2id with the library's recommended costs."""
    return _hasher.hash(password)


@lru_cache(maxsize=1)
def _nobodys_hash() -> str:
    return hash_password(secrets.token_urlsafe())


def _fits(password_hash: str, password: str) -> bool:
    try:
        return _hasher.verify(password_hash, password)
    except VerificationError:
        return False


@dataclass(frozen=True, kw_only=True)
class SignedIn:
    """A session just begun, or one that goes on."""

    actor: Actor
    person: PersonRow
    csrf_token: str
    session_token: str


async def sign_in(backend: Backend, email: str, password: str) -> SignedIn:
    """Begin a session.

    Raises:
        SignedOutError: the same, and after the same work, for an unknown address and a wrong password.
    """
    async with backend.database.transaction() as session:
        person = await accounts.person_by_email(session, email.strip())
        if not _fits(person.password_hash if person else _nobodys_hash(), password) or person is None:
            raise SignedOutError("The mail address or the password is wrong.")
        token, csrf = secrets.token_urlsafe(32), secrets.token_urlsafe(32)
        session.add(
            SessionRow(
                token_digest=secret_digest(token),
                csrf_token=csrf,
                person_id=person.id,
                expires_at=backend.clock() + SESSION_LASTS,
            )
        )
    return SignedIn(
        actor=_actor(person, rights_of(person.roles)), person=person, csrf_token=csrf, session_token=token
    )


async def session_of(backend: Backend, token: str) -> SignedIn:
    """Go on with a session.

    Raises:
        SignedOutError: when it has ended or never was.
    """
    async with backend.database.transaction() as session:
        row = await accounts.live_session(session, secret_digest(token), backend.clock())
        person = await accounts.person(session, row.person_id) if row else None
    if row is None or person is None:
        raise SignedOutError
    actor = _actor(person, rights_of(person.roles))
    return SignedIn(actor=actor, person=person, csrf_token=row.csrf_token, session_token=token)


async def sign_out(backend: Backend, token: str) -> None:
    """End a session."""
    async with backend.database.transaction() as session:
        await accounts.end_session(session, secret_digest(token), backend.clock())


async def actor_by_token(backend: Backend, token: str) -> Actor:
    """Who acts with an API token: its owner, within the token's scopes.

    Raises:
        SignedOutError: when it is revoked, has ended or never was.
    """
    together: Together[str, accounts.Owner | None] = backend.tokens
    owner = await together.ask(secret_digest(token), partial(_owners, backend))
    if owner is None:
        raise SignedOutError("The token is unknown, revoked or has ended.")
    allowed = frozenset(right for scope in owner.scopes for right in SCOPES[scope])
    return Actor(
        id=owner.id,
        name=owner.name,
        rights=rights_of(owner.roles) & allowed,
        way="API",
        groups=frozenset(owner.groups),
        token=owner.token,
    )


async def _owners(backend: Backend, digests: Sequence[str]) -> list[accounts.Owner | None]:
    async with backend.database.transaction() as session:
        found = await accounts.owners_of_tokens(session, digests, backend.clock())
    return [found.get(digest) for digest in digests]


async def make_token(
    backend: Backend, actor: Actor, *, person: str, title: str, scopes: list[str], days: int
) -> tuple[TokenRow, str]:
    """Make a token for somebody; its text is given once, here.

    Raises:
        UnknownNameError: for an unknown person.
        InvalidError: for an unknown scope.
    """
    actor.must(Right.ADMINISTER)
    wrong = [scope for scope in scopes if scope not in SCOPES]
    if wrong or not scopes:
        raise InvalidError(f"Scopes are {', '.join(SCOPES)}.", fields=[("/scopes", "unknown scope")])
    now = backend.clock()
    token = TOKEN_PREFIX + secrets.token_urlsafe(32)
    async with backend.database.transaction() as session:
        owner = await accounts.person(session, person)
        if owner is None:
            raise UnknownNameError(f"There is nobody called {person}.", fields=[("/person", "unknown")])
        row = TokenRow(
            token_digest=secret_digest(token),
            title=title,
            person_id=person,
            scopes=scopes,
            created_at=now,
            expires_at=now + timedelta(days=days),
        )
        session.add(row)
        says = f"{actor.name} made the token \u201c{title}\u201d for {owner.name} ({', '.join(scopes)})."
        await record(session, actor, "make token", says, now, details={"scopes": scopes, "days": days})
    return row, token


async def tokens(backend: Backend, actor: Actor) -> list[TokenView]:
    """Every token ever made, the latest first; their texts are not kept."""
    actor.must(Right.ADMINISTER)
    async with backend.database.transaction() as session:
        names = {person.id: person.name for person in await accounts.people(session)}
        return [
            TokenView(
                id=row.id,
                title=row.title,
                person=Named(id=row.person_id, name=names[row.person_id]),
                scopes=row.scopes,
                created_at=row.created_at,
                expires_at=row.expires_at,
                revoked_at=row.revoked_at,
            )
            for row in await accounts.tokens(session)
        ]


async def people(backend: Backend, actor: Actor) -> list[PersonView]:
    """Everybody, with their roles and groups."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        return [
            PersonView(
                id=row.id,
                name=row.name,
                email=row.email,
                other_emails=row.other_emails,
                roles=row.roles,
                groups=[Named(id=group.id, name=group.title) for group in row.groups],
            )
            for row in await accounts.people(session)
        ]


async def revoke_token(backend: Backend, actor: Actor, token_id: int) -> None:
    """Make a token useless from now on.

    Raises:
        NotFoundError: when there is no such live token.
    """
    actor.must(Right.ADMINISTER)
    now = backend.clock()
    async with backend.database.transaction() as session:
        row = await accounts.revoke_token(session, token_id, now)
        if row is None:
            raise NotFoundError("There is no such live token.")
        says = f"{actor.name} revoked the token \u201c{row.title}\u201d."
        await record(session, actor, "revoke token", says, now)


def _actor(person: PersonRow, rights: frozenset[Right]) -> Actor:
    groups = frozenset(group.id for group in person.groups)
    return Actor(id=person.id, name=person.name, rights=rights, way="desk", groups=groups)
