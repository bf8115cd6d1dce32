"""`pace`: how often, how close together, and how many at once enter an environment."""

from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import Annotated, ClassVar, Literal, Self

from pydantic import Field, model_validator

from dogana.core.document import Slug
from dogana.core.facts import Passage
from dogana.core.rules.base import Case, Evidence, Finding, Outcome, Rule
from dogana.core.time.forecast import Closing
from dogana.core.time.intervals import Interval, merged
from dogana.core.words import counted, lasting, listed, when

_NONE = timedelta(0)
Span = Annotated[timedelta, Field(gt=_NONE, le=timedelta(days=31))]


class Pace(Rule):
    """One at a time, at most so many in a span, a least gap between two."""

    texture: ClassVar[Literal["pace"]] = "pace"

    kind: Literal["pace"]
    services: tuple[Slug, ...] = Field(default=(), max_length=100)
    """Which services count together; every service of the environment when empty."""
    one_at_a_time: bool = False
    """Nothing departs while another of them is on its way in."""
    at_most: int | None = Field(default=None, ge=1, le=1000)
    """How many may depart within `per`."""
    per: Span | None = None
    """The sliding span that `at_most` counts in, ISO 8601."""
    gap: Span | None = None
    """The least time from one departure to the next."""

    @model_validator(mode="after")
    def _asks_for_something(self) -> Self:
        if (self.at_most is None) != (self.per is None):
            raise ValueError("at_most and per go together")
        if not self.one_at_a_time and self.at_most is None and self.gap is None:
            raise ValueError("give one_at_a_time, at_most with per, or gap")
        return self

    def inspect(self, case: Case) -> Finding:
        """Pending while another is on its way, the gap is not over, or the span is full."""
        counted_in = self._counted(case)
        moving = [p for p in counted_in if p.arrived_at is None]
        evidence = [
            Evidence(label=f"{p.service} {p.version}", value=f"departed {when(p.departed_at, case.zone)}")
            for p in counted_in[-5:]
        ]
        if self.one_at_a_time and moving:
            names = listed([f"{p.service} {p.version}" for p in moving])
            verb = "is" if len(moving) == 1 else "are"
            return self.finding(
                Outcome.PENDING,
                f"{names} {verb} on the way in; one goes at a time.",
                settled_by="time",
                evidence=evidence,
            )
        until = self._full_until(counted_in, case.at)
        if until is not None:
            return self.finding(
                Outcome.PENDING,
                f"{self._why(counted_in, case.at)}; the next may go {when(until, case.zone)}.",
                settled_by="time",
                clears_at=until,
                evidence=evidence,
            )
        return self.finding(Outcome.MET, "There is room for one more.", evidence=evidence)

    def closings(self, case: Case, horizon: Interval) -> list[Closing]:
        """From now until there is room again, where time alone makes it."""
        until = self._full_until(self._counted(case), horizon.start)
        if until is None:
            return []
        part = Interval(horizon.start, until).clip(horizon)
        return [Closing(rule=self.id, texture="pace", name="the pace", start=part.start, end=part.end)]

    def _counted(self, case: Case) -> list[Passage]:
        chosen = [p for p in case.facts.traffic if not self.services or p.service in self.services]
        return sorted(chosen, key=lambda p: p.departed_at)

    def _full_until(self, passages: Sequence[Passage], at: datetime) -> datetime | None:
        """When there is room again, counting departures before `at` alone; None where there is room now."""
        closed = []
        departed = [p.departed_at for p in passages if p.departed_at <= at]
        if self.gap is not None and departed:
            closed.append(Interval(departed[-1], departed[-1] + self.gap))
        if self.at_most is not None and self.per is not None and len(departed) >= self.at_most:
            closed.append(Interval(departed[-1], departed[-self.at_most] + self.per))
        for interval in merged(closed):
            if at in interval:
                return interval.end
        return None

    def _why(self, passages: Sequence[Passage], at: datetime) -> str:
        departed = [p for p in passages if p.departed_at <= at]
        if self.at_most is not None and self.per is not None:
            lately = [p for p in departed if p.departed_at > at - self.per]
            if len(lately) >= self.at_most:
                many = counted(len(lately), "departure").capitalize()
                return f"{many} in {lasting(self.per)}, as many as are let in"
        last = departed[-1]
        return f"{last.service} {last.version} departed {lasting(at - last.departed_at)} ago"
