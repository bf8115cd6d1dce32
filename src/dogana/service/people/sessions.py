"""Signing in and out, one's own sessions, and who there is."""

import secrets
from dataclasses import dataclass, replace
from datetime import timedelta

from dogana.core.change import as_compared
from dogana.core.document import Instant
from dogana.core.errors import NotFoundError, SignedOutError
from dogana.core.record.actions import Action
from dogana.service.actor import ENGINE, Actor, Right, SignIn, actor_of
from dogana.service.backend import Backend
from dogana.service.hashing import secret_digest
from dogana.service.ledger.entries import record
from dogana.service.people import throttling
from dogana.service.shapes import Named, View
from dogana.store import Session, people
from dogana.store.database import announce
from dogana.store.tables.people import PersonRow, SessionRow


class Me(View):
    """Who is signed in, and what they may do."""

    id: str
    name: str
    roles: list[str]
    rights: list[Right]
    groups: list[Named]
    zone: str
    """The IANA zone in which views tell the time that concern no one environment."""
    csrf_token: str


class PersonView(View):
    """Somebody who can sign in, or act by a token."""

    id: str
    name: str
    email: str
    other_emails: list[str]
    """By which else they write commits."""
    roles: list[str]
    groups: list[Named]
    machine: bool
    """Whether it acts by tokens alone."""
    can_sign_in: bool
    """Whether they could come in: by a password that they have chosen, or at the directory."""
    disabled_at: Instant | None
    """Since when they may not come in."""


class SessionView(View):
    """One of one's own sessions."""

    id: int
    began_at: Instant
    expires_at: Instant
    agent: str
    """What the browser called itself."""
    address: str
    this_one: bool


SESSION_LASTS = timedelta(hours=12)

_LONGEST_NAME = 300


@dataclass(frozen=True, kw_only=True)
class SignedIn:
    """A session just begun, or one that goes on."""

    actor: Actor
    person: PersonRow
    csrf_token: str
    session_token: str


@dataclass(frozen=True, kw_only=True)
class Caller:
    """From where somebody signs in."""

    address: str
    agent: str = ""
    """What the browser calls itself."""
    session_token: str = ""
    """The session that it carried until now."""


async def sign_in(backend: Backend, email: str, password: str, caller: Caller) -> SignedIn:
    """Begin a session in place of the one that the browser had.

    Raises:
        SignedOutError: the same, and after the same work, for an unknown address and a wrong password.
        TooOftenError: for who failed too often, or while too many sign in.
    """
    tried = await throttling.begin(backend, as_compared(email), caller.address)
    async with backend.database.transaction() as session:
        person = await people.person_by_email(session, email.strip())
        # Who is disabled, or may not come in by a password, is told nothing else than who is unknown, after
        # the same work.
        person = person if person is not None and _may_by_password(backend, person) else None
    if not await backend.hashing.fits(person.password_hash if person else "", password) or person is None:
        await _failed(backend, person, caller, tried)
        raise SignedOutError("The mail address or the password is wrong.")
    async with backend.database.transaction() as session:
        # Read again: while the password was hashed, another may have been chosen, or the roles changed.
        again = await people.person(session, person.id)
        if again is None or again.disabled_at or again.password_hash != person.password_hash:
            raise SignedOutError("The mail address or the password is wrong.")
        if backend.passwords.closed:
            says = f"{again.name} signed in by a password, though those are closed."
            details = {"address": caller.address}
            record(
                session, actor_of(again, "desk"), Action.BREAK_GLASS, says, backend.clock(), details=details
            )
        signed_in = await begin(backend, session, again, caller)
    await throttling.right(backend, tried)
    return signed_in


async def begin(
    backend: Backend,
    session: Session,
    person: PersonRow,
    caller: Caller,
    *,
    by: str = "",
    shown: SignIn | None = None,
) -> SignedIn:
    """Begin a session of somebody who is known to be who they say, in place of the one the browser had.

    Args:
        backend: the clock.
        session: the transaction.
        person: who.
        caller: from where.
        by: where they signed in, to go on after `signed in`.
        shown: how they showed who they are; by a password, just now, where None.
    """
    token, csrf, now = secrets.token_urlsafe(32), secrets.token_urlsafe(32), backend.clock()
    await people.end_session(session, secret_digest(caller.session_token), now)
    row = SessionRow(
        token_digest=secret_digest(token),
        csrf_token=csrf,
        person_id=person.id,
        began_at=now,
        expires_at=now + SESSION_LASTS,
        agent=caller.agent[:_LONGEST_NAME],
        address=caller.address,
    )
    shown = shown or SignIn(at=now)
    row.authenticated_at, row.acr, row.by_directory = shown.at, shown.acr, shown.directory
    session.add(row)
    actor = replace(actor_of(person, "desk"), sign_in=shown)
    details = {"address": caller.address}
    record(session, actor, Action.SIGN_IN, f"{person.name} signed in{by}.", now, details=details)
    announce(session, "access")
    return SignedIn(actor=actor, person=person, csrf_token=csrf, session_token=token)


