"""`needs`: other services at least at a version in the same environment first."""

from typing import Literal, Self

from pydantic import Field, model_validator

from dogana.core.document import Document, Slug
from dogana.core.facts import Facts
from dogana.core.rules.base import Bound, Rule
from dogana.core.rules.case import Case
from dogana.core.rules.findings import Evidence, Finding, Outcome
from dogana.core.rules.versions import AVersion
from dogana.core.strictness import higher, keyed, refuse_twice
from dogana.core.versions import Version
from dogana.core.words import listed, spoken


class Need(Document):
    """One service that must be there."""

    service: Slug
    at_least: AVersion
    """The oldest version that will do."""


class NeedsRule(Rule):
    """What must run beside it first."""

    heading = "What must run there"

    strictness = (keyed("services", "service", (higher("at_least", "at least {}", Version),)),)

    kind: Literal["needs"]
    services: tuple[Need, ...] = Field(min_length=1, max_length=50)
    """What must run in the target, each at its version or a later one."""

    @model_validator(mode="after")
    def _distinct_services(self) -> Self:
        refuse_twice([one.service for one in self.services], "services")
        return self

    def binds(self, facts: Facts) -> list[Bound]:
        """Which versions of those services run there."""
        runs = {one.service: facts.runs.get(one.service) for one in self.services}
        return [*super().binds(facts), ("runs", runs)]

    def summary(self) -> str:
        """Its settings in few words."""
        return listed([f"{spoken(one.service)} {one.at_least}" for one in self.services])

    def inspect(self, case: Case) -> Finding:
        """Unmet names every service that is missing or too old; unknown where versions cannot be compared."""
        where = case.facts.target.title
        evidence, missing, unknown = [], [], []
        for need in self.services:
            runs = case.facts.runs.get(need.service)
            good = runs is not None and _new_enough(runs, need.at_least)
            wanted = None if good else f"at least {need.at_least}"
            name = case.facts.service_name(need.service)
            evidence.append(Evidence(label=name, value=runs or "not there", wanted=wanted))
            if good is None:
                unknown.append(
                    f"{name} is at {runs} in {where}, which cannot be compared with {need.at_least}"
                )
            elif not good:
                state = f"is at {runs}" if runs else "does not run"
                missing.append(f"{name} {state} in {where}; should be at least {need.at_least}")
        if missing:
            return self.finding(Outcome.UNMET, f"{listed(missing)}.", settled_by="facts", evidence=evidence)
        if unknown:
            return self.finding(Outcome.UNKNOWN, f"{listed(unknown)}.", settled_by="facts", evidence=evidence)
        there = listed([f"{one.label} {one.value}" for one in evidence])
        verb = "runs" if len(self.services) == 1 else "run"
        return self.finding(Outcome.MET, f"{there} {verb} in {where}.", evidence=evidence)


def _new_enough(runs: str, wanted: str) -> bool | None:
    """None where what runs is no version that could be compared."""
    try:
        return Version(runs) >= Version(wanted)
    except ValueError:
        return None
