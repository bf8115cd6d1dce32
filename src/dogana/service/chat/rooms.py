"""Which rooms there are and what they are told, and who somebody in the chat is here."""

import secrets
from datetime import UTC, datetime, timedelta
from typing import Annotated

from pydantic import StringConstraints

from dogana.core.document import Instant
from dogana.core.errors import InvalidError, NotFoundError
from dogana.core.record.actions import Action
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.exchange.parties import signing
from dogana.service.hashing import secret_digest
from dogana.service.ledger.entries import record
from dogana.service.sealing import about_room
from dogana.service.shapes import View
from dogana.sources import NotSentError
from dogana.store import Session, chat, landscape, people
from dogana.store.tables.chat import ChatCodeRow, ChatLinkRow, ChatRoomRow

_GOOD_FOR = timedelta(minutes=10)
_ALPHABET = "ABCDEFGHJKMNPQRSTUVWXYZ23456789"
_LETTERS = 16

RoomAddress = Annotated[
    str,
    StringConstraints(
        min_length=2, max_length=1000, pattern=r"^([!#][^\s\x00-\x1f]+|https?://[^\s\x00-\x1f]+)$"
    ),
]
"""What the homeserver calls a room, its id or an alias; or an address of the web that is posted to."""


class RoomView(View):
    """A room, and what it is told of."""

    id: str
    title: str
    address: str
    service: str | None
    environment: str | None
    reason: str | None
    """Why the last posting failed."""


class KeptRoom(View):
    """A room as it is told from now on."""

    room: RoomView
    secret: str | None
    """What signs what is posted to an address; told once."""


class ChatView(View):
    """Whether there is a chat, its rooms, and who the reader is there."""

    set_up: bool
    rooms: list[RoomView]
    linked: str | None
    """What the reader is called there; absent while they are nobody there."""


class CodeView(View):
    """A code to be said in a room."""

    code: str
    ends: Instant


