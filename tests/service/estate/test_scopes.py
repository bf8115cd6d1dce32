"""Scopes: how far each ticket is, what changed since it was agreed, and when it is complete."""

import json
from datetime import timedelta

import httpx
import pytest
from tests.world import World

from dogana.core.errors import (
    ChangedError,
    ChangedSinceShownError,
    ConflictError,
    InvalidError,
    NotFoundError,
)
from dogana.core.routes import Route
from dogana.demo.cast import ACTORS
from dogana.service.estate import scope_changes, scopes
from dogana.service.estate.scopes import Scope, ScopeView
from dogana.service.landscape import setting_up
from dogana.service.preconditions import Seen
from dogana.service.sources import registry
from dogana.sources.tickets import HttpTracker

ILSE, NOOR, WANJIRU, DARIO = (ACTORS[name] for name in ("ilse", "noor", "wanjiru", "dario"))


async def short_route(world: World) -> None:
    """One that ends with rehearsal."""
    route = Route(title="Standard route", legs=(("bench",), ("rehearsal",)))
    await world.seconded(setting_up.keep_route(world.backend, DARIO, "standard", route, None))


async def states(world: World, number: int) -> dict[str, str]:
    found = await scopes.view(world.backend, WANJIRU, number)
    return {one.key: one.state for one in found.lines}


@pytest.mark.thorough
async def test_each_ticket_is_as_far_as_what_carries_it(world: World):
    """Everywhere only once it runs where its route ends; what waits says why; what nothing carries, too."""
    await short_route(world)
    wanted = Scope(title="Spring", tickets=("taps-1", "TAPS-2", "TAPS-2", "TAPS-9"), themes=("bills",))
    made = await scopes.keep(world.backend, NOOR, None, wanted)
    assert made.scope.tickets == ("TAPS-1", "TAPS-2", "TAPS-9")
    assert await states(world, made.number) == {"TAPS-1": "nowhere", "TAPS-2": "nowhere", "TAPS-9": "nowhere"}
    await world.landed("bench", "1.1.0")
    await world.landed("rehearsal", "1.1.0")
    await world.landed("bench", "1.2.0")
    await world.ask("rehearsal", "1.2.0")
    found = await scopes.view(world.backend, WANJIRU, made.number)
    assert {one.key: one.state for one in found.lines} == {
        "TAPS-1": "everywhere",
        "TAPS-2": "on its way",
        "TAPS-9": "nowhere",
    }
    assert found.says == "One of three tickets is everywhere, one is on the way, one is in nothing yet."
    assert [one.title for one in found.lines] == ["Work 1", "Work 2", None]
    assert "seats" in (found.lines[1].tracks[0].stops[-1].says or "")
    world.unavailable.add("TAPS")
    unread = await scopes.view(world.backend, WANJIRU, made.number)
    assert any("could not be read" in one for one in unread.unknown)
    with pytest.raises(NotFoundError):
        await scopes.view(world.backend, WANJIRU, made.number + 1)


async def changed(world: World, made: ScopeView, *tickets: str) -> ScopeView:
    world.clock.now += timedelta(hours=1)
    wanted = made.scope.model_copy(update={"tickets": tickets})
    return await scopes.keep(world.backend, NOOR, made.number, wanted)


