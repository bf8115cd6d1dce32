"""Outside checks: asked when something comes in, answered by events, by nobody else and not too late."""

import asyncio
import json
import sys
from datetime import UTC, datetime, timedelta

import httpx
import pytest
from starlette.responses import PlainTextResponse
from tests.cli.test_steer import process
from tests.service.exchange.test_events import Builder, event
from tests.serving import Outside, served
from tests.waiting import comes
from tests.world import NOW, REVIEWERS, TICKETS, World, artifact

from dogana.core.errors import ConflictError, ForbiddenError, InvalidPolicyError, NotFoundError
from dogana.demo.cast import ACTORS
from dogana.demo.cluster import free_port
from dogana.demo.past_sources import SimulatedClock
from dogana.service.exchange import outbound, parties
from dogana.service.landscape import releases
from dogana.service.promotions import checks, replacing
from dogana.sources.reachable import Reachable, guarded_client

CHECK = {"id": "room", "kind": "check", "title": "There is room", "check": "capacity"}


def answer(number: int, name: str, *, at=NOW, about: str | None = None, **said) -> dict:
    made = event("x", {"id": about or f"promotion/{number}", "content": {}}, name, **said)
    return made | {"type": "dev.cdeventsx.dogana-check.answered.1.0.0", "time": at.isoformat()}


class Capacity(Builder):
    """The check, as its own system has it."""

    async def say(self, number: int, name: str, **said):
        return await self.send(answer(number, name, **said), by="capacity")


@pytest.fixture
async def capacity(world: World) -> Capacity:
    secret = (
        await world.seconded(
            parties.set_sender(
                world.backend, ACTORS["dario"], "capacity", title="Capacity check", person="capacity"
            )
        )
    ).secret
    await world.adopt("bench", CHECK)
    return Capacity(world, secret)


async def finding(world: World, number: int):
    file = await world.refresh(number)
    return next(one for one in file.findings if one.rule == "room")


async def asked(world: World, number: int) -> list[str]:
    """The questions about a promotion, by the names that answers give them, in order."""
    course = (await world.dossier(number)).course
    return [f"entry-{one.id}" for one in course if one.action == "ask check"]


async def test_asked_when_it_comes_in_and_cleared_by_its_answer(world: World, capacity: Capacity):
    """Each word of it stands on record, by the account that said it."""
    row = await world.ask()
    (name,) = await asked(world, row.number)
    assert row.state == "waiting"
    assert (await finding(world, row.number)).because.startswith("Capacity check was asked")
    running = await capacity.say(row.number, "a", asked=name, result="running")
    assert running.state == "taken", running.says
    assert (await finding(world, row.number)).outcome == "pending"
    link = "https://capacity.corvale.example/7"
    await capacity.say(row.number, "b", asked=name, result="failed", reason="no room", link=link)
    found = await finding(world, row.number)
    assert (found.outcome, found.because) == ("unmet", "Capacity check does not let it pass: no room.")
    assert link in [one.link for one in found.evidence]
    later = NOW + timedelta(seconds=1)
    world.clock.now = later
    said = await capacity.say(row.number, "c", asked=name, result="passed", at=later)
    assert said.says == "Capacity check lets Taps portal 1.2.0 into Bench pass."
    file = await world.refresh(row.number)
    assert file.row.state in {"cleared", "moving"}
    words = [one for one in file.course if one.action == "answer check"]
    assert [one.actor.name for one in words] == ["Capacity check"] * 3


REFUSED = {
    "over already": ({"result": "passed", "until": (NOW - timedelta(1)).isoformat()}, "over already"),
    "no reason": ({"result": "failed"}, "says why"),
    "no result": ({"result": "fine"}, "passed"),
    "asked by nobody": ({"result": "passed", "asked": "entry-9999999"}, "not what it was asked last"),
    "no question at all": ({"result": "passed", "asked": "entry-x"}, "pattern"),
    "of another promotion": ({"result": "passed", "about": "promotion/4"}, "asked no such thing"),
    "of no promotion": ({"result": "passed", "about": "everything"}, "does not say"),
    "of another revision": ({"result": "passed", "revision": "f" * 40}, "another revision"),
    "by itself, of none": ({"result": "passed", "asked": None}, "revision"),
    "dated before": ({"result": "passed", "at": NOW - timedelta(hours=1)}, "dated before"),
    "dated after now": ({"result": "passed", "at": NOW + timedelta(hours=1)}, "dated after now"),
    "with more": ({"result": "passed", "override": True}, "override"),
    "no link": ({"result": "passed", "link": "javascript:alert(1)"}, "pattern"),
}


