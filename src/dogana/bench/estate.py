"""What the estate costs at two hundred services by twelve environments, beside the same rows by bare SQL."""

import asyncio
import random
import time
from collections.abc import Awaitable, Callable
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from itertools import product
from statistics import median, quantiles

import httpx
import psycopg

from dogana.bench.instance import Instance, instance
from dogana.core.rules.base import Charted
from dogana.core.words import counted
from dogana.demo import fleet_past
from dogana.demo.cast import ACTORS
from dogana.demo.cluster import plain
from dogana.demo.connections import set_sources
from dogana.service.backend import Backend
from dogana.service.estate import charts, history, matrix
from dogana.service.policies import drafts
from dogana.standins.fleet import METRICS
from dogana.wiring import backend_for, keep_what_is_loaded

LANDINGS = 200 * 12 * 42
FIRST_WITHIN, AS_OF_WITHIN, HISTORY_WITHIN, CHARTS_WITHIN = 1.0, 0.3, 0.1, 2.0
"""Seconds: of the matrix, of any instant at the 95th percentile, of a page of fifty, of twenty monitors."""
TIMES = 12.0
"""How many times the bare rows the matrix may take: it counts what each place is behind as well."""
_ROUNDS, _INSTANTS = 15, 60
_DAYS, _POINTS = 30, 2000
_ANY = {"services": None, "group": None, "environment": None, "words": None, "skip": 0}
_BARE = """
SELECT s.id, e.id, last.number, last.version, last.landed_at
FROM services s CROSS JOIN environments e CROSS JOIN LATERAL (
    SELECT p.number, r.version, p.landed_at FROM promotions p JOIN releases r ON r.id = p.release_id
    WHERE p.service_id = s.id AND p.environment_id = e.id AND p.state = 'landed' AND p.landed_at <= now()
    ORDER BY p.landed_at DESC LIMIT 1
) last
"""


@dataclass(frozen=True, kw_only=True)
class Measured:
    """What was measured, in seconds."""

    landings: int
    matrix: float
    bare_matrix: float
    matrix_ratio: float
    as_of_p95: float
    history: float
    charts: float
    bare_charts: float
    """The same questions to the metrics server, of which nothing is made."""
    most_points: int
    kept: bool

    def in_words(self) -> str:
        """The figures with their limits."""
        return (
            f"{counted(self.landings, 'landing')}: matrix {self.matrix} s (at most {FIRST_WITHIN:g}), "
            f"{self.matrix_ratio} times its bare rows (at most {TIMES:g}); as of any instant "
            f"{self.as_of_p95} s at the 95th percentile (at most {AS_OF_WITHIN:g}); fifty of a history "
            f"{self.history} s (at most {HISTORY_WITHIN:g}); twenty monitors over {_DAYS} days "
            f"{self.charts} s (at most {CHARTS_WITHIN:g}; the questions alone {self.bare_charts} s), "
            f"at most {self.most_points} points each"
        )


def run() -> Measured:
    """Measure everything in turns."""
    with instance() as made:
        asyncio.run(made.prepare())
        now = datetime.now(UTC)
        _grow(made)
        with fleet_past.served(made.folder, now, _DAYS, ()) as address:
            return asyncio.run(_measure(made, now, address))


async def _measure(made: Instance, now: datetime, address: str) -> Measured:
    ilse = ACTORS["ilse"]
    # The same every time: which instants are looked at is no secret.
    made_up = random.Random(7)  # noqa: S311
    settings = made.settings.model_copy(update={"reachable": "127.0.0.0/8"})
    async with backend_for(settings) as backend:
        await set_sources(backend, "http://tracker", address)
        await _watch(backend)
        keep_what_is_loaded()

        async def now_and_then(at: datetime | None) -> None:
            found = await matrix.matrix(backend, ilse, at=at, **_ANY)  # type: ignore[arg-type]
            found.model_dump_json()

        async def page() -> None:
            found = await history.read_history(
                backend, ilse, service=None, environment="env-3", before=None, limit=50
            )
            found.model_dump_json()

        drawn: list[int] = []
        unread: list[str] = []

        async def draw() -> None:
            found = await charts.lines(
                backend,
                ilse,
                environment="bench",
                names=(),
                start=now - timedelta(days=_DAYS),
                end=now,
                points=_POINTS,
            )
            drawn[:] = [len(one.at) for one in found if one.unknown is None]
            unread[:] = [one.unknown for one in found if one.unknown is not None]

        with psycopg.connect(plain(made.urls.owner)) as connection:

            async def bare() -> None:
                await asyncio.to_thread(lambda: connection.execute(_BARE).fetchall())

            ours, floor = await _in_turns(lambda: now_and_then(None), bare)
        back = [now - timedelta(days=made_up.random() * 300) for _ in range(_INSTANTS)]
        as_of = [await _timed(lambda at=at: now_and_then(at)) for at in back]  # type: ignore[misc]
        pages = [await _timed(page) for _ in range(_ROUNDS)]
        lines, questions = await _in_turns(draw, lambda: _questions(address, now), rounds=3)
    if len(drawn) != charts.MOST_AT_ONCE:
        raise RuntimeError(f"not every monitor was drawn: {unread}")
    p95 = quantiles(as_of, n=20)[-1]
    return Measured(
        landings=LANDINGS,
        matrix=round(ours, 3),
        bare_matrix=round(floor, 3),
        matrix_ratio=round(ours / floor, 1),
        as_of_p95=round(p95, 3),
        history=round(median(pages), 3),
        charts=round(lines, 2),
        bare_charts=round(questions, 2),
        most_points=max(drawn),
        kept=ours <= min(FIRST_WITHIN, TIMES * floor)
        and p95 <= AS_OF_WITHIN
        and median(pages) <= HISTORY_WITHIN
        and lines <= CHARTS_WITHIN
        and max(drawn) <= _POINTS,
    )


