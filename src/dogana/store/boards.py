"""Boards of people."""

from collections.abc import Sequence
from datetime import datetime

from sqlalchemy import select
from sqlalchemy.ext.asyncio import AsyncSession

from dogana.store.tables.estate import BoardRow


async def of_owner(session: AsyncSession, owner: str) -> Sequence[BoardRow]:
    """Somebody's boards, by name."""
    query = select(BoardRow).where(BoardRow.owner_id == owner).order_by(BoardRow.title, BoardRow.id)
    return (await session.scalars(query)).all()


async def get(session: AsyncSession, number: int, *, lock: bool = False) -> BoardRow | None:
    """One board."""
    return await session.get(BoardRow, number, with_for_update=lock or None)


async def on_wall(session: AsyncSession, digest: str, at: datetime) -> BoardRow | None:
    """The board whose wall has this secret, as long as its address is good."""
    query = select(BoardRow).where(BoardRow.wall_digest == digest, BoardRow.wall_until > at)
    return await session.scalar(query)
