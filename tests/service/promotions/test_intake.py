"""Taking in: what is read, and what bad requests get."""

import pytest
from tests.world import TICKETS, World, artifact

from dogana.core.errors import (
    AlreadyPendingError,
    AlreadyRunsError,
    DigestMismatchError,
    ForbiddenError,
    InvalidError,
    NotNextLegError,
    RepositoryError,
    UnknownNameError,
)

REFUSED = {
    "an unknown service": ({"service": "nothing"}, UnknownNameError, "/service"),
    "an unknown environment": ({"to": "moon"}, UnknownNameError, "/to"),
    "an unknown version without a revision": (
        {"version": "9.9.9", "revision": None},
        UnknownNameError,
        "/version",
    ),
    "an unknown revision": ({"revision": "v9"}, RepositoryError, None),
    "another repository": ({"repository": "elsewhere"}, InvalidError, "/repository"),
    "a new version without artifacts": (
        {"to": "bench", "version": "1.3.0", "artifacts": ()},
        InvalidError,
        "/artifacts",
    ),
    "other bytes than on record": (
        {"artifacts": (artifact(byte="b"),)},
        DigestMismatchError,
        "/artifacts/0/digest",
    ),
    "an artifact not on record": (
        {"artifacts": (artifact("x"),)},
        DigestMismatchError,
        "/artifacts/0/digest",
    ),
    "another revision than on record": ({"revision": "v1.3.0"}, DigestMismatchError, "/revision"),
    "not the next leg": ({"to": "pilot-valley"}, NotNextLegError, "/to"),
    "where it runs already": ({"to": "bench"}, AlreadyRunsError, "/to"),
    "somebody who may not ask": ({"who": "wanjiru"}, ForbiddenError, None),
}


@pytest.mark.parametrize("name", REFUSED)
async def test_a_bad_request_is_refused_with_the_field_and_leaves_nothing(world: World, name: str):
    """No release, no promotion, no entry."""
    changes, error, field = REFUSED[name]
    await world.landed("bench")
    before = await world.entries()
    with pytest.raises(error) as refused:
        await world.ask(**{"to": "rehearsal", "version": "1.2.0", **changes})
    assert field is None or refused.value.fields[0][0] == field
    assert await world.entries() == before


async def test_an_environment_without_a_policy_lets_nothing_in(world: World):
    """Where nothing is asked, nothing enters."""
    await world.landed("bench")
    await world.landed("rehearsal")
    with pytest.raises(InvalidError, match="No policy is in force"):
        await world.ask("pilot-valley")


async def test_the_same_request_twice_has_one_promotion(world: World):
    """A repeated pipeline step is told so."""
    await world.waiting()
    with pytest.raises(AlreadyPendingError):
        await world.ask("rehearsal")


async def test_the_facts_are_read_from_repository_and_tracker(world: World):
    """Commits since what runs there, their authors as people, tickets with status."""
    await world.landed("bench", "1.1.0")
    row = await world.ask("bench", "1.3.0", artifacts=(artifact(byte="c"),), note="Also closes TAPS-4.")
    file = await world.dossier(row.number)
    assert file.change.value.base is not None
    assert {c.author for c in file.change.value.commits} <= {
        "Noor Haddad",
        "Sam Okafor",
        "Lena Vasquez",
        "Mikkel Aho",
    }
    assert [t.key for t in file.tickets.value] == ["TAPS-2", "TAPS-3", "TAPS-4"]
    assert file.authors


async def test_a_tracker_that_is_down_holds_and_heals(world: World):
    """Taken in all the same, held as unknown, cleared by itself once the tracker answers."""
    world.unavailable.add("TAPS")
    row = await world.ask()
    file = await world.dossier(row.number)
    assert (file.row.state, file.row.verdict, file.row.waits_for) == ("waiting", "held", "facts")
    assert [f.outcome for f in file.findings] == ["unknown"]
    world.unavailable.clear()
    assert (await world.refresh(row.number)).row.state == "moving"
    assert await world.actions(row.number) == ["request", "clear", "depart"]


async def test_an_open_ticket_bars_until_it_is_done(world: World):
    """The fact and what it should be stand in the sentence."""
    world.tickets["TAPS-2"] = world.tickets["TAPS-2"].model_copy(update={"status": "open"})
    row = await world.ask()
    assert (await world.dossier(row.number)).row.sentence == "TAPS-2 is open; should be done."
    world.tickets["TAPS-2"] = world.tickets["TAPS-2"].model_copy(update={"status": "done"})
    assert (await world.refresh(row.number)).row.verdict == "cleared"


@pytest.mark.thorough
async def test_a_release_may_enter_each_lane_of_a_leg(world: World):
    """Side by side means in any order, each once."""
    for environment in ("pilot-valley", "live-north", "live-south"):
        await world.adopt(environment, TICKETS)
    await world.landed("bench")
    await world.landed("rehearsal")
    for environment in ("pilot-valley", "live-south", "live-north"):
        row = await world.ask(environment)
        assert row.state == "cleared"
        await world.depart(row.number)
        await world.land(row.number)
    with pytest.raises(AlreadyRunsError):
        await world.ask("live-south")
