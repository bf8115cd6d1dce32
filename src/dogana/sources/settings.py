"""What an administrator sets up of each kind of source; forms, API and documentation are made from it."""

import base64
from dataclasses import dataclass
from datetime import timedelta
from typing import Annotated, Generic, Literal, Self, TypeVar, cast
from urllib.parse import unquote, urlsplit

import jsonpointer
from pydantic import AfterValidator, Field, StringConstraints, model_validator

from dogana.core.document import Document, FiniteNumber, Slug
from dogana.core.time.windows import Zone
from dogana.sources.http import UnreadError

SourceKind = Literal["tickets", "metrics", "scrape", "calendar", "git"]
_QUERY = "{query}"
_KEY = "{key}"


def _with_key(address: str) -> str:
    if _KEY not in address:
        raise ValueError(f"the address needs {_KEY} where the ticket's key goes")
    return address


def _with_query(address: str) -> str:
    if _QUERY not in address:
        raise ValueError(f"the address needs {_QUERY} where the query goes")
    return address


def _pointer(text: str) -> str:
    try:
        jsonpointer.JsonPointer(text)
    except jsonpointer.JsonPointerException as exc:
        raise ValueError("a JSON Pointer (RFC 6901) begins with a slash, for example /fields/status") from exc
    return text


Address = Annotated[str, StringConstraints(pattern=r"^https?://[^\s]+$", max_length=1000)]
Pointer = Annotated[str, StringConstraints(max_length=200), AfterValidator(_pointer)]
Seconds = Annotated[FiniteNumber, Field(gt=0, le=60)]


class SourceSettings(Document):
    """What every kind has."""

    header: str = Field(default="Authorization", max_length=100, pattern=r"^[A-Za-z0-9-]+$")
    """The header that the secret is sent in, whole, where there is one."""
    user: str | None = Field(default=None, min_length=1, max_length=200, pattern=r"^[^:\x00-\x1f]+$")
    """The name for basic authentication (RFC 7617); the secret is its password then."""
    seconds: Seconds = 3
    """How long it may take to answer, retries included."""


class TrackerSettings(SourceSettings):
    """A ticket tracker that answers JSON."""

    address: Annotated[Address, AfterValidator(_with_key)]
    """Where a ticket is read, with {key} for its key."""
    numbered: bool = False
    """Whether its keys are numbers, written like #12; the number alone is sent."""
    letters: Literal["upper", "lower", "either"] = "upper"
    """How the letters of its keys are written; those written either way are sent in capitals."""
    projects: tuple[Annotated[str, StringConstraints(pattern=r"^[A-Za-z][A-Za-z0-9]{1,9}$")], ...] = ()
    """The beginnings of its keys, such as TAPS; any that no other tracker claims when empty."""
    key: Pointer | None = None
    """Where its own key stands; an answer about another ticket than was asked for is unread then."""
    status: Pointer = "/status"
    """Where in the answer the status stands, as a JSON Pointer."""
    title: Pointer = "/title"
    """Where the title stands."""
    kind: Pointer | None = None
    """Where its type stands."""
    link: Pointer | None = None
    """Where an address for people stands."""
    blockers: Pointer | None = None
    """Where the list of tickets stands that block it: keys, or objects; it tells of none when left out."""
    absent_means_unblocked: bool = False
    """Whether a ticket without that list is blocked by nothing; what blocks it is unknown when not."""
    blocker_key: Pointer = "/key"
    """Where in such an object the key stands."""
    blocker_status: Pointer = "/status"
    """Where in such an object the status stands."""
    ask_blockers: bool = False
    """Whether the status of each blocker is read with a request of its own."""
    empty_means_none: bool = False
    """Whether an empty answer means that there is no such ticket; it counts as unread when not."""
    closed: tuple[str, ...] = ("done",)
    """The statuses of a ticket that blocks no longer."""
    search: Annotated[Address, AfterValidator(_with_query)] | None = None
    """Where a query is answered with a list of keys, with {query} in it; it answers none when left out."""
    found: Pointer = ""
    """Where in that answer the list stands; the answer itself when left out."""
    found_key: Pointer = "/key"
    """Where in each of it the key stands, where they are objects."""
    found_total: Pointer | None = None
    """Where in that answer it stands how many there are in all; fewer listed are not all."""
    good_for: timedelta = timedelta(minutes=2)
    """How long what it said last is used while it cannot be read."""

    @model_validator(mode="after")
    def _tells_keys_from_words(self) -> Self:
        if self.letters != "upper" and not self.projects and not self.numbered:
            raise ValueError("name its projects: in small letters any word with a number might be a key")
        return self

    def key_in(self, named: str) -> str | None:
        """The key of a ticket of this tracker that a text names; None where it is none.

        Args:
            named: what looks like a key: `CW-12`, `cw-12`, `#12`.
        """
        if named.startswith("#") or self.numbered:
            return named if named.startswith("#") and self.numbered else None
        project = named.partition("-")[0]
        if self.projects and project.upper() not in {one.upper() for one in self.projects}:
            return None
        if self.letters == "either":
            return named.upper()
        return named if named == (named.upper() if self.letters == "upper" else named.lower()) else None


