"""Calendars as iCalendar (RFC 5545), written for others to read."""

from collections.abc import Iterable
from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import icalendar

from dogana.core.time.intervals import Interval
from dogana.core.time.recurrence import read_recurrence
from dogana.core.time.windows import Calendar
from dogana.core.time.zones import labelled

_FURTHEST = timedelta(days=366 * 40)
_MAKER = "-//Dogana//Calendar//EN"


def write_calendar(calendar: Calendar, name: str) -> bytes:
    """A shared calendar as an iCalendar file."""
    made, zone = _new(calendar.title), ZoneInfo(calendar.zone)
    for n, window in enumerate(calendar.windows):
        event = _event(f"{name}-{n}", window.name)
        if window.from_ is not None:
            event.add("DTSTART", window.from_.replace(tzinfo=zone))
            if window.until is not None:
                event.add("DTEND", window.until.replace(tzinfo=zone))
        elif window.starting is not None and window.lasting is not None:
            first = _first(window.every or "", window.starting)
            if first is None:
                continue
            event.add("DTSTART", first.replace(tzinfo=zone))
            event.add("DURATION", window.lasting)
            event.add("RRULE", icalendar.vRecur.from_ical(window.every or ""))
            for day in window.except_:
                event.add("EXDATE", datetime.combine(day, window.starting.time(), zone))
        made.add_component(event)
    made.add_missing_timezones()
    written: bytes = made.to_ical()
    return written


def _first(every: str, starting: datetime) -> datetime | None:
    """The first start that a rule names: to others the start counts even where it does not name it."""
    at = labelled(starting)
    found = next(read_recurrence(every).starts(at, at, at + _FURTHEST), None)
    return found.replace(tzinfo=None) if found else None


def write_stretches(title: str, stretches: Iterable[tuple[str, Interval]]) -> bytes:
    """Closed stretches with their names, as an iCalendar feed."""
    made = _new(title)
    for name, span in stretches:
        event = _event(f"{name}-{span.start:%Y%m%dT%H%M}".replace(" ", "-"), name)
        event.add("DTSTART", span.start)
        event.add("DTEND", span.end)
        made.add_component(event)
    written: bytes = made.to_ical()
    return written


def _new(title: str) -> icalendar.Calendar:
    made = icalendar.Calendar()
    made.add("PRODID", _MAKER)
    made.add("VERSION", "2.0")
    made.add("X-WR-CALNAME", title)
    return made


def _event(uid: str, name: str) -> icalendar.Event:
    event = icalendar.Event()
    event.add("UID", f"{uid}@dogana")
    event.add("DTSTAMP", datetime(2000, 1, 1, tzinfo=UTC))
    event.add("SUMMARY", name)
    return event
