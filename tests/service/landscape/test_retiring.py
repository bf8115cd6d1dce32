"""Environments, routes, services: deleted where nothing refers to them, retired where something does."""

import pytest
from tests.world import TICKETS, World

from dogana.core.errors import ConflictError, NotFoundError, UnknownNameError
from dogana.core.routes import Route
from dogana.demo.cast import ACTORS
from dogana.service.landscape import environments, retiring, setting_up
from dogana.service.landscape.documents import Environment, Service
from dogana.service.views import desk

DARIO = ACTORS["dario"]
SPARE = Environment(title="Spare", zone="Europe/Rome", departs="by deployer")


async def test_what_was_set_up_by_mistake_goes(world: World):
    """In the order in which it is needed: the service, its route, its environment."""
    made = world.backend, DARIO
    await setting_up.keep_environment(*made, "spare", SPARE, None)
    await setting_up.keep_route(*made, "spare", Route(title="Spare", legs=(("spare",),)), None)
    service = Service(title="Spare", repository="spare", route="spare")
    await setting_up.keep_service(*made, "spare", service, None)
    for remove in (retiring.remove_route, retiring.remove_environment):
        with pytest.raises(ConflictError, match="Spare is"):
            await remove(*made, "spare")
    for remove in (retiring.remove_service, retiring.remove_route, retiring.remove_environment):
        assert (await remove(*made, "spare")).how == "deleted"
        with pytest.raises(NotFoundError):
            await remove(*made, "spare")
    assert "spare" not in await environments.environments(*made)
    # Nothing is left that would keep another of that name out.
    await setting_up.keep_environment(*made, "spare", SPARE, None)


async def test_a_service_with_history_is_retired_and_stays_readable(world: World):
    """Nothing of it can be asked for any more; what landed is read as before; set up again, it is back."""
    row = await world.ask()
    with pytest.raises(ConflictError, match=f"Promotion {row.number} would lose"):
        await retiring.remove_service(world.backend, DARIO, "taps-portal")
    await world.land(row.number)
    wanted = (await environments.services(world.backend, DARIO))["taps-portal"]
    assert (await retiring.remove_service(world.backend, DARIO, "taps-portal")).how == "retired"
    assert "taps-portal" not in await environments.services(world.backend, DARIO)
    with pytest.raises(UnknownNameError):
        await world.ask("rehearsal", "1.2.0")
    assert (await desk.promotion(world.backend, DARIO, row.number)).service.name == wanted.title
    assert (await world.dossier(row.number)).row.version == "1.2.0"
    await world.seconded(setting_up.keep_service(world.backend, DARIO, "taps-portal", wanted, None))
    assert (await world.ask("rehearsal", "1.2.0")).state == "waiting"


async def test_an_environment_with_history_is_retired_once_no_route_passes_it(world: World):
    """What landed stays; nothing enters it, nobody writes it a policy; set up again, it is back."""
    await world.landed()
    routes = await environments.routes(world.backend, DARIO)
    on = {name: one for name, one in routes.items() if any("bench" in leg for leg in one.legs)}
    with pytest.raises(ConflictError, match="Bench is on"):
        await retiring.remove_environment(world.backend, DARIO, "bench")
    for name, one in on.items():
        left = tuple(leg for leg in one.legs if "bench" not in leg)
        await world.seconded(
            setting_up.keep_route(world.backend, DARIO, name, one.model_copy(update={"legs": left}), None)
        )
    kept = (await environments.environments(world.backend, DARIO))["bench"]
    assert (await retiring.remove_environment(world.backend, DARIO, "bench")).how == "retired"
    with pytest.raises(UnknownNameError):
        await world.ask("bench", "1.3.0")
    with pytest.raises(UnknownNameError):
        await world.adopt("bench", TICKETS)
    await world.seconded(setting_up.keep_environment(world.backend, DARIO, "bench", kept, None))
    assert "bench" in await environments.environments(world.backend, DARIO)


async def test_a_baseline_that_others_inherit_stays(world: World):
    """As long as any of their policies is in force."""
    classed = Environment(title="Guarded", zone="Europe/Rome", departs="never")
    await setting_up.keep_environment(world.backend, DARIO, "guarded", classed, None)
    await world.adopt("guarded", TICKETS)
    heir = {
        "format": "dogana.policy/1",
        "title": "Heir",
        "zone": "Europe/Rome",
        "inherits": "guarded",
        "rules": [],
    }
    await world.adopt_document("bench", heir)
    with pytest.raises(ConflictError, match="inherited by Bench"):
        await retiring.remove_environment(world.backend, DARIO, "guarded")
