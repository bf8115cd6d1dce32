"""The tables of people: groups, sessions, tokens, invitations, guessing, stand-ins, proposals."""

from datetime import datetime
from typing import Any

from sqlalchemy import (
    BigInteger,
    CheckConstraint,
    ForeignKey,
    Identity,
    Index,
    UniqueConstraint,
    text,
)
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from dogana.store.tables.base import Table


class PersonRow(Table):
    """Somebody with an account."""

    __tablename__ = "people"

    id: Mapped[str] = mapped_column(primary_key=True)
    name: Mapped[str]
    email: Mapped[str] = mapped_column(unique=True)
    other_emails: Mapped[list[str]] = mapped_column(default=list)
    """By which else they write commits."""
    password_hash: Mapped[str]
    """Empty where none was set: nobody signs in as a machine, nor as somebody who has yet to choose one."""
    machine: Mapped[bool] = mapped_column(default=False)
    """Whether it is a pipeline or the like, which acts by tokens alone and never decides."""
    roles: Mapped[list[str]]
    disabled_at: Mapped[datetime | None]
    """Since when they may not come in; what they did stays theirs."""
    groups: Mapped[list["GroupRow"]] = relationship(
        secondary="memberships", lazy="raise", order_by="GroupRow.id"
    )


class DirectoryLinkRow(Table):
    """Who somebody is in the directory that they sign in at; each of them is one person there."""

    __tablename__ = "directory_links"
    __table_args__ = (UniqueConstraint("issuer", "person_id", name="uq_directory_links_person"),)

    issuer: Mapped[str] = mapped_column(primary_key=True)
    subject: Mapped[str] = mapped_column(primary_key=True)
    person_id: Mapped[str] = mapped_column(ForeignKey("people.id", ondelete="CASCADE"))
    linked_at: Mapped[datetime]


class GroupRow(Table):
    """A group of people who may take the same seats."""

    __tablename__ = "groups"

    id: Mapped[str] = mapped_column(primary_key=True)
    title: Mapped[str]
    retired_at: Mapped[datetime | None]


class MembershipRow(Table):
    """Who belongs to which group."""

    __tablename__ = "memberships"

    person_id: Mapped[str] = mapped_column(ForeignKey("people.id"), primary_key=True)
    group_id: Mapped[str] = mapped_column(ForeignKey("groups.id"), primary_key=True)


class SessionRow(Table):
    """A signed-in browser; only digests of its secrets are kept."""

    __tablename__ = "sessions"

    token_digest: Mapped[str] = mapped_column(primary_key=True)
    id: Mapped[int] = mapped_column(BigInteger, Identity(), unique=True)
    """What it is called where it is listed."""
    csrf_token: Mapped[str]
    person_id: Mapped[str] = mapped_column(ForeignKey("people.id"), index=True)
    began_at: Mapped[datetime]
    expires_at: Mapped[datetime]
    agent: Mapped[str]
    """What the browser called itself."""
    address: Mapped[str]
    """From where."""
    authenticated_at: Mapped[datetime | None]
    """When who they are was shown last; None where the directory did not say."""
    acr: Mapped[str | None]
    """The class of that, as the directory says."""
    by_directory: Mapped[bool] = mapped_column(default=False, server_default=text("false"))
    """Whether that was at the directory."""


class TokenRow(Table):
    """A token for a pipeline; only its digest is kept."""

    __tablename__ = "tokens"

    id: Mapped[int] = mapped_column(BigInteger, Identity(), primary_key=True)
    token_digest: Mapped[str] = mapped_column(unique=True)
    title: Mapped[str]
    person_id: Mapped[str] = mapped_column(ForeignKey("people.id"))
    scopes: Mapped[list[str]]
    services: Mapped[list[str]] = mapped_column(default=list)
    """Which it is for; every one where empty."""
    environments: Mapped[list[str]] = mapped_column(default=list)
    created_at: Mapped[datetime]
    expires_at: Mapped[datetime]
    revoked_at: Mapped[datetime | None]


class ProposalRow(Table):
    """A change that one person asked for and another has to confirm."""

    __tablename__ = "proposals"
    __table_args__ = (
        Index("uq_proposals_open", "kind", "subject", unique=True, postgresql_where=text("ended_at IS NULL")),
    )

    id: Mapped[int] = mapped_column(BigInteger, Identity(), primary_key=True)
    kind: Mapped[str]
    subject: Mapped[str]
    """The id of what is to be changed."""
    title: Mapped[str]
    old: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    """What it was when the change was asked for; None for what is new."""
    wanted: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    """What it is to be; None to be taken away."""
    sealed: Mapped[bytes | None]
    """The secret that goes with it, until it ended."""
    asked_by_id: Mapped[str] = mapped_column(ForeignKey("people.id"))
    asked_at: Mapped[datetime]
    ended_by_id: Mapped[str | None] = mapped_column(ForeignKey("people.id"))
    ended_at: Mapped[datetime | None]


class InvitationRow(Table):
    """Leave to choose one's own password, once; only the digest of the secret is kept."""

    __tablename__ = "invitations"

    digest: Mapped[str] = mapped_column(primary_key=True)
    person_id: Mapped[str] = mapped_column(ForeignKey("people.id"))
    expires_at: Mapped[datetime]
    used_at: Mapped[datetime | None]


class AttemptRow(Table):
    """How often somebody failed to sign in lately, by account and by address."""

    __tablename__ = "sign_in_attempts"

    whose: Mapped[str] = mapped_column(primary_key=True)
    failures: Mapped[int]
    last_at: Mapped[datetime]
    waits_until: Mapped[datetime]


class StandInRow(Table):
    """Who may take somebody's seats, from when until when."""

    __tablename__ = "stand_ins"
    __table_args__ = (
        CheckConstraint("person_id <> stands_in_for_id", name="somebody_else"),
        CheckConstraint("starts_at < ends_at", name="ends_later"),
    )

    id: Mapped[int] = mapped_column(BigInteger, Identity(), primary_key=True)
    person_id: Mapped[str] = mapped_column(ForeignKey("people.id"))
    stands_in_for_id: Mapped[str] = mapped_column(ForeignKey("people.id"))
    starts_at: Mapped[datetime]
    ends_at: Mapped[datetime]
