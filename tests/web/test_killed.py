"""A server that dies in the middle of deciding leaves state and ledger agreeing."""

import asyncio
import os
import signal
import subprocess
import sys
from contextlib import asynccontextmanager
from datetime import UTC, datetime

import httpx
import pytest
from tests.waiting import comes
from tests.world import World, artifact

from dogana.demo.cast import PASSWORD
from dogana.demo.cluster import free_port
from dogana.service.sealing import new_key_line

pytestmark = pytest.mark.thorough


@asynccontextmanager
async def server(world: World):
    """A web process of its own, as an installation runs it."""
    port = free_port()
    environment = {
        **os.environ,
        "DOGANA_DATABASE_URL": world.urls.application,
        "DOGANA_PORT": str(port),
        "DOGANA_REPOSITORY_ROOT": str(world.folder / "repositories"),
        "DOGANA_SEALING_KEYS": new_key_line(),
        "DOGANA_REACHABLE": "",
    }
    with (world.folder / "server.log").open("wb") as log:
        process = subprocess.Popen(
            [sys.executable, "-m", "dogana", "serve"], env=environment, stdout=log, stderr=log
        )
    async with httpx.AsyncClient(base_url=f"http://127.0.0.1:{port}", timeout=60) as client:
        try:

            async def answered() -> bool:
                assert process.poll() is None
                return (await client.get("/api/policy-schema")).is_success

            await comes(answered)
            yield process, client
        finally:
            process.kill()
            process.wait()


async def sign_in(client: httpx.AsyncClient, who: str) -> None:
    credentials = {"email": f"{who}@corvale.example", "password": PASSWORD}
    answer = await client.post("/api/session", json=credentials)
    client.headers["X-CSRF-Token"] = answer.json()["csrf_token"]


async def approve(client: httpx.AsyncClient, number: int) -> int:
    shown = (await client.get(f"/api/promotions/{number}/dossier")).json()["mine"]["shown"]
    return (await client.post(f"/api/promotions/{number}/approve", json={"shown": shown})).status_code


async def test_killed_between_two_decisions(world: World):
    """The first decision stands whole, the second happened whole or not at all, and it goes on from there."""
    world.clock.now = datetime.now(UTC)
    numbers = [(await world.waiting()).number]
    for n in (3, 4):
        row = await world.ask("bench", f"1.{n}.0", artifacts=(artifact(byte=str(n)),))
        await world.land(row.number)
        numbers.append((await world.ask("rehearsal", f"1.{n}.0", artifacts=())).number)
    async with server(world) as (process, client):
        await sign_in(client, "ilse")
        assert await approve(client, numbers[0]) == 200
        storm = [asyncio.create_task(approve(client, number)) for number in numbers[1:]]
        await asyncio.sleep(0.02)
        process.send_signal(signal.SIGKILL)
        await asyncio.gather(*storm, return_exceptions=True)
    for number in numbers:
        file = await world.dossier(number)
        seated = sum(seat.taken_by is not None for seat in file.row.seats)
        assert [e.action for e in file.course].count("approve") == seated
    assert (await world.dossier(numbers[0])).row.seats[0].taken_by.name == "Ilse Brandt"
    async with server(world) as (_, client):
        await sign_in(client, "henrik")
        assert await approve(client, numbers[0]) == 200
    assert (await world.actions(numbers[0]))[-2:] == ["clear", "depart"]
    await world.sequence()
    result = await world.verified()
    assert (result.verified, result.entries) == (True, await world.entries())
