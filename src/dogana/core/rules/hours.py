"""`hours`: open times by the week, or a timetable of set departures."""

from datetime import datetime, timedelta
from typing import Annotated, Any, ClassVar, Literal, Self

from pydantic import Field, model_validator

from dogana.core.document import Document
from dogana.core.rules.base import Case, Finding, Outcome, Rule
from dogana.core.time.forecast import Closing
from dogana.core.time.intervals import Interval, complement, merged
from dogana.core.time.weekly import Day, Holiday, Hours, WallTime, weekly
from dogana.core.time.windows import Zone
from dogana.core.time.zones import local
from dogana.core.words import when

_LOOK_AHEAD = timedelta(days=45)


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

    kind: Literal["hours"]
    zone: Zone
    """The IANA zone of its wall clock."""
    open: tuple[Hours, ...] = Field(default=(), max_length=50)
    """When it is open, by the week."""
    departures: Departures | None = None
    """Or at which set times it takes in what is cleared."""
    holidays: tuple[Holiday, ...] = Field(default=(), max_length=400)
    """Days on which nothing opens."""

    @model_validator(mode="after")
    def _one_of_both(self) -> Self:
        if bool(self.open) == (self.departures is not None):
            raise ValueError("give open hours or departures, one of the two")
        return self

    def plain(self) -> dict[str, Any]:
        """As the policy writes it, with its own key names."""
        return self.model_dump(mode="json", exclude_none=True, by_alias=True)

    def inspect(self, case: Case) -> Finding:
        """Pending while closed, with the instant it opens; else met, with the instant it closes."""
        opens = self._open(Interval(case.at, case.at + _LOOK_AHEAD))
        what = "departure" if self.departures else "opening"
        if not opens:
            return self.finding(Outcome.PENDING, f"Closed; no {what} within six weeks.", settled_by="time")
        first = opens[0]
        if case.at in first:
            said = when(first.end, self.zone)
            word = "A departure can be caught" if self.departures else "Open"
            return self.finding(Outcome.MET, f"{word} until {said}.")
        name = next((h.name for h in self.holidays if h.date == local(case.at, self.zone).date()), None)
        why = f"Closed for {name}" if name else "Outside its hours"
        return self.finding(
            Outcome.PENDING,
            f"{why}; the next {what} is {when(first.start, self.zone)}.",
            settled_by="time",
            clears_at=first.start,
        )

    def closings(self, case: Case, horizon: Interval) -> list[Closing]:
        """Everything that is not open."""
        del case
        name = "the timetable" if self.departures else "closed hours"
        return [
            Closing(rule=self.id, texture="hours", name=name, start=i.start, end=i.end)
            for i in complement(self._open(horizon), horizon)
        ]

    def _open(self, horizon: Interval) -> list[Interval]:
        spans = self.departures.spans() if self.departures else self.open
        return merged(weekly(spans, self.holidays, self.zone, horizon))
