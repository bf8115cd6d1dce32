"""What a long past costs: the same questions with ten thousand entries and with a million, each beside its floor."""

import asyncio
import hashlib
import os
import time
from collections.abc import Awaitable, Callable
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from statistics import median
from typing import Any

import psycopg
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

from dogana.bench import many, past
from dogana.bench.desk import waiting
from dogana.bench.history import history
from dogana.bench.instance import ENVIRONMENT, SERVICE, Instance, instance
from dogana.core.errors import DoganaError
from dogana.core.facts import Artifact
from dogana.core.record.verify import Verifier
from dogana.demo.cast import ACTORS
from dogana.service.backend import Backend
from dogana.service.ledger import audit, sequencer
from dogana.service.policies import board
from dogana.service.promotions import decisions, inspection, intake
from dogana.service.views import desk, dossier, timeline
from dogana.service.views import ledger as ledger_pages
from dogana.store.ledger import EntryFilter
from dogana.wiring import backend_for, keep_what_is_loaded, read_key

SIZES = (10_000, 100_000, 1_000_000)
GROWTH = 1.5
"""How many times a figure at the largest size may be that at the smallest."""
PENDING, PENDING_BYTES, PENDING_SECONDS = 2000, 300_000, 0.5
COMMITS, INTAKE, VERIFY = 0.25, 0.4, 0.2
"""Of bare commits of the same bytes, and of plain SHA-256."""
IDLE, ON_DISK = 0.05, 6 << 10
_NAME = "bench"
_ROUNDS, _CLIENTS = 15, 8
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
    approvals: float
    """A second, by eight clients, as a share of bare commits of the same bytes."""
    intake: float
    """The same of promotions taken in, one after the other."""
    sequenced_within: float
    """Seconds from a decision to the checkpoint over it, at the 95th percentile."""
    verify: float
    """Bytes a second as a share of plain SHA-256."""
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
            f"approvals {size.approvals} of bare commits (at least {COMMITS}), intake {size.intake} ({INTAKE}), "
            f"checkpoint within {size.sequenced_within} s (1), verify {size.verify} of SHA-256 ({VERIFY}), "
            f"idle database {size.idle} of a core (at most {IDLE}), "
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
        and of_last.idle <= IDLE
        and of_last.bytes_each <= ON_DISK,
    )


async def _measure(made: Instance, size: int) -> AtSize:
    await made.prepare()
    number = await waiting(made)
    key = read_key(made.folder / "signing.pem")
    async with backend_for(made.settings) as backend:
        while await sequencer.sequence(backend, key, _NAME):
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
        commits = await asyncio.to_thread(_bare_commits, made, 1)
        taken_in = await _intake(backend, made)
        async with made.process("dogana", "work", waits=False):
            approvals, within = await _approvals(backend, made, number)
    return AtSize(
        entries=size,
        promotions=count,
        made_seconds=round(seconds, 1),
        milliseconds=asked,
        approvals=round(approvals, 3),
        intake=round(taken_in / commits, 3),
        sequenced_within=round(within, 2),
        verify=round(verify, 3),
        idle=round(idle, 3),
        bytes_each=each,
    )


def _grow(made: Instance, key: Ed25519PrivateKey, size: int) -> int:
    with psycopg.connect(_plain(made)) as connection:
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
    with history(made.urls.owner, key, _NAME) as written:
        return past.write(written, setting, entries=size, until=datetime.now(UTC) - timedelta(hours=1))


async def _questions(backend: Backend, number: int) -> dict[str, float]:
    """Milliseconds of what people and workers ask all day."""
    ilse, marco, dario = ACTORS["ilse"], ACTORS["marco"], ACTORS["dario"]
    of_release = await desk.desk(backend, ilse)

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
        "dossier": lambda: dossier.dossier(backend, ilse, of_release.rows[0].number),
        "inspection": lambda: inspection.refresh(backend, number),
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
        async for one in audit.record_of(session):
            if not isinstance(one, str):
                began = time.perf_counter()
                hashlib.sha256(one.body).digest()
                plain += time.perf_counter() - began
    return plain / seconds


async def _intake(backend: Backend, made: Instance) -> float:
    """Promotions a second, one asked for after the other."""
    revision, began = made.revision, time.perf_counter()
    for n in range(_ROUNDS):
        asking = intake.Request(
            service=SERVICE.id,
            version=f"9.0.{n}",
            to=ENVIRONMENT,
            revision=revision,
            artifacts=(Artifact(name="app.tar.gz", digest="sha256:" + "a" * 64, size=10),),
        )
        await intake.request(backend, ACTORS["pipeline"], asking)
    return _ROUNDS / (time.perf_counter() - began)


async def _approvals(backend: Backend, made: Instance, number: int) -> tuple[float, float]:
    """Approvals a second by eight clients as a share of bare commits; seconds to the checkpoint over one."""
    many.pending(made.urls.owner, number, _CLIENTS * _ROUNDS)
    rows = [row.number for row in (await desk.desk(backend, ACTORS["ilse"])).rows if row.waits_for == "you"]
    lots = [rows[n::_CLIENTS] for n in range(_CLIENTS)]
    waits: list[float] = []

    async def approve(lot: list[int]) -> int:
        done = 0
        for one in lot:
            shown = (await dossier.dossier(backend, ACTORS["ilse"], one)).mine.shown
            try:
                await decisions.approve(backend, ACTORS["ilse"], one, shown=shown, comment="")
            except DoganaError:
                continue
            done += 1
        return done

    began = time.perf_counter()
    done = sum(await asyncio.gather(*(approve(lot) for lot in lots)))
    a_second = done / (time.perf_counter() - began)
    commits = await asyncio.to_thread(_bare_commits, made, _CLIENTS)
    for _ in range(_ROUNDS):
        began = time.monotonic()
        await ledger_entry(backend)
        while await _unsequenced(backend):
            await asyncio.sleep(0.02)
        waits.append(time.monotonic() - began)
    return a_second / commits, sorted(waits)[int(len(waits) * 0.95)]
