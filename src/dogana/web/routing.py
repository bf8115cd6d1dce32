"""What routers are made of: their address and refusals, and the shapes that all of them take."""

from http import HTTPStatus
from typing import Annotated, Any

from fastapi import APIRouter, Response
from fastapi.routing import APIRoute
from prometheus_client.openmetrics.exposition import CONTENT_TYPE_LATEST
from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from dogana.web.idempotency import RepeatableRoute
from dogana.web.problems import documented

MISSING = documented(HTTPStatus.NOT_FOUND)
CONFLICT = documented(HTTPStatus.CONFLICT)
DECIDED = MISSING | CONFLICT
CHANGED = documented(HTTPStatus.PRECONDITION_FAILED)
TOO_LARGE = documented(HTTPStatus.REQUEST_ENTITY_TOO_LARGE)
TOO_OFTEN = documented(HTTPStatus.TOO_MANY_REQUESTS)
UNSEALED = documented(HTTPStatus.SERVICE_UNAVAILABLE)

Id = Annotated[int, Field(ge=1, lt=2**63)]
Text = Annotated[str, StringConstraints(max_length=2000, pattern=r"^[^\x00]*$")]
Title = Annotated[str, StringConstraints(min_length=1, max_length=80, pattern=r"^[^\x00]*$")]
VersionText = Annotated[str, StringConstraints(pattern=r"^[0-9A-Za-z][0-9A-Za-z._+-]{0,99}$")]


class Body(BaseModel):
    """What is sent; unknown fields are refused."""

    model_config = ConfigDict(extra="forbid")


class Word(Body):
    """A comment, or why."""

    comment: Text = ""


class OpenMetrics(Response):
    """A page of metrics."""

    media_type = CONTENT_TYPE_LATEST


def router_of(
    room: str,
    *,
    prefix: str = "/api",
    refused: dict[int | str, dict[str, Any]] | None = None,
    route_class: type[APIRoute] = RepeatableRoute,
) -> APIRouter:
    """A router for a room; who may come in is said by each of its routes."""
    said = documented(HTTPStatus.UNAUTHORIZED, HTTPStatus.FORBIDDEN, HTTPStatus.UNPROCESSABLE_ENTITY)
    return APIRouter(prefix=prefix, tags=[room], responses=said | (refused or {}), route_class=route_class)
