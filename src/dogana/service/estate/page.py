"""The estate as a page in the OpenMetrics text format, for a metrics server to scrape."""

import asyncio
from collections.abc import Sequence

from prometheus_client import CollectorRegistry, Gauge
from prometheus_client.openmetrics.exposition import generate_latest

from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.estate.layout import layout
from dogana.service.estate.matrix import Present, read_runs
from dogana.store.estate import Runs

_PLACE = ("service", "environment")


async def page(backend: Backend, actor: Actor) -> bytes:
    """What runs where now, since when, how far behind, and what is the matter."""
    actor.must(Right.READ)
    now = backend.clock()
    async with backend.database.transaction() as session:
        runs = list((await read_runs(session, await layout(session), now)).values())
        present = await Present.read(session)
    return await asyncio.to_thread(_written, runs, present)


def _written(runs: Sequence[Runs], present: Present) -> bytes:
    registry = CollectorRegistry()

    def gauge(name: str, meaning: str, *labels: str) -> Gauge:
        return Gauge(f"dogana_estate_{name}", meaning, (*_PLACE, *labels), registry=registry)

    release = gauge("release", "1 for the release that runs", "version")
    since = gauge("running_since_seconds", "When that landed, in seconds since 1970")
    behind = gauge("releases_behind", "Releases that the leg before has and this has not")
    incidents = gauge("open_incidents", "Incidents that nobody has closed")
    drift = gauge("drift", "1 where something else is seen to run than landed, 0 where that is seen to run")
    arriving = gauge("arriving", "Promotions that wait or move into it")
    for one in runs:
        place = (one.service, one.environment)
        release.labels(*place, one.version).set(1)
        since.labels(*place).set(one.since.timestamp())
        behind.labels(*place).set(one.newer)
        incidents.labels(*place).set(present.incidents.get(place, 0))
        arriving.labels(*place).set(len(present.arriving.get(place, ())))
        seen = present.seen.get(place)
        if seen is not None and (seen.differs is not None or seen.unknown is None):
            # What is not known is no figure at all: neither drift nor none.
            drift.labels(*place).set(int(seen.differs is not None))
    made: bytes = generate_latest(registry)  # type: ignore[no-untyped-call]
    return made
