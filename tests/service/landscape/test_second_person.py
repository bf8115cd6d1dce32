"""What may let more through takes a second person; what asks for more acts at once."""

from dataclasses import replace
from typing import Any

import pytest
from tests.world import World, directory_at

from dogana.core.errors import ConflictError, InvalidError, RefusedError, SealingError
from dogana.core.routes import Route
from dogana.demo.cast import ACTORS
from dogana.service.actor import Role
from dogana.service.configuration import proposals
from dogana.service.landscape import environments, retiring, setting_up
from dogana.service.people import founding, sessions
from dogana.service.people.members import Member
from dogana.service.sealing import Keyring, new_key_line
from dogana.service.secrets import values
from dogana.service.shapes import ChangeOutcome
from dogana.service.sources import registry
from dogana.service.views import desk
from dogana.service.views import ledger as ledger_pages
from dogana.service.views.ledger import EntryView
from dogana.store import people
from dogana.store.ledger import EntryFilter

DARIO, MARCO, CHIARA = (ACTORS[who] for who in ("dario", "marco", "chiara"))
KEEP = {
    "environment": (environments.environment, setting_up.keep_environment),
    "route": (environments.route, setting_up.keep_route),
    "service": (environments.service, setting_up.keep_service),
}
FIRST = {"title": "First", "legs": [["bench"]]}
BARE = {"title": "Bare", "legs": [["live-north"]]}
SHORT = {"title": "Short", "legs": [["live-north"]], "lets_in": {}}
NAMED = {"people": ["pipeline"], "groups": [], "tokens": []}
READ = {"kind": "address", "address": "http://fleet.example/{service}", "version": "/version"}
Change = dict[str, Any]


async def changed(world: World, kind: str, name: str, change: Change) -> ChangeOutcome:
    """One of the scenario's, changed by the administrator."""
    read, keep = KEEP[kind]
    here = await read(world.backend, DARIO, name)
    wanted = type(here).model_validate(here.plain() | change)
    return await keep(world.backend, DARIO, name, wanted, None)


async def entries(world: World) -> list[EntryView]:
    """The latest first."""
    return (await ledger_pages.ledger_page(world.backend, DARIO, EntryFilter(), 100)).entries


LOOSER = [
    ("environment", "bench", {}, {"departs": "by deployer"}),
    ("environment", "bench", {"deployers": NAMED}, {"deployers": NAMED | {"groups": ["pilots"]}}),
    ("environment", "bench", {"deployers": NAMED}, {"deployers": None}),
    ("environment", "bench", {"version_from": READ}, {"version_from": READ | {"version": "/v"}}),
    ("environment", "bench", {"version_from": READ}, {"version_from": None}),
    ("route", "standard", {}, {"legs": [["bench"], ["rehearsal"], ["live-north", "live-south"]]}),
    ("route", "urgent", {}, {"lets_in": {"patches_only": False, "branches": ["main"]}}),
    ("route", "urgent", {}, {"lets_in": {"patches_only": True, "branches": []}}),
    ("service", "taps-portal", {}, {"repository": "elsewhere"}),
    ("service", "taps-portal", {}, {"paths": ["portal"]}),
    ("service", "taps-portal", {"paths": ["portal", "lib"]}, {"paths": ["lib"]}),
    ("service", "taps-portal", {}, {"route": "bare"}),
    ("service", "taps-portal", {"urgent_route": None}, {"urgent_route": "urgent"}),
    ("service", "taps-portal", {}, {"urgent_route": "short"}),
    ("service", "taps-portal", {}, {"group": "control-room"}),
]


