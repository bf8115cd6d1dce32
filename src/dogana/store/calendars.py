"""Shared calendars."""

from typing import Any

from sqlalchemy import delete, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.ext.asyncio import AsyncSession

from dogana.store.tables.calendars import CalendarRow


async def calendars(session: AsyncSession) -> dict[str, dict[str, Any]]:
    """Every shared calendar by name."""
    return {row.id: row.document for row in await session.scalars(select(CalendarRow))}


async def keep_calendar(session: AsyncSession, name: str, document: dict[str, Any]) -> None:
    """Put a calendar in place of the one of its name."""
    query = insert(CalendarRow).values(id=name, document=document)
    await session.execute(
        query.on_conflict_do_update(index_elements=[CalendarRow.id], set_={"document": document})
    )


async def drop_calendar(session: AsyncSession, name: str) -> None:
    """Take a calendar away."""
    await session.execute(delete(CalendarRow).where(CalendarRow.id == name))
