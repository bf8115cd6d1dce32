"""The directory keeps people and groups here: SCIM 2.0 (RFC 7644)."""

import asyncio
import secrets
from collections.abc import Callable, Sequence
from http import HTTPStatus
from typing import Annotated, Any

from fastapi import APIRouter, Depends, Request, Response
from scim2_models import Context, ListResponse, NotFoundException, Resource, ResponseParameters, SearchRequest
from scim2_models.path.expressions import Comparison

from dogana.service.actor import DIRECTORY, Actor, Right
from dogana.service.hashing import secret_digest
from dogana.service.people import provisioning
from dogana.service.people.provisioning import Kept
from dogana.web import scim
from dogana.web.access import RightNeeded, UsesBackend
from dogana.web.scim import Group, Model, User

router = APIRouter(
    prefix=scim.AT,
    tags=["directory"],
    route_class=scim.ScimRoute,
    default_response_class=scim.ScimResponse,
    responses=scim.documented(400, 401, 403, 404, 409, 413, 422),
)


class DirectoryNeeded(RightNeeded):
    """The directory alone, by the token that this installation was set up with."""

    async def __call__(self, request: Request, backend: UsesBackend) -> Actor:
        """The directory.

        Raises:
            SignedOutError: for nobody.
            ForbiddenError: for anybody else.
        """
        scheme, _, token = request.headers.get("Authorization", "").partition(" ")
        known = backend.provisioning
        if (
            known
            and scheme.lower() == "bearer"
            and secrets.compare_digest(secret_digest(token.strip()), known)
        ):
            request.state.actor = DIRECTORY.id
            return DIRECTORY
        return await super().__call__(request, backend)


Provisioner = Annotated[Actor, Depends(DirectoryNeeded(Right.PROVISION))]
_MOST = scim.MOST_AT_ONCE
_QUERIED = Context.RESOURCE_QUERY_RESPONSE


@router.get("/ServiceProviderConfig")
async def config(actor: Provisioner) -> Response:
    """What can be done here."""
    del actor
    return scim.answer(scim.CONFIG, context=_QUERIED)


@router.get("/ResourceTypes")
async def resource_types(actor: Provisioner) -> Response:
    """What is kept here."""
    del actor
    return _all_of(list(scim.RESOURCE_TYPES.values()))


@router.get("/ResourceTypes/{name}")
async def resource_type(name: str, actor: Provisioner) -> Response:
    """One kind of what is kept here."""
    del actor
    return _one_of(scim.RESOURCE_TYPES, name)


@router.get("/Schemas")
async def schemas(actor: Provisioner) -> Response:
    """What is kept of each kind."""
    del actor
    return _all_of(list(scim.SCHEMAS.values()))


@router.get("/Schemas/{name}")
async def schema(name: str, actor: Provisioner) -> Response:
    """What is kept of one kind."""
    del actor
    return _one_of(scim.SCHEMAS, name)


@router.post("/.search")
async def search(request: Request, actor: Provisioner, backend: UsesBackend) -> Response:
    """Some of the people and the groups, asked for in a body."""
    body = await scim.sent(request)
    wanted = SearchRequest[User | Group].model_validate(body, scim_ctx=Context.SEARCH_REQUEST)
    people = await provisioning.all_people(backend, actor)
    groups = await provisioning.all_groups(backend, actor)

    def shown() -> list[User | Group]:
        return [*map(scim.user_of, people), *map(scim.group_of, groups)]

    return await asyncio.to_thread(_page, User | Group, shown, wanted)


@router.get("/Users")
async def users(request: Request, actor: Provisioner, backend: UsesBackend) -> Response:
    """Some of the people."""
    wanted = SearchRequest[User].model_validate(dict(request.query_params))
    kept = await provisioning.all_people(backend, actor, _named(wanted, "username"))
    return await asyncio.to_thread(_page, User, lambda: [scim.user_of(one) for one in kept], wanted)


