"""`rollout`: limits on how a release goes in, held against the plan it was asked for with."""

from collections.abc import Iterator, Sequence
from datetime import timedelta
from itertools import pairwise
from typing import Literal, Self

from pydantic import Field, model_validator

from dogana.core.health.watches import LevelWatch, Watch
from dogana.core.rollout import ALL, AT_ONCE, Hold, OnBreach, OnIncident, Plan, Share, Step, WithoutData
from dogana.core.rules.base import Charted, Rule
from dogana.core.rules.case import Case
from dogana.core.rules.findings import Evidence, Finding, Outcome
from dogana.core.strictness import Difference, Order, higher, keyed, lower, rank, refuse_twice, same
from dogana.core.words import counted, lasting, listed, sentence

_ON_BREACH: tuple[OnBreach, ...] = ("halt", "roll back")
_WITHOUT_DATA: tuple[WithoutData, ...] = ("go on", "halt", "roll back")


def _as_watched(first: Watch, second: Watch) -> Iterator[Difference]:
    """By what their kind compares; of two kinds neither is stricter."""
    if type(first) is not type(second):
        says = f"watches {second.kind or 'level'} instead of {first.kind or 'level'}"
        yield Difference(Order.INCOMPARABLE, says)
        return
    for aspect in (*first.aspects, same("source", "of {}"), higher("confidence", "confidence is {}")):
        yield from aspect(first, second)


class RolloutRule(Rule):
    """How fast and how wide a release may go in."""

    heading = "Rollout"

    strictness = (
        lower("first_share", "the first share is {} %"),
        lower("largest_step", "the largest step is {} points"),
        higher("least_hold", "each step holds {}"),
        keyed("watch", "name", (_as_watched,)),
        rank("on_breach", _ON_BREACH, "a breach means {}"),
        rank("without_data", _WITHOUT_DATA, "no data means {}"),
        rank("on_incident", _WITHOUT_DATA, "an incident means {}"),
    )

    kind: Literal["rollout"]
    first_share: Share = ALL
    """The most that may get it first, in percent."""
    largest_step: Share = ALL
    """The most by which the share may grow from step to step, in percentage points."""
    least_hold: Hold = timedelta(0)
    """How long each share but the last must be held at least."""
    watch: tuple[Watch, ...] = Field(default=(), max_length=20)
    """The monitors that must stay on."""
    on_breach: OnBreach = "halt"
    """What a breach must bring about at least."""
    without_data: WithoutData = "halt"
    """What missing data must bring about at least."""
    on_incident: OnIncident | None = None
    """What an incident must bring about at least; whatever the plan says when left out."""

    @model_validator(mode="after")
    def _distinct_names(self) -> Self:
        refuse_twice([one.name for one in self.watch], "monitors")
        return self

    def summary(self) -> str:
        """Its settings in few words."""
        return (
            f"{self.first_share} % first, each step {lasting(self.least_hold)}, "
            f"{counted(len(self.watch), 'monitor')}"
        )

    def watches(self) -> tuple[Watch, ...]:
        """The monitors that must stay on."""
        return self.watch

    def charted(self) -> list[Charted]:
        """The levels among its monitors; what is counted is drawn with each course."""
        return [
            Charted(one.name, one.query, one.source, one.at_most, one.at_least)
            for one in self.watch
            if isinstance(one, LevelWatch)
        ]

    def quickest_plan(self, rules: Sequence[Rule]) -> Plan:
        """The quickest that it and all others of its kind let pass."""
        return quickest([one for one in rules if isinstance(one, RolloutRule)])

    def inspect(self, case: Case) -> Finding:
        """Unmet when the plan goes faster, wider or less watched; offers the quickest that passes."""
        plan = case.facts.plan or AT_ONCE
        evidence = [Evidence(label="Plan", value=plan.in_words())]
        if plan.watch:
            evidence.append(Evidence(label="Watched", value=listed(plan.watch)))
        faults = self.faults(plan)
        if not faults:
            return self.finding(
                Outcome.MET, f"Goes in within the limits: {plan.in_words()}.", evidence=evidence
            )
        offered = quickest(
            [one for one in case.rules if isinstance(one, RolloutRule) and self._beside(one, case)]
        )
        watched = f", watching {listed(offered.watch)}" if offered.watch else ""
        evidence.append(Evidence(label="Would pass", value=offered.in_words() + watched))
        because = sentence(f"{listed(faults)}; {offered.in_words()} would pass")
        return self.finding(Outcome.UNMET, because, settled_by="facts", evidence=evidence)

    def _beside(self, other: "RolloutRule", case: Case) -> bool:
        """Whether a plan offered has to pass another rule as well."""
        return other is self or (not other.advisory and case.concerned_by(other))

    def faults(self, plan: Plan) -> list[str]:
        """What of a plan the limits do not let pass, in words."""
        out = []
        first = plan.steps[0].share
        if first > self.first_share:
            out.append(f"the plan begins with {first} %, at most {self.first_share} % may get it first")
        widest = max((after.share - before.share for before, after in pairwise(plan.steps)), default=0)
        if widest > self.largest_step:
            out.append(f"it grows by {widest} points at once, at most {self.largest_step} are let in")
        shortest = min((step.hold for step in plan.steps[:-1]), default=self.least_hold)
        if shortest < self.least_hold:
            out.append(
                f"it holds a step for {lasting(shortest)}, at least {lasting(self.least_hold)} is asked for"
            )
        missing = [watch.name for watch in self.watch if watch.name not in plan.watch]
        if missing:
            out.append(f"nothing watches {listed(missing)}")
        if _ON_BREACH.index(plan.on_breach) < _ON_BREACH.index(self.on_breach):
            out.append(f"a breach would {plan.on_breach}, it must {self.on_breach}")
        if _WITHOUT_DATA.index(plan.without_data) < _WITHOUT_DATA.index(self.without_data):
            out.append(f"without data it would {plan.without_data}, it must {self.without_data}")
        asked = _WITHOUT_DATA.index(self.on_incident or "go on")
        if _WITHOUT_DATA.index(plan.on_incident or "halt") < asked:
            out.append(f"an incident would {plan.on_incident or 'halt'}, it must {self.on_incident}")
        return out


def quickest(rules: Sequence[RolloutRule]) -> Plan:
    """The quickest and widest plan within the limits of every rule.

    Args:
        rules: one or more.
    """
    first, largest = min(rule.first_share for rule in rules), min(rule.largest_step for rule in rules)
    hold = max(rule.least_hold for rule in rules)
    shares = [min(first, ALL)]
    while shares[-1] < ALL:
        shares.append(min(shares[-1] + largest, ALL))
    steps = [Step(share=share, hold=hold if share < ALL else timedelta(0)) for share in shares]
    return Plan(
        steps=tuple(steps),
        watch=tuple(dict.fromkeys(watch.name for rule in rules for watch in rule.watch)),
        on_breach=max((rule.on_breach for rule in rules), key=_ON_BREACH.index),
        without_data=max((rule.without_data for rule in rules), key=_WITHOUT_DATA.index),
        on_incident=max(
            (rule.on_incident for rule in rules if rule.on_incident), key=_WITHOUT_DATA.index, default=None
        ),
    )
