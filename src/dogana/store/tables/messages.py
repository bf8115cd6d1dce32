"""The tables of what people are told: what is not told yet, messages, mails, choices, answer links."""

from datetime import datetime
from typing import Any

from sqlalchemy import BigInteger, ForeignKey, Identity, Index, text
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from dogana.store.tables.base import Table


class UntoldRow(Table):
    """An entry of which people have yet to be told, whoever they turn out to be."""

    __tablename__ = "untold"

    entry_id: Mapped[int] = mapped_column(ForeignKey("ledger_entries.id"), primary_key=True)


class MessageRow(Table):
    """One thing that one person is told."""

    __tablename__ = "messages"
    __table_args__ = (
        Index("uq_messages_key", "person_id", "key", unique=True, postgresql_where=text("over_at IS NULL")),
        Index(
            "ix_messages_due",
            "due_at",
            postgresql_where=text("due_at IS NOT NULL AND mail_id IS NULL AND over_at IS NULL"),
        ),
        Index("ix_messages_promotion", "promotion", "kind"),
        Index("ix_messages_person", "person_id", "id"),
        Index("ix_messages_at", "at"),
    )

    id: Mapped[int] = mapped_column(BigInteger, Identity(), primary_key=True)
    person_id: Mapped[str] = mapped_column(ForeignKey("people.id"))
    kind: Mapped[str]
    key: Mapped[str]
    """What it is about; nobody is told of the same while the first holds."""
    promotion: Mapped[int | None] = mapped_column(ForeignKey("promotions.number"))
    path: Mapped[str]
    """Where it is looked at, below the address of the installation."""
    about: Mapped[str]
    """What it is about, in words: `Leak watch 4.2.0 into Live north`."""
    says: Mapped[str]
    at: Mapped[datetime]
    due_at: Mapped[datetime | None]
    """When it goes by mail; None where it does not."""
    mail_id: Mapped[int | None] = mapped_column(ForeignKey("mails.id"), index=True)
    over_at: Mapped[datetime | None]
    """When it held no longer; what was not sent until then is not sent."""
    over: Mapped[str] = mapped_column(default="")
    """Why it holds no longer."""
    mail: Mapped["MailRow | None"] = relationship(lazy="joined")


class MailRow(Table):
    """One mail to one person, with one message or several that were gathered."""

    __tablename__ = "mails"
    __table_args__ = (
        Index(
            "ix_mails_due", "next_attempt_at", postgresql_where=text("sent_at IS NULL AND failed_at IS NULL")
        ),
    )

    id: Mapped[int] = mapped_column(BigInteger, Identity(), primary_key=True)
    person_id: Mapped[str] = mapped_column(ForeignKey("people.id"))
    made_at: Mapped[datetime] = mapped_column(index=True)
    attempts: Mapped[int] = mapped_column(default=0)
    next_attempt_at: Mapped[datetime]
    sent_at: Mapped[datetime | None]
    failed_at: Mapped[datetime | None]
    """When it was given up."""
    reason: Mapped[str | None]
    """Why the last attempt failed."""
    address: Mapped[str | None]
    """Where it goes, if not to the address that the person has when it is sent."""


class ChoicesRow(Table):
    """When somebody, a group or everybody is told of what."""

    __tablename__ = "message_choices"

    whose: Mapped[str] = mapped_column(primary_key=True)
    """`person/ilse`, `group/release-desk`, or `house`."""
    document: Mapped[dict[str, Any]] = mapped_column(JSONB(none_as_null=True))


class AnswerLinkRow(Table):
    """Leave to decide on one promotion, as it was shown, once; only the digest of the secret is kept."""

    __tablename__ = "answer_links"

    digest: Mapped[str] = mapped_column(primary_key=True)
    person_id: Mapped[str] = mapped_column(ForeignKey("people.id"))
    promotion: Mapped[int] = mapped_column(ForeignKey("promotions.number"), index=True)
    shown: Mapped[dict[str, Any]]
    expires_at: Mapped[datetime] = mapped_column(index=True)
    used_at: Mapped[datetime | None]
    refused_at: Mapped[datetime | None]
    """When an answer by it was first refused."""
