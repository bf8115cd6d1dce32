"""`prepared`: the deployer has everything built, backed up and staged before it is cleared."""

from datetime import timedelta
from typing import Annotated, Literal

from pydantic import Field

from dogana.core.facts import in_the_future
from dogana.core.rules.base import Rule
from dogana.core.rules.case import Case
from dogana.core.rules.findings import Evidence, Finding, Outcome
from dogana.core.strictness import lower
from dogana.core.words import lasting, when


class PreparedRule(Rule):
    """Reported ready by its deployer, lately enough."""

    heading = "Made ready"

    strictness = (lower("within", "not longer than {} ago"),)

    kind: Literal["prepared"]
    within: Annotated[timedelta, Field(gt=timedelta(0), le=timedelta(days=60))] | None = None
    """How long it counts that everything was made ready; until departure when left out."""

    def summary(self) -> str:
        """Its settings in few words."""
        return f"within {lasting(self.within)}" if self.within else "reported by its deployer"

    def inspect(self, case: Case) -> Finding:
        """Pending until it is reported, and again once that is too long ago."""
        prepared = case.facts.prepared
        if prepared is None:
            because = "Its deployer has not reported that everything is ready."
            return self.finding(Outcome.PENDING, because, settled_by="facts")
        evidence = [Evidence(label=f"Reported by {prepared.by}", value=when(prepared.at, case.zone))]
        if in_the_future(prepared.at, case.at):
            because = f"It was reported ready {when(prepared.at, case.zone)}, which has not come yet."
            return self.finding(Outcome.UNKNOWN, because, settled_by="facts", evidence=evidence)
        ends = prepared.at + self.within if self.within is not None else None
        if ends is not None and case.at >= ends:
            ago = lasting(case.at - prepared.at)
            because = f"It was made ready {ago} ago; that counts for {lasting(ends - prepared.at)}."
            return self.finding(Outcome.PENDING, because, settled_by="facts", evidence=evidence)
        because = f"{prepared.by} has everything ready since {when(prepared.at, case.zone)}."
        return self.finding(Outcome.MET, because, evidence=evidence, holds_until=ends)
