"""The tables. What must hold under concurrency is a named constraint here."""

import enum
from datetime import datetime
from typing import Any

from sqlalchemy import BigInteger, CheckConstraint, ForeignKey, Identity, Index, UniqueConstraint, text
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from dogana.store.base import Table
from dogana.store.people import PersonRow


class State(enum.StrEnum):
    """Where a promotion stands in its course."""

    WAITING = "waiting"
    """Taken in, not cleared."""
    CLEARED = "cleared"
    """May go; departs when its environment says."""
    MOVING = "moving"
    """Departed; the deployer is at work."""
    HALTED = "halted"
    """Departed and stopped: other bytes landed than were cleared, or somebody ordered it back."""
    LANDED = "landed"
    """Runs in the environment, or ran there until a later one landed."""
    ROLLED_BACK = "rolled back"
    """Departed and was taken back; what ran before runs again."""
    TURNED_BACK = "turned back"
    """A reviewer said no."""
    WITHDRAWN = "withdrawn"
    """Taken back before departure by who asked, or by an approver."""
    SUPERSEDED = "superseded"
    """A newer one of the same service took its place before departure."""


PENDING = (State.WAITING, State.CLEARED)
ON_ITS_WAY = (State.MOVING, State.HALTED)
UNDER_WAY = (*PENDING, *ON_ITS_WAY)


class EnvironmentRow(Table):
    """A guarded environment."""

    __tablename__ = "environments"
    __table_args__ = (
        CheckConstraint(
            "departs IN ('at once', 'by deployer', 'by timetable', 'never')",
            name="departs",
        ),
    )

    id: Mapped[str] = mapped_column(primary_key=True)
    title: Mapped[str]
    zone: Mapped[str]
    departs: Mapped[str]
    """How what is cleared departs: at once, when its deployer says so, or at its set times."""
    timetable: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    """Its set times; a person may still let something depart by hand."""
    template: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    """What previews made from it are like; None for an environment that is no template."""
    deployers: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    """Who lets go and reports: `people`, `groups`, `tokens`; whoever may deploy at all where None."""
    taken_in_at: Mapped[datetime | None]
    """The last of its set times that was seen to."""
    made_from_id: Mapped[str | None] = mapped_column(ForeignKey("environments.id"))
    """The template a preview was made from."""
    made_at: Mapped[datetime | None]
    ends_at: Mapped[datetime | None]
    """When a preview ends."""
    removed_at: Mapped[datetime | None]
    """When a preview was removed; its history stays."""


class RouteRow(Table):
    """An order of environments that releases travel."""

    __tablename__ = "routes"

    id: Mapped[str] = mapped_column(primary_key=True)
    title: Mapped[str]
    lets_in: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    """For an urgent route, which releases may take it; None for a standard route."""
    legs: Mapped[list["LegRow"]] = relationship(
        lazy="selectin", order_by="LegRow.position, LegRow.lane", cascade="all, delete-orphan"
    )


class LegRow(Table):
    """One environment of a leg; those with the same position stand side by side."""

    __tablename__ = "legs"

    route_id: Mapped[str] = mapped_column(ForeignKey("routes.id"), primary_key=True)
    environment_id: Mapped[str] = mapped_column(ForeignKey("environments.id"), primary_key=True)
    position: Mapped[int]
    lane: Mapped[int]
    one_is_enough: Mapped[bool] = mapped_column(default=False)
    """Whether the next leg may be asked for once one environment of this one has it."""
    environment: Mapped[EnvironmentRow] = relationship(lazy="joined")


class ServiceRow(Table):
    """A piece of software that is released."""

    __tablename__ = "services"

    id: Mapped[str] = mapped_column(primary_key=True)
    title: Mapped[str]
    repository: Mapped[str]
    """Path below the repository root."""
    paths: Mapped[list[str]] = mapped_column(default=list)
    """Below which files of the repository the service lies; all of it where none is named."""
    route_id: Mapped[str] = mapped_column(ForeignKey("routes.id"))
    urgent_route_id: Mapped[str | None] = mapped_column(ForeignKey("routes.id"))
    """The route an urgent fix may take, which enters later."""


class ReleaseRow(Table):
    """One version of a service, with what was built for it."""

    __tablename__ = "releases"
    __table_args__ = (UniqueConstraint("service_id", "version", name="uq_releases_version"),)

    id: Mapped[int] = mapped_column(BigInteger, Identity(), primary_key=True)
    service_id: Mapped[str] = mapped_column(ForeignKey("services.id"))
    version: Mapped[str]
    revision: Mapped[str]
    created_at: Mapped[datetime]
    service: Mapped[ServiceRow] = relationship(lazy="joined")
    artifacts: Mapped[list[dict[str, Any]]]
    """What was built, by name."""


