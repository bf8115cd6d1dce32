"""Rooms of a chat by the Matrix client-server API (spec.matrix.org, v1.11): posting, editing, reading along.

What others write is theirs: of an event nothing is believed but who sent it, where and when, as the server
says; whatever is not formed as it should be is left out, and what is not text or a reaction is not read.
"""

import itertools
from collections.abc import Mapping
from datetime import UTC, datetime
from typing import Any
from urllib.parse import quote, urlsplit

import httpx
import orjson

from dogana.sources import Heard, NotSentError, Posted, Said
from dogana.sources.http import HttpRequest, UnreadError, answered, ask, is_guarded, plain_json

_SECONDS = 10.0
_LONGEST = 2000
_MOST_EVENTS = 200
_END_OF_TIME = 253_402_300_800_000
"""The year 10000, in milliseconds."""


class MatrixChat:
    """One account on one homeserver, which acts for everybody here."""

    def __init__(self, client: httpx.AsyncClient, *, address: str, token: str) -> None:
        """Ask nothing yet.

        Args:
            client: what asks.
            address: the homeserver.
            token: the access token of the account.

        Raises:
            ValueError: for an address that is none, or is reached without TLS elsewhere than here.
        """
        if not urlsplit(address).hostname or not is_guarded(address):
            raise ValueError("a homeserver is reached over https")
        self._client, self._base = client, f"{address.rstrip('/')}/_matrix/client/v3"
        self._headers = {"Authorization": f"Bearer {token}"}
        self._me: str | None = None

    async def join(self, room: str) -> None:
        """Come into a room; nothing happens where we are in it.

        Raises:
            NotSentError: where one may not, or it cannot be asked.
        """
        await self._send("POST", f"/join/{quote(room, safe='')}", {})

    async def post(
        self,
        room: str,
        key: str,
        text: str,
        html: str,
        *,
        edits: str | None = None,
        answers: str | None = None,
    ) -> Posted:
        """Write something; sent again under the same key it is written once.

        Args:
            room: where.
            key: what names it for the server, so that it takes it once (transaction id).
            text: in plain words.
            html: the same, dressed.
            edits: the event that it takes the place of.
            answers: the event in whose thread it stands.

        Raises:
            NotSentError: saying why, and whether it is worth trying again.
        """
        body: dict[str, Any] = {"msgtype": "m.notice", "body": text, "format": "org.matrix.custom.html"}
        body["formatted_body"] = html
        if edits is not None:
            relates = {"rel_type": "m.replace", "event_id": edits}
            body = {**body, "body": f"* {text}", "m.new_content": dict(body), "m.relates_to": relates}
        elif answers is not None:
            body["m.relates_to"] = {"rel_type": "m.thread", "event_id": answers}
        path = f"/rooms/{quote(room, safe='')}/send/m.room.message/{quote(key, safe='')}"
        event = (await self._send("PUT", path, body)).get("event_id")
        if not isinstance(event, str):
            raise NotSentError("did not say what became of it")
        place = f"/rooms/{quote(room, safe='')}/event/{quote(event, safe='')}"
        at = (await self._send("GET", place, None)).get("origin_server_ts")
        if not isinstance(at, int) or not 0 < at < _END_OF_TIME:
            raise NotSentError("did not say when it was written")
        return Posted(event=event, at=datetime.fromtimestamp(at / 1000, UTC))

    async def heard(self, since: str | None, seconds: float) -> Heard:
        """What was said since a point, waited for a while where nothing was.

        Args:
            since: where the last reading ended; None for from now on.
            seconds: how long it is waited for.

        Raises:
            UnreadError: when it cannot be read.
        """
        me = await self._whoami()
        kinds = ["m.room.message", "m.reaction"]
        rooms = {"timeline": {"types": kinds, "limit": _MOST_EVENTS, "not_senders": [me]}}
        rooms |= {"state": {"types": []}, "ephemeral": {"types": []}, "account_data": {"types": []}}
        wanted = {"room": rooms, "presence": {"types": []}, "account_data": {"types": []}}
        params: dict[str, str | float] = {"filter": orjson.dumps(wanted).decode()}
        params["timeout"] = str(int(seconds * 1000) if since is not None else 0)
        if since is not None:
            params["since"] = since
        found = await self._read(
            HttpRequest(
                address=f"{self._base}/sync",
                headers=self._headers,
                params=params,
                seconds=seconds + _SECONDS,
                tries=1,
            )
        )
        following = found.get("next_batch")
        if not isinstance(following, str) or len(following) > _LONGEST:
            raise UnreadError("it does not say how to go on")
        if since is None:
            return Heard(said=(), following=following, whole=True)
        joined = _object(_object(found.get("rooms")).get("join"))
        lists = {room: _object(_object(one).get("timeline")) for room, one in joined.items()}
        said = [
            one
            for room, timeline in lists.items()
            for event in itertools.islice(_list(timeline.get("events")), _MOST_EVENTS)
            if (one := _said(room, event)) is not None and one.sender != me
        ]
        whole = not any(timeline.get("limited") is True for timeline in lists.values())
        return Heard(said=tuple(said), following=following, whole=whole)

    async def _whoami(self) -> str:
        if self._me is None:
            asked = HttpRequest(address=f"{self._base}/account/whoami", headers=self._headers)
            me = (await self._read(asked)).get("user_id")
            if not isinstance(me, str):
                raise UnreadError("it does not say who we are there")
            self._me = me
        return self._me

    async def _send(self, method: str, path: str, body: Mapping[str, Any] | None) -> dict[str, Any]:
        asked = HttpRequest(
            address=f"{self._base}{path}",
            method=method,
            headers={**self._headers, "Content-Type": "application/json"},
            body=None if body is None else orjson.dumps(body),
            seconds=_SECONDS,
        )
        try:
            response = await ask(self._client, asked)
        except UnreadError as exc:
            raise NotSentError(str(exc).removeprefix("it ")) from exc
        if not response.is_success:
            # Too much at once passes; that we are not in the room, or not known, does not by itself.
            later = response.status_code in {429, *range(500, 600)}
            raise NotSentError(answered(response).removeprefix("it "), for_good=not later)
        try:
            return _object(await plain_json(response))
        except ValueError as exc:
            raise NotSentError("answered something else than JSON") from exc

    async def _read(self, asked: HttpRequest) -> dict[str, Any]:
        response = await ask(self._client, asked)
        if not response.is_success:
            raise UnreadError(answered(response))
        try:
            return _object(await plain_json(response))
        except ValueError as exc:
            raise UnreadError("it answered something else than JSON") from exc


