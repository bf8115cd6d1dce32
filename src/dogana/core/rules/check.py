"""`check`: an outside system was asked about the promotion, and says that it passes."""

from datetime import datetime, timedelta
from typing import Annotated, Literal

from pydantic import Field

from dogana.core.document import Slug
from dogana.core.facts import CheckAnswer, Facts, in_the_future
from dogana.core.rules.base import Bound, Reference, Rule
from dogana.core.rules.case import Case
from dogana.core.rules.findings import Evidence, Finding, Outcome
from dogana.core.strictness import lower, same
from dogana.core.words import lasting, sentence, spoken, when


class CheckRule(Rule):
    """The answer of an outside system that is asked what it says of what comes in, anew once that changes."""

    heading = "Outside check"

    strictness = (same("check", "{} is asked"), lower("answers_within", "silence is unknown after {}"))

    kind: Literal["check"]
    check: Slug
    """The sender whose answer counts; it is asked where a subscriber has the same name."""
    answers_within: Annotated[timedelta, Field(gt=timedelta(0), le=timedelta(days=7))] = timedelta(minutes=30)
    """How long it may say nothing, since it was asked or last said that it is at work."""

    def summary(self) -> str:
        """Its settings in few words."""
        return f"{spoken(self.check)}, within {lasting(self.answers_within)}"

    def refers_to(self) -> list[Reference]:
        """The sender that answers, besides what every rule names."""
        return [*super().refers_to(), Reference("sender", self.check, "/check")]

    def binds(self, facts: Facts) -> list[Bound]:
        """What it is asked about; never the answer, which holds or lets go by itself whenever it comes."""
        return [*super().binds(facts), ("runs", {facts.service: facts.runs.get(facts.service)})]

    def outside_check(self) -> str | None:
        """What is asked."""
        return self.check

    def asks_anew(self, facts: Facts, at: datetime) -> bool:
        """Where nothing was asked of this, and where an answer has ended; silence is not asked again."""
        said = self._said(facts)
        if said is None or said.about != facts.asked_about:
            return True
        return said.result in ("passed", "failed") and self._over(said, at) is not None

    def inspect(self, case: Case) -> Finding:
        """Met by an answer that it passes, while that counts; whatever else came, or did not, never is."""
        said = self._said(case.facts)
        if said is None or said.about != case.facts.asked_about:
            return self._found(Outcome.UNKNOWN, f"the {spoken(self.check)} check has not been asked yet", [])
        lines = _lines(said, case)
        why = self._why_unknown(said, case)
        if why is not None:
            return self._found(Outcome.UNKNOWN, why, lines)
        because = f": {said.reason}" if said.reason else ""
        match said.result:
            case "passed":
                found = self._found(Outcome.MET, f"{said.title} lets it pass{because}", lines)
                return found.model_copy(update={"holds_until": self._ends(said)})
            case "failed":
                return self._found(Outcome.UNMET, f"{said.title} does not let it pass{because}", lines)
            case "running":
                return self._found(Outcome.PENDING, f"{said.title} is still at work{because}", lines)
        ago = lasting(case.at - said.asked_at)
        return self._found(Outcome.PENDING, f"{said.title} was asked {ago} ago and has not answered", lines)

    def _said(self, facts: Facts) -> CheckAnswer | None:
        return next((one for one in facts.checks or () if one.check == self.check), None)

    def _why_unknown(self, said: CheckAnswer, case: Case) -> str | None:
        """Why what it said, or that it said nothing, tells nothing now; None where it does."""
        if said.title is None:
            return f"nobody is set up to answer as {said.check}"
        heard = said.answered_at or said.asked_at
        if in_the_future(heard, case.at):
            return f"the answer of {said.title} is dated {when(heard, case.zone)}, which has not come yet"
        if said.result is not None and (why := _why_no_answer(said, case.facts)):
            return why
        if said.result is None and said.trouble is not None:
            return f"{said.title} could not be asked: {said.trouble}"
        if said.result in (None, "running") and case.at - heard > self.answers_within:
            ago, most = lasting(case.at - heard), lasting(self.answers_within)
            return f"{said.title} has said nothing for {ago}; that counts for {most}"
        return self._over(said, case.at)

    def _over(self, said: CheckAnswer, at: datetime) -> str | None:
        """Why an answer counts no longer; None while it does."""
        if said.answered_at is None:
            return None
        if said.until is not None and at >= said.until:
            return (
                f"the answer of {said.title} counted for {lasting(said.until - said.answered_at)} and is over"
            )
        if said.result != "running" and self.fresh is not None and at >= said.answered_at + self.fresh:
            ago = lasting(at - said.answered_at)
            return f"{said.title} answered {ago} ago; an answer counts for {lasting(self.fresh)}"
        return None

    def _ends(self, said: CheckAnswer) -> datetime | None:
        """When an answer stops to count."""
        grown_old = said.answered_at + self.fresh if said.answered_at and self.fresh else None
        return min((end for end in (said.until, grown_old) if end is not None), default=None)

    def _found(self, outcome: Outcome, because: str, lines: list[Evidence]) -> Finding:
        settled_by: Literal["facts"] | None = "facts" if outcome.stands_in_the_way else None
        found = self.finding(outcome, sentence(because), settled_by=settled_by, evidence=lines)
        return found.model_copy(update={"check": self.check})


def _why_no_answer(said: CheckAnswer, facts: Facts) -> str | None:
    """Why what came does not count, whatever it says; None where it is known by whom and when it was said."""
    if why := _why_not_from(said.by, facts):
        return f"{said.title} was answered by {why}"
    return f"it is not on record when {said.title} answered" if said.answered_at is None else None


def _why_not_from(person: str | None, facts: Facts) -> str | None:
    """Why an answer does not count from somebody; None where they are known to have no part in it."""
    if person is None:
        return "nobody who is on record"
    name, wrote = facts.name_of(person), facts.author_ids
    if person == facts.requester:
        return f"{name}, who asked for the promotion"
    if wrote is None:
        return f"{name}, who may have written part of it: the change could not be read"
    return f"{name}, who wrote part of it" if person in wrote else None


def _lines(said: CheckAnswer, case: Case) -> list[Evidence]:
    """When it was asked and answered, by whom, and where more stands."""
    lines = [Evidence(label="Asked", value=when(said.asked_at, case.zone))]
    if said.answered_at is not None:
        by = f" by {case.facts.name_of(said.by)}" if said.by else ""
        told = f"{when(said.answered_at, case.zone)}{by}"
        lines.append(Evidence(label="Answered", value=told, link=said.link))
    if said.until is not None:
        lines.append(Evidence(label="Counts until", value=when(said.until, case.zone)))
    return lines
