"""Calendars as iCalendar (RFC 5545), read into windows: right, or not at all.

What cannot be carried over is refused by name, and with it the whole file: a freeze that is silently missing
would let something in.
"""

from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, timedelta, tzinfo
from functools import lru_cache
from typing import Any, Literal
from zoneinfo import ZoneInfo

import icalendar
from pydantic import ValidationError

from dogana.core.errors import InvalidError
from dogana.core.time.recurrence import Recurrence, read_recurrence
from dogana.core.time.windows import Calendar, Window
from dogana.core.time.zones import labelled, local

LARGEST = 2 << 20
Transparent = Literal["refuse", "close", "leave out"]
"""What events that say they take no time are: public holidays often do, and so do mere reminders."""
_A_DAY = timedelta(days=1)
_LONGEST_NAME = 80
_COMPARED_YEARS = 12


def read_calendar(body: bytes, *, title: str, zone: str, transparent: Transparent = "refuse") -> Calendar:
    """The events of an iCalendar file as windows of a shared calendar; those cancelled are left out.

    Args:
        body: the file; of several calendars in it, the events of all.
        title: what the calendar is called when the file does not say.
        zone: the IANA zone of its days, and of times without one.
        transparent: what becomes of events that say they take no time.

    Raises:
        InvalidError: when it is no iCalendar, or an event of it cannot be carried over; none is left out
            without a word.
    """
    if len(body) > LARGEST:
        raise InvalidError(f"A calendar is at most {LARGEST >> 20} MiB.")
    try:
        read: list[Any] = icalendar.Calendar.from_ical(body, multiple=True)
    except (ValueError, IndexError, KeyError, RecursionError, AttributeError, TypeError) as exc:
        raise InvalidError("This is no iCalendar file.") from exc
    if not read or any(one.name != "VCALENDAR" for one in read):
        raise InvalidError("This is no iCalendar file.")
    if not _whole(body):
        raise InvalidError("The file is cut: not everything that begins in it ends.")
    faults = [fault for one in read for fault in _faults(one)]
    windows: list[Window] = []
    for series in _series(read):
        try:
            windows += series.windows(zone, transparent)
        except (ValueError, TypeError, AttributeError, KeyError, OverflowError) as exc:
            faults.append((f"/{series.name}", _said(exc)))
    if faults:
        raise InvalidError("Some events cannot be carried over; nothing was.", fields=faults)
    called = str(next((one["X-WR-CALNAME"] for one in read if one.get("X-WR-CALNAME")), title))[
        :_LONGEST_NAME
    ]
    try:
        return Calendar(title=called, zone=zone, windows=tuple(windows))
    except ValidationError as exc:
        raise InvalidError(f"The calendar cannot be taken over: {_said(exc)}.") from exc


def _whole(body: bytes) -> bool:
    """Whether each part that begins ends, in order (RFC 5545, 3.4 and 3.6)."""
    open_: list[bytes] = []
    for line in body.upper().splitlines():
        word, _, name = line.partition(b":")
        if word == b"BEGIN":
            open_.append(name.strip())
        elif word == b"END" and (not open_ or open_.pop() != name.strip()):
            return False
    return not open_


def _faults(calendar: Any) -> list[tuple[str, str]]:
    """What a whole calendar holds that would be lost."""
    out = []
    if str(calendar.get("METHOD", "")).upper() == "CANCEL":
        out.append(("/METHOD", "the file calls events off; it is no calendar of them"))
    if calendar.walk("VFREEBUSY"):
        out.append(("/VFREEBUSY", "busy times without events cannot be carried over"))
    if any(getattr(one, "errors", None) for one in calendar.walk("VEVENT")):
        broken = next(one for one in calendar.walk("VEVENT") if one.errors)
        out.append((f"/{_name(broken)}", f"its {broken.errors[0][0] or 'content'} cannot be understood"))
    return out


