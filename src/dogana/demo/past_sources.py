"""The clock of the past that is played, and what its sources said then."""

from collections.abc import Awaitable, Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

from dogana.core.change import Origin
from dogana.core.facts import Reading, Series
from dogana.core.health import counters as health
from dogana.core.health.counters import Answer
from dogana.demo.landscape import ENVIRONMENTS
from dogana.sources.git import GitRepositories
from dogana.sources.metrics import Bucket, Sample
from dogana.sources.reachable import Reachable
from dogana.sources.settings import Configured, MetricsSettings, RepositoryAt, ScrapeSettings
from dogana.standins import fleet


class SimulatedClock:
    """A clock that is set."""

    def __init__(self, at: datetime) -> None:
        self.now = at.astimezone(UTC)

    def __call__(self) -> datetime:
        """The instant it was set to."""
        return self.now


class PastRepositories(GitRepositories):
    """The repositories while history is played: nobody changes them, so each thing is asked of git once."""

    def __init__(self, root: Path, clock: SimulatedClock, mirrors: Path) -> None:
        super().__init__(root, clock, mirrors, Reachable(""))
        self._now = clock
        self._said: dict[tuple[str, ...], Reading[Any]] = {}

    async def check(self, at: RepositoryAt, revision: str) -> Reading[bool]:
        """Whether a branch or tag holds a revision."""
        held = await self._once(
            ("check", at.address, revision), lambda: super(PastRepositories, self).check(at, revision)
        )
        return held.model_copy(update={"read_at": self._now()})

    async def origin(self, at: RepositoryAt, revision: str) -> Reading[Origin]:
        """Where a revision stands in its repository."""
        stands = await self._once(
            ("origin", at.address, revision), lambda: super(PastRepositories, self).origin(at, revision)
        )
        return stands.model_copy(update={"read_at": self._now()})

    async def _once(self, what: tuple[str, ...], ask: Callable[[], Awaitable[Reading[Any]]]) -> Reading[Any]:
        if what not in self._said:
            self._said[what] = await ask()
        return self._said[what]


class PastMetrics:
    """What the fleet showed at the time the clock is set to; the metrics server came later."""

    def __init__(self, clock: SimulatedClock) -> None:
        self._clock = clock

    async def series(
        self, server: Configured[MetricsSettings], query: str, environment: str, window: timedelta
    ) -> Reading[Series]:
        """A value for every tenth of the window; the query names one metric."""
        now = self._clock()
        metric = query.partition("{")[0]
        values = [fleet.value(metric, environment, now - window * n / 10) for n in range(9, -1, -1)]
        return Reading(source=server.title, read_at=now, value=Series(values=tuple(values)))

    async def stretch(
        self,
        server: Configured[MetricsSettings],
        query: str,
        environment: str,
        start: datetime,
        end: datetime,
        step: timedelta,
    ) -> Reading[tuple[Bucket, ...]]:
        """What the metric that the query names showed then, in steps."""
        metric, at, found = query.partition("{")[0], start + step / 2, []
        while at < end:
            shown = fleet.value(metric, environment, at)
            found.append(Bucket(at, shown, shown, shown))
            at += step
        return Reading(source=server.title, read_at=self._clock(), value=tuple(found))

    async def vector(self, server: Configured[MetricsSettings], query: str, at: datetime) -> Reading[Answer]:
        """What a gauge of the fleet showed then."""
        samples = tuple(
            health.Sample(metric=labels, value=(at.timestamp(), repr(shown)))
            for labels, shown in fleet.asked(query, at)
        )
        return Reading(source=server.title, read_at=at, value=samples)

    async def page(self, page: Configured[ScrapeSettings]) -> list[Sample]:
        """Every metric of every environment."""
        return [
            Sample(name, {"environment": environment.id}, fleet.value(name, environment.id, self._clock()))
            for name in page.settings.names
            for environment in ENVIRONMENTS
        ]
