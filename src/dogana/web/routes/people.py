"""Signing in; who may do what, who sits for whom; tokens, and changes that wait for a second person."""

from http import HTTPStatus
from typing import Annotated

from fastapi import Request, Response
from pydantic import BaseModel, Field

from dogana.core.document import Slug
from dogana.service.configuration import proposals
from dogana.service.configuration.proposals import ProposalView
from dogana.service.landscape.retiring import Removed
from dogana.service.people import leaving, members, passwords, sessions, stand_ins, tokens
from dogana.service.people.members import Group, Member
from dogana.service.people.passwords import Password
from dogana.service.people.sessions import Me, PersonView, SessionView
from dogana.service.people.stand_ins import NamedStandIn, StandInView, WantedStandIn
from dogana.service.people.tokens import MadeToken, NewToken, TokenView
from dogana.service.shapes import ChangeOutcome, Named
from dogana.settings import Settings
from dogana.web.access import (
    COOKIE,
    Administrator,
    Oneself,
    Reader,
    UsesBackend,
    UsesSession,
    address_of,
    behind_tls,
)
from dogana.web.routing import CONFLICT, DECIDED, MISSING, TOO_OFTEN, Id, router_of

router = router_of("people")


@router.get("/people")
async def people(actor: Reader, backend: UsesBackend) -> list[PersonView]:
    """Everybody, with their roles and groups."""
    return await sessions.everybody(backend, actor)


@router.put("/people/{name}", responses=CONFLICT)
async def keep_person(
    name: Slug, wanted: Member, actor: Administrator, backend: UsesBackend
) -> ChangeOutcome:
    """Set up somebody, or change what they may do and for whom they sit; it takes a second person."""
    return await members.keep_person(backend, actor, name, wanted)


@router.post("/people/{name}/invitation", responses=MISSING | CONFLICT)
async def invite(name: Slug, actor: Administrator, backend: UsesBackend) -> ChangeOutcome:
    """Have somebody choose another password; whoever confirms it hands the invitation over."""
    return await members.invite(backend, actor, name)


@router.post("/people/{name}/end-access", status_code=HTTPStatus.NO_CONTENT, responses=MISSING)
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


@router.delete("/people/{name}", responses=DECIDED)
async def remove_person(name: Slug, actor: Administrator, backend: UsesBackend) -> Removed:
    """Disable somebody at once, with all they signed in with; deleted where they did nothing on record."""
    return await leaving.remove_person(backend, actor, name)


@router.post("/people/{name}/enable", responses=DECIDED)
async def enable(name: Slug, actor: Administrator, backend: UsesBackend) -> ChangeOutcome:
    """Let somebody in again who was disabled; where there is a second person, they confirm it."""
    return await leaving.enable(backend, actor, name)


@router.delete("/groups/{name}", responses=DECIDED)
async def remove_group(name: Slug, actor: Administrator, backend: UsesBackend) -> Removed:
    """Take a group away that nobody belongs to and nothing names."""
    return await leaving.remove_group(backend, actor, name)


@router.get("/proposals")
async def list_proposals(actor: Reader, backend: UsesBackend) -> list[ProposalView]:
    """The changes that wait for a second person."""
    return await proposals.proposals(backend, actor)


@router.post("/proposals/{number}/confirm", responses=MISSING | CONFLICT)
async def confirm(number: Id, actor: Oneself, backend: UsesBackend) -> ChangeOutcome:
    """Make a change that somebody else asked for."""
    return await proposals.confirm(backend, actor, number)


@router.delete("/proposals/{number}", status_code=HTTPStatus.NO_CONTENT, responses=MISSING)
async def drop(number: Id, actor: Oneself, backend: UsesBackend) -> None:
    """Let a change be that waits for a second person."""
    await proposals.drop(backend, actor, number)


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


