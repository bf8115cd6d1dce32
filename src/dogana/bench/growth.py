"""What a long past costs: the same with ten thousand entries and with a million, each beside its floor."""

import asyncio
import hashlib
import os
import time
from collections.abc import Awaitable, Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path
from statistics import median
from typing import Any

import psycopg
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

from dogana.bench import many, past
from dogana.bench.desk import waiting
from dogana.bench.history import history
from dogana.bench.instance import ENVIRONMENT, LEDGER, Instance, instance
from dogana.core.decisions import Shown
from dogana.core.record.canonical import digest_bytes
from dogana.core.record.verify import Verifier
from dogana.demo.cast import ACTORS
from dogana.demo.cluster import plain
from dogana.service.backend import Backend
from dogana.service.ledger import audit, sequencer
from dogana.service.policies import board
from dogana.service.promotions import comments, decisions, intake, refreshing
from dogana.service.views import desk, dossier, timeline
from dogana.service.views import ledger as ledger_pages
from dogana.store import documents, ledger, promotions
from dogana.store.ledger import EntryFilter
from dogana.store.tables.promotions import PENDING
from dogana.wiring import backend_for, backend_of_worker, keep_what_is_loaded, read_key

SIZES = (10_000, 100_000, 1_000_000)
GROWTH = 1.5
"""How many times a figure at the largest size may be that at the smallest."""
COMMITS, INTAKE, VERIFY = 0.25, 0.4, 0.2
"""Of bare commits of the same bytes, and of plain SHA-256."""
IDLE, ON_DISK = 0.05, 6 << 10
FRESH, KEPT_FRESH = 0.5, 2000
"""The share of a core with which one worker keeps as many fresh."""
_ROUNDS, _CLIENTS, _COMMITS = 15, 8, 50
_REFRESHED, _AT_ONCE = 240, 16
_BYTES = 8 << 10
"""What an approval that clears writes, about."""
_SETTLES, _WATCHED = 5.0, 15.0
"""Seconds."""
_A_LITTLE = 0.5
"""Milliseconds by which two medians may differ for no reason."""
Ask = Callable[[], Awaitable[Any]]


@dataclass(frozen=True, kw_only=True)
class AtSize:
    """What was measured with a past of some size."""

    entries: int
    promotions: int
    made_seconds: float
    milliseconds: dict[str, float]
    """The median of each question."""
    commits_per_second: float
    """Bare ones, of as many bytes as an approval writes, by eight clients."""
    library: float
    """Commits of one statement through the database library, as a share: what none of ours can pass."""
    approvals_per_second: float
    approvals: float
    """The same as a share of those."""
    intake: float
    """The same of promotions taken in."""
    sequenced_within: float
    """Seconds from a decision to the checkpoint over it, at the 95th percentile."""
    verify: float
    """Bytes a second as a share of plain SHA-256."""
    fresh: float
    """The share of a core that a worker takes for 2,000 of which nothing is new."""
    idle: float
    """The share of a core that the database takes with a worker that has nothing to do."""
    bytes_each: int
    """On disk, for each promotion that is over."""


@dataclass(frozen=True, kw_only=True)
class Grown:
    """What was measured at each size."""

    sizes: list[AtSize]
    grown: dict[str, float]
    """How many times what it was at the smallest size, by question."""
    kept: bool

    def in_words(self) -> str:
        """The figures with their limits."""
        lines = [
            f"{size.entries} entries of {size.promotions} promotions, made in {size.made_seconds} s: "
            f"approvals {size.approvals} of bare commits (at least {COMMITS}; {size.library} where the "
            f"library does nothing else), intake {size.intake} ({INTAKE}), "
            f"checkpoint within {size.sequenced_within} s (1), verify {size.verify} of SHA-256 ({VERIFY}), "
            f"{KEPT_FRESH} kept fresh with {size.fresh} of a core (at most {FRESH}), "
            f"idle database {size.idle} (at most {IDLE}), "
            f"{size.bytes_each} bytes a promotion (at most {ON_DISK})"
            for size in self.sizes
        ]
        for name, times in self.grown.items():
            each = ", ".join(f"{size.milliseconds[name]} ms" for size in self.sizes)
            lines.append(f"{name}: {each}; {times} times (at most {GROWTH:g})")
        return "\n".join(lines)


def run(sizes: tuple[int, ...] = SIZES) -> Grown:
    """Make a past of each size in an instance of its own, and ask."""
    found = []
    for size in sizes:
        with instance() as made:
            found.append(asyncio.run(_measure(made, size)))
    first, last = found[0].milliseconds, found[-1].milliseconds
    grown = {name: round(last[name] / first[name], 2) for name in first}
    flat = all(times <= GROWTH or last[name] - first[name] < _A_LITTLE for name, times in grown.items())
    of_last = found[-1]
    return Grown(
        sizes=found,
        grown=grown,
        kept=flat
        and of_last.approvals >= COMMITS
        and of_last.intake >= INTAKE
        and of_last.sequenced_within <= 1
        and of_last.verify >= VERIFY
        and of_last.fresh <= FRESH
        and of_last.idle <= IDLE
        and of_last.bytes_each <= ON_DISK,
    )


