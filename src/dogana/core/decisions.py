"""What people have decided about one promotion so far, as the inspection sees it."""

from collections.abc import Mapping
from typing import Any, Literal, Self

from pydantic import Field, model_validator

from dogana.core.document import Digest, Document, Instant, Slug

Action = Literal["approve", "retract", "turn back", "ask waiver", "grant waiver", "revoke waiver"]


class Shown(Document):
    """Digests of what a person was shown that matters; None for a part that is not there or was not read."""

    artifacts: Digest
    policy: Digest
    change: Digest | None = None
    tickets: Digest | None = None
    plan: Digest | None = None
    evidence: Digest | None = None


class Decision(Document):
    """One person's word."""

    action: Action
    person: Slug
    on_behalf_of: Slug | None = None
    """Whom the person stands in for with this word."""
    at: Instant
    comment: str = ""
    rule: Slug | None = None
    """Which rule a waiver is about."""
    until: Instant | None = None
    """When the waiver asked for ends."""
    shown: Shown

    @model_validator(mode="after")
    def _whole(self) -> Self:
        about_waiver = self.action.endswith("waiver")
        if about_waiver != (self.rule is not None):
            raise ValueError("a word about a waiver names the rule, and no other does")
        if (self.action == "ask waiver") != (self.until is not None):
            raise ValueError("who asks for a waiver says until when, and nobody else does")
        return self

    @property
    def sits_for(self) -> str:
        """Whose seat it takes."""
        return self.on_behalf_of or self.person


class Waiver(Document):
    """An exception: one rule, one promotion, a reason, a second person, an end."""

    rule: Slug
    asked_by: Slug
    asked_at: Instant
    reason: str = Field(min_length=1)
    until: Instant
    shown: Shown
    granted_by: Slug | None = None
    """The second person; without one it does not hold yet."""
    granted_at: Instant | None = None


class Decisions(Document):
    """All of them, in the order they were made."""

    format: Literal["dogana.decisions/1"] = "dogana.decisions/1"
    made: tuple[Decision, ...] = ()

    def approvals(self) -> tuple[Decision, ...]:
        """Approvals that were not taken back, in the order they were given.

        One to a person, and one to whoever is stood in for: the first of them stands.
        """
        standing: dict[str, Decision] = {}
        for decision in self.made:
            if decision.action in ("approve", "retract", "turn back"):
                standing.pop(decision.person, None)
            if decision.action == "approve":
                standing[decision.person] = decision
        by_seat: dict[str, Decision] = {}
        for decision in standing.values():
            by_seat.setdefault(decision.sits_for, decision)
        return tuple(by_seat.values())

    def waivers(self) -> tuple[Waiver, ...]:
        """The last waiver of each rule that was asked for and not revoked, granted or not."""
        standing: dict[str, Waiver] = {}
        for decision in self.made:
            if decision.rule is None:
                continue
            if decision.action == "ask waiver" and decision.until is not None:
                standing[decision.rule] = Waiver(
                    rule=decision.rule,
                    asked_by=decision.person,
                    asked_at=decision.at,
                    reason=decision.comment or "no reason given",
                    until=decision.until,
                    shown=decision.shown,
                )
            elif decision.action == "revoke waiver":
                standing.pop(decision.rule, None)
            elif decision.rule in standing:
                granted: Mapping[str, Any] = {"granted_by": decision.person, "granted_at": decision.at}
                standing[decision.rule] = standing[decision.rule].model_copy(update=granted)
        return tuple(standing.values())