@router.post("/session", responses=TOO_OFTEN)
async def sign_in(credentials: Credentials, request: Request, response: Response, backend: UsesBackend) -> Me:
    """Begin a session in place of the one there was; its cookie comes with the answer."""
    session = await sessions.sign_in(backend, credentials.email, credentials.password, caller_of(request))
    keep_cookie(request, response, session)
    return _me(session, request.app.state.settings)


def caller_of(request: Request) -> sessions.Caller:
    """From where somebody signs in."""
    return sessions.Caller(
        address=address_of(request),
        agent=request.headers.get("User-Agent", ""),
        session_token=request.cookies.get(COOKIE, ""),
    )


def keep_cookie(request: Request, response: Response, session: sessions.SignedIn) -> None:
    """Have the browser keep a session that has just begun."""
    response.set_cookie(
        COOKIE,
        session.session_token,
        max_age=int(sessions.SESSION_LASTS.total_seconds()),
        httponly=True,
        samesite="lax",
        secure=behind_tls(request),
    )


@router.get("/me")
async def me(session: UsesSession, request: Request) -> Me:
    """Who is signed in."""
    return _me(session, request.app.state.settings)


class SignedOut(BaseModel):
    """That a session has ended."""

    then: str | None
    """Where one signs out of the directory too; absent where one did not sign in there."""


@router.delete("/session")
async def sign_out(session: UsesSession, response: Response, backend: UsesBackend) -> SignedOut:
    """End the session, and what is open with it."""
    then = await sessions.sign_out(backend, session)
    response.delete_cookie(COOKIE)
    return SignedOut(then=then)


@router.get("/sessions")
async def list_sessions(session: UsesSession, backend: UsesBackend) -> list[SessionView]:
    """One's own sessions, the latest first."""
    return await sessions.sessions(backend, session)


@router.delete("/sessions/{number}", status_code=HTTPStatus.NO_CONTENT, responses=MISSING)
async def end_session(number: _Id, session: UsesSession, backend: UsesBackend) -> None:
    """End one of one's own sessions."""
    await sessions.end_own_session(backend, session, number)


@router.post("/invitations", status_code=HTTPStatus.NO_CONTENT, responses=TOO_OFTEN)
async def accept(accepted: Accepted, request: Request, backend: UsesBackend) -> None:
    """Choose one's password by an invitation, once."""
    await passwords.accept(backend, accepted.invitation, accepted.password, address=address_of(request))


@router.put("/password", status_code=HTTPStatus.NO_CONTENT, responses=TOO_OFTEN)
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


@router.get("/tokens")
async def list_tokens(actor: Oneself, backend: UsesBackend) -> list[TokenView]:
    """One's own tokens, an administrator everybody's, the latest first, without their texts."""
    return await tokens.tokens(backend, actor)


@router.post("/tokens", status_code=HTTPStatus.CREATED, responses=CONFLICT)
async def make_token(new: NewToken, actor: Oneself, backend: UsesBackend) -> MadeToken:
    """Make a token for oneself, or for a machine, which takes a second person, where there is one."""
    return await tokens.make_token(backend, actor, new)


@router.delete("/tokens/{token_id}", status_code=HTTPStatus.NO_CONTENT, responses=MISSING)
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


@router.get("/stand-ins")
async def list_stand_ins(actor: Reader, backend: UsesBackend) -> list[StandInView]:
    """Who stands in for whom, now or later."""
    return await stand_ins.stand_ins(backend, actor)


@router.post("/stand-ins", status_code=HTTPStatus.CREATED)
async def name_stand_in(wanted: WantedStandIn, actor: Oneself, backend: UsesBackend) -> NamedStandIn:
    """Let somebody take one's seats for a time; another's, by an administrator, once somebody confirms it."""
    return await stand_ins.name_stand_in(backend, actor, wanted)


@router.delete("/stand-ins/{number}", status_code=HTTPStatus.NO_CONTENT, responses=MISSING)
async def end_stand_in(number: Id, actor: Oneself, backend: UsesBackend) -> None:
    """End it now."""
    await stand_ins.end_stand_in(backend, actor, number)
