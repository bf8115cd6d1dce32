"""What is known about one promotion at one moment: one document, stored under its digest.

Everything read from an outside system is a reading: it says its source, when it was read, and either
the value or why there is none. A source that failed is never a silent pass.
"""

from collections import Counter
from datetime import datetime, timedelta
from functools import cached_property
from typing import Annotated, Any, Generic, Literal, TypeVar

import orjson
from pydantic import Field, StringConstraints, field_validator

from dogana.core.change import Author, Change, Commit, Origin, as_compared
from dogana.core.document import (
    SKEW,
    Content,
    Count,
    Digest,
    Document,
    EnvironmentId,
    FiniteNumber,
    Instant,
    Slug,
)
from dogana.core.parts import Divided, divided
from dogana.core.record.canonical import digest_of_plain
from dogana.core.rollout import AT_ONCE, Plan
from dogana.core.time.windows import Calendar, LateCalendar
from dogana.core.traffic import Closed, Deployment, Prepared, Queued, RouteLimit, Sighting
from dogana.core.words import spoken

T = TypeVar("T")
WebLink = Annotated[str, StringConstraints(pattern=r"^https?://[^\s\x00-\x1f]{1,2000}$")]
"""An address that a browser may open: nothing that would be run there."""
PromotionKind = Literal["ordinary", "urgent", "rollback", "backfill"]
"""What it is for: the usual way, an urgent fix, going back, bringing an urgent fix to what it skipped."""
ReportKind = Literal["tests", "coverage", "scan", "components", "plan", "attestation", "file", "link"]


def in_the_future(instant: datetime, at: datetime) -> bool:
    """Whether an instant lies further ahead of another than clocks may differ: it would never grow old."""
    return instant > at + SKEW


class Reading(Document, Generic[T]):
    """A value from outside, or the reason why it is not known."""

    source: str
    """Which system was asked, in words."""
    read_at: Instant
    """When the value was so: the sample's own time where it has one, else when it was asked for."""
    value: T | None = None
    unknown: str | None = None
    """Why the value could not be read; absent when it could."""


class Artifact(Document):
    """One built thing, named by what it is and known by its bytes."""

    name: str = Field(min_length=1, max_length=200)
    digest: Digest
    size: Count
    """Bytes."""
    link: WebLink | None = None
    """Where it can be fetched; what it is does not depend on it."""

    def identity(self) -> dict[str, Any]:
        """What it is, wherever it lies."""
        return {"name": self.name, "digest": self.digest, "size": self.size}


class Report(Document):
    """One piece of evidence that came with the release."""

    name: Slug
    """What policies call it."""
    kind: ReportKind
    produced_at: Instant
    by: str = Field(max_length=200)
    """Who sent it, by name: somebody who had signed in."""
    sender: Slug | None = None
    """The account that sent it; absent of what came before that was kept."""
    maker: str | None = Field(default=None, max_length=200)
    """Who or what it says made it: a claim."""
    content: Content
    """What it says, parsed."""
    unknown: str | None = Field(default=None, max_length=500)
    """Why what it says cannot be relied on as a whole; absent when it can."""
    overtaken: Literal[True] | None = None
    """True where another of the name came later, and says that it was made earlier."""
    link: WebLink | None = None


ENDLESS = 1e300
"""Stands for an infinite value, with either sign, which JSON cannot carry."""


class Series(Document):
    """What a monitor showed over a window."""

    values: tuple[FiniteNumber, ...] = Field(max_length=2000)
    """Oldest first."""
    last: tuple[FiniteNumber, ...] = Field(default=(), max_length=2000)
    """The last value of each series, where there were several."""


class Monitor(Document):
    """One monitor of one environment, asked over a window up to now."""

    environment: EnvironmentId
    query: str
    window: timedelta
    source: Slug | None = None
    """Which source was asked, where the policy names one."""
    reading: Reading[Series]


class Ticket(Document):
    """One ticket as its tracker tells it."""

    key: str
    title: str | None = None
    status: str | None = None
    """None when the tracker has no such ticket."""
    kind: str | None = None
    link: WebLink | None = None
    open_blockers: tuple[str, ...] = ()
    """The keys of the tickets that block it and are still open."""
    blockers_told: Literal[False] | None = None
    """False where the tracker does not say what blocks it."""


class Landing(Document):
    """The release in one environment of the leg before."""

    environment: EnvironmentId
    title: str
    landed_at: Instant | None = None
    healthy_since: Instant | None = None
    replaced_at: Instant | None = None
    """When another release took its place there; absent while it runs."""
    confirmed_at: Instant | None = None
    """When whom its policy asks confirmed that it is well there."""
    issues: str | None = None
    """With what they closed it instead."""
    artifacts: tuple[Artifact, ...] = ()


class StandIn(Document):
    """Somebody who may take another's seats for a time."""

    person: Slug
    """Who stands in."""
    stands_in_for: Slug
    start: Instant
    end: Instant
    """Not included."""


