"""The repository of a service: tried before it is kept, and watched."""

from datetime import timedelta

import pytest
from tests.world import World

from dogana.core.errors import InvalidError
from dogana.demo.cast import ACTORS
from dogana.service.house import state
from dogana.service.landscape import environments, repositories

DARIO = ACTORS["dario"]


async def unread(world: World) -> dict[str, str]:
    found = await state.state(world.backend, DARIO)
    return {one.source.id: one.reason for one in found.unread}


async def test_one_that_cannot_be_read_is_not_kept_by_mistake(world: World):
    """Typed wrong, or nothing there; what a service had before is not tried again."""
    portal = (await environments.services(world.backend, DARIO))["taps-portal"]
    await repositories.must_be_read(world.backend, DARIO, "taps-portal", portal)
    await repositories.must_be_read(world.backend, DARIO, "another", portal)
    for wrong in ("taps-protal", "../outside", "http://127.0.0.1:1/portal.git"):
        wanted = portal.model_copy(update={"repository": wrong})
        with pytest.raises(InvalidError) as refused:
            await repositories.must_be_read(world.backend, DARIO, "another", wanted)
        assert [pointer for pointer, _ in refused.value.fields] == ["/repository"]


async def test_one_that_goes_away_is_said_until_it_is_back(world: World):
    """Looked at every ten minutes; one that is set up elsewhere begins anew."""
    await repositories.look_due(world.backend)
    before = await unread(world)
    assert "taps-portal" not in before
    there, gone = world.folder / "repositories" / "taps-portal", world.folder / "gone"
    there.rename(gone)
    await repositories.look_due(world.backend)
    assert await unread(world) == before
    world.clock.now += timedelta(minutes=10)
    await repositories.look_due(world.backend)
    assert "taps-portal" in await unread(world)
    gone.rename(there)
    world.clock.now += timedelta(minutes=10)
    await repositories.look_due(world.backend)
    assert "taps-portal" not in await unread(world)
