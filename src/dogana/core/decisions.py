"""What people have decided about one promotion so far, as the inspection sees it."""

from typing import Literal

from dogana.core.document import Digest, Document, Instant, Slug


class Shown(Document):
    """Digests of what a person was shown that matters; None for a part that could not be read."""

    artifacts: Digest
    policy: Digest
    change: Digest | None = None
    tickets: Digest | None = None


class Decision(Document):
    """One person's word."""

    action: Literal["approve", "retract", "turn back"]
    person: Slug
    at: Instant
    comment: str = ""
    shown: Shown


class Decisions(Document):
    """All of them, in the order they were made."""

    format: Literal["dogana.decisions/1"] = "dogana.decisions/1"
    made: tuple[Decision, ...] = ()

    def approvals(self) -> tuple[Decision, ...]:
        """Approvals that were not taken back, in the order they were given."""
        standing: dict[str, Decision] = {}
        for decision in self.made:
            standing.pop(decision.person, None)
            if decision.action == "approve":
                standing[decision.person] = decision
        return tuple(standing.values())
