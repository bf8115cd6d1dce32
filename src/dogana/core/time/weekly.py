"""Weekly times on the wall clock: open hours, and set times of departure."""

from collections.abc import Container, Sequence
from datetime import date, datetime, time, timedelta
from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from dogana.core.document import Document
from dogana.core.time.intervals import Interval
from dogana.core.time.zones import local, wall_clock

Day = Literal["MO", "TU", "WE", "TH", "FR", "SA", "SU"]
DAYS: tuple[Day, ...] = ("MO", "TU", "WE", "TH", "FR", "SA", "SU")
WallTime = Annotated[str, StringConstraints(pattern=r"^(([01][0-9]|2[0-3]):[0-5][0-9]|24:00)$")]
_A_DAY = timedelta(days=1)
_WEEK = 7 * 24 * 60


class Hours(Document):
    """Open from one wall time to another on some days; over midnight where the end is not after the start."""

    days: tuple[Day, ...] = Field(min_length=1, max_length=7)
    """On which days it opens."""
    from_: WallTime = Field(alias="from")
    """When it opens, local time, `07:00`."""
    until: WallTime
    """When it closes, local time, not included; `24:00` is the end of the day."""

    def on(self, day: date) -> tuple[datetime, datetime]:
        """The local span that begins on a day."""
        start, end = _at(day, self.from_), _at(day, self.until)
        return start, end if end > start else end + _A_DAY


class Holiday(Document):
    """A day on which nothing opens."""

    date: date
    name: str = Field(min_length=1, max_length=80)
    """What the day is called."""


def weekly(spans: Sequence[Hours], shut: Container[date], zone: str, within: Interval) -> list[Interval]:
    """The stretches of `within` in which any of the spans is open; none begins on a day that is shut."""
    day = local(within.start, zone).date() - 2 * _A_DAY
    last = local(within.end, zone).date() + _A_DAY
    out = []
    while day <= last:
        if day not in shut:
            for span in spans:
                if DAYS[day.weekday()] in span.days:
                    out += [part for i in wall_clock(*span.on(day), zone) if (part := i.clip(within))]
        day += _A_DAY
    return out


def minutes_open(spans: Sequence[Hours]) -> frozenset[int]:
    """The minutes of the week, from Monday 00:00, in which any of the spans is open."""
    monday = datetime(2001, 1, 1)  # noqa: DTZ001
    out: set[int] = set()
    for span in spans:
        for name in span.days:
            start, end = span.on((monday + DAYS.index(name) * _A_DAY).date())
            first = int((start - monday).total_seconds() // 60)
            out |= {n % _WEEK for n in range(first, first + int((end - start).total_seconds() // 60))}
    return frozenset(out)


def _at(day: date, wall: str) -> datetime:
    if wall == "24:00":
        return datetime.combine(day, time()) + _A_DAY
    return datetime.combine(day, time.fromisoformat(wall))
