"""The table of what went wrong."""

from datetime import datetime
from typing import Any

from sqlalchemy import BigInteger, ForeignKey, Identity, Index, text
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from dogana.store.tables.base import Table
from dogana.store.tables.landscape import EnvironmentRow, ServiceRow


class IncidentRow(Table):
    """Something that went wrong with a service in an environment, as a system or a person told us."""

    __tablename__ = "incidents"
    __table_args__ = (
        Index("ix_incidents_open", "number", postgresql_where=text("closed_at IS NULL")),
        Index("ix_incidents_service", "service_id", "environment_id"),
        Index("ix_incidents_landing", "landing"),
    )

    source: Mapped[str] = mapped_column(primary_key=True)
    id: Mapped[str] = mapped_column(primary_key=True)
    number: Mapped[int] = mapped_column(BigInteger, Identity(), unique=True)
    service_id: Mapped[str] = mapped_column(ForeignKey("services.id"))
    environment_id: Mapped[str] = mapped_column(ForeignKey("environments.id"))
    what: Mapped[str] = mapped_column(default="")
    detected_at: Mapped[datetime | None]
    """Since when, as its source says."""
    resolved_at: Mapped[datetime | None]
    """When it was over: as its source says, no earlier than we heard of it, or when a person closed it."""
    opened_at: Mapped[datetime]
    """When we heard of it first."""
    opened_by_id: Mapped[str | None] = mapped_column(ForeignKey("people.id"))
    landing: Mapped[int | None] = mapped_column(ForeignKey("promotions.number"))
    """What had landed there last, or was going in."""
    acknowledged_at: Mapped[datetime | None]
    acknowledged_by_id: Mapped[str | None] = mapped_column(ForeignKey("people.id"))
    closed_at: Mapped[datetime | None]
    """When a person closed it; until then it stands on the Desk, even if it is over."""
    closed_by_id: Mapped[str | None] = mapped_column(ForeignKey("people.id"))
    notes: Mapped[list[dict[str, Any]]] = mapped_column(JSONB, default=list)
    """What people wrote, the first of it first: `at`, `by`, `text`."""
    service: Mapped[ServiceRow] = relationship(lazy="joined")
    environment: Mapped[EnvironmentRow] = relationship(lazy="joined")