@pytest.mark.parametrize(("said", "why"), REFUSED.values(), ids=REFUSED)
async def test_a_word_that_is_not_to_be_believed_changes_nothing(world: World, capacity: Capacity, said, why):
    row = await world.ask()
    (name,) = await asked(world, row.number)
    came = await capacity.say(row.number, "x", **{"asked": name} | said)
    assert (came.state, why in came.says) == ("refused", True), came.says
    assert (await finding(world, row.number)).outcome == "pending"
    assert "answer check" not in await world.actions(row.number)


async def test_nobody_answers_for_another_check(world: World, capacity: Capacity):
    """Not another sender, whatever it may send else; and nobody once the sender is gone."""
    secret = (
        await world.seconded(
            parties.set_sender(world.backend, ACTORS["dario"], "builder", title="Builder", person="capacity")
        )
    ).secret
    row = await world.ask()
    (name,) = await asked(world, row.number)
    passed = answer(row.number, "x", asked=name, result="passed")
    other = await Builder(world, secret).send(passed)
    assert (other.state, "asked no such thing" in other.says) == ("refused", True)
    await capacity.say(row.number, "y", asked=name, result="passed")
    await parties.drop_sender(world.backend, ACTORS["dario"], "capacity")
    assert (await finding(world, row.number)).because == "Nobody is set up to answer as capacity."
    with pytest.raises(InvalidPolicyError) as refused:
        await world.adopt("bench", CHECK)
    assert refused.value.fields == [("/rules/0/check", "there is no sender of events capacity")]


async def test_the_worse_of_two_words_of_one_instant_stays(world: World, capacity: Capacity):
    """They may come in any order; and nothing earlier follows."""
    row = await world.ask()
    (name,) = await asked(world, row.number)
    await capacity.say(row.number, "a", asked=name, result="failed", reason="no room")
    for n, result in enumerate(("passed", "running")):
        assert (await capacity.say(row.number, f"b{n}", asked=name, result=result)).state == "refused"
    before = NOW - timedelta(minutes=1)
    assert (await capacity.say(row.number, "c", asked=name, result="passed", at=before)).state == "refused"
    assert (await finding(world, row.number)).outcome == "unmet"


async def test_what_was_said_of_one_release_is_not_said_of_the_next(world: World, capacity: Capacity):
    """Another release in its place is asked about anew; a late answer is about what was asked then."""
    await releases.register(
        world.backend,
        ACTORS["noor"],
        "taps-portal",
        "1.3.0",
        revision="v1.3.0",
        artifacts=(artifact(byte="b"),),
    )
    row = await world.ask()
    (first,) = await asked(world, row.number)
    await replacing.exchange(
        world.backend, ACTORS["noor"], row.number, version="1.3.0", reason="the newer one"
    )
    await world.refresh(row.number)
    again, second = await asked(world, row.number)
    assert again == first
    late = await capacity.say(row.number, "late", asked=first, result="passed")
    assert (late.state, late.says) == ("refused", "That is not what it was asked last.")
    assert (await finding(world, row.number)).outcome == "pending"
    await capacity.say(row.number, "now", asked=second, result="passed")
    assert (await finding(world, row.number)).outcome == "met"


async def test_silence_is_unknown_and_is_asked_again_by_hand(world: World, capacity: Capacity):
    row = await world.ask()
    number, ilse = row.number, ACTORS["ilse"]
    with pytest.raises(ConflictError, match="a moment ago"):
        await checks.ask_again(world.backend, ilse, number, "capacity")
    with pytest.raises(NotFoundError):
        await checks.ask_again(world.backend, ilse, number, "another")
    with pytest.raises(ForbiddenError):
        await checks.ask_again(world.backend, ACTORS["wanjiru"], number, "capacity")
    world.clock.now = NOW + timedelta(hours=2)
    silent = await finding(world, number)
    assert (silent.outcome, silent.may_ask_again) == ("unknown", None), "an auditor reads"
    assert (await world.dossier(number, "ilse")).findings[0].may_ask_again == "capacity"
    assert len(await asked(world, number)) == 1
    sheet = await checks.ask_again(world.backend, ilse, number, "capacity")
    assert sheet.findings[0].outcome == "pending"
    *_, entry = (await world.dossier(number)).course
    assert entry.says == "Ilse Brandt asked Capacity check about Taps portal 1.2.0 into Bench."


