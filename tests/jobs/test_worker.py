"""The worker: finds what is due by itself, goes on after trouble, and places what was written."""

import asyncio
from contextlib import aclosing
from datetime import timedelta

import pytest
from tests.world import TICKETS, World

from dogana.core.errors import InvalidError
from dogana.jobs.worker import Worker
from dogana.store import schedule


@pytest.fixture
def worker(world: World) -> Worker:
    return Worker(world.backend, world.key, "test")


async def due(world: World) -> list[int]:
    async with world.backend.database.transaction() as session:
        return await schedule.due(session, world.clock.now, 50)


async def test_a_freeze_that_ends_clears_by_itself_at_its_end(world: World, worker: Worker):
    """Not before, and without anybody asking."""
    freeze = {
        "id": "freeze",
        "kind": "freeze",
        "title": "Closed",
        "zone": "Europe/Rome",
        "windows": [{"name": "storm watch", "from": "2026-03-10T09:00", "until": "2026-03-10T12:00"}],
    }
    await world.adopt("bench", freeze)
    row = await world.ask("bench")
    for minutes, state in ((119, "waiting"), (1, "moving")):
        world.clock.now += timedelta(minutes=minutes)
        await worker.inspect_due()
        assert (await world.dossier(row.number)).row.state == state


async def test_what_was_inspected_is_not_due_again_at_once(world: World, worker: Worker):
    """But is when its facts have grown old."""
    row = await world.waiting()
    world.clock.now += timedelta(seconds=1)
    await worker.inspect_due()
    assert await due(world) == []
    world.clock.now += timedelta(seconds=world.backend.refresh)
    assert await due(world) == [row.number]


async def test_a_policy_adopted_is_held_against_what_waits(world: World, worker: Worker):
    """What the old one held, the new one lets go."""
    row = await world.waiting()
    await world.adopt("rehearsal", TICKETS)
    await worker.inspect_due()
    assert (await world.dossier(row.number)).row.state == "moving"


async def test_one_that_cannot_be_inspected_holds_up_no_other(world: World, worker: Worker, monkeypatch):
    """It is tried again later; the rest goes on."""
    bad = await world.waiting()
    good = await world.ask("bench", "1.3.0", artifacts=(world.builds[2].artifacts()[0],))
    await world.land(good.number)
    following = await world.ask("rehearsal", "1.3.0", artifacts=())
    world.tickets["TAPS-3"] = world.tickets["TAPS-3"].model_copy(update={"status": "open"})
    answer = world.backend.tracker.tickets

    async def failing(tracker, keys):
        if "TAPS-2" in keys and "TAPS-3" not in keys:
            raise InvalidError("cannot be inspected")
        return await answer(tracker, keys)

    monkeypatch.setattr(world.backend.tracker, "tickets", failing)
    world.clock.now += timedelta(seconds=world.backend.refresh + 1)
    await asyncio.wait_for(worker.inspect_due(), 10)
    assert (await world.dossier(following.number)).row.verdict == "barred"
    assert await due(world) == []
    assert (await world.dossier(bad.number)).row.state == "waiting"


async def test_a_running_worker_hears_of_what_is_written(world: World, worker: Worker):
    """Entries get their places and a checkpoint while it runs; stopping it leaves nothing half done."""
    running = asyncio.create_task(worker.run())
    row = await world.ask("bench")
    async with asyncio.timeout(20), aclosing(world.backend.database.listen()) as heard:
        async for _ in heard:
            if (await world.dossier(row.number)).course[-1].index is not None:
                break
    running.cancel()
    await asyncio.gather(running, return_exceptions=True)
    assert (await world.verified()).verified
