"""Sources and what was scraped from them; evidence and its files."""

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import delete, insert, select
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.ext.asyncio import AsyncSession

from dogana.store.database import KEPT, among
from dogana.store.exchange import ReportFileRow, SampleRow, SourceRow
from dogana.store.tables import ReportRow


async def sources(session: AsyncSession, named: Collection[str] | None = None) -> list[SourceRow]:
    """Every source, or some, by id."""
    query = select(SourceRow).order_by(SourceRow.id)
    if named is not None:
        query = query.where(among(SourceRow.id, named))
    return list(await session.scalars(query))


async def source(session: AsyncSession, name: str, *, lock: bool = False) -> SourceRow | None:
    """One source."""
    return await session.get(SourceRow, name, with_for_update=KEPT if lock else None)


async def keep_samples(session: AsyncSession, rows: list[dict[str, Any]]) -> None:
    """Keep what a page showed."""
    if rows:
        await session.execute(insert(SampleRow), rows)


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


async def drop_samples(session: AsyncSession, source_id: str, before: datetime) -> None:
    """Let go of what is too old."""
    await session.execute(delete(SampleRow).where(SampleRow.source_id == source_id, SampleRow.at < before))


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
