"""Weekly times on the wall clock: open hours, and set times of departure."""

from collections.abc import Container, Sequence
from datetime import UTC, date, datetime, time, timedelta
from functools import cached_property, lru_cache
from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from dogana.core.document import Document
from dogana.core.time.intervals import Interval
from dogana.core.time.zones import local, wall_clock
from dogana.core.words import WEEKDAYS, listed

Day = Literal["MO", "TU", "WE", "TH", "FR", "SA", "SU"]
DAYS: tuple[Day, ...] = ("MO", "TU", "WE", "TH", "FR", "SA", "SU")
WALL_TIME = r"^(([01][0-9]|2[0-3]):[0-5][0-9]|24:00)$"
WallTime = Annotated[str, StringConstraints(pattern=WALL_TIME)]
_A_DAY = timedelta(days=1)
_A_MINUTE = timedelta(minutes=1)
_MIDNIGHT = time()
_WEEK = 7 * 24 * 60


def days_in_words(days: Sequence[Day]) -> str:
    """`Mon to Fri` where more than two follow one another, else `Mon, Wed and Fri`; each day once."""
    numbers = sorted({DAYS.index(day) for day in days})
    names = [WEEKDAYS[n] for n in numbers]
    row = len(names) > 2 and numbers[-1] - numbers[0] == len(names) - 1  # noqa: PLR2004
    return f"{names[0]} to {names[-1]}" if row else listed(names)


class Hours(Document):
    """Open from one wall time to another on some days; over midnight where the end is not after the start."""

    days: tuple[Day, ...] = Field(min_length=1, max_length=7)
    """On which days it opens."""
    from_: WallTime = Field(alias="from")
    """When it opens, local time, `07:00`."""
    until: WallTime
    """When it closes, local time, not included; `24:00` is the end of the day."""

    @cached_property
    def offsets(self) -> tuple[timedelta, timedelta]:
        """Its start and end, counted from the midnight its day begins with."""
        start, end = _since_midnight(self.from_), _since_midnight(self.until)
        return start, end if end > start else end + _A_DAY


class Holiday(Document):
    """A day on which nothing opens."""

    date: date
    name: str = Field(min_length=1, max_length=80)
    """What the day is called."""


def weekly(spans: Sequence[Hours], shut: Container[date], zone: str, within: Interval) -> list[Interval]:
    """The stretches of `within` in which any of the spans is open; none begins on a day that is shut."""
    first = local(within.start, zone).date() - 2 * _A_DAY
    last = local(within.end, zone).date() + _A_DAY
    return [
        open_.clip(within)
        for day, open_ in _opening(tuple(spans), zone, first, last)
        if open_.start < within.end and within.start < open_.end and day not in shut
    ]


@lru_cache(maxsize=512)
def _opening(spans: tuple[Hours, ...], zone: str, first: date, last: date) -> list[tuple[date, Interval]]:
    """What opens on each day; the same few days are asked about again and again."""
    by_day = [[span.offsets for span in spans if name in span.days] for name in DAYS]
    return [
        (day, open_)
        for day in map(date.fromordinal, range(first.toordinal(), last.toordinal() + 1))
        for start, end in by_day[day.weekday()]
        for midnight in [datetime.combine(day, _MIDNIGHT, UTC)]
        for open_ in wall_clock(midnight + start, midnight + end, zone)
    ]


def minutes_open(spans: Sequence[Hours]) -> frozenset[int]:
    """The minutes of the week, from Monday 00:00, in which any of the spans is open."""
    out: set[int] = set()
    for span in spans:
        for name in span.days:
            start, end = (DAYS.index(name) * _A_DAY + offset for offset in span.offsets)
            out |= {n % _WEEK for n in range(start // _A_MINUTE, end // _A_MINUTE)}
    return frozenset(out)


def _since_midnight(wall: str) -> timedelta:
    hours, minutes = wall.split(":")
    return timedelta(hours=int(hours), minutes=int(minutes))
