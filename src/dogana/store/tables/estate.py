"""The tables of what was seen to run, of what releases are made of, and of what is accepted."""

from datetime import datetime
from typing import Any

from sqlalchemy import BigInteger, ForeignKey, Identity, Index, text
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from dogana.store.tables.base import Table


class SightingRow(Table):
    """What a service in an environment said last that it is."""

    __tablename__ = "sightings"
    __table_args__ = (
        Index("ix_sightings_differ", "environment_id", postgresql_where=text("differs IS NOT NULL")),
    )

    service_id: Mapped[str] = mapped_column(ForeignKey("services.id"), primary_key=True)
    environment_id: Mapped[str] = mapped_column(ForeignKey("environments.id"), primary_key=True)
    read_at: Mapped[datetime]
    """When it was read last, or was to be."""
    told_by: Mapped[str]
    """Who or what said so, in words."""
    version: Mapped[str | None]
    digests: Mapped[list[dict[str, Any]]] = mapped_column(JSONB, default=list)
    """What it says its artifacts are, each `name` and `digest`; the name is empty where it says one alone."""
    unknown: Mapped[str | None]
    """Why it is not known what runs; then it never is as it should be."""
    differs: Mapped[str | None]
    """In what it is not what landed there last, in words; absent while it is, or is not known."""
    differs_since: Mapped[datetime | None]
    """When it was first seen to be so."""


class PartRow(Table):
    """One component of a release, as its list of components names it; to be looked up."""

    __tablename__ = "release_parts"
    __table_args__ = (Index("ix_release_parts_name", "name"),)

    release_id: Mapped[int] = mapped_column(ForeignKey("releases.id"), primary_key=True)
    report: Mapped[str] = mapped_column(primary_key=True)
    """The name of the evidence that lists it."""
    n: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    version: Mapped[str]


class FindingRow(Table):
    """One thing that a scan of a release found; to be looked up."""

    __tablename__ = "release_findings"
    __table_args__ = (Index("ix_release_findings_name", "name"),)

    release_id: Mapped[int] = mapped_column(ForeignKey("releases.id"), primary_key=True)
    report: Mapped[str] = mapped_column(primary_key=True)
    n: Mapped[int] = mapped_column(primary_key=True)
    severity: Mapped[str]
    name: Mapped[str]
    file: Mapped[str]
    """Where it is, without the line: lines move, and it stays the same finding."""
    place: Mapped[str]
    message: Mapped[str]


class AcceptedFindingRow(Table):
    """That a finding of a service is accepted until a date."""

    __tablename__ = "accepted_findings"
    __table_args__ = (
        Index(
            "uq_accepted_findings_standing",
            "service_id",
            "name",
            "file",
            unique=True,
            postgresql_where=text("ended_at IS NULL"),
        ),
    )

    id: Mapped[int] = mapped_column(BigInteger, Identity(), primary_key=True)
    service_id: Mapped[str] = mapped_column(ForeignKey("services.id"))
    name: Mapped[str]
    file: Mapped[str]
    severity: Mapped[str]
    """The worst it had where it ran when this was asked for; a worse one is not accepted by it."""
    reason: Mapped[str]
    until: Mapped[datetime]
    asked_by_id: Mapped[str] = mapped_column(ForeignKey("people.id"))
    asked_at: Mapped[datetime]
    granted_by_id: Mapped[str | None] = mapped_column(ForeignKey("people.id"))
    granted_at: Mapped[datetime | None]
    """From when on it holds; at once where one person is enough."""
    ended_at: Mapped[datetime | None]
    """When somebody took it back, or another took its place; it ends by itself with its date."""


class BoardRow(Table):
    """A person's own choice of services and charts."""

    __tablename__ = "boards"

    id: Mapped[int] = mapped_column(BigInteger, Identity(), primary_key=True)
    title: Mapped[str]
    owner_id: Mapped[str] = mapped_column(ForeignKey("people.id"), index=True)
    services: Mapped[list[str]]
    charts: Mapped[list[dict[str, Any]]]
    """Each `environment` and `monitor`."""
    hours: Mapped[int]
    """How far back its charts go."""
    changed_at: Mapped[datetime]
    wall_digest: Mapped[str | None] = mapped_column(unique=True)
    """Of the secret in the address of its wall; None while it hangs on none."""
    wall_until: Mapped[datetime | None]
    """When that address ends."""
