"""What is set up beside policies: stand-ins and shared calendars."""

from datetime import datetime, timedelta

from dogana.core.errors import InvalidError, NotFoundError, RefusedError
from dogana.core.policy.document import policy_of
from dogana.core.time.windows import Calendar
from dogana.core.words import counted, when
from dogana.service import seconding
from dogana.service.access import ENGINE, Actor, Right
from dogana.service.backend import Backend
from dogana.service.record import record
from dogana.service.seconding import ALONE, CONFIRMED, Wanted, in_entry
from dogana.service.set_up_views import Asked
from dogana.store import Session, accounts, exceptions, policies, promotions
from dogana.store.tables import StandInRow

_LONGEST = timedelta(days=366)


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
        names = {row.id: row.name for row in await accounts.people(session)}
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
        record(session, actor, "stand in", says, now)
        promotions.make_due(session, now)
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
        row = await exceptions.stand_in(session, number)
        if row is None or row.ends_at <= now:
            raise NotFoundError("There is no such stand-in any more.")
        if actor.id not in (row.person_id, row.stands_in_for_id) and Right.ADMINISTER not in actor.rights:
            raise RefusedError("Only the two concerned, or an administrator, may end it.")
        names = {one.id: one.name for one in await accounts.people(session)}
        says = f"{names[row.person_id]} stands in for {names[row.stands_in_for_id]} no longer."
        record(session, actor, "end stand in", says, now)
        if row.starts_at >= now:
            await session.delete(row)
        else:
            row.ends_at = now
        promotions.make_due(session, now)


async def keep_calendar(backend: Backend, actor: Actor, name: str, calendar: Calendar) -> Asked:
    """Put a shared calendar in place of the one of its name; every policy that names it sees it at once.

    What closes no less than before acts at once; else it takes a second policy owner, where there is one.

    Raises:
        ConflictError: while another change of it waits.
    """
    actor.must(Right.WRITE_POLICY)
    async with backend.database.transaction() as session:
        old = (await exceptions.calendars(session)).get(name)
        new = calendar.plain()
        title = f"a calendar {calendar.title} that closes less, or not the same"
        change = Wanted(kind="calendar", subject=name, title=title, old=old, new=new)
        looser = old is not None and not calendar.closes_no_less(Calendar.model_validate(old))
        waits = await seconding.ask(backend, session, actor, change) if looser else None
        if waits is not None:
            return Asked(waits=waits)
        await _set_calendar(backend, session, actor, change, ALONE if looser else "")
        return Asked(alone=looser)


async def confirmed(backend: Backend, session: Session, actor: Actor, change: Wanted) -> None:
    """Put a calendar in place that was confirmed.

    Raises:
        ConflictError: when the one that it replaces is not as it was any more.
    """
    seconding.must_be_as_it_was((await exceptions.calendars(session)).get(change.subject), change)
    await _set_calendar(backend, session, actor, change, CONFIRMED)


async def follow_calendar(backend: Backend, name: str, calendar: Calendar) -> None:
    """Put it in place as the address that it follows has it."""
    async with backend.database.transaction() as session:
        old = (await exceptions.calendars(session)).get(name)
        change = Wanted(kind="calendar", subject=name, title="", old=old, new=calendar.plain())
        await _set_calendar(backend, session, ENGINE, change, "")


async def _set_calendar(backend: Backend, session: Session, actor: Actor, change: Wanted, how: str) -> None:
    now, calendar = backend.clock(), Calendar.model_validate(change.new)
    await exceptions.keep_calendar(session, change.subject, calendar.plain())
    windows = counted(len(calendar.windows), "window")
    says = f"{actor.name} set the calendar {calendar.title}, with {windows}.{how}"
    record(session, actor, "set calendar", says, now, details=in_entry(change))
    promotions.make_due(session, now)


async def calendars(backend: Backend, actor: Actor) -> dict[str, Calendar]:
    """Every shared calendar by name."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        found = await exceptions.calendars(session)
    return {name: Calendar.model_validate(document) for name, document in found.items()}


async def drop_calendar(backend: Backend, actor: Actor, name: str) -> None:
    """Take a calendar away that no policy in force names.

    Raises:
        NotFoundError: when there is none.
        InvalidError: naming an environment whose policy needs it.
    """
    actor.must(Right.WRITE_POLICY)
    now = backend.clock()
    async with backend.database.transaction() as session:
        known = (await exceptions.calendars(session)).get(name)
        if known is None:
            raise NotFoundError(f"There is no calendar {name}.")
        for environment, row in (await policies.in_force_everywhere(session, now)).items():
            if name in policy_of(row.document).calendars():
                raise InvalidError(f"The policy of {environment} names it.", fields=[("/name", "in use")])
        await exceptions.drop_calendar(session, name)
        says = f"{actor.name} took the calendar {known['title']} away."
        details = {"kind": "calendar", "of": name, "old": known, "new": None}
        record(session, actor, "drop calendar", says, now, details=details)
