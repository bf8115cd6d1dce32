"""The tables of events from other systems and to them, and of requests that are sent again."""

from datetime import datetime
from typing import Any

from sqlalchemy import BigInteger, ForeignKey, Identity, Index, text
from sqlalchemy.orm import Mapped, mapped_column, relationship

from dogana.store.tables.base import Table
from dogana.store.tables.ledger import EntryRow


class SenderRow(Table):
    """A system that sends us events, and as whom it acts."""

    __tablename__ = "senders"

    id: Mapped[str] = mapped_column(primary_key=True)
    title: Mapped[str]
    person_id: Mapped[str] = mapped_column(ForeignKey("people.id"))
    secret: Mapped[bytes]
    """Sealed; what signs its events."""
    binary: Mapped[bool] = mapped_column(default=False)
    """Whether events are taken whose attributes stand in headers, which the signature does not cover."""


class ArrivalRow(Table):
    """An event that was sent to us, once each."""

    __tablename__ = "arrivals"
    __table_args__ = (
        Index("ix_arrivals_waiting", "arrived_at", postgresql_where=text("state = 'waiting'")),
        Index("uq_arrivals_delivery", "sender_id", "delivery", unique=True),
    )

    sender_id: Mapped[str] = mapped_column(ForeignKey("senders.id", ondelete="CASCADE"), primary_key=True)
    source: Mapped[str] = mapped_column(primary_key=True)
    """The event's own source and id, which together name it."""
    event_id: Mapped[str] = mapped_column(primary_key=True)
    delivery: Mapped[str]
    """The `webhook-id` that it came under, good once."""
    type: Mapped[str]
    body: Mapped[dict[str, Any]]
    arrived_at: Mapped[datetime]
    state: Mapped[str]
    """Taken, waiting for what has to come first, or refused."""
    says: Mapped[str]


class SubscriberRow(Table):
    """A system that is told of every decision and every step."""

    __tablename__ = "subscribers"

    id: Mapped[str] = mapped_column(primary_key=True)
    title: Mapped[str]
    address: Mapped[str]
    actions: Mapped[list[str]]
    """The kinds of entry it wants; all where empty."""
    secret: Mapped[bytes]
    """Sealed; what signs the events sent to it."""


class DeliveryRow(Table):
    """One entry to be told to one subscriber."""

    __tablename__ = "deliveries"
    __table_args__ = (
        Index(
            "ix_deliveries_due",
            "next_attempt_at",
            postgresql_where=text("delivered_at IS NULL AND dead_at IS NULL"),
        ),
    )

    id: Mapped[int] = mapped_column(BigInteger, Identity(), primary_key=True)
    entry_id: Mapped[int] = mapped_column(ForeignKey("ledger_entries.id"), index=True)
    subscriber_id: Mapped[str] = mapped_column(ForeignKey("subscribers.id", ondelete="CASCADE"))
    attempts: Mapped[int] = mapped_column(default=0)
    next_attempt_at: Mapped[datetime]
    delivered_at: Mapped[datetime | None]
    dead_at: Mapped[datetime | None]
    """When it was given up."""
    reason: Mapped[str | None]
    """Why the last attempt failed."""
    entry: Mapped[EntryRow] = relationship(lazy="joined")
    subscriber: Mapped[SubscriberRow] = relationship(lazy="joined")


class AnswerRow(Table):
    """The answer to a request that may be sent again under the same key."""

    __tablename__ = "answers"

    actor_id: Mapped[str] = mapped_column(primary_key=True)
    key: Mapped[str] = mapped_column(primary_key=True)
    request: Mapped[str]
    """Digest of what was asked."""
    at: Mapped[datetime]
    status: Mapped[int | None]
    """None while it is being worked on."""
    body: Mapped[str | None]
    """To the letter."""