class ReportRow(Table):
    """One piece of evidence that came with a release; a later one of the same name takes its place."""

    __tablename__ = "reports"

    id: Mapped[int] = mapped_column(BigInteger, Identity(), primary_key=True)
    release_id: Mapped[int] = mapped_column(ForeignKey("releases.id"), index=True)
    name: Mapped[str]
    kind: Mapped[str]
    produced_at: Mapped[datetime]
    made_by: Mapped[str | None]
    """Who or what it says made it."""
    sent_by: Mapped[str]
    """Who had signed in to send it."""
    unknown: Mapped[str | None]
    """Why what it says cannot be relied on."""
    content: Mapped[dict[str, Any]]
    link: Mapped[str | None]


class ClosingRow(Table):
    """An environment closed at once, until an end; opened earlier by two."""

    __tablename__ = "closings"
    __table_args__ = (Index("ix_closings_until", "environment_id", "until"),)

    id: Mapped[int] = mapped_column(BigInteger, Identity(), primary_key=True)
    environment_id: Mapped[str] = mapped_column(ForeignKey("environments.id"))
    since: Mapped[datetime]
    until: Mapped[datetime]
    reason: Mapped[str]
    by_id: Mapped[str] = mapped_column(ForeignKey("people.id"))
    opening_asked_by_id: Mapped[str | None] = mapped_column(ForeignKey("people.id"))
    """Who asked to open it before its end."""
    opened_at: Mapped[datetime | None]
    by: Mapped[PersonRow] = relationship(lazy="joined", foreign_keys=[by_id])


class CalendarRow(Table):
    """Closed times or holidays that several policies share by name."""

    __tablename__ = "calendars"

    id: Mapped[str] = mapped_column(primary_key=True)
    document: Mapped[dict[str, Any]]


class StandInRow(Table):
    """Who may take somebody's seats, from when until when."""

    __tablename__ = "stand_ins"
    __table_args__ = (
        CheckConstraint("person_id <> stands_in_for_id", name="somebody_else"),
        CheckConstraint("starts_at < ends_at", name="ends_later"),
    )

    id: Mapped[int] = mapped_column(BigInteger, Identity(), primary_key=True)
    person_id: Mapped[str] = mapped_column(ForeignKey("people.id"))
    stands_in_for_id: Mapped[str] = mapped_column(ForeignKey("people.id"))
    starts_at: Mapped[datetime]
    ends_at: Mapped[datetime]


class PolicyRow(Table):
    """One version of an environment's policy; in force from its adoption until the next one's."""

    __tablename__ = "policies"
    __table_args__ = (UniqueConstraint("environment_id", "version", name="uq_policies_version"),)

    id: Mapped[int] = mapped_column(BigInteger, Identity(), primary_key=True)
    environment_id: Mapped[str] = mapped_column(ForeignKey("environments.id"))
    version: Mapped[int]
    digest: Mapped[str]
    document: Mapped[str]
    """Canonical JSON, the bytes the digest is of."""
    author_id: Mapped[str] = mapped_column(ForeignKey("people.id"))
    drafted_at: Mapped[datetime]
    adopter_id: Mapped[str | None] = mapped_column(ForeignKey("people.id"))
    in_force_from: Mapped[datetime | None]
    started: Mapped[bool] = mapped_column(default=False)
    """Whether it has come into force: it stays so when the clock goes back."""


class DocumentRow(Table):
    """Facts, decisions and sheets, once each, under their digest; never changed."""

    __tablename__ = "documents"

    digest: Mapped[str] = mapped_column(primary_key=True)
    kind: Mapped[str]
    body: Mapped[str]


class BundleRow(Table):
    """Promotions that cross together or not at all."""

    __tablename__ = "bundles"

    id: Mapped[int] = mapped_column(BigInteger, Identity(), primary_key=True)
    title: Mapped[str]


