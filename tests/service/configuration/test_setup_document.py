"""Everything that Set-up keeps as one document: what is taken out goes in again, all of it or nothing."""

from typing import Any

import pytest
from tests.world import World

from dogana.core.errors import ForbiddenError, InvalidError
from dogana.demo.cast import ACTORS
from dogana.service.actor import RIGHTS, Actor, Right, Role
from dogana.service.chat import rooms
from dogana.service.configuration.applying import Applied, apply
from dogana.service.configuration.document import Setup
from dogana.service.configuration.exporting import export
from dogana.service.exchange import parties
from dogana.service.landscape import environments
from dogana.service.secrets import values
from dogana.service.sources import registry

DARIO = ACTORS["dario"]
SIGNS = "whsec_MDEyMzQ1Njc4OTAxMjM0NTY3ODkwMTIzNDU2Nzg5MDE="
NEW: dict[str, Any] = {
    "groups": {"divers": {"title": "Divers"}},
    "environments": {"basin": {"title": "Basin", "zone": "Europe/Rome", "departs": "by deployer"}},
    "routes": {"deep": {"title": "Deep route", "legs": [["basin"]]}},
    "services": {"pumps": {"title": "Pumps", "repository": "pumps", "route": "deep", "group": "divers"}},
    "sources": {
        "other": {
            "kind": "tickets",
            "title": "another tracker",
            "settings": {"address": "http://other/{key}", "status": "/status", "title": "/title"},
            "secret": {"is": "Bearer one"},
        }
    },
    "senders": {"builder": {"title": "the builder", "person": "pipeline"}},
    "subscribers": {"board": {"title": "the board", "address": "http://board/", "secret": {"is": SIGNS}}},
    "rooms": {"hall": {"title": "Hall", "address": "http://hall/", "environment": "basin"}},
    "group_messages": {"divers": {"mail": {"landed": "never"}}},
    "everybody": {"kinds": ["halted"]},
    "values": [{"service": "pumps", "environment": "basin", "name": "KEY", "value": {"is": "deep"}}],
}


async def applied(world: World, document: dict[str, Any], *, dry_run: bool = False) -> Applied:
    return await apply(world.backend, DARIO, Setup.model_validate(document), dry_run=dry_run)


async def faults(world: World, document: dict[str, Any]) -> dict[str, str]:
    before = await world.entries()
    with pytest.raises(InvalidError) as refused:
        await applied(world, document)
    assert await world.entries() == before
    return dict(refused.value.fields)


async def test_what_was_taken_out_differs_in_nothing(world: World):
    """Whatever the scenario has set up; and only the use itself is on record."""
    taken = await export(world.backend, DARIO)
    before = await world.entries()
    again = await apply(world.backend, DARIO, Setup.model_validate(taken.plain()), dry_run=False)
    assert (again.changes, again.left) == ([], {})
    assert await world.entries() == before + 1


async def test_a_trial_says_what_the_real_thing_does_and_keeps_nothing(world: World):
    """The same changes in the same order, no entry, nobody told a secret that is not kept."""
    before, entries = await export(world.backend, DARIO), await world.entries()
    tried = await applied(world, NEW, dry_run=True)
    assert await export(world.backend, DARIO) == before
    assert await world.entries() == entries
    done = await applied(world, NEW)
    assert [one.model_copy(update={"told": None}) for one in done.changes] == tried.changes
    assert {one.id for one in done.changes if one.what != "new"} == {"builder", "other"}
    assert {one.id for one in done.changes if one.told} == {"builder", "hall"}
    # What waits for a second person waits on, however often the document is applied.
    again = await world.seconded(applied(world, NEW))
    assert [(one.id, one.what, one.told) for one in again.changes] == [
        ("other", "asked for", None),
        ("builder", "asked for", None),
    ]
    assert (await applied(world, NEW)).changes == []


async def test_secrets_are_compared_and_never_given_out(world: World):
    """Another one is a change, the same is none; a source that is to have none has none."""
    await world.seconded(applied(world, NEW))
    assert "Bearer one" not in str(await export(world.backend, DARIO))
    source = NEW["sources"]["other"]
    for secret, differs in (
        ({"is": "Bearer two"}, ["another secret"]),
        ("kept", None),
        (None, ["another secret"]),
    ):
        done = await applied(world, {"sources": {"other": source | {"secret": secret}}})
        assert [one.differs for one in done.changes] == ([differs] if differs else [])
    (other,) = [one for one in await registry.all_sources(world.backend, DARIO) if one.id == "other"]
    assert not other.has_secret
    async with world.backend.database.transaction() as session:
        assert await values.opened(world.backend, session, "pumps", "basin", "KEY") == "deep"
        assert await parties.opened(world.backend, session, "subscriber", "board") == SIGNS
    # A sender's secret outlives a change of its title, or its events would be refused from then on.
    async with world.backend.database.transaction() as session:
        was = await parties.opened(world.backend, session, "sender", "builder")
    await applied(world, {"senders": {"builder": NEW["senders"]["builder"] | {"title": "the old builder"}}})
    async with world.backend.database.transaction() as session:
        assert await parties.opened(world.backend, session, "sender", "builder") == was


