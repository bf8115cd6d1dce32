"""What is known about one promotion at one moment: one document, stored under its digest.

Everything read from an outside system is a reading: it says its source, when it was read, and either
the value or why there is none. A source that failed is never a silent pass.
"""

from datetime import timedelta
from functools import cached_property
from typing import Annotated, Any, Generic, Literal, TypeVar

from pydantic import Field, StringConstraints

from dogana.core.document import Content, Count, Digest, Document, EnvironmentId, Instant, Number, Slug
from dogana.core.record.canonical import digest
from dogana.core.rollout import Plan
from dogana.core.time.windows import Calendar
from dogana.core.words import spoken

T = TypeVar("T")
Kind = Literal["ordinary", "urgent", "rollback", "backfill"]
"""What it is for: the usual way, an urgent fix, going back, bringing an urgent fix to what it skipped."""
ReportKind = Literal["tests", "coverage", "scan", "components", "plan", "attestation", "file", "link"]


class Reading(Document, Generic[T]):
    """A value from outside, or the reason why it is not known."""

    source: str
    """Which system was asked, in words."""
    read_at: Instant
    value: T | None = None
    unknown: str | None = None
    """Why the value could not be read; absent when it could."""


class Artifact(Document):
    """One built thing, named by what it is and known by its bytes."""

    name: str = Field(min_length=1, max_length=200)
    digest: Digest
    size: Count
    """Bytes."""
    link: Annotated[str, StringConstraints(pattern=r"^https?://\S{1,2000}$")] | None = None
    """Where it can be fetched; what it is does not depend on it."""

    def identity(self) -> dict[str, Any]:
        """What it is, wherever it lies."""
        return {"name": self.name, "digest": self.digest, "size": self.size}


class Commit(Document):
    """One commit of the change."""

    revision: str
    author: str
    """As the repository names them."""
    author_email: str
    subject: str
    at: Instant
    reviewed_by: tuple[str, ...] = ()
    """Mail addresses of the people who the commit says reviewed it."""


class FileChange(Document):
    """One file of the change; the counts are lines, None for what is not text."""

    path: str
    added: Count | None = None
    removed: Count | None = None


class Change(Document):
    """What the release brings against what runs in the target."""

    base: str | None = None
    """The revision that runs in the target now; None when nothing does."""
    revision: str
    commits: tuple[Commit, ...]
    """Newest first."""
    files: tuple[FileChange, ...]
    ticket_keys: tuple[str, ...]
    """Found in the commits' messages and named in the request, sorted."""


class SourceTag(Document):
    """One tag on the source revision."""

    name: str
    signed_by: str | None = None
    """Whose good signature it carries; absent when it has none that is known."""


class Origin(Document):
    """Where the source revision stands in its repository."""

    branches: tuple[str, ...] = ()
    """The branches that hold it."""
    tags: tuple[SourceTag, ...] = ()
    """The tags on it."""


class Report(Document):
    """One piece of evidence that came with the release."""

    name: Slug
    """What policies call it."""
    kind: ReportKind
    produced_at: Instant
    by: str = Field(max_length=200)
    """Who or what made it."""
    content: Content
    """What it says, parsed."""
    link: str | None = None


class Series(Document):
    """What a monitor showed over a window."""

    values: tuple[Number, ...] = Field(max_length=2000)
    """Oldest first."""


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
    link: str | None = None
    open_blockers: tuple[str, ...] = ()
    """The keys of the tickets that block it and are still open."""


class Landing(Document):
    """The release in one environment of the leg before."""

    environment: EnvironmentId
    title: str
    landed_at: Instant | None = None
    healthy_since: Instant | None = None
    replaced_at: Instant | None = None
    """When another release took its place there; absent while it runs."""
    artifacts: tuple[Artifact, ...] = ()


class Passage(Document):
    """A release that departed for the target environment lately."""

    service: Slug
    version: str
    departed_at: Instant
    arrived_at: Instant | None = None
    """When it landed or was taken back; absent while it is on its way."""


