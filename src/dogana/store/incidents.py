"""What went wrong with services in environments."""

from collections.abc import Collection, Sequence

from sqlalchemy import select
from sqlalchemy.ext.asyncio import AsyncSession

from dogana.store import promotions
from dogana.store.tables.incidents import IncidentRow
from dogana.store.tables.promotions import PromotionRow, has_landed


async def named(session: AsyncSession, source: str, name: str) -> IncidentRow | None:
    """One incident as its source calls it, locked."""
    return await session.get(IncidentRow, (source, name), with_for_update={"of": IncidentRow})


async def get(session: AsyncSession, number: int, *, lock: bool = False) -> IncidentRow | None:
    """One incident by its number."""
    query = select(IncidentRow).where(IncidentRow.number == number)
    return await session.scalar(query.with_for_update(of=IncidentRow) if lock else query)


async def latest(
    session: AsyncSession,
    limit: int,
    *,
    all_: bool = False,
    before: int | None = None,
    service: str | None = None,
    environment: str | None = None,
) -> Sequence[IncidentRow]:
    """What nobody has closed yet, or all of it, before a number; the latest first."""
    query = select(IncidentRow).order_by(IncidentRow.number.desc()).limit(limit)
    if service is not None:
        query = query.where(IncidentRow.service_id == service)
    if environment is not None:
        query = query.where(IncidentRow.environment_id == environment)
    if before is not None:
        query = query.where(IncidentRow.number < before)
    return (await session.scalars(query if all_ else query.where(IncidentRow.closed_at.is_(None)))).all()


async def of_landings(session: AsyncSession, numbers: Collection[int]) -> dict[int, IncidentRow]:
    """The last incident of each of some landings that had any."""
    query = select(IncidentRow).where(IncidentRow.landing.in_(numbers)).order_by(IncidentRow.number)
    return {row.landing: row for row in await session.scalars(query) if row.landing is not None}


async def last_arrival(session: AsyncSession, service: str, environment: str) -> int | None:
    """What goes in there now, else what landed there last."""
    going = await promotions.moving(session, service, environment)
    if going is not None:
        return going
    landed = select(PromotionRow.number).where(
        PromotionRow.service_id == service, PromotionRow.environment_id == environment, has_landed
    )
    latest = landed.order_by(PromotionRow.landed_at.desc(), PromotionRow.number.desc())
    return await session.scalar(latest.limit(1))