@router.post("/Users/.search")
async def search_users(request: Request, actor: Provisioner, backend: UsesBackend) -> Response:
    """Some of the people, asked for in a body."""
    body = await scim.sent(request)
    wanted = SearchRequest[User].model_validate(body, scim_ctx=Context.SEARCH_REQUEST)
    kept = await provisioning.all_people(backend, actor, _named(wanted, "username"))
    return await asyncio.to_thread(_page, User, lambda: [scim.user_of(one) for one in kept], wanted)


@router.post("/Users", status_code=HTTPStatus.CREATED)
async def new_user(request: Request, actor: Provisioner, backend: UsesBackend) -> Response:
    """Take somebody in."""
    body = await scim.sent(request)
    kept = await provisioning.keep_person(
        backend, actor, None, lambda _: scim.person_said(scim.created(User, body))
    )
    return await _told(User, kept, request, Context.RESOURCE_CREATION_RESPONSE, HTTPStatus.CREATED)


@router.get("/Users/{name}")
async def user(name: str, request: Request, actor: Provisioner, backend: UsesBackend) -> Response:
    """Somebody."""
    kept = await provisioning.person(backend, actor, name)
    return await _told(User, kept, request, _QUERIED)


@router.put("/Users/{name}")
async def replace_user(name: str, request: Request, actor: Provisioner, backend: UsesBackend) -> Response:
    """Have somebody be as is sent."""
    body = await scim.sent(request)
    kept = await provisioning.keep_person(
        backend, actor, name, lambda kept: scim.person_said(scim.replaced(scim.user_of(_there(kept)), body))
    )
    return await _told(User, kept, request, Context.RESOURCE_REPLACEMENT_RESPONSE)


@router.patch("/Users/{name}")
async def patch_user(name: str, request: Request, actor: Provisioner, backend: UsesBackend) -> Response:
    """Change some of what is said of somebody."""
    body = await scim.sent(request)
    kept = await provisioning.keep_person(
        backend, actor, name, lambda kept: scim.person_said(scim.patched(scim.user_of(_there(kept)), body))
    )
    return await _told(User, kept, request, Context.RESOURCE_PATCH_RESPONSE)


@router.delete("/Users/{name}", status_code=HTTPStatus.NO_CONTENT)
async def drop_user(name: str, actor: Provisioner, backend: UsesBackend) -> None:
    """Let go of somebody, who may not come in any more."""
    await provisioning.drop_person(backend, actor, name)


@router.get("/Groups")
async def groups(request: Request, actor: Provisioner, backend: UsesBackend) -> Response:
    """Some of the groups."""
    wanted = SearchRequest[Group].model_validate(dict(request.query_params))
    kept = await provisioning.all_groups(backend, actor, _named(wanted, "displayname"))
    return await asyncio.to_thread(_page, Group, lambda: [scim.group_of(one) for one in kept], wanted)


@router.post("/Groups/.search")
async def search_groups(request: Request, actor: Provisioner, backend: UsesBackend) -> Response:
    """Some of the groups, asked for in a body."""
    body = await scim.sent(request)
    wanted = SearchRequest[Group].model_validate(body, scim_ctx=Context.SEARCH_REQUEST)
    kept = await provisioning.all_groups(backend, actor, _named(wanted, "displayname"))
    return await asyncio.to_thread(_page, Group, lambda: [scim.group_of(one) for one in kept], wanted)


@router.post("/Groups", status_code=HTTPStatus.CREATED)
async def new_group(request: Request, actor: Provisioner, backend: UsesBackend) -> Response:
    """Take a group in."""
    body = await scim.sent(request)
    kept = await provisioning.keep_group(
        backend, actor, None, lambda _: scim.group_said(scim.created(Group, body)), scim.read_person
    )
    return await _told(Group, kept, request, Context.RESOURCE_CREATION_RESPONSE, HTTPStatus.CREATED)


@router.get("/Groups/{name}")
async def group(name: str, request: Request, actor: Provisioner, backend: UsesBackend) -> Response:
    """A group."""
    kept = await provisioning.group(backend, actor, name)
    return await _told(Group, kept, request, _QUERIED)