def _may_by_password(backend: Backend, person: PersonRow) -> bool:
    closed = backend.passwords.closed and backend.passwords.break_glass != person.id
    return person.disabled_at is None and not closed


async def _failed(backend: Backend, person: PersonRow | None, caller: Caller, tried: throttling.Try) -> None:
    """Put a failure on record; what was typed is not, since it may be a password in the wrong place."""
    now, waits = backend.clock(), int(tried.waits.total_seconds())
    whose = f"as {person.name}" if person else "with an address that nobody has here"
    more = f"; the next try waits {waits} seconds" if waits else ""
    details = {"address": caller.address} | ({"person": person.id} if person else {})
    async with backend.database.transaction() as session:
        says = f"Somebody failed to sign in {whose}{more}."
        action = Action.SIGN_IN_LIMIT if waits else Action.FAILED_SIGN_IN
        record(session, ENGINE, action, says, now, details=details)


async def session_of(backend: Backend, token: str) -> SignedIn:
    """Go on with a session.

    Raises:
        SignedOutError: when it has ended or never was.
    """
    async with backend.database.transaction() as session:
        row = await people.live_session(session, secret_digest(token), backend.clock())
        person = await people.person(session, row.person_id) if row else None
    if row is None or person is None or person.disabled_at is not None:
        raise SignedOutError
    shown = SignIn(at=row.authenticated_at, acr=row.acr, directory=row.by_directory)
    actor = replace(actor_of(person, "desk"), sign_in=shown)
    return SignedIn(actor=actor, person=person, csrf_token=row.csrf_token, session_token=token)


async def sign_out(backend: Backend, mine: SignedIn) -> str | None:
    """End a session, and what is open with it; gives where one signs out of the directory too."""
    async with backend.database.transaction() as session:
        await people.end_session(session, secret_digest(mine.session_token), backend.clock())
        announce(session, "access")
    at_directory = mine.actor.sign_in is not None and mine.actor.sign_in.directory
    if backend.directory is None or not at_directory:
        return None
    return await backend.directory.sign_out_at(f"{backend.source}/sign-in")


async def sessions(backend: Backend, mine: SignedIn) -> list[SessionView]:
    """One's own sessions, the latest first."""
    async with backend.database.transaction() as session:
        rows = await people.sessions_of(session, mine.actor.id, backend.clock())
    here = secret_digest(mine.session_token)
    return [
        SessionView(
            id=row.id,
            began_at=row.began_at,
            expires_at=row.expires_at,
            agent=row.agent,
            address=row.address,
            this_one=row.token_digest == here,
        )
        for row in rows
    ]


async def end_own_session(backend: Backend, mine: SignedIn, number: int) -> None:
    """End one of one's own sessions.

    Raises:
        NotFoundError: when it is not one's own, or has ended.
    """
    now = backend.clock()
    async with backend.database.transaction() as session:
        rows = await people.sessions_of(session, mine.actor.id, now)
        row = next((one for one in rows if one.id == number), None)
        if row is None:
            raise NotFoundError("There is no such session any more.")
        await people.end_session(session, row.token_digest, now)
        record(session, mine.actor, Action.END_SESSION, f"{mine.actor.name} ended a session of theirs.", now)
        announce(session, "access")


async def everybody(backend: Backend, actor: Actor) -> list[PersonView]:
    """Everybody, with their roles and groups."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        return [
            PersonView(
                id=row.id,
                name=row.name,
                email=row.email,
                other_emails=row.other_emails,
                roles=row.roles,
                machine=row.machine,
                can_sign_in=backend.lets_in(row),
                disabled_at=row.disabled_at,
                groups=[Named(id=group.id, name=group.title) for group in row.groups],
            )
            for row in await people.people(session)
        ]
