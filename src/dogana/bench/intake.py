"""How fast promotions are taken in, beside an endpoint that does nothing but insert a row."""

import asyncio
import math
import os
import signal
import time
from collections.abc import Awaitable, Callable
from dataclasses import dataclass
from typing import Any

import httpx
import uvicorn
from fastapi import FastAPI
from pydantic import BaseModel
from sqlalchemy import text
from sqlalchemy.ext.asyncio import create_async_engine

from dogana.bench.instance import Instance, instance

CLIENTS = 8
SHARE = 0.25
"""The least share of the bare endpoint's rate that has to be kept."""
SHOWN_WITHIN = 1.0
"""Seconds after which the inspection of a new promotion has to be on the Desk."""
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

    def in_words(self) -> str:
        """The figures with their limits."""
        return (
            f"{self.taken_in_per_second} promotions a second, "
            f"{self.share} of {self.bare_inserts_per_second} bare inserts (at least {SHARE}); "
            f"on the Desk after {self.shown_after_seconds} s (at most {SHOWN_WITHIN})"
        )


def run(seconds: float) -> Intake:
    """Measure both for some seconds each, one process each."""
    with instance() as made:
        return asyncio.run(_measure(made, seconds))


async def _measure(made: Instance, seconds: float) -> Intake:
    token, revision = await made.prepare(), made.revision

    def asked(n: int) -> dict[str, Any]:
        return made.asked(revision, n)

    headers = {"Authorization": f"Bearer {token}"}
    async with (
        made.process("dogana.bench.intake") as bare,
        made.process("dogana", "serve") as ours,
        made.process("dogana", "work", waits=False) as work,
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
                insert, {"digest": f"{new.service} {new.version}", "body": new.model_dump_json().encode()}
            )
        return {"version": new.version}

    uvicorn.run(app, host="127.0.0.1", port=port, log_level="warning")


if __name__ == "__main__":
    _serve_bare(int(os.environ["DOGANA_PORT"]))
