"""`sameness`: what goes in is, byte for byte, what landed in the leg before."""

from typing import Literal

from dogana.core.facts import Artifact, Facts
from dogana.core.rules.base import Bound, Rule
from dogana.core.rules.case import Case
from dogana.core.rules.findings import Evidence, Finding, Outcome
from dogana.core.words import counted, listed

_SHORT = 19


class SamenessRule(Rule):
    """Artifact digests equal to those that landed in the leg before."""

    heading = "Same bytes"

    kind: Literal["sameness"]

    def binds(self, facts: Facts) -> list[Bound]:
        """Which bytes landed where."""
        landed = [
            [leg.environment, leg.landed_at is not None, [one.identity() for one in leg.artifacts]]
            for leg in facts.leg_before
        ]
        return [*super().binds(facts), ("before", landed)]

    def inspect(self, case: Case) -> Finding:
        """Unmet names every artifact that differs, is missing or is new."""
        return self.at_first_leg(case) or self._judge(case)

    def _judge(self, case: Case) -> Finding:
        legs = case.facts.leg_before
        landed = [leg for leg in legs if leg.landed_at is not None]
        if not landed:
            return self.finding(
                Outcome.UNMET,
                f"{case.facts.version} has not landed in {listed([leg.title for leg in legs], 'or')}.",
                settled_by="facts",
            )
        here = {artifact.name: artifact for artifact in case.facts.artifacts}
        evidence = [Evidence(label=name, value=_short(artifact)) for name, artifact in sorted(here.items())]
        faults: list[str] = []
        for leg in landed:
            before = {artifact.name: artifact for artifact in leg.artifacts}
            faults += [f"{name} is not in {leg.title}" for name in sorted(here.keys() - before.keys())]
            faults += [f"{name} of {leg.title} is missing" for name in sorted(before.keys() - here.keys())]
            for name in sorted(here.keys() & before.keys()):
                if here[name].digest != before[name].digest:
                    faults.append(f"{name} differs from what landed in {leg.title}")
                    then, now = _short(before[name]), _short(here[name])
                    evidence.append(Evidence(label=f"{name} in {leg.title}", value=then, wanted=now))
        if faults:
            because = f"{listed(faults)}."
            return self.finding(Outcome.UNMET, because, settled_by="facts", evidence=evidence)
        where = listed([leg.title for leg in landed])
        return self.finding(
            Outcome.MET,
            f"Byte for byte what landed in {where} ({counted(len(here), 'artifact')}).",
            evidence=evidence,
        )


def _short(artifact: Artifact) -> str:
    return f"{artifact.digest[:_SHORT]}\u2026"