async def _in_turns(
    ours: Callable[[], Awaitable[None]], floor: Callable[[], Awaitable[None]], rounds: int = _ROUNDS
) -> tuple[float, float]:
    """The median of each, taken in turns."""
    await ours()
    await floor()
    taken = [(await _timed(ours), await _timed(floor)) for _ in range(rounds)]
    return median(one for one, _ in taken), median(other for _, other in taken)


async def _timed(call: Callable[[], Awaitable[None]]) -> float:
    began = time.perf_counter()
    await call()
    return time.perf_counter() - began


_GROWN = (
    b"INSERT INTO environments (id, title, zone, departs) SELECT 'env-' || e, 'Environment ' || e,"
    b" 'Europe/Rome', 'by deployer' FROM generate_series(0, 11) e;"
    b"INSERT INTO routes (id, title) VALUES ('wide', 'Wide route');"
    b"INSERT INTO legs (route_id, environment_id, position, lane, one_is_enough)"
    b" SELECT 'wide', 'env-' || e, e, e, false FROM generate_series(0, 11) e;"
    b"INSERT INTO services (id, title, repository, paths, route_id)"
    b" SELECT 'service-' || s, 'Service ' || s, 'r', '{}', 'wide' FROM generate_series(0, 199) s;"
    b"INSERT INTO releases (service_id, version, revision, created_at, artifacts)"
    b" SELECT 'service-' || s, k || '.' || s || '.0', repeat('c', 40), now(), '[]'"
    b" FROM generate_series(0, 199) s, generate_series(0, 41) k;"
    b"INSERT INTO promotions (service_id, release_id, environment_id, state, requester_id, requested_at,"
    b" note, asked_revision, route_id, kind, facts_read_at, policy_id, inspect_at, changed_at, departed_at,"
    b" landed_at, closed_at, ended, followed_at, brought)"
    b" SELECT r.service_id, r.id, 'env-' || e, 'landed', 'pipeline', at, '', '', 'wide', 'ordinary', at,"
    b" (SELECT min(id) FROM policies), at, at, at, at, at, 'Landed.', at,"
    b' \'{"commits": 3, "files": 9, "tickets": 2}\''
    b" FROM releases r, generate_series(0, 11) e, LATERAL (SELECT now()"
    b" - (42 - split_part(r.version, '.', 1)::int) * interval '7 days' + e * interval '11 hours'"
    b" + split_part(r.version, '.', 2)::int * interval '41 seconds' AS at) landed"
    b" WHERE r.service_id LIKE 'service-%'"
)
"""Two hundred services, twelve environments on a route, and 42 releases of each that landed in all."""


def _grow(made: Instance) -> None:
    with psycopg.connect(plain(made.urls.owner), autocommit=True) as connection:
        connection.execute(_GROWN)
        connection.execute("VACUUM ANALYZE")


def _charted() -> list[Charted]:
    """Twenty monitors: each metric of the fleet, some of them several times."""
    names = [f"{metric} {n}" for n, metric in product(range(4), METRICS)][: charts.MOST_AT_ONCE]
    return [
        Charted(name, f'{name.split()[0]}{{environment="$environment"}}', None, 9.0, None) for name in names
    ]


async def _watch(backend: Backend) -> None:
    """A policy with the twenty monitors."""
    watch = [{"name": one.name, "query": one.query, "at_most": one.at_most} for one in _charted()]
    rule = {"id": "well", "kind": "monitors", "title": "Well", "watch": watch}
    document = {"format": "dogana.policy/1", "title": "Bench", "zone": "Etc/UTC", "rules": [rule]}
    drafted = await drafts.draft(backend, ACTORS["marco"], "bench", document)
    await drafts.adopt(backend, ACTORS["chiara"], "bench", drafted.version, reason="")


async def _questions(address: str, now: datetime) -> None:
    """What is asked of the metrics server, and nothing made of it."""
    step = timedelta(days=_DAYS) / _POINTS
    async with httpx.AsyncClient(timeout=60) as client:
        asked: list[dict[str, str | float]] = [
            {
                "query": f"{how}({how}_over_time({one.query.replace('$environment', 'bench')}[1296s]))",
                "start": (now - timedelta(days=_DAYS)).timestamp(),
                "end": now.timestamp(),
                "step": step.total_seconds(),
            }
            for one in _charted()
            for how in ("avg", "min", "max")
        ]
        await asyncio.gather(*(client.get(f"{address}/api/v1/query_range", params=one) for one in asked))
