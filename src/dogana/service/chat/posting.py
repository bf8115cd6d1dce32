"""What stands in the rooms: one message for each promotion, mended as it moves on."""

import hashlib
import json
from datetime import timedelta
from html import escape

import structlog

from dogana.core.inspect.sheet import Brief
from dogana.core.policy.document import Policy
from dogana.core.words import sentence
from dogana.service.backend import Backend
from dogana.service.exchange.outbound import signature
from dogana.service.policies.in_force import in_force_of_each
from dogana.service.promotions.lookup import what
from dogana.service.sealing import about_room
from dogana.sources import NotSentError, Posted
from dogana.sources.http import HttpRequest, UnreadError, read
from dogana.store import chat, people, policies
from dogana.store.tables.chat import ChatPostRow, ChatRoomRow
from dogana.store.tables.promotions import PENDING, PromotionRow

_AT_ONCE = 50
_LATE = timedelta(seconds=30)
"""For how long what is written by one transaction may be seen after what another wrote later."""
_ENDED = timedelta(days=7)
"""What was over earlier is not mended any more, as after a long absence of the homeserver."""
_AGAIN = timedelta(seconds=30)
_HINT = "Answer with: approve, or turn back because ..."
_log = structlog.get_logger("dogana.worker")


async def post_due(backend: Backend) -> None:
    """Write what changed into every room; one that cannot be written into keeps no other from being told."""
    now = backend.clock()
    async with backend.database.transaction() as session:
        due = [row.id for row in await chat.rooms(session) if row.next_attempt_at <= now]
    for name in due:
        await _post_into(backend, name)


async def _post_into(backend: Backend, name: str) -> None:
    """Write what changed into one room, page by page; the last stretch is looked through again each time."""
    now, reason, last = backend.clock(), None, None
    while reason is None:
        async with backend.database.transaction() as session:
            room = await chat.room(session, name)
            if room is None:
                return
            since = room.told_until - _LATE
            rows = await chat.to_post(session, room, since, max(since, now - _ENDED), _AT_ONCE, last)
            there = await chat.posts(session, name, [row.number for row in rows])
            names = await people.names(session)
            there_now = await policies.in_force_everywhere(session, now) if rows else {}
            in_force = in_force_of_each(there_now)
            texts = {row.number: _text(row, in_force.get(_asks_in(row)), names) for row in rows}
        for row in rows:
            post, said = there.get(row.number), texts[row.number]
            if _is_news(row, post, said):
                reason = await _reason_not(backend, room, row, post, said)
            if reason is not None:
                break
            last = row
        if len(rows) < _AT_ONCE:
            break
    async with backend.database.transaction() as session:
        room = await chat.room(session, name, lock=True)
        if room is None:
            return
        room.reason = reason
        if reason is not None:
            room.next_attempt_at = now + _AGAIN
        if last is not None:
            room.told_until = max(room.told_until, last.changed_at)


async def _reason_not(
    backend: Backend, room: ChatRoomRow, row: PromotionRow, post: ChatPostRow | None, text: str
) -> str | None:
    """Why something could not be written; None once it was."""
    try:
        await _write(backend, room, row, post, text)
    except NotSentError as exc:
        return f"{'Its address' if room.secret else 'The homeserver'} {exc}."
    except Exception as exc:  # noqa: BLE001 - one room that fails stops no other
        _log.exception("not posted", room=room.id, promotion=row.number)
        return f"A fault of the program, {type(exc).__name__}."
    return None


def _asks_in(row: PromotionRow) -> str:
    """Whose policy asks; that of its template in a preview."""
    return row.environment.made_from_id or row.environment_id


def _text(row: PromotionRow, policy: Policy | None, names: dict[str, str]) -> str:
    """A promotion in a few sentences, as it stands."""
    brief = Brief.model_validate(row.brief) if row.brief else None
    now = {"waiting": "held", "moving": "on its way in"}.get(str(row.state), str(row.state))
    says = brief.sentence if brief is not None and row.state in PENDING else row.ended or ""
    asked_by = names.get(row.requester_id, row.requester_id)
    text = f"{what(row)}: {now}. {sentence(says) if says else ''}".strip()
    text += f"\nPromotion {row.number}, asked by {asked_by}."
    if row.state not in PENDING or policy is None:
        return text
    asked = any(seat.taken_by is None for seat in brief.seats) if brief is not None else False
    by_chat = any(rule.asks_people and rule.may_be_taken("chat") for rule in policy.rules)
    return f"{text}\n{_HINT}" if asked and by_chat else text


def _is_news(row: PromotionRow, post: ChatPostRow | None, text: str) -> bool:
    if post is None:
        return row.brief is not None and row.state in PENDING
    return (post.text, post.shown) != (text, _shown(row))


def _shown(row: PromotionRow) -> dict[str, object] | None:
    return row.brief["shown"] if row.brief is not None and row.state in PENDING else None


async def _write(
    backend: Backend, room: ChatRoomRow, row: PromotionRow, post: ChatPostRow | None, text: str
) -> None:
    """Write it, and keep what it shows; a process that dies in between writes it once more in its place."""
    shown = _shown(row)
    key = hashlib.sha256(f"{room.id}|{row.number}|{row.changed_at}|{text}|{shown}".encode()).hexdigest()
    link = f"{backend.source}/promotion/{row.number}"
    if room.secret is not None:
        written = await _sent(backend, room, room.secret, row, key, text, link)
    elif backend.chat is None:
        raise NotSentError("is not set up any more")
    else:
        first, *more = text.split("\n")
        html = f'<b><a href="{escape(link)}">{escape(first)}</a></b><br>{"<br>".join(map(escape, more))}'
        edits = post.event if post is not None else None
        written = await backend.chat.post(room.address, key, f"{text}\n{link}", html, edits=edits)
    async with backend.database.transaction() as session:
        kept = ChatPostRow(
            room_id=room.id,
            promotion=row.number,
            event=post.event if post is not None else written.event,
            text=text,
            shown=shown,
            posted_at=written.at,
        )
        await session.merge(kept)


async def _sent(
    backend: Backend, room: ChatRoomRow, sealed: bytes, row: PromotionRow, key: str, text: str, link: str
) -> Posted:
    """Post it to an address, signed (Standard Webhooks); what mends something has the same `promotion`."""
    secret, now = backend.sealer.open(sealed, about_room(room.id)), backend.clock()
    body = json.dumps({"promotion": row.number, "state": str(row.state), "text": text, "link": link})
    headers = {"Content-Type": "application/json", **signature(secret, key, now, body)}
    try:
        asked = HttpRequest(address=room.address, method="POST", headers=headers, body=body.encode(), tries=1)
        await read(backend.client, asked)
    except UnreadError as exc:
        raise NotSentError(str(exc).removeprefix("it ")) from exc
    return Posted(event=key, at=now)
