"""The tables of environments, routes, services, releases with their evidence, and closings."""

from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import BigInteger, CheckConstraint, ForeignKey, Identity, Index, UniqueConstraint
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from dogana.store.tables.base import Table
from dogana.store.tables.people import PersonRow


class ReportFileRow(Table):
    """The bytes a piece of evidence was read from."""

    __tablename__ = "report_files"

    report_id: Mapped[int] = mapped_column(ForeignKey("reports.id"), primary_key=True)
    name: Mapped[str]
    media_type: Mapped[str]
    digest: Mapped[str]
    size: Mapped[int]
    body: Mapped[bytes]


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
    timetable_run_at: Mapped[datetime | None]
    """The last of its set times that was seen to."""
    made_from_id: Mapped[str | None] = mapped_column(ForeignKey("environments.id"))
    """The template a preview was made from."""
    made_at: Mapped[datetime | None]
    ends_at: Mapped[datetime | None]
    """When a preview ends."""
    removed_at: Mapped[datetime | None]
    """When a preview was removed, or another environment retired; its history stays."""
    time_limit: Mapped[timedelta | None]
    """How long one takes to go in at most; what takes longer is said."""
    address: Mapped[str | None]
    """Where each service can be opened there, with places for its id and version."""
    version_from: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    """Where what really runs there is read; None where it is not, unless a deployer tells it."""


class RouteRow(Table):
    """An order of environments that releases travel."""

    __tablename__ = "routes"

    id: Mapped[str] = mapped_column(primary_key=True)
    title: Mapped[str]
    lets_in: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    """For an urgent route, which releases may take it; None for a standard route."""
    retired_at: Mapped[datetime | None]
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
    group_id: Mapped[str | None] = mapped_column(ForeignKey("groups.id"))
    """Whose it is."""
    retired_at: Mapped[datetime | None]
    repository_tried_at: Mapped[datetime | None]
    """When the worker last looked whether it can be read."""
    repository_failing_since: Mapped[datetime | None]
    repository_reason: Mapped[str | None]
    """Why it could not be read then."""


class ReleaseRow(Table):
    """One version of a service, with what was built for it."""

    __tablename__ = "releases"
    __table_args__ = (
        UniqueConstraint("service_id", "version", name="uq_releases_version"),
        Index(
            "ix_releases_artifacts",
            "artifacts",
            postgresql_using="gin",
            postgresql_ops={"artifacts": "jsonb_path_ops"},
        ),
    )

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
    sender_id: Mapped[str | None]
    """Their account; absent of what came before it was kept."""
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
