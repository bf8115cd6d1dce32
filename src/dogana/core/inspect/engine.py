"""The inspection itself."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from functools import lru_cache
from itertools import pairwise
from typing import Any

from dogana.core.decisions import Decisions, Shown
from dogana.core.facts import Facts
from dogana.core.inspect.sheet import Sheet, Verdict
from dogana.core.policy.comparison import compared
from dogana.core.policy.document import Policy, policy_of
from dogana.core.record.canonical import canonical, digest, digest_of_plain
from dogana.core.rules.base import Rule
from dogana.core.rules.case import Case
from dogana.core.rules.findings import Finding, Outcome
from dogana.core.rules.standing import standing_rules
from dogana.core.strictness import Order
from dogana.core.time.forecast import HORIZON, Forecast, forecast, succeeded
from dogana.core.time.intervals import Interval
from dogana.core.words import counted, listed, number, when

# Nearly every start lies within these; only where none does is it worth looking as far as all 14 days.
_SOON = timedelta(days=4)


class UninheritedError(ValueError):
    """The policy names a baseline whose rules are not in it: nobody could tell what it asks for."""

    def __init__(self, baseline: str) -> None:
        super().__init__(
            f"the policy inherits from {baseline}; without that baseline it cannot be held against"
        )


def inspect(policy: Policy, facts: Facts, decisions: Decisions, at: datetime) -> Sheet:
    """Hold one promotion against its policy at an instant.

    Args:
        policy: the version in force, with what its baseline asks for.
        facts: what is known, whenever it was read.
        decisions: what people said, in order.
        at: the instant asked about; aware.

    Returns:
        One finding for each rule in the policy's order, then those that hold whatever a policy says; the
        verdict; and the forecast over 14 days.

    Raises:
        UninheritedError: for a policy without its baseline.
    """
    case = case_of(policy, facts, decisions, at)
    judged = judge(case, case.rules)
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


def case_of(policy: Policy, facts: Facts, decisions: Decisions, at: datetime) -> Case:
    """One promotion at one instant, as every rule sees it.

    Raises:
        UninheritedError: for a policy without its baseline.
    """
    if policy.inherits is not None:
        raise UninheritedError(policy.inherits)
    at = at.astimezone(UTC)
    rules = (*policy.rules, *standing_rules(facts, at))
    under = {
        name: what_is_shown(earlier, facts)
        for name, text in sorted(decisions.earlier.items())
        if (earlier := policy_of(text)).digest == name and _asks_no_less(earlier, policy)
    }
    return Case(facts, decisions, what_is_shown(policy, facts), at, rules, policy.zone, under)


# Asked at each inspection of whatever was approved under an earlier version; the answer never changes.
@lru_cache(maxsize=512)
def _compared(first: str, second: str) -> Order:
    return compared(policy_of(first), policy_of(second)).order


def _asks_no_less(earlier: Policy, policy: Policy) -> bool:
    """Whether a policy asks for as much as an earlier one or more.

    So that what was said under that stands.
    """
    texts = (canonical(earlier).decode(), canonical(policy).decode())
    return _compared(*texts) in (Order.EQUAL, Order.STRICTER)


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
    """One finding for each of some rules of the case."""
    findings = tuple(rule.finding_for(case) for rule in rules)
    return Judged(case=case, findings=findings, verdict=verdict_of(findings))


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
    return _ahead(case_of(policy, facts, decisions, at), horizon, slot)


def _ahead(case: Case, horizon: timedelta, slot: timedelta) -> Forecast:
    """By the policy that holds at each instant; what is adopted already to hold later does from then on."""
    within = Interval(case.at, case.at + horizon)
    eras = [(case.at, case), *_eras_to_come(case, within.end)]
    slots = [max(slot, _slot(one)) for _, one in eras]
    # Closings are asked for as far as a slot reaches that begins at the horizon's end.
    asked = Interval(case.at, within.end + max(slots))
    closings = case.closings(asked)
    if len(eras) == 1:
        return forecast(closings, within, slots[0])
    for start, one in eras[1:]:
        closings = succeeded(closings, one.closings(asked), start)
    edges = [*(start for start, _ in eras), within.end]
    starts = (
        forecast(closings, Interval(*span), needed).first_start
        for span, needed in zip(pairwise(edges), slots, strict=True)
    )
    first_start = next((start for start in starts if start is not None), None)
    return forecast(closings, within).model_copy(update={"first_start": first_start})


def _eras_to_come(case: Case, end: datetime) -> list[tuple[datetime, Case]]:
    """The same promotion now, under each policy that holds next, with when that begins."""
    return [
        (one.at, case_of(policy_of(one.document), case.facts, case.decisions, case.at))
        for one in case.facts.next_policies or ()
        if case.at < one.at < end
    ]


def _slot(case: Case) -> timedelta:
    """How much open time its policy asks for ahead of a start."""
    asked = (
        rule.open_ahead()
        for rule in case.rules
        if rule.open_ahead() and not rule.advisory and case.concerned_by(rule)
    )
    return max(asked, default=timedelta(0))


def verdict_of(findings: Sequence[Finding]) -> Verdict:
    """Barred if any is unmet; cleared if none stands in the way; else held. Unknown never clears.

    What is advisory counts for nothing.
    """
    outcomes = {finding.outcome for finding in findings if not finding.advisory}
    if Outcome.UNMET in outcomes:
        return Verdict.BARRED
    if outcomes <= {Outcome.MET, Outcome.WAIVED, Outcome.NOT_APPLICABLE}:
        return Verdict.CLEARED
    return Verdict.HELD


def what_is_shown(policy: Policy, facts: Facts) -> Shown:
    """Digests of the parts of a promotion that an approval is bound to."""
    key = ("shown", policy.digest)
    if key not in facts.kept:
        bound: dict[str, list[Any]] = {}
        for part, value in (pair for rule in policy.rules for pair in rule.binds(facts)):
            bound.setdefault(part, []).append(value)
        names = frozenset[str](bound.pop("evidence", ()))
        read = {part: digest_of_plain(values) for part, values in bound.items()} | facts.part_digests
        facts.kept[key] = Shown(policy=policy.digest, evidence=facts.evidence_digest(names), **read)
    shown: Shown = facts.kept[key]
    return shown


def _sentence(verdict: Verdict, all_: Sequence[Finding], ahead: Forecast, zone: str) -> str:
    findings = [finding for finding in all_ if not finding.advisory]
    if verdict is Verdict.CLEARED:
        return "Cleared: nothing stands in its way."
    if verdict is Verdict.BARRED:
        unmet = [f.because for f in findings if f.outcome is Outcome.UNMET]
        more = f" And {counted(len(unmet) - 1, 'rule')} more." if len(unmet) > 1 else ""
        return unmet[0] + more
    parts = [f.because for f in findings if f.outcome is Outcome.UNKNOWN]
    parts += [f.because for f in findings if f.outcome is Outcome.PENDING and _is_said(f, ahead)]
    open_seats = [s for f in findings for s in f.seats if s.taken_by is None]
    seats = [s for f in findings for s in f.seats]
    if open_seats:
        asked = listed(list(dict.fromkeys(seat.label for seat in open_seats)))
        if len(seats) == len(open_seats):
            parts.append(f"Waits for {counted(len(seats), 'seat')} ({asked}).")
        else:
            parts.append(f"Waits for {number(len(open_seats))} of {counted(len(seats), 'seat')} ({asked}).")
    if ahead.first_start is None:
        parts.append("Closed for the next 14 days.")
    elif ahead.first_start > ahead.start:
        reasons = listed(list(dict.fromkeys(_closed_by(ahead))))
        held = f"Held by {reasons} until" if reasons else "Opens"
        parts.append(f"{held} {when(ahead.first_start, zone)}.")
    return " ".join(parts)


def _is_said(finding: Finding, ahead: Forecast) -> bool:
    """Whether neither a seat nor the forecast says what it waits for."""
    if finding.settled_by == "people":
        return not finding.seats
    if finding.settled_by == "time":
        return finding.clears_at is None and ahead.first_start is not None
    return True


def _closed_by(ahead: Forecast) -> list[str]:
    """What closes the stretch that begins now."""
    first = ahead.first_start
    return [c.name for c in ahead.closings if first is not None and c.start < first]