@dataclass
class _Series:
    """An event with what was changed of its occurrences."""

    event: Any
    changed: list[Any] = field(default_factory=list)

    @property
    def name(self) -> str:
        return _name(self.event)

    def windows(self, zone: str, transparent: Transparent) -> Iterator[Window]:
        """The windows of all of it."""
        if _cancelled(self.event) and "RECURRENCE-ID" not in self.event:
            return
        if str(self.event.get("TRANSP", "")).upper() == "TRANSPARENT" and transparent != "close":
            if transparent == "leave out":
                return
            raise ValueError("it says it takes no time; say whether such events close")
        if any(one["RECURRENCE-ID"].params.get("RANGE") for one in self.changed):
            raise ValueError("it was changed from one occurrence on (RANGE=THISANDFUTURE)")
        for name in ("EXRULE", "RRULE"):
            if isinstance(self.event.get(name), list) or (name == "EXRULE" and name in self.event):
                raise ValueError(f"it has several rules, or one of what is left out ({name})")
        yield from self._occurrences(zone)
        for one in self.changed:
            if not _cancelled(one):
                yield from _Series(one).windows(zone, transparent)

    def _occurrences(self, zone: str) -> Iterator[Window]:
        event = self.event
        start, end = _time(event, "DTSTART"), _end(event)
        if _local(end, zone) <= _local(start, zone):
            raise ValueError("the event ends before it starts, or has no length")
        lasting = _local(end, zone) - _local(start, zone)
        out = _left_out(event) if "RECURRENCE-ID" not in event else []
        out += [_time(one, "RECURRENCE-ID") for one in self.changed]
        single = [start] if "RRULE" not in event or "RECURRENCE-ID" in event else []
        if "RECURRENCE-ID" not in event:
            single += _further(event)
        left = [one for one in single if not any(_same(one, other, zone) for other in out)]
        rest = [one for one in out if not any(_same(one, other, zone) for other in single)]
        if "RRULE" in event and "RECURRENCE-ID" not in event:
            # The first of them may lie across a change of the clocks, which the others do not.
            each = event["DURATION"].dt if "DURATION" in event else lasting
            again, first = self._again(start, each, rest, zone)
            yield again
            left += first
        elif any(_time(one, "RECURRENCE-ID") in rest for one in self.changed):
            raise ValueError("an occurrence was changed that it does not have")
        for one in left:
            began = _local(one, zone)
            until = _local(end, zone) if one is start else began + lasting
            yield Window.model_validate({"name": self.name, "from": began, "until": until})

    def _again(
        self, start: date | datetime, lasting: timedelta, out: Sequence[date | datetime], zone: str
    ) -> tuple[Window, list[date | datetime]]:
        """The window of a rule, and the start where the rule itself does not name it."""
        if (
            isinstance(start, datetime)
            and start.tzinfo is not None
            and not _same_clock(start.tzinfo, zone, start.year)
        ):
            named = self.event["DTSTART"].params.get("TZID", "UTC")
            raise ValueError(f"it recurs by the clock of {named}; this calendar goes by {zone}")
        first = _local(start, zone)
        text = _rule(self.event["RRULE"], zone)
        days = []
        for one in out:
            if isinstance(start, datetime) and not isinstance(one, datetime):
                raise ValueError("a whole day is left out of what has a time")  # noqa: TRY004 - so the file says
            at = _local(one, zone)
            if at.time() == first.time():
                days.append(at.date())
            else:
                raise ValueError("an occurrence was changed or left out at an hour when it has none")
        window = Window.model_validate(
            {"name": self.name, "every": text, "starting": first, "lasting": lasting, "except": tuple(days)}
        )
        alone = not _names(read_recurrence(text), first) and first.date() not in days
        return window, [start] if alone else []


def _series(calendars: Sequence[Any]) -> list[_Series]:
    """The events with what was changed of each; a change of what is not there stands by itself."""
    masters: list[_Series] = []
    changes: dict[str, list[Any]] = defaultdict(list)
    for event in (event for calendar in calendars for event in calendar.walk("VEVENT")):
        if "RECURRENCE-ID" in event:
            changes[str(event.get("UID"))].append(event)
        else:
            masters.append(_Series(event))
    for series in masters:
        series.changed = changes.pop(str(series.event.get("UID")), [])
    alone = [_Series(event) for events in changes.values() for event in events if not _cancelled(event)]
    return masters + alone


def _cancelled(event: Any) -> bool:
    return str(event.get("STATUS", "")).upper() == "CANCELLED"


