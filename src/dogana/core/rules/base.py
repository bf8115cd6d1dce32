"""What every rule kind shares: the rule, the case it is asked about, and the finding it gives."""

from abc import abstractmethod
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from enum import StrEnum
from functools import cached_property
from typing import Any, ClassVar, Literal

from pydantic import Field

from dogana.core.decisions import Decision, Decisions, Shown, Waiver
from dogana.core.document import Document, Instant, Slug
from dogana.core.expressions.program import Condition
from dogana.core.expressions.view import View
from dogana.core.facts import Facts, Reading
from dogana.core.rules.strictness import Aspect, Difference, Order
from dogana.core.time.forecast import Closing, Texture
from dogana.core.time.intervals import Interval
from dogana.core.words import lasting, listed, sentence, spoken, when


class Outcome(StrEnum):
    """What a rule says of one promotion."""

    MET = "met"
    """Satisfied now."""
    PENDING = "pending"
    """Time or people alone will settle it."""
    UNMET = "unmet"
    """A fact must change."""
    UNKNOWN = "unknown"
    """A needed fact could not be read, or is too old."""
    WAIVED = "waived"
    """It stands in the way but for a valid waiver."""
    NOT_APPLICABLE = "not applicable"
    """The rule does not concern this promotion."""

    @property
    def stands_in_the_way(self) -> bool:
        """Whether a promotion with such a finding has to wait."""
        return self in (Outcome.UNMET, Outcome.PENDING, Outcome.UNKNOWN)


class Evidence(Document):
    """One line of what a finding rests on."""

    label: str
    value: str
    wanted: str | None = None
    """What it should be, where it is not that."""
    link: str | None = None


class Seat(Document):
    """One place that a reviewer must take."""

    rule: Slug
    number: int
    """From 0, across the whole policy."""
    label: str
    """Who is asked, in words: a group's or a person's name."""
    taken_by: Slug | None = None
    taken_for: Slug | None = None
    """Whom the person stands in for, where they do."""
    taken_at: Instant | None = None
    may_take: tuple[Slug, ...] = ()
    """Who could still take it by their own right; empty once it is taken."""
    through: dict[Slug, tuple[Slug, ...]] = Field(default_factory=dict)
    """Who could take it as a stand-in, each with those they would sit for."""
    later: bool = False
    """It opens only when the seats before it are filled."""

    def open_to(self, person: str) -> bool:
        """Whether somebody could take it now, as themselves or for another."""
        return person in self.may_take or person in self.through


class Finding(Document):
    """The outcome of one rule for one promotion."""

    rule: Slug
    kind: str
    title: str
    outcome: Outcome
    because: str
    """One plain sentence for somebody who never read the policy."""
    settled_by: Literal["time", "people", "facts"] | None = None
    """What would settle it; None when nothing is left to settle."""
    clears_at: Instant | None = None
    """When time alone will have settled it, where that is known."""
    holds_until: Instant | None = None
    """When time alone will end what is met or waived now, where that is known."""
    evidence: tuple[Evidence, ...] = ()
    seats: tuple[Seat, ...] = ()
    waiver: Waiver | None = None
    """The waiver that holds, or that is asked for."""
    may_grant: tuple[Slug, ...] = ()
    """Who could grant the waiver asked for; empty where none is asked for, or once it holds."""


SET_START = "set-start"
"""Stands in the place of a rule where what holds a promotion is the start that a person set."""