class Person(Document):
    """Somebody who may take a seat, or who asked or wrote."""

    id: Slug
    name: str
    email: str
    other_emails: tuple[str, ...] = Field(default=(), max_length=50)
    """By which else they write."""
    groups: tuple[Slug, ...] = ()

    @property
    def addresses(self) -> frozenset[str]:
        """Every address they write by, as addresses are compared."""
        return frozenset(map(as_compared, (self.email, *self.other_emails)))


class Place(Document):
    """One environment of the route."""

    id: EnvironmentId
    title: str
    zone: str


class CheckAnswer(Document):
    """What an outside check was asked last about the promotion, and what it has said."""

    check: Slug
    title: str | None = None
    """What it is called; absent where nobody is set up to answer for it."""
    about: Digest
    """What it was asked about: `Facts.asked_about`."""
    asked_at: Instant
    trouble: str | None = None
    """Why it could not be asked when that was tried last."""
    result: Literal["passed", "failed", "running"] | None = None
    """Absent until it answers."""
    reason: str | None = None
    link: WebLink | None = None
    until: Instant | None = None
    """From when on the answer counts no longer; not included."""
    answered_at: Instant | None = None
    """When it came to that, as it says."""
    by: Slug | None = None
    """The account that answered."""


class NextPolicy(Document):
    """A policy that was adopted to hold in the target from later on."""

    at: Instant
    """From when on."""
    environment: EnvironmentId
    """Whose version begins then: the target's own, or that of its baseline."""
    version: Count
    document: str
    """Its canonical text, with what its baseline asks for."""


def _called(row: Artifact | Ticket | Report | Monitor | Person | CheckAnswer) -> tuple[Any, ...]:
    match row:
        case CheckAnswer():
            return (row.check,)
        case Monitor():
            return (row.query, row.environment, row.window, row.source)
        case Ticket():
            return (row.key,)
        case Person():
            return (row.id,)
        case _:
            return (row.name,)


