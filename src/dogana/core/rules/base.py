"""What every rule kind shares: the rule, the case it is asked about, and the finding it gives."""

from abc import abstractmethod
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum
from functools import cached_property
from typing import Any, ClassVar, Literal

from pydantic import Field

from dogana.core.decisions import Decision, Decisions, Shown
from dogana.core.document import Document, Instant, Slug
from dogana.core.expressions.program import Condition, NotComputedError, context_of, holds, names_in
from dogana.core.expressions.types import VARIABLES
from dogana.core.facts import Facts, Reading
from dogana.core.time.forecast import Closing, Texture
from dogana.core.time.intervals import Interval
from dogana.core.words import lasting, sentence


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
    taken_at: Instant | None = None
    may_take: tuple[Slug, ...] = ()
    """Who could still take it; empty once it is taken."""
    later: bool = False
    """It opens only when the seats before it are filled."""


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
    evidence: tuple[Evidence, ...] = ()
    seats: tuple[Seat, ...] = ()


@dataclass(frozen=True)
class Case:
    """One promotion at one instant, as every rule of its policy sees it."""

    facts: Facts
    decisions: Decisions
    shown: Shown
    at: datetime
    rules: Sequence["Rule"]
    zone: str

    @cached_property
    def concerned(self) -> tuple["Rule", ...]:
        """The rules that concern the promotion, or might."""
        return tuple(rule for rule in self.rules if rule.when is None or self.ask(rule.when)[0] is not False)

    @cached_property
    def approvals(self) -> tuple[Decision, ...]:
        """Approvals that stand: given by people, for what is still so."""
        return tuple(a for a in self.decisions.approvals() if not self.changed_since(a))

    def changed_since(self, approval: Decision) -> tuple[str, ...]:
        """Which parts of what was looked at are different now; a part unread then or now is not compared."""
        parts = (
            ("the artifacts", approval.shown.artifacts, self.shown.artifacts),
            ("the policy", approval.shown.policy, self.shown.policy),
            ("the commits", approval.shown.change, self.shown.change),
            ("the tickets", approval.shown.tickets, self.shown.tickets),
        )
        return tuple(word for word, then, now in parts if then and now and then != now)

    @cached_property
    def _context(self) -> Any:
        """Built once, of the names this policy's expressions use: a context costs by what is in it."""
        used = frozenset(
            name for rule in self.rules for text in rule.expressions() for name in names_in(text)
        )
        return context_of({name: value for name, value in self._variables.items() if name in used})

    @cached_property
    def _variables(self) -> dict[str, Any]:
        """The facts by the names expressions know; what could not be read is left out."""
        facts = self.facts
        plain = facts.model_dump(exclude_none=True)
        variables = {name: plain[name] for name in VARIABLES if name in plain and name != "tickets"}
        variables["now"] = self.at
        if facts.change.value is not None:
            change = plain["change"]["value"]
            variables |= {name: change[name] for name in ("commits", "files", "ticket_keys")}
            variables["authors"] = sorted(facts.authors())
        if facts.tickets.value is not None:
            variables["tickets"] = plain["tickets"]["value"]
        return variables

    def ask(self, condition: str) -> tuple[bool | None, str]:
        """Whether a condition holds of the facts; None with the reason where that cannot be told."""
        missing = (names_in(condition) & VARIABLES.keys()) - self._variables.keys()
        if missing:
            reading = self.facts.tickets if "tickets" in missing else self.facts.change
            return None, f"{reading.source}: {reading.unknown or 'not read'}"
        try:
            return holds(condition, self._context), ""
        except NotComputedError as exc:
            return None, str(exc)


class Rule(Document):
    """One condition of a policy."""

    texture: ClassVar[Texture | None] = None

    id: Slug
    """Names the rule in findings and in the record; unique in the policy."""
    title: str = Field(min_length=1, max_length=120)
    """What it asks for, in words."""
    when: Condition | None = None
    """CEL over the facts; where it is false the rule does not concern the promotion."""

    def expressions(self) -> tuple[str, ...]:
        """Every expression the rule holds."""
        return () if self.when is None else (self.when,)

    @abstractmethod
    def inspect(self, case: Case) -> Finding:
        """The rule's finding for a case it concerns."""

    def finding_for(self, case: Case) -> Finding:
        """The rule's finding for any case."""
        if self.when is None:
            return self.inspect(case)
        concerns, why = case.ask(self.when)
        if concerns is None:
            return self.finding(
                Outcome.UNKNOWN,
                sentence(f"it cannot be told whether this rule applies: {why}"),
                settled_by="facts",
                evidence=[Evidence(label="When", value=self.when)],
            )
        if not concerns:
            return self.finding(
                Outcome.NOT_APPLICABLE,
                "Does not concern this promotion.",
                evidence=[Evidence(label="When", value=self.when)],
            )
        return self.inspect(case)

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
            evidence=tuple(evidence),
            seats=tuple(seats),
        )

    def at_first_leg(self, case: Case) -> Finding | None:
        """The finding of a rule about the leg before where there is none; None elsewhere."""
        if case.facts.leg_before:
            return None
        target = case.facts.target.title
        return self.finding(Outcome.NOT_APPLICABLE, f"{target} is the first leg; nothing comes before it.")

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
