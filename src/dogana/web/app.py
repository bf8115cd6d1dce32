"""The application, put together from its settings and its backend."""

import os
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from importlib.util import find_spec

from fastapi import FastAPI
from starlette.datastructures import MutableHeaders
from starlette.middleware.gzip import GZipMiddleware
from starlette.requests import HTTPConnection
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from dogana import __version__
from dogana.core.errors import MisconfiguredError
from dogana.core.policy.document import policy_schema
from dogana.service.backend import Backend
from dogana.settings import Settings
from dogana.web import access, live, problems
from dogana.web.front_end import STRICT_POLICY, FrontEnd
from dogana.web.requests import Counted, Requests
from dogana.web.routes import (
    boards,
    calendars,
    chat,
    configuration,
    courses,
    delivery,
    directory,
    estate,
    exchange,
    house,
    landed,
    landscape,
    ledger,
    messages,
    people,
    policies,
    promotions,
    published,
    scim,
    scopes,
    secrets,
    sources,
    views,
)

_WORTH_PACKING, _QUICKLY = 2000, 2
"""Bytes of an answer from which on it is packed, and how hard: the longest lists take some 20 ms."""
_HEADERS = {
    "X-Content-Type-Options": "nosniff",
    "X-Frame-Options": "DENY",
    "Referrer-Policy": "same-origin",
    "Content-Security-Policy": STRICT_POLICY,
}


def make_app(settings: Settings, backend: Backend) -> FastAPI:
    """Build the web application; nothing is read before it starts."""

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        backend.pool.start()
        async with live.listening(app.state.fanout, backend):
            yield

    app = FastAPI(
        title="Dogana",
        version=__version__,
        summary="May this release enter?",
        lifespan=lifespan,
        docs_url=None,
        redoc_url=None,
        openapi_url=None,
        # By the usual variables (OTEL_EXPORTER_OTLP_ENDPOINT and so on), where the extra `traces` is there.
        # Logs and metrics have ways of their own, and what is logged of a fault stays here.
        telemetry={"auto_configure": _traced(), "logs": False, "metrics": False},
    )
    app.state.settings = settings
    app.state.backend = backend
    app.state.fanout = live.Fanout()
    app.state.counted = Counted()
    app.state.doors = []
    problems.install(app)
    app.add_middleware(GZipMiddleware, minimum_size=_WORTH_PACKING, compresslevel=_QUICKLY)
    app.add_middleware(Heads)
    app.add_middleware(Headers)
    app.add_middleware(Requests, counted=app.state.counted)
    for router in (
        people.router,
        directory.router,
        scim.router,
        promotions.router,
        scopes.router,
        courses.router,
        delivery.router,
        boards.router,
        estate.router,
        published.router,
        landed.router,
        views.router,
        landscape.router,
        landscape.uploads,
        calendars.router,
        calendars.uploads,
        sources.router,
        exchange.router,
        exchange.uploads,
        secrets.router,
        policies.router,
        ledger.router,
        messages.router,
        chat.router,
        configuration.router,
        house.router,
        house.outside,
        live.router,
    ):
        access.say_rights(router.routes)
        app.state.doors += router.routes
        # They bear their whole addresses; including them would make each anew at the first request.
        app.router.routes += router.routes
    _describe_problems(app)
    app.router.default = FrontEnd(settings.web_dir)

    @app.get("/api/openapi.json", include_in_schema=False)
    def described() -> JSONResponse:
        """In a thread of its own, and once asked for: to make it takes as long as to load all else."""
        return JSONResponse(app.openapi())

    # It takes longer to make than any request may take.
    policy_schema()
    return app


def _traced() -> bool:
    """Whether traces are asked for.

    Raises:
        MisconfiguredError: where they are, and cannot be had.
    """
    name = next((one for one in _COLLECTORS if os.environ.get(one)), None)
    if name is None:
        return False
    if not os.environ[name].startswith(("http://", "https://")):
        raise MisconfiguredError(f"{name} is no http or https address of a collector: {os.environ[name]}.")
    if find_spec("opentelemetry.sdk") is None:
        raise MisconfiguredError(f"{name} asks for traces, which take `pip install dogana[traces]`.")
    return True


class Heads:
    """Answers HEAD as GET, without the body (RFC 9110, section 9.3.2)."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass it on as a GET, and end the answer with its headers: a stream would have no end."""
        if scope["type"] != "http" or scope["method"] != "HEAD":
            await self._app(scope, receive, send)
            return
        ended = False

        async def receiving() -> Message:
            return {"type": "http.disconnect"} if ended else await receive()

        async def sending(message: Message) -> None:
            nonlocal ended
            if message["type"] == "http.response.start":
                await send(message)
                await send({"type": "http.response.body", "body": b""})
                ended = True

        await self._app({**scope, "method": "GET"}, receiving, sending)


class Headers:
    """Adds to every response what browsers are to keep to."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass the request on, and the response back with its headers."""

        async def sending(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                for name, value in _HEADERS.items():
                    headers.setdefault(name, value)
                if scope["path"].startswith("/api"):
                    headers.setdefault("Cache-Control", "no-store")
                if access.behind_tls(HTTPConnection(scope)):
                    headers.setdefault("Strict-Transport-Security", "max-age=31536000; includeSubDomains")
                if "/immutable/" in scope["path"]:
                    headers["Cache-Control"] = "public, max-age=31536000, immutable"
            await send(message)

        await self._app(scope, receive, sending if scope["type"] == "http" else send)


_COLLECTORS = ("OTEL_EXPORTER_OTLP_TRACES_ENDPOINT", "OTEL_EXPORTER_OTLP_ENDPOINT")
_DOCUMENT: dict[str, object] = {}
"""What the routes are described as. They are the same in every application of a process."""


def _describe_problems(app: FastAPI) -> None:
    """Replace the framework's own error shape in the OpenAPI document with ours."""
    made = app.openapi

    def openapi() -> dict[str, object]:
        if not _DOCUMENT:
            document = made()
            schemas = document.setdefault("components", {}).setdefault("schemas", {})
            schemas.pop("HTTPValidationError", None)
            schemas.pop("ValidationError", None)
            problem = problems.Problem.model_json_schema(ref_template="#/components/schemas/{model}")
            schemas.update(problem.pop("$defs"))
            schemas["Problem"] = problem
            _DOCUMENT.update(document)
        return _DOCUMENT

    app.openapi = openapi  # type: ignore[method-assign]
