"""The tables of who is looking at what, and of saved filters."""

from datetime import datetime

from sqlalchemy import ForeignKey
from sqlalchemy.orm import Mapped, mapped_column

from dogana.store.tables.base import Table


class LookerRow(Table):
    """Somebody who has a promotion's dossier open."""

    __tablename__ = "lookers"

    promotion: Mapped[int] = mapped_column(ForeignKey("promotions.number"), primary_key=True)
    person_id: Mapped[str] = mapped_column(ForeignKey("people.id"), primary_key=True)
    seen_at: Mapped[datetime]


class SavedFilterRow(Table):
    """A Desk as somebody likes to see it, under a name."""

    __tablename__ = "saved_filters"

    person_id: Mapped[str] = mapped_column(ForeignKey("people.id"), primary_key=True)
    name: Mapped[str] = mapped_column(primary_key=True)
    query: Mapped[str]
