"""Reading the ledger."""

from collections.abc import AsyncIterator
from typing import Annotated

from fastapi import Query
from fastapi.responses import StreamingResponse

from dogana.service.ledger import audit
from dogana.service.views import ledger as ledger_pages
from dogana.service.views.ledger import LedgerFilters, LedgerPage
from dogana.store.ledger import EntryFilter
from dogana.web.access import Reader, UsesBackend
from dogana.web.routing import router_of

router = router_of("ledger", prefix="/api/ledger")


_Id = Annotated[int | None, Query(ge=1, lt=2**63)]

_Name = Annotated[str | None, Query(max_length=100, pattern=r"^[^\x00]*$")]


@router.get("")
async def entries(
    actor: Reader,
    backend: UsesBackend,
    before: _Id = None,
    promotion: _Id = None,
    person: _Name = None,
    environment: _Name = None,
    service: _Name = None,
    action: _Name = None,
    words: _Name = None,
    limit: Annotated[int, Query(ge=1, le=200)] = 50,
) -> LedgerPage:
    """Entries that fit, the latest first."""
    wanted = EntryFilter(
        before=before,
        promotion=promotion,
        actor=person,
        environment=environment,
        service=service,
        action=action,
        words=words,
    )
    return await ledger_pages.ledger_page(backend, actor, wanted, limit)


@router.get("/filters")
async def filters(actor: Reader, backend: UsesBackend) -> LedgerFilters:
    """What the ledger can be narrowed to."""
    return await ledger_pages.ledger_filters(backend, actor)


@router.get(
    "/export",
    response_class=StreamingResponse,
    responses={200: {"content": {"application/jsonl": {}}, "description": "JSON Lines"}},
)
async def export(_: Reader, backend: UsesBackend) -> StreamingResponse:
    """The whole ledger with its checkpoints; verifies offline with `dogana ledger verify FILE --key KEY`."""

    async def lines() -> AsyncIterator[str]:
        async for line in audit.export(backend):
            yield line + "\n"

    headers = {"Content-Disposition": 'attachment; filename="ledger.jsonl"'}
    return StreamingResponse(lines(), media_type="application/jsonl", headers=headers)
