"""Scopes and how they changed."""

from collections.abc import Sequence
from datetime import datetime

from sqlalchemy import or_, select
from sqlalchemy.ext.asyncio import AsyncSession

from dogana.store.tables.scopes import ScopeChangeRow, ScopeRow


async def every(session: AsyncSession, limit: int) -> Sequence[ScopeRow]:
    """The scopes that are open first, each the next due first."""
    order = (ScopeRow.declared_at.is_not(None), ScopeRow.due.asc().nulls_last(), ScopeRow.number.desc())
    return (await session.scalars(select(ScopeRow).order_by(*order).limit(limit))).all()


async def get(session: AsyncSession, number: int, *, lock: bool = False) -> ScopeRow | None:
    """One scope."""
    return await session.get(ScopeRow, number, with_for_update=lock or None, populate_existing=lock)


async def changes(session: AsyncSession, number: int, limit: int) -> Sequence[ScopeChangeRow]:
    """How a scope changed, the latest first."""
    query = select(ScopeChangeRow).where(ScopeChangeRow.scope == number)
    return (await session.scalars(query.order_by(ScopeChangeRow.id.desc()).limit(limit))).all()


async def to_read(session: AsyncSession, before: datetime, limit: int) -> Sequence[ScopeRow]:
    """The open scopes whose query was not tried since an instant."""
    query = select(ScopeRow).where(
        ScopeRow.query.is_not(None),
        ScopeRow.declared_at.is_(None),
        or_(ScopeRow.read_at.is_(None), ScopeRow.read_at < before),
    )
    return (await session.scalars(query.order_by(ScopeRow.read_at.nulls_first()).limit(limit))).all()
