"""The application, put together from its settings and its backend."""

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from mimetypes import guess_type
from pathlib import Path

from fastapi import FastAPI, Request, Response
from fastapi.responses import FileResponse
from starlette.datastructures import MutableHeaders
from starlette.exceptions import HTTPException
from starlette.requests import HTTPConnection
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from dogana import __version__
from dogana.service.backend import Backend
from dogana.settings import Settings
from dogana.web import (
    access,
    attention,
    closings,
    custody,
    events,
    exceptions,
    landscape,
    ledger,
    outside,
    people,
    policies,
    problems,
    promotions,
    sessions,
)

_HEADERS = {
    "X-Content-Type-Options": "nosniff",
    "X-Frame-Options": "DENY",
    "Referrer-Policy": "same-origin",
    "Content-Security-Policy": (
        "default-src 'self'; img-src 'self' data:; style-src 'self' 'unsafe-inline'; "
        "script-src 'self' 'unsafe-inline'; frame-ancestors 'none'; base-uri 'self'; form-action 'self'"
    ),
}


def make_app(settings: Settings, backend: Backend) -> FastAPI:
    """Build the web application; nothing is read before it starts."""

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        async with events.listening(app.state.fanout, backend):
            yield

    app = FastAPI(
        title="Dogana",
        version=__version__,
        summary="May this release enter?",
        lifespan=lifespan,
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/openapi.json",
    )
    app.state.settings = settings
    app.state.backend = backend
    app.state.fanout = events.Fanout()
    problems.install(app)
    app.add_middleware(Headers)
    for router in (
        sessions.router,
        people.router,
        promotions.router,
        attention.router,
        closings.router,
        exceptions.router,
        landscape.router,
        landscape.files,
        outside.router,
        outside.files,
        custody.router,
        policies.router,
        ledger.router,
        events.router,
    ):
        access.say_rights(router.routes)
        app.include_router(router)
    _describe_problems(app)
    _serve_front_end(app, settings.web_dir)
    app.openapi()  # It takes longer to make than any request may take.
    return app


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


def _describe_problems(app: FastAPI) -> None:
    """Replace the framework's own error shape in the OpenAPI document with ours."""
    made = app.openapi

    def openapi() -> dict[str, object]:
        document = made()
        schemas = document.setdefault("components", {}).setdefault("schemas", {})
        schemas.pop("HTTPValidationError", None)
        schemas.pop("ValidationError", None)
        problem = problems.Problem.model_json_schema(ref_template="#/components/schemas/{model}")
        schemas.update(problem.pop("$defs"))
        schemas["Problem"] = problem
        return document

    app.openapi = openapi  # type: ignore[method-assign]


def _serve_front_end(app: FastAPI, folder: Path) -> None:
    """Files of the built front end; every other address opens its one page."""
    root = folder.resolve()

    @app.get("/{path:path}", include_in_schema=False)
    async def front_end(path: str, request: Request) -> Response:
        if path.startswith("api/"):
            raise HTTPException(404, "There is no such address.")
        wanted = (root / path).resolve()
        if wanted.is_relative_to(root) and wanted.is_file():
            lasts = "public, max-age=31536000, immutable" if "immutable" in path else "no-cache"
            headers = {"Cache-Control": lasts, "Vary": "Accept-Encoding"}
            packed = wanted.with_name(f"{wanted.name}.gz")
            if "gzip" not in request.headers.get("Accept-Encoding", "") or not packed.is_file():
                return FileResponse(wanted, headers=headers)
            kind = guess_type(wanted.name)[0] or "application/octet-stream"
            return FileResponse(packed, media_type=kind, headers=headers | {"Content-Encoding": "gzip"})
        page = root / "index.html"
        if not page.is_file():
            raise HTTPException(404, "The front end has not been built; ./dogana demo builds it.")
        return FileResponse(page, headers={"Cache-Control": "no-cache"})
