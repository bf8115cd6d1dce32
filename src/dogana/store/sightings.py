"""What was seen to run where."""

from datetime import datetime
from typing import Any, NamedTuple

from sqlalchemy import DateTime, Text, func, or_, select, type_coerce
from sqlalchemy.ext.asyncio import AsyncSession

from dogana.store.tables.estate import SightingRow
from dogana.store.tables.landscape import EnvironmentRow, ServiceRow
from dogana.store.tables.promotions import PromotionRow, has_landed


class ToSee(NamedTuple):
    """A place of which somebody is to see what runs there."""

    environment: EnvironmentRow
    service: str
    landed_at: datetime


async def of_service(session: AsyncSession, service: str) -> dict[str, dict[str, Any]]:
    """What is seen of a service, by environment: when, in what it differs, why it is not known."""
    query = select(
        SightingRow.environment_id,
        SightingRow.read_at,
        SightingRow.told_by,
        SightingRow.differs,
        SightingRow.unknown,
    ).where(SightingRow.service_id == service)
    return {row.pop("environment_id"): row for row in map(dict, (await session.execute(query)).mappings())}


class Glance(NamedTuple):
    """What lists show of a sighting."""

    service: str
    environment: str
    read_at: datetime
    unknown: str | None
    differs: str | None


async def everywhere(session: AsyncSession) -> dict[tuple[str, str], Glance]:
    """What is seen everywhere, by service and environment."""
    query = select(
        SightingRow.service_id,
        SightingRow.environment_id,
        SightingRow.read_at,
        SightingRow.unknown,
        SightingRow.differs,
    )
    found = [Glance(*row) for row in await session.execute(query)]
    return {(one.service, one.environment): one for one in found}


class Differing(NamedTuple):
    """A place where something else is seen to run than landed."""

    service: str
    service_title: str
    environment: str
    environment_title: str
    differs: str
    since: datetime


async def differing(session: AsyncSession, limit: int) -> list[Differing]:
    """Where something else runs than landed, the latest first."""
    query = (
        select(
            ServiceRow.id,
            ServiceRow.title,
            EnvironmentRow.id,
            EnvironmentRow.title,
            type_coerce(SightingRow.differs, Text),
            type_coerce(SightingRow.differs_since, DateTime(timezone=True)),
        )
        .join(ServiceRow, ServiceRow.id == SightingRow.service_id)
        .join(EnvironmentRow, EnvironmentRow.id == SightingRow.environment_id)
        .where(SightingRow.differs.is_not(None), EnvironmentRow.removed_at.is_(None))
        .order_by(SightingRow.differs_since.desc())
        .limit(limit)
    )
    return [Differing(*row) for row in await session.execute(query)]


async def due(session: AsyncSession, before: datetime, limit: int) -> list[ToSee]:
    """The places that say what runs there, where anything landed, and that were not seen since an instant.

    The longest unseen first.
    """
    landed = (
        select(func.max(PromotionRow.landed_at).label("at"))
        .where(
            PromotionRow.service_id == ServiceRow.id,
            PromotionRow.environment_id == EnvironmentRow.id,
            has_landed,
        )
        .lateral("landed")
    )
    query = (
        select(EnvironmentRow, ServiceRow.id, type_coerce(landed.c.at, DateTime(timezone=True)))
        .join(ServiceRow, EnvironmentRow.version_from.is_not(None))
        .outerjoin(
            SightingRow,
            (SightingRow.service_id == ServiceRow.id) & (SightingRow.environment_id == EnvironmentRow.id),
        )
        .join(landed, landed.c.at.is_not(None))
        .where(
            EnvironmentRow.removed_at.is_(None),
            or_(SightingRow.read_at.is_(None), SightingRow.read_at < before),
        )
        .order_by(SightingRow.read_at.nulls_first(), EnvironmentRow.id, ServiceRow.id)
        .limit(limit)
    )
    return [ToSee(*row) for row in await session.execute(query)]


async def lock(session: AsyncSession, service: str, environment: str) -> SightingRow | None:
    """What is seen of a service somewhere, locked."""
    return await session.get(SightingRow, (service, environment), with_for_update=True)
