"""Stand-ins: who sits for somebody, from when until when."""

from datetime import datetime

from dogana.core.document import Instant
from dogana.core.errors import InvalidError, NotFoundError, RefusedError
from dogana.core.record.actions import Action
from dogana.core.words import when
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.calendars.shared import _LONGEST
from dogana.service.ledger.entries import record
from dogana.service.shapes import Named, View
from dogana.store import people, schedule
from dogana.store.tables.people import StandInRow


class StandInView(View):
    """Who may take whose seats, from when until when."""

    id: int
    person: Named
    stands_in_for: Named
    start: Instant
    end: Instant


async def name_stand_in(
    backend: Backend, actor: Actor, *, person: str, stands_in_for: str, start: datetime, end: datetime
) -> StandInRow:
    """Let somebody take another's seats for a time; by the one who will be away, or an administrator.

    Raises:
        RefusedError: for anybody else.
        InvalidError: for unknown people, the same person twice, or dates that make no sense.
    """
    actor.must(Right.OWN)
    if actor.id != stands_in_for and Right.ADMINISTER not in actor.rights:
        raise RefusedError("Name a stand-in for yourself, or have an administrator do it.")
    now = backend.clock()
    async with backend.database.transaction() as session:
        names = {row.id: row.name for row in await people.people(session)}
        faults = [
            (f"/{key}", "unknown")
            for key, value in (("person", person), ("stands_in_for", stands_in_for))
            if value not in names
        ]
        if person == stands_in_for:
            faults.append(("/person", "somebody else is needed"))
        if not now < end or not start < end <= start + _LONGEST:
            faults.append(("/end", "after the start and after now, within a year"))
        if faults:
            raise InvalidError("Nobody can stand in like this.", fields=faults)
        row = StandInRow(person_id=person, stands_in_for_id=stands_in_for, starts_at=start, ends_at=end)
        session.add(row)
        says = f"{names[person]} stands in for {names[stands_in_for]} until {when(end, 'Etc/UTC')}."
        record(session, actor, Action.STAND_IN, says, now)
        schedule.inspection(session, now)
    return row


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
