"""Policies: their schema, their versions, drafting and adopting."""

from http import HTTPStatus
from typing import Annotated, Any

from fastapi import APIRouter
from pydantic import Field

from dogana.core.document import Slug
from dogana.core.policy.document import policy_schema
from dogana.service import policies, reading
from dogana.service.views import PolicyView
from dogana.web.access import UsesActor, UsesBackend
from dogana.web.problems import documented
from dogana.web.promotions import Body, Text

router = APIRouter(
    prefix="/api",
    tags=["policies"],
    responses=documented(
        HTTPStatus.UNAUTHORIZED, HTTPStatus.FORBIDDEN, HTTPStatus.NOT_FOUND, HTTPStatus.UNPROCESSABLE_ENTITY
    ),
)


class Draft(Body):
    """A policy document, as plain JSON or as YAML text."""

    document: dict[str, Any] | str


class Adoption(Body):
    """Why a draft is put in force."""

    reason: Text = ""


@router.get("/policy-schema")
async def schema() -> dict[str, Any]:
    """The JSON Schema of policy documents."""
    return policy_schema()


@router.get("/environments/{environment}/policies")
async def versions(environment: Slug, actor: UsesActor, backend: UsesBackend) -> list[PolicyView]:
    """Every version of an environment's policy, newest first."""
    return await reading.policy_versions(backend, actor, environment)


@router.post("/environments/{environment}/policies", status_code=HTTPStatus.CREATED)
async def draft(environment: Slug, new: Draft, actor: UsesActor, backend: UsesBackend) -> PolicyView:
    """Draft a new version."""
    return reading.policy_view(await policies.draft(backend, actor, environment, new.document))


@router.post(
    "/environments/{environment}/policies/{version}/adopt", responses=documented(HTTPStatus.CONFLICT)
)
async def adopt(
    environment: Slug,
    version: Annotated[int, Field(ge=1, lt=2**31)],
    adoption: Adoption,
    actor: UsesActor,
    backend: UsesBackend,
) -> PolicyView:
    """Put a draft in force, by a second person."""
    row = await policies.adopt(backend, actor, environment, version, reason=adoption.reason)
    return reading.policy_view(row)
