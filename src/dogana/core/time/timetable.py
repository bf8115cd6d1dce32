"""The set times at which an environment takes in what is cleared."""

from datetime import datetime, timedelta

from pydantic import Field

from dogana.core.document import Document
from dogana.core.time.intervals import Interval
from dogana.core.time.weekly import Day, Span, WallTime, days_in_words, since_midnight, weekly
from dogana.core.words import listed

_A_MINUTE = timedelta(minutes=1)
_WEEKS = tuple(timedelta(days=days) for days in (1, 8, 30))


class SetTimes(Document):
    """Times of the week, in the zone of whoever they are for."""

    days: tuple[Day, ...] = Field(min_length=1, max_length=7)
    """On which days."""
    at: tuple[WallTime, ...] = Field(min_length=1, max_length=48)
    """At which local times, `07:00`."""

    def in_words(self) -> str:
        """`Mon to Fri at 07:00 and 12:00`."""
        return f"{days_in_words(self.days)} at {listed(sorted(self.at))}"


class Timetable(SetTimes):
    """When an environment takes in what is cleared, in its own zone."""

    asks: bool = False
    """Whether what has landed in the leg before is asked for without anybody doing so."""


def departures(timetable: SetTimes, zone: str, after: datetime, until: datetime) -> list[datetime]:
    """The set times later than `after` and not later than `until`, UTC, in order.

    A time that the clocks skip that night is left out; one that comes twice counts twice.
    """
    starts = [since_midnight(at) for at in timetable.at]
    spans = [Span(days=timetable.days, start=start, end=start + _A_MINUTE) for start in starts]
    within = Interval(after - 2 * _A_MINUTE, until + 2 * _A_MINUTE)
    return [span.start for span in weekly(spans, (), zone, within) if after < span.start <= until]


def next_departure(timetable: SetTimes, zone: str, after: datetime) -> datetime:
    """The first set time later than an instant."""
    ahead = next(found for span in _WEEKS if (found := departures(timetable, zone, after, after + span)))
    return ahead[0]