class Queued(Document):
    """Another promotion of the same service that waits for the target."""

    number: Count
    version: str
    requested_at: Instant


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
    groups: tuple[Slug, ...] = ()


class Place(Document):
    """One environment of the route."""

    id: EnvironmentId
    title: str
    zone: str


class Facts(Document):
    """Everything a policy may look at."""

    format: Literal["dogana.facts/1"] = "dogana.facts/1"
    service: Slug
    version: str
    repository: str
    target: Place
    route: Slug
    kind: Kind = "ordinary"
    requester: Slug
    requested_at: Instant
    not_before: Instant | None = None
    """The start that a person set for it; absent for as soon as it can."""
    artifacts: tuple[Artifact, ...]
    plan: Plan | None = None
    """How it is to go in; absent when all at once."""
    change: Reading[Change]
    origin: Reading[Origin] | None = None
    tickets: Reading[tuple[Ticket, ...]]
    evidence: tuple[Report, ...] = ()
    """What came with the release, the latest of each name."""
    monitors: tuple[Monitor, ...] = ()
    calendars: dict[Slug, Calendar] = Field(default_factory=dict)
    """The shared calendars by name."""
    waiting: tuple[Queued, ...] = ()
    """Of many, only those asked for first and last."""
    """What else of the same service waits for the target, by the time of request."""
    leg_before: tuple[Landing, ...] = ()
    """Empty at the first leg."""
    runs: dict[Slug, str] = Field(default_factory=dict)
    """Which version of each service runs in the target now."""
    services: dict[Slug, str] = Field(default_factory=dict)
    """What the services named here are called."""
    traffic: tuple[Passage, ...] = ()
    """What departed for the target in the last 31 days, this promotion not counted."""
    people: tuple[Person, ...]
    groups: dict[Slug, str] = Field(default_factory=dict)
    """What each group is called."""

    stand_ins: tuple[StandIn, ...] = ()

    @cached_property
    def digest(self) -> str:
        """The digest of the canonical document."""
        return digest(self)

    @cached_property
    def part_digests(self) -> dict[str, str]:
        """The digests of the parts an approval is bound to, as far as they are there and were read."""
        parts: dict[str, Any] = {"artifacts": [artifact.identity() for artifact in self.artifacts]}
        if self.change.value is not None:
            parts["change"] = self.change.value
        if self.tickets.value is not None:
            parts["tickets"] = [ticket.plain() for ticket in self.tickets.value]
        if self.plan is not None:
            parts["plan"] = self.plan
        return {name: digest(part) for name, part in parts.items()}

    def evidence_digest(self, names: frozenset[str]) -> str | None:
        """The digest of some of the evidence; None where there is none of it."""
        key = ("evidence", names)
        if key not in self.kept:
            wanted = [report.plain() for report in self.evidence if report.name in names]
            self.kept[key] = digest(wanted) if wanted else None
        found: str | None = self.kept[key]
        return found

    def kind_in_words(self) -> str:
        """`A rollback`, to begin a sentence with."""
        return {"ordinary": "An ordinary release", "urgent": "An urgent fix"}.get(self.kind, f"A {self.kind}")

    @cached_property
    def kept(self) -> dict[Any, Any]:
        """What was worked out of these facts and holds as long as they do; never part of them."""
        return {}

    @cached_property
    def author_ids(self) -> frozenset[str]:
        """The people known to have written part of the change."""
        if self.change.value is None:
            return frozenset()
        emails = {commit.author_email.casefold() for commit in self.change.value.commits}
        return frozenset(person.id for person in self.people if person.email.casefold() in emails)

    @cached_property
    def unreviewed(self) -> tuple[Commit, ...]:
        """The commits that name no reviewer but their author."""
        commits = self.change.value.commits if self.change.value else ()
        return tuple(
            commit
            for commit in commits
            if not any(who.casefold() != commit.author_email.casefold() for who in commit.reviewed_by)
        )

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
