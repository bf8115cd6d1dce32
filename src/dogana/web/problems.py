"""Problem details (RFC 9457) for every error; the one table from the domain's errors to statuses."""

from http import HTTPStatus
from typing import Any

import structlog
from fastapi import FastAPI, Request, Response
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from pydantic import BaseModel
from starlette.exceptions import HTTPException
from starlette.requests import ClientDisconnect
from starlette.routing import Match, Route

from dogana.core.errors import (
    AwayError,
    ChangedError,
    ConflictError,
    DoganaError,
    InvalidError,
    NotFoundError,
    RefusedError,
    SignedOutError,
    TooLargeError,
    TooOftenError,
)
from dogana.core.faults import reason
from dogana.web.requests import id_of

STATUS: dict[type[DoganaError], HTTPStatus] = {
    InvalidError: HTTPStatus.UNPROCESSABLE_ENTITY,
    TooLargeError: HTTPStatus.REQUEST_ENTITY_TOO_LARGE,
    ChangedError: HTTPStatus.PRECONDITION_FAILED,
    ConflictError: HTTPStatus.CONFLICT,
    RefusedError: HTTPStatus.FORBIDDEN,
    SignedOutError: HTTPStatus.UNAUTHORIZED,
    NotFoundError: HTTPStatus.NOT_FOUND,
    AwayError: HTTPStatus.SERVICE_UNAVAILABLE,
    TooOftenError: HTTPStatus.TOO_MANY_REQUESTS,
}
_log = structlog.get_logger("dogana.web")


class FieldFault(BaseModel):
    """One part of the request that cannot be used."""

    pointer: str
    """JSON Pointer into the request."""
    reason: str


class Problem(BaseModel):
    """RFC 9457 problem details."""

    type: str
    title: str
    status: int
    detail: str
    code: str
    """The same for the API, the screens and the documentation."""
    fields: list[FieldFault] = []
    request: str = ""
    """Under which the log has it."""


class ProblemResponse(JSONResponse):
    """A problem with its media type."""

    media_type = "application/problem+json"


def problem(
    status: HTTPStatus, code: str, detail: str, fields: list[tuple[str, str]] | None = None
) -> ProblemResponse:
    """A response that says what happened."""
    body = Problem(
        type=f"urn:dogana:problem:{code}",
        title=status.phrase,
        status=status,
        detail=detail,
        code=code,
        fields=[FieldFault(pointer=pointer, reason=reason) for pointer, reason in fields or []],
        request=structlog.contextvars.get_contextvars().get("request", ""),
    )
    return ProblemResponse(body.model_dump(), status_code=status)


def documented(*statuses: HTTPStatus) -> dict[int | str, dict[str, Any]]:
    """The problems a route may answer, for its OpenAPI description."""
    return {
        int(status): {
            "description": status.phrase,
            "content": {"application/problem+json": {"schema": {"$ref": "#/components/schemas/Problem"}}},
        }
        for status in statuses
    }


def install(app: FastAPI) -> None:
    """Have every error of an application answered as a problem."""

    @app.exception_handler(DoganaError)
    async def _domain(_: Request, exc: DoganaError) -> Response:
        status = next(STATUS[kind] for kind in type(exc).__mro__ if kind in STATUS)
        said = problem(status, exc.code, exc.detail, exc.fields)
        if isinstance(exc, TooOftenError):
            said.headers["Retry-After"] = str(exc.seconds)
        elif isinstance(exc, SignedOutError):
            said.headers["WWW-Authenticate"] = 'Bearer realm="Dogana"'
        return said

    @app.exception_handler(RequestValidationError)
    async def _validation(_: Request, exc: RequestValidationError) -> Response:
        fields = []
        for error in exc.errors():
            where = [str(step) for step in error["loc"] if step != "body"]
            fields.append(("".join(f"/{step}" for step in where), reason(error)))
        return problem(HTTPStatus.UNPROCESSABLE_ENTITY, "invalid", "The request cannot be used.", fields)

    @app.exception_handler(HTTPException)
    async def _http(request: Request, exc: HTTPException) -> Response:
        status = HTTPStatus(exc.status_code)
        said = problem(status, status.phrase.lower().replace(" ", "_"), str(exc.detail))
        if status is HTTPStatus.METHOD_NOT_ALLOWED:
            said.headers["Allow"] = ", ".join(sorted(_methods(request)))
        return said

    @app.exception_handler(ClientDisconnect)
    async def _gone(_: Request, __: ClientDisconnect) -> Response:
        return problem(HTTPStatus.BAD_REQUEST, "broken_off", "The request broke off.")

    @app.exception_handler(Exception)
    async def _fault(request: Request, exc: Exception) -> Response:
        _log.error("fault", path=request.url.path, exc_info=exc)
        return problem(
            HTTPStatus.INTERNAL_SERVER_ERROR,
            "fault",
            f"Something went wrong here; the log has it under {id_of(request.scope)}. Nothing was decided.",
        )


def _methods(request: Request) -> set[str]:
    """The methods that some route answers at an address."""
    doors: list[Route] = request.app.state.doors
    there = (one for one in doors if one.matches(request.scope)[0] is not Match.NONE)
    found = {method for one in there for method in one.methods or ()}
    return found | ({"HEAD"} if "GET" in found else set()) or {"GET", "HEAD"}
