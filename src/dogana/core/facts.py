"""What is known about one promotion at one moment: one document, stored under its digest.

Everything read from an outside system is a reading: it says its source, when it was read, and either
the value or why there is none. A source that failed is never a silent pass.
"""

from typing import Generic, Literal, TypeVar

from pydantic import Field

from dogana.core.document import Count, Digest, Document, Instant, Slug

T = TypeVar("T")


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


class Commit(Document):
    """One commit of the change."""

    revision: str
    author: str
    """As the repository names them."""
    author_email: str
    subject: str
    at: Instant


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


class Ticket(Document):
    """One ticket as its tracker tells it."""

    key: str
    title: str | None = None
    status: str | None = None
    """None when the tracker has no such ticket."""
    kind: str | None = None
    link: str | None = None


class Landing(Document):
    """The release in one environment of the leg before."""

    environment: Slug
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


class Person(Document):
    """Somebody who may take a seat, or who asked or wrote."""

    id: Slug
    name: str
    email: str
    groups: tuple[Slug, ...] = ()


class Place(Document):
    """One environment of the route."""

    id: Slug
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
    requester: Slug
    requested_at: Instant
    artifacts: tuple[Artifact, ...]
    change: Reading[Change]
    tickets: Reading[tuple[Ticket, ...]]
    leg_before: tuple[Landing, ...] = ()
    """Empty at the first leg."""
    runs: dict[Slug, str] = Field(default_factory=dict)
    """Which version of each service runs in the target now."""
    traffic: tuple[Passage, ...] = ()
    """What departed for the target in the last 31 days, this promotion not counted."""
    people: tuple[Person, ...]
    groups: dict[Slug, str] = Field(default_factory=dict)
    """What each group is called."""

    def authors(self) -> frozenset[str]:
        """The people known to have written part of the change."""
        if self.change.value is None:
            return frozenset()
        emails = {commit.author_email.casefold() for commit in self.change.value.commits}
        return frozenset(person.id for person in self.people if person.email.casefold() in emails)

    def name_of(self, person: str) -> str:
        """What somebody is called; the id where nobody knows."""
        return next((p.name for p in self.people if p.id == person), person)
