"""Which findings are accepted, until when, and by whom."""

from collections.abc import Sequence

from sqlalchemy import select
from sqlalchemy.ext.asyncio import AsyncSession

from dogana.store.tables.estate import AcceptedFindingRow

_stands = AcceptedFindingRow.ended_at.is_(None)


async def standing(session: AsyncSession) -> Sequence[AcceptedFindingRow]:
    """Everything that was asked for and not ended, past its date too."""
    return (await session.scalars(select(AcceptedFindingRow).where(_stands))).all()


async def of(session: AsyncSession, service: str, name: str, file: str) -> AcceptedFindingRow | None:
    """What stands of one finding of a service, locked."""
    query = select(AcceptedFindingRow).where(
        AcceptedFindingRow.service_id == service,
        AcceptedFindingRow.name == name,
        AcceptedFindingRow.file == file,
        _stands,
    )
    return await session.scalar(query.with_for_update())


async def get(session: AsyncSession, number: int) -> AcceptedFindingRow | None:
    """One of them, locked."""
    query = select(AcceptedFindingRow).where(AcceptedFindingRow.id == number)
    return await session.scalar(query.with_for_update())
