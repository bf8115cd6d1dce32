"""The tables of courses: what moves in steps, its orders, and what was seen of it."""

from datetime import datetime
from typing import Any

from sqlalchemy import ForeignKey, Index, text
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from dogana.store.tables.base import Table


class CourseRow(Table):
    """How a promotion that has departed goes in, step by step."""

    __tablename__ = "courses"
    __table_args__ = (Index("ix_courses_due", "look_at", postgresql_where=text("ended_at IS NULL")),)

    promotion: Mapped[int] = mapped_column(ForeignKey("promotions.number"), primary_key=True)
    plan: Mapped[dict[str, Any]] = mapped_column(JSONB)
    watches: Mapped[list[dict[str, Any]]] = mapped_column(JSONB)
    """What watches it, as the policy said that let it go."""
    incumbent: Mapped[str | None]
    """The version that ran there when it departed."""
    state: Mapped[dict[str, Any]] = mapped_column(JSONB)
    moved: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    """What the last look came to."""
    turn: Mapped[int] = mapped_column(default=0)
    """Counts every change, so that nothing is decided on a state that is not there any more."""
    look_at: Mapped[datetime]
    ended_at: Mapped[datetime | None]


class OrderRow(Table):
    """A share that a deployer is to set."""

    __tablename__ = "course_orders"

    promotion: Mapped[int] = mapped_column(ForeignKey("promotions.number"), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    share: Mapped[int]
    """Percent; 0 takes the newcomer back."""
    reason: Mapped[str]
    by_id: Mapped[str | None] = mapped_column(ForeignKey("people.id"))
    """Who ordered it; None for the program."""
    at: Mapped[datetime]


class LookRow(Table):
    """What was known at a look; the last of a minute is kept, and each that changed anything."""

    __tablename__ = "course_looks"

    promotion: Mapped[int] = mapped_column(ForeignKey("promotions.number"), primary_key=True)
    at: Mapped[datetime] = mapped_column(primary_key=True)
    share: Mapped[int]
    known: Mapped[dict[str, Any]] = mapped_column(JSONB)
    readings: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True), deferred=True)
    """What was read, by monitor, so that other thresholds can be held against it; None for what is old."""
