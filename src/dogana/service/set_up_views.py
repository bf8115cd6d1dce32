"""What readers are given of what is set up: people, tokens, sources, releases, values, events."""

from typing import Any

from dogana.core.document import Instant
from dogana.core.facts import Artifact
from dogana.service.access import Right
from dogana.service.views import Named, View
from dogana.sources.settings import Kind as SourceKind


class Me(View):
    """Who is signed in, and what they may do."""

    id: str
    name: str
    roles: list[str]
    rights: list[Right]
    groups: list[Named]
    zone: str
    """The IANA zone in which views tell the time that concern no one environment."""
    csrf_token: str


class TokenView(View):
    """A token, without its text."""

    id: int
    title: str
    person: Named
    scopes: list[str]
    services: list[str]
    """Which it is for; every one where empty."""
    environments: list[str]
    created_at: Instant
    expires_at: Instant
    revoked_at: Instant | None


class PersonView(View):
    """Somebody who can sign in, or act by a token."""

    id: str
    name: str
    email: str
    other_emails: list[str]
    """By which else they write commits."""
    roles: list[str]
    groups: list[Named]
    machine: bool
    """Whether it acts by tokens alone."""
    can_sign_in: bool
    """Whether a password was chosen."""


class SessionView(View):
    """One of one's own sessions."""

    id: int
    began_at: Instant
    expires_at: Instant
    agent: str
    """What the browser called itself."""
    address: str
    this_one: bool


class ProposalView(View):
    """A change that waits for a second person."""

    id: int
    kind: str
    """`person`, `invitation` or `calendar`."""
    subject: str
    title: str
    """To go on after *asked for*."""
    old: dict[str, Any] | None
    new: dict[str, Any] | None
    asked_by: Named
    asked_at: Instant
    mine_to_confirm: bool
    mine_to_drop: bool


class Asked(View):
    """What came of a change that may take a second person."""

    waits: int | None = None
    """The number under which it waits for one; None where it was made."""
    alone: bool = False
    """Whether it was made though nobody else could confirm it."""
    invitation: str | None = None
    """What somebody chooses their password with, to be handed over to them; shown once."""


class StandInView(View):
    """Who may take whose seats, from when until when."""

    id: int
    person: Named
    stands_in_for: Named
    start: Instant
    end: Instant


class SourceView(View):
    """A source as it was set up, and how reading it goes; its secret is never shown."""

    id: str
    kind: SourceKind
    title: str
    settings: dict[str, Any]
    has_secret: bool
    version: int
    read_at: Instant | None
    """When it was last read well."""
    failing_since: Instant | None
    reason: str | None


class SealedValueView(View):
    """A sealed value without what it is."""

    service: str
    environment: str | None
    """The environment it is for; every one that has none of its own where None."""
    name: str
    set_by: Named
    set_at: Instant


class ClearanceStatus(View):
    """Whether a clearance is good now (RFC 7662)."""

    active: bool
    reason: str | None
    """Why it is not."""
    claims: dict[str, Any]
    used_at: Instant | None


class KeyView(View):
    """A key that signs clearances."""

    kid: str
    made_at: Instant


class ReleaseView(View):
    """One release and what came with it."""

    service: Named
    version: str
    revision: str
    created_at: Instant
    artifacts: list[Artifact]
    evidence: list[str]


class ReleasePage(View):
    """A page of releases, the latest first; `next` continues it."""

    releases: list[ReleaseView]
    next: int | None


class Line(View):
    """One thing that came back."""

    label: str
    value: str


class Trial(View):
    """What came of asking a source something."""

    works: bool
    says: str
    lines: list[Line]
    milliseconds: int


class SenderView(View):
    """A system that sends events, and as whom."""

    id: str
    title: str
    person: Named
    binary: bool
    """Whether events are taken whose attributes stand in headers, which are not signed."""


class ArrivalView(View):
    """An event that came, and what followed from it."""

    source: str
    id: str
    sender: str
    type: str
    arrived_at: Instant
    state: str
    """Taken, waiting or refused."""
    says: str


class SubscriberView(View):
    """A system that is told of what happens."""

    id: str
    title: str
    address: str
    actions: list[str]
    """The kinds of entry it is told of; all where empty."""


class DeliveryView(View):
    """Something a subscriber is still to be told, or that was given up."""

    id: int
    subscriber: str
    says: str
    at: Instant
    attempts: int
    due_at: Instant
    dead_at: Instant | None
    reason: str | None