async def view(backend: Backend, actor: Actor) -> ChatView:
    """Whether there is a chat, its rooms, and who one is there."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        link = await chat.link_of(session, actor.id)
        return ChatView(
            set_up=backend.chat is not None,
            rooms=[_view(row) for row in await chat.rooms(session)],
            linked=link.sender if link else None,
        )


async def keep(
    backend: Backend,
    actor: Actor,
    name: str,
    *,
    title: str,
    address: str,
    service: str | None,
    environment: str | None,
    secret: str | None = None,
) -> KeptRoom:
    """Have a room told of promotions, of a service or into an environment.

    An address of the web is posted to, signed (Standard Webhooks); nobody is heard there. What signs is made
    with the address, and stays as long as that does, unless another one is given.

    Raises:
        NotFoundError: for a room of the chat where none is set up.
        InvalidError: for an unknown service or environment, a room that we may not come into, and a secret
            that signs nothing.
    """
    actor.must(Right.ADMINISTER)
    posted = is_posted_to(address)
    if secret is not None and not posted:
        raise InvalidError("What is said in the chat is not signed.", fields=[("/secret", "is for the web")])
    if not posted:
        await _come_in(backend, address)
    now = backend.clock()
    async with backend.database.transaction() as session:
        await _must_be_known(session, service, environment)
        taken = await chat.room_at(session, address)
        if taken is not None and taken.id != name:
            raise InvalidError("That room is told already.", fields=[("/address", f"is {taken.title}")])
        row = await chat.room(session, name, lock=True)
        old = None if row is None else _view(row).model_dump(exclude={"reason"})
        if secret is not None or (posted and (row is None or row.address != address)):
            secret = signing(secret)
        if row is None:
            # What waits already stands there from the beginning.
            row = ChatRoomRow(id=name, told_until=datetime.fromtimestamp(0, UTC))
            session.add(row)
        row.title, row.address, row.service_id, row.environment_id = title, address, service, environment
        row.reason, row.next_attempt_at = None, now
        if secret is not None:
            row.secret = backend.sealer.seal(secret, about_room(name))
        elif not posted:
            row.secret = None
        made = _view(row)
        details = {"room": name, "old": old, "new": made.model_dump(exclude={"reason"})}
        says = f"{actor.name} has the room {title} told of promotions."
        record(session, actor, Action.SET_ROOM, says, now, details=details)
        return KeptRoom(room=made, secret=secret)


async def opened(backend: Backend, session: Session, name: str) -> str | None:
    """What signs what is posted to a room, to be compared; None for one of the chat, and for none at all."""
    row = await chat.room(session, name)
    sealed = row.secret if row is not None else None
    return backend.sealer.open(sealed, about_room(name)) if sealed is not None else None


def is_posted_to(address: str) -> bool:
    """Whether a room is an address of the web."""
    return address.startswith(("https://", "http://"))


async def _come_in(backend: Backend, address: str) -> None:
    if backend.chat is None:
        raise NotFoundError("No chat is set up here.")
    try:
        await backend.chat.join(address)
    except NotSentError as exc:
        fault = ("/address", f"the homeserver {exc}")
        raise InvalidError("We cannot come into that room.", fields=[fault]) from exc


async def drop(backend: Backend, actor: Actor, name: str) -> None:
    """Tell a room no more.

    Raises:
        NotFoundError: when there is none.
    """
    actor.must(Right.ADMINISTER)
    async with backend.database.transaction() as session:
        row = await chat.room(session, name, lock=True)
        if row is None:
            raise NotFoundError(f"There is no room {name}.")
        await session.delete(row)
        says = f"{actor.name} has the room {row.title} told no more."
        record(session, actor, Action.DROP_ROOM, says, backend.clock(), details={"room": name})


async def make_code(backend: Backend, actor: Actor) -> CodeView:
    """A code that shows, said in a room, who somebody there is here; the one before is good no longer."""
    actor.must(Right.OWN)
    code = "".join(secrets.choice(_ALPHABET) for _ in range(_LETTERS))
    ends = backend.clock() + _GOOD_FOR
    async with backend.database.transaction() as session:
        await chat.put_code(
            session, ChatCodeRow(person_id=actor.id, digest=secret_digest(code), expires_at=ends)
        )
    return CodeView(code=code, ends=ends)


async def link(backend: Backend, sender: str, code: str) -> str:
    """Let somebody in the chat be whoever made a code; gives what they are told.

    Raises:
        InvalidError: for a code that is nobody's, and for whoever is somebody there already.
    """
    now = backend.clock()
    async with backend.database.transaction() as session:
        name = await chat.use_code(session, secret_digest(code.upper()), now)
        person = await people.person(session, name) if name is not None else None
        if person is None or person.disabled_at is not None:
            raise InvalidError("That code is nobody's, or was good for ten minutes and once.")
        known = await chat.link(session, sender)
        if known is not None and known.person_id != person.id:
            raise InvalidError("You are somebody else here already; they have to end that first.")
        await chat.unlink(session, person.id)
        session.add(ChatLinkRow(sender=sender, person_id=person.id, linked_at=now))
        says = f"{person.name} is {sender} in the chat from now on."
        actor = Actor(id=person.id, name=person.name, rights=frozenset(), channel="chat")
        details = {"person": person.id, "sender": sender}
        record(session, actor, Action.LINK_ACCOUNT, says, now, details=details)
        return f"You are {person.name} here from now on."


async def unlink(backend: Backend, actor: Actor) -> None:
    """Be nobody in the chat any more.

    Raises:
        NotFoundError: for whoever is nobody there.
    """
    actor.must(Right.OWN)
    async with backend.database.transaction() as session:
        if not await chat.unlink(session, actor.id):
            raise NotFoundError("You are nobody in the chat.")
        says = f"{actor.name} is nobody in the chat any more."
        record(session, actor, Action.UNLINK_ACCOUNT, says, backend.clock(), details={"person": actor.id})


async def _must_be_known(session: Session, service: str | None, environment: str | None) -> None:
    faults = []
    if service is not None and await landscape.service(session, service) is None:
        faults.append(("/service", "unknown"))
    if environment is not None and await landscape.environment(session, environment) is None:
        faults.append(("/environment", "unknown"))
    if faults:
        raise InvalidError("The room cannot be told of that.", fields=faults)


def _view(row: ChatRoomRow) -> RoomView:
    return RoomView(
        id=row.id,
        title=row.title,
        address=row.address,
        service=row.service_id,
        environment=row.environment_id,
        reason=row.reason,
    )
