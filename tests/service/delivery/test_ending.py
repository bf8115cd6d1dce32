"""What moves and whose deployer died: said, once it takes too long, and ended by an approver who looked."""

from datetime import timedelta

import pytest
from tests.world import TICKETS, World

from dogana.core.errors import ConflictError, ExcludedError, ForbiddenError, InvalidError, MovedOnError
from dogana.demo.cast import ACTORS
from dogana.service.delivery import course, ending
from dogana.service.landscape import environments, setting_up
from dogana.service.views import desk
from dogana.store.tables.promotions import PromotionRow

ILSE, NOOR = ACTORS["ilse"], ACTORS["noor"]
QUARTER = timedelta(minutes=15)


async def moving(world: World) -> PromotionRow:
    await world.adopt("bench", TICKETS)
    row = await world.ask()
    await world.depart(row.number)
    return row


async def end(world: World, number: int, how: ending.EndedAs, who: str = "ilse", reason: str = "I looked."):
    return await ending.end(world.backend, ACTORS[who], number, how=how, reason=reason)


async def test_one_whose_deployer_is_silent_says_so_and_since_when(world: World):
    """Who was heard of last, and what that was; at once nothing of it, since it may just take its time."""
    row = await moving(world)
    shown = await desk.promotion(world.backend, ILSE, row.number)
    assert (shown.moving.silent, shown.moving.heard_from.id) == (False, "pipeline")
    assert "Nothing was heard" not in shown.sentence
    world.clock.now += QUARTER
    shown = await desk.promotion(world.backend, ILSE, row.number)
    assert shown.moving.silent
    assert "Nothing was heard of it for 15 min, since Delivery pipeline last reported." in shown.sentence


async def test_an_approver_ends_it_as_failed_or_as_landed(world: World):
    """With a reason, once its deployer had its time; the record says who spoke in whose place."""
    row = await moving(world)
    with pytest.raises(ConflictError, match="give it 15 min more"):
        await end(world, row.number, "failed")
    world.clock.now += QUARTER
    with pytest.raises(InvalidError, match="how you know"):
        await end(world, row.number, "failed", reason=" ")
    with pytest.raises(ForbiddenError):
        await end(world, row.number, "failed", who="noor")
    assert (await end(world, row.number, "landed")).state == "landed"
    with pytest.raises(MovedOnError):
        await course.land(world.backend, ACTORS["pipeline"], row.number, artifacts=(), note="")
    entry = (await world.dossier(row.number)).course[-1]
    assert "Ilse Brandt said in the place of its deployer that" in entry.says
    other = await world.ask("bench", "1.3.0")
    await world.depart(other.number)
    world.clock.now += QUARTER
    assert (await end(world, other.number, "failed")).state == "rolled back"


async def test_who_asked_for_it_does_not_say_that_it_landed(world: World):
    """Nor who wrote it; that it failed they may say."""
    await world.adopt("bench", TICKETS)
    row = await world.ask(who="ilse")
    await world.depart(row.number)
    world.clock.now += QUARTER
    with pytest.raises(ExcludedError):
        await end(world, row.number, "landed")
    assert (await end(world, row.number, "failed")).state == "rolled back"


async def test_what_takes_longer_than_its_environment_allows_is_said_once(world: World):
    """On the Desk, and on record for whoever is told of events; not where nothing was set."""
    row = await moving(world)
    world.clock.now += timedelta(hours=2)
    await ending.say_overdue(world.backend)
    assert "overdue" not in await world.actions(row.number)
    bench = (await environments.environments(world.backend, ACTORS["dario"]))["bench"]
    limited = bench.model_copy(update={"time_limit": timedelta(hours=1)})
    await world.seconded(setting_up.keep_environment(world.backend, ACTORS["dario"], "bench", limited, None))
    for _ in range(2):
        await ending.say_overdue(world.backend)
    assert (await world.actions(row.number)).count("overdue") == 1
    shown = await desk.promotion(world.backend, ILSE, row.number)
    assert shown.overdue
    assert "It takes longer than it may." in shown.sentence


async def test_what_waits_behind_it_says_for_which_and_is_not_cleared(world: World):
    """A release that could go is held by the one before it, and goes once that has ended."""
    row = await moving(world)
    behind = await world.ask("bench", "1.3.0")
    shown = await desk.promotion(world.backend, ILSE, behind.number)
    assert (shown.state, shown.verdict) == ("waiting", "held")
    assert "Taps portal 1.2.0 is on the way into Bench" in shown.sentence
    world.clock.now += QUARTER
    await end(world, row.number, "failed")
    file = await world.refresh(behind.number)
    assert file.row.state in {"cleared", "moving"}
