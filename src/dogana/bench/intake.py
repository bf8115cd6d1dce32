"""How fast promotions are taken in, beside an endpoint that does nothing but insert a row."""

import asyncio
import math
import os
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import AsyncIterator, Awaitable, Callable
from contextlib import asynccontextmanager
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import httpx
import uvicorn
from fastapi import FastAPI
from pydantic import BaseModel
from sqlalchemy import text
from sqlalchemy.ext.asyncio import create_async_engine

from dogana.demo import seed
from dogana.demo.cluster import Cluster, Urls, free_port
from dogana.demo.landscape import SERVICES
from dogana.demo.repositories import Build, make_repository
from dogana.demo.simulate import ACTORS
from dogana.service import accounts, policies
from dogana.settings import Settings
from dogana.store.migrate import migrate
from dogana.wiring import add_sealing_key, backend_for, new_key

CLIENTS = 8
SHARE = 0.25
"""The least share of the bare endpoint's rate that has to be kept."""
SHOWN_WITHIN = 1.0
"""Seconds after which the inspection of a new promotion has to be on the Desk."""
_SERVICE = SERVICES[0]
_WARM = 5
_TURN = 1.0
"""Seconds."""


@dataclass(frozen=True, kw_only=True)
class Intake:
    """What was measured."""

    taken_in_per_second: float
    bare_inserts_per_second: float
    share: float
    shown_after_seconds: float
    """The slowest of ten."""
    kept: bool


def run(seconds: float) -> Intake:
    """Measure both for some seconds each, on a private cluster, one process each."""
    with tempfile.TemporaryDirectory(prefix="dogana-bench-") as name:
        folder = Path(name)
        folder.chmod(0o755)
        cluster = Cluster(folder / "postgres")
        cluster.start()
        try:
            urls = cluster.make_database("bench")
            migrate(urls.owner, urls.application)
            return asyncio.run(_measure(folder, urls, seconds))
        finally:
            cluster.stop()


async def _measure(folder: Path, urls: Urls, seconds: float) -> Intake:
    environment = _environment(folder, urls)
    token = await _prepare(folder, environment)
    revision = _commit(folder / "repositories" / _SERVICE.id)

    def asked(n: int) -> dict[str, Any]:
        return _asked(revision, n)

    headers = {"Authorization": f"Bearer {token}"}
    async with (
        _process(environment, "bare") as bare,
        _process(environment, "serve") as ours,
        _process(environment, "work", waits=False) as work,
        httpx.AsyncClient(base_url=bare.url, timeout=60) as to_bare,
        httpx.AsyncClient(base_url=ours.url, headers=headers, timeout=60) as to_ours,
    ):
        inserting = _Rate(lambda n: to_bare.post("/bare", json=asked(n)))
        taking_in = _Rate(lambda n: to_ours.post("/api/promotions", json=asked(n)))
        # In turns, as a shared machine is faster one minute than the next; the worker belongs to ours alone.
        for _ in range(math.ceil(seconds / _TURN)):
            work.process.send_signal(signal.SIGSTOP)
            await inserting.measure()
            work.process.send_signal(signal.SIGCONT)
            await taking_in.measure()
        await _settled(to_ours)
        shown = max([await _shown(to_ours, asked(10**6 + n)) for n in range(10)])
    taken, inserts = taking_in.per_second, inserting.per_second
    share = taken / inserts
    return Intake(
        taken_in_per_second=round(taken, 1),
        bare_inserts_per_second=round(inserts, 1),
        share=round(share, 3),
        shown_after_seconds=round(shown, 3),
        kept=share >= SHARE and shown <= SHOWN_WITHIN,
    )


def _asked(revision: str, n: int) -> dict[str, Any]:
    artifact = {"name": "intake.tar.gz", "digest": "sha256:" + "a" * 64, "size": 1234}
    version = f"1.0.{n}"
    return {
        "service": _SERVICE.id,
        "version": version,
        "to": "bench",
        "revision": revision,
        "artifacts": [artifact],
    }


class _Rate:
    """Answers a second with eight clients at once, measured in turns."""

    def __init__(self, send: Callable[[int], Awaitable[httpx.Response]]) -> None:
        self._send = send
        self._numbers = iter(range(10**6))
        self._done = 0
        self._took = 0.0

    async def measure(self) -> None:
        """Measure for one turn, after a few requests to warm up."""
        for _ in range(_WARM):
            await self._one()
        began = time.monotonic()
        counts = await asyncio.gather(*(self._client(began + _TURN) for _ in range(CLIENTS)))
        self._took += time.monotonic() - began
        self._done += sum(counts)

    @property
    def per_second(self) -> float:
        """Over all turns."""
        return self._done / self._took

    async def _client(self, ends: float) -> int:
        done = 0
        while time.monotonic() < ends:
            await self._one()
            done += 1
        return done

    async def _one(self) -> None:
        (await self._send(next(self._numbers))).raise_for_status()


