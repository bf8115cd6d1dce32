"""Everything that Set-up keeps as one document."""

from typing import Annotated

from fastapi import Query

from dogana.service.configuration import applying, exporting
from dogana.service.configuration.applying import Applied
from dogana.service.configuration.document import Setup
from dogana.web.access import Administrator, UsesBackend
from dogana.web.routing import CONFLICT, UNSEALED, router_of

router = router_of("configuration", refused=UNSEALED)


@router.get("/setup", response_model_exclude_none=True)
async def export(actor: Administrator, backend: UsesBackend) -> Setup:
    """Everything as it is set up now; its secrets stay where they are."""
    return await exporting.export(backend, actor)


@router.put("/setup", responses=CONFLICT)
async def apply(
    wanted: Setup, actor: Administrator, backend: UsesBackend, dry_run: Annotated[bool, Query()] = False
) -> Applied:
    """Set up what a document says, all of it or nothing; with `dry_run`, say what that would change."""
    return await applying.apply(backend, actor, wanted, dry_run=dry_run)
