"""`condition`: an expression of one's own, with a message of one's own."""

from datetime import timedelta
from typing import Literal

from pydantic import Field

from dogana.core.expressions.program import Condition
from dogana.core.rules.base import Age, Rule
from dogana.core.rules.case import Case
from dogana.core.rules.findings import Evidence, Finding, Outcome
from dogana.core.strictness import same
from dogana.core.words import sentence


class ConditionRule(Rule):
    """Whatever the other kinds do not ask for."""

    heading = "Own conditions"

    strictness = (same("holds", "{} has to hold"),)

    kind: Literal["condition"]
    holds: Condition
    """CEL over the facts; must be true."""
    otherwise: str = Field(min_length=1, max_length=300)
    """What people read when it is not."""
    fresh: Age = timedelta(hours=1)
    """How old what it looks at may be before it counts as unknown."""

    def expressions(self) -> tuple[str, ...]:
        """Its own condition beside the one it may apply under."""
        return (*super().expressions(), self.holds)

    def summary(self) -> str:
        """Its settings in few words."""
        return self.holds

    def inspect(self, case: Case) -> Finding:
        """Unmet with the message, unknown where a fact it names could not be read."""
        evidence = [Evidence(label="Condition", value=self.holds)]
        old = case.too_old(self.holds, self.fresh)
        holds, why = (None, old) if old else case.ask(self.holds)
        if holds is None:
            return self.finding(
                Outcome.UNKNOWN,
                sentence(f"it cannot be told whether this holds: {why}"),
                settled_by="facts",
                evidence=evidence,
            )
        if not holds:
            return self.finding(
                Outcome.UNMET, sentence(self.otherwise), settled_by="facts", evidence=evidence
            )
        return self.finding(Outcome.MET, "The condition holds.", evidence=evidence)
