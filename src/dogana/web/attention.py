"""Routes for who is looking at what, and for saved filters."""

from http import HTTPStatus
from typing import Annotated

from fastapi import APIRouter, Path
from pydantic import StringConstraints

from dogana.service.views import attention
from dogana.web.access import Oneself, UsesBackend
from dogana.web.problems import documented
from dogana.web.promotions import Body, Number
from dogana.web.strict import StrictRoute

_READ = documented(HTTPStatus.UNAUTHORIZED, HTTPStatus.FORBIDDEN, HTTPStatus.UNPROCESSABLE_ENTITY)

router = APIRouter(prefix="/api", tags=["attention"], responses=_READ, route_class=StrictRoute)

_NO_CONTENT = HTTPStatus.NO_CONTENT
_Line = r"^[^\x00-\x1f]*$"
FilterName = Annotated[str, Path(min_length=1, max_length=60, pattern=_Line)]


class Query(Body):
    """What a saved filter shows."""

    query: Annotated[str, StringConstraints(max_length=400, pattern=_Line)]
    """Of the address, without the question mark."""


@router.put(
    "/promotions/{number}/looking", status_code=_NO_CONTENT, responses=documented(HTTPStatus.NOT_FOUND)
)
async def look(number: Number, actor: Oneself, backend: UsesBackend) -> None:
    """Say that one has it open; holds for three quarters of a minute."""
    await attention.look(backend, actor, number)


@router.delete("/promotions/{number}/looking", status_code=_NO_CONTENT)
async def look_away(number: Number, actor: Oneself, backend: UsesBackend) -> None:
    """Say that one has closed it."""
    await attention.look_away(backend, actor, number)


@router.put("/filters/{name}", status_code=_NO_CONTENT)
async def save_filter(name: FilterName, new: Query, actor: Oneself, backend: UsesBackend) -> None:
    """Keep a Desk as one likes to see it, under a name."""
    await attention.save_filter(backend, actor, name, new.query)


@router.delete("/filters/{name}", status_code=_NO_CONTENT)
async def drop_filter(name: FilterName, actor: Oneself, backend: UsesBackend) -> None:
    """Forget it."""
    await attention.drop_filter(backend, actor, name)
