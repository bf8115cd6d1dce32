"""What a rule says of one promotion."""

from enum import StrEnum
from typing import Literal

from pydantic import Field

from dogana.core.decisions import Waiver
from dogana.core.document import Document, Instant, Moment, Slug


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
    """One seat that a reviewer must take."""

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
    clears_at: Moment | None = None
    """When time alone will have settled it, where that is known."""
    holds_until: Moment | None = None
    """When time alone will end what is met or waived now, where that is known."""
    evidence: tuple[Evidence, ...] = ()
    seats: tuple[Seat, ...] = ()
    waiver: Waiver | None = None
    """The waiver that holds, or that is asked for."""
    may_grant: tuple[Slug, ...] = ()
    """Who could grant the waiver asked for; empty where none is asked for, or once it holds."""
    advisory: bool = False
    """Whether it is only shown: an advisory finding never stands in the way."""

    check: Slug | None = None
    """The outside check that it rests on, which can be asked again."""

    @property
    def holds_it(self) -> bool:
        """Whether the promotion has to wait for it."""
        return self.outcome.stands_in_the_way and not self.advisory