async def test_it_speaks_by_itself_and_an_answer_that_ended_is_asked_for_again(
    world: World, capacity: Capacity
):
    await world.adopt("bench", TICKETS)
    await world.adopt("rehearsal", REVIEWERS, CHECK)
    row = await world.waiting()
    revision = row.release.revision
    until = NOW + timedelta(hours=1)
    said = {"revision": revision, "result": "passed", "until": until.isoformat()}
    assert (await capacity.say(row.number, "a", **said)).state == "taken"
    assert (await finding(world, row.number)).outcome == "met"
    world.clock.now = until
    assert (await finding(world, row.number)).outcome == "pending"
    assert len(await asked(world, row.number)) == 2


async def test_only_the_check_itself_is_asked(world: World, capacity: Capacity):
    """Whatever else its subscriber wants; another that wants other things is told nothing of it."""

    outside = Outside()

    async def answer(_) -> PlainTextResponse:
        return PlainTextResponse("thanks")

    outside.answer = answer
    async with served(outside), guarded_client(Reachable("127.0.0.0/8"), 5) as client:
        object.__setattr__(world.backend, "client", client)
        for name in ("other", "capacity"):
            await parties.set_subscriber(
                world.backend,
                ACTORS["dario"],
                name,
                title=name,
                address=f"{outside.url}/{name}",
                actions=["turn back"],
            )
        row = await world.ask()
        while await outbound.send_due(world.backend):
            continue
        ((path, body),) = [(one.url.path, json.loads(await one.body())) for one in outside.asked]
    assert path == "/capacity"
    assert body["type"] == "dev.cdeventsx.dogana-promotion.askcheck.1.0.0"
    assert body["id"] == (await asked(world, row.number))[0]
    told = body["data"]["customData"]
    assert (told["service"], told["details"]["revision"]) == ("taps-portal", row.release.revision)


async def test_a_check_that_cannot_be_asked_says_why(world: World, capacity: Capacity):
    await parties.set_subscriber(
        world.backend,
        ACTORS["dario"],
        "capacity",
        title="Capacity check",
        address="http://127.0.0.1:9/asked",
        actions=["ask check"],
    )
    async with guarded_client(Reachable("127.0.0.0/8"), 5) as client:
        object.__setattr__(world.backend, "client", client)
        row = await world.ask()
        await outbound.send_due(world.backend)
    found = await finding(world, row.number)
    assert (found.outcome, found.because) == (
        "unknown",
        "Capacity check could not be asked: it cannot be reached.",
    )


@pytest.mark.thorough
async def test_asked_of_a_real_process_over_http(world: World, monkeypatch: pytest.MonkeyPatch):
    """It verifies who asks, works for a moment, and its signed answer lets the promotion go."""
    monkeypatch.setattr(SimulatedClock, "__call__", lambda _: datetime.now(UTC))
    dario, port = ACTORS["dario"], free_port()
    secret = (
        await world.seconded(
            parties.set_sender(world.backend, dario, "capacity", title="Capacity check", person="capacity")
        )
    ).secret
    monkeypatch.setenv("DOGANA_EVENT_SECRET", secret)
    await parties.set_subscriber(
        world.backend,
        dario,
        "capacity",
        title="Capacity check",
        address=f"http://127.0.0.1:{port}/asked",
        actions=["ask check"],
        secret=secret,
    )
    await world.adopt("bench", CHECK)
    async with (
        served(Outside(), world.app()) as ours,
        guarded_client(Reachable("127.0.0.0/8"), 5) as client,
        httpx.AsyncClient() as anybody,
    ):
        object.__setattr__(world.backend, "client", client)
        arguments = ("-m", "dogana.standins.capacity", "--url", ours.url, "--port", str(port))
        async with process(sys.executable, *arguments, "--seconds", "0.1"), asyncio.timeout(120):
            row = await world.ask()

            async def met() -> bool:
                await outbound.send_due(world.backend)
                return (await finding(world, row.number)).outcome == "met"

            await comes(met)
            forged = await anybody.post(f"http://127.0.0.1:{port}/asked", json={"id": "entry-1"})
    assert forged.status_code == 400
    said = [one.says for one in (await world.dossier(row.number)).course if one.action == "answer check"]
    assert said[0] == "Capacity check is at work on Taps portal 1.2.0 into Bench."