class Facts(Document):
    """Everything a policy may look at."""

    format: Literal["dogana.facts/1", "dogana.facts/2"] = "dogana.facts/2"
    """By which it is told apart how they are kept: whole, or in parts."""
    number: Count | None = None
    """The promotion's own."""
    service: Slug
    version: str
    repository: str
    paths: tuple[str, ...] | None = None
    """Below which files of it count; absent where all do."""
    target: Place
    route: Slug
    kind: PromotionKind = "ordinary"
    requester: Slug
    requested_at: Instant
    not_before: Instant | None = None
    """The start that a person set for it; absent for as soon as it can."""
    artifacts: tuple[Artifact, ...]
    plan: Plan | None = None
    """How it is to go in; absent when all at once."""
    route_limit: RouteLimit | None = None
    """What an urgent route says of it; absent on any other."""
    closed_now: tuple[Closed, ...] = ()
    """For how long the target was closed at once, as far as that lasts."""
    next_policies: tuple[NextPolicy, ...] | None = None
    """What holds in the target after the policy in force, in that order; absent where nothing is to come."""
    prepared: Prepared | None = None
    """That its deployer is ready; absent until reported."""
    change: Reading[Change]
    origin: Reading[Origin] | None = None
    tickets: Reading[tuple[Ticket, ...]]
    key_forms: Digest | None = None
    """Of how the trackers' keys were written when they were looked for; absent where all are in capitals."""
    sightings: tuple[Sighting, ...] | None = None
    """What is seen to run in the leg before and in the target; absent where the policy does not ask."""
    evidence: tuple[Report, ...] = ()
    """What came with the release, the latest of each name."""
    checks: tuple[CheckAnswer, ...] | None = None
    """What outside checks were asked, and said; absent where none was."""
    monitors: tuple[Monitor, ...] = ()
    calendars: dict[Slug, Calendar] = Field(default_factory=dict)
    """The shared calendars by name."""
    late_calendars: tuple[LateCalendar, ...] | None = None
    """Those of them that may close more by now; absent where none is."""
    waiting: tuple[Queued, ...] = ()
    """Of many, only those asked for first and last."""
    """What else of the same service waits for the target, by the time of request."""
    leg_before: tuple[Landing, ...] = ()
    """Empty at the first leg."""
    runs: dict[Slug, str] = Field(default_factory=dict)
    """Which version of each service runs in the target now."""
    services: dict[Slug, str] = Field(default_factory=dict)
    """What the services named here are called."""
    traffic: tuple[Deployment, ...] = ()
    """What departed for the target in the last 31 days, or is still on its way.

    This promotion not counted.
    """
    people: tuple[Person, ...]
    groups: dict[Slug, str] = Field(default_factory=dict)
    """What each group is called."""

    stand_ins: tuple[StandIn, ...] = ()

    @field_validator("artifacts", "tickets", "evidence", "checks", "monitors", "people")
    @classmethod
    def _each_once(cls, rows: Any) -> Any:
        """Of two that say otherwise under one name, the better one would be as good as any."""
        read = rows.value or () if isinstance(rows, Reading) else rows or ()
        twice = next((key for key, n in Counter(map(_called, read)).items() if n > 1), None)
        if twice is not None:
            raise ValueError(f"{' of '.join(map(str, twice))} stands twice")
        return rows

    @cached_property
    def divided(self) -> Divided:
        """In parts, as they are kept."""
        return divided(self, self.format)

    @property
    def digest(self) -> str:
        """The digest of what stands for them: of the first format the whole document, else its index."""
        return self.divided.digest

    def in_pieces(self) -> dict[str, Any]:
        """The change stands as the bytes it already has."""
        if self.change.value is None:
            return self.plain()
        rest = self.model_copy(update={"change": self.change.model_copy(update={"value": None})})
        plain = rest.plain()
        plain["change"]["value"] = orjson.Fragment(self.change.value.canonical)
        return plain

    @cached_property
    def part_digests(self) -> dict[str, str]:
        """The digests of the parts every approval is bound to, as far as they were read.

        Absence is one too.
        """
        place = {"service": self.service, "version": self.version, "repository": self.repository}
        asked = {
            "target": self.target.id,
            "route": self.route,
            "kind": self.kind,
            "requester": self.requester,
        }
        plain: dict[str, Any] = {
            "artifacts": [artifact.identity() for artifact in self.artifacts],
            "request": place | asked | {"at": self.requested_at.isoformat()},
            "plan": (self.plan or AT_ONCE).plain(),
        }
        if self.tickets.value is not None:
            plain["tickets"] = [ticket.plain() for ticket in self.tickets.value]
        read = {"change": self.change.value.digest} if self.change.value is not None else {}
        return {name: digest_of_plain(part) for name, part in plain.items()} | read

    @cached_property
    def asked_about(self) -> str:
        """The digest of what outside checks are asked about: they are asked again once any of it changes."""
        told: dict[str, Any] = {name: self.part_digests[name] for name in ("request", "plan")}
        told["artifacts"] = sorted(digest_of_plain(one.identity()) for one in self.artifacts)
        return digest_of_plain(told | {"replaces": self.runs.get(self.service, "")})

    def evidence_digest(self, names: frozenset[str]) -> str:
        """The digest of some of the evidence, and so of its absence."""
        return digest_of_plain([report.plain() for report in self.evidence if report.name in names])

    def kind_in_words(self) -> str:
        """`A rollback`, to begin a sentence with."""
        return {"ordinary": "An ordinary release", "urgent": "An urgent fix"}.get(self.kind, f"A {self.kind}")

    @cached_property
    def kept(self) -> dict[Any, Any]:
        """What was worked out of these facts and holds as long as they do; never part of them."""
        return {}

    @cached_property
    def author_ids(self) -> frozenset[str] | None:
        """The people known to have written part of the change; None where it is not known who wrote it."""
        if self.change.value is None:
            return None
        wrote = self.change.value.addresses
        return frozenset(person.id for person in self.people if person.addresses & wrote)

    def has_part(self, person: str) -> bool | None:
        """Whether somebody asked for it or wrote part of it; None where it is not known who wrote it."""
        if person == self.requester:
            return True
        return None if self.author_ids is None else person in self.author_ids

    @cached_property
    def strangers(self) -> tuple[Author, ...]:
        """Authors of the change whom no account is known of, each once."""
        known = frozenset[str]().union(*(person.addresses for person in self.people))
        commits = self.change.value.commits if self.change.value else ()
        found = {
            (as_compared(author.email) or author.name): author
            for commit in commits
            if not commit.addresses <= known
            for author in commit.authors
            if as_compared(author.email) not in known
        }
        return tuple(found.values())

    @cached_property
    def unreviewed(self) -> tuple[Commit, ...]:
        """The commits that name no reviewer but their authors, by whichever address of theirs."""
        return tuple(one for one, reviewers in self._reviewed if not reviewers)

    @cached_property
    def reviewed_by_strangers(self) -> tuple[Commit, ...]:
        """The commits that name reviewers, of none of whom an account is known."""
        known = self._own_addresses.keys()
        return tuple(one for one, reviewers in self._reviewed if reviewers and not reviewers & known)

    @cached_property
    def _reviewed(self) -> list[tuple[Commit, frozenset[str]]]:
        """Each commit with the addresses of reviewers who did not write it."""
        commits = self.change.value.commits if self.change.value else ()
        return [(one, frozenset(map(as_compared, one.reviewed_by)) - self._all_of(one)) for one in commits]

    def _all_of(self, commit: Commit) -> frozenset[str]:
        """Every address of who wrote a commit."""
        return commit.addresses.union(*(self._own_addresses.get(one, ()) for one in commit.addresses))

    @cached_property
    def _own_addresses(self) -> dict[str, frozenset[str]]:
        """Of each address that somebody writes by, all of theirs."""
        return {address: person.addresses for person in self.people for address in person.addresses}

    @cached_property
    def people_by_id(self) -> dict[str, Person]:
        """Everybody by id."""
        return {person.id: person for person in self.people}

    def service_name(self, service: str) -> str:
        """What a service is called."""
        return self.services.get(service, spoken(service))

    def name_of(self, person: str) -> str:
        """What somebody is called; the id where nobody knows."""
        known = self.people_by_id.get(person)
        return known.name if known else person
