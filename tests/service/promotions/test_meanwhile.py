"""What changes while others are asked: it is seen, and nothing that is due because of it is forgotten."""

from collections.abc import Awaitable, Callable
from datetime import timedelta

import pytest
from tests.world import World

from dogana.service.actor import Role
from dogana.service.people.members import Member
from dogana.service.promotions import refreshing
from dogana.store import promotions, schedule
from dogana.store.tables.promotions import PromotionRow


@pytest.fixture
def while_asked(monkeypatch: pytest.MonkeyPatch):
    """Something that happens while the outside systems are asked, once."""
    real = refreshing.gather

    def happens(act: Callable[[], Awaitable[object]]) -> None:
        async def gather(*given):
            monkeypatch.setattr(refreshing, "gather", real)
            found = await real(*given)
            await act()
            return found

        monkeypatch.setattr(refreshing, "gather", gather)

    return happens


async def row_of(world: World, number: int) -> PromotionRow:
    async with world.backend.database.transaction() as session:
        row = await promotions.get(session, number)
    assert row is not None
    return row


async def test_who_loses_a_seat_while_others_are_asked_sits_there_no_more(world: World, while_asked):
    """A gate that counted them would clear what nobody may let in."""
    row = await world.waiting()
    await world.approve(row.number, "ilse")
    without = Member(name="Ilse Brandt", email="ilse@corvale.example", roles=(Role.APPROVER,))
    while_asked(lambda: world.set_up("ilse", without))
    world.clock.now += timedelta(minutes=1)
    await refreshing.refresh(world.backend, row.number)
    found = await row_of(world, row.number)
    assert found.brief is not None
    assert [seat.get("taken_by") for seat in found.brief["seats"]] == [None, None]


async def test_what_lands_while_others_are_asked_makes_it_due_again_at_once(world: World, while_asked):
    """The change was read from what ran before."""
    row = await world.waiting()
    world.clock.now += timedelta(minutes=1)

    async def due_again() -> None:
        world.clock.now += timedelta(seconds=1)
        async with world.backend.database.transaction() as session:
            schedule.inspection(session, world.clock(), environment=row.environment_id)

    while_asked(due_again)
    await refreshing.refresh(world.backend, row.number)
    assert (await row_of(world, row.number)).inspect_at <= world.clock.now
    await refreshing.refresh(world.backend, row.number)
    assert (await row_of(world, row.number)).inspect_at > world.clock.now


async def test_a_decision_puts_off_no_inspection_that_is_due(world: World):
    """It asks nobody outside, and what made it due may be there."""
    row = await world.waiting()
    world.clock.now += timedelta(seconds=5)
    async with world.backend.database.transaction() as session:
        schedule.inspection(session, world.clock(), environment=row.environment_id)
    await world.approve(row.number, "ilse")
    assert (await row_of(world, row.number)).inspect_at <= world.clock.now