def _name(event: Any) -> str:
    return str(event.get("SUMMARY") or "closed").strip()[:_LONGEST_NAME] or "closed"


def _said(exc: Exception) -> str:
    if isinstance(exc, ValidationError):
        return str(exc.errors(include_url=False)[0]["msg"]).removeprefix("Value error, ")
    return str(exc) or "it cannot be understood"


def _time(event: Any, name: str) -> date | datetime:
    """A property that is one date or time, in a zone that is known.

    Raises:
        ValueError: where there is none, several, or one in a zone that nobody defines.
    """
    if name not in event or isinstance(event[name], list):
        raise ValueError(f"it has no {name}, or several")
    value: date | datetime = event[name].dt
    named = event[name].params.get("TZID")
    if named and isinstance(value, datetime) and value.tzinfo is None:
        raise ValueError(f"nobody says what the zone {named} is")
    return value


def _end(event: Any) -> date | datetime:
    """DTEND; or DTSTART with DURATION, or with nothing: then a day lasts a day (RFC 5545, 3.6.1)."""
    if "DTEND" in event:
        return _time(event, "DTEND")
    start = _time(event, "DTSTART")
    lasting: timedelta = event["DURATION"].dt if "DURATION" in event else timedelta(0)
    if not lasting and not isinstance(start, datetime):
        lasting = _A_DAY
    if not lasting:
        raise ValueError("it has no length")
    if isinstance(start, datetime) and start.tzinfo is not None and lasting % _A_DAY:
        return (start.astimezone(UTC) + lasting).astimezone(start.tzinfo)
    return start + lasting


def _as_time(value: date | datetime) -> datetime:
    return value if isinstance(value, datetime) else datetime.combine(value, datetime.min.time())


def _local(value: date | datetime, zone: str) -> datetime:
    """The wall clock of the calendar's zone."""
    value = _as_time(value)
    return local(value, zone) if value.tzinfo else value


def _same(one: date | datetime, other: date | datetime, zone: str) -> bool:
    """Whether two starts are one; a day is none of a time."""
    return isinstance(one, datetime) is isinstance(other, datetime) and _local(one, zone) == _local(
        other, zone
    )


@lru_cache(maxsize=256)
def _same_clock(given: tzinfo, zone: str, year: int) -> bool:
    """Whether a zone, by its own definition, shows the same time as ours for the years after some year."""
    ours, start = ZoneInfo(zone), datetime(year, 1, 1, 12, tzinfo=UTC)
    if getattr(given, "key", None) == zone:
        return True
    instants = (start + n * _A_DAY for n in range(366 * _COMPARED_YEARS))
    return all(at.astimezone(given).utcoffset() == at.astimezone(ours).utcoffset() for at in instants)


def _left_out(event: Any) -> list[date | datetime]:
    return [one for one, _ in _listed(event, "EXDATE")]


def _further(event: Any) -> list[date | datetime]:
    """RDATE: further starts; periods with a length of their own cannot be carried over."""
    out = []
    for one, is_period in _listed(event, "RDATE"):
        if is_period:
            raise ValueError("a further occurrence (RDATE) has a length of its own")
        out.append(one)
    return out


def _listed(event: Any, name: str) -> Iterator[tuple[Any, bool]]:
    given = event.get(name, [])
    for part in given if isinstance(given, list) else [given]:
        for one in part.dts:
            value = one.dt
            period = isinstance(value, tuple)
            begin = value[0] if period else value
            named = part.params.get("TZID")
            if named and isinstance(begin, datetime) and begin.tzinfo is None:
                raise ValueError(f"nobody says what the zone {named} is")
            yield begin, period


def _rule(given: Any, zone: str) -> str:
    rule = dict(given)
    if "UNTIL" in rule:
        rule["UNTIL"] = [
            _local(until, zone) if isinstance(until, datetime) else until for until in rule["UNTIL"]
        ]
    written: bytes = icalendar.vRecur(rule).to_ical()  # type: ignore[no-untyped-call]
    return written.decode()


def _names(rule: Recurrence, first: datetime) -> bool:
    """Whether a rule names its own first start, which counts either way (RFC 5545, 3.8.5.3)."""
    at = labelled(first)
    return any(start == at for start in rule.starts(at, at, at))
