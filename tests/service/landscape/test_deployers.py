"""Who lets go and reports: by name, by group, by token; nobody else, whatever rights they have."""

from dataclasses import replace

import pytest
from tests.world import World, artifact

from dogana.core.errors import ForbiddenError
from dogana.demo.cast import ACTORS
from dogana.service.actor import Right
from dogana.service.delivery import course
from dogana.service.landscape import environments, setting_up
from dogana.service.landscape.deployers import Deployers
from dogana.service.secrets import clearances, values

DARIO, PIPELINE, ILSE = (ACTORS[who] for who in ("dario", "pipeline", "ilse"))
NAMED = {
    "nobody": (Deployers(), False, False),
    "one person": (Deployers(people=("pipeline",)), True, False),
    "another person": (Deployers(people=("ilse",)), False, True),
    "both": (Deployers(people=("ilse", "pipeline")), True, True),
    "a group": (Deployers(groups=("release-desk",)), False, True),
    "a token": (Deployers(tokens=(7,)), True, False),
    "another token": (Deployers(tokens=(8,)), False, False),
    "a token and a group": (Deployers(tokens=(7,), groups=("release-desk",)), True, True),
}


def deployer(actor, **given):
    return replace(actor, rights=actor.rights | {Right.DEPLOY}, **given)


@pytest.mark.parametrize("name", NAMED)
async def test_an_environment_lets_those_let_go_whom_it_names(world: World, name: str):
    """Others are refused in words, and nothing moves."""
    named, *may = NAMED[name]
    people = (
        deployer(PIPELINE, token=7),
        deployer(ILSE, groups=frozenset({"release-desk"})),
    )
    wanted = await environments.environment(world.backend, DARIO, "bench")
    changed = wanted.model_copy(update={"departs": "by deployer", "deployers": named})
    await world.seconded(setting_up.keep_environment(world.backend, DARIO, "bench", changed, None))
    number = (await world.ask("bench")).number
    refused = [actor for actor, lets_go in zip(people, may, strict=True) if not lets_go]
    allowed = [actor for actor in people if actor not in refused]
    await refuses(world, refused, lambda by: course.depart(world.backend, by, number))
    await refuses(world, refused, lambda by: course.prepared(world.backend, by, number, note=""))
    if not allowed:
        return
    token = await course.depart(world.backend, replace(allowed[0], channel="API"), number)
    await refuses(world, refused, lambda by: clearances.introspect(world.backend, by, token, use=True))
    await refuses(world, refused, lambda by: values.read(world.backend, by, token))
    assert (await world.dossier(number)).row.state == "moving"
    await refuses(world, refused, lambda by: course.roll_back(world.backend, by, number, note=""))
    cargo = (artifact(),)
    await refuses(world, refused, lambda by: course.land(world.backend, by, number, artifacts=cargo, note=""))
    assert (await world.dossier(number)).row.state == "moving"


async def refuses(world: World, people, act) -> None:
    """For each of them, in words, and nothing is written."""
    before = await world.entries()
    for by in people:
        with pytest.raises(ForbiddenError, match="names who deploys"):
            await act(by)
    assert await world.entries() == before


async def test_where_none_is_named_whoever_may_deploy_does(world: World):
    """And nobody who may not, even where they are named."""
    wanted = await environments.environment(world.backend, DARIO, "bench")
    changed = wanted.model_copy(update={"departs": "by deployer", "deployers": None})
    await world.seconded(setting_up.keep_environment(world.backend, DARIO, "bench", changed, None))
    number = (await world.ask("bench")).number
    reader = ACTORS["wanjiru"]
    with pytest.raises(ForbiddenError):
        await course.depart(world.backend, reader, number)
    named = changed.model_copy(update={"deployers": Deployers(people=("wanjiru",))})
    await world.seconded(setting_up.keep_environment(world.backend, DARIO, "bench", named, None))
    with pytest.raises(ForbiddenError, match="may not report what is deployed"):
        await course.depart(world.backend, reader, number)
