"""Who may do what and who sits for which group, and the changes that wait for a second person."""

from http import HTTPStatus

from fastapi import APIRouter

from dogana.core.document import Slug
from dogana.service.people import members, proposals, sessions
from dogana.service.people.members import Group, Member
from dogana.service.people.proposals import ProposalView
from dogana.service.people.sessions import PersonView
from dogana.service.shapes import Asked, Named
from dogana.web.access import Administrator, Oneself, Reader, UsesBackend
from dogana.web.problems import documented
from dogana.web.promotions import Number
from dogana.web.strict import StrictRoute

router = APIRouter(
    prefix="/api",
    tags=["people"],
    responses=documented(HTTPStatus.UNAUTHORIZED, HTTPStatus.FORBIDDEN, HTTPStatus.UNPROCESSABLE_ENTITY),
    route_class=StrictRoute,
)
_FIND = documented(HTTPStatus.NOT_FOUND)
_WAITS = documented(HTTPStatus.CONFLICT)


@router.get("/people")
async def people(actor: Reader, backend: UsesBackend) -> list[PersonView]:
    """Everybody, with their roles and groups."""
    return await sessions.everybody(backend, actor)


@router.put("/people/{name}", responses=_WAITS)
async def keep_person(name: Slug, wanted: Member, actor: Administrator, backend: UsesBackend) -> Asked:
    """Set up somebody, or change what they may do and for whom they sit; it takes a second person."""
    return await members.keep_person(backend, actor, name, wanted)


@router.post("/people/{name}/invitation", responses=_FIND | _WAITS)
async def invite(name: Slug, actor: Administrator, backend: UsesBackend) -> Asked:
    """Have somebody choose another password; whoever confirms it hands the invitation over."""
    return await members.invite(backend, actor, name)


@router.post("/people/{name}/end-access", status_code=HTTPStatus.NO_CONTENT, responses=_FIND)
async def end_access(name: Slug, actor: Administrator, backend: UsesBackend) -> None:
    """End every session and token of somebody at once."""
    await members.end_access(backend, actor, name)


@router.get("/groups")
async def groups(actor: Reader, backend: UsesBackend) -> list[Named]:
    """Every group."""
    return await members.groups(backend, actor)


@router.put("/groups/{name}", status_code=HTTPStatus.NO_CONTENT)
async def keep_group(name: Slug, wanted: Group, actor: Administrator, backend: UsesBackend) -> None:
    """Set up a group of people who may take the same seats."""
    await members.keep_group(backend, actor, name, wanted)


@router.get("/proposals")
async def list_proposals(actor: Reader, backend: UsesBackend) -> list[ProposalView]:
    """The changes that wait for a second person."""
    return await proposals.proposals(backend, actor)


@router.post("/proposals/{number}/confirm", responses=_FIND | _WAITS)
async def confirm(number: Number, actor: Oneself, backend: UsesBackend) -> Asked:
    """Make a change that somebody else asked for."""
    return await proposals.confirm(backend, actor, number)


@router.delete("/proposals/{number}", status_code=HTTPStatus.NO_CONTENT, responses=_FIND)
async def drop(number: Number, actor: Oneself, backend: UsesBackend) -> None:
    """Let a change be that waits for a second person."""
    await proposals.drop(backend, actor, number)