class MetricsSettings(SourceSettings):
    """A metrics server with the Prometheus HTTP API."""

    address: Address
    """Its base address; `/api/v1/query_range` is added."""
    prefer: bool = False
    """Whether monitors that name no source ask this one first."""


class ScrapeSettings(SourceSettings):
    """A page of metrics in the OpenMetrics or Prometheus text format."""

    address: Address
    """The page."""
    every: timedelta = Field(default=timedelta(seconds=15), ge=timedelta(seconds=1), le=timedelta(hours=1))
    """How often it is read."""
    keep: timedelta = Field(default=timedelta(hours=24), ge=timedelta(minutes=1), le=timedelta(days=31))
    """How long its values are kept."""
    names: tuple[str, ...] = Field(min_length=1, max_length=100)
    """The metrics that are kept, by name."""


class CalendarSettings(SourceSettings):
    """An iCalendar address that a shared calendar is kept like."""

    address: Address
    """Where it is published."""
    calendar: Slug
    """The shared calendar that is set from it."""
    zone: Zone = "Etc/UTC"
    """The zone of its days and of times without one."""
    transparent: Literal["refuse", "close", "leave out"] = "refuse"
    """What events are that say they take no time; the calendar is not taken over while that is not said."""
    every: timedelta = Field(default=timedelta(hours=1), ge=timedelta(seconds=10), le=timedelta(days=7))
    """How often it is read."""
    good_for: Annotated[timedelta, Field(ge=timedelta(minutes=1), le=timedelta(days=31))] | None = None
    """How long what it said last is used while it cannot be read; a day, or twice `every`, when left out."""

    @model_validator(mode="after")
    def _is_read_in_time(self) -> Self:
        if self.good_for is not None and self.good_for <= self.every:
            raise ValueError("good_for has to be longer than every")
        return self


class GitSettings(SourceSettings):
    """A place with git repositories, and what is sent to it."""

    address: Address
    """How the addresses of its repositories begin, up to a slash."""

    def holds(self, address: str) -> bool:
        """Whether a repository lies below it: on the very same host, and no way out of its path."""
        own, other = urlsplit(self.address), urlsplit(address)
        steps = unquote(other.path).split("/")
        below = f"{other.path}/".startswith(own.path.rstrip("/") + "/")
        return (own.scheme, own.netloc) == (other.scheme, other.netloc) and below and ".." not in steps


K = TypeVar("K", bound=SourceSettings)
S_co = TypeVar("S_co", bound=SourceSettings, covariant=True)


@dataclass(frozen=True)
class Configured(Generic[S_co]):
    """A source as it was set up, with its secret opened."""

    id: str
    title: str
    settings: S_co
    secret: str | None = None
    shut: str | None = None
    """Why its secret does not open; None where it does, or there is none."""

    def headers(self) -> dict[str, str]:
        """What authenticates us to it.

        Raises:
            UnreadError: where its secret does not open.
        """
        if self.shut is not None:
            raise UnreadError(f"its secret does not open: {self.shut}")
        if self.secret and self.settings.user is not None:
            pair = f"{self.settings.user}:{self.secret}".encode()
            return {"Authorization": f"Basic {base64.b64encode(pair).decode()}"}
        return {self.settings.header: self.secret} if self.secret else {}

    def of(self, kind: type[K]) -> "Configured[K]":
        """The same source, known to be of a kind.

        Raises:
            TypeError: when it is of another.
        """
        if not isinstance(self.settings, kind):
            raise TypeError(f"{self.id} is no {kind.__name__}")
        return cast("Configured[K]", self)


@dataclass(frozen=True)
class RepositoryAt:
    """A git repository, and what is sent to it."""

    address: str
    """A path below the repository root, or an http or https address."""
    headers: tuple[tuple[str, str], ...] = ()
    paths: tuple[str, ...] = ()
    """Below which files count; all where none is named."""


SETTINGS: dict[SourceKind, type[SourceSettings]] = {
    "tickets": TrackerSettings,
    "metrics": MetricsSettings,
    "scrape": ScrapeSettings,
    "calendar": CalendarSettings,
    "git": GitSettings,
}