async def _measure(made: Instance, size: int) -> AtSize:
    with psycopg.connect(plain(made.urls.owner)) as connection:
        # As in a real installation: what is answered is on disk.
        connection.execute("ALTER DATABASE bench SET synchronous_commit = on")
    await made.prepare()
    number = await waiting(made)
    key = read_key(made.folder / "signing.pem")
    async with backend_for(made.settings) as backend:
        while await sequencer.sequence(backend, key, LEDGER):
            continue
        before = _on_disk(made)
        began = time.monotonic()
        count = await asyncio.to_thread(_grow, made, key, size)
        seconds = time.monotonic() - began
        each = (_on_disk(made) - before) // count
        idle = await _idle(made)
        keep_what_is_loaded()
        asked = await _questions(backend, number)
        verify = await _verified(backend, key)
        commits = await asyncio.to_thread(_bare_commits, made)
        library = await _library_commits(backend)
        taken_in = await _intake(backend, made)
        async with made.process("dogana", "work", waits=False):
            approvals, within = await _approvals(backend, made, number)
    async with backend_of_worker(made.settings) as worker:
        fresh = await _fresh(worker, made)
    return AtSize(
        entries=size,
        promotions=count,
        made_seconds=round(seconds, 1),
        milliseconds=asked,
        commits_per_second=round(commits, 1),
        library=round(library / commits, 3),
        approvals_per_second=round(approvals, 1),
        approvals=round(approvals / commits, 3),
        intake=round(taken_in / commits, 3),
        sequenced_within=round(within, 2),
        verify=round(verify, 3),
        fresh=round(fresh, 3),
        idle=round(idle, 3),
        bytes_each=each,
    )


def _grow(made: Instance, key: Ed25519PrivateKey, size: int) -> int:
    with psycopg.connect(plain(made.urls.owner)) as connection:
        found = connection.execute(
            "SELECT (SELECT max(number) FROM promotions), (SELECT max(id) FROM releases),"
            " (SELECT max(id) FROM policies), (SELECT route_id FROM promotions LIMIT 1)"
        ).fetchone()
        environments = [row[0] for row in connection.execute("SELECT id FROM environments ORDER BY id")]
    if found is None:
        raise RuntimeError("there is no promotion to go by")
    setting = past.Setting(
        environments=environments,
        first_number=found[0] + 1,
        first_release=found[1] + 1,
        policy=found[2],
        route=found[3],
    )
    with history(made.urls.owner, key, LEDGER) as written:
        return past.write(written, setting, entries=size, until=datetime.now(UTC) - timedelta(hours=1))


async def _questions(backend: Backend, number: int) -> dict[str, float]:
    """Milliseconds of what people and workers ask all day."""
    ilse, marco, dario = ACTORS["ilse"], ACTORS["marco"], ACTORS["dario"]

    def page(**wanted: Any) -> Ask:
        return lambda: ledger_pages.ledger_page(backend, dario, EntryFilter(**wanted), 50)

    asks: dict[str, Ask] = {
        "ledger page": page(),
        "by a rare person": page(actor=past.RARE_APPROVER),
        "by a rare action": page(action="adopt"),
        "by an environment": page(environment=ENVIRONMENT),
        "by rare words": page(words=past.RARE_WORDS),
        "ledger filters": lambda: ledger_pages.ledger_filters(backend, dario),
        "desk": lambda: desk.desk(backend, ilse),
        "lines": lambda: desk.route_lines(backend, ilse),
        "calendar": lambda: timeline.timeline(backend, ilse, backend.clock(), 14),
        "board": lambda: board.board(backend, marco),
        "dossier": lambda: dossier.dossier(backend, ilse, number),
        "inspection": lambda: refreshing.refresh(backend, number),
    }
    return {name: round(await _median(ask) * 1000, 2) for name, ask in asks.items()}


async def _median(ask: Ask) -> float:
    await ask()
    found = []
    for _ in range(_ROUNDS):
        began = time.perf_counter()
        await ask()
        found.append(time.perf_counter() - began)
    return median(found)


async def _verified(backend: Backend, key: Ed25519PrivateKey) -> float:
    began = time.perf_counter()
    result = await audit.verify_live(backend, Verifier(key.public_key()), with_documents=False)
    seconds = time.perf_counter() - began
    if not result.verification.verified:
        raise RuntimeError(f"the past does not verify: {result.verification.faults[0].what}")
    plain = 0.0
    async with audit.at_one_instant(backend) as session:
        async for lot in audit.record_of(session):
            bodies = [one.body for one in lot if not isinstance(one, str)]
            began = time.perf_counter()
            for body in bodies:
                hashlib.sha256(body).digest()
            plain += time.perf_counter() - began
    return plain / seconds


