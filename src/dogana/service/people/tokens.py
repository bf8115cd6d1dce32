"""Tokens: made by those who act by them, or by administrators for machines."""

import secrets
from collections.abc import Sequence
from datetime import timedelta
from functools import partial
from typing import Annotated, Literal

from pydantic import Field

from dogana.core.document import Document, Instant, Slug
from dogana.core.errors import InvalidError, NotFoundError, RefusedError, SignedOutError, UnknownNameError
from dogana.core.record.actions import Action
from dogana.service import dual_control
from dogana.service.actor import SCOPES, Actor, Right, rights_of
from dogana.service.backend import Backend
from dogana.service.coalescing import Batcher
from dogana.service.dual_control import ALONE, CONFIRMED, ProposedChange
from dogana.service.hashing import secret_digest
from dogana.service.ledger.entries import record
from dogana.service.shapes import ChangeOutcome, Named, View
from dogana.service.stepping_up import must_be_fresh
from dogana.store import Session, landscape, people
from dogana.store.database import announce
from dogana.store.tables.people import PersonRow, TokenRow

Scope = Literal["read", "request", "decide", "deploy", "feed", "administer"]


class TokenView(View):
    """A token, without its text."""

    id: int
    title: str
    person: Named
    scopes: list[str]
    services: list[str]
    """Which it is for; every one where empty."""
    environments: list[str]
    created_at: Instant
    expires_at: Instant
    revoked_at: Instant | None


class NewToken(Document):
    """A token to make."""

    person: Slug | None = None
    """Whose, if it is a machine's; one's own when left out."""
    title: Annotated[str, Field(min_length=1, max_length=80, pattern=r"^[^\x00]*$")]
    """What it is for."""
    scopes: tuple[Scope, ...] = Field(max_length=6)
    """What may be done with it, never more than its owner may do."""
    services: tuple[Slug, ...] = Field(default=(), max_length=100)
    """The services it is for; every one when left out."""
    environments: tuple[Slug, ...] = Field(default=(), max_length=100)
    """The same of environments."""
    days: Annotated[int, Field(ge=1, le=366)] = 90
    """After how many it ends."""


class MadeToken(ChangeOutcome):
    """What came of making one."""

    id: int | None = None
    """Its number, once it is made."""
    token: str
    """Its text, which is not shown again; it opens nothing before it is made."""
    expires_at: Instant | None = None


_ADMINISTERING_DAYS = 7
"""A token that may set everything up is worth stealing for as long as it lasts."""

TOKEN_PREFIX = "dgn_"  # noqa: S105 - not a secret


async def actor_by_token(backend: Backend, token: str) -> Actor:
    """Who acts with an API token: its owner, within the token's scopes.

    Raises:
        SignedOutError: when it is revoked, has ended or never was.
    """
    together: Batcher[str, people.Owner | None] = backend.tokens
    owner = await together.ask(secret_digest(token), partial(_owners, backend))
    if owner is None:
        raise SignedOutError("The token is unknown, revoked or has ended.")
    allowed = frozenset(right for scope in owner.scopes for right in SCOPES[scope])
    return Actor(
        id=owner.id,
        name=owner.name,
        rights=rights_of(owner.roles) & allowed,
        channel="API",
        groups=frozenset(owner.groups),
        token=owner.token,
        services=frozenset(owner.services),
        environments=frozenset(owner.environments),
    )


async def _owners(backend: Backend, digests: Sequence[str]) -> list[people.Owner | None]:
    async with backend.database.transaction() as session:
        found = await people.owners_of_tokens(session, digests, backend.clock())
    return [found.get(digest) for digest in digests]


async def make_token(backend: Backend, actor: Actor, wanted: NewToken) -> MadeToken:
    """Make a token for oneself, or for a machine; its text is given once, here.

    Whoever has a machine's token acts as that machine: handing one out takes a second person, where there is
    one. Its text is good for nothing until then.

    Raises:
        UnknownNameError: for an unknown person, service or environment.
        RefusedError: for somebody else who is no machine.
        InvalidError: for a scope whose acts its owner may not do anyway.
        ConflictError: while another one for the same machine waits.
    """
    actor.must(Right.OWN)
    must_be_fresh(backend, actor)
    text = TOKEN_PREFIX + secrets.token_urlsafe(32)
    async with backend.database.transaction() as session:
        owner = await _owner(session, wanted.person or actor.id)
        own = owner.id == actor.id
        if not own:
            actor.must(Right.ADMINISTER)
        await _must_be_sound(session, owner, wanted, own=own)
        title = f"the token \u201c{wanted.title}\u201d for {owner.name}"
        change = ProposedChange(
            kind="token",
            subject=owner.id,
            title=title,
            old=None,
            new=wanted.plain(),
            secret=secret_digest(text),
        )
        waits = None if own else await dual_control.ask(backend, session, actor, change)
        if waits is not None:
            return MadeToken(waits=waits, token=text)
        row = await _add(backend, session, actor, owner, change, "" if own else ALONE)
        return MadeToken(alone=not own, id=row.id, token=text, expires_at=row.expires_at)


