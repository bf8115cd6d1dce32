"""A worker that is killed between a breach and its order: nothing is lost, and it is ordered once."""

import os
import signal
import subprocess
import sys
import time
from contextlib import contextmanager
from datetime import UTC, datetime

import psycopg
import pytest
from cryptography.hazmat.primitives.serialization import Encoding, NoEncryption, PrivateFormat
from starlette.responses import JSONResponse
from tests.service.courses.moving import PLAN, ROLLOUT
from tests.serving import Outside, served
from tests.waiting import comes
from tests.world import TICKETS, World

from dogana.demo.cast import ACTORS
from dogana.demo.cluster import plain
from dogana.demo.connections import set_sources
from dogana.demo.past_sources import SimulatedClock
from dogana.service.courses import steering
from dogana.service.sealing import new_key_line
from dogana.store import courses, ledger, promotions

pytestmark = pytest.mark.thorough

A_SECOND = 1000


@contextmanager
def worker(world: World):
    """A worker process of its own, as an installation runs it."""
    key = world.folder / "signing.pem"
    key.write_bytes(world.key.private_bytes(Encoding.PEM, PrivateFormat.PKCS8, NoEncryption()))
    environment = {
        **os.environ,
        "DOGANA_DATABASE_URL": world.urls.application,
        "DOGANA_SIGNING_KEY": str(key),
        "DOGANA_REPOSITORY_ROOT": str(world.folder / "repositories"),
        "DOGANA_MIRRORS": str(world.folder / "mirrors"),
        "DOGANA_SEALING_KEYS": new_key_line(),
        "DOGANA_REACHABLE": "127.0.0.0/8",
    }
    with (world.folder / "worker.log").open("ab") as log:
        process = subprocess.Popen(
            [sys.executable, "-m", "dogana", "work"], env=environment, stdout=log, stderr=log
        )
    try:
        yield process
    except BaseException:
        # What it wrote says why it was waited for in vain.
        sys.stderr.write((world.folder / "worker.log").read_text()[-4000:])
        raise
    finally:
        process.kill()
        process.wait()


class Counters(Outside):
    """A metrics server whose requests all fail from an instant on."""

    def __init__(self) -> None:
        super().__init__()
        self.began, self.bad_since = time.time(), float("inf")
        self.answer = self.counted

    async def counted(self, request):
        query = request.query_params.get("query") or str((await request.form())["query"])
        since = self.bad_since if query.startswith("failed") else self.began
        now = time.time()
        value = {"metric": {"pod": "a"}, "value": [now, str(int(max(now - since, 0) * A_SECOND))]}
        return JSONResponse({"status": "success", "data": {"resultType": "vector", "result": [value]}})


async def test_it_is_followed_by_another_that_orders_once(world: World, monkeypatch):
    """Killed while it holds the reading that shows the breach, and has ordered nothing yet."""
    monkeypatch.setattr(SimulatedClock, "__call__", lambda _: datetime.now(UTC))
    watch = {**ROLLOUT["watch"][0], "every": "PT1S"}
    await world.adopt("bench", TICKETS, {**ROLLOUT, "watch": [watch]})

    async def orders() -> list[int]:
        told = await steering.orders(world.backend, ACTORS["pipeline"], number, after=0, patience=0)
        return [one.share for one in told.orders]

    async def asked_again() -> bool:
        return len(metrics.asked) >= enough

    async def is_back() -> bool:
        return await orders() == [10, 0]

    async def is_held_up() -> bool:
        with psycopg.connect(plain(world.urls.owner)) as database:
            return database.execute("SELECT 1 FROM pg_locks WHERE NOT granted").fetchone() is not None

    async def turns() -> int:
        async with world.backend.database.transaction() as session:
            held = await courses.get(session, number)
            assert held is not None
            return held.turn

    async def has_written() -> bool:
        return await turns() > turn

    async def is_sequenced() -> bool:
        async with world.backend.database.transaction() as session:
            return await ledger.unsequenced_count(session) == 0

    async with served(Counters()) as metrics:
        await set_sources(world.backend, "http://tracker", metrics.url)
        number = (await world.ask("bench", plan=PLAN)).number
        await world.depart(number)
        await steering.report_share(world.backend, ACTORS["pipeline"], number, 10)
        with worker(world) as first:
            enough = 6
            await comes(asked_again)
            # What it reads next it cannot write; once it could, it looks no sooner than in a second.
            async with world.backend.database.transaction() as session:
                await promotions.lock(session, number)
                await comes(is_held_up)
                turn = await turns()
            await comes(has_written)
            async with world.backend.database.transaction() as session:
                await promotions.lock(session, number)
                metrics.bad_since = time.time()
                await comes(is_held_up)
                first.send_signal(signal.SIGKILL)
                first.wait()
            assert await orders() == [10]
        with worker(world):
            await comes(is_back)
            # It goes on with its work: what follows from the order has its place in the ledger.
            await comes(is_sequenced)
    assert (await orders(), (await world.actions(number)).count("cancel")) == ([10, 0], 1)
