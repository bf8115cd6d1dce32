"""How the installation fares, as a page in the OpenMetrics text format for a metrics server to scrape."""

import asyncio
from collections.abc import Iterable
from datetime import datetime, timedelta

from prometheus_client import CollectorRegistry
from prometheus_client.core import CounterMetricFamily, GaugeMetricFamily, Metric
from prometheus_client.openmetrics.exposition import generate_latest

from dogana.core.errors import AwayError
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.house.processes import Running, running
from dogana.service.house.readiness import Readiness, readiness
from dogana.store import house
from dogana.store.house import Queue

_TOTAL = "_total"
Reading = tuple[dict[str, Queue], dict[str, float]]


async def page(backend: Backend, actor: Actor, own: CollectorRegistry) -> bytes:
    """What is due and for how long, what fails, which processes run and what they have done.

    Args:
        backend: the outside.
        actor: who asks.
        own: what this process alone counts.
    """
    actor.must(Right.READ)
    ready = await readiness(backend)
    now = backend.clock()
    try:
        processes = await running(backend)
        async with backend.database.transaction() as session:
            queues = await house.queues(session, now)
            plain = {
                "sources_failing": float(len(await house.failing(session))),
                "repositories_unread": float(len(await house.unread_repositories(session))),
                "promotions_in_trouble": float(await house.in_trouble(session)),
                "deliveries_given_up": float(await house.given_up(session)),
                "database_bytes": float(await house.database_bytes(session)),
            }
    except AwayError:
        # What cannot be read is no figure; that it cannot is one, among the checks.
        processes, queues, plain = [], {}, {}
    return await asyncio.to_thread(_written, own, [*_ours(ready, processes, now, (queues, plain))])


def _written(own: CollectorRegistry, ours: Iterable[Metric]) -> bytes:
    registry = CollectorRegistry()
    registry.register(_Made([*own.collect(), *ours]))
    made: bytes = generate_latest(registry)  # type: ignore[no-untyped-call]
    return made


class _Made:
    """Families that were made elsewhere."""

    def __init__(self, families: Iterable[Metric]) -> None:
        self._families = families

    def collect(self) -> Iterable[Metric]:
        return self._families


_MEANS = {
    "sources_failing": "Sources that could not be read the last time",
    "repositories_unread": "Services whose repository could not be read the last time",
    "promotions_in_trouble": "Promotions on which work failed",
    "deliveries_given_up": "Deliveries to subscribers that were given up",
    "database_bytes": "What the database takes of the disk",
}


def _ours(ready: Readiness, processes: list[Running], now: datetime, read: Reading) -> Iterable[Metric]:
    queues, plain = read
    for name, value in plain.items():
        yield GaugeMetricFamily(f"dogana_{name}", _MEANS[name], value=value)
    checks = GaugeMetricFamily("dogana_ready", "1 where what has to be there is", labels=["check"])
    for check in ready.checks:
        checks.add_metric([check.name], float(check.ok))
    yield checks
    due = GaugeMetricFamily("dogana_queue_due", "Work that is due and not done", labels=["queue"])
    age = GaugeMetricFamily(
        "dogana_queue_age_seconds", "For how long the first of it has been due", labels=["queue"]
    )
    for queue, found in queues.items():
        due.add_metric([queue], found.length)
        waited = max(now - found.since, timedelta()) if found.since else timedelta()
        age.add_metric([queue], waited.total_seconds())
    yield due
    yield age
    up = GaugeMetricFamily(
        "dogana_process_up", "1 for a process heard of lately", labels=["process", "kind", "version", "host"]
    )
    for one in processes:
        up.add_metric([one.id, one.kind, one.version, one.host], float(one.alive))
    yield up
    yield from _counted(processes)


def _counted(processes: list[Running]) -> Iterable[Metric]:
    """The counters of every process, as told with its last beat."""
    families: dict[str, CounterMetricFamily] = {}
    for one in processes:
        for name, labels, value in one.samples:
            family = families.setdefault(
                name,
                CounterMetricFamily(
                    name.removesuffix(_TOTAL), "Since the process began", labels=["process", *labels]
                ),
            )
            family.add_metric([one.id, *labels.values()], value)
    return families.values()
