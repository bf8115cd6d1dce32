"""What people have decided about one promotion so far, as the inspection sees it."""

from collections.abc import Mapping
from typing import Any, Literal, Self

from pydantic import Field, model_validator

from dogana.core.document import Digest, Document, Instant, Slug

Said = Literal["approve", "retract", "turn back", "ask waiver", "grant waiver", "revoke waiver"]


class Shown(Document):
    """Digests of what a person was shown that matters.

    A part that is absent has a digest as well: that there was no evidence is something that one saw. None
    stands for a part that could not be read, or that no rule reads.
    """

    artifacts: Digest
    policy: Digest
    request: Digest | None = None
    """Which release is to go where, by which route, as what, and who asked for that."""
    change: Digest | None = None
    tickets: Digest | None = None
    plan: Digest | None = None
    evidence: Digest | None = None
    origin: Digest | None = None
    """Where the revision stands, where a rule looks at that."""
    runs: Digest | None = None
    """Which versions run in the target, of the services that rules name."""
    before: Digest | None = None
    """What landed in the leg before, as far as rules look at it."""


PARTS = {
    "artifacts": "the artifacts",
    "policy": "the policy",
    "request": "what was asked for",
    "change": "the commits",
    "tickets": "the tickets",
    "plan": "the rollout plan",
    "evidence": "the evidence",
    "origin": "where its revision stands",
    "runs": "what runs there",
    "before": "what landed in the leg before",
}
"""The parts of what is shown, in words."""


def changed_parts(then: Shown, now: Shown) -> tuple[str, ...]:
    """Which parts differ from what was shown, in words.

    What is unread now is not compared: the rules that read it say so themselves. What was unread then, and is
    read now, was not shown.
    """
    return tuple(
        words
        for part, words in PARTS.items()
        if (found := getattr(now, part)) is not None and found != getattr(then, part)
    )


class Decision(Document):
    """One person's word."""

    action: Said
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
    earlier: dict[Digest, str] = Field(default_factory=dict)
    """The canonical texts of the policies that words were spoken under, but for the one in force."""

    def approvals(self) -> tuple[Decision, ...]:
        """Each person's last approval, where they neither took it back nor said no after it."""
        standing: dict[str, Decision] = {}
        for decision in self.made:
            if decision.action in ("approve", "retract", "turn back"):
                standing.pop(decision.person, None)
            if decision.action == "approve":
                standing[decision.person] = decision
        return tuple(standing.values())

    def waivers(self) -> dict[str, tuple[Waiver, ...]]:
        """By rule, each waiver that was asked for since one was last revoked, the latest first.

        One that several people granted stands there once for each of them: somebody's word who may not grant
        it takes nothing from the word of one who may.
        """
        asked: dict[str, list[list[Waiver]]] = {}
        for decision in self.made:
            if decision.rule is None:
                continue
            if decision.action == "ask waiver" and decision.until is not None:
                waiver = Waiver(
                    rule=decision.rule,
                    asked_by=decision.person,
                    asked_at=decision.at,
                    reason=decision.comment or "no reason given",
                    until=decision.until,
                    shown=decision.shown,
                )
                asked.setdefault(decision.rule, []).append([waiver])
            elif decision.action == "revoke waiver":
                asked.pop(decision.rule, None)
            elif decision.rule in asked:
                granted: Mapping[str, Any] = {"granted_by": decision.person, "granted_at": decision.at}
                last = asked[decision.rule][-1]
                last.append(last[0].model_copy(update=granted))
        return {rule: tuple(one for each in reversed(all_) for one in each) for rule, all_ in asked.items()}
