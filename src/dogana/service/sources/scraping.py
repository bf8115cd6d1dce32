"""Scraped metrics: keeping what pages show, and reading it back as series."""

from datetime import datetime, timedelta
from functools import partial

from dogana.core.facts import Reading, Series
from dogana.service.backend import Backend
from dogana.service.sources.each_due import read_due
from dogana.sources.http import UnreadError
from dogana.sources.metrics import Bucket, selector, series_of
from dogana.sources.settings import Configured, ScrapeSettings
from dogana.store import sources

_MOST = 2000


async def scraped_stretch(
    backend: Backend,
    page: Configured[ScrapeSettings],
    query: str,
    environment: str,
    start: datetime,
    end: datetime,
    step: timedelta,
) -> Reading[tuple[Bucket, ...]]:
    """What was scraped from one instant to another, in steps."""
    at = backend.clock()
    try:
        name, labels = selector(query.replace("$environment", environment))
    except ValueError as exc:
        return Reading(source=page.title, read_at=at, unknown=str(exc))
    async with backend.database.transaction() as session:
        rows = await sources.buckets(session, page.id, name, labels, start, end, step)
    return Reading(source=page.title, read_at=at, value=tuple(Bucket(*row) for row in rows))


async def scrape_due(backend: Backend) -> None:
    """Read every page whose time has come; one that cannot be read is tried again at its next time."""
    await read_due(backend, ScrapeSettings, partial(scrape, backend))


async def scrape(backend: Backend, page: Configured[ScrapeSettings]) -> str | None:
    """Read one page and keep what it shows; the reason where it cannot be read."""
    at = backend.clock()
    try:
        found, reason = await backend.metrics.page(page), None
    except UnreadError as exc:
        found, reason = [], str(exc)
    async with backend.database.transaction() as session:
        await sources.keep_samples(
            session,
            [
                {
                    "source_id": page.id,
                    "name": one.name,
                    "labels": one.labels,
                    # What was measured long ago is no newer for being shown still; nothing is from tomorrow.
                    "at": min(one.measured_at or at, at),
                    "value": one.value,
                }
                for one in found
            ],
            at,
        )
        await sources.drop_samples(session, page.id, at - page.settings.keep)
    return reason


async def scraped(
    backend: Backend, page: Configured[ScrapeSettings], query: str, environment: str, window: timedelta
) -> Reading[Series]:
    """What was scraped over a window up to now; as old as the oldest of its series' last values."""
    at: datetime = backend.clock()
    try:
        name, labels = selector(query.replace("$environment", environment))
    except ValueError as exc:
        return Reading(source=page.title, read_at=at, unknown=str(exc))
    async with backend.database.transaction() as session:
        row = await sources.source(session, page.id)
        rows = await sources.samples(session, page.id, name, labels, at - window, _MOST + 1)
    if row is None or row.read_at is None:
        why = (row.reason if row else None) or "it has not been read yet"
        return Reading(source=page.title, read_at=at, unknown=why)
    try:
        series, read_at = series_of(
            ((str(sorted(one[0].items())), one[1], one[2]) for one in rows), row.read_at
        )
    except UnreadError as exc:
        return Reading(source=page.title, read_at=at, unknown=str(exc))
    return Reading(source=page.title, read_at=read_at, value=series)
