"""What the demo lets go when a newcomer is to be seen taken back."""

import asyncio

from tests.serving import Outside, served
from tests.world import World

from dogana.demo.cast import ACTORS
from dogana.demo.run import let_go
from dogana.service.landscape import environments, setting_up


async def test_what_is_cleared_departs_and_is_named(world: World):
    """What moves already is named; where nothing of the service goes in, nothing is."""
    known = await environments.environment(world.backend, ACTORS["dario"], "bench")
    by_deployer = known.model_copy(update={"departs": "by deployer"})
    await world.seconded(
        setting_up.keep_environment(world.backend, ACTORS["dario"], "bench", by_deployer, None)
    )
    row = await world.ask("bench")
    assert row.state == "cleared"
    async with served(Outside(), world.app()) as ours:
        assert await asyncio.to_thread(let_go, ours.url, "field-app") == []
        for _ in range(2):
            assert await asyncio.to_thread(let_go, ours.url, "taps-portal") == [
                "Taps portal 1.2.0 into Bench"
            ]
    assert (await world.dossier(row.number)).row.state == "moving"
