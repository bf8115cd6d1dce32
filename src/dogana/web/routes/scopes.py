"""Scopes: named sets of tickets, and how far each is."""

from typing import Any

from fastapi.responses import JSONResponse

from dogana.service.estate import scopes
from dogana.service.estate.scopes import Scope, ScopeName, ScopeView
from dogana.web.access import Commenter, Decider, Reader, UsesBackend
from dogana.web.idempotency import REPEATABLE
from dogana.web.routing import DECIDED, MISSING, Id, Word, router_of

router = router_of("scopes")


@router.get("/scopes")
async def list_scopes(actor: Reader, backend: UsesBackend) -> list[ScopeName]:
    """Every scope, the open ones first."""
    return await scopes.every(backend, actor)


@router.post("/scopes", dependencies=REPEATABLE, responses=DECIDED)
async def make_scope(new: Scope, actor: Commenter, backend: UsesBackend) -> ScopeView:
    """Make a scope."""
    return await scopes.keep(backend, actor, None, new)


@router.get("/scopes/{number}", responses=MISSING)
async def get_scope(number: Id, actor: Reader, backend: UsesBackend) -> ScopeView:
    """A scope with where each of its tickets is now."""
    return await scopes.view(backend, actor, number)


@router.put("/scopes/{number}", responses=DECIDED)
async def change_scope(number: Id, new: Scope, actor: Commenter, backend: UsesBackend) -> ScopeView:
    """Change a scope; what comes in and goes out is on record."""
    return await scopes.keep(backend, actor, number, new)


@router.post("/scopes/{number}/agree", responses=DECIDED)
async def agree_on_scope(number: Id, actor: Decider, backend: UsesBackend) -> ScopeView:
    """Agree on a scope as it is."""
    return await scopes.agree(backend, actor, number)


@router.post("/scopes/{number}/declare", responses=DECIDED)
async def declare_scope(number: Id, word: Word, actor: Decider, backend: UsesBackend) -> ScopeView:
    """Declare a scope complete; with a reason where something of it is not everywhere."""
    return await scopes.declare(backend, actor, number, comment=word.comment)


@router.get("/scopes/{number}/pack", responses=MISSING)
async def get_scope_pack(number: Id, actor: Reader, backend: UsesBackend) -> JSONResponse:
    """The evidence of a scope as a file."""
    found: dict[str, Any] = await scopes.pack(backend, actor, number)
    headers = {"Content-Disposition": f'attachment; filename="scope-{number}.json"'}
    return JSONResponse(found, headers=headers)
