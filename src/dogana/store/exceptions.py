"""Stand-ins and shared calendars."""

from datetime import datetime
from typing import Any

from sqlalchemy import delete, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.ext.asyncio import AsyncSession

from dogana.store.database import KEPT
from dogana.store.tables import CalendarRow, StandInRow


async def stand_ins(session: AsyncSession, since: datetime | None = None) -> list[StandInRow]:
    """Who stands in for whom; with an instant, those alone that had not ended by then."""
    query = select(StandInRow).order_by(StandInRow.starts_at, StandInRow.id)
    return list(await session.scalars(query.where(StandInRow.ends_at > since) if since else query))


async def stand_in(session: AsyncSession, number: int) -> StandInRow | None:
    """One of them, locked."""
    return await session.get(StandInRow, number, with_for_update=KEPT)


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
