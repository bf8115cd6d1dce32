"""Sources and what was scraped from them."""

from collections.abc import Collection
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import delete, func, insert, select
from sqlalchemy.ext.asyncio import AsyncSession

from dogana.store.database import KEPT, among
from dogana.store.tables.sources import SampleRow, SourceRow


async def sources(session: AsyncSession, named: Collection[str] | None = None) -> list[SourceRow]:
    """Every source, or some, by id."""
    query = select(SourceRow).order_by(SourceRow.id)
    if named is not None:
        query = query.where(among(SourceRow.id, named))
    return list(await session.scalars(query))


async def source(session: AsyncSession, name: str, *, lock: bool = False) -> SourceRow | None:
    """One source."""
    return await session.get(SourceRow, name, with_for_update=KEPT if lock else None)


async def keep_samples(session: AsyncSession, rows: list[dict[str, Any]], read_at: datetime) -> None:
    """Keep what a page showed; of one value that it goes on showing with its time, one is kept.

    Only what was measured before the page was read can be there already.
    """
    old = [row for row in rows if row["at"] < read_at]
    kept = await _kept_of(session, old) if old else set()
    new = [row for row in rows if _which(row["source_id"], row["name"], row["at"], row["labels"]) not in kept]
    if new:
        await session.execute(insert(SampleRow), new)


async def _kept_of(session: AsyncSession, rows: list[dict[str, Any]]) -> set[tuple[str, str, datetime, str]]:
    known = await session.execute(
        select(SampleRow.source_id, SampleRow.name, SampleRow.at, SampleRow.labels).where(
            among(SampleRow.source_id, {row["source_id"] for row in rows}),
            among(SampleRow.name, {row["name"] for row in rows}),
            among(SampleRow.at, {row["at"] for row in rows}),
        )
    )
    return {_which(*one) for one in known}


def _which(source: str, name: str, at: datetime, labels: dict[str, str]) -> tuple[str, str, datetime, str]:
    return source, name, at, str(sorted(labels.items()))


async def samples(
    session: AsyncSession, source_id: str, name: str, labels: dict[str, str], since: datetime, limit: int
) -> list[tuple[dict[str, str], datetime, float]]:
    """What was scraped of a metric with some labels since an instant, by labels, when and what.

    Oldest first.
    """
    query = (
        select(SampleRow.labels, SampleRow.at, SampleRow.value)
        .where(
            SampleRow.source_id == source_id,
            SampleRow.name == name,
            SampleRow.labels.contains(labels),
            SampleRow.at >= since,
        )
        .order_by(SampleRow.at.desc(), SampleRow.id.desc())
        .limit(limit)
    )
    return [(row[0], row[1], row[2]) for row in await session.execute(query)][::-1]


async def buckets(
    session: AsyncSession,
    source_id: str,
    name: str,
    labels: dict[str, str],
    start: datetime,
    end: datetime,
    step: timedelta,
) -> list[tuple[datetime, float, float, float]]:
    """What was scraped of a metric in steps of time: the middle of each, its mean, lowest and highest."""
    bucket = func.date_bin(step, SampleRow.at, start).label("bucket")
    query = (
        select(bucket, func.avg(SampleRow.value), func.min(SampleRow.value), func.max(SampleRow.value))
        .where(
            SampleRow.source_id == source_id,
            SampleRow.name == name,
            SampleRow.labels.contains(labels),
            SampleRow.at >= start,
            SampleRow.at < end,
        )
        .group_by(bucket)
        .order_by(bucket)
    )
    return [(row[0] + step / 2, row[1], row[2], row[3]) for row in await session.execute(query)]


async def drop_samples(session: AsyncSession, source_id: str, before: datetime) -> None:
    """Let go of what is too old."""
    await session.execute(delete(SampleRow).where(SampleRow.source_id == source_id, SampleRow.at < before))