@pytest.mark.parametrize(("kind", "name", "before", "change"), LOOSER)
async def test_what_may_let_more_through_waits_for_another(
    world: World, kind: str, name: str, before: Change, change: Change
):
    """Nothing of it holds before somebody else who may has confirmed it; both are on record."""
    for route, plain in (("bare", BARE), ("short", SHORT)):
        await setting_up.keep_route(world.backend, DARIO, route, Route.model_validate(plain), None)
    if before:
        await world.seconded(changed(world, kind, name, before))
    here = await KEEP[kind][0](world.backend, DARIO, name)
    if all(here.plain().get(field) == value for field, value in change.items()):
        pytest.fail("this changes nothing")
    asked = await changed(world, kind, name, change)
    assert asked.waits is not None
    assert await KEEP[kind][0](world.backend, DARIO, name) == here
    on_desks = [(await desk.desk(world.backend, who)).changes for who in (DARIO, ACTORS["ilse"], CHIARA)]
    assert [[one.id for one in each] for each in on_desks] == [[], [], [asked.waits]]
    for who in (DARIO, ACTORS["ilse"]):
        with pytest.raises(RefusedError):
            await proposals.confirm(world.backend, who, asked.waits)
    await proposals.confirm(world.backend, CHIARA, asked.waits)
    now = (await KEEP[kind][0](world.backend, DARIO, name)).plain()
    assert now == type(here).model_validate(here.plain() | change).plain()
    made, confirmed, wanted = [one.says for one in await entries(world)][:3]
    assert wanted.startswith(f"Dario Conti asked for a change of the {kind} ")
    assert confirmed.startswith(f"{CHIARA.name} confirmed a change of the {kind} ")
    assert made.endswith(" It was confirmed.")


TIGHTER = [
    ("environment", "bench", {"title": "Test bench", "time_limit": "PT2H", "deployers": NAMED}),
    ("environment", "bench", {"version_from": READ}),
    ("route", "urgent", {"lets_in": {"patches_only": True, "branches": ["main"], "below": "9.0.0"}}),
    ("service", "taps-portal", {"title": "The portal", "urgent_route": None}),
    ("service", "taps-portal", {"route": "first"}),
]


@pytest.mark.parametrize(("kind", "name", "change"), TIGHTER)
async def test_what_asks_for_no_less_acts_at_once(world: World, kind: str, name: str, change: Change):
    """Nobody has to be found for it; nor for what is new, under which nothing has travelled."""
    first = await setting_up.keep_route(world.backend, DARIO, "first", Route.model_validate(FIRST), None)
    assert first == ChangeOutcome()
    assert await changed(world, kind, name, change) == ChangeOutcome()
    assert await proposals.proposals(world.backend, MARCO) == []


async def test_what_was_asked_for_is_looked_at_again_when_it_is_confirmed(world: World):
    """What it replaces is as it was, and it goes together with the rest still."""
    wider = {"branches": [], "patches_only": True}
    asked = await changed(world, "route", "urgent", {"lets_in": wider})
    assert await changed(world, "route", "urgent", {"lets_in": wider}) == asked
    with pytest.raises(ConflictError, match="waits for a second person"):
        await changed(world, "route", "urgent", {"lets_in": {}})
    await changed(world, "route", "urgent", {"title": "In a hurry"})
    with pytest.raises(ConflictError, match="has changed since"):
        await proposals.confirm(world.backend, CHIARA, asked.waits or 0)
    await proposals.drop(world.backend, DARIO, asked.waits or 0)
    await setting_up.keep_route(world.backend, DARIO, "bare", Route.model_validate(BARE), None)
    moved = await changed(world, "service", "taps-portal", {"route": "bare"})
    await retiring.remove_route(world.backend, DARIO, "bare")
    with pytest.raises(InvalidError):
        await proposals.confirm(world.backend, CHIARA, moved.waits or 0)


async def test_a_route_does_not_become_urgent_under_those_that_travel_it(world: World):
    """Nor an urgent one the way that a service always takes."""
    for name, lets_in in (("standard", {"patches_only": True}), ("urgent", None)):
        with pytest.raises(InvalidError) as refused:
            await changed(world, "route", name, {"lets_in": lets_in})
        assert refused.value.fields == [("/lets_in", "the wrong kind of route")]


async def without_passwords(world: World) -> None:
    async with world.backend.database.transaction() as session:
        for one in await people.people(session):
            if one.id != "dario":
                one.password_hash = ""


