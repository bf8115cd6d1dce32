"""Many that are due at once: what is as it was is written together, and nothing that is new is missed."""

import asyncio
from datetime import timedelta
from typing import Any

import pytest
from tests.statements import asked
from tests.world import REVIEWERS, SAMENESS, TICKETS, World

from dogana.service.promotions import refreshing
from dogana.store import promotions, schedule

KEPT = ("state", "sheet", "brief", "facts_digest", "facts_parts", "policy_id", "inspect_at", "changed_at")


async def together(world: World, numbers: list[int]) -> int:
    """Refresh some at once; how many statements that took."""
    with asked() as statements:
        async with asyncio.timeout(30):
            await asyncio.gather(*(refreshing.refresh(world.backend, number) for number in numbers))
    return len(statements)


async def row_of(world: World, number: int) -> dict[str, Any]:
    async with world.backend.database.transaction() as session:
        found = await promotions.with_facts(session, number)
        assert found is not None
        return {name: getattr(found.row, name) for name in KEPT} | {"facts": found.facts}


@pytest.fixture
async def several(world: World) -> list[int]:
    """Four that wait for a seat, for two environments, and are due once more."""
    await world.landed("bench", "1.1.0")
    await world.adopt("bench", REVIEWERS, TICKETS)
    rows = [await world.ask("rehearsal", "1.1.0")]
    rows += [await world.ask("bench", f"1.{n}.0") for n in (2, 3, 4)]
    numbers = [row.number for row in rows]
    await together(world, numbers)
    world.clock.now += timedelta(minutes=1)
    return numbers


async def test_many_take_little_more_than_one(world: World, several: list[int]):
    first, *others = several
    alone = await together(world, [first])
    assert await together(world, others) <= alone + 3 * len(others)
    async with world.backend.database.transaction() as session:
        assert await schedule.due(session, world.clock(), 10) == []


@pytest.mark.thorough
async def test_one_is_kept_as_if_it_were_inspected_by_itself(world: World, several: list[int], monkeypatch):
    """The cheaper way differs in nothing that anybody reads or decides by."""
    await together(world, several)
    cheaply = [await row_of(world, number) for number in several]
    monkeypatch.setattr(refreshing, "nothing_new", lambda _: False)
    await together(world, several)
    assert [await row_of(world, number) for number in several] == cheaply


@pytest.mark.thorough
async def test_what_is_new_about_one_is_seen_among_those_of_which_nothing_is(
    world: World, several: list[int]
):
    """A ticket that is not done any more, and one that is there no longer."""
    world.tickets["TAPS-4"] = world.tickets["TAPS-4"].model_copy(update={"status": "in progress"})
    del world.tickets["TAPS-3"]
    await together(world, several)
    found = [(await world.dossier(number)).findings for number in several]
    outcomes = [next(one.outcome for one in each if one.rule == "tickets") for each in found]
    assert outcomes == ["met", "met", "unmet", "unmet"]


async def test_what_somebody_decides_on_is_not_waited_for_by_the_others(world: World, several: list[int]):
    held, *others = several
    async with world.backend.database.transaction() as session:
        await promotions.lock(session, held)
        waits = asyncio.create_task(refreshing.refresh(world.backend, held))
        await together(world, others)
        assert not waits.done()
    async with asyncio.timeout(30):
        await waits
    assert (await row_of(world, held))["inspect_at"] > world.clock.now


async def test_what_is_cleared_and_waits_for_its_deployer_is_cleared_once(world: World):
    await world.landed()
    await world.landed("rehearsal")
    await world.adopt("pilot-valley", SAMENESS)
    number = (await world.ask("pilot-valley")).number
    for _ in range(3):
        world.clock.now += timedelta(minutes=1)
        await together(world, [number])
    assert await world.actions(number) == ["request", "clear"]
