"""The tables of chat: rooms, what stands in them, who is who there, and how far was read."""

from datetime import datetime
from typing import Any

from sqlalchemy import BigInteger, ForeignKey, Index
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from dogana.store.tables.base import Table


class ChatRoomRow(Table):
    """A room, and the promotions that it is told of."""

    __tablename__ = "chat_rooms"

    id: Mapped[str] = mapped_column(primary_key=True)
    title: Mapped[str]
    address: Mapped[str] = mapped_column(unique=True)
    """What the homeserver calls it; or where it is posted to, signed, which is no room of the homeserver."""
    secret: Mapped[bytes | None]
    """Sealed; what signs what is posted to an address."""
    service_id: Mapped[str | None] = mapped_column(ForeignKey("services.id"))
    """Of which service; of every one where None."""
    environment_id: Mapped[str | None] = mapped_column(ForeignKey("environments.id"))
    """Into which environment; into every one where None."""
    told_until: Mapped[datetime]
    """Up to when what changed has been posted."""
    next_attempt_at: Mapped[datetime]
    reason: Mapped[str | None]
    """Why the last posting failed."""


class ChatPostRow(Table):
    """What stands in a room about a promotion, and what it shows."""

    __tablename__ = "chat_posts"
    __table_args__ = (Index("ix_chat_posts_event", "event"),)

    room_id: Mapped[str] = mapped_column(ForeignKey("chat_rooms.id", ondelete="CASCADE"), primary_key=True)
    promotion: Mapped[int] = mapped_column(
        BigInteger, ForeignKey("promotions.number"), primary_key=True, index=True
    )
    event: Mapped[str]
    text: Mapped[str]
    shown: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    """What an approval in answer to it is bound to; None once it waits no longer."""
    posted_at: Mapped[datetime]
    """When it was written last."""


class ChatLinkRow(Table):
    """Who somebody in the chat is here."""

    __tablename__ = "chat_links"

    sender: Mapped[str] = mapped_column(primary_key=True)
    person_id: Mapped[str] = mapped_column(ForeignKey("people.id", ondelete="CASCADE"), unique=True)
    linked_at: Mapped[datetime]


class ChatCodeRow(Table):
    """A code by which somebody in the chat shows who they are here, once; only its digest is kept."""

    __tablename__ = "chat_codes"

    person_id: Mapped[str] = mapped_column(ForeignKey("people.id", ondelete="CASCADE"), primary_key=True)
    digest: Mapped[str] = mapped_column(unique=True)
    expires_at: Mapped[datetime]


class ChatReadRow(Table):
    """How far the chat was read, and until when one process reads it alone; one row."""

    __tablename__ = "chat_read"

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    following: Mapped[str | None]
    held_until: Mapped[datetime]
