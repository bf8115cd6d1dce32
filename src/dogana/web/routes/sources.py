"""The outside systems: set up, and tried."""

from functools import cache
from http import HTTPStatus
from typing import Annotated, Any

from fastapi import Response
from pydantic import StringConstraints

from dogana.core.document import Slug, with_examples
from dogana.service.sources import connection_test, registry
from dogana.service.sources.connection_test import ConnectionTest
from dogana.service.sources.registry import KeptSource, SourceView
from dogana.sources.settings import SETTINGS, SourceKind
from dogana.web.access import Administrator, Reader, UsesBackend
from dogana.web.idempotency import IfMatch, seen, tag
from dogana.web.routing import CHANGED, CONFLICT, MISSING, UNSEALED, Body, Title, router_of

router = router_of("sources")


Secret = Annotated[str, StringConstraints(max_length=2000, pattern=r"^[\x20-\x7e]*$")]


class SourceSetting(Body):
    """A source as it is to be."""

    model_config = with_examples(
        {
            "kind": "tickets",
            "title": "the ticket tracker",
            "settings": {
                "address": "https://tickets.example/rest/issue/{key}",
                "status": "/fields/status/name",
                "title": "/fields/summary",
            },
            "secret": "Bearer ...",
        }
    )

    kind: SourceKind
    title: Title
    settings: dict[str, Any]
    """Those of its kind; see `GET /api/source-kinds`."""
    secret: Secret | None = None
    """Sent whole in the header that the settings name; the one kept when left out, none when empty."""


class SourceTrial(Body):
    """A source to be tried before it is set up."""

    kind: SourceKind
    settings: dict[str, Any]
    secret: Secret | None = None
    source: Slug | None = None
    """Whose secret is used when none is given."""
    ask: Annotated[str, StringConstraints(max_length=500)] = ""
    """What to ask it: a ticket's key, a query, a repository's address."""


@router.get("/source-kinds")
def kinds(_: Reader) -> dict[SourceKind, dict[str, Any]]:
    """The JSON Schema of each kind of source's settings."""
    # Beside the event loop: the first time, the settings' source text is read for what it says of each.
    return _schemas()


@cache
def _schemas() -> dict[SourceKind, dict[str, Any]]:
    return {kind: model.model_json_schema() for kind, model in SETTINGS.items()}


@router.get("/sources")
async def list_sources(actor: Reader, backend: UsesBackend) -> list[SourceView]:
    """Every source with its state."""
    return await registry.all_sources(backend, actor)


@router.put("/sources/{name}", responses=UNSEALED | CHANGED | CONFLICT)
async def keep_source(
    name: Slug,
    wanted: SourceSetting,
    response: Response,
    actor: Administrator,
    backend: UsesBackend,
    if_match: IfMatch = None,
) -> KeptSource:
    """Set up a source, or change it; how it is read takes a second person, where there is one."""
    expected = seen(if_match)
    kept = await registry.keep(
        backend,
        actor,
        name,
        kind=wanted.kind,
        title=wanted.title,
        settings=wanted.settings,
        secret=wanted.secret,
        expected=expected,
    )
    if kept.version is not None:
        tag(response, str(kept.version))
    return kept


@router.delete("/sources/{name}", status_code=HTTPStatus.NO_CONTENT, responses=MISSING)
async def drop_source(name: Slug, actor: Administrator, backend: UsesBackend) -> None:
    """Take a source away."""
    await registry.drop(backend, actor, name)


@router.post("/source-trials", responses=UNSEALED)
async def try_source(trial: SourceTrial, actor: Administrator, backend: UsesBackend) -> ConnectionTest:
    """Ask a source something and show what came back; nothing is kept."""
    return await connection_test.run(
        backend,
        actor,
        kind=trial.kind,
        given=trial.settings,
        secret=trial.secret,
        source=trial.source,
        asked=trial.ask,
    )
