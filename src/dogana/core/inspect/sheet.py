"""The sheet: every finding about one promotion at one instant, and what they come to."""

from enum import StrEnum
from typing import Literal

from dogana.core.decisions import Shown
from dogana.core.document import Digest, Document, Instant, Moment, Slug
from dogana.core.rules.findings import Finding, Seat
from dogana.core.time.forecast import Forecast


class Verdict(StrEnum):
    """What the findings come to."""

    CLEARED = "cleared"
    """Every finding is met, waived or not applicable."""
    HELD = "held"
    """Time, people or a source that answers again will settle it."""
    BARRED = "barred"
    """A fact must change."""


class Asked(Document):
    """A finding that somebody may grant a waiver of."""

    title: str
    may_grant: tuple[Slug, ...]


class Brief(Document):
    """What a list shows of a sheet; the whole is several times as long."""

    verdict: Verdict
    sentence: str
    seats: tuple[Seat, ...]
    """Every seat of the policy, by number."""
    forecast: Forecast
    shown: Shown
    asked: tuple[Asked, ...] = ()
    by_facts: bool
    """Whether a fact has to change first."""
    by_people: bool = False
    """Whether somebody has to say something first, seats aside."""


class Sheet(Document):
    """The outcome of one inspection, with the digests of what it came from."""

    format: Literal["dogana.sheet/1"] = "dogana.sheet/1"
    at: Instant
    policy: Digest
    facts: Digest
    decisions: Digest
    findings: tuple[Finding, ...]
    verdict: Verdict
    sentence: str
    forecast: Forecast
    shown: Shown

    def seats(self) -> tuple[Seat, ...]:
        """Every seat of the policy, by number."""
        return tuple(sorted((s for f in self.findings for s in f.seats), key=lambda s: s.number))

    def brief(self) -> Brief:
        """What a list shows of it."""
        return Brief(
            verdict=self.verdict,
            sentence=self.sentence,
            seats=self.seats(),
            forecast=self.forecast,
            shown=self.shown,
            asked=tuple(Asked(title=f.title, may_grant=f.may_grant) for f in self.findings if f.may_grant),
            by_facts=any(f.settled_by == "facts" and f.holds_it for f in self.findings),
            by_people=any(f.settled_by == "people" and f.holds_it and not f.seats for f in self.findings),
        )

    def next_change(self) -> Moment | None:
        """The next instant at which time alone changes a finding; None when none is in sight."""
        times = [f.clears_at for f in self.findings if f.clears_at is not None]
        times += [f.holds_until for f in self.findings if f.holds_until is not None]
        times += [c.start for c in self.forecast.closings if c.start > self.at]
        return min(times, default=None)
