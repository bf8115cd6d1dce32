"""What really runs: read, told, held against what landed; nonsense never counts as what should be there."""

import json
from contextlib import asynccontextmanager
from datetime import timedelta

import pytest
from starlette.responses import PlainTextResponse
from tests.serving import Outside, served
from tests.world import REVIEWERS, TICKETS, World, artifact

from dogana.core.drift import FromAddress
from dogana.core.errors import ConflictError, ForbiddenError, NotFoundError
from dogana.core.facts import Artifact
from dogana.demo.cast import ACTORS
from dogana.service.estate import matrix, sightings
from dogana.service.landscape import environments, setting_up
from dogana.service.views import desk
from dogana.service.views import ledger as ledger_pages
from dogana.sources.reachable import Reachable, guarded_client
from dogana.store.ledger import EntryFilter

DARIO, PIPELINE, WANJIRU = ACTORS["dario"], ACTORS["pipeline"], ACTORS["wanjiru"]
WELL = {
    "id": "well",
    "kind": "monitors",
    "title": "What was tested runs there",
    "of": "leg before",
    "no_drift": True,
}


@asynccontextmanager
async def looking(world: World, **more):
    """The bench says what runs at an address, which answers as it is told to."""
    outside = Outside()
    said = {"version": "1.2.0"}

    async def answer(_):
        return PlainTextResponse(json.dumps(said))

    outside.answer = answer
    known = await environments.environment(world.backend, DARIO, "bench")
    reads = FromAddress(kind="address", address=f"{outside.url}/{{service}}", version="/version", **more)
    wanted = known.model_copy(update={"version_from": reads})
    await world.seconded(setting_up.keep_environment(world.backend, DARIO, "bench", wanted, None))
    async with served(outside), guarded_client(Reachable("127.0.0.0/8"), 5) as client:
        object.__setattr__(world.backend, "client", client)
        yield outside, said


async def look(world: World) -> tuple[str | None, str | None]:
    """A look two minutes later: in what it differs, and why it is not known."""
    world.clock.now += timedelta(minutes=2)
    await sightings.look_due(world.backend)
    found = await matrix.matrix(
        world.backend,
        WANJIRU,
        at=None,
        services=["taps-portal"],
        group=None,
        environment="bench",
        words=None,
        skip=0,
    )
    (cell,) = found.rows[0].cells
    return cell.drift, cell.unseen


async def actions(world: World) -> list[str]:
    page = await ledger_pages.ledger_page(world.backend, WANJIRU, EntryFilter(environment="bench"), 20)
    return [one.action for one in page.entries if one.action.startswith("drift")]


async def test_what_differs_is_drift_until_what_landed_runs_again(world: World):
    """On the matrix, and as an entry once, however often it is seen."""
    await world.landed()
    async with looking(world) as (_, said):
        assert await look(world) == (None, None)
        said["version"] = "1.1.0"
        for _ in range(2):
            assert await look(world) == ("it runs 1.1.0 instead of 1.2.0", None)
        assert await actions(world) == ["drift"]
        said["version"] = "1.2.0"
        assert await look(world) == (None, None)
        assert await actions(world) == ["drift over", "drift"]
        await world.land((await world.ask("bench", "1.3.0")).number)
        assert (await look(world))[0] == "it runs 1.2.0 instead of 1.3.0"
    await world.sequence()
    assert (await world.verified()).verified


async def test_the_bytes_count_where_they_are_told(world: World):
    """The right version with other bytes is drift."""
    await world.landed()
    async with looking(world, digest="/digest") as (_, said):
        assert (await look(world))[1] is not None
        said["digest"] = artifact().digest
        assert await look(world) == (None, None)
        said["digest"] = "sha256:" + "0" * 64
        assert await look(world) == ("it says that it is 1.2.0, but its bytes are others", None)


@pytest.mark.parametrize("mood", ["broken", "wrong", "huge", "elsewhere", "breaking off", "in part"])
async def test_nonsense_is_not_known_and_takes_back_no_drift(world: World, mood):
    """Silence, half an answer or another kind of answer: never as it should be, and never drift of itself."""
    await world.landed()
    async with looking(world) as (outside, said):
        outside.mood = mood
        drift, unseen = await look(world)
        assert drift is None
        assert unseen is not None
        outside.mood, said["version"] = "well", "1.1.0"
        await look(world)
        outside.mood, said["version"] = mood, "1.2.0"
        drift, unseen = await look(world)
        assert drift == "it runs 1.1.0 instead of 1.2.0"
        assert unseen is not None


