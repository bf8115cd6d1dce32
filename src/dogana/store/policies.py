"""Policies: versions, and which is in force."""

from datetime import datetime

from sqlalchemy import JSON, ColumnElement, Select, cast, func, select, true, update
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.ext.asyncio import AsyncSession
from sqlalchemy.orm import aliased

from dogana.store.tables import PolicyRow


def _has_begun(at: datetime) -> ColumnElement[bool]:
    """Whether a version has come into force by now, or had by a later time that the clock showed before."""
    return PolicyRow.started | (PolicyRow.in_force_from <= at)


async def begin_due(session: AsyncSession, at: datetime) -> None:
    """Keep of every version that has come into force that it has."""
    due = PolicyRow.started.is_(False) & (PolicyRow.in_force_from <= at)
    await session.execute(update(PolicyRow).where(due).values(started=True))


async def in_force(session: AsyncSession, environment: str, at: datetime) -> PolicyRow | None:
    """The version in force in an environment now."""
    return await session.scalar(_in_force(PolicyRow.environment_id == environment, at))


async def in_force_and_inherited(
    session: AsyncSession, environment: str, at: datetime
) -> tuple[PolicyRow, PolicyRow | None] | None:
    """The version in force in an environment now, and that of its baseline."""
    own = _in_force(PolicyRow.environment_id == environment, at).subquery()
    heir = aliased(PolicyRow, own)
    named = cast(own.c.document, JSON)["inherits"].as_string()
    inherited = _in_force(PolicyRow.environment_id == named, at).lateral()
    query = select(heir, aliased(PolicyRow, inherited)).outerjoin(inherited, true())
    row = (await session.execute(query)).first()
    return (row[0], row[1]) if row is not None else None


def _in_force(where: ColumnElement[bool], at: datetime) -> Select[PolicyRow]:
    return (
        select(PolicyRow)
        .where(where, _has_begun(at))
        .order_by(PolicyRow.in_force_from.desc(), PolicyRow.version.desc())
        .limit(1)
    )


async def in_force_everywhere(session: AsyncSession, at: datetime) -> dict[str, PolicyRow]:
    """The version in force now in each environment that has one."""
    query = (
        select(PolicyRow)
        .where(_has_begun(at))
        .ext(distinct_on(PolicyRow.environment_id))
        .order_by(PolicyRow.environment_id, PolicyRow.in_force_from.desc(), PolicyRow.version.desc())
    )
    return {row.environment_id: row for row in await session.scalars(query)}


async def version(
    session: AsyncSession, environment: str, number: int, *, lock: bool = False
) -> PolicyRow | None:
    """One version of an environment's policy."""
    query = select(PolicyRow).where(PolicyRow.environment_id == environment, PolicyRow.version == number)
    return await session.scalar(query.with_for_update() if lock else query)


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
