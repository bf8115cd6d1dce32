"""Services, environments, routes, releases with their evidence; and what runs where."""

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import ColumnElement, Select, func, literal_column, select, tuple_
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.ext.asyncio import AsyncSession
from sqlalchemy.orm import joinedload

from dogana.store.database import KEPT, among
from dogana.store.tables.landscape import (
    ClosingRow,
    EnvironmentRow,
    ReleaseRow,
    ReportFileRow,
    ReportRow,
    RouteRow,
    ServiceRow,
)
from dogana.store.tables.promotions import PromotionRow, has_landed


async def service(session: AsyncSession, service_id: str, *, lock: bool = False) -> ServiceRow | None:
    """A service with its route; locked until the transaction ends, if asked."""
    return await session.get(ServiceRow, service_id, with_for_update=KEPT if lock else None)


async def services(session: AsyncSession, *, retired: bool = False) -> list[ServiceRow]:
    """Every service, by id; those that were retired too, if asked."""
    query = select(ServiceRow).order_by(ServiceRow.id)
    return list(await session.scalars(query if retired else query.where(ServiceRow.retired_at.is_(None))))


async def repositories_due(session: AsyncSession, before: datetime, limit: int) -> list[tuple[str, str]]:
    """Services whose repository was not looked at since an instant, with where it lies; the longest first."""
    query = (
        select(ServiceRow.id, ServiceRow.repository)
        .where(
            ServiceRow.retired_at.is_(None),
            ServiceRow.repository_tried_at.is_(None) | (ServiceRow.repository_tried_at <= before),
        )
        .order_by(ServiceRow.repository_tried_at.nulls_first(), ServiceRow.id)
        .limit(limit)
    )
    return [(row[0], row[1]) for row in await session.execute(query)]


async def environment(
    session: AsyncSession, environment_id: str, *, lock: bool = False
) -> EnvironmentRow | None:
    """An environment; locked until the transaction ends, if asked."""
    return await session.get(EnvironmentRow, environment_id, with_for_update=KEPT if lock else None)


async def classes(session: AsyncSession) -> list[EnvironmentRow]:
    """Classes of environments, which nothing enters: they have policies for others to inherit."""
    query = select(EnvironmentRow).where(
        EnvironmentRow.departs == "never", EnvironmentRow.removed_at.is_(None)
    )
    query = query.order_by(EnvironmentRow.id)
    return list(await session.scalars(query))


async def routes(session: AsyncSession) -> list[RouteRow]:
    """Every route with its legs in order; the one that most services travel first."""
    travelled = (
        select(func.count()).where(ServiceRow.route_id == RouteRow.id).correlate(RouteRow).scalar_subquery()
    )
    query = select(RouteRow).where(RouteRow.retired_at.is_(None))
    return list(await session.scalars(query.order_by(travelled.desc(), RouteRow.id)))


async def kept_route(session: AsyncSession, name: str) -> RouteRow | None:
    """A route by its name, retired or not."""
    return await session.get(RouteRow, name)


async def route(session: AsyncSession, name: str) -> RouteRow:
    """A route that a service or a promotion refers to."""
    return await session.get_one(RouteRow, name, options=[joinedload(RouteRow.legs)])


async def release(
    session: AsyncSession, service_id: str, version: str, *, lock: bool = False
) -> ReleaseRow | None:
    """A release by service and version."""
    query = select(ReleaseRow).where(ReleaseRow.service_id == service_id, ReleaseRow.version == version)
    return await session.scalar(query.with_for_update(of=ReleaseRow, key_share=True) if lock else query)


async def release_numbered(session: AsyncSession, number: int) -> ReleaseRow:
    """A release that is known to be there."""
    return await session.get_one(ReleaseRow, number)


async def revisions(session: AsyncSession, numbers: Collection[int]) -> dict[int, str]:
    """The commits that some releases were built from."""
    query = select(ReleaseRow.id, ReleaseRow.revision).where(among(ReleaseRow.id, numbers))
    return {row[0]: row[1] for row in await session.execute(query)}


async def releases_named(
    session: AsyncSession, named: Collection[tuple[str, str]]
) -> dict[tuple[str, str], ReleaseRow]:
    """The releases on record of these services and versions."""
    query = select(ReleaseRow).where(tuple_(ReleaseRow.service_id, ReleaseRow.version).in_(named))
    return {(row.service_id, row.version): row for row in await session.scalars(query)}


async def releases(
    session: AsyncSession, service_id: str, before: int | None, limit: int
) -> list[ReleaseRow]:
    """Releases of a service, the latest first."""
    query = select(ReleaseRow).where(ReleaseRow.service_id == service_id)
    if before is not None:
        query = query.where(ReleaseRow.id < before)
    return list(await session.scalars(query.order_by(ReleaseRow.id.desc()).limit(limit)))


async def was_asked_for(session: AsyncSession, release_id: int) -> bool:
    """Whether any promotion of a release was ever asked for."""
    query = select(PromotionRow.number).where(PromotionRow.release_id == release_id).limit(1)
    return await session.scalar(query) is not None


@dataclass(frozen=True, kw_only=True)
class Landed:
    """A landing: which promotion brought which release where, when, and what bytes."""

    number: int
    environment_id: str
    release_id: int
    revision: str
    landed_at: datetime
    artifacts: list[dict[str, Any]]