def _said(room: str, event: Any) -> Said | None:
    """What somebody said by an event; None where it says nothing to us, or is not formed as it should be."""
    match event:
        case {
            "event_id": str(name),
            "sender": str(sender),
            "origin_server_ts": int(at),
            "type": str(kind),
            "content": dict(content),
        } if 0 < at < _END_OF_TIME and len(name) <= _LONGEST and len(sender) <= _LONGEST:
            said = _content(kind, content)
        case _:
            return None
    if said is None:
        return None
    text, about = said
    return Said(
        room=room,
        event=name,
        sender=sender,
        at=datetime.fromtimestamp(at / 1000, UTC),
        text=text,
        about=about,
    )


def _content(kind: str, content: dict[str, Any]) -> tuple[str, str | None] | None:
    """The words of an event, and the event that they are about; a reaction's are its sign."""
    relates = content.get("m.relates_to", {})
    match kind, content, relates:
        case "m.reaction", _, {"rel_type": "m.annotation", "event_id": str(about), "key": str(sign)}:
            return sign[:_LONGEST], about
        case "m.room.message", {"msgtype": "m.text", "body": str(body)}, dict():
            if relates.get("rel_type") == "m.replace":
                # Nobody decides by mending what they wrote.
                return None
            thread = relates.get("event_id") if relates.get("rel_type") == "m.thread" else None
            reply = _object(relates.get("m.in_reply_to")).get("event_id")
            meant = thread or reply
            return _without_quote(body)[:_LONGEST], meant if isinstance(meant, str) else None
        case _:
            return None


def _without_quote(body: str) -> str:
    """The words of a reply without what they answer, which programs put before them line by line."""
    lines = body.splitlines()
    if lines and lines[0].startswith("> "):
        rest = list(itertools.dropwhile(lambda line: line.startswith(">"), lines))
        return "\n".join(rest).strip()
    return body.strip()


def _object(value: Any) -> dict[str, Any]:
    return value if isinstance(value, dict) else {}


def _list(value: Any) -> list[Any]:
    return value if isinstance(value, list) else []
