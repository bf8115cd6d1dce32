"""`soak`: the time a release has to run well in the leg before."""

from datetime import datetime, timedelta
from typing import Annotated, ClassVar, Literal

from pydantic import BeforeValidator, Field

from dogana.core.facts import Facts, Landing
from dogana.core.rules.base import Bound, Rule
from dogana.core.rules.case import Case
from dogana.core.rules.findings import Evidence, Finding, Outcome
from dogana.core.strictness import higher, rank
from dogana.core.time.forecast import Closing
from dogana.core.time.intervals import Interval
from dogana.core.words import lasting, listed, when


class SoakRule(Rule):
    """Landed and healthy in the leg before for at least so long."""

    heading = "Soak"

    texture: ClassVar[Literal["soak"]] = "soak"
    strictness = (
        higher("at_least", "at least {}"),
        rank("across", ("any", "all"), "in {} of the environments before"),
        higher("confirmed", "from when it is confirmed: {}"),
    )

    kind: Literal["soak"]
    at_least: Annotated[timedelta, Field(gt=timedelta(0), le=timedelta(days=365))]
    """How long it must have run there."""
    across: Literal["all", "any"] = "all"
    """Whether every environment of the leg before must have proven it, or one is enough."""
    confirmed: Annotated[Literal[True] | None, BeforeValidator(lambda value: value or None)] = None
    """Whether it counts only from when whom the policy there asks has confirmed that it is well."""

    def binds(self, facts: Facts) -> list[Bound]:
        """Since when it runs well where; that another took its place counts only where it came too early."""
        ran = [
            [
                leg.environment,
                *(str(one) for one in (leg.landed_at, leg.healthy_since)),
                self._short(leg),
                *([leg.issues] if leg.issues else []),
            ]
            for leg in facts.leg_before
        ]
        return [*super().binds(facts), ("before", ran)]

    def summary(self) -> str:
        """Its settings in few words."""
        where = f"in {'every' if self.across == 'all' else 'any'} leg before"
        return f"{lasting(self.at_least)} {where}{', once confirmed' if self.confirmed else ''}"

    def inspect(self, case: Case) -> Finding:
        """Unmet where it never landed or was replaced too early, pending while the time runs, met after."""
        if _goes_back(case.facts):
            because = "It goes back to where it has run, and never was in the leg before."
            return self.finding(Outcome.NOT_APPLICABLE, because)
        return self.at_first_leg(case) or self._judge(case)

    def _judge(self, case: Case) -> Finding:
        legs = case.facts.leg_before
        evidence = [Evidence(label=leg.title, value=_state(leg, case)) for leg in legs]
        ready = self._ready_at(legs)
        failing = [leg for leg in legs if self._done_at(leg) is None]
        unsaid = [leg for leg in failing if self._unsaid(leg)]
        if ready is None and unsaid and (self.across == "any" or unsaid == failing):
            where = listed([leg.title for leg in unsaid], "and" if self.across == "all" else "or")
            because = f"{case.facts.version} has landed in {where}; nobody has confirmed yet that it is well"
            return self.finding(Outcome.PENDING, f"{because}.", settled_by="people", evidence=evidence)
        if ready is None:
            return self.finding(
                Outcome.UNMET,
                listed([self._why(leg, case) for leg in failing]) + ".",
                settled_by="facts",
                evidence=evidence,
            )
        where = listed([leg.title for leg in legs], "and" if self.across == "all" else "or")
        wanted = f"at least {lasting(self.at_least)} is asked for"
        if case.at < ready:
            since = when(ready - self.at_least, case.zone)
            return self.finding(
                Outcome.PENDING,
                f"Runs well in {where} since {since}; {wanted}, up at {when(ready, case.zone)}.",
                settled_by="time",
                clears_at=ready,
                evidence=evidence,
            )
        ran = min((leg.replaced_at for leg in legs if leg.replaced_at), default=case.at)
        proven = lasting(max(ran, ready) - ready + self.at_least)
        return self.finding(
            Outcome.MET, f"Has run well in {where} for {proven}; {wanted}.", evidence=evidence
        )

    def closings(self, case: Case, horizon: Interval) -> list[Closing]:
        """From now until the soak is over, where that is known; at the earliest while nobody confirmed."""
        ready, name = self._ready_at(case.facts.leg_before), "the soak"
        if ready is None and any(map(self._unsaid, case.facts.leg_before)):
            ready, name = case.at + self.at_least, "the soak at the earliest"
        if _goes_back(case.facts):
            return []
        if ready is None or ready <= horizon.start:
            return []
        end = min(ready, horizon.end)
        return [Closing(rule=self.id, texture="soak", name=name, start=horizon.start, end=end)]

    def _ready_at(self, legs: tuple[Landing, ...]) -> datetime | None:
        """When the soak is or was over; None where it cannot be without landing anew."""
        done = [at for leg in legs if (at := self._done_at(leg)) is not None]
        if not done or (self.across == "all" and len(done) < len(legs)):
            return None
        return max(done) if self.across == "all" else min(done)

    def _done_at(self, leg: Landing) -> datetime | None:
        since = self._since(leg)
        return None if since is None or self._short(leg) else since + self.at_least

    def _since(self, leg: Landing) -> datetime | None:
        """From when it counts there: neither before it landed nor once it was closed with issues."""
        if leg.landed_at is None or leg.issues is not None:
            return None
        if leg.healthy_since is None or not self.confirmed:
            return leg.healthy_since
        return max(leg.healthy_since, leg.confirmed_at) if leg.confirmed_at else None

    def _unsaid(self, leg: Landing) -> bool:
        """Whether it runs well there as far as is known, and only that somebody says so is missing."""
        well = leg.healthy_since is not None and leg.landed_at is not None and leg.issues is None
        return well and leg.replaced_at is None and self._since(leg) is None

    def _short(self, leg: Landing) -> bool:
        """Whether another release took its place before it had run for so long."""
        since = self._since(leg)
        return leg.replaced_at is not None and since is not None and leg.replaced_at < since + self.at_least

    def _why(self, leg: Landing, case: Case) -> str:
        version = case.facts.version
        if leg.issues is not None:
            return f"{version} was closed with issues in {leg.title}: {leg.issues}"
        since = self._since(leg)
        if (
            leg.replaced_at is not None
            and since is not None
            and (not self.confirmed or since < leg.replaced_at)
        ):
            ran = lasting(leg.replaced_at - since)
            return (
                f"{version} was replaced in {leg.title} after {ran} of the {lasting(self.at_least)} asked for"
            )
        if leg.replaced_at is not None and leg.healthy_since is not None:
            return f"{version} was replaced in {leg.title} before anybody had confirmed it"
        return f"{version} is not running well in {leg.title}"


def _goes_back(facts: Facts) -> bool:
    """Whether it goes back to where it has run, and never was in the leg before."""
    return facts.kind == "rollback" and [leg.environment for leg in facts.leg_before] == [facts.target.id]


def _state(leg: Landing, case: Case) -> str:
    if leg.landed_at is None:
        return "not there"
    if leg.issues is not None:
        return f"landed {when(leg.landed_at, case.zone)}, closed with issues"
    if leg.healthy_since is None:
        return f"landed {when(leg.landed_at, case.zone)}, not healthy"
    until = f", until it was replaced {when(leg.replaced_at, case.zone)}" if leg.replaced_at else ""
    said = f", confirmed {when(leg.confirmed_at, case.zone)}" if leg.confirmed_at else ""
    return f"landed and healthy since {when(leg.healthy_since, case.zone)}{said}{until}"
