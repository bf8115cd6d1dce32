"""Work that fails on one promotion is kept with it, and stops nothing else."""

from datetime import timedelta

import pytest
from tests.world import REVIEWERS, World

from dogana.core.errors import AgainError, AwayError
from dogana.demo.cast import ACTORS
from dogana.jobs.worker import Worker
from dogana.service.delivery import automation
from dogana.service.promotions import failures, refreshing
from dogana.store import promotions


@pytest.fixture
def worker(world: World) -> Worker:
    return Worker(world.backend, world.key, "test")


@pytest.fixture
def broken(monkeypatch) -> set[int]:
    """Promotions on which inspecting ends in a fault of the program."""
    numbers: set[int] = set()
    real = refreshing.settle

    async def settle(held, **given):
        if held.row.number in numbers:
            raise ZeroDivisionError("of all things")
        return await real(held, **given)

    monkeypatch.setattr(refreshing, "settle", settle)
    return numbers


async def listed(world: World) -> list[tuple[int, str]]:
    found = await failures.troubles(world.backend, ACTORS["wanjiru"])
    return [(one.number, one.reason) for one in found]


@pytest.mark.thorough
async def test_a_fault_on_one_is_kept_with_it_and_the_others_are_inspected(
    world: World, worker: Worker, broken: set[int]
):
    """With when and why and the next try; once it goes well it is forgotten."""
    await world.adopt("bench", REVIEWERS)
    bad, good = await world.ask("bench", "1.2.0"), await world.ask("bench", "1.3.0")
    broken.add(bad.number)
    world.clock.now += timedelta(minutes=2)
    await worker.inspect_due()
    ((number, reason),) = await listed(world)
    assert number == bad.number
    assert reason.startswith("A fault of the program, ZeroDivisionError")
    async with world.backend.database.transaction() as session:
        again = await promotions.get(session, good.number)
        failed = await promotions.get(session, bad.number)
    assert again is not None
    assert failed is not None
    assert again.facts_read_at == world.clock.now
    assert failed.inspect_at == world.clock.now + timedelta(seconds=world.backend.refresh)
    broken.clear()
    world.clock.now += timedelta(minutes=2)
    await worker.inspect_due()
    assert await listed(world) == []


@pytest.mark.thorough
async def test_more_than_fit_at_once_are_all_inspected_though_each_fails(
    world: World, worker: Worker, broken: set[int]
):
    """None is tried twice in one go."""
    await world.adopt("bench", REVIEWERS)
    rows = [await world.ask("bench", f"1.{n}.0") for n in range(1, 5)]
    broken.update(row.number for row in rows)
    world.clock.now += timedelta(minutes=2)
    await worker.inspect_due()
    assert {number for number, _ in await listed(world)} == broken


async def test_a_landing_that_cannot_be_followed_is_tried_again_and_holds_up_no_other(
    world: World, monkeypatch
):
    first, second = await world.landed("bench", "1.2.0"), await world.landed("bench", "1.3.0")
    followed = []

    async def follow(_, row):
        if row.number == first.number:
            raise KeyError("nothing of that name")
        followed.append(row.number)

    monkeypatch.setattr(automation, "_follow", follow)
    await automation.follow(world.backend)
    assert second.number in followed
    assert [number for number, _ in await listed(world)] == [first.number]
    monkeypatch.undo()
    await automation.follow(world.backend)
    assert [number for number, _ in await listed(world)] == [first.number]
    world.clock.now += timedelta(minutes=2)
    await automation.follow(world.backend)
    assert await listed(world) == []


async def test_a_database_that_goes_away_loses_no_backfill(world: World, monkeypatch):
    """What could not be asked for is not taken as followed."""
    row = await world.landed("bench")

    async def away(*_, **__):
        raise AwayError

    monkeypatch.setattr(automation, "_follow", away)
    with pytest.raises(AwayError):
        await automation.follow(world.backend)
    async with world.backend.database.transaction() as session:
        kept = await promotions.get(session, row.number)
    assert kept is not None
    assert kept.followed_at is None
    assert await listed(world) == []


async def test_one_that_many_want_at_once_has_its_next_try_and_the_others_their_turn(world: World):
    """The database asked for it to be tried again, in vain; that it is away altogether is told apart."""
    row = await world.waiting()
    async with failures.kept(world.backend, row.number):
        raise AgainError
    assert await listed(world) == [(row.number, AgainError().detail)]
    with pytest.raises(AwayError):
        async with failures.kept(world.backend, row.number):
            raise AwayError