async def test_whoever_is_alone_is_not_kept_from_it(world: World):
    """But the record says that nobody could confirm it."""
    await without_passwords(world)
    done = await changed(world, "service", "taps-portal", {"repository": "elsewhere"})
    assert done == ChangeOutcome(alone=True)
    assert (await entries(world))[0].says.endswith(" Nobody else here could confirm it.")


async def test_whoever_signs_in_at_the_directory_is_a_second_person(world: World):
    """They have no password here, and need none."""
    await without_passwords(world)
    world.backend = replace(world.backend, directory=directory_at(world))
    asked = await changed(world, "service", "taps-portal", {"repository": "elsewhere"})
    assert (asked.alone, asked.waits is not None) == (False, True)
    listed = {one.id: one.can_sign_in for one in await sessions.everybody(world.backend, DARIO)}
    assert (listed["marco"], listed["pipeline"]) == (True, False)
    zoe = Member(name="Zoe", email="zoe@corvale.example", roles=(Role.ADMINISTRATOR,))
    with pytest.raises(ConflictError, match="can already administer"):
        await founding.found(world.backend, "zoe", zoe, None, in_need=False)


async def source(world: World, secret: str | None = None, **settings: Any) -> registry.KeptSource:
    """A tracker that claims tickets for itself which another one has."""
    return await registry.keep(
        world.backend,
        DARIO,
        "other",
        kind="tickets",
        title="Other",
        settings={"address": "https://other.example/{key}", "projects": ["TAPS"]} | settings,
        secret=secret,
        expected=None,
    )


async def test_nobody_is_asked_at_an_address_that_nobody_else_has_seen(world: World):
    """A new tracker could say of a ticket what it likes; its secret waits with it, sealed."""
    asked = await source(world, "Bearer first")
    assert (asked.waits is not None, asked.version) == (True, None)
    async with world.backend.database.transaction() as session:
        answers = (await registry.load(world.backend, session)).tracker_of("TAPS-1")
        (row,) = await people.proposals(session)
    assert (answers.id if answers else None, b"Bearer" in (row.sealed or b"")) == ("tickets", False)
    assert (await source(world, "Bearer first")).waits == asked.waits
    with pytest.raises(ConflictError):
        await source(world, "Bearer second")
    await proposals.confirm(world.backend, MARCO, asked.waits or 0)
    async with world.backend.database.transaction() as session:
        assert await registry.opened(world.backend, session, "other") == "Bearer first"
    # What authenticates us, and what it is called, are its administrator's alone.
    assert (await source(world, "Bearer second")).version == 2
    elsewhere = await source(world, "Bearer third", status="/fields/status")
    assert elsewhere.waits is not None
    await registry.drop(world.backend, DARIO, "other")
    with pytest.raises(ConflictError, match="has changed since"):
        await proposals.confirm(world.backend, MARCO, elsewhere.waits)
    await proposals.drop(world.backend, MARCO, elsewhere.waits)
    # Taken away and set up anew it waits as well.
    assert (await source(world)).waits is not None
    assert "Bearer" not in str([one.details for one in await entries(world)])


async def test_a_secret_that_waits_is_sealed_again_with_the_newest_key(world: World):
    """Or it would not open any more once the old key went; what ended holds none."""
    old, new = new_key_line(), new_key_line()
    object.__setattr__(world.backend, "keyring", Keyring.read(old))
    asked = await source(world, "Bearer first")
    object.__setattr__(world.backend, "keyring", Keyring.read(new))
    with pytest.raises(SealingError):
        await proposals.confirm(world.backend, MARCO, asked.waits or 0)
    object.__setattr__(world.backend, "keyring", Keyring.read(f"{old}\n{new}"))
    assert await values.seal_again(world.backend) == 1
    object.__setattr__(world.backend, "keyring", Keyring.read(new))
    await proposals.confirm(world.backend, MARCO, asked.waits or 0)
    async with world.backend.database.transaction() as session:
        assert await registry.opened(world.backend, session, "other") == "Bearer first"
        assert await people.proposals(session) == []
