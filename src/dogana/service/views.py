"""What readers are given: the shapes of the desk, the dossier, the route line and the ledger."""

from typing import Literal

from pydantic import BaseModel, ConfigDict, JsonValue

from dogana.core.change import Author, Change, Commit, FileChange, Origin
from dogana.core.decisions import Shown
from dogana.core.document import Instant
from dogana.core.facts import Artifact, Kind, Landing, Reading, Report, Ticket
from dogana.core.inspect.sheet import Verdict
from dogana.core.rules.findings import Evidence, Outcome
from dogana.core.time.forecast import Closing

WaitsFor = Literal["you", "others", "facts", "time", "nothing", "moving", "halted", "ended"]


class View(BaseModel):
    """A response."""

    model_config = ConfigDict(frozen=True, json_schema_serialization_defaults_required=True)


class Named(View):
    """Something with an id for links and a name for people."""

    id: str
    name: str


class SeatView(View):
    """One seat as the viewer sees it."""

    rule: str
    label: str
    taken_by: Named | None
    taken_for: Named | None
    """Whom that person stands in for."""
    taken_at: Instant | None
    yours: bool
    """Whether the viewer could take it, or has."""
    later: bool
    """It opens only when the seats before it are filled."""


class Target(View):
    """Where a promotion goes."""

    id: str
    name: str
    zone: str


class Row(View):
    """One promotion on the desk."""

    number: int
    service: Named
    version: str
    kind: Kind
    route: Named
    urgent: bool
    """Whether it takes an urgent route."""
    bundle: Named | None
    """What it crosses together with, or not at all."""
    source: str | None
    target: Target
    state: str
    verdict: Verdict
    sentence: str
    waits_for: WaitsFor
    seats: list[SeatView]
    closings: list[Closing]
    first_start: Instant | None
    taken_in_at: Instant | None
    """When its environment next takes in what is cleared, where that has set times."""
    prepared_at: Instant | None
    """When its deployer said that everything is ready for it."""
    requested_by: Named
    requested_at: Instant
    changed_at: Instant
    departed_at: Instant | None
    closed_at: Instant | None
    shown: Shown | None
    """What an approval of this very row is bound to, where it waits for the reader."""


class Question(View):
    """A comment that names the reader, who has not answered."""

    promotion: int
    by: Named
    text: str


class TroubleView(View):
    """Work on a promotion that failed."""

    number: int
    what: str
    reason: str
    at: Instant
    again_at: Instant | None
    """When it is tried again; absent where that is soon."""


class Desk(View):
    """Everything under way, and what ended lately; `at` is the start of the time axis."""

    at: Instant
    rows: list[Row]
    questions: list[Question]
    looking: dict[int, list[Named]]
    """Who else has which promotion open."""
    filters: list["SavedFilter"]


class SavedFilter(View):
    """A Desk as the viewer likes to see it."""

    name: str
    query: str
    """Of the address, without the question mark."""


class PromotionPage(View):
    """A page of promotions, the latest asked for first; `next` continues it."""

    at: Instant
    rows: list[Row]
    next: int | None


class Departure(View):
    """A promotion that departed, and what its deployer must hold."""

    promotion: Row
    clearance: str | None
    """A JWS; None for a person at the desk, whose deployer asks for it."""


class ClosingView(View):
    """An environment closed at once."""

    id: int
    environment: str
    since: Instant
    until: Instant
    reason: str
    by: Named
    opening_asked_by: Named | None
    """Who asked to open it before its end."""
    opened_at: Instant | None


class Station(View):
    """One environment on the route line."""

    id: str
    name: str
    leg: int
    waiting: int
    moving: int
    closed_by: str | None
    """The window that closes it now."""
    closed_until: Instant | None
    closed_at_once: ClosingView | None
    """The last of what closes it that the policy does not say."""
    may_close: bool
    """Whether the viewer may close it at once, and open it again with a second person."""
    takes_in: str | None
    """Its set times, in words."""
    next_at: Instant | None
    """The next of them."""


class RouteLine(View):
    """A route with its stations in order."""

    id: str
    name: str
    urgent: bool
    stations: list[Station]


class WaiverView(View):
    """A waiver of one rule, asked for or granted."""

    asked_by: Named
    granted_by: Named | None
    reason: str
    until: Instant


