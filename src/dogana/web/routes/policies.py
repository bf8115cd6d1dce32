"""Policies: their schema, their versions, drafting and adopting."""

from http import HTTPStatus
from typing import Annotated, Any

from fastapi import Query
from fastapi.responses import StreamingResponse
from pydantic import Field

from dogana.core.document import Instant, Slug
from dogana.core.policy.document import policy_schema
from dogana.service.policies import board, drafts, rehearsal, starting, versions
from dogana.service.policies.board import Board, Changes
from dogana.service.policies.starting import StartingPoint
from dogana.service.policies.versions import PolicyView
from dogana.service.views import preview
from dogana.service.views.preview import Preview
from dogana.web.access import PolicyAdopter, PolicyWriter, Reader, UsesBackend
from dogana.web.routing import CONFLICT, MISSING, Body, Text, router_of

router = router_of("policies", refused=MISSING)


class NewDraft(Body):
    """A policy document, as plain JSON or as YAML text."""

    document: dict[str, Any] | str


class Adoption(Body):
    """Why a draft is put in force."""

    reason: Text = ""
    in_force_from: Instant | None = None
    """From when on; at once when left out."""


@router.get("/policy-schema")
async def schema() -> dict[str, Any]:
    """The JSON Schema of policy documents."""
    return policy_schema()


@router.get("/environments/{environment}/policies")
async def list_versions(environment: Slug, actor: Reader, backend: UsesBackend) -> list[PolicyView]:
    """Every version of an environment's policy, newest first."""
    return await versions.policy_versions(backend, actor, environment)


@router.get("/environments/{environment}/policy-starts")
async def starts(
    environment: Slug,
    actor: Reader,
    backend: UsesBackend,
    group: Annotated[list[Slug] | None, Query(max_length=2)] = None,
) -> list[StartingPoint]:
    """Policies to begin with, whose seats these groups take."""
    return await starting.starting_points(backend, actor, environment, group or ())


@router.delete(
    "/environments/{environment}/policies/{version}",
    status_code=HTTPStatus.NO_CONTENT,
    responses=CONFLICT,
)
async def drop(
    environment: Slug,
    version: Annotated[int, Field(ge=1, lt=2**31)],
    actor: PolicyWriter,
    backend: UsesBackend,
) -> None:
    """Let a draft be that nobody has adopted."""
    await drafts.drop(backend, actor, environment, version)


@router.post("/environments/{environment}/policies", status_code=HTTPStatus.CREATED)
async def draft(environment: Slug, new: NewDraft, actor: PolicyWriter, backend: UsesBackend) -> PolicyView:
    """Draft a new version."""
    row = await drafts.draft(backend, actor, environment, new.document)
    return await versions.drafted(backend, actor, row)


@router.get("/policy-board")
async def policy_board(actor: Reader, backend: UsesBackend) -> Board:
    """Every policy in force, rules down and environments across."""
    return await board.board(backend, actor)


@router.get("/environments/{environment}/policies/{version}/changes")
async def changes(
    environment: Slug,
    version: Annotated[int, Field(ge=1, lt=2**31)],
    actor: Reader,
    backend: UsesBackend,
    since: Annotated[int | None, Query(ge=1, lt=2**31)] = None,
) -> Changes:
    """What a version changed against an earlier one, or the one before it."""
    return await board.changes(backend, actor, environment, version, since)


@router.post("/environments/{environment}/policies/preview")
async def preview_document(environment: Slug, new: NewDraft, actor: Reader, backend: UsesBackend) -> Preview:
    """What a document would change if it were adopted now; nothing is kept."""
    return await preview.preview(backend, actor, environment, new.document)


@router.post(
    "/environments/{environment}/policies/rehearsal",
    response_class=StreamingResponse,
    responses={HTTPStatus.OK: {"content": {"application/jsonl": {}}, "description": "`Progress` by line"}},
)
async def rehearse(
    environment: Slug,
    new: NewDraft,
    actor: Reader,
    backend: UsesBackend,
    days: Annotated[int, Query(ge=1, le=3650)] = 90,
) -> StreamingResponse:
    """Hold the past against a document: JSON Lines, each says how far it is, the last one the outcome.

    It ends when the connection does.
    """
    steps = await rehearsal.rehearse(backend, actor, environment, new.document, days)
    lines = (step.model_dump_json() + "\n" async for step in steps)
    return StreamingResponse(lines, media_type="application/jsonl")


@router.post("/environments/{environment}/policies/{version}/adopt", responses=CONFLICT)
async def adopt(
    environment: Slug,
    version: Annotated[int, Field(ge=1, lt=2**31)],
    adoption: Adoption,
    actor: PolicyAdopter,
    backend: UsesBackend,
) -> PolicyView:
    """Put a draft in force, by a second person."""
    row = await drafts.adopt(
        backend, actor, environment, version, reason=adoption.reason, in_force_from=adoption.in_force_from
    )
    return await versions.policy_version(backend, actor, row)
