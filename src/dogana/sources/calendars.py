"""Calendars as iCalendar (RFC 5545): read into windows, and written from them."""

from collections.abc import Iterable
from datetime import UTC, date, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import icalendar
from pydantic import ValidationError

from dogana.core.errors import InvalidError
from dogana.core.time.intervals import Interval
from dogana.core.time.windows import Calendar, Window
from dogana.core.time.zones import local, zone_names

LARGEST = 2 << 20
_A_DAY = timedelta(days=1)
_MAKER = "-//Dogana//Calendar//EN"
_LONGEST_NAME = 80


def read_calendar(body: bytes, *, title: str, zone: str) -> Calendar:
    """The events of an iCalendar file as windows of a shared calendar; those cancelled are left out.

    Args:
        body: the file.
        title: what the calendar is called when the file does not say.
        zone: the IANA zone of its days, and of times without one.

    Raises:
        InvalidError: when it is no iCalendar, or an event of it cannot be carried over; none is left out
            without a word.
    """
    if len(body) > LARGEST:
        raise InvalidError(f"A calendar is at most {LARGEST >> 20} MiB.")
    try:
        read = icalendar.Calendar.from_ical(body)
    except (ValueError, IndexError, KeyError, RecursionError) as exc:
        raise InvalidError("This is no iCalendar file.") from exc
    events = [event for event in read.walk("VEVENT") if event.get("STATUS") != "CANCELLED"]
    moved = [event for event in events if "RECURRENCE-ID" in event]
    faults: list[tuple[str, str]] = []
    windows = []
    for event in events:
        try:
            windows.append(_window(event, zone, moved if event not in moved else []))
        except (ValueError, TypeError, AttributeError, KeyError) as exc:
            faults.append((f"/{_name(event)}", _said(exc)))
    if faults:
        raise InvalidError("Some events cannot be carried over; nothing was.", fields=faults)
    called = str(read.get("X-WR-CALNAME") or title)[:_LONGEST_NAME]
    return Calendar(title=called, zone=zone, windows=tuple(windows))


def _name(event: Any) -> str:
    return str(event.get("SUMMARY") or "closed")[:_LONGEST_NAME]


def _said(exc: Exception) -> str:
    if isinstance(exc, ValidationError):
        return str(exc.errors(include_url=False)[0]["msg"]).removeprefix("Value error, ")
    return str(exc) or "it cannot be understood"


def _window(event: Any, zone: str, moved: list[Any]) -> Window:
    start, end = event.decoded("DTSTART"), _end(event)
    if "RRULE" not in event or "RECURRENCE-ID" in event:
        given = {"from": _local(start, zone), "until": _local(end, zone)}
        return Window.model_validate({"name": _name(event), **given})
    _same_zone(start, zone)
    left_out = [*_left_out(event, zone)]
    left_out += [
        _day(one.decoded("RECURRENCE-ID"), zone) for one in moved if one.get("UID") == event.get("UID")
    ]
    if "RDATE" in event:
        raise ValueError("single further dates of a recurring event (RDATE) cannot be carried over")
    return Window.model_validate(
        {
            "name": _name(event),
            "every": _rule(event["RRULE"], zone),
            "starting": _local(start, zone),
            "lasting": _as_time(end) - _as_time(start),
            "except": tuple(left_out),
        }
    )


def _end(event: Any) -> date | datetime:
    """DTEND; or DTSTART with DURATION, or with nothing: then a day lasts a day (RFC 5545, 3.6.1)."""
    if "DTEND" in event:
        ends: date | datetime = event.decoded("DTEND")
        return ends
    start: date | datetime = event.decoded("DTSTART")
    lasting: timedelta = event.decoded("DURATION") if "DURATION" in event else timedelta(0)
    if not lasting and not isinstance(start, datetime):
        lasting = _A_DAY
    if not lasting:
        raise ValueError("it has no length")
    return start + lasting


def _as_time(value: date | datetime) -> datetime:
    return value if isinstance(value, datetime) else datetime.combine(value, datetime.min.time())


def _local(value: date | datetime, zone: str) -> datetime:
    """The wall clock of the calendar's zone."""
    value = _as_time(value)
    return local(value, zone) if value.tzinfo else value


def _day(value: date | datetime, zone: str) -> date:
    return _local(value, zone).date()


def _same_zone(start: date | datetime, zone: str) -> None:
    """What recurs keeps to its own wall clock, so it can only be carried over within the same zone."""
    if isinstance(start, datetime) and start.tzinfo is not None:
        named = str(getattr(start.tzinfo, "key", start.tzinfo))
        if named != zone and named in zone_names():
            raise ValueError(f"it recurs by the clock of {named}; this calendar goes by {zone}")


def _left_out(event: Any, zone: str) -> Iterable[date]:
    given = event.get("EXDATE", [])
    for part in given if isinstance(given, list) else [given]:
        for one in part.dts:
            yield _day(one.dt, zone)


def _rule(given: Any, zone: str) -> str:
    rule = dict(given)
    if "UNTIL" in rule:
        rule["UNTIL"] = [_local(until, zone) for until in rule["UNTIL"]]
    written: bytes = icalendar.vRecur(rule).to_ical()  # type: ignore[no-untyped-call]
    return written.decode()


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
            event.add("DTSTART", window.starting.replace(tzinfo=zone))
            event.add("DURATION", window.lasting)
            event.add("RRULE", icalendar.vRecur.from_ical(window.every or ""))
            for day in window.except_:
                event.add("EXDATE", datetime.combine(day, window.starting.time(), zone))
        made.add_component(event)
    made.add_missing_timezones()
    written: bytes = made.to_ical()
    return written


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
