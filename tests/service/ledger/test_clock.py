"""A clock that goes back: nothing is signed earlier, nothing laxer comes back into force, and it is said."""

from datetime import timedelta

from tests.world import NOW, TICKETS, World, policy

from dogana.core.record.checkpoint import opened
from dogana.demo.cast import ACTORS
from dogana.service.ledger import sequencer
from dogana.service.policies import drafts
from dogana.service.views import ledger as ledger_pages
from dogana.store import policies as store
from dogana.store.ledger import EntryFilter

SOAK = {"id": "soak", "kind": "soak", "title": "Hours", "at_least": "PT3H"}


async def checkpoints(world: World) -> list:
    return [opened(note, world.key.public_key()) for note in await world.notes()]


async def in_force(world: World, environment: str = "bench") -> int:
    async with world.backend.database.transaction() as session:
        row = await store.in_force(session, environment, world.clock())
    assert row is not None
    return row.version


async def adopt(world: World, *rules: dict, start=None) -> int:
    row = await drafts.draft(world.backend, ACTORS["marco"], "bench", policy(*rules))
    await drafts.adopt(world.backend, ACTORS["chiara"], "bench", row.version, reason="", in_force_from=start)
    return row.version


async def test_a_checkpoint_is_never_signed_earlier_than_the_one_before(world: World):
    """However often the clock goes back; the time it had shown is said once, and all of it verifies."""
    world.clock.now = NOW
    await world.landed()
    await sequencer.sequence(world.backend, world.key, "test")
    for hours in (3, 0, 30):
        world.clock.now = NOW - timedelta(hours=hours)
        await adopt(world, TICKETS)
        while await sequencer.sequence(world.backend, world.key, "test"):
            continue
    times = [one.signed_at for one in await checkpoints(world)]
    assert times == sorted(times)
    assert len(times) > 3
    page = await ledger_pages.ledger_page(world.backend, ACTORS["dario"], EntryFilter(), 100)
    said = [entry.says for entry in page.entries if entry.action == "clock went back"]
    assert len(said) == 1
    assert said[0].startswith("The clock here went back: it shows Tue 10 Mar 06:00")
    result = await world.verified()
    assert result.verified, result


async def test_a_clock_that_is_a_little_off_is_not_spoken_of(world: World):
    """Clocks of several processes differ by a little; no checkpoint goes back for that either."""
    await sequencer.sequence(world.backend, world.key, "test")
    world.clock.now -= timedelta(minutes=4)
    await adopt(world, TICKETS)
    await sequencer.sequence(world.backend, world.key, "test")
    first, second = (await checkpoints(world))[-2:]
    assert second.signed_at == first.signed_at
    page = await ledger_pages.ledger_page(world.backend, ACTORS["dario"], EntryFilter(), 100)
    assert "clock went back" not in [entry.action for entry in page.entries]


async def test_a_policy_in_force_stays_in_force(world: World):
    """The laxer one before it does not come back; one adopted then comes after it all the same."""
    world.clock.now += timedelta(hours=1)
    strict = await adopt(world, TICKETS, SOAK)
    world.clock.now -= timedelta(hours=9)
    assert await in_force(world) == strict
    later = await adopt(world, TICKETS)
    assert later == strict + 1
    assert await in_force(world) == later
    world.clock.now += timedelta(days=1)
    assert await in_force(world) == later


async def test_a_policy_whose_time_came_stays_and_one_whose_time_did_not_waits(world: World):
    """Set for later: in force once its time has come, and from then on."""
    now = world.clock.now
    first = await in_force(world)
    soon = await adopt(world, TICKETS, SOAK, start=now + timedelta(hours=1))
    await drafts.begin_due(world.backend)
    assert await in_force(world) == first
    world.clock.now = now + timedelta(hours=2)
    assert await in_force(world) == soon
    await drafts.begin_due(world.backend)
    world.clock.now = now - timedelta(hours=5)
    assert await in_force(world) == soon