@router.put("/Groups/{name}")
async def replace_group(name: str, request: Request, actor: Provisioner, backend: UsesBackend) -> Response:
    """Have a group be as is sent."""
    body = await scim.sent(request)
    kept = await provisioning.keep_group(
        backend,
        actor,
        name,
        lambda kept: scim.group_said(scim.replaced(scim.group_of(_there(kept)), body)),
        scim.read_person,
    )
    return await _told(Group, kept, request, Context.RESOURCE_REPLACEMENT_RESPONSE)


@router.patch("/Groups/{name}")
async def patch_group(name: str, request: Request, actor: Provisioner, backend: UsesBackend) -> Response:
    """Change some of what is said of a group, mostly who is in it."""
    body = await scim.sent(request)
    kept = await provisioning.keep_group(
        backend,
        actor,
        name,
        lambda kept: scim.group_said(scim.patched(scim.group_of(_there(kept)), body)),
        scim.read_person,
    )
    return await _told(Group, kept, request, Context.RESOURCE_PATCH_RESPONSE)


@router.delete("/Groups/{name}", status_code=HTTPStatus.NO_CONTENT)
async def drop_group(name: str, actor: Provisioner, backend: UsesBackend) -> None:
    """Let go of a group."""
    await provisioning.drop_group(backend, actor, name, scim.read_person)


@router.get("/{place:path}", include_in_schema=False)
async def nothing(place: str, actor: Provisioner) -> None:
    """That there is nothing else, as SCIM says it."""
    del actor
    raise NotFoundException(detail=f"There is nothing called {place[:100]}.")


async def _told(
    kind: type[Model], kept: Kept, request: Request, context: Context, status: int = HTTPStatus.OK
) -> Response:
    """Somebody or a group, with the attributes that are asked for; in a thread, as groups may be large."""
    shown: Callable[[Kept], Any] = scim.user_of if kind is User else scim.group_of
    asked = _asked(kind, request)
    return await asyncio.to_thread(lambda: scim.answer(shown(kept), status, context, asked))


def _asked(kind: type[Model], request: Request) -> ResponseParameters[Any]:
    """Which attributes an answer is to have."""
    return ResponseParameters[kind].model_validate(dict(request.query_params))  # type: ignore[valid-type]


def _named(wanted: SearchRequest[Any], attribute: str) -> str | None:
    """The one name that is asked for, as directories mostly ask; None where anything else is."""
    asked = wanted.filter.ast if wanted.filter is not None else None
    if not isinstance(asked, Comparison) or asked.op.value != "eq" or asked.attr_path.sub_attr:
        return None
    return str(asked.value) if asked.attr_path.attr.lower() == attribute else None


def _page(kind: Any, shown: Callable[[], list[Any]], wanted: SearchRequest[Any]) -> Response:
    """A page of what is asked for; run in a thread, as it may have to look through all of it."""
    resources = [one for one in shown() if wanted.filter is None or wanted.filter.match(one)]
    if wanted.sort_by is not None:
        resources = wanted.sort(resources)
    start = wanted.start_index_0 or 0
    count = _MOST if wanted.count is None else min(wanted.count, _MOST)
    page = resources[start : start + count]
    said = ListResponse[kind](
        total_results=len(resources), start_index=start + 1, items_per_page=len(page), resources=page
    )
    return scim.answer(said, context=_QUERIED, asked=wanted)


def _all_of(resources: Sequence[Resource[Any]]) -> Response:
    kind = type(resources[0])
    said = ListResponse[kind](  # type: ignore[valid-type]
        total_results=len(resources), start_index=1, items_per_page=len(resources), resources=list(resources)
    )
    return scim.answer(said, context=_QUERIED)


def _one_of(known: dict[str, Any], name: str) -> Response:
    if name not in known:
        raise NotFoundException(detail=f"There is nothing called {name}.")
    return scim.answer(known[name], context=_QUERIED)


def _there(kept: Kept | None) -> Kept:
    if kept is None:
        raise NotFoundException
    return kept
