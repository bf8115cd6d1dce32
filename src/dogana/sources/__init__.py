"""One adapter per kind of outside system, behind one small protocol each.

An adapter never raises for a system that is down or wrong: it answers with a reading that says why.
"""

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime, timedelta
from email.message import EmailMessage
from typing import Protocol

from dogana.core.change import Change, Origin
from dogana.core.facts import Reading, Series, Ticket
from dogana.core.health import counters as health
from dogana.core.patch import CommitPatch
from dogana.sources.metrics import Bucket, Sample
from dogana.sources.settings import Configured, MetricsSettings, RepositoryAt, ScrapeSettings, TrackerSettings


class Repositories(Protocol):
    """Where the source of services lies."""

    async def change(
        self, at: RepositoryAt, base: str | None, revision: str, *, signatures: bool = False
    ) -> Reading[Change]:
        """Commits and files from what runs to what is asked for."""

    async def origin(self, at: RepositoryAt, revision: str) -> Reading[Origin]:
        """The branches that hold a revision, and the tags on it."""

    async def check(self, at: RepositoryAt, revision: str) -> Reading[bool]:
        """Whether a branch or tag still holds a revision; unknown when the repository cannot be read."""

    async def holding(
        self, at: RepositoryAt, commit: str, revisions: Collection[str]
    ) -> Reading[tuple[str, ...]]:
        """Which of some revisions hold a commit; none where the repository has no such commit."""

    async def ahead(self, at: RepositoryAt, base: str, revision: str) -> Reading[int]:
        """How many commits a revision has that another one has not."""

    async def patch(self, at: RepositoryAt, revision: str) -> Reading[CommitPatch]:
        """What one commit says and changed; unknown when it cannot be read."""

    def known(self, address: str, revision: str) -> str | None:
        """A full commit id that a repository is known to have had; None where it has to be asked."""

    async def head(self, at: RepositoryAt) -> str:
        """The full commit id that the repository itself points at.

        Raises:
            RepositoryError: when there is no such repository, or it points at nothing.
        """

    async def resolve(self, at: RepositoryAt, revision: str) -> str:
        """The full commit id of a revision.

        Raises:
            RepositoryError: when there is no such repository or revision.
        """


class Tracker(Protocol):
    """Where tickets are kept."""

    async def tickets(
        self, tracker: Configured[TrackerSettings], keys: tuple[str, ...]
    ) -> Reading[tuple[Ticket, ...]]:
        """The present state of some tickets."""

    async def search(self, tracker: Configured[TrackerSettings], query: str) -> Reading[tuple[str, ...]]:
        """The keys of the tickets that a query finds."""


@dataclass(frozen=True, kw_only=True)
class Began:
    """An attempt to sign in at a directory: where the browser goes, and what has to come back."""

    url: str
    state: str
    nonce: str
    verifier: str


@dataclass(frozen=True, kw_only=True)
class Identity:
    """Who somebody is, as a directory says."""

    issuer: str
    subject: str
    """Names them there for good; addresses and names may change hands."""
    email: str | None
    """Their address, where the directory has made sure that it is theirs."""
    groups: frozenset[str] | None
    """What the directory calls the groups they are in; None where it does not say."""
    authenticated_at: datetime | None = None
    """When they showed there who they are; None where it does not say."""
    acr: str | None = None
    """The class of that; None where it does not say."""


class NoIdentityError(Exception):
    """A directory did not say who somebody is; the text says why, to go after `it`'s place in a sentence."""


class Directory(Protocol):
    """Where people have the account that they sign in with."""

    name: str
    """What people call it."""

    async def begin(self, redirect: str, fresh: timedelta | None = None, acr: str = "") -> Began:
        """Where a browser is sent to sign in, and what has to come back.

        Args:
            redirect: where it sends the browser back to.
            fresh: how long ago they may have shown who they are; any time where None.
            acr: the class that this has to have; any where empty.

        Raises:
            NoIdentityError: while it does not answer.
        """

    async def finish(self, code: str, began: Began, redirect: str) -> Identity:
        """Who has signed in there, from the code that came back.

        Raises:
            NoIdentityError: for anything that is not to be believed.
        """

    async def sign_out_at(self, then: str) -> str | None:
        """Where a browser is sent to sign out there, and comes back from; None where one cannot."""


class NotSentError(Exception):
    """A mail was not taken; the text says why, to go after `the mail server `."""

    def __init__(self, reason: str, *, for_good: bool = False) -> None:
        super().__init__(reason)
        self.for_good = for_good
        """Whether the server said that it will never take it."""


class Mailer(Protocol):
    """What takes mail."""

    sender: str
    """The address that mail comes from."""

    async def send(self, message: EmailMessage) -> None:
        """Hand one mail over.

        Raises:
            NotSentError: saying why, and whether it is worth trying again.
        """


@dataclass(frozen=True, kw_only=True)
class Said:
    """Something that somebody said in a room."""

    room: str
    event: str
    """What names it there."""
    sender: str
    at: datetime
    """As the server says."""
    text: str
    """Their words, or the sign of a reaction."""
    about: str | None
    """The event that it answers or reacts to."""


@dataclass(frozen=True, kw_only=True)
class Posted:
    """Something that we wrote in a room."""

    event: str
    at: datetime
    """As the server says."""


@dataclass(frozen=True, kw_only=True)
class Heard:
    """What was said since a point."""

    said: tuple[Said, ...]
    following: str
    """Where the next reading goes on."""
    whole: bool
    """Whether that is all; what was left out was never heard."""


class Chat(Protocol):
    """Rooms in which people talk."""

    async def join(self, room: str) -> None:
        """Come into a room; nothing happens where we are in it.

        Raises:
            NotSentError: where one may not, or it cannot be asked.
        """

    async def post(
        self,
        room: str,
        key: str,
        text: str,
        html: str,
        *,
        edits: str | None = None,
        answers: str | None = None,
    ) -> Posted:
        """Write something, once under a key; in the place of an event, or in the thread of one.

        Raises:
            NotSentError: saying why, and whether it is worth trying again.
        """

    async def heard(self, since: str | None, seconds: float) -> Heard:
        """What was said since a point; from now on where there is none.

        Raises:
            UnreadError: when it cannot be read.
        """


class Metrics(Protocol):
    """What watches over the health of environments."""

    async def series(
        self, server: Configured[MetricsSettings], query: str, environment: str, window: timedelta
    ) -> Reading[Series]:
        """What a query shows of an environment over a window up to now."""

    async def stretch(
        self,
        server: Configured[MetricsSettings],
        query: str,
        environment: str,
        start: datetime,
        end: datetime,
        step: timedelta,
    ) -> Reading[tuple[Bucket, ...]]:
        """What a query showed of an environment from one instant to another, in steps."""

    async def vector(
        self, server: Configured[MetricsSettings], query: str, at: datetime
    ) -> Reading[tuple[health.Sample, ...]]:
        """What a query gives at an instant, series by series."""

    async def page(self, page: Configured[ScrapeSettings]) -> list[Sample]:
        """The values on a page of metrics.

        Raises:
            UnreadError: when it cannot be read.
        """
