"""The tables of the ledger: entries, their leaves in the log, checkpoints."""

from datetime import datetime

from sqlalchemy import BigInteger, ForeignKey, Identity, Index, text
from sqlalchemy.orm import Mapped, mapped_column

from dogana.store.tables.base import Table


class EntryRow(Table):
    """One ledger entry. The body is what is hashed; the other columns are for finding it."""

    __tablename__ = "ledger_entries"

    # The latest that fit are wanted, so each way of narrowing them is in the order they were written in.
    __table_args__ = (
        Index("ix_ledger_entries_actor_id", "actor_id", "id"),
        Index("ix_ledger_entries_environment_id", "environment_id", "id"),
        Index("ix_ledger_entries_service_id", "service_id", "id"),
        Index("ix_ledger_entries_action", "action", "id"),
        # What it says, why, who did it and what it is about; a function of the database's own.
        Index("ix_ledger_entries_words", text("ledger_words(body)"), postgresql_using="gin"),
        # How each digest in it begins; likewise.
        Index("ix_ledger_entries_digests", text("ledger_digests(body)"), postgresql_using="gin"),
    )

    id: Mapped[int] = mapped_column(BigInteger, Identity(), primary_key=True)
    at: Mapped[datetime] = mapped_column(index=True)
    action: Mapped[str]
    actor_id: Mapped[str]
    promotion: Mapped[int | None] = mapped_column(BigInteger, index=True)
    environment_id: Mapped[str | None]
    service_id: Mapped[str | None]
    body: Mapped[str]


class UnsequencedRow(Table):
    """An entry that waits for its index; the database puts it there as it is written."""

    __tablename__ = "ledger_unsequenced"

    entry_id: Mapped[int] = mapped_column(
        ForeignKey("ledger_entries.id"), primary_key=True, autoincrement=False
    )


class LeafRow(Table):
    """An entry as a leaf of the log (RFC 6962, section 2.1): its index from 0, without gaps."""

    __tablename__ = "ledger_leaves"

    leaf_index: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=False)
    entry_id: Mapped[int] = mapped_column(ForeignKey("ledger_entries.id"), unique=True)
    leaf_hash: Mapped[bytes]


class CheckpointRow(Table):
    """A signed checkpoint, and the tree's frontier to go on from."""

    __tablename__ = "ledger_checkpoints"

    size: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=False)
    frontier: Mapped[bytes]
    note: Mapped[str]
