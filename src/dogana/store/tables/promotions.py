"""The tables of promotions, the decisions on them, and the documents they were inspected from."""

import enum
from collections.abc import Iterable
from datetime import datetime
from typing import Any

from sqlalchemy import (
    BigInteger,
    CheckConstraint,
    ColumnElement,
    ForeignKey,
    Identity,
    Index,
    literal_column,
    text,
)
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from dogana.store.packing import Packed
from dogana.store.tables.base import Table
from dogana.store.tables.landscape import EnvironmentRow, ReleaseRow, RouteRow
from dogana.store.tables.people import PersonRow


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
        Index("ix_promotions_to_tell", "tell_at", postgresql_where=text("tell_at IS NOT NULL")),
        Index("ix_promotions_departed", "environment_id", "departed_at"),
        Index(
            "ix_promotions_under_way",
            "environment_id",
            postgresql_where=text("state IN ('waiting', 'cleared', 'moving', 'halted')"),
        ),
        Index("ix_promotions_closed", "closed_at"),
        Index(
            "ix_promotions_arrivals",
            "landed_at",
            "number",
            postgresql_where=text("landed_at IS NOT NULL AND number > 0"),
        ),
        Index(
            "ix_promotions_runs",
            "environment_id",
            "service_id",
            "landed_at",
            postgresql_where=text("state = 'landed'"),
        ),
        Index("ix_promotions_release", "release_id"),
        Index(
            "ix_promotions_to_follow",
            "landed_at",
            postgresql_where=text("state = 'landed' AND followed_at IS NULL"),
        ),
        Index(
            "ix_promotions_ended_environment_id",
            "environment_id",
            "closed_at",
            postgresql_where=text("state IN ('landed', 'rolled back')"),
        ),
        Index(
            "ix_promotions_ended_service_id",
            "service_id",
            "closed_at",
            postgresql_where=text("state IN ('landed', 'rolled back')"),
        ),
        Index("ix_promotions_landed", "service_id", "environment_id", "landed_at"),
        Index("ix_promotions_ticket_keys", "ticket_keys", postgresql_using="gin"),
        Index(
            "ix_promotions_queue",
            "service_id",
            "environment_id",
            "requested_at",
            "number",
            postgresql_where=text("state IN ('waiting', 'cleared')"),
        ),
        Index("ix_promotions_due", "inspect_at", postgresql_where=text("state IN ('waiting', 'cleared')")),
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
    put_off_by_id: Mapped[str | None] = mapped_column(ForeignKey("people.id"))
    """The approver who set it; None where who asked for it did."""
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
    facts_digest: Mapped[str | None]
    """Of the facts it was last inspected on; None until it has been for the first time."""
    facts: Mapped[str | None] = mapped_column(Packed, deferred=True)
    """Their index while it waits; what a decision rests on is among the documents."""
    facts_parts: Mapped[list[str] | None] = mapped_column(deferred=True)
    """The digests of the parts that it names."""
    facts_read_at: Mapped[datetime]
    policy_id: Mapped[int] = mapped_column(ForeignKey("policies.id"))
    sheet: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    """The last inspection; None until there was one, and once it is over."""
    brief: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    """What lists show of it, for as long."""
    sheet_digest: Mapped[str | None]
    """Of what it departed or ended on; None while it waits, and where it was never inspected."""
    inspect_at: Mapped[datetime]
    """When it must be inspected again."""
    trouble: Mapped[str | None]
    """Why work on it failed last; None once it went well."""
    trouble_at: Mapped[datetime | None]
    changed_at: Mapped[datetime]
    """When its state or its findings last changed."""
    overdue_at: Mapped[datetime | None]
    """When it was said that going in takes too long."""
    tell_at: Mapped[datetime | None]
    """When people are next to be told of what it waits for; None where there is nothing to tell."""
    departed_at: Mapped[datetime | None]
    landed_at: Mapped[datetime | None]
    landed_artifacts: Mapped[list[dict[str, Any]] | None]
    """What the deployer reported to have landed, byte for byte."""
    ticket_keys: Mapped[list[str] | None] = mapped_column(deferred=True)
    """The tickets that it brings, as it was inspected last; None where that was not known."""
    brought: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    """How much it departed with: `commits`, `files` and `tickets`; None where that was not known."""
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


def _in(states: Iterable[State]) -> ColumnElement[bool]:
    # Written out: a plan that is made for any state cannot use what is indexed for some.
    return PromotionRow.state.in_([literal_column(f"'{state}'") for state in states])


is_pending = _in(PENDING)
is_on_its_way = _in(ON_ITS_WAY)
is_under_way = _in(UNDER_WAY)
has_landed = _in((State.LANDED,))
wherever = PromotionRow.number > 0
"""Asks for what landed by its time alone, and is true of every promotion.

The index by that time is given to nobody else: who looks for the last landing in one place would be led
through all of the past by it, where PostgreSQL takes most rows for that place's.
"""
has_ended_there = _in((State.LANDED, State.ROLLED_BACK))
"""What landed, or departed and was taken back."""


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


class FindingChangeRow(Table):
    """What a finding was until it became something else, or whose approval it counted until then."""

    __tablename__ = "finding_changes"

    id: Mapped[int] = mapped_column(BigInteger, Identity(), primary_key=True)
    promotion: Mapped[int] = mapped_column(ForeignKey("promotions.number"), index=True)
    rule: Mapped[str]
    at: Mapped[datetime]
    was: Mapped[str]
    because: Mapped[str]
    person_id: Mapped[str | None] = mapped_column(ForeignKey("people.id"))
    """Whose approval no longer counts since then; None where the outcome changed."""
