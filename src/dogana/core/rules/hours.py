"""`hours`: open times by the week, or a timetable of set departures."""

from collections.abc import Mapping
from datetime import date, datetime, timedelta
from functools import cached_property
from typing import Annotated, ClassVar, Literal, Self

from pydantic import Field, model_validator

from dogana.core.document import Document, Slug
from dogana.core.facts import Kind
from dogana.core.rules.base import Case, Finding, Outcome, Rule
from dogana.core.rules.strictness import Difference, Order, beyond, exempting, same
from dogana.core.time.forecast import Closing
from dogana.core.time.intervals import Interval, complement, merged
from dogana.core.time.weekly import Day, Holiday, Hours, WallTime, minutes_open, weekly
from dogana.core.time.windows import Calendar, Zone
from dogana.core.time.zones import local
from dogana.core.words import when

_LOOK_AHEAD = (timedelta(days=1), timedelta(days=8), timedelta(days=45))


class Departures(Document):
    """Set times at which the environment takes in what is cleared."""

    days: tuple[Day, ...] = Field(min_length=1, max_length=7)
    """On which days."""
    at: tuple[WallTime, ...] = Field(min_length=1, max_length=48)
    """Local times, `07:00`."""
    grace: Annotated[timedelta, Field(gt=timedelta(0), le=timedelta(hours=12))] = timedelta(minutes=15)
    """How long after its time a departure may still be caught."""

    def spans(self) -> tuple[Hours, ...]:
        """Each departure as the span in which it can be caught."""
        out = []
        for at in self.at:
            start = datetime.fromisoformat(f"2000-01-01T{at if at != '24:00' else '00:00'}")
            until = (start + self.grace).strftime("%H:%M")
            out.append(Hours.model_validate({"days": self.days, "from": at, "until": until}))
        return tuple(out)


class OpenHours(Rule):
    """Enters only at open times."""

    texture: ClassVar[Literal["hours"]] = "hours"
    strictness = (
        same("zone", "by the clock of {}"),
        beyond("holidays", "shut on {}"),
        beyond("holiday_calendars", "shut by the calendars {}"),
        exempting("passes", "lets {} pass"),
    )

    kind: Literal["hours"]
    zone: Zone
    """The IANA zone of its wall clock."""
    open: tuple[Hours, ...] = Field(default=(), max_length=50)
    """When it is open, by the week."""
    departures: Departures | None = None
    """Or at which set times it takes in what is cleared."""
    holidays: tuple[Holiday, ...] = Field(default=(), max_length=400)
    """Days on which nothing opens."""
    holiday_calendars: tuple[Slug, ...] = Field(default=(), max_length=20)
    """Shared calendars on whose days nothing opens, by name."""
    passes: tuple[Kind, ...] = Field(default=(), max_length=3)
    """Which kinds of promotion need not keep to the hours."""

    @model_validator(mode="after")
    def _one_of_both(self) -> Self:
        if bool(self.open) == (self.departures is not None):
            raise ValueError("give open hours or departures, one of the two")
        return self

    def calendar_names(self) -> tuple[str, ...]:
        """The shared calendars it names."""
        return self.holiday_calendars

    def inspect(self, case: Case) -> Finding:
        """Pending while closed, with the instant it opens; else met, with the instant it closes."""
        unread = self.without_calendars(case, self.holiday_calendars)
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
        name = self._shut(case.facts.calendars, case.at).get(local(case.at, self.zone).date())
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

    def compared(self, other: Rule) -> list[Difference]:
        """By the minutes of the week in which they are open too."""
        assert isinstance(other, OpenHours)
        out = super().compared(other)
        mine, yours = minutes_open(self.spans), minutes_open(other.spans)
        if mine != yours:
            stricter, laxer = yours < mine, mine < yours
            order = Order.STRICTER if stricter else Order.LAXER if laxer else Order.INCOMPARABLE
            hours = f"{len(yours) / 60:.4g} h a week instead of {len(mine) / 60:.4g} h"
            apart = "" if stricter or laxer else ", at other times"
            out.append(Difference(order, f"open {hours}{apart}"))
        return out

    @cached_property
    def spans(self) -> tuple[Hours, ...]:
        """The open spans of the week."""
        return self.departures.spans() if self.departures else self.open

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
        return merged(weekly(self.spans, self._shut(calendars, horizon.start), self.zone, horizon))

    def _shut(self, calendars: Mapping[str, Calendar], at: datetime) -> dict[date, str]:
        """The local days on which nothing opens, with what they are called."""
        shut = {holiday.date: holiday.name for holiday in self.holidays}
        about = Interval(at - timedelta(days=2), at + timedelta(days=400))
        for name in self.holiday_calendars:
            calendar = calendars.get(name)
            for window in calendar.windows if calendar else ():
                shut |= dict.fromkeys(window.days(self.zone, about), window.name)
        return shut
