"""The tables of sources and of what was scraped from them."""

from datetime import datetime
from typing import Any

from sqlalchemy import BigInteger, ForeignKey, Identity, Index
from sqlalchemy.orm import Mapped, mapped_column

from dogana.store.tables.base import Table


class SourceRow(Table):
    """An outside system that facts are read from, as the administrator set it up."""

    __tablename__ = "sources"

    id: Mapped[str] = mapped_column(primary_key=True)
    kind: Mapped[str]
    title: Mapped[str]
    settings: Mapped[dict[str, Any]]
    secret: Mapped[bytes | None]
    """Sealed."""
    version: Mapped[int] = mapped_column(default=1)
    read_at: Mapped[datetime | None]
    """When it was last read well."""
    tried_at: Mapped[datetime | None]
    """When it was last looked at by the worker."""
    failing_since: Mapped[datetime | None]
    reason: Mapped[str | None]
    """Why it could not be read the last time."""


class SampleRow(Table):
    """One value scraped from a page of metrics."""

    __tablename__ = "samples"
    __table_args__ = (Index("ix_samples_source_name_at", "source_id", "name", "at"),)

    id: Mapped[int] = mapped_column(BigInteger, Identity(), primary_key=True)
    source_id: Mapped[str] = mapped_column(ForeignKey("sources.id", ondelete="CASCADE"))
    name: Mapped[str]
    labels: Mapped[dict[str, Any]]
    at: Mapped[datetime]
    value: Mapped[float]
