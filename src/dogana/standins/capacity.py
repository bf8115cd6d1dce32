"""A capacity check: asked about what comes in, it works for a moment and says whether there is room.

It believes no question that is not signed, answers with signed events, and has a page on which one makes it
say no.
"""

import argparse
import json
import os
import sys
import threading
from collections import deque
from html import escape
from http import HTTPStatus
from typing import Any

import httpx
import uvicorn
from fastapi import FastAPI, HTTPException, Request
from fastapi.responses import HTMLResponse, RedirectResponse
from standardwebhooks.webhooks import Webhook, WebhookVerificationError

from dogana.standins.events import Sender, event_of
from dogana.standins.running import HEAD

_MOST = 200
_ANSWERED = "dev.cdeventsx.dogana-check.answered.1.0.0"


class Capacity:
    """What it was asked, the latest last, and what it answers from now on."""

    def __init__(self, sender: Sender, seconds: float) -> None:
        self._sender = sender
        self._seconds = seconds
        self.asked: deque[dict[str, Any]] = deque(maxlen=_MOST)
        self.room = True

    def ask(self, event: dict[str, Any]) -> None:
        """Take a question, and answer it by and by."""
        self.asked.append(event)
        threading.Thread(target=self._answer, args=(event,), daemon=True).start()

    def _answer(self, event: dict[str, Any]) -> None:
        self._say(event, {"result": "running", "reason": "counting what runs beside it"})
        threading.Event().wait(self._seconds)
        said = {"result": "passed", "reason": "room for two of it beside what runs"}
        if not self.room:
            said = {"result": "failed", "reason": "no machine there has 4 GB to spare"}
        self._say(event, said)

    def _say(self, event: dict[str, Any], said: dict[str, str]) -> None:
        data = {"subject": {**event["subject"], "content": {}}, "customData": {"asked": event["id"], **said}}
        try:
            self._sender.send(event_of("/corvale/capacity", _ANSWERED, data))
        except httpx.HTTPError as exc:
            print(f"not said: {exc}", file=sys.stderr, flush=True)  # noqa: T201 - its log


def make_capacity(capacity: Capacity, secret: str) -> FastAPI:
    """Where it is asked, and the page."""
    app, signed = FastAPI(title="Capacity check (stand-in)"), Webhook(secret)

    @app.post("/asked", status_code=HTTPStatus.ACCEPTED)
    async def asked(request: Request) -> None:
        body = await request.body()
        try:
            signed.verify(body, dict(request.headers), json_parse=False)
            event = json.loads(body)["data"]["customData"] | {"id": json.loads(body)["id"]}
        except (WebhookVerificationError, ValueError, KeyError) as exc:
            raise HTTPException(HTTPStatus.BAD_REQUEST) from exc
        capacity.ask(event | {"subject": json.loads(body)["data"]["subject"]})

    @app.get("/")
    def listed() -> HTMLResponse:
        rows = "".join(f"<tr><td>{escape(one['at'])}<td>{escape(one['says'])}" for one in capacity.asked)
        says = "there is room" if capacity.room else "there is no room"
        act = "Have it say that there is none" if capacity.room else "Have it say that there is room"
        form = f"<form method=post action=/room><p>It says that {says}. <button>{act}</button></form>"
        told = f"<table>{rows}</table>" if rows else "<p>It was asked nothing yet."
        return HTMLResponse(
            f"{HEAD.replace('The fleet', 'Capacity check')}<h1>Capacity check</h1>{form}{told}"
        )

    @app.post("/room")
    def room() -> RedirectResponse:
        capacity.room = not capacity.room
        return RedirectResponse("/", HTTPStatus.SEE_OTHER)

    return app


def main() -> None:
    """Be asked and answer, on loopback, with the secret from the environment."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--url", required=True, help="where answers go")
    parser.add_argument("--port", type=int, required=True)
    parser.add_argument("--seconds", type=float, default=2.0, help="for which it is at work")
    options = parser.parse_args()
    secret = os.environ["DOGANA_EVENT_SECRET"]
    with httpx.Client(base_url=options.url, timeout=10) as client:
        capacity = Capacity(Sender(client, "capacity", secret), options.seconds)
        uvicorn.run(make_capacity(capacity, secret), host="127.0.0.1", port=options.port, log_level="warning")


if __name__ == "__main__":
    main()
