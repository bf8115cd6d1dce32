"""Closing environments at once, and opening them again."""

from http import HTTPStatus

from fastapi import APIRouter

from dogana.core.document import EnvironmentId, Instant
from dogana.service.landscape import closings
from dogana.service.landscape.closings import ClosingView
from dogana.web.access import Decider, Reader, UsesBackend
from dogana.web.problems import documented
from dogana.web.promotions import Body, Number, Text
from dogana.web.strict import StrictRoute

_READ = documented(HTTPStatus.UNAUTHORIZED, HTTPStatus.FORBIDDEN, HTTPStatus.UNPROCESSABLE_ENTITY)
_DECIDE = documented(HTTPStatus.NOT_FOUND, HTTPStatus.CONFLICT)

router = APIRouter(prefix="/api", tags=["closings"], responses=_READ, route_class=StrictRoute)


class NewClosing(Body):
    """What is to be closed, until when, and why."""

    environment: EnvironmentId
    until: Instant
    """Within seven days."""
    reason: Text


class Opening(Body):
    """Why it is to be opened again."""

    reason: Text


@router.get("/closings")
async def list_closings(actor: Reader, backend: UsesBackend) -> list[ClosingView]:
    """What is closed at once now."""
    return await closings.closings(backend, actor)


@router.post("/closings", status_code=HTTPStatus.CREATED, responses=_DECIDE)
async def close_now(new: NewClosing, actor: Decider, backend: UsesBackend) -> ClosingView:
    """Close an environment at once, by whom its policy names; no second person is needed."""
    return await closings.close_now(backend, actor, new.environment, until=new.until, reason=new.reason)


@router.post("/closings/{number}/open", responses=_DECIDE)
async def open_again(number: Number, opening: Opening, actor: Decider, backend: UsesBackend) -> ClosingView:
    """Ask to open before the end or, as a second person, open."""
    return await closings.open_again(backend, actor, number, reason=opening.reason)
