"""Environments, routes, services; releases and their evidence; closings."""

from http import HTTPStatus
from typing import Annotated

from fastapi import Query, Request, Response
from pydantic import Field, StringConstraints

from dogana.core.document import EnvironmentId, Instant, Slug
from dogana.core.errors import InvalidError, UnknownNameError
from dogana.core.facts import Artifact, Report
from dogana.core.routes import Route
from dogana.service.landscape import (
    closings,
    environments,
    evidence,
    releases,
    repositories,
    retiring,
    setting_up,
)
from dogana.service.landscape.closings import ClosingView
from dogana.service.landscape.documents import Environment, Service, version_of
from dogana.service.landscape.releases import ReleasePage, ReleaseView
from dogana.service.landscape.retiring import Removed
from dogana.service.shapes import ChangeOutcome
from dogana.sources.reports import LARGEST, Format
from dogana.web.access import Administrator, Decider, Reader, Requester, UsesBackend
from dogana.web.bodies import bounded
from dogana.web.idempotency import REPEATABLE, IfMatch, seen, tag
from dogana.web.routing import (
    CHANGED,
    CONFLICT,
    DECIDED,
    MISSING,
    TOO_LARGE,
    Body,
    Id,
    Text,
    VersionText,
    router_of,
)
from dogana.web.strict import FileRoute

router = router_of("landscape")
uploads = router_of("landscape", route_class=FileRoute)


_FILE = {
    "requestBody": {
        "content": {"application/octet-stream": {"schema": {"type": "string", "format": "binary"}}},
        "required": True,
    }
}

Version = Annotated[str, StringConstraints(max_length=100, pattern=r"^[^\x00]*$")]

Cursor = Annotated[int | None, Query(ge=1, lt=2**63)]


class NewRelease(Body):
    """What was built."""

    version: VersionText
    revision: Annotated[str, StringConstraints(max_length=200)]
    """Branch, tag or commit it was built from."""
    artifacts: Annotated[list[Artifact], Field(min_length=1, max_length=200)]

    model_config = Body.model_config | {
        "json_schema_extra": {
            "examples": [
                {
                    "version": "12.4.0",
                    "revision": "v12.4.0",
                    "artifacts": [
                        {"name": "portal.tar.gz", "digest": "sha256:" + "0" * 64, "size": 18_204_113}
                    ],
                }
            ]
        }
    }


@router.get("/environments")
async def list_environments(actor: Reader, backend: UsesBackend) -> dict[str, Environment]:
    """Every environment by id, with previews, classes and templates."""
    return await environments.environments(backend, actor)


@router.put("/environments/{name}", responses=CHANGED | CONFLICT)
async def keep_environment(
    name: Slug,
    wanted: Environment,
    response: Response,
    actor: Administrator,
    backend: UsesBackend,
    if_match: IfMatch = None,
) -> ChangeOutcome:
    """Set up an environment, or change it."""
    outcome = await setting_up.keep_environment(backend, actor, name, wanted, seen(if_match))
    if outcome.waits is None:
        tag(response, version_of(wanted))
    return outcome


@router.delete("/environments/{name}", responses=DECIDED)
async def remove_environment(name: Slug, actor: Administrator, backend: UsesBackend) -> Removed:
    """Take an environment away: deleted where nothing on record refers to it, else retired."""
    return await retiring.remove_environment(backend, actor, name)


@router.get("/environments/{name}", responses=MISSING)
async def environment(name: Slug, response: Response, actor: Reader, backend: UsesBackend) -> Environment:
    """One environment, with its state as ETag."""
    found = await environments.environment(backend, actor, name)
    tag(response, version_of(found))
    return found


@router.get("/travel-routes")
async def list_routes(actor: Reader, backend: UsesBackend) -> dict[str, Route]:
    """Every route by id, as it was set up."""
    return await environments.routes(backend, actor)


@router.delete("/travel-routes/{name}", responses=DECIDED)
async def remove_route(name: Slug, actor: Administrator, backend: UsesBackend) -> Removed:
    """Take a route away: deleted where nothing on record refers to it, else retired."""
    return await retiring.remove_route(backend, actor, name)


@router.get("/travel-routes/{name}", responses=MISSING)
async def route(name: Slug, response: Response, actor: Reader, backend: UsesBackend) -> Route:
    """One route, with its state as ETag."""
    found = await environments.route(backend, actor, name)
    tag(response, version_of(found))
    return found


@router.put("/travel-routes/{name}", responses=CHANGED | CONFLICT)
async def keep_route(
    name: Slug,
    wanted: Route,
    response: Response,
    actor: Administrator,
    backend: UsesBackend,
    if_match: IfMatch = None,
) -> ChangeOutcome:
    """Set up a route, or change it."""
    outcome = await setting_up.keep_route(backend, actor, name, wanted, seen(if_match))
    if outcome.waits is None:
        tag(response, version_of(wanted))
    return outcome


@router.get("/services")
async def list_services(actor: Reader, backend: UsesBackend) -> dict[str, Service]:
    """Every service by id."""
    return await environments.services(backend, actor)


@router.delete("/services/{name}", responses=DECIDED)
async def remove_service(name: Slug, actor: Administrator, backend: UsesBackend) -> Removed:
    """Take a service away: deleted where nothing on record refers to it, else retired."""
    return await retiring.remove_service(backend, actor, name)


