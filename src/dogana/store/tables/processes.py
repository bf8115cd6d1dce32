"""The table of the processes that run, or did until lately."""

from datetime import datetime
from typing import Any

from sqlalchemy.orm import Mapped, mapped_column

from dogana.store.tables.base import Table


class ProcessRow(Table):
    """One web or worker process, as it told last."""

    __tablename__ = "processes"

    id: Mapped[str] = mapped_column(primary_key=True)
    kind: Mapped[str]
    """`web` or `worker`."""
    version: Mapped[str]
    host: Mapped[str]
    pid: Mapped[int]
    began_at: Mapped[datetime]
    seen_at: Mapped[datetime]
    lacks: Mapped[list[str]]
    """What it found wrong with its own settings, each a sentence."""
    counts: Mapped[dict[str, Any]]
    """How often it did what, by name, since it began."""
