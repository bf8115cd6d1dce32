"""Weekly times on the wall clock: open hours, and set times of departure."""

from collections.abc import Container, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from functools import cached_property, lru_cache
from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from dogana.core.document import Document
from dogana.core.time.intervals import Interval, merged
from dogana.core.time.zones import local, wall_clock
from dogana.core.words import WEEKDAYS, listed

Day = Literal["MO", "TU", "WE", "TH", "FR", "SA", "SU"]
DAYS: tuple[Day, ...] = ("MO", "TU", "WE", "TH", "FR", "SA", "SU")
WALL_TIME = r"^(([01][0-9]|2[0-3]):[0-5][0-9]|24:00)$"
WallTime = Annotated[str, StringConstraints(pattern=WALL_TIME)]
_A_DAY = timedelta(days=1)
_MIDNIGHT = time()
_A_WEEK = 7 * _A_DAY
_EPOCH = datetime(2000, 1, 1, tzinfo=UTC)


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
    def span(self) -> "Span":
        """Its days, start and end."""
        start, end = since_midnight(self.from_), since_midnight(self.until)
        return Span(days=self.days, start=start, end=end if end > start else end + _A_DAY)


@dataclass(frozen=True, kw_only=True)
class Span:
    """A stretch of some days of the week, counted from the midnight that each of them begins with."""

    days: tuple[Day, ...]
    start: timedelta
    end: timedelta
    """Not included; may reach into later days."""


class Holiday(Document):
    """A day on which nothing opens."""

    date: date
    name: str = Field(min_length=1, max_length=80)
    """What the day is called."""


def weekly(spans: Sequence[Span], shut: Container[date], zone: str, within: Interval) -> list[Interval]:
    """The stretches of `within` in which any of the spans is open; none begins on a day that is shut."""
    reach = max((span.end for span in spans), default=_A_DAY) // _A_DAY + 1
    first = local(within.start, zone).date() - reach * _A_DAY
    last = local(within.end, zone).date() + _A_DAY
    return [
        open_.clip(within)
        for day, open_ in _opening(tuple(spans), zone, first, last)
        if open_.start < within.end and within.start < open_.end and day not in shut
    ]


@lru_cache(maxsize=512)
def _opening(spans: tuple[Span, ...], zone: str, first: date, last: date) -> list[tuple[date, Interval]]:
    """What opens on each day; the same few days are asked about again and again."""
    by_day = [[(span.start, span.end) for span in spans if name in span.days] for name in DAYS]
    return [
        (day, open_)
        for day in map(date.fromordinal, range(first.toordinal(), last.toordinal() + 1))
        for start, end in by_day[day.weekday()]
        for midnight in [datetime.combine(day, _MIDNIGHT, UTC)]
        for open_ in wall_clock(midnight + start, midnight + end, zone)
    ]


Opened = dict[int, list[tuple[timedelta, timedelta]]]
"""By the day of the week that an opening begins on, when it is open, from the midnight before."""


def opened(spans: Sequence[Span]) -> Opened:
    """What opens on each day of the week, merged; a holiday shuts what begins on it, and nothing else."""
    return {
        n: [
            (span.start - _EPOCH, span.end - _EPOCH)
            for span in merged(
                Interval(_EPOCH + one.start, _EPOCH + one.end) for one in spans if name in one.days
            )
        ]
        for n, name in enumerate(DAYS)
    }


def whole_week(days: Opened) -> Opened:
    """The same openings from Monday 00:00 on, whatever day they begin on; for where no day is ever shut."""
    spans = [(day * _A_DAY + start, day * _A_DAY + end) for day, each in days.items() for start, end in each]
    parts = [Interval(_EPOCH + start, _EPOCH + min(end, _A_WEEK)) for start, end in spans if start < _A_WEEK]
    parts += [
        Interval(_EPOCH + max(start - _A_WEEK, timedelta(0)), _EPOCH + end - _A_WEEK)
        for start, end in spans
        if end > _A_WEEK
    ]
    return {0: [(part.start - _EPOCH, part.end - _EPOCH) for part in merged(parts)]}


def covered(inner: Opened, outer: Opened) -> bool:
    """Whether whatever opens on a day in the first opens on that day in the second."""
    return all(
        any(begin <= start and end <= until for begin, until in outer[day])
        for day, spans in inner.items()
        for start, end in spans
    )


def since_midnight(at: str) -> timedelta:
    """A wall time as what has passed of its day."""
    hours, minutes = at.split(":")
    return timedelta(hours=int(hours), minutes=int(minutes))
