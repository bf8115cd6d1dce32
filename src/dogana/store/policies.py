"""Policies: versions, and which is in force."""

from dataclasses import dataclass
from datetime import datetime
from functools import cache

from sqlalchemy import (
    JSON,
    BindParameter,
    ColumnElement,
    DateTime,
    Select,
    bindparam,
    cast,
    func,
    select,
    true,
    update,
)
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.ext.asyncio import AsyncSession
from sqlalchemy.orm import aliased

from dogana.store.tables.landscape import EnvironmentRow
from dogana.store.tables.policies import PolicyRow


def _has_begun(at: datetime | BindParameter[datetime]) -> ColumnElement[bool]:
    """Whether a version has come into force by now, or had by a later time that the clock showed before."""
    return PolicyRow.started | (PolicyRow.in_force_from <= at)


async def begin_due(session: AsyncSession, at: datetime) -> None:
    """Keep of every version that has come into force that it has."""
    due = PolicyRow.started.is_(False) & (PolicyRow.in_force_from <= at)
    await session.execute(update(PolicyRow).where(due).values(started=True))


async def in_force(session: AsyncSession, environment: str, at: datetime) -> PolicyRow | None:
    """The version in force in an environment now."""
    rows = await in_force_and_inherited(session, environment, at)
    return rows[0] if rows is not None else None


async def in_force_and_inherited(
    session: AsyncSession, environment: str, at: datetime
) -> tuple[PolicyRow, PolicyRow | None] | None:
    """The version in force in an environment now, and that of its baseline."""
    row = (await session.execute(_in_force(), {"environment": environment, "at": at})).first()
    return (row[0], row[1]) if row is not None else None


@cache
def _in_force() -> Select[PolicyRow, PolicyRow]:
    """Put together once, as it is asked for with every inspection."""
    at = bindparam("at", type_=DateTime(timezone=True))

    def latest(environment: ColumnElement[str]) -> Select[PolicyRow]:
        query = select(PolicyRow).where(PolicyRow.environment_id == environment, _has_begun(at))
        return query.order_by(PolicyRow.in_force_from.desc(), PolicyRow.version.desc()).limit(1)

    own = latest(bindparam("environment")).subquery()
    inherited = latest(cast(own.c.document, JSON)["inherits"].as_string()).lateral()
    query = select(aliased(PolicyRow, own), aliased(PolicyRow, inherited))
    return query.outerjoin(inherited, true())


async def in_force_everywhere(session: AsyncSession, at: datetime) -> dict[str, PolicyRow]:
    """The version in force now in each environment that has one."""
    query = (
        select(PolicyRow)
        .where(_has_begun(at))
        .ext(distinct_on(PolicyRow.environment_id))
        .order_by(PolicyRow.environment_id, PolicyRow.in_force_from.desc(), PolicyRow.version.desc())
    )
    return {row.environment_id: row for row in await session.scalars(query)}


async def coming(session: AsyncSession, at: datetime, environment: str | None = None) -> list[PolicyRow]:
    """The versions adopted that come into force after an instant, in one or all, in their order."""
    query = select(PolicyRow).where(PolicyRow.started.is_(False), PolicyRow.in_force_from > at)
    if environment is not None:
        query = query.where(PolicyRow.environment_id == environment)
    return list(await session.scalars(query.order_by(PolicyRow.in_force_from, PolicyRow.version)))


async def in_force_or_coming(session: AsyncSession, at: datetime) -> list[PolicyRow]:
    """The versions in force at an instant anywhere, and those that come into force after it."""
    return [*(await in_force_everywhere(session, at)).values(), *await coming(session, at)]


async def adopted_after(session: AsyncSession, environment: str, number: int) -> int | None:
    """The newest version of an environment's policy that was adopted, where it is newer than one of them."""
    query = select(func.max(PolicyRow.version)).where(
        PolicyRow.environment_id == environment,
        PolicyRow.version > number,
        PolicyRow.in_force_from.is_not(None),
    )
    return await session.scalar(query)


async def latest_everywhere(session: AsyncSession) -> dict[str, PolicyRow]:
    """The newest version of each environment that has one, in force or not."""
    query = select(PolicyRow).where(PolicyRow.dropped_at.is_(None)).ext(distinct_on(PolicyRow.environment_id))
    query = query.order_by(PolicyRow.environment_id, PolicyRow.version.desc())
    return {row.environment_id: row for row in await session.scalars(query)}


@dataclass(frozen=True, kw_only=True)
class Draft:
    """A draft that waits to be adopted, without its document."""

    environment: str
    title: str
    version: int
    author: str
    drafted_at: datetime


async def drafts(session: AsyncSession) -> list[Draft]:
    """The newest version of each environment where nobody has adopted it, the oldest first."""
    newest = (
        select(PolicyRow.environment_id, func.max(PolicyRow.version).label("version"))
        .where(PolicyRow.dropped_at.is_(None))
        .group_by(PolicyRow.environment_id)
        .subquery()
    )
    query = (
        select(
            PolicyRow.environment_id,
            EnvironmentRow.title,
            PolicyRow.version,
            PolicyRow.author_id,
            PolicyRow.drafted_at,
        )
        .join(
            newest,
            (newest.c.environment_id == PolicyRow.environment_id) & (newest.c.version == PolicyRow.version),
        )
        .join(EnvironmentRow, EnvironmentRow.id == PolicyRow.environment_id)
        .where(PolicyRow.in_force_from.is_(None), EnvironmentRow.removed_at.is_(None))
        .order_by(PolicyRow.drafted_at)
    )
    return [
        Draft(environment=row[0], title=row[1], version=row[2], author=row[3], drafted_at=row[4])
        for row in await session.execute(query)
    ]


async def version(
    session: AsyncSession, environment: str, number: int, *, lock: bool = False
) -> PolicyRow | None:
    """One version of an environment's policy."""
    query = select(PolicyRow).where(PolicyRow.environment_id == environment, PolicyRow.version == number)
    return await session.scalar(query.with_for_update(key_share=True) if lock else query)


async def versions(session: AsyncSession, environment: str) -> list[PolicyRow]:
    """Every version of an environment's policy, newest first."""
    query = select(PolicyRow).where(PolicyRow.environment_id == environment)
    return list(await session.scalars(query.order_by(PolicyRow.version.desc())))


async def next_version(session: AsyncSession, environment: str) -> int:
    """The number the next draft gets."""
    query = select(func.coalesce(func.max(PolicyRow.version), 0)).where(
        PolicyRow.environment_id == environment
    )
    return int(await session.scalar(query) or 0) + 1
