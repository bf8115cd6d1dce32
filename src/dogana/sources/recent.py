"""Answers that are used again for a moment: many promotions ask the same of the same systems.

What is used again says when it was read, so that no rule takes it for newer than it is. A trouble is not used
again, unless a source has let everybody wait in vain: then all are told so for a moment, and nothing that
does not ask it waits for it.
"""

import asyncio
import time
from collections import Counter, defaultdict
from collections.abc import Awaitable, Callable, Hashable
from datetime import datetime, timedelta
from typing import Any, Generic, TypeVar

from dogana.core.facts import Reading, Series, Ticket
from dogana.core.health.counters import Answer
from dogana.sources import Metrics, Tracker
from dogana.sources.metrics import Bucket, Sample
from dogana.sources.settings import Configured, MetricsSettings, ScrapeSettings, TrackerSettings

_MOST = 10_000
_AT_ONCE = 8
_IN_VAIN_SECONDS, _IN_A_ROW, _MOMENT_SECONDS = 1.0, _AT_ONCE, 10.0
"""After so many troubles in a row that took so long each, a source is not asked for so long."""
V = TypeVar("V")


class Recent(Generic[V]):
    """Readings by what was asked, each for some seconds; who asks while one is being read waits for it."""

    def __init__(self, seconds: float) -> None:
        self._seconds = seconds
        self._in_vain = Counter[Hashable]()
        self._not_before: dict[Hashable, tuple[float, Reading[V]]] = {}
        self._kept: dict[Hashable, tuple[float, Reading[V]]] = {}
        self._going: dict[Hashable, asyncio.Task[Reading[V]]] = {}

    async def get(
        self, source: Hashable, key: Hashable, ask: Callable[[], Awaitable[Reading[V]]]
    ) -> Reading[V]:
        """A reading that is no older than that, or a new one.

        Args:
            source: who is asked, as it is set up.
            key: what is asked.
            ask: asks it.
        """
        found = self._kept.get(key)
        if found is not None and time.monotonic() - found[0] < self._seconds:
            return found[1]
        task = self._going.get(key)
        if task is None:
            if (trouble := self.trouble(source)) is not None:
                return trouble
            task = self._going[key] = asyncio.create_task(self._read(source, key, ask))
        # Who waits with others may be given up; the others still wait.
        return await asyncio.shield(task)

    def trouble(self, source: Hashable) -> Reading[V] | None:
        """What a source said last that has let everybody wait in vain until a moment ago; else None."""
        until, trouble = self._not_before.get(source, (0.0, None))
        return trouble if time.monotonic() < until else None

    async def _read(
        self, source: Hashable, key: Hashable, ask: Callable[[], Awaitable[Reading[V]]]
    ) -> Reading[V]:
        began = time.monotonic()
        try:
            reading = await ask()
        finally:
            del self._going[key]
        self._kept.pop(key, None)
        now = time.monotonic()
        if reading.value is not None:
            # One slow ticket among others that are told says nothing of the tracker.
            self._in_vain.pop(source, None)
            self._not_before.pop(source, None)
            self._kept[key] = (began, reading)
            while len(self._kept) > _MOST:
                del self._kept[next(iter(self._kept))]
        elif now - began >= _IN_VAIN_SECONDS:
            self._in_vain[source] += 1
            if self._in_vain[source] >= _IN_A_ROW:
                self._not_before[source] = (now + _MOMENT_SECONDS, reading)
        return reading


class RecentTracker:
    """A tracker of which each ticket is read once for all who name it."""

    def __init__(self, tracker: Tracker, seconds: float) -> None:
        self._tracker = tracker
        self._recent = Recent[tuple[Ticket, ...]](seconds)
        # Each its own: one that hangs keeps nobody from asking another.
        self._gates = defaultdict[str, asyncio.Semaphore](lambda: asyncio.Semaphore(_AT_ONCE))

    async def search(self, tracker: Configured[TrackerSettings], query: str) -> Reading[tuple[str, ...]]:
        """What a query finds, as it is."""
        return await self._tracker.search(tracker, query)

    async def tickets(
        self, tracker: Configured[TrackerSettings], keys: tuple[str, ...]
    ) -> Reading[tuple[Ticket, ...]]:
        """The state of some tickets, all of them or none, as old as the oldest."""

        async def one(key: str) -> Reading[tuple[Ticket, ...]]:
            async with self._gates[tracker.id]:
                return self._recent.trouble(tracker) or await self._tracker.tickets(tracker, (key,))

        if not keys:
            return await self._tracker.tickets(tracker, keys)
        found: list[Reading[tuple[Ticket, ...]]] = []
        for first in range(0, len(keys), _AT_ONCE):
            some = keys[first : first + _AT_ONCE]
            found += await asyncio.gather(
                *(self._recent.get(tracker, (tracker, key), lambda key=key: one(key)) for key in some)  # type: ignore[misc]
            )
            failed = next((reading for reading in found if reading.value is None), None)
            if failed is not None:
                # A tracker that is away is not waited for once more for each of a hundred.
                return failed
        return Reading(
            source=tracker.title,
            read_at=min(reading.read_at for reading in found),
            value=tuple(ticket for reading in found for ticket in reading.value or ()),
        )


class RecentMetrics:
    """Metrics of which each query of an environment is asked once for all whom it concerns."""

    def __init__(self, metrics: Metrics, seconds: float) -> None:
        self._metrics = metrics
        self._recent = Recent[Series](seconds)

    async def series(
        self, server: Configured[MetricsSettings], query: str, environment: str, window: timedelta
    ) -> Reading[Series]:
        """What a query showed of an environment over a window up to a moment ago."""

        def ask() -> Awaitable[Reading[Series]]:
            return self._metrics.series(server, query, environment, window)

        key: tuple[Any, ...] = (server, query, environment, window)
        return await self._recent.get(server, key, ask)

    async def stretch(
        self,
        server: Configured[MetricsSettings],
        query: str,
        environment: str,
        start: datetime,
        end: datetime,
        step: timedelta,
    ) -> Reading[tuple[Bucket, ...]]:
        """What a query showed from one instant to another; each stretch is asked for itself."""
        return await self._metrics.stretch(server, query, environment, start, end, step)

    async def vector(self, server: Configured[MetricsSettings], query: str, at: datetime) -> Reading[Answer]:
        """What a query gives at an instant; each instant is asked for itself."""
        return await self._metrics.vector(server, query, at)

    async def page(self, page: Configured[ScrapeSettings]) -> list[Sample]:
        """The values on a page of metrics, as it is."""
        return await self._metrics.page(page)