async def landings(session: AsyncSession, release_id: int) -> dict[str, Landed]:
    """The last landing of a release in each environment it has landed in."""
    query = _LANDED.where(PromotionRow.release_id == release_id).order_by(PromotionRow.landed_at)
    return {row["environment_id"]: Landed(**row) for row in (await session.execute(query)).mappings()}


async def landed_as(session: AsyncSession, release_id: int, environment_id: str) -> list[int]:
    """The promotions by which a release landed somewhere, the last one first."""
    query = select(PromotionRow.number).where(
        PromotionRow.release_id == release_id, PromotionRow.environment_id == environment_id, has_landed
    )
    return list(
        await session.scalars(query.order_by(PromotionRow.landed_at.desc(), PromotionRow.number.desc()))
    )


async def running(session: AsyncSession, service_id: str, environment: EnvironmentRow) -> Landed | None:
    """The landing that brought what runs in an environment now; in a preview, since it was made."""
    query = _LANDED.where(
        PromotionRow.service_id == service_id, PromotionRow.environment_id == environment.id
    )
    if environment.made_at is not None:
        query = query.where(PromotionRow.landed_at >= environment.made_at)
    latest = query.order_by(PromotionRow.landed_at.desc(), PromotionRow.number.desc()).limit(1)
    row = (await session.execute(latest)).mappings().first()
    return Landed(**row) if row else None


async def running_everywhere(session: AsyncSession, environment_id: str) -> dict[str, str]:
    """Which version of each service runs in an environment now."""
    return {row.service: row.version for row in await session.execute(runs(environment_id))}


_ONE: ColumnElement[int] = literal_column("1")
"""For a number that is given apart, a plan that is to be kept reckons with a tenth of all there is."""


def runs(environment: ColumnElement[str] | str) -> Select[tuple[str, str]]:
    """Service and version of what runs in an environment: one look for each service."""
    last = (
        select(ReleaseRow.version)
        .join(PromotionRow, PromotionRow.release_id == ReleaseRow.id)
        .where(
            PromotionRow.service_id == ServiceRow.id,
            PromotionRow.environment_id == environment,
            has_landed,
        )
        .order_by(PromotionRow.landed_at.desc(), PromotionRow.number.desc())
        .limit(_ONE)
        .lateral()
    )
    return select(ServiceRow.id.label("service"), last.c.version).join(last, literal_column("true"))


async def closings(session: AsyncSession, at: datetime, environment: str | None = None) -> list[ClosingRow]:
    """For how long environments are closed at once, as far as that is not over."""
    query = select(ClosingRow).where(ClosingRow.until > at, ClosingRow.opened_at.is_(None))
    if environment is not None:
        query = query.where(ClosingRow.environment_id == environment)
    return list(await session.scalars(query.order_by(ClosingRow.id)))


async def previews_over(session: AsyncSession, at: datetime) -> list[EnvironmentRow]:
    """The previews whose end has come."""
    query = select(EnvironmentRow).where(EnvironmentRow.ends_at <= at, EnvironmentRow.removed_at.is_(None))
    return list(await session.scalars(query.with_for_update(skip_locked=True, key_share=True)))


async def environments(session: AsyncSession) -> list[EnvironmentRow]:
    """Every environment that was not removed, by id."""
    query = select(EnvironmentRow).where(EnvironmentRow.removed_at.is_(None))
    return list(await session.scalars(query.order_by(EnvironmentRow.id)))


_LANDED = (
    select(
        PromotionRow.number,
        PromotionRow.environment_id,
        PromotionRow.release_id,
        ReleaseRow.revision,
        PromotionRow.landed_at,
        PromotionRow.landed_artifacts.label("artifacts"),
    )
    .join(ReleaseRow, ReleaseRow.id == PromotionRow.release_id)
    .where(has_landed)
)


async def reports(session: AsyncSession, release: int) -> list[ReportRow]:
    """The latest evidence of each name that came with a release."""
    query = (
        select(ReportRow)
        .where(ReportRow.release_id == release)
        .ext(distinct_on(ReportRow.name))
        .order_by(ReportRow.name, ReportRow.produced_at.desc(), ReportRow.id.desc())
    )
    return list(await session.scalars(query))


@dataclass(frozen=True, kw_only=True)
class FileName:
    """A file without its bytes."""

    name: str
    size: int
    digest: str


async def report_files(session: AsyncSession, release: int) -> dict[str, FileName]:
    """The files of a release's latest evidence, by the name of the evidence."""
    query = (
        select(ReportRow.name.label("of"), ReportFileRow.name, ReportFileRow.size, ReportFileRow.digest)
        .outerjoin(ReportFileRow, ReportFileRow.report_id == ReportRow.id)
        .where(ReportRow.release_id == release)
        .ext(distinct_on(ReportRow.name))
        .order_by(ReportRow.name, ReportRow.produced_at.desc(), ReportRow.id.desc())
    )
    rows = await session.execute(query)
    return {of: FileName(name=name, size=size, digest=made) for of, name, size, made in rows if name}


async def report_file(session: AsyncSession, report: int) -> ReportFileRow | None:
    """The bytes a piece of evidence was read from, if it came as a file."""
    return await session.get(ReportFileRow, report)
