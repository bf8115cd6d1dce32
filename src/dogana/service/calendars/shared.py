"""Shared calendars: kept under a name, changed by two people, or followed from an address."""

from dogana.core.errors import InvalidError, NotFoundError
from dogana.core.policy.document import policy_of
from dogana.core.record.actions import Action
from dogana.core.time.windows import Calendar
from dogana.core.words import counted
from dogana.service import dual_control
from dogana.service.actor import ENGINE, Actor, Right
from dogana.service.backend import Backend
from dogana.service.dual_control import ALONE, CONFIRMED, ProposedChange, in_entry
from dogana.service.ledger.entries import record
from dogana.service.shapes import ChangeOutcome
from dogana.store import Session, calendars, policies, schedule
from dogana.store.database import hold


async def keep_calendar(backend: Backend, actor: Actor, name: str, calendar: Calendar) -> ChangeOutcome:
    """Put a shared calendar in place of the one of its name; every policy that names it sees it at once.

    What closes no less than before acts at once; else it takes a second policy owner, where there is one.

    Raises:
        ConflictError: while another change of it waits.
    """
    actor.must(Right.WRITE_POLICY)
    async with backend.database.transaction() as session:
        # Of two who add to it at once, the second would take away what the first added.
        await hold(session, "calendars held")
        old = (await calendars.calendars(session)).get(name)
        new = calendar.plain()
        title = f"a calendar {calendar.title} that closes less, or not the same"
        change = ProposedChange(kind="calendar", subject=name, title=title, old=old, new=new)
        looser = old is not None and not calendar.closes_no_less(Calendar.model_validate(old))
        waits = await dual_control.ask(backend, session, actor, change) if looser else None
        if waits is not None:
            return ChangeOutcome(waits=waits)
        await _set_calendar(backend, session, actor, change, ALONE if looser else "")
        return ChangeOutcome(alone=looser)


async def confirmed(backend: Backend, session: Session, actor: Actor, change: ProposedChange) -> None:
    """Put a calendar in place that was confirmed.

    Raises:
        ConflictError: when the one that it replaces is not as it was any more.
    """
    await hold(session, "calendars held")
    dual_control.must_be_as_it_was((await calendars.calendars(session)).get(change.subject), change)
    await _set_calendar(backend, session, actor, change, CONFIRMED)


async def follow_calendar(backend: Backend, name: str, calendar: Calendar) -> None:
    """Put it in place as the address that it follows has it."""
    async with backend.database.transaction() as session:
        await hold(session, "calendars held")
        old = (await calendars.calendars(session)).get(name)
        change = ProposedChange(kind="calendar", subject=name, title="", old=old, new=calendar.plain())
        await _set_calendar(backend, session, ENGINE, change, "")


async def _set_calendar(
    backend: Backend, session: Session, actor: Actor, change: ProposedChange, how: str
) -> None:
    now, calendar = backend.clock(), Calendar.model_validate(change.new)
    await calendars.keep_calendar(session, change.subject, calendar.plain())
    windows = counted(len(calendar.windows), "window")
    says = f"{actor.name} set the calendar {calendar.title}, with {windows}.{how}"
    record(session, actor, Action.SET_CALENDAR, says, now, details=in_entry(change))
    schedule.inspection(session, now)


async def all_calendars(backend: Backend, actor: Actor) -> dict[str, Calendar]:
    """Every shared calendar by name."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        found = await calendars.calendars(session)
    return {name: Calendar.model_validate(document) for name, document in found.items()}


async def drop_calendar(backend: Backend, actor: Actor, name: str) -> None:
    """Take a calendar away that no policy names which is in force, or comes into force later.

    Raises:
        NotFoundError: when there is none.
        InvalidError: naming an environment whose policy needs it.
    """
    actor.must(Right.WRITE_POLICY)
    now = backend.clock()
    async with backend.database.transaction() as session:
        await hold(session, "policies held")
        await hold(session, "calendars held")
        known = (await calendars.calendars(session)).get(name)
        if known is None:
            raise NotFoundError(f"There is no calendar {name}.")
        for row in await policies.in_force_or_coming(session, now):
            if name in policy_of(row.document).calendars():
                raise InvalidError(
                    f"The policy of {row.environment_id} names it.", fields=[("/name", "in use")]
                )
        await calendars.drop_calendar(session, name)
        says = f"{actor.name} took the calendar {known['title']} away."
        details = {"kind": "calendar", "of": name, "old": known, "new": None}
        record(session, actor, Action.DROP_CALENDAR, says, now, details=details)
