"""`pace`: how often, how close together, how many at once, and who goes first where several wait."""

from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import Annotated, ClassVar, Literal, Self

from pydantic import Field, model_validator

from dogana.core.document import Slug
from dogana.core.facts import Facts, in_the_future
from dogana.core.rules.base import Rule
from dogana.core.rules.case import Case
from dogana.core.rules.findings import Evidence, Finding, Outcome
from dogana.core.strictness import higher, lower, rank, same, wider
from dogana.core.time.forecast import Closing
from dogana.core.time.intervals import Interval, merged
from dogana.core.time.windows import Zone
from dogana.core.time.zones import wall, wall_clock
from dogana.core.traffic import Deployment, Queued
from dogana.core.words import are, counted, lasting, listed, when

_NONE = timedelta(0)
_A_DAY = timedelta(days=1)
Span = Annotated[timedelta, Field(gt=_NONE, le=timedelta(days=31))]


class PaceRule(Rule):
    """One at a time, at most so many in a span, a least gap between two, an order among those that wait."""

    heading = "Pace"

    texture: ClassVar[Literal["pace"]] = "pace"
    strictness = (
        wider("services", "counts {} together"),
        rank("one_at_a_time", (False, True), "one at a time: {}"),
        lower("at_most", "at most {}"),
        higher("per", "within {}"),
        same("each", "counted by the {}"),
        same("zone", "in the zone {}"),
        higher("gap", "a gap of {}"),
        same("newest", "the newest of those that wait {}"),
    )

    kind: Literal["pace"]
    services: tuple[Slug, ...] = Field(default=(), max_length=100)
    """Which services count together; every service of the environment when empty."""
    one_at_a_time: bool = False
    """Nothing departs while another of them is on its way in."""
    at_most: int | None = Field(default=None, ge=1, le=1000)
    """How many may depart within `per`, or within `each`."""
    per: Span | None = None
    """The sliding span that `at_most` counts in."""
    each: Literal["day", "week", "month"] | None = None
    """Or the calendar period that it counts in; weeks begin on Monday."""
    zone: Zone | None = None
    """The IANA zone of `each`."""
    gap: Span | None = None
    """The least time from one departure to the next."""
    newest: Literal["supersedes", "queues"] | None = None
    """What a newer promotion of the same service does to one that waits: ends it, or waits behind it."""

    @model_validator(mode="after")
    def _asks_for_something(self) -> Self:
        if (self.at_most is None) != (self.per is None and self.each is None) or (self.per and self.each):
            raise ValueError("at_most goes together with per or with each, one of the two")
        if (self.each is None) != (self.zone is None):
            raise ValueError("each and zone go together")
        if not self.one_at_a_time and self.at_most is None and self.gap is None and self.newest is None:
            raise ValueError("give one_at_a_time, at_most with per or each, gap, or newest")
        return self

    def summary(self) -> str:
        """Its settings in few words."""
        parts = ["one at a time"] if self.one_at_a_time else []
        if self.at_most is not None:
            parts.append(f"{self.at_most} in {lasting(self.per) if self.per else f'a {self.each}'}")
        parts += [f"{lasting(self.gap)} apart"] if self.gap else []
        parts += [f"a newer one {self.newest}"] if self.newest else []
        return ", ".join(parts)

    def inspect(self, case: Case) -> Finding:
        """Unmet once superseded; pending while it queues, another moves, or there is no room."""
        behind = self._behind(case)
        if behind is not None:
            return behind
        counted_in = self._counted(case)
        ahead = [p for p in counted_in if in_the_future(p.departed_at, case.at)]
        if ahead:
            because = (
                f"{_named(ahead[0], case.facts)} is on record as departed at a time that has not come yet."
            )
            lines = [
                Evidence(label=_named(p, case.facts), value=f"departed {when(p.departed_at, case.zone)}")
                for p in ahead
            ]
            return self.finding(Outcome.UNKNOWN, because, settled_by="facts", evidence=lines)
        moving = [p for p in counted_in if p.arrived_at is None]
        evidence = [
            Evidence(label=_named(p, case.facts), value=f"departed {when(p.departed_at, case.zone)}")
            for p in counted_in[-5:]
        ]
        if self.one_at_a_time and moving:
            names = listed([_named(p, case.facts) for p in moving])
            return self.finding(
                Outcome.PENDING,
                f"{names} {are(len(moving))} on the way in; one goes at a time.",
                settled_by="time",
                evidence=evidence,
            )
        until = self._full_until(counted_in, case.at)
        if until is not None:
            return self.finding(
                Outcome.PENDING,
                f"{self._why(counted_in, case)}; the next may go {when(until, case.zone)}.",
                settled_by="time",
                clears_at=until,
                evidence=evidence,
            )
        return self.finding(Outcome.MET, "There is room for one more.", evidence=evidence)

    def superseding(self, facts: Facts) -> Queued | None:
        """The newer promotion that ends this one; None when none does."""
        newer = [one for one in facts.waiting if _asked_after(one, facts)]
        return newer[-1] if newer and self.newest == "supersedes" else None

    def _behind(self, case: Case) -> Finding | None:
        newer = self.superseding(case.facts)
        if newer is not None:
            because = (
                f"{newer.version} was asked for {when(newer.requested_at, case.zone)} and supersedes it."
            )
            return self.finding(Outcome.UNMET, because, settled_by="facts")
        first = [one for one in case.facts.waiting if not _asked_after(one, case.facts)]
        if first and self.newest == "queues":
            names = listed([one.version for one in first])
            return self.finding(
                Outcome.PENDING, f"Queues behind {names}, asked for earlier.", settled_by="time"
            )
        return None

    def closings(self, case: Case, horizon: Interval) -> list[Closing]:
        """From now until there is room again, where time alone makes it."""
        until = self._full_until(self._counted(case), horizon.start)
        if until is None:
            return []
        part = Interval(horizon.start, until).clip(horizon)
        return [Closing(rule=self.id, texture="pace", name="the pace", start=part.start, end=part.end)]

    def _counted(self, case: Case) -> list[Deployment]:
        chosen = [p for p in case.facts.traffic if not self.services or p.service in self.services]
        return sorted(chosen, key=lambda p: p.departed_at)

    def _full_until(self, passages: Sequence[Deployment], at: datetime) -> datetime | None:
        """When there is room again, counting departures before `at` alone; None where there is room now."""
        closed = []
        departed = [min(p.departed_at, at) for p in passages if not in_the_future(p.departed_at, at)]
        if self.gap is not None and departed:
            closed.append(Interval(departed[-1], departed[-1] + self.gap))
        if self.at_most is not None and self.per is not None and len(departed) >= self.at_most:
            closed.append(Interval(departed[-1], departed[-self.at_most] + self.per))
        if self.each is not None and self.zone is not None and self.at_most is not None:
            period = _period(self.each, self.zone, at)
            if sum(one in period for one in departed) >= self.at_most:
                closed.append(Interval(at, period.end))
        for interval in merged(closed):
            if at in interval:
                return interval.end
        return None

    def _why(self, passages: Sequence[Deployment], case: Case) -> str:
        at = case.at
        departed = [p for p in passages if not in_the_future(p.departed_at, at)]
        if self.at_most is not None and self.per is not None:
            lately = [p for p in departed if p.departed_at > at - self.per]
            if len(lately) >= self.at_most:
                many = counted(len(lately), "departure").capitalize()
                return f"{many} in {lasting(self.per)}, as many as are let in"
        if self.at_most is not None and self.each is not None and self.zone is not None:
            period = _period(self.each, self.zone, at)
            lately = [p for p in departed if p.departed_at in period]
            if len(lately) >= self.at_most:
                many = counted(len(lately), "departure").capitalize()
                return f"{many} this {self.each}, as many as are let in"
        last = departed[-1]
        return f"{_named(last, case.facts)} departed {lasting(at - last.departed_at)} ago"


def _asked_after(other: Queued, facts: Facts) -> bool:
    """Whether another was asked for after this one; of two of the same instant, by their numbers."""
    return (other.requested_at, other.number) > (facts.requested_at, facts.number or 0)


def _named(passage: Deployment, facts: Facts) -> str:
    return f"{facts.service_name(passage.service)} {passage.version}"


def _period(each: str, zone: str, at: datetime) -> Interval:
    """The calendar day, week or month that holds an instant, by the zone's wall clock."""
    day = wall(at, zone).replace(hour=0, minute=0, second=0, microsecond=0)
    if each == "day":
        start, end = day, day + _A_DAY
    elif each == "week":
        start = day - day.weekday() * _A_DAY
        end = start + 7 * _A_DAY
    else:
        start = day.replace(day=1)
        end = (start + 32 * _A_DAY).replace(day=1)
    spans = wall_clock(start, end, zone)
    return Interval(spans[0].start, spans[-1].end)
