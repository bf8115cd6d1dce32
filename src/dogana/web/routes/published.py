"""What is shown elsewhere, by a token of the scope `feed` in the address: a feed of landings, badges."""

from typing import Annotated, Any

from fastapi import Response
from pydantic import StringConstraints

from dogana.core.document import EnvironmentId, Slug
from dogana.service.estate import published
from dogana.service.estate.published import CommitStatus
from dogana.service.people import tokens
from dogana.web.access import UsesBackend
from dogana.web.routing import MISSING, router_of

router = router_of("estate")

FeedToken = Annotated[str, StringConstraints(max_length=200)]
Revision = Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{40,64}$")]
_A_MINUTE = {"Cache-Control": "private, max-age=60"}


def _as(media_type: str) -> dict[int | str, dict[str, Any]]:
    return {200: {"content": {media_type: {}}, "description": "What was asked for"}}


@router.get(
    "/feeds/{token}/landings.atom",
    response_class=Response,
    responses=_as("application/atom+xml"),
)
async def landings(token: FeedToken, backend: UsesBackend) -> Response:
    """The landings of thirty days, a hundred at most, as Atom (RFC 4287)."""
    actor = await tokens.actor_by_token(backend, token)
    body = await published.landings(backend, actor)
    return Response(body, media_type="application/atom+xml", headers=_A_MINUTE)


@router.get(
    "/feeds/{token}/badge/{service}/{environment}.svg",
    response_class=Response,
    responses=MISSING | _as("image/svg+xml"),
)
async def badge(
    token: FeedToken, service: Slug, environment: EnvironmentId, backend: UsesBackend
) -> Response:
    """What runs of a service in an environment, as a small picture."""
    actor = await tokens.actor_by_token(backend, token)
    body = await published.badge(backend, actor, service, environment)
    return Response(body, media_type="image/svg+xml", headers=_A_MINUTE)


@router.get("/feeds/{token}/commit/{service}/{revision}.json", responses=MISSING)
async def commit(token: FeedToken, service: Slug, revision: Revision, backend: UsesBackend) -> CommitStatus:
    """How what was built from a commit stands, everywhere it was asked for."""
    return await published.commit(backend, await tokens.actor_by_token(backend, token), service, revision)


@router.get(
    "/feeds/{token}/commit/{service}/{revision}.svg",
    response_class=Response,
    responses=MISSING | _as("image/svg+xml"),
)
async def commit_badge(token: FeedToken, service: Slug, revision: Revision, backend: UsesBackend) -> Response:
    """The same in a few words, as a small picture."""
    actor = await tokens.actor_by_token(backend, token)
    body = await published.commit_badge(backend, actor, service, revision)
    return Response(body, media_type="image/svg+xml", headers=_A_MINUTE)