async def test_while_one_goes_in_either_may_answer_and_nothing_else(world: World):
    """The newcomer is no drift, nor what it takes the place of; a third version is."""
    await world.landed()
    await world.depart((await world.ask("bench", "1.3.0")).number)
    async with looking(world) as (_, said):
        for version, drifts in (("1.2.0", False), ("1.3.0", False), ("1.1.0", True)):
            said["version"] = version
            assert ((await look(world))[0] is not None) is drifts


async def test_a_deployer_tells_it_where_nobody_reads_it(world: World):
    """Not past what is read, not where somebody else deploys, not where nothing has landed."""

    async def tell(version: str, *artifacts: Artifact, who=PIPELINE, environment: str = "bench"):
        return await sightings.report(
            world.backend,
            who,
            service="taps-portal",
            environment=environment,
            version=version,
            artifacts=artifacts,
        )

    with pytest.raises(NotFoundError):
        await tell("1.2.0")
    await world.landed()
    assert (await tell("1.2.0", artifact())).differs is None
    assert (await tell("1.2.1")).differs == "it runs 1.2.1 instead of 1.2.0"
    other = artifact().model_copy(update={"digest": "sha256:" + "0" * 64})
    assert "bytes" in ((await tell("1.2.0", other)).differs or "")
    with pytest.raises(ForbiddenError):
        await tell("1.2.0", who=WANJIRU)
    async with looking(world):
        with pytest.raises(ConflictError, match="read there"):
            await tell("1.2.0")


@pytest.mark.thorough
async def test_a_policy_asks_that_nothing_drifts(world: World):
    """Unmet by drift, met by what is seen to be right, unknown by silence, by age, and where nobody looks."""
    await world.landed()
    await world.adopt("rehearsal", REVIEWERS, TICKETS, WELL)
    number = (await world.ask("rehearsal")).number

    async def finding() -> tuple[str, str]:
        found = next(one for one in (await world.refresh(number)).findings if one.rule == "well")
        return found.outcome, found.because

    assert await finding() == ("unknown", "What runs in Bench: nobody looks what runs there.")
    async with looking(world) as (outside, said):
        await look(world)
        assert await finding() == ("met", "What landed runs in Bench.")
        world.clock.now += timedelta(minutes=6)
        assert (await finding())[0] == "unknown"
        said["version"] = "1.1.0"
        await look(world)
        assert await finding() == ("unmet", "In Bench it runs 1.1.0 instead of 1.2.0.")
        outside.mood = "broken"
        await look(world)
        assert (await finding())[0] == "unmet"
        said["version"], outside.mood = "1.2.0", "well"
        await look(world)
        assert (await finding())[0] == "met"
        outside.mood = "wrong"
        await look(world)
        assert (await finding())[0] == "unknown"


async def test_drift_stands_on_the_desk_until_it_is_over(world: World):
    """For everybody who reads it, with since when."""
    await world.landed()
    async with looking(world) as (_, said):
        said["version"] = "1.1.0"
        await look(world)
        (drift,) = (await desk.desk(world.backend, WANJIRU)).drifts
        assert (drift.service.id, drift.environment.id) == ("taps-portal", "bench")
        assert (drift.says, drift.since) == ("It runs 1.1.0 instead of 1.2.0.", world.clock.now)
        await look(world)
        assert (await desk.desk(world.backend, WANJIRU)).drifts[0].since == drift.since
        said["version"] = "1.2.0"
        await look(world)
        assert (await desk.desk(world.backend, WANJIRU)).drifts == []


async def test_places_where_nothing_landed_keep_none_from_being_seen(world: World, monkeypatch):
    """However many there are before it."""
    await world.landed()
    monkeypatch.setattr(sightings, "_A_ROUND", 1)
    async with looking(world) as (outside, _):
        assert await look(world) == (None, None)
        assert [request.url.path for request in outside.asked] == ["/taps-portal"]