async def confirmed(backend: Backend, session: Session, actor: Actor, change: ProposedChange) -> None:
    """Make a token that was confirmed; whoever asked for it has its text.

    Raises:
        RefusedError: when whose it is was disabled meanwhile, or is no machine any more.
        InvalidError: when its owner may do less by now than it was for.
    """
    owner = await _owner(session, change.subject)
    await _must_be_sound(session, owner, NewToken.model_validate(change.new), own=False)
    await _add(backend, session, actor, owner, change, CONFIRMED)


async def _add(
    backend: Backend, session: Session, actor: Actor, owner: PersonRow, change: ProposedChange, how: str
) -> TokenRow:
    now, wanted = backend.clock(), NewToken.model_validate(change.new)
    row = TokenRow(
        token_digest=change.secret or "",
        title=wanted.title,
        person_id=owner.id,
        scopes=list(wanted.scopes),
        services=sorted(set(wanted.services)),
        environments=sorted(set(wanted.environments)),
        created_at=now,
        expires_at=now + timedelta(days=wanted.days),
    )
    session.add(row)
    whose = "" if owner.id == actor.id else f" for {owner.name}"
    says = f"{actor.name} made the token \u201c{wanted.title}\u201d{whose} ({', '.join(wanted.scopes)}).{how}"
    details = {
        "owner": owner.id,
        "scopes": row.scopes,
        "days": wanted.days,
        "services": row.services,
        "environments": row.environments,
    }
    record(session, actor, Action.MAKE_TOKEN, says, now, details=details)
    await session.flush()
    return row


async def _owner(session: Session, person: str) -> PersonRow:
    owner = await people.person(session, person)
    if owner is None:
        raise UnknownNameError(f"There is nobody called {person}.", fields=[("/person", "unknown")])
    if owner.disabled_at is not None:
        raise RefusedError(f"{owner.name} is disabled.")
    return owner


async def _must_be_sound(session: Session, owner: PersonRow, wanted: NewToken, *, own: bool) -> None:
    if not own and not owner.machine:
        raise RefusedError(f"{owner.name} makes their own tokens; nobody else acts in that name.")
    may = rights_of(owner.roles)
    faults = [
        (f"/scopes/{n}", "more than its owner may do")
        for n, one in enumerate(wanted.scopes)
        if not SCOPES[one] <= may
    ]
    if "administer" in wanted.scopes and wanted.days > _ADMINISTERING_DAYS:
        faults.append(("/days", f"at most {_ADMINISTERING_DAYS} for a token that administers"))
    if not wanted.scopes:
        faults.append(("/scopes", "at least one is needed"))
    known = {
        "services": {row.id for row in await landscape.services(session)},
        "environments": {row.id for row in await landscape.environments(session)},
    }
    for part, names in (("services", wanted.services), ("environments", wanted.environments)):
        faults += [(f"/{part}/{n}", "unknown") for n, name in enumerate(names) if name not in known[part]]
    if faults:
        raise InvalidError("There can be no such token.", fields=faults)


async def note_use(backend: Backend, actor: Actor, act: str) -> None:
    """Put on record that a token was used to administer, whatever comes of it.

    Args:
        backend: the outside.
        actor: who came with it.
        act: what was asked for, such as `PUT /api/setup`.
    """
    if actor.token is None:
        return
    now = backend.clock()
    async with backend.database.transaction() as session:
        row = await people.token(session, actor.token)
        called = f"\u201c{row.title}\u201d" if row is not None else "that is gone"
        says = f"{actor.name} administered with the token {called}."
        record(session, actor, Action.USE_TOKEN, says, now, details={"token": actor.token, "act": act})


async def tokens(backend: Backend, actor: Actor) -> list[TokenView]:
    """One's own tokens, an administrator everybody's, the latest first; their texts are not kept."""
    actor.must(Right.OWN)
    async with backend.database.transaction() as session:
        names = await people.names(session)
        return [
            TokenView(
                id=row.id,
                title=row.title,
                person=Named(id=row.person_id, name=names[row.person_id]),
                scopes=row.scopes,
                services=row.services,
                environments=row.environments,
                created_at=row.created_at,
                expires_at=row.expires_at,
                revoked_at=row.revoked_at,
            )
            for row in await people.tokens(session)
            if row.person_id == actor.id or Right.ADMINISTER in actor.rights
        ]


async def revoke_token(backend: Backend, actor: Actor, token_id: int) -> None:
    """Make a token useless from now on, and end what is open with it.

    Raises:
        NotFoundError: when there is no such live token, or it is not one's own to revoke.
    """
    actor.must(Right.OWN)
    now = backend.clock()
    async with backend.database.transaction() as session:
        row = await people.token(session, token_id)
        if row is None or (row.person_id != actor.id and Right.ADMINISTER not in actor.rights):
            raise NotFoundError("There is no such live token.")
        row.revoked_at = now
        says = f"{actor.name} revoked the token \u201c{row.title}\u201d."
        record(session, actor, Action.REVOKE_TOKEN, says, now, details={"owner": row.person_id})
        announce(session, "access")
