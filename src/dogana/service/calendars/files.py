"""Shared calendars as iCalendar: taken in from files and addresses, given out as files and as a feed."""

import asyncio
from datetime import datetime, timedelta
from functools import partial

from dogana.core.errors import InvalidError, NotFoundError
from dogana.core.policy.eras import closed
from dogana.core.time.intervals import Interval
from dogana.core.time.windows import Calendar, first_ahead, windows_on
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.calendars import shared
from dogana.service.policies.in_force import eras_of_each, none_in_force
from dogana.service.shapes import ChangeOutcome
from dogana.service.sources.calendars import fetched
from dogana.service.sources.each_due import read_due
from dogana.sources.calendars import Transparent, read_calendar
from dogana.sources.feeds import write_calendar, write_stretches
from dogana.sources.http import UnreadError
from dogana.sources.settings import CalendarSettings, Configured
from dogana.store import calendars, landscape

_AHEAD, _A_YEAR = timedelta(days=90), timedelta(days=400)


async def import_file(
    backend: Backend,
    actor: Actor,
    name: str,
    body: bytes,
    *,
    title: str,
    zone: str,
    transparent: Transparent = "refuse",
) -> tuple[Calendar, ChangeOutcome]:
    """Set a shared calendar from an iCalendar file; one that closes less waits for a second policy owner.

    Raises:
        InvalidError: when it is none, naming each event that cannot be carried over.
    """
    actor.must(Right.WRITE_POLICY)
    calendar = await backend.pool.run(read_calendar, body, title=title, zone=zone, transparent=transparent)
    return calendar, await shared.keep_calendar(backend, actor, name, calendar)


async def export_file(backend: Backend, actor: Actor, name: str) -> bytes:
    """A shared calendar as an iCalendar file.

    Raises:
        NotFoundError: when there is none.
    """
    found = await shared.all_calendars(backend, actor)
    if name not in found:
        raise NotFoundError(f"There is no calendar {name}.")
    return write_calendar(found[name], name)


async def feed(backend: Backend, actor: Actor, environment: str) -> bytes:
    """The closed times of an environment for the next 90 days, to subscribe to.

    Raises:
        NotFoundError: for an unknown environment.
        InvalidError: for one without a policy in force.
    """
    actor.must(Right.SUBSCRIBE)
    now = backend.clock()
    ahead = Interval(now, now + _AHEAD)
    async with backend.database.transaction() as session:
        target = await landscape.environment(session, environment)
        if target is None:
            raise NotFoundError(f"There is no environment {environment}.")
        name = target.made_from_id or target.id
        held = (await eras_of_each(session, now)).get(name)
        if held is None:
            raise none_in_force(name)
        shared = {
            name: Calendar.model_validate(document)
            for name, document in (await calendars.calendars(session)).items()
        }
    freezes = [
        (one.name, Interval(one.start, one.end))
        for one in closed(held, shared, ahead)
        if one.texture == "freeze"
    ]
    return write_stretches(f"{target.title}: closed", freezes)


async def follow_addresses(backend: Backend) -> None:
    """Read every address that a shared calendar is kept like, when its time has come."""
    await read_due(backend, CalendarSettings, partial(_follow, backend))


def _closes_ahead(calendar: Calendar, now: datetime) -> bool:
    """Whether something of it is on, or to come within a year and a bit."""
    zoned = [(window, calendar.zone) for window in calendar.windows]
    return bool(windows_on(zoned, now)) or first_ahead(zoned, Interval(now, now + _A_YEAR)) is not None


async def _take_over(backend: Backend, name: str, calendar: Calendar, now: datetime) -> None:
    """Set a calendar like what was published, if it differs.

    Raises:
        UnreadError: where nothing is listed any more, though something that was is still to come.
    """
    async with backend.database.transaction() as session:
        document = (await calendars.calendars(session)).get(name)
    known = Calendar.model_validate(document) if document else None
    if known and not calendar.windows and await asyncio.to_thread(_closes_ahead, known, now):
        raise UnreadError("it lists nothing any more, though something it listed is still to come")
    if document != calendar.plain():
        await shared.follow_calendar(backend, name, calendar)


async def _follow(backend: Backend, at: Configured[CalendarSettings]) -> str | None:
    """Set the calendar like its address, if it differs; one that cannot be read stays as it was."""
    try:
        await _take_over(backend, at.settings.calendar, await fetched(backend, at), backend.clock())
    except (UnreadError, InvalidError) as exc:
        faults = "; ".join(f"{where.strip('/')}: {why}" for where, why in getattr(exc, "fields", [])[:3])
        return " ".join(part for part in (str(exc), faults) if part)
    return None
