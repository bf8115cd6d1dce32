"""A chat: the little of the Matrix client-server API that rooms need, and a page on which one talks.

Everybody may talk as anybody here, which no real homeserver lets them.
"""

import argparse
import threading
import time
from html import escape
from http import HTTPStatus
from typing import Any
from urllib.parse import parse_qs, urlencode

import uvicorn
from fastapi import APIRouter, FastAPI, HTTPException, Request
from fastapi.responses import HTMLResponse, RedirectResponse

from dogana.standins.running import HEAD

SERVER, ROOM = "chat.corvale.example", "!rehearsal:corvale.example"
_MOST = 2000
_WHO = ("ilse", "tomas", "henrik", "yuki", "adaeze", "priya", "noor", "somebody-else")


class Chat:
    """Rooms and what was said in them; who acts is told by their token, which is their name."""

    def __init__(self) -> None:
        self.events: list[dict[str, Any]] = []
        self.changed = threading.Condition()
        self._sent: dict[tuple[str, str], str] = {}

    def send(self, sender: str, room: str, kind: str, content: dict[str, Any], key: str) -> str:
        """Say something, once under a key; gives what names it."""
        with self.changed:
            if (sender, key) in self._sent:
                return self._sent[sender, key]
            name = f"$e{len(self.events)}"
            self.events.append(
                {
                    "event_id": name,
                    "room_id": room,
                    "sender": f"@{sender}:{SERVER}",
                    "type": kind,
                    "origin_server_ts": int(time.time() * 1000),
                    "content": content,
                }
            )
            self._sent[sender, key] = name
            self.changed.notify_all()
        return name

    def since(self, point: int, seconds: float) -> tuple[list[dict[str, Any]], int]:
        """What was said since a point, waited for a while; and where that ends."""
        with self.changed:
            self.changed.wait_for(lambda: len(self.events) > point, seconds)
            return self.events[point : point + _MOST], len(self.events)

    def standing(self, room: str) -> list[dict[str, Any]]:
        """What stands in a room, mended as it was mended last, with what answers it."""
        rows: dict[str, dict[str, Any]] = {}
        for event in self.events:
            relates = event["content"].get("m.relates_to") or {}
            about = relates.get("event_id") or (relates.get("m.in_reply_to") or {}).get("event_id")
            if event["room_id"] != room:
                continue
            if relates.get("rel_type") == "m.replace" and about in rows:
                rows[about]["text"] = event["content"]["m.new_content"]["body"]
                continue
            text = event["content"].get("body") or relates.get("key", "")
            row = {"id": event["event_id"], "who": event["sender"], "text": text, "answers": []}
            if about in rows:
                rows[about]["answers"].append(row)
            else:
                rows[event["event_id"]] = row
        return list(rows.values())


def make_chat(chat: Chat) -> FastAPI:
    """The API, and the page."""
    app = FastAPI(title="Chat (stand-in)")
    app.include_router(_api(chat))
    app.include_router(_page(chat))
    return app


def _who(request: Request) -> str:
    scheme, _, token = request.headers.get("Authorization", "").partition(" ")
    if scheme != "Bearer" or not token:
        raise HTTPException(HTTPStatus.UNAUTHORIZED)
    return token


def _api(chat: Chat) -> APIRouter:
    router = APIRouter(prefix="/_matrix/client/v3")

    @router.get("/account/whoami")
    def whoami(request: Request) -> dict[str, str]:
        return {"user_id": f"@{_who(request)}:{SERVER}"}

    @router.post("/join/{room}")
    def join(room: str, request: Request) -> dict[str, str]:
        _who(request)
        return {"room_id": room}

    @router.put("/rooms/{room}/send/{kind}/{key}")
    async def send(room: str, kind: str, key: str, request: Request) -> dict[str, str]:
        return {"event_id": chat.send(_who(request), room, kind, await request.json(), key)}

    @router.get("/rooms/{room}/event/{event}")
    def event(room: str, event: str, request: Request) -> dict[str, Any]:
        _who(request)
        found = next((e for e in chat.events if (e["room_id"], e["event_id"]) == (room, event)), None)
        if found is None:
            raise HTTPException(HTTPStatus.NOT_FOUND)
        return found

    @router.get("/sync")
    def sync(request: Request, since: str = "", timeout: int = 0) -> dict[str, Any]:
        me = f"@{_who(request)}:{SERVER}"
        # It forgets when it ends; who comes back goes on from what is there.
        point = min(int(since), len(chat.events)) if since else len(chat.events)
        said, end = chat.since(point, timeout / 1000 if since else 0)
        rooms: dict[str, Any] = {}
        for one in said:
            if one["sender"] != me:
                rooms.setdefault(one["room_id"], {"timeline": {"events": []}})["timeline"]["events"].append(
                    one
                )
        return {"next_batch": str(end), "rooms": {"join": rooms}}

    return router


def _page(chat: Chat) -> APIRouter:
    router = APIRouter()

    @router.get("/")
    def page(room: str = ROOM) -> HTMLResponse:
        said = "".join(_shown(room, row) for row in chat.standing(room)) or "<li>Nothing was said yet."
        head = HEAD.replace("The fleet", "Chat")
        return HTMLResponse(f"{head}<h1>{escape(room)}</h1>{_talk(room, '')}<ul>{said}</ul>")

    @router.post("/say")
    async def say(request: Request) -> RedirectResponse:
        form = {name: values[0] for name, values in parse_qs((await request.body()).decode()).items()}
        content: dict[str, Any] = {"msgtype": "m.text", "body": form.get("text", "")}
        if form.get("about"):
            content["m.relates_to"] = {"m.in_reply_to": {"event_id": form["about"]}}
        chat.send(form["who"], form["room"], "m.room.message", content, str(time.time_ns()))
        return RedirectResponse(f"/?{urlencode({'room': form['room']})}", HTTPStatus.SEE_OTHER)

    return router


def _talk(room: str, about: str) -> str:
    names = "".join(f"<option>{name}" for name in _WHO)
    return (
        f"<form method=post action=/say><input type=hidden name=room value='{escape(room)}'>"
        f"<input type=hidden name=about value='{escape(about)}'>"
        f"<select name=who aria-label='Who says it'>{names}</select> "
        "<input name=text size=50 required aria-label='What they say'> <button>Say it</button></form>"
    )


def _shown(room: str, row: dict[str, Any]) -> str:
    answers = "".join(f"<li>{_line(one)}" for one in row["answers"])
    return f"<li>{_line(row)}<ul>{answers}</ul>{_talk(room, row['id'])}"


def _line(row: dict[str, Any]) -> str:
    return f"<b>{escape(row['who'])}</b><p>{escape(row['text']).replace(chr(10), '<br>')}</p>"


def main() -> None:
    """Let people talk, on loopback."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--port", type=int, required=True)
    options = parser.parse_args()
    uvicorn.run(make_chat(Chat()), host="127.0.0.1", port=options.port, log_level="warning")


if __name__ == "__main__":
    main()