@dataclass(frozen=True)
class Case:
    """One promotion at one instant, as every rule of its policy sees it."""

    facts: Facts
    decisions: Decisions
    shown: Shown
    at: datetime
    rules: Sequence["Rule"]
    zone: str
    kept: dict[str, Any] = field(default_factory=dict)
    """What one rule worked out that others need as well."""

    def concerned_by(self, rule: "Rule") -> bool:
        """Whether a rule concerns the promotion, or might."""
        return rule.when is None or self.ask(rule.when)[0] is not False

    @cached_property
    def approvals(self) -> tuple[Decision, ...]:
        """Approvals that stand: given by people, for what is still so."""
        return tuple(a for a in self.decisions.approvals() if not self.changed_since(a))

    @cached_property
    def waivers_asked(self) -> dict[str, Waiver]:
        """The last waiver of each rule that was asked for and not revoked, whether it holds or not."""
        return {waiver.rule: waiver for waiver in self.decisions.waivers()}

    @cached_property
    def waivers(self) -> dict[str, Waiver]:
        """The valid waiver of each rule that has one."""
        return {
            rule.id: waiver
            for rule in self.rules
            if (waiver := self.waivers_asked.get(rule.id)) and self.why_no_waiver(rule, waiver) is None
        }

    def why_no_waiver(self, rule: "Rule", waiver: Waiver) -> str | None:
        """Why a waiver does not hold for a rule at this instant; None when it does."""
        facts, granter = self.facts, waiver.granted_by
        if rule.waivable is None:
            return "this rule is never waived"
        group = facts.groups.get(rule.waivable, rule.waivable)
        person = facts.people_by_id.get(granter or "")
        then, now = waiver.shown, self.shown
        reasons = (
            (granter is None, f"a second person, of {group}, has to grant it"),
            (granter == waiver.asked_by, "whoever asks for a waiver does not grant it"),
            (
                granter == facts.requester or granter in facts.author_ids,
                "who asked for the promotion or wrote part of it grants no waiver",
            ),
            (person is None or rule.waivable not in person.groups, f"only {group} may grant it"),
            (self.at >= waiver.until, f"it ended {when(waiver.until, self.zone)}"),
            (then.artifacts != now.artifacts, "the artifacts changed since"),
            (then.policy != now.policy, "the policy changed since"),
        )
        return next((why for applies, why in reasons if applies), None)

    def changed_since(self, decision: Decision) -> tuple[str, ...]:
        """Which parts of what was looked at are different now; a part unread then or now is not compared."""
        then, now = decision.shown, self.shown
        parts = (
            ("the artifacts", then.artifacts, now.artifacts),
            ("the policy", then.policy, now.policy),
            ("the commits", then.change, now.change),
            ("the tickets", then.tickets, now.tickets),
            ("the rollout plan", then.plan, now.plan),
            ("the evidence", then.evidence, now.evidence),
        )
        return tuple(word for word, before, after in parts if before and after and before != after)

    def closings(self, horizon: Interval, *, but: "Rule | None" = None) -> list[Closing]:
        """What the rules that concern it close in a horizon; one that is waived, only after its waiver."""
        out: list[Closing] = []
        start = self.facts.not_before
        if start is not None and start > horizon.start:
            out.append(Closing(SET_START, "notice", "a set start", horizon.start, min(start, horizon.end)))
        for rule in self.rules:
            if rule is but or rule.texture is None or not self.concerned_by(rule):
                continue
            waiver = self.waivers.get(rule.id)
            start = min(waiver.until, horizon.end) if waiver else horizon.start
            out += rule.closings(self, Interval(max(start, horizon.start), horizon.end))
        return out

    @cached_property
    def _view(self) -> View:
        """Kept with the facts: they are inspected again whenever a clock or a person moves something."""
        expressions = tuple(text for rule in self.rules for text in rule.expressions())
        kept: dict[Any, Any] = self.facts.kept
        if expressions not in kept:
            kept[expressions] = View(self.facts, expressions)
        view: View = kept[expressions]
        return view

    def ask(self, condition: str) -> tuple[bool | None, str]:
        """Whether a condition holds of the facts; None with the reason where that cannot be told."""
        return self._view.ask(condition, self.at)


