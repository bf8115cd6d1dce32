"""The table of what outside checks were asked, and what they said."""

from datetime import datetime

from sqlalchemy import ForeignKey, Index
from sqlalchemy.orm import Mapped, mapped_column

from dogana.store.tables.base import Table


class CheckRow(Table):
    """One time that an outside check was asked about a promotion; the last one of its name counts."""

    __tablename__ = "checks"
    __table_args__ = (Index("ix_checks_promotion", "promotion", "name", "entry_id"),)

    entry_id: Mapped[int] = mapped_column(ForeignKey("ledger_entries.id"), primary_key=True)
    """The entry that it was asked with."""
    promotion: Mapped[int] = mapped_column(ForeignKey("promotions.number"))
    name: Mapped[str]
    """The sender that answers; it is told as the subscriber of the same name."""
    about: Mapped[str]
    """The digest of what it was asked about."""
    asked_at: Mapped[datetime]
    result: Mapped[str | None]
    reason: Mapped[str | None]
    link: Mapped[str | None]
    until: Mapped[datetime | None]
    answered_at: Mapped[datetime | None]
    """When it came to that, as it says."""
    by_id: Mapped[str | None] = mapped_column(ForeignKey("people.id"))
    """The account that answered."""