class FindingView(View):
    """One finding, as the dossier shows it."""

    rule: str
    kind: str
    title: str
    outcome: Outcome
    because: str
    settled_by: Literal["time", "people", "facts"] | None
    clears_at: Instant | None
    evidence: list[Evidence]
    history: list["Earlier"]
    """What it was before, the earliest first."""
    waivable_by: str | None
    """The group that may grant a waiver of it, by its title; None where it is never waived."""
    waiver: WaiverView | None
    may_ask: bool
    """Whether the viewer may ask for a waiver of it."""
    may_grant: bool
    """Whether the viewer may grant the one asked for."""
    may_revoke: bool
    """Whether the viewer may end it."""
    advisory: bool
    """Whether it is only shown."""
    asked_since: "RuleOrigin | None"
    """Since when the rule asks for what it does; None where that is not known."""


class RuleOrigin(View):
    """The version of a policy in which a rule first asked for what it does."""

    environment: str
    version: int
    adopted_by: Named
    in_force_from: Instant


class Earlier(View):
    """What a finding was until an instant."""

    outcome: Outcome
    because: str
    until: Instant
    whose: Named | None
    """Whose approval it counted until then; None where the outcome itself changed."""


class EntryView(View):
    """One ledger entry."""

    id: int
    place: int | None
    """Its place in the ledger; None until the sequencer has given it one."""
    at: Instant
    action: str
    actor: Named
    way: str
    says: str
    reason: str
    promotion: int | None
    environment: str | None
    service: str | None
    version: str | None
    on: dict[str, str]
    details: dict[str, JsonValue]


class PolicyRef(View):
    """The policy version an inspection used."""

    environment: str
    version: int
    title: str
    digest: str
    baseline: str | None
    """The class of environments it inherits from, by its title."""
    adopted_by: Named | None
    in_force_from: Instant | None


class MyPart(View):
    """What the viewer can do here, and what it would bring about."""

    shown: Shown
    may_approve: bool
    why_not: str | None
    sits_for: Named | None
    """Whom the viewer would stand in for."""
    effect: str | None
    """What an approval by the viewer would bring about, in words."""
    comment_needed: bool
    """Whether an approval must say why."""
    may_turn_back: bool
    may_retract: bool
    may_withdraw: bool
    """Whether the viewer may also set its start."""
    may_depart: bool
    may_accept: bool
    """Whether the viewer may accept what landed otherwise than it was cleared."""
    may_cancel: bool
    """Whether the viewer may order what moves back."""
    may_declare_urgent: bool
    may_exchange: bool
    """Whether the viewer may put another release in its place."""
    lapsed: "Lapsed | None"


class Lapsed(View):
    """An approval of the viewer that counts no longer."""

    given_at: Instant
    at: Instant
    """Since when it does not count."""
    because: str
    changes: list[str] = []
    """Each single thing that differs from what it was given on."""


class FileView(View):
    """The file a report was read from."""

    name: str
    size: int
    digest: str
    address: str
    """Where it is downloaded."""


class Counts(View):
    """How much a change is in all."""

    commits: int
    files: int


class ChangePage(View):
    """Some more of a change."""

    commits: list[Commit]
    files: list[FileChange]


class Dossier(View):
    """One promotion's whole file."""

    at: Instant
    row: Row
    note: str
    plan: str
    """How it is to go in, in words."""
    repository: str
    change: Reading[Change]
    """Of its commits and files the first hundreds; more are read page by page."""
    counts: Counts
    strangers: list[Author]
    """Who wrote part of it, and has no account here."""
    clearance_live: bool
    """Whether somebody holds a clearance of it that is good."""
    tickets: Reading[tuple[Ticket, ...]]
    origin: Reading[Origin] | None
    evidence: list[Report]
    files: dict[str, FileView]
    """The files of the evidence that came as files, by its name."""
    artifacts: list[Artifact]
    leg_before: list[Landing]
    authors: list[Named]
    findings: list[FindingView]
    policy: PolicyRef
    mine: MyPart
    looking: list[Named]
    """Who else has it open."""
    not_before: Instant | None
    """The start that a person set."""
    course: list[EntryView]


class CheckpointView(View):
    """The state of the ledger as last signed."""

    size: int
    root: str
    signed_at: Instant
    note: str


class LedgerPage(View):
    """A page of entries, the latest first; `next` continues it."""

    entries: list[EntryView]
    next: int | None
    total: int
    checkpoint: CheckpointView | None


class LedgerFilters(View):
    """What the ledger can be narrowed to."""

    people: list[Named]
    environments: list[Named]
    services: list[Named]
    actions: list[str]


class PolicyView(View):
    """One version of an environment's policy."""

    environment: str
    version: int
    digest: str
    author: Named
    drafted_at: Instant
    adopter: Named | None
    in_force_from: Instant | None
    document: dict[str, object]