@pytest.mark.thorough
async def test_what_changed_since_it_was_agreed_is_told_apart(world: World):
    """With who did it; and complete it changes no more, is declared once, and not past what is missing."""
    await short_route(world)
    made = await scopes.keep(world.backend, NOOR, None, Scope(title="Spring", tickets=("TAPS-1",)))
    await changed(world, made, "TAPS-1", "TAPS-2")
    seen = ("TAPS-1", "TAPS-2")
    with pytest.raises(InvalidError, match="not everywhere"):
        await scopes.declare(world.backend, ILSE, made.number, seen, comment="")
    with pytest.raises(ConflictError, match="agreed"):
        await scopes.declare(world.backend, ILSE, made.number, seen, comment="x")
    with pytest.raises(ChangedSinceShownError, match="TAPS-2 came in since you looked"):
        await scopes.agree(world.backend, ILSE, made.number, made.scope.tickets)
    agreed = await scopes.agree(world.backend, ILSE, made.number, seen)
    assert agreed.changes == []
    with pytest.raises(ConflictError):
        await scopes.agree(world.backend, ILSE, made.number, seen)
    late = made.scope.model_copy(update={"title": "Late"})
    with pytest.raises(ChangedError):
        await scopes.keep(world.backend, NOOR, made.number, late, Seen(versions=frozenset({made.version})))
    after = await changed(world, made, "TAPS-1", "TAPS-3")
    assert [(one.by, one.added, one.removed) for one in after.changes] == [
        (NOOR.name, ["TAPS-3"], ["TAPS-2"])
    ]
    for version in ("1.1.0", "1.3.0"):
        await world.landed("bench", version)
        await world.landed("rehearsal", version)
    with pytest.raises(ChangedSinceShownError, match="TAPS-3 came in and TAPS-2 went out"):
        await scopes.declare(world.backend, ILSE, made.number, seen, comment="x")
    done = await scopes.declare(world.backend, ILSE, made.number, ("TAPS-1", "TAPS-3"), comment="")
    assert done.declared_by is not None
    for act in (
        lambda: changed(world, made, "TAPS-1"),
        lambda: scopes.agree(world.backend, ILSE, made.number, seen),
    ):
        with pytest.raises(ConflictError):
            await act()
    await world.sequence()
    assert (await world.verified()).verified
    pack = await scopes.pack(world.backend, WANJIRU, made.number)
    carried = {(one["ticket"], one["environment"]): one for one in pack["promotions"]}
    assert carried["TAPS-1", "rehearsal"]["sheet"].startswith("sha256:")
    assert pack["checkpoint"]


async def test_a_query_keeps_it_up_and_one_that_fails_leaves_what_was_known(world: World):
    """Nonsense, silence and too much are no tickets gone; each change is on record by its tracker."""
    said = {"body": json.dumps({"keys": ["TAPS-1", {"key": "TAPS-2"}]}), "status": 200}

    def answer(request: httpx.Request) -> httpx.Response:
        if request.url.path != "/search":
            return httpx.Response(404)
        return httpx.Response(said["status"], text=said["body"])

    settings = {
        "address": "http://tracker/tickets/{key}",
        "search": "http://tracker/search?q={query}",
        "found": "/keys",
    }
    await world.seconded(
        registry.keep(
            world.backend,
            DARIO,
            "tickets",
            kind="tickets",
            title="the ticket tracker",
            settings=settings,
            secret=None,
            expected=None,
        )
    )
    async with httpx.AsyncClient(transport=httpx.MockTransport(answer)) as client:
        object.__setattr__(world.backend, "tracker", HttpTracker(client, world.clock))
        wanted = Scope(title="Spring", source="tickets", query="theme = bills")
        number = (await scopes.keep(world.backend, NOOR, None, wanted)).number

        async def tickets() -> tuple[tuple[str, ...], bool]:
            world.clock.now += timedelta(minutes=6)
            await scope_changes.follow_queries(world.backend)
            found = await scopes.view(world.backend, WANJIRU, number)
            return found.scope.tickets, any("query" in one for one in found.unknown)

        assert await tickets() == (("TAPS-1", "TAPS-2"), False)
        many = json.dumps({"keys": [f"TAPS-{n}" for n in range(501)]})
        odd = ("", "<html>", "[]", "{}", '{"keys": 7}', '{"keys": [7]}', '{"keys": [{"id": 1}]}', many)
        for body in odd:
            said["body"] = body
            assert await tickets() == (("TAPS-1", "TAPS-2"), True), body
        said["body"], said["status"] = '{"keys": []}', 500
        assert await tickets() == (("TAPS-1", "TAPS-2"), True)
        said["body"], said["status"] = '{"keys": ["TAPS-2"]}', 200
        assert await tickets() == (("TAPS-2",), False)
        found = await scopes.view(world.backend, WANJIRU, number)
        assert (found.changes[0].by, found.changes[0].removed) == ("the ticket tracker", ["TAPS-1"])
    with pytest.raises(InvalidError):
        await scopes.keep(world.backend, NOOR, None, Scope(title="x", source="none", query="y"))
