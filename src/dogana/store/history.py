"""What happened in an environment, or to a service: landings, steps, incidents, closed times, policies."""

from collections.abc import Sequence
from datetime import datetime
from typing import Any, NamedTuple

from sqlalchemy import ColumnElement, DateTime, func, or_, select, tuple_, type_coerce
from sqlalchemy.ext.asyncio import AsyncSession

from dogana.store.tables.courses import OrderRow
from dogana.store.tables.incidents import IncidentRow
from dogana.store.tables.landscape import ClosingRow, ReleaseRow
from dogana.store.tables.people import PersonRow
from dogana.store.tables.policies import PolicyRow
from dogana.store.tables.promotions import PromotionRow, State, has_ended_there, has_landed

took_back = PromotionRow.state == State.ROLLED_BACK


class Ended(NamedTuple):
    """Something that landed, or was taken back while it went in."""

    promotion: int
    service: str
    environment: str
    version: str
    at: datetime
    kind: str
    taken_back: bool
    requester: str
    brought: dict[str, Any] | None
    note: str
    replaced_at: datetime | None
    """When the next one of the service landed there."""


async def page(
    session: AsyncSession, *, service: str | None, environment: str | None, before: int | None, limit: int
) -> list[Ended]:
    """What landed somewhere or was taken back, the latest first; with `before`, what was so before that."""
    query = _ended(service, environment)
    if before is not None:
        last = select(PromotionRow.closed_at, PromotionRow.number).where(PromotionRow.number == before)
        query = query.where(tuple_(PromotionRow.closed_at, PromotionRow.number) < last.scalar_subquery())
    return [Ended(*row) for row in await session.execute(query.limit(limit))]


async def within(
    session: AsyncSession,
    *,
    service: str | None,
    environment: str | None,
    start: datetime,
    end: datetime,
    most: int,
) -> list[Ended]:
    """What landed or was taken back after one instant and up to another, the latest first."""
    query = _ended(service, environment).where(*between(start, end))
    return [Ended(*row) for row in await session.execute(query.limit(most))]


def _ended(service: str | None, environment: str | None) -> Any:
    other = PromotionRow.__table__.alias("other")
    replaced = (
        select(func.min(other.c.landed_at))
        .where(
            other.c.service_id == PromotionRow.service_id,
            other.c.environment_id == PromotionRow.environment_id,
            other.c.state == State.LANDED,
            other.c.landed_at > PromotionRow.landed_at,
        )
        .scalar_subquery()
    )
    query = (
        select(
            PromotionRow.number,
            PromotionRow.service_id,
            PromotionRow.environment_id,
            ReleaseRow.version,
            type_coerce(PromotionRow.closed_at, DateTime(timezone=True)),
            PromotionRow.kind,
            took_back,
            PersonRow.name,
            PromotionRow.brought,
            PromotionRow.ended,
            replaced,
        )
        .join(ReleaseRow, ReleaseRow.id == PromotionRow.release_id)
        .join(PersonRow, PersonRow.id == PromotionRow.requester_id)
        .where(has_ended_there)
        .order_by(PromotionRow.closed_at.desc(), PromotionRow.number.desc())
    )
    if service is not None:
        query = query.where(PromotionRow.service_id == service)
    return query if environment is None else query.where(PromotionRow.environment_id == environment)


async def incidents(
    session: AsyncSession,
    *,
    service: str | None,
    environment: str | None,
    start: datetime,
    end: datetime,
    most: int,
) -> Sequence[IncidentRow]:
    """What went wrong in a stretch of time, the latest first."""
    since = func.coalesce(IncidentRow.detected_at, IncidentRow.opened_at)
    query = select(IncidentRow).where(
        since <= end, or_(IncidentRow.resolved_at.is_(None), IncidentRow.resolved_at >= start)
    )
    if service is not None:
        query = query.where(IncidentRow.service_id == service)
    if environment is not None:
        query = query.where(IncidentRow.environment_id == environment)
    return (await session.scalars(query.order_by(since.desc()).limit(most))).all()


class Step(NamedTuple):
    """A share that was ordered."""

    promotion: int
    service: str
    version: str
    at: datetime
    share: int
    reason: str


async def steps(
    session: AsyncSession, *, service: str | None, environment: str, start: datetime, end: datetime, most: int
) -> list[Step]:
    """The shares that were ordered in a stretch of time, the latest first."""
    query = (
        select(
            PromotionRow.number,
            PromotionRow.service_id,
            ReleaseRow.version,
            OrderRow.at,
            OrderRow.share,
            OrderRow.reason,
        )
        .join(PromotionRow, PromotionRow.number == OrderRow.promotion)
        .join(ReleaseRow, ReleaseRow.id == PromotionRow.release_id)
        .where(PromotionRow.environment_id == environment, OrderRow.at >= start, OrderRow.at <= end)
        .order_by(OrderRow.at.desc())
        .limit(most)
    )
    if service is not None:
        query = query.where(PromotionRow.service_id == service)
    return [Step(*row) for row in await session.execute(query)]


async def closings(
    session: AsyncSession, environment: str, start: datetime, end: datetime, most: int
) -> Sequence[ClosingRow]:
    """When an environment was closed at once in a stretch of time, the latest first."""
    over = func.coalesce(ClosingRow.opened_at, ClosingRow.until)
    query = select(ClosingRow).where(
        ClosingRow.environment_id == environment, ClosingRow.since <= end, over >= start
    )
    return (await session.scalars(query.order_by(ClosingRow.since.desc()).limit(most))).all()


async def policies(
    session: AsyncSession, environment: str, start: datetime, end: datetime, most: int
) -> Sequence[PolicyRow]:
    """The versions of a policy that came into force in a stretch of time, the latest first."""
    query = select(PolicyRow).where(
        PolicyRow.environment_id == environment,
        PolicyRow.in_force_from >= start,
        PolicyRow.in_force_from <= end,
    )
    return (await session.scalars(query.order_by(PolicyRow.in_force_from.desc()).limit(most))).all()


def between(since: datetime, until: datetime) -> tuple[ColumnElement[bool], ...]:
    """After one instant and up to another."""
    return (PromotionRow.closed_at > since, PromotionRow.closed_at <= until, has_ended_there)


async def policy_at_landing(session: AsyncSession, release: int, environment: str) -> PolicyRow | None:
    """The policy that a release was let in by when it last landed somewhere."""
    query = (
        select(PolicyRow)
        .join(PromotionRow, PromotionRow.policy_id == PolicyRow.id)
        .where(PromotionRow.release_id == release, PromotionRow.environment_id == environment, has_landed)
        .order_by(PromotionRow.landed_at.desc(), PromotionRow.number.desc())
        .limit(1)
    )
    return await session.scalar(query)


async def replaced_at(session: AsyncSession, row: PromotionRow) -> datetime | None:
    """When the next one of the service landed where this one had; None where it still runs."""
    query = select(func.min(PromotionRow.landed_at)).where(
        PromotionRow.service_id == row.service_id,
        PromotionRow.environment_id == row.environment_id,
        PromotionRow.landed_at > row.landed_at,
        has_landed,
    )
    return await session.scalar(query)
