"""Signing in and out, one's own sessions, password and tokens."""

from http import HTTPStatus
from typing import Annotated

from fastapi import APIRouter, Request, Response
from pydantic import BaseModel, Field, StringConstraints

from dogana.core.document import Instant, Slug
from dogana.service.people import passwords, sessions, tokens
from dogana.service.people.passwords import Password
from dogana.service.people.sessions import Me, SessionView
from dogana.service.people.tokens import Scope, TokenView
from dogana.service.shapes import Named
from dogana.settings import Settings
from dogana.web.access import COOKIE, Oneself, UsesBackend, UsesSession, address_of, behind_tls
from dogana.web.problems import documented
from dogana.web.strict import StrictRoute

router = APIRouter(
    prefix="/api",
    tags=["access"],
    responses=documented(HTTPStatus.UNAUTHORIZED, HTTPStatus.UNPROCESSABLE_ENTITY),
    route_class=StrictRoute,
)
_OFTEN = documented(HTTPStatus.TOO_MANY_REQUESTS)
_MAY = documented(HTTPStatus.FORBIDDEN)
_FIND = _MAY | documented(HTTPStatus.NOT_FOUND)
_Id = Annotated[int, Field(ge=1, lt=2**63)]


class Credentials(BaseModel):
    """What one signs in with."""

    email: Annotated[str, Field(max_length=320)]
    password: Annotated[str, Field(max_length=1024)]


class Accepted(BaseModel):
    """An invitation, and the password that is chosen by it."""

    invitation: Annotated[str, Field(max_length=100)]
    password: Password


class ChangedPassword(BaseModel):
    """Another password of one's own."""

    old: Annotated[str, Field(max_length=1024)]
    new: Password


class NewToken(BaseModel):
    """A token to make."""

    person: Slug | None = None
    """Whose, if it is a machine's; one's own when left out."""
    title: Annotated[str, StringConstraints(min_length=1, max_length=80, pattern=r"^[^\x00]*$")]
    scopes: Annotated[list[Scope], Field(max_length=5)]
    services: Annotated[list[Slug], Field(max_length=100, default_factory=list)]
    """The services it is for; every one when left out."""
    environments: Annotated[list[Slug], Field(max_length=100, default_factory=list)]
    """The same of environments."""
    days: Annotated[int, Field(ge=1, le=366)] = 90


class MadeToken(BaseModel):
    """A token just made; its text is not shown again."""

    id: int
    token: str
    expires_at: Instant


@router.post("/session", responses=_OFTEN)
async def sign_in(credentials: Credentials, request: Request, response: Response, backend: UsesBackend) -> Me:
    """Begin a session in place of the one there was; its cookie comes with the answer."""
    caller = sessions.Caller(
        address=address_of(request),
        agent=request.headers.get("User-Agent", ""),
        session_token=request.cookies.get(COOKIE, ""),
    )
    session = await sessions.sign_in(backend, credentials.email, credentials.password, caller)
    response.set_cookie(
        COOKIE,
        session.session_token,
        max_age=int(sessions.SESSION_LASTS.total_seconds()),
        httponly=True,
        samesite="lax",
        secure=behind_tls(request),
    )
    return _me(session, request.app.state.settings)


@router.get("/me")
async def me(session: UsesSession, request: Request) -> Me:
    """Who is signed in."""
    return _me(session, request.app.state.settings)


@router.delete("/session", status_code=HTTPStatus.NO_CONTENT, responses=_MAY)
async def sign_out(session: UsesSession, response: Response, backend: UsesBackend) -> None:
    """End the session, and what is open with it."""
    await sessions.sign_out(backend, session.session_token)
    response.delete_cookie(COOKIE)


@router.get("/sessions")
async def list_sessions(session: UsesSession, backend: UsesBackend) -> list[SessionView]:
    """One's own sessions, the latest first."""
    return await sessions.sessions(backend, session)


@router.delete("/sessions/{number}", status_code=HTTPStatus.NO_CONTENT, responses=_FIND)
async def end_session(number: _Id, session: UsesSession, backend: UsesBackend) -> None:
    """End one of one's own sessions."""
    await sessions.end_own_session(backend, session, number)


@router.post("/invitations", status_code=HTTPStatus.NO_CONTENT, responses=_OFTEN)
async def accept(accepted: Accepted, request: Request, backend: UsesBackend) -> None:
    """Choose one's password by an invitation, once."""
    await passwords.accept(backend, accepted.invitation, accepted.password, address=address_of(request))


@router.put("/password", status_code=HTTPStatus.NO_CONTENT, responses=_MAY | _OFTEN)
async def change_password(
    changed: ChangedPassword, request: Request, session: UsesSession, backend: UsesBackend
) -> None:
    """Choose another password; all else that one has signed in with ends."""
    await passwords.change(
        backend,
        session.actor,
        old=changed.old,
        new=changed.new,
        session_token=session.session_token,
        address=address_of(request),
    )


@router.get("/tokens", responses=_MAY)
async def list_tokens(actor: Oneself, backend: UsesBackend) -> list[TokenView]:
    """One's own tokens, an administrator everybody's, the latest first, without their texts."""
    return await tokens.tokens(backend, actor)


@router.post("/tokens", status_code=HTTPStatus.CREATED, responses=_MAY)
async def make_token(new: NewToken, actor: Oneself, backend: UsesBackend) -> MadeToken:
    """Make a token for oneself, or for a machine."""
    row, token = await tokens.make_token(
        backend,
        actor,
        title=new.title,
        scopes=new.scopes,
        days=new.days,
        person=new.person,
        services=new.services,
        environments=new.environments,
    )
    return MadeToken(id=row.id, token=token, expires_at=row.expires_at)


@router.delete("/tokens/{token_id}", status_code=HTTPStatus.NO_CONTENT, responses=_FIND)
async def revoke_token(token_id: _Id, actor: Oneself, backend: UsesBackend) -> None:
    """Revoke a token."""
    await tokens.revoke_token(backend, actor, token_id)


def _me(session: sessions.SignedIn, settings: Settings) -> Me:
    return Me(
        id=session.person.id,
        name=session.person.name,
        roles=session.person.roles,
        rights=sorted(session.actor.rights),
        groups=[Named(id=group.id, name=group.title) for group in session.person.groups],
        zone=settings.zone,
        csrf_token=session.csrf_token,
    )
