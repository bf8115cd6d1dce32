"""Scopes: named sets of tickets, and how far each is."""

from typing import Annotated, Any

from fastapi.responses import JSONResponse
from pydantic import Field

from dogana.service.estate import scopes
from dogana.service.estate.scopes import Key, Scope, ScopeName, ScopeView
from dogana.web.access import Commenter, Decider, Reader, UsesBackend
from dogana.web.idempotency import REPEATABLE, IfMatch, seen
from dogana.web.routing import CHANGED, DECIDED, MISSING, Id, Word, router_of

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


@router.put("/scopes/{number}", responses=DECIDED | CHANGED)
async def change_scope(
    number: Id, new: Scope, actor: Commenter, backend: UsesBackend, if_match: IfMatch = None
) -> ScopeView:
    """Change a scope; what comes in and goes out is on record."""
    return await scopes.keep(backend, actor, number, new, seen(if_match))


class OnScope(Word):
    """A word on a scope as one was shown it."""

    tickets: Annotated[list[Key], Field(max_length=500)]
    """The keys of its tickets."""


@router.post("/scopes/{number}/agree", responses=DECIDED)
async def agree_on_scope(number: Id, word: OnScope, actor: Decider, backend: UsesBackend) -> ScopeView:
    """Agree on a scope as it was shown."""
    return await scopes.agree(backend, actor, number, word.tickets)


@router.post("/scopes/{number}/declare", responses=DECIDED)
async def declare_scope(number: Id, word: OnScope, actor: Decider, backend: UsesBackend) -> ScopeView:
    """Declare a scope complete; with a reason where something of it is not everywhere."""
    return await scopes.declare(backend, actor, number, word.tickets, comment=word.comment)


@router.get("/scopes/{number}/pack", responses=MISSING)
async def get_scope_pack(number: Id, actor: Reader, backend: UsesBackend) -> JSONResponse:
    """The evidence of a scope as a file."""
    found: dict[str, Any] = await scopes.pack(backend, actor, number)
    headers = {"Content-Disposition": f'attachment; filename="scope-{number}.json"'}
    return JSONResponse(found, headers=headers)
