"""What outside checks were asked, and what they said."""

from sqlalchemy import select
from sqlalchemy.ext.asyncio import AsyncSession

from dogana.store.tables.checks import CheckRow


async def last_asked(session: AsyncSession, promotion: int, name: str) -> CheckRow | None:
    """What a check was asked last about a promotion, locked."""
    query = select(CheckRow).where(CheckRow.promotion == promotion, CheckRow.name == name)
    return await session.scalar(query.order_by(CheckRow.entry_id.desc()).limit(1).with_for_update())
