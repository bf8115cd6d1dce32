"""`evidence`: something named that came with the release, young enough, and saying what it should."""

from datetime import timedelta
from typing import Annotated, Literal

from pydantic import Field

from dogana.core.document import Slug
from dogana.core.expressions.cost import Size
from dogana.core.expressions.program import (
    NotComputedError,
    OfContent,
    context_of,
    fields_asked_of,
    holds,
    names_in,
    refuse_too_much,
)
from dogana.core.expressions.view import Answer, size_of
from dogana.core.facts import Facts, Report, in_the_future
from dogana.core.kept_lists import cut_short
from dogana.core.rules.base import Bound, Reference, Rule
from dogana.core.rules.case import Case
from dogana.core.rules.findings import Evidence, Finding, Outcome
from dogana.core.strictness import lower, same, within
from dogana.core.words import lasting, listed, lower_first, sentence, spoken, when

_SHOWN = 8


class EvidenceRule(Rule):
    """A report, scan, plan summary or attestation that has to be there."""

    heading = "Evidence"

    strictness = (
        same("name", "{} is asked for"),
        lower("not_older", "not older than {}"),
        same("holds", "it has to say {}"),
        within("counts_from", "sent by {}"),
    )

    kind: Literal["evidence"]
    name: Slug
    """What the evidence is called."""
    not_older: Annotated[timedelta, Field(gt=timedelta(0), le=timedelta(days=3650))] | None = None
    """How old it may be; any age when left out."""
    senders: Annotated[tuple[Slug, ...], Field(min_length=1, max_length=20)] | None = None
    """The accounts from which it counts, by their ids; from any when left out."""
    holds: OfContent | None = None
    """CEL over `content`, its parsed content, and `now`; must be true."""
    otherwise: str = Field(default="", max_length=300)
    """What people read when it is not."""

    def binds(self, facts: Facts) -> list[Bound]:
        """The evidence of its name, and so its absence."""
        return [*super().binds(facts), ("evidence", self.name)]

    @property
    def counts_from(self) -> tuple[str, ...]:
        """The accounts from which it counts; from any where there is none."""
        return self.senders or ()

    def refers_to(self) -> list[Reference]:
        """Those accounts too."""
        accounts = [Reference("person", one, f"/senders/{n}") for n, one in enumerate(self.counts_from)]
        return [*super().refers_to(), *accounts]

    @property
    def _called(self) -> str:
        """Its name, to begin a sentence with."""
        return "The " + spoken(self.name)

    def summary(self) -> str:
        """Its settings in few words."""
        age = f", at most {lasting(self.not_older)} old" if self.not_older else ""
        return spoken(self.name) + age

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
        why = report.unknown
        if in_the_future(report.produced_at, case.at):
            why = f"it says it was made {when(report.produced_at, case.zone)}, which has not come yet"
        if report.overtaken:
            why = "another came after it that says it was made before; which of them holds cannot be told"
        if why is not None:
            return self.finding(
                Outcome.UNKNOWN,
                sentence(f"{self._called} cannot be relied on: {why}"),
                settled_by="facts",
                evidence=evidence,
            )
        if self.senders is not None and report.sender not in self.senders:
            return self._from_another(report, evidence, case)
        if self.not_older is not None and age > self.not_older:
            return self.finding(
                Outcome.UNMET,
                f"{self._called} is {lasting(age)} old; it counts for {lasting(self.not_older)}.",
                settled_by="facts",
                evidence=evidence,
            )
        if self.holds is None:
            return self._met(f"{self._called} is there, sent by {report.by}.", report, evidence)
        return self._judge(self.holds, report, evidence, case)

    def _from_another(self, report: Report, evidence: list[Evidence], case: Case) -> Finding:
        """Unmet where another account sent it; unknown where that was not kept."""
        those = listed([case.facts.name_of(one) for one in self.counts_from], "or")
        outcome, because = Outcome.UNMET, f"{self._called} was sent by {report.by}"
        if report.sender is None:
            what = lower_first(self._called)
            outcome, because = Outcome.UNKNOWN, f"it is not on record which account sent {what}"
        because = f"{because}; it counts from {those}"
        return self.finding(outcome, sentence(because), settled_by="facts", evidence=evidence)

    def _judge(self, wanted: str, report: Report, evidence: list[Evidence], case: Case) -> Finding:
        evidence = [*evidence, Evidence(label="Condition", value=wanted)]
        answer, why = _answer(wanted, report, case)
        if answer is None:
            return self.finding(
                Outcome.UNKNOWN,
                sentence(f"{self._called} does not say what is asked of it: {why}"),
                settled_by="facts",
                evidence=evidence,
            )
        if not answer:
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
    made = f"{when(report.produced_at, case.zone)}, as it says"
    claim = [Evidence(label="Made by, as it says", value=report.maker)] if report.maker else []
    plain = [(k, v) for k, v in sorted(report.content.items()) if isinstance(v, str | int | float)]
    return [
        Evidence(label="Sent by", value=report.by, link=report.link),
        Evidence(label="Made", value=made),
        *claim,
        *(Evidence(label=k.replace("_", " "), value=str(v)) for k, v in plain[:_SHOWN]),
    ]


def _answer(wanted: str, report: Report, case: Case) -> Answer:
    """What a condition gives of a report's content; kept with the facts where no clock moves it."""
    kept, key = case.facts.kept, ("content", report.name, wanted)
    if key in kept:
        known: Answer = kept[key]
        return known
    try:
        _refuse_cut(wanted, report)
        room = size_of(report.content)
        other = Size(max(_longest(report.content), 1), room, room)
        refuse_too_much(wanted, {"content": Size(1, room, room)}, other)
        answer: Answer = holds(wanted, context_of({"content": report.content, "now": case.at})), ""
    except NotComputedError as exc:
        answer = None, str(exc)
    if "now" not in names_in(wanted):
        kept[key] = answer
    return answer


def _refuse_cut(wanted: str, report: Report) -> None:
    """See that a condition looks at nothing of which only the first are there: the others may be otherwise.

    Raises:
        NotComputedError: when it does.
    """
    asked = fields_asked_of(wanted, "content")
    for name, why in cut_short(report.content).items():
        if asked is None or name in asked:
            raise NotComputedError(f"it {why}")


def _longest(value: object) -> int:
    """How long the longest list or object in some content is."""
    if isinstance(value, dict):
        return max(len(value), *map(_longest, value.values()), 0)
    if isinstance(value, list):
        return max(len(value), *map(_longest, value), 0)
    return 0