class Rule(Document):
    """One condition of a policy."""

    texture: ClassVar[Texture | None] = None
    strictness: ClassVar[tuple[Aspect, ...]] = ()
    """In which aspects two rules of the kind are compared."""

    id: Slug
    """Names the rule in findings and in the record; unique in the policy."""
    title: str = Field(min_length=1, max_length=120)
    """What it asks for, in words."""
    when: Condition | None = None
    """CEL over the facts; where it is false the rule does not concern the promotion."""

    waivable: Slug | None = None
    """The group that may grant a waiver of it; nobody when left out."""

    def expressions(self) -> tuple[str, ...]:
        """Every expression the rule holds."""
        return () if self.when is None else (self.when,)

    def calendar_names(self) -> tuple[str, ...]:
        """The shared calendars it names."""
        return ()

    @abstractmethod
    def inspect(self, case: Case) -> Finding:
        """The rule's finding for a case it concerns."""

    def finding_for(self, case: Case) -> Finding:
        """The rule's finding for any case."""
        concerns, why = (True, "") if self.when is None else case.ask(self.when)
        if concerns is None:
            found = self.finding(
                Outcome.UNKNOWN,
                sentence(f"it cannot be told whether this rule applies: {why}"),
                settled_by="facts",
                evidence=[Evidence(label="When", value=str(self.when))],
            )
        elif not concerns:
            return self.finding(
                Outcome.NOT_APPLICABLE,
                "Does not concern this promotion.",
                evidence=[Evidence(label="When", value=str(self.when))],
            )
        else:
            found = self.inspect(case)
        if self.waivable is None or not found.outcome.stands_in_the_way:
            return found
        waiver = case.waivers_asked.get(self.id)
        if waiver is None or case.at >= waiver.until:
            return found
        if self.id in case.waivers:
            return self._waived(found, waiver, case)
        could = [
            person.id
            for person in case.facts.people
            if not case.why_no_waiver(self, waiver.model_copy(update={"granted_by": person.id}))
        ]
        return found.model_copy(update={"waiver": waiver, "may_grant": tuple(sorted(could))})

    def _waived(self, found: Finding, waiver: Waiver, case: Case) -> Finding:
        assert waiver.granted_by is not None
        asked, granted = case.facts.name_of(waiver.asked_by), case.facts.name_of(waiver.granted_by)
        until = when(waiver.until, case.zone)
        waived = self.finding(
            Outcome.WAIVED,
            f"Waived until {until}, asked for by {asked} and granted by {granted}: {sentence(waiver.reason)}",
            holds_until=waiver.until,
            evidence=[Evidence(label="Without the waiver", value=found.because), *found.evidence],
        )
        return waived.model_copy(update={"waiver": waiver})

    def compared(self, other: "Rule") -> list[Difference]:
        """In what another rule of the kind differs, and whether it is stricter or laxer there."""
        out = [difference for aspect in self.strictness for difference in aspect(self, other)]
        if self.when != other.when:
            if self.when is None:
                out.append(Difference(Order.LAXER, f"applies only where {other.when}"))
            elif other.when is None:
                out.append(Difference(Order.STRICTER, f"applies always, not only where {self.when}"))
            else:
                out.append(
                    Difference(Order.INCOMPARABLE, f"applies where {other.when}, not where {self.when}")
                )
        if self.waivable != other.waivable:
            was, now = spoken(self.waivable or ""), spoken(other.waivable or "")
            if not was:
                out.append(Difference(Order.LAXER, f"may be waived by {now}"))
            elif not now:
                out.append(Difference(Order.STRICTER, f"may not be waived; {was} could"))
            else:
                out.append(Difference(Order.INCOMPARABLE, f"may be waived by {now} instead of {was}"))
        return out

    def closings(self, case: Case, horizon: Interval) -> list[Closing]:
        """The stretches of the horizon that this rule closes whatever people do."""
        del case, horizon
        return []

    def finding(
        self,
        outcome: Outcome,
        because: str,
        *,
        settled_by: Literal["time", "people", "facts"] | None = None,
        clears_at: datetime | None = None,
        holds_until: datetime | None = None,
        evidence: Sequence[Evidence] = (),
        seats: Sequence[Seat] = (),
    ) -> Finding:
        """A finding of this rule."""
        return Finding(
            rule=self.id,
            kind=str(getattr(self, "kind", "")),
            title=self.title,
            outcome=outcome,
            because=because,
            settled_by=settled_by,
            clears_at=clears_at,
            holds_until=holds_until,
            evidence=tuple(evidence),
            seats=tuple(seats),
        )

    def at_first_leg(self, case: Case) -> Finding | None:
        """The finding of a rule about the leg before where there is none; None elsewhere."""
        if case.facts.leg_before:
            return None
        target = case.facts.target.title
        return self.finding(Outcome.NOT_APPLICABLE, f"{target} is the first leg; nothing comes before it.")

    def without_calendars(self, case: Case, names: Sequence[str]) -> Finding | None:
        """The finding of a rule that names a shared calendar nobody has; None when all are there."""
        missing = [name for name in names if name not in case.facts.calendars]
        if not missing:
            return None
        many = len(missing) > 1
        because = (
            f"the calendar{'s' if many else ''} {listed(missing)} {'are' if many else 'is'} not to be found"
        )
        return self.finding(Outcome.UNKNOWN, sentence(because), settled_by="facts")

    def stale(self, reading: Reading[Any], what: str, fresh: timedelta, case: Case) -> Finding | None:
        """The finding when a reading is older than it may be; None when it is fresh enough."""
        age = case.at - reading.read_at
        if age <= fresh:
            return None
        return self.finding(
            Outcome.UNKNOWN,
            f"{what} was last read {lasting(age)} ago; a reading counts for {lasting(fresh)}.",
            settled_by="facts",
            evidence=[Evidence(label="Source", value=reading.source)],
        )

    def unknown(self, reading: Reading[Any], what: str, case: Case) -> Finding:
        """The finding when a reading holds no value."""
        age = lasting(case.at - reading.read_at)
        return self.finding(
            Outcome.UNKNOWN,
            f"{what} could not be read: {reading.unknown or 'nothing came back'}.",
            settled_by="facts",
            evidence=[
                Evidence(label="Source", value=reading.source),
                Evidence(label="Last tried", value=f"{age} ago"),
            ],
        )
