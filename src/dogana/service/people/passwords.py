"""Passwords, chosen by their owner alone: by an invitation, or in place of the one they know."""

import secrets
from datetime import timedelta
from typing import Annotated, NamedTuple

from pydantic import StringConstraints

from dogana.core.errors import InvalidError, SignedOutError
from dogana.core.record.actions import Action
from dogana.service.actor import Actor, Right, actor_of
from dogana.service.backend import Backend
from dogana.service.hashing import secret_digest
from dogana.service.ledger.entries import record
from dogana.service.people import throttling
from dogana.store import Session, people
from dogana.store.database import announce
from dogana.store.tables.people import InvitationRow, PersonRow

Password = Annotated[str, StringConstraints(min_length=12, max_length=200, pattern=r"^[^\x00]*$")]

INVITED_FOR = timedelta(days=3)


class Invited(NamedTuple):
    """Leave for somebody to choose a password, once."""

    secret: str | None
    """To be handed over to them; None where they are mailed one."""


async def invite(backend: Backend, session: Session, actor: Actor, person: str) -> Invited:
    """Have somebody choose a password: by mail where there is any, else by what is handed over to them."""
    if backend.mailer is None:
        return Invited(await make_invitation(backend, session, person))
    row = await people.person(session, person)
    name = row.name if row else person
    says = f"{actor.name} had {name} mailed a link to choose a password."
    record(session, actor, Action.INVITE, says, backend.clock(), details={"person": person})
    return Invited(None)


async def make_invitation(backend: Backend, session: Session, person: str) -> str:
    """A new secret to choose a password with, within three days; one that there was is good no longer."""
    secret = secrets.token_urlsafe(32)
    await people.drop_invitations(session, person)
    session.add(
        InvitationRow(
            digest=secret_digest(secret), person_id=person, expires_at=backend.clock() + INVITED_FOR
        )
    )
    return secret


async def accept(backend: Backend, secret: str, password: str, *, address: str) -> None:
    """Choose one's password by an invitation; every session and token one had ends.

    Raises:
        SignedOutError: when it was used, has ended or never was.
        TooOftenError: for who tries too many.
    """
    tried = await throttling.begin(backend, "invitation", address)
    hashed = await backend.hashing.hash(password)
    async with backend.database.transaction() as session:
        now = backend.clock()
        row = await people.invitation(session, secret_digest(secret), now)
        person = await people.person(session, row.person_id) if row else None
        if row is None or person is None or person.disabled_at is not None:
            raise SignedOutError("The invitation was used, has ended or never was.")
        row.used_at = now
        await _set(backend, session, person, hashed, but="")
    await throttling.right(backend, tried)


async def change(
    backend: Backend, actor: Actor, *, old: str, new: str, session_token: str, address: str
) -> None:
    """Choose another password; every other session and every token of one's own ends.

    Raises:
        InvalidError: when the old one is wrong.
    """
    actor.must(Right.OWN)
    tried = await throttling.begin(backend, f"change {actor.id}", address)
    async with backend.database.transaction() as session:
        person = await people.person(session, actor.id)
    if person is None or not await backend.hashing.fits(person.password_hash, old):
        raise InvalidError("The password is wrong.", fields=[("/old", "is not your password")])
    hashed = await backend.hashing.hash(new)
    async with backend.database.transaction() as session:
        person = await people.person(session, actor.id)
        if person is None:
            raise SignedOutError
        await _set(backend, session, person, hashed, but=secret_digest(session_token))
    await throttling.right(backend, tried)


async def _set(backend: Backend, session: Session, person: PersonRow, hashed: str, *, but: str) -> None:
    now = backend.clock()
    person.password_hash = hashed
    await people.end_access(session, person.id, now, but=but)
    says = f"{person.name} chose their password; whatever they had signed in with before has ended."
    record(session, actor_of(person, "desk"), Action.CHOOSE_PASSWORD, says, now)
    announce(session, "access")
