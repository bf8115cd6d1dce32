"""Stand-ins: who sits for somebody, from when until when."""

from datetime import datetime, timedelta

from dogana.core.document import Document, Instant, Slug
from dogana.core.errors import InvalidError, NotFoundError, RefusedError
from dogana.core.record.actions import Action
from dogana.core.words import when
from dogana.service import dual_control
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.dual_control import ALONE, CONFIRMED, ProposedChange, in_entry
from dogana.service.ledger.entries import record
from dogana.service.shapes import ChangeOutcome, Named, View
from dogana.service.stepping_up import must_be_fresh
from dogana.store import Session, people, schedule
from dogana.store.tables.people import PersonRow, StandInRow

_LONGEST = timedelta(days=366)


class StandInView(View):
    """Who may take whose seats, from when until when."""

    id: int
    person: Named
    stands_in_for: Named
    start: Instant
    end: Instant


class WantedStandIn(Document):
    """Who is to stand in for whom, from when until when."""

    person: Slug
    stands_in_for: Slug
    start: Instant
    end: Instant


class NamedStandIn(ChangeOutcome):
    """What came of naming one."""

    stand_in: int | None = None
    """Its number, once it is made."""


async def name_stand_in(backend: Backend, actor: Actor, wanted: WantedStandIn) -> NamedStandIn:
    """Let somebody take another's seats for a time.

    Who will be away says so for themselves; an administrator may for anybody, which gives away what is not
    theirs and so takes a second person, where there is one.

    Raises:
        RefusedError: for anybody else.
        InvalidError: for unknown people, the same person twice, or dates that make no sense.
        ConflictError: while another one for whom it would be waits.
        StepUpError: for an administrator whose sign-in is too old.
    """
    actor.must(Right.OWN)
    own = actor.id == wanted.stands_in_for
    if not own and Right.ADMINISTER not in actor.rights:
        raise RefusedError("Name a stand-in for yourself, or have an administrator do it.")
    if not own:
        must_be_fresh(backend, actor)
    async with backend.database.transaction() as session:
        two = await _sound(session, wanted, backend.clock())
        title = f"{' as stand-in for '.join(two)} until {when(wanted.end, backend.zone)}"
        change = ProposedChange(
            kind="stand-in", subject=wanted.person, title=title, old=None, new=wanted.plain()
        )
        waits = None if own else await dual_control.ask(backend, session, actor, change)
        if waits is not None:
            return NamedStandIn(waits=waits)
        number = await _add(backend, session, actor, change, two, "" if own else ALONE)
        return NamedStandIn(alone=not own, stand_in=number)


async def confirmed(backend: Backend, session: Session, actor: Actor, change: ProposedChange) -> None:
    """Let somebody stand in for another, as it was confirmed.

    Raises:
        InvalidError: when it would be over, or one of the two is not known any more.
    """
    two = await _sound(session, WantedStandIn.model_validate(change.new), backend.clock())
    await _add(backend, session, actor, change, two, CONFIRMED)


async def _sound(session: Session, wanted: WantedStandIn, now: datetime) -> tuple[str, str]:
    """Who would stand in and for whom, by their names."""
    names = {row.id: row.name for row in await people.people(session) if _could_sit(row)}
    asked = (("person", wanted.person), ("stands_in_for", wanted.stands_in_for))
    faults = [(f"/{key}", "unknown") for key, value in asked if value not in names]
    if wanted.person == wanted.stands_in_for:
        faults.append(("/person", "somebody else is needed"))
    if not now < wanted.end or not wanted.start < wanted.end <= wanted.start + _LONGEST:
        faults.append(("/end", "after the start and after now, within a year"))
    if faults:
        raise InvalidError("Nobody can stand in like this.", fields=faults)
    return names[wanted.person], names[wanted.stands_in_for]


def _could_sit(row: PersonRow) -> bool:
    return row.disabled_at is None and not row.machine


async def _add(
    backend: Backend, session: Session, actor: Actor, change: ProposedChange, two: tuple[str, str], how: str
) -> int:
    wanted, now = WantedStandIn.model_validate(change.new), backend.clock()
    row = StandInRow(
        person_id=wanted.person,
        stands_in_for_id=wanted.stands_in_for,
        starts_at=wanted.start,
        ends_at=wanted.end,
    )
    session.add(row)
    await session.flush()
    says = f"{' stands in for '.join(two)} until {when(wanted.end, backend.zone)}.{how}"
    record(session, actor, Action.STAND_IN, says, now, details=in_entry(change))
    schedule.inspection(session, now)
    return row.id


async def end_stand_in(backend: Backend, actor: Actor, number: int) -> None:
    """End it now; approvals given as a stand-in stay.

    Raises:
        NotFoundError: when there is no such one under way or ahead.
        RefusedError: for anybody but the two concerned and administrators.
    """
    actor.must(Right.OWN)
    now = backend.clock()
    async with backend.database.transaction() as session:
        row = await people.stand_in(session, number)
        if row is None or row.ends_at <= now:
            raise NotFoundError("There is no such stand-in any more.")
        if actor.id not in (row.person_id, row.stands_in_for_id) and Right.ADMINISTER not in actor.rights:
            raise RefusedError("Only the two concerned, or an administrator, may end it.")
        names = {one.id: one.name for one in await people.people(session)}
        says = f"{names[row.person_id]} stands in for {names[row.stands_in_for_id]} no longer."
        record(session, actor, Action.END_STAND_IN, says, now)
        if row.starts_at >= now:
            await session.delete(row)
        else:
            row.ends_at = now
        schedule.inspection(session, now)


async def stand_ins(backend: Backend, actor: Actor) -> list[StandInView]:
    """Who stands in for whom, now or later."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        names = await people.names(session)
        return [
            StandInView(
                id=row.id,
                person=Named(id=row.person_id, name=names[row.person_id]),
                stands_in_for=Named(id=row.stands_in_for_id, name=names[row.stands_in_for_id]),
                start=row.starts_at,
                end=row.ends_at,
            )
            for row in await people.stand_ins(session, backend.clock())
        ]
