"""The table of what was seen to run."""

from datetime import datetime
from typing import Any

from sqlalchemy import ForeignKey, Index, text
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
