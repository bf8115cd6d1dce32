"""The tables of what promotions are inspected from and decided on."""

from datetime import datetime

from sqlalchemy.orm import Mapped, mapped_column

from dogana.store.packing import Packed
from dogana.store.tables.base import Table


class DocumentRow(Table):
    """What decisions rest on, once each, under its digest; never changed, never deleted.

    Facts, the parts of facts, decisions, policies and sheets.
    """

    __tablename__ = "documents"

    digest: Mapped[str] = mapped_column(primary_key=True)
    kind: Mapped[str]
    body: Mapped[str] = mapped_column(Packed)


class FactsPartRow(Table):
    """A part of the facts of something that waits; it goes when nothing that waits has it any more."""

    __tablename__ = "facts_parts"

    digest: Mapped[str] = mapped_column(primary_key=True)
    body: Mapped[str] = mapped_column(Packed)
    used_at: Mapped[datetime] = mapped_column(index=True)
    """When some facts last came to have it."""
