"""The table of policies: every version, and from when it is in force."""

from datetime import datetime

from sqlalchemy import BigInteger, ForeignKey, Identity, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from dogana.store.tables.base import Table


class PolicyRow(Table):
    """One version of an environment's policy; in force from its adoption until the next one's."""

    __tablename__ = "policies"
    __table_args__ = (UniqueConstraint("environment_id", "version", name="uq_policies_version"),)

    id: Mapped[int] = mapped_column(BigInteger, Identity(), primary_key=True)
    environment_id: Mapped[str] = mapped_column(ForeignKey("environments.id"))
    version: Mapped[int]
    digest: Mapped[str]
    document: Mapped[str]
    """Canonical JSON, the bytes the digest is of."""
    written: Mapped[str | None]
    """The text as its author wrote it, with comments and in its order; None where it came as values."""
    author_id: Mapped[str] = mapped_column(ForeignKey("people.id"))
    drafted_at: Mapped[datetime]
    adopter_id: Mapped[str | None] = mapped_column(ForeignKey("people.id"))
    in_force_from: Mapped[datetime | None]
    dropped_at: Mapped[datetime | None]
    """When a draft was let be; its number is not given again."""
    started: Mapped[bool] = mapped_column(default=False)
    """Whether it has come into force: it stays so when the clock goes back."""
