"""Every request has an id, is counted, and is logged when it is over."""

import re
import secrets
import time
from collections.abc import MutableMapping
from typing import Any

import structlog
from prometheus_client import CollectorRegistry, Counter, Histogram
from starlette.datastructures import Headers, MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

HEADER = "X-Request-Id"
_GOOD = re.compile(r"^[0-9A-Za-z._-]{1,64}$")
_QUIET = ("/health/", "/metrics", "/_app/")
"""What is asked every few seconds, or for each screen, and says nothing of what happened."""
_NO_ROUTE = "none"
_SECRET = ("token", "secret")
"""Parts of addresses that let in whoever has them: they stand in no log."""
_WALL = "/wall/"
_FAULT = 500
_log = structlog.get_logger("dogana.requests")


class Counted:
    """What one web process counts of the requests it answers."""

    def __init__(self) -> None:
        self.registry = CollectorRegistry()
        self._answered = Counter(
            "dogana_requests", "Requests answered.", ["method", "route", "status"], registry=self.registry
        )
        self._took = Histogram(
            "dogana_request_seconds",
            "How long they took until the answer began.",
            ["route"],
            registry=self.registry,
            buckets=(0.005, 0.02, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 10),
        )

    def one(self, method: str, route: str, status: int, seconds: float) -> None:
        """Count one answer."""
        self._answered.labels(method, route, f"{status // 100}xx").inc()
        self._took.labels(route).observe(seconds)


class Requests:
    """Gives each request its id, which stands in its log line, its answer and what goes wrong in it."""

    def __init__(self, app: ASGIApp, counted: Counted) -> None:
        self._app = app
        self._counted = counted

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass it on, and say how it went."""
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        given = Headers(scope=scope).get(HEADER, "")
        request = given if _GOOD.match(given) else secrets.token_hex(8)
        scope.setdefault("state", {})["request_id"] = request
        began, status, took = time.monotonic(), _FAULT, 0.0

        async def sending(message: Message) -> None:
            nonlocal status, took
            if message["type"] == "http.response.start":
                status, took = message["status"], time.monotonic() - began
                MutableHeaders(scope=message)[HEADER] = request
            await send(message)

        with structlog.contextvars.bound_contextvars(request=request):
            try:
                await self._app(scope, receive, sending)
            finally:
                self._counted.one(scope["method"], _route(scope), status, took)
                if not scope["path"].startswith(_QUIET):
                    _log.info(
                        "answered",
                        method=scope["method"],
                        path=_said(scope),
                        status=status,
                        ms=round(took * 1000),
                        actor=scope["state"].get("actor"),
                    )


def id_of(scope: MutableMapping[str, Any]) -> str:
    """The id of a request; empty where none was given."""
    return str(scope.get("state", {}).get("request_id", ""))


def _said(scope: Scope) -> str:
    """The address as it may stand in a log."""
    if any(name in _SECRET for name in scope.get("path_params", {})):
        return _route(scope)
    return f"{_WALL}..." if scope["path"].startswith(_WALL) else str(scope["path"])


def _route(scope: Scope) -> str:
    """The route as it was declared: an address of its own for every promotion would never end."""
    return str(getattr(scope.get("route"), "path", _NO_ROUTE))