async def test_what_signs_for_a_room_stays_as_long_as_its_address(world: World):
    """A title that changes must not have everything posted there refused from then on."""
    (told,) = [one.told for one in (await applied(world, NEW)).changes if one.id == "hall"]

    async def signs(**changes: Any) -> str | None:
        await applied(world, {"rooms": {"hall": NEW["rooms"]["hall"] | changes}})
        async with world.backend.database.transaction() as session:
            return await rooms.opened(world.backend, session, "hall")

    assert await signs(title="The hall") == told
    assert await signs(secret={"is": SIGNS}) == SIGNS
    assert await signs(address="http://other-hall/") not in {told, SIGNS, None}
    assert await faults(world, {"rooms": {"hall": NEW["rooms"]["hall"] | {"secret": {"is": "short"}}}}) == {
        "/rooms/hall/secret": "begins with whsec_ and goes on in base64"
    }


async def test_who_is_told_of_what_is_taken_out_too(world: World):
    """A group that is nowhere has no choices, and what a document is silent on stays."""
    await applied(world, NEW)
    assert await faults(world, {"group_messages": {"nobody": {"mail": {}}}}) == {
        "/group_messages/nobody": "There is no group nobody."
    }
    await applied(world, {"groups": {"others": {"title": "Others"}}})
    taken = await export(world.backend, DARIO)
    assert taken.everybody is not None
    assert [kind.value for kind in taken.everybody.kinds] == ["halted"]
    assert taken.group_messages["divers"].mail == {"landed": "never"}


async def test_every_fault_is_found_with_its_place_and_nothing_is_kept(world: World):
    """One part that cannot be set up keeps all of it out, those without a fault too."""
    found = await faults(
        world,
        NEW
        | {
            "routes": {"deep": {"title": "Deep", "legs": [["nowhere"]]}},
            "services": {
                "pumps": {"title": "Pumps", "repository": "p", "route": "none at all".replace(" ", "-")}
            },
            "senders": {
                "builder": {"title": "b", "person": "ilse"},
                "other": {"title": "o", "person": "nobody"},
            },
            "values": [{"service": "pumps", "name": "KEY", "value": "kept"}],
        },
    )
    assert found == {
        "/routes/deep/legs": "nowhere: unknown",
        "/services/pumps/route": "unknown",
        "/senders/builder": "Ilse Brandt is no machine; events come in the name of one.",
        "/senders/other/person": "unknown",
        "/values/pumps~1*~1KEY/value": "name where it stands",
    }
    assert "basin" not in await environments.environments(world.backend, DARIO)
    twice = [{"service": "taps-portal", "name": "KEY", "value": {"is": "1"}}] * 2
    assert await faults(world, {"values": twice}) == {"/values/1": "stands there twice"}
    unlooked = {"value": {"from_env": "KEY"}, "service": "taps-portal", "name": "KEY"}
    assert list(await faults(world, {"values": [unlooked]})) == ["/values/taps-portal~1*~1KEY/secret"]


async def test_people_wait_for_a_second_person_as_on_screen(world: World):
    """A document is no way around the two who have to agree."""
    zoe = {"name": "Zoe", "email": "zoe@corvale.example", "roles": ["approver"], "groups": ["release-desk"]}
    done = await applied(world, {"people": {"zoe": zoe}})
    assert [(one.id, one.what) for one in done.changes] == [("zoe", "asked for")]
    assert "zoe" not in (await export(world.backend, DARIO)).people


async def test_what_differs_is_said_in_words(world: World):
    """Each difference of what is there, and what is left as it is."""
    bench = (await export(world.backend, DARIO)).environments["bench"].plain()
    done = await applied(
        world, {"environments": {"bench": bench | {"title": "The bench", "time_limit": "PT1H"}}}
    )
    assert [one.differs for one in done.changes] == [
        ["time limit: nothing becomes PT1H", "title: Bench becomes The bench"]
    ]
    assert "rehearsal" in done.left["environments"]


async def test_only_who_administers_does(world: World):
    """Nobody else, and no token without that right."""
    for role in Role:
        if Right.ADMINISTER in RIGHTS[role]:
            continue
        actor = Actor(id="x", name="X", rights=RIGHTS[role], channel="API")
        with pytest.raises(ForbiddenError):
            await apply(world.backend, actor, Setup(), dry_run=True)
        with pytest.raises(ForbiddenError):
            await export(world.backend, actor)
