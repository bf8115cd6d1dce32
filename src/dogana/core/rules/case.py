"""The case that rules are asked about: one promotion at one instant."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from functools import cached_property
from typing import TYPE_CHECKING, Any

from dogana.core.decisions import PARTS, Decision, Decisions, Shown, Waiver, changed_parts
from dogana.core.expressions.view import Activation, of_the_change_alone, readings
from dogana.core.facts import Facts, in_the_future
from dogana.core.time.forecast import Closing
from dogana.core.time.intervals import Interval
from dogana.core.words import lasting, when

if TYPE_CHECKING:
    from dogana.core.rules.base import Rule


@dataclass(frozen=True)
class Case:
    """One promotion at one instant, as every rule of its policy sees it."""

    facts: Facts
    decisions: Decisions
    shown: Shown
    at: datetime
    rules: Sequence["Rule"]
    """Those of the policy, then those that hold whatever a policy says."""
    zone: str
    shown_under: Mapping[str, Shown] = field(default_factory=dict)
    """What is shown now to who looks under an earlier policy that asked for no more, by its digest."""
    kept: dict[str, Any] = field(default_factory=dict)
    """What one rule worked out that others need as well."""

    def concerned_by(self, rule: "Rule") -> bool:
        """Whether a rule concerns the promotion, or might."""
        return rule.when is None or self.ask(rule.when)[0] is not False

    @cached_property
    def approvals(self) -> tuple[Decision, ...]:
        """Approvals that stand: given by people, for what is still so."""
        return tuple(
            approval
            for approval in self.decisions.approvals()
            if not self.changed_since(approval) and not in_the_future(approval.at, self.at)
        )

    @cached_property
    def waivers_asked(self) -> dict[str, Waiver]:
        """The last waiver of each rule that was asked for and not revoked, whether it holds or not."""
        return {rule: waivers[0] for rule, waivers in self.decisions.waivers().items()}

    @cached_property
    def waivers(self) -> dict[str, Waiver]:
        """The valid waiver of each rule that has one."""
        asked = self.decisions.waivers()
        found: dict[str, Waiver] = {}
        for rule in self.rules:
            valid = (one for one in asked.get(rule.id, ()) if self.why_no_waiver(rule, one) is None)
            waiver = next(valid, None)
            if waiver is not None:
                found[rule.id] = waiver
        return found

    def why_no_waiver(self, rule: "Rule", waiver: Waiver) -> str | None:
        """Why a waiver does not hold for a rule at this instant; None when it does."""
        facts, granter, authors = self.facts, waiver.granted_by, self.facts.author_ids
        if rule.waivable is None:
            return "this rule is never waived"
        group = facts.groups.get(rule.waivable, rule.waivable)
        person = facts.people_by_id.get(granter or "")
        changed = {*self._changed(waiver.shown)}
        reasons = (
            (authors is None, "the change could not be read, so it is not known who wrote it"),
            (granter is None, f"a second person, of {group}, has to grant it"),
            (granter == waiver.asked_by, "whoever asks for a waiver does not grant it"),
            (
                granter == facts.requester or (authors is not None and granter in authors),
                "who asked for the promotion or wrote part of it grants no waiver",
            ),
            (person is None or rule.waivable not in person.groups, f"only {group} may grant it"),
            (self.at >= waiver.until, f"it ended {when(waiver.until, self.zone)}"),
            (in_the_future(waiver.granted_at or waiver.asked_at, self.at), "it is dated later than now"),
            *((part in changed, f"{part} changed since") for part in _BINDS_WAIVERS),
        )
        return next((why for applies, why in reasons if applies), None)

    def changed_since(self, decision: Decision) -> tuple[str, ...]:
        """Which parts of what was looked at are different now, in words."""
        return self._changed(decision.shown)

    def _changed(self, then: Shown) -> tuple[str, ...]:
        """What differs from what was shown.

        Under a policy that asked for no more, from what that would show.
        """
        return changed_parts(then, self.shown_under.get(then.policy, self.shown))

    def closings(self, horizon: Interval, *, but: "Rule | None" = None) -> list[Closing]:
        """What the rules that concern it close in a horizon; one that is waived, only after its waiver."""
        out: list[Closing] = []
        for rule in self.rules:
            if rule is but or rule.texture is None or rule.advisory or not self.concerned_by(rule):
                continue
            waiver = self.waivers.get(rule.id)
            start = min(waiver.until, horizon.end) if waiver else horizon.start
            out += rule.closings(self, Interval(max(start, horizon.start), horizon.end))
        return out

    def _view(self, condition: str) -> Activation:
        """Kept with what decides the answers: the facts, or the change, which outlives other readings."""
        alone, change = of_the_change_alone(condition), self.facts.change.value
        kept = change.kept if alone and change is not None else self.facts.kept
        expressions = self._expressions[alone]
        if expressions not in kept:
            kept[expressions] = Activation(self.facts, expressions)
        view: Activation = kept[expressions]
        return view

    @cached_property
    def _expressions(self) -> dict[bool, tuple[str, ...]]:
        """What is asked, by whether the change alone decides it."""
        all_ = [text for rule in self.rules for text in rule.expressions()]
        return {alone: tuple(t for t in all_ if of_the_change_alone(t) is alone) for alone in (True, False)}

    def ask(self, condition: str) -> tuple[bool | None, str]:
        """Whether a condition holds of the facts; None with the reason where that cannot be told."""
        return self._view(condition).ask(condition, self.at)

    def too_old(self, condition: str, fresh: timedelta) -> str | None:
        """Why what a condition looks at counts no longer; None where it was read lately enough."""
        for reading in readings(self.facts, condition):
            if in_the_future(reading.read_at, self.at):
                return f"{reading.source} was read at a time that has not come yet"
            if self.at - reading.read_at > fresh:
                age = lasting(self.at - reading.read_at)
                return f"{reading.source} was last read {age} ago; a reading counts for {lasting(fresh)}"
        return None


_BINDS_WAIVERS = (PARTS["artifacts"], PARTS["policy"], PARTS["request"])
"""What a waiver is bound to. It is asked for because facts are not as they should be, so no others."""
READ_LATELY = timedelta(hours=1)
"""How old what conditions look at may be where a rule does not say."""
