"""`hours`: open times by the week, or a timetable of set departures."""

from collections.abc import Mapping, Sequence
from datetime import date, timedelta
from functools import cached_property
from typing import Annotated, ClassVar, Literal, Self

from pydantic import Field, model_validator

from dogana.core.document import Document, Slug
from dogana.core.facts import PromotionKind
from dogana.core.rules.base import InProgress, Rule, steps_held
from dogana.core.rules.case import Case
from dogana.core.rules.findings import Finding, Outcome
from dogana.core.rules.shared_calendars import without_calendars
from dogana.core.strictness import Difference, Order, beyond, exempting, same
from dogana.core.time.forecast import Closing
from dogana.core.time.intervals import Interval, complement, merged
from dogana.core.time.weekly import (
    Day,
    Holiday,
    Hours,
    Span,
    WallTime,
    covered,
    days_in_words,
    opened,
    since_midnight,
    weekly,
    whole_week,
)
from dogana.core.time.windows import Calendar, Zone
from dogana.core.time.zones import local
from dogana.core.words import listed, when

_A_DAY = timedelta(days=1)
_LOOK_AHEAD = (timedelta(days=1), timedelta(days=8), timedelta(days=45))


class Departures(Document):
    """Set times at which the environment takes in what is cleared."""

    days: tuple[Day, ...] = Field(min_length=1, max_length=7)
    """On which days."""
    at: tuple[WallTime, ...] = Field(min_length=1, max_length=48)
    """Local times, `07:00`."""
    grace: Annotated[timedelta, Field(gt=timedelta(0), le=timedelta(hours=12))] = timedelta(minutes=15)
    """How long after its time a departure may still be caught."""

    def spans(self) -> tuple[Span, ...]:
        """Each departure as the span in which it can be caught."""
        starts = (since_midnight(at) for at in self.at)
        return tuple(Span(days=self.days, start=start, end=start + self.grace) for start in starts)


