"""`evidence`: something named that came with the release, young enough, and saying what it should."""

from datetime import timedelta
from typing import Annotated, Literal

from pydantic import Field

from dogana.core.document import Slug
from dogana.core.expressions.program import NotComputedError, OfContent, context_of, holds
from dogana.core.facts import Report
from dogana.core.rules.base import Case, Evidence, Finding, Outcome, Rule
from dogana.core.rules.strictness import lower, same
from dogana.core.words import lasting, sentence, spoken, when

_SHOWN = 8


class Required(Rule):
    """A report, scan, plan summary or attestation that has to be there."""

    strictness = (
        same("name", "{} is asked for"),
        lower("not_older", "not older than {}"),
        same("holds", "it has to say {}"),
    )

    kind: Literal["evidence"]
    name: Slug
    """What the evidence is called."""
    not_older: Annotated[timedelta, Field(gt=timedelta(0), le=timedelta(days=3650))] | None = None
    """How old it may be; any age when left out."""
    holds: OfContent | None = None
    """CEL over `content`, its parsed content, and `now`; must be true."""
    otherwise: str = Field(default="", max_length=300)
    """What people read when it is not."""

    @property
    def _called(self) -> str:
        """Its name, to begin a sentence with."""
        return "The " + spoken(self.name)

    def inspect(self, case: Case) -> Finding:
        """Unmet where it is missing, too old, or says something else; unknown where it cannot be judged."""
        report = next((one for one in case.facts.evidence if one.name == self.name), None)
        if report is None:
            return self.finding(
                Outcome.UNMET,
                f"No {self.name.replace('-', ' ')} came with {case.facts.version}.",
                settled_by="facts",
            )
        evidence = _lines(report, case)
        age = case.at - report.produced_at
        if self.not_older is not None and age > self.not_older:
            return self.finding(
                Outcome.UNMET,
                f"{self._called} is {lasting(age)} old; it counts for {lasting(self.not_older)}.",
                settled_by="facts",
                evidence=evidence,
            )
        if self.holds is None:
            return self._met(f"{self._called} is there, made by {report.by}.", report, evidence)
        return self._judge(self.holds, report, evidence, case)

    def _judge(self, wanted: str, report: Report, evidence: list[Evidence], case: Case) -> Finding:
        evidence = [*evidence, Evidence(label="Condition", value=wanted)]
        try:
            context = context_of({"content": report.content, "now": case.at})
            good = holds(wanted, context, {}, _longest(report.content))
        except NotComputedError as exc:
            return self.finding(
                Outcome.UNKNOWN,
                sentence(f"{self._called} does not say what is asked of it: {exc}"),
                settled_by="facts",
                evidence=evidence,
            )
        if not good:
            because = self.otherwise or f"{self._called} does not say what it should"
            return self.finding(Outcome.UNMET, sentence(because), settled_by="facts", evidence=evidence)
        because = f"{self._called} says what it should, made {lasting(case.at - report.produced_at)} ago."
        return self._met(because, report, evidence)

    def _met(self, because: str, report: Report, evidence: list[Evidence]) -> Finding:
        """Met until the evidence is too old."""
        ends = report.produced_at + self.not_older if self.not_older else None
        return self.finding(Outcome.MET, because, evidence=evidence, holds_until=ends)


def _lines(report: Report, case: Case) -> list[Evidence]:
    """What it says, as far as it says it in single values."""
    made = Evidence(
        label="Made", value=f"{when(report.produced_at, case.zone)}, by {report.by}", link=report.link
    )
    plain = [(k, v) for k, v in report.content.items() if isinstance(v, str | int | float)]
    return [made, *(Evidence(label=k.replace("_", " "), value=str(v)) for k, v in plain[:_SHOWN])]


def _longest(value: object) -> int:
    """How long the longest list or object in some content is."""
    if isinstance(value, dict):
        return max(len(value), *map(_longest, value.values()), 0)
    if isinstance(value, list):
        return max(len(value), *map(_longest, value), 0)
    return 0
