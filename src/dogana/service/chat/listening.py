"""What people say in the rooms: read by one process at a time, each thing answered once, in its thread.

A process that dies before it has written down how far it read hears the same again: what was decided is then
decided already, and the homeserver takes an answer once, as each has one name.
"""

import hashlib
from datetime import timedelta
from html import escape

import structlog

from dogana.core.document import SKEW
from dogana.core.errors import DoganaError
from dogana.core.messages.commands import HELP, Command, command_in, sign_of
from dogana.core.words import lasting
from dogana.service.backend import Backend
from dogana.service.chat import rooms
from dogana.service.chat.answering import answered, person_of
from dogana.sources import Chat, NotSentError, Said
from dogana.sources.http import UnreadError
from dogana.store import chat
from dogana.store.tables.chat import ChatPostRow, ChatRoomRow

_SECONDS = 20.0
_LEASE = timedelta(seconds=60)
_COUNTS_FOR = timedelta(minutes=15)
_log = structlog.get_logger("dogana.worker")


async def listen(backend: Backend, seconds: float = _SECONDS) -> None:
    """Hear what is said for a while, and answer it; nothing while another process does."""
    if backend.chat is None:
        return
    async with backend.database.transaction() as session:
        told = bool(await chat.rooms(session))
        held = await chat.hold_reading(session, backend.clock(), _LEASE) if told else None
        since = held.following if held is not None else None
    if held is None:
        return
    following = since
    try:
        heard = await backend.chat.heard(since, seconds)
        if not heard.whole:
            _log.warning("not all was heard", since=since)
        for said in heard.said:
            await _hear(backend, backend.chat, said)
        following = heard.following
    except UnreadError as exc:
        _log.warning("chat not heard", reason=str(exc))
    finally:
        async with backend.database.transaction() as session:
            await chat.have_read(session, following, backend.clock())


async def _hear(backend: Backend, at: Chat, said: Said) -> None:
    """Answer one thing; whatever it is, it keeps nobody else from being heard."""
    async with backend.database.transaction() as session:
        room = await chat.room_at(session, said.room)
        post = await chat.post_of(session, room.id, said.about) if room and said.about else None
    command = command_in(said.text) or (sign_of(said.text) if post is not None else None)
    if room is None or command is None:
        return
    try:
        says = await _said(backend, said, room, post, command)
    except DoganaError as exc:
        says = exc.detail
    except Exception:  # noqa: BLE001 - one that fails stops no other
        _log.exception("not answered", said=said.event)
        says = "Something went wrong here. Nothing was decided."
    key = "re-" + hashlib.sha256(said.event.encode()).hexdigest()
    thread = post.event if post is not None else said.about or said.event
    try:
        html = escape(says).replace("\n", "<br>")
        await at.post(said.room, key, says, html, answers=thread)
    except NotSentError as exc:
        _log.warning("not answered", said=said.event, reason=str(exc))


async def _said(
    backend: Backend, said: Said, room: ChatRoomRow, post: ChatPostRow | None, command: Command
) -> str:
    if command.saying == "help":
        return HELP
    if command.saying == "link":
        return await rooms.link(backend, said.sender, command.words)
    ago = backend.clock() - said.at
    if command.decides and not -SKEW <= ago <= _COUNTS_FOR:
        return f"That was said {lasting(ago)} ago and counts no longer. Look again, and say it once more."
    person = await person_of(backend, said.sender)
    if person is None:
        return (
            f"Nobody here is {said.sender}, so nothing was done. Get a code under Set-up, Chat at "
            f"{backend.source}, and write: link CODE"
        )
    return await answered(backend, person, said, room, post, command)