class HoursRule(Rule):
    """Enters only at open times."""

    heading = "Open hours"

    texture: ClassVar[Literal["hours"]] = "hours"
    strictness = (
        same("zone", "by the clock of {}"),
        beyond("shut_on", "shut on {}"),
        beyond("holiday_calendars", "shut by the calendars {}"),
        exempting("passes", "lets {} pass"),
        steps_held,
    )

    kind: Literal["hours"]
    zone: Zone
    """The IANA zone of its wall clock; the policy's own when left out."""
    open: tuple[Hours, ...] = Field(default=(), max_length=50)
    """When it is open, by the week."""
    departures: Departures | None = None
    """Or at which set times it takes in what is cleared."""
    holidays: tuple[Holiday, ...] = Field(default=(), max_length=400)
    """Days on which nothing opens."""
    holiday_calendars: tuple[Slug, ...] = Field(default=(), max_length=20)
    """Shared calendars on whose days nothing opens, by name."""
    passes: tuple[PromotionKind, ...] = Field(default=(), max_length=3)
    """Which kinds of promotion need not keep to the hours."""
    in_progress: InProgress = None
    """Whether a step of what departed before is held too, as it is when left out, or goes on."""

    @model_validator(mode="after")
    def _one_of_both(self) -> Self:
        if bool(self.open) == (self.departures is not None):
            raise ValueError("give open hours or departures, one of the two")
        return self

    def calendar_names(self) -> tuple[str, ...]:
        """The shared calendars it names."""
        return self.holiday_calendars

    def summary(self) -> str:
        """Its settings in few words."""
        spans = [f"{days_in_words(one.days)} {one.from_} to {one.until}" for one in self.open]
        if self.departures is not None:
            spans.append(f"{days_in_words(self.departures.days)} at {listed(self.departures.at)}")
        return "; ".join(spans)

    def holds_next_step(self) -> bool:
        """Whether it holds what departed before it closed."""
        return self.in_progress is None

    def inspect(self, case: Case) -> Finding:
        """Pending while closed, with the instant it opens; else met, with the instant it closes."""
        unread = without_calendars(self, case, self.holiday_calendars)
        if unread is not None:
            return unread
        if case.facts.kind in self.passes:
            return self.finding(Outcome.MET, f"{case.facts.kind_in_words()} need not keep to the hours.")
        opens = self._next_open(case)
        what = "departure" if self.departures else "opening"
        if not opens:
            return self.finding(Outcome.PENDING, f"Closed; no {what} within six weeks.", settled_by="time")
        first = opens[0]
        if case.at in first:
            said = when(first.end, self.zone)
            word = "A departure can be caught" if self.departures else "Open"
            return self.finding(Outcome.MET, f"{word} until {said}.")
        name = self._shut(case.facts.calendars, Interval(case.at, case.at + _A_DAY)).get(
            local(case.at, self.zone).date()
        )
        why = f"Closed for {name}" if name else "Outside its hours"
        return self.finding(
            Outcome.PENDING,
            f"{why}; the next {what} is {when(first.start, self.zone)}.",
            settled_by="time",
            clears_at=first.start,
        )

    def closings(self, case: Case, horizon: Interval) -> list[Closing]:
        """Everything that is not open."""
        return [] if case.facts.kind in self.passes else self.closed(case.facts.calendars, horizon)

    def closed(self, calendars: Mapping[str, Calendar], horizon: Interval) -> list[Closing]:
        """What it closes in a stretch of time, for whoever may not pass."""
        name = "the timetable" if self.departures else "closed hours"
        return [
            Closing(self.id, "hours", name, i.start, i.end)
            for i in complement(self._open(calendars, horizon), horizon)
        ]

    def differing(self, other: Rule) -> list[Difference]:
        """By the minutes of the week in which they are open too."""
        if not isinstance(other, HoursRule):
            raise TypeError
        out = super().differing(other)
        mine, yours = opened(self.spans), opened(other.spans)
        if not (self.holidays or other.holidays or self.holiday_calendars or other.holiday_calendars):
            mine, yours = whole_week(mine), whole_week(yours)
        stricter, laxer = covered(yours, mine), covered(mine, yours)
        if not (stricter and laxer):
            order = Order.STRICTER if stricter else Order.LAXER if laxer else Order.INCOMPARABLE
            hours = f"{_hours(yours):.4g} h a week instead of {_hours(mine):.4g} h"
            apart = "" if stricter or laxer else ", at other times"
            out.append(Difference(order, f"open {hours}{apart}"))
        return out

    @property
    def shut_on(self) -> tuple[str, ...]:
        """The days of its own on which nothing opens, whatever they are called."""
        return tuple(sorted({holiday.date.isoformat() for holiday in self.holidays}))

    @cached_property
    def spans(self) -> tuple[Span, ...]:
        """The open spans of the week."""
        return self.departures.spans() if self.departures else tuple(hours.span for hours in self.open)

    def _next_open(self, case: Case) -> list[Interval]:
        """The open stretches ahead, no further than needed to find one."""
        opens: list[Interval] = []
        for ahead in _LOOK_AHEAD:
            horizon = Interval(case.at, case.at + ahead)
            opens = self._open(case.facts.calendars, horizon)
            if opens and opens[0].end < horizon.end:
                break
        return opens

    def _open(self, calendars: Mapping[str, Calendar], horizon: Interval) -> list[Interval]:
        return merged(weekly(self.spans, self._shut(calendars, horizon), self.zone, horizon))

    def _shut(self, calendars: Mapping[str, Calendar], horizon: Interval) -> dict[date, str]:
        """The local days on which nothing opens, about a stretch of time, with what they are called."""
        shut = {holiday.date: holiday.name for holiday in self.holidays}
        about = Interval(horizon.start - 3 * _A_DAY, horizon.end + 2 * _A_DAY)
        for name in self.holiday_calendars:
            calendar = calendars.get(name)
            for window in calendar.windows if calendar else ():
                shut |= dict.fromkeys(window.days(self.zone, about), window.name)
        return shut


def _hours(spans: Mapping[int, Sequence[tuple[timedelta, timedelta]]]) -> float:
    return sum((end - start) / timedelta(hours=1) for day in spans.values() for start, end in day)