async def _settled(client: httpx.AsyncClient) -> None:
    """Wait until everything taken in so far has been inspected."""
    while True:
        rows = (await client.get("/api/promotions", params={"limit": 100})).json()["rows"]
        if not any(row["sentence"].startswith("Taken in") for row in rows):
            return
        await asyncio.sleep(0.2)


async def _shown(client: httpx.AsyncClient, asked: dict[str, Any]) -> float:
    """Seconds from the request of one promotion to its inspection on the Desk."""
    began = time.monotonic()
    number = (await client.post("/api/promotions", json=asked)).raise_for_status().json()["number"]
    while True:
        rows = (await client.get("/api/promotions", params={"limit": 1})).json()["rows"]
        if rows[0]["number"] == number and not rows[0]["sentence"].startswith("Taken in"):
            return time.monotonic() - began
        await asyncio.sleep(0.01)


def _commit(repository: Path) -> str:
    """The id of the commit that everything is built from, as a pipeline knows it."""
    command = ["git", "-c", f"safe.directory={repository}", "-C", str(repository), "rev-parse", "main"]
    return subprocess.run(command, check=True, capture_output=True, text=True).stdout.strip()


def _environment(folder: Path, urls: Urls) -> dict[str, str]:
    new_key(folder / "signing.pem")
    add_sealing_key(folder / "sealing.keys")
    return {
        "DOGANA_DATABASE_URL": urls.application,
        "DOGANA_SIGNING_KEY": str(folder / "signing.pem"),
        "DOGANA_SEALING_KEYS_FILE": str(folder / "sealing.keys"),
        "DOGANA_REPOSITORY_ROOT": str(folder / "repositories"),
    }


async def _prepare(folder: Path, environment: dict[str, str]) -> str:
    """One service with one commit, one environment with a policy that lets everything in; a token."""
    at = datetime.now(UTC) - timedelta(days=1)
    (folder / "repositories").mkdir()
    make_repository(
        folder / "repositories",
        _SERVICE,
        [Build(service=_SERVICE, version="1.0.0", built_at=at, tickets=())],
    )
    settings = Settings.model_validate(
        {key.removeprefix("DOGANA_").lower(): value for key, value in environment.items()}
    )
    async with backend_for(settings) as backend:
        await seed.make_landscape(backend)
        rule = {"id": "versions", "kind": "versions", "title": "Forward", "going_back": "allowed"}
        document = {"format": "dogana.policy/1", "title": "Bench", "zone": "Etc/UTC", "rules": [rule]}
        await policies.draft(backend, ACTORS["marco"], "bench", document)
        await policies.adopt(backend, ACTORS["chiara"], "bench", 1, reason="")
        _, token = await accounts.make_token(
            backend, ACTORS["dario"], person="pipeline", title="bench", scopes=["request", "read"], days=1
        )
    return token


@dataclass(frozen=True)
class _Running:
    process: subprocess.Popen[bytes]
    url: str


@asynccontextmanager
async def _process(
    environment: dict[str, str], command: str, *, waits: bool = True
) -> AsyncIterator[_Running]:
    """A process of ours while the block lasts."""
    port = free_port()
    module = ["dogana.bench.intake", str(port)] if command == "bare" else ["dogana", command]
    process = subprocess.Popen(  # noqa: ASYNC220 - it only starts
        [sys.executable, "-m", *module],
        env={**os.environ, **environment, "DOGANA_PORT": str(port)},
    )
    url = f"http://127.0.0.1:{port}"
    try:
        async with httpx.AsyncClient(base_url=url) as client, asyncio.timeout(60):
            while waits and not await _answers(client):  # noqa: ASYNC110 - it is another process
                await asyncio.sleep(0.05)
        yield _Running(process, url)
    finally:
        process.terminate()
        process.wait(timeout=20)


async def _answers(client: httpx.AsyncClient) -> bool:
    try:
        return (await client.get("/openapi.json")).status_code < httpx.codes.INTERNAL_SERVER_ERROR
    except httpx.TransportError:
        return False


class _Bare(BaseModel):
    """What the bare endpoint reads: the same body."""

    service: str
    version: str
    to: str
    revision: str
    artifacts: list[dict[str, Any]]


def _serve_bare(port: int) -> None:
    """An endpoint that inserts one row, durably, and answers."""
    engine = create_async_engine(os.environ["DOGANA_DATABASE_URL"], pool_size=8)
    app = FastAPI()
    insert = text("INSERT INTO documents (digest, kind, body) VALUES (:digest, 'bench', :body)")

    @app.post("/bare")
    async def bare(new: _Bare) -> dict[str, str]:
        async with engine.begin() as connection:
            await connection.execute(
                insert, {"digest": f"{new.service} {new.version}", "body": new.model_dump_json()}
            )
        return {"version": new.version}

    uvicorn.run(app, host="127.0.0.1", port=port, log_level="warning")


if __name__ == "__main__":
    _serve_bare(int(sys.argv[1]))
