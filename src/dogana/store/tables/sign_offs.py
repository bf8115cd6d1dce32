"""The table of who confirms what has landed."""

from datetime import datetime, timedelta

from sqlalchemy import ForeignKey, Index, text
from sqlalchemy.orm import Mapped, mapped_column

from dogana.store.tables.base import Table


class SignOffRow(Table):
    """That a group is to confirm what a promotion brings, as the policy asked that let it go."""

    __tablename__ = "sign_offs"
    __table_args__ = (Index("ix_sign_offs_open", "remind_at", postgresql_where=text("said_at IS NULL")),)

    promotion: Mapped[int] = mapped_column(ForeignKey("promotions.number"), primary_key=True)
    group_id: Mapped[str] = mapped_column(ForeignKey("groups.id"))
    within: Mapped[timedelta]
    """How long they have before they are reminded, and again."""
    landed_at: Mapped[datetime | None]
    """From when on they are asked; None before it has landed."""
    remind_at: Mapped[datetime | None]
    """When they are reminded next."""
    said_at: Mapped[datetime | None]
    said_by_id: Mapped[str | None] = mapped_column(ForeignKey("people.id"))
    comment: Mapped[str] = mapped_column(default="")
    issues: Mapped[str | None]
    """What is wrong; None where it was confirmed."""
    ticket: Mapped[str | None]
    lapsed_at: Mapped[datetime | None]
    """When another release landed in its place before anybody had said anything."""