async def _intake(backend: Backend, made: Instance) -> float:
    """Promotions taken in a second, asked for by eight clients."""
    revision = made.revision

    async def ask(client: int) -> None:
        for n in range(_ROUNDS):
            asking = made.request(f"9.{client}.{n}", revision)
            await intake.request(backend, ACTORS["pipeline"], asking)

    began = time.perf_counter()
    await asyncio.gather(*map(ask, range(_CLIENTS)))
    return _CLIENTS * _ROUNDS / (time.perf_counter() - began)


async def _approvals(backend: Backend, made: Instance, number: int) -> tuple[float, float]:
    """Approvals a second by eight clients, and seconds from an entry to the checkpoint over it."""
    ilse = ACTORS["ilse"]
    many.pending(made.urls.owner, number, _CLIENTS * _ROUNDS)
    rows = [row.number for row in (await desk.desk(backend, ilse)).rows if row.waits_for == "you"]
    seen = [(one, (await dossier.dossier(backend, ilse, one)).mine.shown) for one in rows]

    async def approve(lot: Sequence[tuple[int, Shown]]) -> None:
        for one, shown in lot:
            await decisions.approve(backend, ilse, one, shown=shown, comment="")

    began = time.perf_counter()
    await asyncio.gather(*(approve(seen[n::_CLIENTS]) for n in range(_CLIENTS)))
    a_second = len(seen) / (time.perf_counter() - began)
    waits = [await _sequenced(backend, one) for one in rows[:_ROUNDS]]
    return a_second, sorted(waits)[int(len(waits) * 0.95)]


async def _pending(backend: Backend) -> list[int]:
    async with backend.database.transaction() as session:
        return [row.number for row in await promotions.in_state(session, PENDING)]


async def _fresh(backend: Backend, made: Instance) -> float:
    """The share of a core that it takes to read many again that are as they were."""
    many.pending(made.urls.owner, (await _pending(backend))[0], _REFRESHED)
    waiting = await _pending(backend)

    async def all_of_them() -> None:
        for first in range(0, len(waiting), _AT_ONCE):
            lot = waiting[first : first + _AT_ONCE]
            await asyncio.gather(*(refreshing.refresh(backend, one) for one in lot))

    await all_of_them()
    began = time.process_time()
    await all_of_them()
    return (time.process_time() - began) / len(waiting) * KEPT_FRESH / backend.refresh


async def _sequenced(backend: Backend, number: int) -> float:
    """Seconds from a word on a promotion to the checkpoint over it."""
    await comments.comment(backend, ACTORS["ilse"], number, "Seen.")
    began = time.monotonic()
    while True:
        async with backend.database.transaction() as session:
            ((_, index),) = await ledger.page(session, EntryFilter(promotion=number), 1)
        if index is not None:
            return time.monotonic() - began
        await asyncio.sleep(0.02)


def _bare_commits(made: Instance) -> float:
    """Commits a second by eight clients, each of as many bytes as a decision writes."""
    with psycopg.connect(plain(made.urls.owner)) as connection:
        connection.execute("CREATE TABLE IF NOT EXISTS bare (body bytea)")
        connection.execute("ALTER TABLE bare ALTER body SET STORAGE EXTERNAL")

    def commit() -> None:
        with psycopg.connect(plain(made.urls.owner), autocommit=True) as connection:
            for _ in range(_COMMITS):
                connection.execute("INSERT INTO bare VALUES (%s)", [os.urandom(_BYTES)])

    began = time.perf_counter()
    with ThreadPoolExecutor(_CLIENTS) as pool:
        for done in [pool.submit(commit) for _ in range(_CLIENTS)]:
            done.result()
    return _CLIENTS * _COMMITS / (time.perf_counter() - began)


async def _library_commits(backend: Backend) -> float:
    """Commits a second by eight clients, each of one document of as many bytes, as all of ours is kept."""

    async def commit() -> None:
        for _ in range(_COMMITS):
            body = os.urandom(_BYTES // 2).hex()
            async with backend.database.transaction() as session:
                await documents.keep(session, [(digest_bytes(body.encode()), "bench", body)])

    began = time.perf_counter()
    await asyncio.gather(*(commit() for _ in range(_CLIENTS)))
    return _CLIENTS * _COMMITS / (time.perf_counter() - began)


async def _idle(made: Instance) -> float:
    """The share of a core that the server's processes take while a worker waits for something to do."""
    async with made.process("dogana", "work", waits=False):
        await asyncio.sleep(_SETTLES)
        before = _server_seconds(made)
        await asyncio.sleep(_WATCHED)
        return (_server_seconds(made) - before) / _WATCHED


def _server_seconds(made: Instance) -> float:
    with psycopg.connect(plain(made.urls.owner)) as connection:
        found = connection.execute("SELECT pid FROM pg_stat_activity").fetchall()
    return sum(map(_processor_seconds, [pid for (pid,) in found]))


def _processor_seconds(pid: int) -> float:
    try:
        fields = Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()
    except OSError:
        return 0.0
    return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")


def _on_disk(made: Instance) -> int:
    with psycopg.connect(plain(made.urls.owner), autocommit=True) as connection:
        found = connection.execute("SELECT pg_database_size(current_database())").fetchone()
    return int(found[0]) if found else 0
