"""Signing in and out, who one is, tokens for pipelines."""

from http import HTTPStatus
from typing import Annotated

from fastapi import APIRouter, Request, Response
from pydantic import BaseModel, Field

from dogana.core.document import Instant, Slug
from dogana.service import accounts, membership
from dogana.service.membership import Group, Member
from dogana.service.set_up_views import Me, PersonView, TokenView
from dogana.service.views import Named
from dogana.settings import Settings
from dogana.web.access import COOKIE, UsesActor, UsesBackend, UsesSession
from dogana.web.problems import documented
from dogana.web.strict import StrictRoute

_KEEP = documented(HTTPStatus.FORBIDDEN, HTTPStatus.UNPROCESSABLE_ENTITY)

router = APIRouter(
    prefix="/api", tags=["access"], responses=documented(HTTPStatus.UNAUTHORIZED), route_class=StrictRoute
)


class Credentials(BaseModel):
    """What one signs in with."""

    email: Annotated[str, Field(max_length=320)]
    password: Annotated[str, Field(max_length=1024)]


class NewToken(BaseModel):
    """A token to make."""

    person: str
    title: Annotated[str, Field(min_length=1, max_length=80)]
    scopes: list[str]
    days: Annotated[int, Field(ge=1, le=366)] = 90


class MadeToken(BaseModel):
    """A token just made; its text is not shown again."""

    id: int
    token: str
    expires_at: Instant


@router.post("/session", responses=documented(HTTPStatus.UNPROCESSABLE_ENTITY))
async def sign_in(credentials: Credentials, request: Request, response: Response, backend: UsesBackend) -> Me:
    """Begin a session; its cookie comes with the answer."""
    settings: Settings = request.app.state.settings
    session = await accounts.sign_in(backend, credentials.email, credentials.password)
    response.set_cookie(
        COOKIE,
        session.session_token,
        max_age=int(accounts.SESSION_LASTS.total_seconds()),
        httponly=True,
        samesite="lax",
        secure=settings.secure_cookies,
    )
    return _me(session, settings)


@router.get("/me")
async def me(session: UsesSession, request: Request) -> Me:
    """Who is signed in."""
    return _me(session, request.app.state.settings)


@router.delete("/session", status_code=HTTPStatus.NO_CONTENT, responses=documented(HTTPStatus.FORBIDDEN))
async def sign_out(session: UsesSession, response: Response, backend: UsesBackend) -> None:
    """End the session."""
    await accounts.sign_out(backend, session.session_token)
    response.delete_cookie(COOKIE)


@router.get("/people", responses=documented(HTTPStatus.FORBIDDEN))
async def people(actor: UsesActor, backend: UsesBackend) -> list[PersonView]:
    """Everybody, with their roles and groups."""
    return await accounts.people(backend, actor)


@router.put("/people/{name}", status_code=HTTPStatus.NO_CONTENT, responses=_KEEP)
async def keep_person(name: Slug, wanted: Member, actor: UsesActor, backend: UsesBackend) -> None:
    """Set up somebody, or change what they may do and for whom they sit."""
    await membership.keep_person(backend, actor, name, wanted)


@router.get("/groups", responses=documented(HTTPStatus.FORBIDDEN))
async def groups(actor: UsesActor, backend: UsesBackend) -> list[Named]:
    """Every group."""
    return await membership.groups(backend, actor)


@router.put("/groups/{name}", status_code=HTTPStatus.NO_CONTENT, responses=_KEEP)
async def keep_group(name: Slug, wanted: Group, actor: UsesActor, backend: UsesBackend) -> None:
    """Set up a group of people who may take the same seats."""
    await membership.keep_group(backend, actor, name, wanted)


@router.get("/tokens", responses=documented(HTTPStatus.FORBIDDEN))
async def tokens(actor: UsesActor, backend: UsesBackend) -> list[TokenView]:
    """Every token ever made, the latest first, without its text."""
    return await accounts.tokens(backend, actor)


@router.post(
    "/tokens",
    status_code=HTTPStatus.CREATED,
    responses=documented(HTTPStatus.FORBIDDEN, HTTPStatus.UNPROCESSABLE_ENTITY),
)
async def make_token(new: NewToken, actor: UsesActor, backend: UsesBackend) -> MadeToken:
    """Make a token for a pipeline."""
    row, token = await accounts.make_token(
        backend, actor, person=new.person, title=new.title, scopes=new.scopes, days=new.days
    )
    return MadeToken(id=row.id, token=token, expires_at=row.expires_at)


@router.delete(
    "/tokens/{token_id}",
    status_code=HTTPStatus.NO_CONTENT,
    responses=documented(HTTPStatus.FORBIDDEN, HTTPStatus.NOT_FOUND, HTTPStatus.UNPROCESSABLE_ENTITY),
)
async def revoke_token(
    token_id: Annotated[int, Field(ge=1, lt=2**63)], actor: UsesActor, backend: UsesBackend
) -> None:
    """Revoke a token."""
    await accounts.revoke_token(backend, actor, token_id)


def _me(session: accounts.SignedIn, settings: Settings) -> Me:
    return Me(
        id=session.person.id,
        name=session.person.name,
        roles=session.person.roles,
        rights=sorted(session.actor.rights),
        groups=[Named(id=group.id, name=group.title) for group in session.person.groups],
        zone=settings.zone,
        csrf_token=session.csrf_token,
    )
