"""Tokens: made by those who act by them, or by administrators for machines."""

import secrets
from collections.abc import Sequence
from datetime import timedelta
from functools import partial
from typing import Literal

from dogana.core.document import Instant
from dogana.core.errors import InvalidError, NotFoundError, RefusedError, SignedOutError, UnknownNameError
from dogana.core.record.actions import Action
from dogana.service.actor import SCOPES, Actor, Right, rights_of
from dogana.service.backend import Backend
from dogana.service.coalescing import Batcher
from dogana.service.hashing import secret_digest
from dogana.service.ledger.entries import record
from dogana.service.shapes import Named, View
from dogana.service.stepping_up import must_be_fresh
from dogana.store import Session, landscape, people
from dogana.store.database import announce
from dogana.store.tables.people import PersonRow, TokenRow


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


Scope = Literal["read", "request", "decide", "deploy", "feed", "administer"]

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


async def make_token(
    backend: Backend,
    actor: Actor,
    *,
    title: str,
    scopes: Sequence[Scope],
    days: int,
    person: str | None = None,
    services: Sequence[str] = (),
    environments: Sequence[str] = (),
) -> tuple[TokenRow, str]:
    """Make a token for oneself, or for a machine; its text is given once, here.

    Args:
        backend: the database and the clock.
        actor: who makes it.
        title: what it is for.
        scopes: what may be done with it, never more than its owner may do.
        days: after how many it ends.
        person: whose it is; one's own where None.
        services: the services it is for; every one where empty.
        environments: the same of environments.

    Raises:
        UnknownNameError: for an unknown person, service or environment.
        RefusedError: for somebody else who is no machine.
        InvalidError: for a scope whose acts its owner may not do anyway.
    """
    actor.must(Right.OWN)
    must_be_fresh(backend, actor)
    now = backend.clock()
    text = TOKEN_PREFIX + secrets.token_urlsafe(32)
    async with backend.database.transaction() as session:
        owner = await _owner(session, actor, person)
        await _must_be_sound(session, owner, scopes, services, environments, days)
        row = TokenRow(
            token_digest=secret_digest(text),
            title=title,
            person_id=owner.id,
            scopes=list(scopes),
            services=sorted(set(services)),
            environments=sorted(set(environments)),
            created_at=now,
            expires_at=now + timedelta(days=days),
        )
        session.add(row)
        whose = "" if owner.id == actor.id else f" for {owner.name}"
        says = f"{actor.name} made the token \u201c{title}\u201d{whose} ({', '.join(scopes)})."
        details = {
            "owner": owner.id,
            "scopes": list(scopes),
            "days": days,
            "services": row.services,
            "environments": row.environments,
        }
        record(session, actor, Action.MAKE_TOKEN, says, now, details=details)
    return row, text


async def _owner(session: Session, actor: Actor, person: str | None) -> PersonRow:
    owner = await people.person(session, person or actor.id)
    if owner is None:
        raise UnknownNameError(f"There is nobody called {person}.", fields=[("/person", "unknown")])
    if owner.disabled_at is not None:
        raise RefusedError(f"{owner.name} is disabled.")
    if owner.id != actor.id:
        actor.must(Right.ADMINISTER)
        if not owner.machine:
            raise RefusedError(f"{owner.name} makes their own tokens; nobody else acts in that name.")
    return owner


async def _must_be_sound(
    session: Session,
    owner: PersonRow,
    scopes: Sequence[Scope],
    services: Sequence[str],
    environments: Sequence[str],
    days: int,
) -> None:
    may = rights_of(owner.roles)
    faults = [
        (f"/scopes/{n}", "more than its owner may do")
        for n, one in enumerate(scopes)
        if not SCOPES[one] <= may
    ]
    if "administer" in scopes and days > _ADMINISTERING_DAYS:
        faults.append(("/days", f"at most {_ADMINISTERING_DAYS} for a token that administers"))
    if not scopes:
        faults.append(("/scopes", "at least one is needed"))
    known = {
        "services": {row.id for row in await landscape.services(session)},
        "environments": {row.id for row in await landscape.environments(session)},
    }
    for part, names in (("services", services), ("environments", environments)):
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
