"""Clearances, the keys that sign them, and sealed values."""

from datetime import datetime

from sqlalchemy import delete, func, or_, select, update
from sqlalchemy.ext.asyncio import AsyncSession

from dogana.store.database import KEPT, hold
from dogana.store.tables.chat import ChatRoomRow
from dogana.store.tables.exchange import SenderRow, SubscriberRow
from dogana.store.tables.people import ProposalRow
from dogana.store.tables.secrets import ClearanceKeyRow, ClearanceRow, SealedValueRow
from dogana.store.tables.sources import SourceRow


async def signing_key(session: AsyncSession) -> ClearanceKeyRow | None:
    """The key that signs now; locked against others making one until the transaction ends."""
    await hold(session, "keys of clearances")
    query = select(ClearanceKeyRow).where(ClearanceKeyRow.retired_at.is_(None))
    return await session.scalar(query)


async def published_keys(session: AsyncSession, retired_after: datetime) -> list[ClearanceKeyRow]:
    """The key that signs, and those retired so lately that what they signed may still be valid."""
    query = select(ClearanceKeyRow).where(
        or_(ClearanceKeyRow.retired_at.is_(None), ClearanceKeyRow.retired_at > retired_after)
    )
    return list(await session.scalars(query.order_by(ClearanceKeyRow.made_at)))


async def clearance(session: AsyncSession, name: str, *, lock: bool = False) -> ClearanceRow | None:
    """One clearance."""
    return await session.get(ClearanceRow, name, with_for_update=KEPT if lock else None)


async def last_clearance(session: AsyncSession, promotion: int) -> ClearanceRow | None:
    """The clearance of a promotion that was issued last, whatever became of it."""
    query = select(ClearanceRow).where(ClearanceRow.promotion == promotion)
    return await session.scalar(query.order_by(ClearanceRow.issued_at.desc()).limit(1))


async def live_clearance(session: AsyncSession, promotion: int) -> ClearanceRow | None:
    """The clearance of a promotion that was not revoked."""
    query = select(ClearanceRow).where(ClearanceRow.promotion == promotion, ClearanceRow.revoked_at.is_(None))
    return await session.scalar(query)


async def revoke_clearances(session: AsyncSession, promotion: int, at: datetime) -> bool:
    """Revoke what was not used of a promotion's clearances; whether there was any."""
    query = (
        update(ClearanceRow)
        .where(
            ClearanceRow.promotion == promotion,
            ClearanceRow.revoked_at.is_(None),
            ClearanceRow.used_at.is_(None),
        )
        .values(revoked_at=at)
        .returning(ClearanceRow.id)
    )
    return bool(list(await session.scalars(query)))


async def use_clearances(session: AsyncSession, promotion: int, at: datetime) -> None:
    """Mark the live clearance of a promotion as used."""
    query = update(ClearanceRow).where(
        ClearanceRow.promotion == promotion,
        ClearanceRow.revoked_at.is_(None),
        ClearanceRow.used_at.is_(None),
    )
    await session.execute(query.values(used_at=at))


async def values(session: AsyncSession, service: str) -> list[SealedValueRow]:
    """The sealed values of a service, by name; those for every environment first."""
    query = select(SealedValueRow).where(SealedValueRow.service_id == service)
    order = (SealedValueRow.name, func.coalesce(SealedValueRow.environment_id, ""))
    return list(await session.scalars(query.order_by(*order)))


async def drop_value(session: AsyncSession, service: str, environment: str | None, name: str) -> bool:
    """Take a sealed value away; whether there was one."""
    query = delete(SealedValueRow).where(
        SealedValueRow.service_id == service,
        SealedValueRow.environment_id.is_not_distinct_from(environment),
        SealedValueRow.name == name,
    )
    return bool(list(await session.scalars(query.returning(SealedValueRow.id))))


Sealed = ProposalRow | ClearanceKeyRow | SourceRow | SenderRow | SubscriberRow | ChatRoomRow | SealedValueRow


async def everything_sealed(session: AsyncSession) -> list[Sealed]:
    """Every row that holds something sealed, locked."""
    # First what waits, as whoever confirms it goes on to everything else; then as a document sets them up.
    tables = (ProposalRow, ClearanceKeyRow, SourceRow, SenderRow, SubscriberRow, ChatRoomRow, SealedValueRow)
    out: list[Sealed] = []
    for table in tables:
        query = select(table).with_for_update(key_share=True)
        if table is ProposalRow:
            query = query.where(ProposalRow.sealed.is_not(None))
        out += list(await session.scalars(query))
    return out
