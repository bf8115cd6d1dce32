"""`notice`: time between the request and the earliest start, and the least length of the slot."""

from datetime import datetime, timedelta
from typing import Annotated, ClassVar, Literal, Self

from pydantic import Field, model_validator

from dogana.core.rules.base import Rule
from dogana.core.rules.case import Case
from dogana.core.rules.findings import Finding, Outcome
from dogana.core.rules.seating import last_seated
from dogana.core.strictness import higher, lower, rank
from dogana.core.time.forecast import Closing, forecast
from dogana.core.time.intervals import Interval
from dogana.core.words import lasting, when

_NONE = timedelta(0)
_LOOK_AHEAD = timedelta(days=45)
Span = Annotated[timedelta, Field(ge=_NONE, le=timedelta(days=60))]


class NoticeRule(Rule):
    """Asked for early enough, and with room enough to go."""

    heading = "Notice"

    texture: ClassVar[Literal["notice"]] = "notice"
    strictness = (
        higher("at_least", "at least {} of notice"),
        rank("after", ("request", "approval"), "counted from the {}"),
        lower("at_most", "at most {} after the request"),
        higher("slot", "a slot of {}"),
    )

    kind: Literal["notice"]
    at_least: Span = _NONE
    """The least time to the start, from what `after` names."""
    after: Literal["request", "approval"] = "request"
    """Whether notice is counted from the request, or from when the last seat was taken."""
    at_most: Span | None = None
    """The longest: what has not started by then must be asked for anew."""
    slot: Span = _NONE
    """The least open time that must lie ahead at the start."""

    @model_validator(mode="after")
    def _asks_for_something(self) -> Self:
        if not self.at_least and self.at_most is None and not self.slot:
            raise ValueError("give at_least, at_most or slot")
        if self.at_most is not None and self.at_most <= self.at_least:
            raise ValueError("at_most must be longer than at_least")
        return self

    def open_ahead(self) -> timedelta:
        """Its slot."""
        return self.slot or timedelta(0)

    def summary(self) -> str:
        """Its settings in few words."""
        parts = [f"{lasting(self.at_least)} ahead"] if self.at_least else []
        parts += [f"a slot of {lasting(self.slot)}"] if self.slot else []
        parts += [f"within {lasting(self.at_most)}"] if self.at_most else []
        return ", ".join(parts)

    def inspect(self, case: Case) -> Finding:
        """Pending until the notice is over and the slot fits; unmet once it is too late."""
        asked = case.facts.requested_at
        if self.at_most is not None and case.at >= asked + self.at_most:
            late = when(asked + self.at_most, case.zone)
            return self.finding(
                Outcome.UNMET, f"Should have started before {late}; ask for it anew.", settled_by="facts"
            )
        since = self._since(case)
        if since is None:
            return self.finding(
                Outcome.PENDING,
                f"{lasting(self.at_least)} of notice begin once every seat is taken.",
                settled_by="people",
            )
        ready = since + self.at_least
        if case.at < ready:
            began = "Asked for" if self.after == "request" else "Approved"
            return self.finding(
                Outcome.PENDING,
                f"{began} {when(since, case.zone)}; {lasting(self.at_least)} of notice are up at "
                f"{when(ready, case.zone)}.",
                settled_by="time",
                clears_at=ready,
            )
        return self._slot_fits(case)

    def _since(self, case: Case) -> datetime | None:
        """From when notice is counted; None while a seat is open."""
        return case.facts.requested_at if self.after == "request" else last_seated(case)

    def _slot_fits(self, case: Case) -> Finding:
        horizon = Interval(case.at, case.at + _LOOK_AHEAD)
        ahead = Interval(case.at, horizon.end + self.slot)
        start = (
            forecast(case.closings(ahead, but=self), horizon, self.slot).first_start if self.slot else None
        )
        if self.slot and start != case.at:
            at = f"; the first is {when(start, case.zone)}" if start else ""
            return self.finding(
                Outcome.PENDING,
                f"No slot of {lasting(self.slot)} begins now{at}.",
                settled_by="time",
                clears_at=start,
            )
        room = f"; {lasting(self.slot)} lie open ahead" if self.slot else ""
        return self.finding(Outcome.MET, f"Asked for {lasting(case.at - case.facts.requested_at)} ago{room}.")

    def closings(self, case: Case, horizon: Interval) -> list[Closing]:
        """From now until the notice is over, and after it has run out."""
        out = []
        asked, since = case.facts.requested_at, self._since(case) or case.at
        spans: list[tuple[datetime, datetime]] = [(horizon.start, since + self.at_least)]
        if self.at_most is not None:
            spans.append((asked + self.at_most, horizon.end))
        for start, end in spans:
            part = Interval(start, max(start, end)).clip(horizon)
            if part:
                out.append(
                    Closing(rule=self.id, texture="notice", name="the notice", start=part.start, end=part.end)
                )
        return out
