"""What a release brings against what runs, as the repository tells it."""

from functools import cached_property
from typing import Any

from dogana.core.document import Count, Document, Instant
from dogana.core.record.canonical import canonical, digest_bytes


def as_compared(address: str) -> str:
    """A mail address as it is compared: without spaces around it, capitals or not."""
    return address.strip().casefold()


class Author(Document):
    """Somebody who wrote part of a commit, as the repository names them."""

    name: str
    email: str


class Commit(Document):
    """One commit of the change."""

    revision: str
    author: str
    """As the repository names them."""
    author_email: str
    subject: str
    at: Instant | None = None
    """When it was committed; absent where it does not say, or nothing that could be."""
    reviewed_by: tuple[str, ...] = ()
    """Mail addresses of the people who the commit says reviewed it."""
    co_authors: tuple[Author, ...] = ()
    """Who else the commit says wrote it."""
    signed_by: str | None = None
    """Whose good signature it carries; absent when it has none that is known, or nobody looked."""

    @property
    def authors(self) -> tuple[Author, ...]:
        """Everybody who wrote it."""
        return (Author(name=self.author, email=self.author_email), *self.co_authors)

    @property
    def addresses(self) -> frozenset[str]:
        """By which addresses they wrote it, as addresses are compared."""
        return frozenset(map(as_compared, (self.author_email, *(one.email for one in self.co_authors))))


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
    signatures_read: bool = False
    """Whether anybody looked at the commits' signatures."""

    @cached_property
    def canonical(self) -> bytes:
        """Its canonical bytes: most of those of any facts it is part of, which are made far more often."""
        return canonical(self)

    @cached_property
    def digest(self) -> str:
        """The digest of the canonical document."""
        return digest_bytes(self.canonical)

    @cached_property
    def addresses(self) -> frozenset[str]:
        """By which addresses its authors wrote it, as far as they give any."""
        return frozenset[str]().union(*(commit.addresses for commit in self.commits)) - {""}

    @cached_property
    def kept(self) -> dict[Any, Any]:
        """What was worked out of this change alone and holds as long as it does; never part of it."""
        return {}


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
