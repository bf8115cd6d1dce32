"""How a promotion stands, for whoever has its address and no account: less than a dossier, and to an end."""

import secrets
from datetime import timedelta

from dogana.core.document import Instant
from dogana.core.errors import InvalidError, NotFoundError
from dogana.core.inspect.sheet import Verdict
from dogana.core.record.actions import Action
from dogana.core.rules.findings import Outcome
from dogana.core.words import when
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.hashing import secret_digest
from dogana.service.ledger.entries import record
from dogana.service.promotions.lookup import found, what
from dogana.service.shapes import Named, View, named
from dogana.service.views.dossier import dossier
from dogana.store import people, shared
from dogana.store.tables.promotions import UNDER_WAY
from dogana.store.tables.shared import SharedRow

_LONGEST = timedelta(days=30)


class SharedView(View):
    """An address that is good; its secret was told once."""

    by: Named
    ends_at: Instant


class MadeAddress(View):
    """An address that was made just now."""

    token: str
    ends_at: Instant


class SharedFinding(View):
    """One finding, in brief."""

    title: str
    outcome: Outcome


class StatusPage(View):
    """How a promotion stands."""

    about: str
    state: str
    verdict: Verdict
    sentence: str
    requested_at: Instant
    departed_at: Instant | None
    closed_at: Instant | None
    first_start: Instant | None
    at: Instant
    zone: str
    findings: list[SharedFinding]
    ends_at: Instant


async def make(backend: Backend, actor: Actor, number: int, *, hours: int) -> MadeAddress:
    """Let whoever has the address read how a promotion stands, for some hours.

    Raises:
        NotFoundError: when there is no such promotion.
        InvalidError: for longer than thirty days.
    """
    actor.must(Right.COMMENT)
    if not timedelta(0) < timedelta(hours=hours) <= _LONGEST:
        raise InvalidError("An address is good for thirty days at most.", fields=[("/hours", "1 to 720")])
    token, now = secrets.token_urlsafe(32), backend.clock()
    ends_at = now + timedelta(hours=hours)
    async with backend.database.transaction() as session:
        row = await found(session, number)
        session.add(SharedRow(digest=secret_digest(token), promotion=number, by_id=actor.id, ends_at=ends_at))
        until = when(ends_at, row.environment.zone)
        says = f"{actor.name} shared how {what(row)} stands by an address that is good until {until}."
        record(session, actor, Action.SHARE_STATUS, says, now, promotion=row)
    return MadeAddress(token=token, ends_at=ends_at)


async def addresses(backend: Backend, actor: Actor, number: int) -> list[SharedView]:
    """The addresses of a promotion that are good."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        names = await people.names(session)
        rows = await shared.of_promotion(session, number, backend.clock())
        return [SharedView(by=named(row.by_id, names), ends_at=row.ends_at) for row in rows]


async def end(backend: Backend, actor: Actor, number: int) -> None:
    """End every address of a promotion.

    Raises:
        NotFoundError: when there is none.
    """
    actor.must(Right.COMMENT)
    async with backend.database.transaction() as session:
        row = await found(session, number)
        if not await shared.end(session, number):
            raise NotFoundError("It is shared by no address.")
        says = f"{actor.name} ended every address that shared how {what(row)} stands."
        record(session, actor, Action.END_SHARED, says, backend.clock(), promotion=row)


async def look(backend: Backend, token: str) -> StatusPage:
    """How the promotion of an address stands now: no names, no cargo, nothing to decide.

    Raises:
        NotFoundError: for an address that is none, or has ended.
    """
    async with backend.database.transaction() as session:
        row = await shared.good(session, secret_digest(token), backend.clock())
    if row is None:
        raise NotFoundError("This address is good no longer.")
    reader = Actor(id="shared", name="Whoever has the address", rights=frozenset({Right.READ}), channel="API")
    file = await dossier(backend, reader, row.promotion)
    return StatusPage(
        about=f"{file.row.service.name} {file.row.version} into {file.row.target.name}",
        state=file.row.state,
        verdict=file.row.verdict,
        # What ended it may name somebody, and say why.
        sentence=file.row.sentence if file.row.state in UNDER_WAY else "",
        requested_at=file.row.requested_at,
        departed_at=file.row.departed_at,
        closed_at=file.row.closed_at,
        first_start=file.row.first_start,
        at=file.at,
        zone=file.row.target.zone,
        findings=[
            # Why may hold names, of people and of what changed.
            SharedFinding(title=one.title, outcome=one.outcome)
            for one in sorted(file.findings, key=lambda one: not one.outcome.stands_in_the_way)
            if not one.advisory and one.outcome is not Outcome.NOT_APPLICABLE
        ],
        ends_at=row.ends_at,
    )
