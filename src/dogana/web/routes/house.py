"""How the installation fares: for those who keep it up, for what watches it, and for every screen."""

from typing import Annotated

from fastapi import Query, Request, Response

from dogana.service.house import first_steps, metrics, readiness, state
from dogana.service.house.first_steps import FirstSteps
from dogana.service.house.readiness import Readiness
from dogana.service.house.state import HouseState
from dogana.service.shapes import View
from dogana.web.access import Reader, UsesBackend
from dogana.web.routing import OpenMetrics, router_of

router = router_of("house")
outside = router_of("house", prefix="")


class Alive(View):
    """That the process answers."""

    alive: bool = True


class Lacking(View):
    """What keeps the installation from its work, for every screen."""

    says: list[str]


@outside.get("/health/live")
async def live() -> Alive:
    """Whether this process answers; whatever else may be amiss, starting it again would not help."""
    return Alive()


@outside.get("/health/ready", responses={503: {"model": Readiness, "description": "Something is missing"}})
async def ready(response: Response, backend: UsesBackend) -> Readiness:
    """Whether everything is there that work needs: database, schema, keys, a worker, the ledger's order."""
    found = await readiness.lately(backend)
    response.status_code = 200 if found.ready else 503
    return found


@outside.get("/metrics", response_class=OpenMetrics)
async def page(request: Request, actor: Reader, backend: UsesBackend) -> OpenMetrics:
    """How the installation fares, in the OpenMetrics text format."""
    return OpenMetrics(await metrics.page(backend, actor, request.app.state.counted.registry))


@router.get("/house")
async def house(actor: Reader, backend: UsesBackend) -> HouseState:
    """How the installation fares: processes, what fails, what is late, how large it has become."""
    return await state.state(backend, actor)


@router.get("/house/first-steps")
async def steps(actor: Reader, backend: UsesBackend, whole: Annotated[bool, Query()] = False) -> FirstSteps:
    """What comes first in a new installation, and what of it is done; once that is over, if asked for."""
    return await first_steps.first_steps(backend, actor, whole=whole)


@router.get("/house/lacking")
async def lacking(actor: Reader, backend: UsesBackend) -> Lacking:
    """What keeps the installation from its work; nothing where all is well."""
    return Lacking(says=await readiness.lacking(backend, actor))
