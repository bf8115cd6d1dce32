"""The inspection itself."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from dogana.core.decisions import Decisions, Shown
from dogana.core.facts import Facts
from dogana.core.inspect.sheet import Sheet, Verdict
from dogana.core.policy.document import Policy
from dogana.core.record.canonical import digest
from dogana.core.rules.base import SET_START, Case, Finding, Outcome, Rule
from dogana.core.rules.evidence import Required
from dogana.core.rules.notice import Notice
from dogana.core.time.forecast import HORIZON, Forecast, forecast
from dogana.core.time.intervals import Interval
from dogana.core.words import counted, listed, number, when

_SOON = timedelta(days=4)


def inspect(policy: Policy, facts: Facts, decisions: Decisions, at: datetime) -> Sheet:
    """Hold one promotion against its policy at an instant.

    Args:
        policy: the version in force.
        facts: what is known, whenever it was read.
        decisions: what people said, in order.
        at: the instant asked about; aware.

    Returns:
        One finding for each rule in the policy's order, the verdict, and the forecast over 14 days.
    """
    shown = what_is_shown(policy, facts)
    judged = judge(Case(facts, decisions, shown, at.astimezone(UTC), policy.rules, policy.zone), policy.rules)
    ahead = judged.ahead()
    return Sheet(
        at=judged.case.at,
        policy=judged.case.shown.policy,
        facts=facts.digest,
        decisions=digest(decisions),
        findings=judged.findings,
        verdict=judged.verdict,
        sentence=judged.sentence(ahead),
        forecast=ahead,
        shown=judged.case.shown,
    )


@dataclass(frozen=True, kw_only=True)
class Judged:
    """The findings of one inspection and what they come to; the forecast costs as much again."""

    case: Case
    findings: tuple[Finding, ...]
    verdict: Verdict

    def ahead(self) -> Forecast:
        """The forecast over 14 days."""
        return _ahead(self.case, HORIZON, timedelta(0))

    def ahead_to_start(self) -> Forecast:
        """The forecast to the first start that time allows; goes no further than it has to for that."""
        slot = _slot(self.case)
        soon = _ahead(self.case, _SOON, slot)
        found = soon.first_start
        return soon if found and found + slot <= soon.end else self.ahead()

    def sentence(self, ahead: Forecast) -> str:
        """The one line that stands on the desk, in mail and on a pipeline's console."""
        return _sentence(self.verdict, self.findings, ahead, self.case.zone)


def judge(case: Case, rules: Sequence[Rule]) -> Judged:
    """One finding for each of some rules of the case, and one for a set start that is still ahead."""
    findings = (*(rule.finding_for(case) for rule in rules), *_set_start(case))
    return Judged(case=case, findings=findings, verdict=verdict_of(findings))


def _set_start(case: Case) -> tuple[Finding, ...]:
    start = case.facts.not_before
    if start is None or start <= case.at:
        return ()
    because = f"It was put off until {when(start, case.zone)}."
    return (
        Finding(
            rule=SET_START,
            kind=SET_START,
            title="Goes when it was set to",
            outcome=Outcome.PENDING,
            because=because,
            settled_by="time",
            clears_at=start,
        ),
    )


def look_ahead(
    policy: Policy,
    facts: Facts,
    decisions: Decisions,
    at: datetime,
    *,
    horizon: timedelta = HORIZON,
    slot: timedelta = timedelta(0),
) -> Forecast:
    """When a promotion could go within a horizon, with at least a slot of open time ahead of its start."""
    at = at.astimezone(UTC)
    case = Case(facts, decisions, what_is_shown(policy, facts), at, policy.rules, policy.zone)
    return _ahead(case, horizon, slot)


def _ahead(case: Case, horizon: timedelta, slot: timedelta) -> Forecast:
    within = Interval(case.at, case.at + horizon)
    return forecast(case.closings(within), within, max(slot, _slot(case)))


def _slot(case: Case) -> timedelta:
    """How much open time its policy asks for ahead of a start."""
    asked = (rule.slot for rule in case.rules if isinstance(rule, Notice) and case.concerned_by(rule))
    return max(asked, default=timedelta(0))


def verdict_of(findings: Sequence[Finding]) -> Verdict:
    """Barred if any is unmet; cleared if none stands in the way; else held. Unknown never clears."""
    outcomes = {finding.outcome for finding in findings}
    if Outcome.UNMET in outcomes:
        return Verdict.BARRED
    if outcomes <= {Outcome.MET, Outcome.WAIVED, Outcome.NOT_APPLICABLE}:
        return Verdict.CLEARED
    return Verdict.HELD


def what_is_shown(policy: Policy, facts: Facts) -> Shown:
    """Digests of the parts of a promotion that an approval is bound to."""
    names = frozenset(rule.name for rule in policy.rules if isinstance(rule, Required))
    return Shown(policy=policy.digest, evidence=facts.evidence_digest(names), **facts.part_digests)


def _sentence(verdict: Verdict, findings: Sequence[Finding], ahead: Forecast, zone: str) -> str:
    if verdict is Verdict.CLEARED:
        return "Cleared: nothing stands in its way."
    if verdict is Verdict.BARRED:
        unmet = [f.because for f in findings if f.outcome is Outcome.UNMET]
        more = f" And {counted(len(unmet) - 1, 'rule')} more." if len(unmet) > 1 else ""
        return unmet[0] + more
    parts = [f.because for f in findings if f.outcome is Outcome.UNKNOWN]
    parts += [f.because for f in findings if f.outcome is Outcome.PENDING and f.settled_by == "facts"]
    open_seats = [s for f in findings for s in f.seats if s.taken_by is None]
    seats = [s for f in findings for s in f.seats]
    if open_seats:
        asked = listed(list(dict.fromkeys(seat.label for seat in open_seats)))
        if len(seats) == len(open_seats):
            parts.append(f"Waits for {counted(len(seats), 'seat')} ({asked}).")
        else:
            parts.append(f"Waits for {number(len(open_seats))} of {counted(len(seats), 'seat')} ({asked}).")
    waits = [f for f in findings if f.outcome is Outcome.PENDING and f.settled_by == "time"]
    if ahead.first_start is None:
        parts.append("Closed for the next 14 days.")
    elif waits:
        reasons = listed(list(dict.fromkeys(_closed_by(ahead))))
        held = f"Held by {reasons} until" if reasons else "Opens"
        parts.append(f"{held} {when(ahead.first_start, zone)}.")
    return " ".join(parts)


def _closed_by(ahead: Forecast) -> list[str]:
    """What closes the stretch that begins now."""
    first = ahead.first_start
    return [c.name for c in ahead.closings if first is not None and c.start < first]
