"""The table of addresses at which somebody without an account reads how a promotion stands."""

from datetime import datetime

from sqlalchemy import BigInteger, ForeignKey
from sqlalchemy.orm import Mapped, mapped_column

from dogana.store.tables.base import Table


class SharedRow(Table):
    """One such address; only the digest of its secret is kept."""

    __tablename__ = "shared"

    digest: Mapped[str] = mapped_column(primary_key=True)
    promotion: Mapped[int] = mapped_column(BigInteger, ForeignKey("promotions.number"), index=True)
    by_id: Mapped[str] = mapped_column(ForeignKey("people.id"))
    ends_at: Mapped[datetime]
