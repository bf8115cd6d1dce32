"""What is read: Desk, routes, file, calendar; who is looking, and saved filters."""

from http import HTTPStatus
from typing import Annotated

from fastapi import Path, Query
from pydantic import Field, StringConstraints

from dogana.core.document import EnvironmentId, Instant
from dogana.core.facts import Reading
from dogana.core.patch import CommitPatch
from dogana.service.views import changes, desk, dossier, presence, saved_filters, sharing, timeline
from dogana.service.views.changes import ChangePage
from dogana.service.views.desk import Desk, PromotionPage, RouteLine
from dogana.service.views.dossier import Dossier
from dogana.service.views.rows import Row
from dogana.service.views.sharing import MadeAddress, SharedView, StatusPage
from dogana.service.views.timeline import Timeline
from dogana.store.tables.promotions import State
from dogana.web.access import Commenter, Oneself, Reader, UsesBackend
from dogana.web.routing import MISSING, Body, Id, router_of

router = router_of("views")


_Line = r"^[^\x00-\x1f]*$"

FilterName = Annotated[str, Path(min_length=1, max_length=60, pattern=_Line)]


class KeptQuery(Body):
    """What a saved filter shows."""

    query: Annotated[str, StringConstraints(max_length=400, pattern=_Line)]
    """Of the address, without the question mark."""


@router.put("/promotions/{number}/looking", status_code=HTTPStatus.NO_CONTENT, responses=MISSING)
async def look(number: Id, actor: Oneself, backend: UsesBackend) -> None:
    """Say that one has it open; holds for three quarters of a minute."""
    await presence.look(backend, actor, number)


@router.delete("/promotions/{number}/looking", status_code=HTTPStatus.NO_CONTENT)
async def look_away(number: Id, actor: Oneself, backend: UsesBackend) -> None:
    """Say that one has closed it."""
    await presence.look_away(backend, actor, number)


@router.put("/filters/{name}", status_code=HTTPStatus.NO_CONTENT)
async def save_filter(name: FilterName, new: KeptQuery, actor: Oneself, backend: UsesBackend) -> None:
    """Keep a Desk as one likes to see it, under a name."""
    await saved_filters.save_filter(backend, actor, name, new.query)


@router.delete("/filters/{name}", status_code=HTTPStatus.NO_CONTENT)
async def drop_filter(name: FilterName, actor: Oneself, backend: UsesBackend) -> None:
    """Forget it."""
    await saved_filters.drop_filter(backend, actor, name)


Revision = Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{40,64}$")]

_Name = Annotated[EnvironmentId | None, Query()]


@router.get("/desk")
async def read_desk(actor: Reader, backend: UsesBackend) -> Desk:
    """All that is under way, and what ended within the last hour."""
    return await desk.desk(backend, actor)


@router.get("/routes")
async def routes(actor: Reader, backend: UsesBackend) -> list[RouteLine]:
    """The routes with their stations."""
    return await desk.route_lines(backend, actor)


@router.get("/timeline")
async def the_timeline(
    actor: Reader,
    backend: UsesBackend,
    start: Annotated[Instant, Query()],
    days: Annotated[int, Query(ge=1, le=62)] = 14,
) -> Timeline:
    """Every environment along time: closed times, set times, projected starts, landings."""
    return await timeline.timeline(backend, actor, start, days)


@router.get("/promotions")
async def page(
    actor: Reader,
    backend: UsesBackend,
    service: _Name = None,
    environment: _Name = None,
    state: Annotated[State | None, Query()] = None,
    after: Annotated[int | None, Query(ge=1, lt=2**63)] = None,
    limit: Annotated[int, Query(ge=1, le=100)] = 50,
) -> PromotionPage:
    """Promotions, the latest asked for first; `after` is the `next` of the page before."""
    return await desk.page(
        backend, actor, service=service, environment=environment, state=state, after=after, limit=limit
    )


@router.get("/promotions/{number}", responses=MISSING)
async def read_promotion(number: Id, actor: Reader, backend: UsesBackend) -> Row:
    """One promotion's row."""
    return await desk.promotion(backend, actor, number)


@router.get("/promotions/{number}/dossier", responses=MISSING)
async def read_dossier(number: Id, actor: Reader, backend: UsesBackend) -> Dossier:
    """One promotion's whole file."""
    return await dossier.dossier(backend, actor, number)


@router.get("/promotions/{number}/commits/{revision}", responses=MISSING)
async def commit(number: Id, revision: Revision, actor: Reader, backend: UsesBackend) -> Reading[CommitPatch]:
    """One commit that it brings, read in its repository now."""
    return await changes.patch(backend, actor, number, revision)


@router.get("/promotions/{number}/change", responses=MISSING)
async def change(
    number: Id,
    actor: Reader,
    backend: UsesBackend,
    commits_from: Annotated[int, Query(ge=0, le=10**6)] = 0,
    files_from: Annotated[int, Query(ge=0, le=10**6)] = 0,
) -> ChangePage:
    """Some more of the commits and files of a large change."""
    return await changes.change_page(backend, actor, number, commits_from=commits_from, files_from=files_from)


class Shared(Body):
    """For how long an address is to be good."""

    hours: Annotated[int, Field(ge=1, le=720)] = 72


class Address(Body):
    """An address that somebody shared; it comes in the body, so that no log of addresses holds it."""

    token: Annotated[str, StringConstraints(min_length=20, max_length=200, pattern=r"^[A-Za-z0-9_-]+$")]


@router.get("/promotions/{number}/shared")
async def shared(number: Id, actor: Reader, backend: UsesBackend) -> list[SharedView]:
    """The addresses at which it is read how it stands."""
    return await sharing.addresses(backend, actor, number)


@router.post("/promotions/{number}/shared", responses=MISSING)
async def share(number: Id, wanted: Shared, actor: Commenter, backend: UsesBackend) -> MadeAddress:
    """Let whoever has an address read how it stands, for some hours; the address is told once."""
    return await sharing.make(backend, actor, number, hours=wanted.hours)


@router.delete("/promotions/{number}/shared", status_code=HTTPStatus.NO_CONTENT, responses=MISSING)
async def end_shared(number: Id, actor: Commenter, backend: UsesBackend) -> None:
    """End every such address."""
    await sharing.end(backend, actor, number)


@router.post("/status", responses=MISSING)
async def status(given: Address, backend: UsesBackend) -> StatusPage:
    """How the promotion of an address stands."""
    return await sharing.look(backend, given.token)
