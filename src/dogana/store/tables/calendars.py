"""The table of shared calendars."""

from typing import Any

from sqlalchemy.orm import Mapped, mapped_column

from dogana.store.tables.base import Table


class CalendarRow(Table):
    """Closed times or holidays that several policies share by name."""

    __tablename__ = "calendars"

    id: Mapped[str] = mapped_column(primary_key=True)
    document: Mapped[dict[str, Any]]