@router.get("/services/{name}", responses=MISSING)
async def service(name: Slug, response: Response, actor: Reader, backend: UsesBackend) -> Service:
    """One service, with its state as ETag."""
    found = await environments.service(backend, actor, name)
    tag(response, version_of(found))
    return found


@router.put("/services/{name}", responses=CHANGED | CONFLICT)
async def keep_service(
    name: Slug,
    wanted: Service,
    response: Response,
    actor: Administrator,
    backend: UsesBackend,
    if_match: IfMatch = None,
    untried: Annotated[bool, Query()] = False,
) -> ChangeOutcome:
    """Set up a service, or change it; another repository is read first, unless it is still to come."""
    if not untried:
        await repositories.must_be_read(backend, actor, name, wanted)
    outcome = await setting_up.keep_service(backend, actor, name, wanted, seen(if_match))
    if outcome.waits is None:
        tag(response, version_of(wanted))
    return outcome


@router.get("/services/{service}/releases")
async def list_releases(
    service: Slug,
    actor: Reader,
    backend: UsesBackend,
    after: Cursor = None,
    limit: Annotated[int, Query(ge=1, le=100)] = 50,
) -> ReleasePage:
    """Releases, the latest first; `after` is the `next` of the page before."""
    found, following = await releases.releases(backend, actor, service, after, limit)
    return ReleasePage(releases=found, next=following)


@router.post(
    "/services/{service}/releases",
    status_code=HTTPStatus.CREATED,
    responses=CONFLICT,
    dependencies=REPEATABLE,
)
async def register(service: Slug, new: NewRelease, actor: Requester, backend: UsesBackend) -> ReleaseView:
    """Put a release on record with its artifacts, or add artifacts before its first promotion."""
    await releases.register(
        backend, actor, service, new.version, revision=new.revision, artifacts=tuple(new.artifacts)
    )
    return await releases.release(backend, actor, service, new.version)


@router.get("/services/{service}/releases/{version}", responses=MISSING)
async def release(service: Slug, version: Version, actor: Reader, backend: UsesBackend) -> ReleaseView:
    """One release."""
    return await releases.release(backend, actor, service, version)


@router.post(
    "/services/{service}/releases/{version}/evidence",
    status_code=HTTPStatus.NO_CONTENT,
    dependencies=REPEATABLE,
)
async def attach(
    service: Slug, version: Version, report: Report, actor: Requester, backend: UsesBackend
) -> None:
    """Keep a piece of evidence, already read, with a release: an attestation, a link."""
    await evidence.attach(backend, actor, service, version, report)


@uploads.put(
    "/services/{service}/releases/{version}/evidence/{name}",
    openapi_extra=_FILE,
    responses=TOO_LARGE,
)
async def upload(
    service: Slug,
    version: Version,
    name: Slug,
    request: Request,
    actor: Requester,
    backend: UsesBackend,
    form: Annotated[Format, Query(alias="format")],
    file: Annotated[str, Query(max_length=200, pattern=r"^[^\x00-\x1f/\\]*$")] = "report",
    by: Annotated[str, Query(max_length=200, pattern=r"^[^\x00]*$")] = "",
    produced_at: Instant | None = None,
) -> Report:
    """Read a report file and keep it, with its bytes, with a release; plain, gzip or zip."""
    media_type = request.headers.get("Content-Type", "application/octet-stream")
    came = evidence.File(name=file, media_type=media_type, body=await bounded(request, LARGEST))
    sent = evidence.SentReport(name=name, form=form, file=came, produced_at=produced_at, by=by)
    return await evidence.upload(backend, actor, service, version, sent)


@router.get(
    "/services/{service}/releases/{version}/evidence/{name}/file",
    response_class=Response,
    responses=MISSING | {200: {"content": {"application/octet-stream": {}}, "description": "The file"}},
)
async def raw(service: Slug, version: Version, name: Slug, actor: Reader, backend: UsesBackend) -> Response:
    """The file that a piece of evidence was read from, byte for byte."""
    try:
        found = await evidence.raw(backend, actor, service, version, name)
    except UnknownNameError as exc:
        raise InvalidError(exc.detail) from exc
    safe = "".join(c for c in found.name if c.isascii() and (c.isalnum() or c in "._-")) or "report"
    headers = {"Content-Disposition": f'attachment; filename="{safe}"'}
    return Response(found.body, media_type="application/octet-stream", headers=headers)


class NewClosing(Body):
    """What is to be closed, until when, and why."""

    environment: EnvironmentId
    until: Instant
    """Within seven days."""
    reason: Text


class Opening(Body):
    """Why it is to be opened again."""

    reason: Text


@router.get("/closings")
async def list_closings(actor: Reader, backend: UsesBackend) -> list[ClosingView]:
    """What is closed at once now."""
    return await closings.closings(backend, actor)


@router.post("/closings", status_code=HTTPStatus.CREATED, responses=DECIDED)
async def close_now(new: NewClosing, actor: Decider, backend: UsesBackend) -> ClosingView:
    """Close an environment at once, by whom its policy names; no second person is needed."""
    return await closings.close_now(backend, actor, new.environment, until=new.until, reason=new.reason)


@router.post("/closings/{number}/open", responses=DECIDED)
async def open_again(number: Id, opening: Opening, actor: Decider, backend: UsesBackend) -> ClosingView:
    """Ask to open before the end or, as a second person, open."""
    return await closings.open_again(backend, actor, number, reason=opening.reason)
