"""The tables of what is signed and sealed: clearances, their keys, configuration secrets."""

from datetime import datetime

from sqlalchemy import BigInteger, ForeignKey, Identity, Index, text
from sqlalchemy.orm import Mapped, mapped_column

from dogana.store.tables.base import Table


class ClearanceKeyRow(Table):
    """A key that signs, or once signed, clearances."""

    __tablename__ = "clearance_keys"

    id: Mapped[str] = mapped_column(primary_key=True)
    public: Mapped[str]
    """Its x coordinate, base64url (RFC 8037)."""
    private: Mapped[bytes]
    """Sealed."""
    made_at: Mapped[datetime]
    retired_at: Mapped[datetime | None]


class ClearanceRow(Table):
    """A clearance that was issued."""

    __tablename__ = "clearances"
    __table_args__ = (
        Index(
            "uq_clearances_one_live",
            "promotion",
            unique=True,
            postgresql_where=text("revoked_at IS NULL"),
        ),
    )

    id: Mapped[str] = mapped_column(primary_key=True)
    promotion: Mapped[int] = mapped_column(ForeignKey("promotions.number"))
    holder_id: Mapped[str] = mapped_column(ForeignKey("people.id"))
    issued_at: Mapped[datetime]
    not_before: Mapped[datetime]
    expires_at: Mapped[datetime]
    used_at: Mapped[datetime | None]
    revoked_at: Mapped[datetime | None]


class SealedValueRow(Table):
    """A configuration secret of a service, for every environment or for one."""

    __tablename__ = "sealed_values"
    __table_args__ = (
        Index(
            "uq_sealed_values_name",
            "service_id",
            "name",
            text("coalesce(environment_id, '')"),
            unique=True,
        ),
    )

    id: Mapped[int] = mapped_column(BigInteger, Identity(), primary_key=True)
    service_id: Mapped[str] = mapped_column(ForeignKey("services.id"))
    environment_id: Mapped[str | None] = mapped_column(ForeignKey("environments.id"))
    name: Mapped[str]
    sealed: Mapped[bytes]
    set_by_id: Mapped[str] = mapped_column(ForeignKey("people.id"))
    set_at: Mapped[datetime]