class PromotionRow(Table):
    """One release asking to enter one environment."""

    __tablename__ = "promotions"
    __table_args__ = (
        Index(
            "uq_promotions_one_pending",
            "release_id",
            "environment_id",
            unique=True,
            postgresql_where=text("state IN ('waiting', 'cleared', 'moving', 'halted')"),
        ),
        Index(
            "uq_promotions_one_moving",
            "service_id",
            "environment_id",
            unique=True,
            postgresql_where=text("state IN ('moving', 'halted')"),
        ),
        Index("ix_promotions_trouble", "number", postgresql_where=text("trouble IS NOT NULL")),
        Index("ix_promotions_landed", "service_id", "environment_id", "landed_at"),
        Index("ix_promotions_due", "due_at", postgresql_where=text("state IN ('waiting', 'cleared')")),
        CheckConstraint("state IN ({})".format(", ".join(f"'{state}'" for state in State)), name="state"),
    )

    number: Mapped[int] = mapped_column(BigInteger, Identity(start=1001), primary_key=True)
    service_id: Mapped[str] = mapped_column(ForeignKey("services.id"))
    release_id: Mapped[int] = mapped_column(ForeignKey("releases.id"))
    environment_id: Mapped[str] = mapped_column(ForeignKey("environments.id"))
    source: Mapped[str | None]
    """The environments of the leg before it has landed in, in words; None at the first leg."""
    state: Mapped[str] = mapped_column(default=State.WAITING)
    requester_id: Mapped[str] = mapped_column(ForeignKey("people.id"))
    requested_at: Mapped[datetime]
    not_before: Mapped[datetime | None]
    """The start that a person set; None for as soon as it can."""
    note: Mapped[str] = mapped_column(default="")
    asked_revision: Mapped[str] = mapped_column(default="")
    """The branch, tag or commit as it was asked for; ticket keys in it count."""
    route_id: Mapped[str] = mapped_column(ForeignKey("routes.id"))
    """The route it takes."""
    bundle_id: Mapped[int | None] = mapped_column(ForeignKey("bundles.id"), index=True)
    kind: Mapped[str] = mapped_column(default="ordinary")
    """What it is for: ordinary, urgent, rollback or backfill."""
    plan: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    """The rollout plan asked for; None for all at once."""
    facts_digest: Mapped[str | None] = mapped_column(ForeignKey("documents.digest"))
    """None until it has been inspected for the first time."""
    facts_read_at: Mapped[datetime]
    policy_id: Mapped[int] = mapped_column(ForeignKey("policies.id"))
    sheet: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    """The last inspection; None until there was one."""
    due_at: Mapped[datetime]
    """When it must be inspected again."""
    trouble: Mapped[str | None]
    """Why work on it failed last; None once it went well."""
    trouble_at: Mapped[datetime | None]
    changed_at: Mapped[datetime]
    """When its state or its findings last changed."""
    departed_at: Mapped[datetime | None]
    landed_at: Mapped[datetime | None]
    landed_artifacts: Mapped[list[dict[str, Any]] | None]
    """What the deployer reported to have landed, byte for byte."""
    prepared_at: Mapped[datetime | None]
    """When its deployer reported that everything is ready for a quick departure."""
    prepared_by_id: Mapped[str | None] = mapped_column(ForeignKey("people.id"))
    followed_at: Mapped[datetime | None]
    """When, after landing, what follows from it was asked for."""
    closed_at: Mapped[datetime | None]
    ended: Mapped[str] = mapped_column(default="")
    """How its course ended, in words."""
    release: Mapped[ReleaseRow] = relationship(lazy="joined")
    environment: Mapped[EnvironmentRow] = relationship(lazy="joined")
    route: Mapped[RouteRow] = relationship(lazy="joined")
    bundle: Mapped[BundleRow | None] = relationship(lazy="joined")
    requester: Mapped[PersonRow] = relationship(lazy="joined", foreign_keys=[requester_id])


class DecisionRow(Table):
    """One person's word on one promotion."""

    __tablename__ = "decisions"
    __table_args__ = (
        Index(
            "uq_decisions_one_standing_approval",
            "promotion",
            "person_id",
            unique=True,
            postgresql_where=text("action = 'approve' AND standing"),
        ),
    )

    id: Mapped[int] = mapped_column(BigInteger, Identity(), primary_key=True)
    promotion: Mapped[int] = mapped_column(ForeignKey("promotions.number"), index=True)
    action: Mapped[str]
    person_id: Mapped[str] = mapped_column(ForeignKey("people.id"))
    on_behalf_of_id: Mapped[str | None] = mapped_column(ForeignKey("people.id"))
    comment: Mapped[str]
    rule: Mapped[str | None]
    """Which rule a waiver is about."""
    until: Mapped[datetime | None]
    """When the waiver asked for ends."""
    shown: Mapped[dict[str, Any]]
    at: Mapped[datetime]
    standing: Mapped[bool]
    """False once taken back, or lapsed and given anew."""


class EntryRow(Table):
    """One ledger entry. The body is what is hashed; the other columns are for finding it."""

    __tablename__ = "ledger_entries"

    id: Mapped[int] = mapped_column(BigInteger, Identity(), primary_key=True)
    at: Mapped[datetime] = mapped_column(index=True)
    action: Mapped[str]
    actor_id: Mapped[str] = mapped_column(index=True)
    promotion: Mapped[int | None] = mapped_column(BigInteger, index=True)
    environment_id: Mapped[str | None]
    service_id: Mapped[str | None]
    body: Mapped[str]


class EntryPlaceRow(Table):
    """The place the sequencer gave an entry, from 0 without gaps."""

    __tablename__ = "ledger_places"

    place: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=False)
    entry_id: Mapped[int] = mapped_column(ForeignKey("ledger_entries.id"), unique=True)
    leaf_hash: Mapped[bytes]


class CheckpointRow(Table):
    """A signed checkpoint, and the tree's frontier to go on from."""

    __tablename__ = "ledger_checkpoints"

    size: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=False)
    frontier: Mapped[bytes]
    note: Mapped[str]
