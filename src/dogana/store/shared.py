"""Addresses at which somebody without an account reads how a promotion stands."""

from datetime import datetime

from sqlalchemy import delete, select
from sqlalchemy.ext.asyncio import AsyncSession

from dogana.store.tables.shared import SharedRow


async def good(session: AsyncSession, digest: str, at: datetime) -> SharedRow | None:
    """The address under a digest, unless it has ended."""
    query = select(SharedRow).where(SharedRow.digest == digest, SharedRow.ends_at > at)
    return await session.scalar(query)


async def of_promotion(session: AsyncSession, promotion: int, at: datetime) -> list[SharedRow]:
    """The addresses of a promotion that are good, the one that lasts longest first."""
    query = select(SharedRow).where(SharedRow.promotion == promotion, SharedRow.ends_at > at)
    return list(await session.scalars(query.order_by(SharedRow.ends_at.desc())))


async def end(session: AsyncSession, promotion: int) -> int:
    """End every address of a promotion, and let go of those that had ended; how many there were."""
    query = delete(SharedRow).where(SharedRow.promotion == promotion).returning(SharedRow.digest)
    return len(list(await session.scalars(query)))
