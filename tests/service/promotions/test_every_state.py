"""Every act in every state: allowed where the table says so, else refused in words and nothing is written."""

from collections.abc import Awaitable, Callable
from datetime import timedelta

import pytest
from tests.service.promotions.test_what_clears import other_bytes
from tests.world import REVIEWERS, World, artifact

from dogana.core.errors import DoganaError
from dogana.demo.cast import ACTORS
from dogana.service.delivery import acceptance, course
from dogana.service.promotions import comments, decisions, replacing, rescheduling, urgency, waivers
from dogana.service.secrets import clearances

PIPELINE, ILSE, ADAEZE, AUDITOR = (ACTORS[who] for who in ("pipeline", "ilse", "adaeze", "wanjiru"))
NEWEST = {"id": "pace", "kind": "pace", "title": "The newest", "newest": "supersedes"}
Made = Callable[[World], Awaitable[int]]


async def waiting(world: World) -> int:
    return (await world.waiting()).number


async def approved(world: World) -> int:
    number = await waiting(world)
    await world.approve(number, "ilse")
    return number


async def moving(world: World) -> int:
    number = (await world.ask("bench")).number
    await world.depart(number)
    return number


async def halted(world: World) -> int:
    number = await moving(world)
    await world.land(number, other_bytes())
    return number


async def ordered_back(world: World) -> int:
    number = await moving(world)
    await course.cancel(world.backend, ILSE, number, reason="the wrong valve")
    return number


async def landed(world: World) -> int:
    number = await moving(world)
    await world.land(number)
    return number


async def rolled_back(world: World) -> int:
    number = await moving(world)
    await course.roll_back(world.backend, PIPELINE, number, note="it failed")
    return number


async def turned_back(world: World) -> int:
    number = await waiting(world)
    shown = (await world.dossier(number, "ilse")).mine.shown
    await decisions.turn_back(world.backend, ILSE, number, shown=shown, comment="not like that")
    return number


async def withdrawn(world: World) -> int:
    number = await waiting(world)
    await decisions.withdraw(world.backend, ACTORS["noor"], number, comment="not today")
    return number


async def superseded(world: World) -> int:
    await world.adopt("rehearsal", REVIEWERS, NEWEST)
    number = await waiting(world)
    await world.landed("bench", "1.3.0")
    world.clock.now += timedelta(minutes=5)
    await world.ask("rehearsal", "1.3.0", artifacts=())
    await world.refresh(number)
    return number


ACTS: dict[str, Callable[..., Awaitable[object]]] = {
    "approve": lambda world, n, by, shown: decisions.approve(world.backend, by, n, shown=shown, comment=""),
    "retract": lambda world, n, by, _: decisions.retract(world.backend, by, n, comment="no"),
    "turn back": lambda world, n, by, shown: decisions.turn_back(
        world.backend, by, n, shown=shown, comment="no"
    ),
    "withdraw": lambda world, n, by, _: decisions.withdraw(world.backend, by, n, comment="no"),
    "ask waiver": lambda world, n, by, shown: waivers.ask_waiver(
        world.backend,
        by,
        n,
        "tickets",
        until=world.clock() + timedelta(days=1),
        reason="it must go",
        shown=shown,
    ),
    "grant waiver": lambda world, n, by, _: waivers.grant_waiver(
        world.backend, by, n, "tickets", asked_at=world.clock(), comment="yes"
    ),
    "revoke waiver": lambda world, n, by, _: waivers.revoke_waiver(
        world.backend, by, n, "tickets", comment="no"
    ),
    "put off": lambda world, n, by, _: rescheduling.reschedule(
        world.backend, by, n, to=world.clock() + timedelta(hours=2), comment="later"
    ),
    "exchange": lambda world, n, by, _: replacing.exchange(
        world.backend, by, n, version="1.3.0", reason="the other"
    ),
    "declare urgent": lambda world, n, by, _: urgency.declare_urgent(world.backend, by, n, reason="a leak"),
    "depart": lambda world, n, by, _: course.depart(world.backend, by, n),
    "prepared": lambda world, n, by, _: course.prepared(world.backend, by, n, note="staged"),
    "land": lambda world, n, by, _: course.land(world.backend, by, n, artifacts=(artifact(),), note=""),
    "roll back": lambda world, n, by, _: course.roll_back(world.backend, by, n, note="no"),
    "cancel": lambda world, n, by, _: course.cancel(world.backend, by, n, reason="no"),
    "accept": lambda world, n, by, _: acceptance.accept(
        world.backend, by, n, landed="sha256:" + "0" * 64, reason="yes"
    ),
    "revoke clearance": lambda world, n, by, _: clearances.revoke(world.backend, by, n, comment="no"),
}
BY = dict.fromkeys(("depart", "prepared", "land", "roll back"), PIPELINE) | {"declare urgent": ADAEZE}

STATES: dict[str, tuple[Made, str, set[str]]] = {
    "waiting": (waiting, "waiting", {"approve", "turn back", "withdraw", "put off", "prepared"}),
    "approved by one": (
        approved,
        "waiting",
        {"retract", "turn back", "withdraw", "put off", "prepared"},
    ),
    "moving": (moving, "moving", {"depart", "land", "roll back", "cancel", "revoke clearance"}),
    "halted by other bytes": (
        halted,
        "halted",
        {"land", "roll back", "accept", "revoke clearance"},
    ),
    "ordered back": (ordered_back, "halted", {"roll back"}),
    "landed": (landed, "landed", {"roll back", "land"}),
    "rolled back": (rolled_back, "rolled back", set()),
    "turned back": (turned_back, "turned back", set()),
    "withdrawn": (withdrawn, "withdrawn", set()),
    "superseded": (superseded, "superseded", set()),
}


@pytest.mark.parametrize("name", STATES)
async def test_what_is_not_allowed_in_a_state_is_refused_and_writes_nothing(world: World, name: str):
    """By whoever may do it elsewhere; with a sentence, and no fault."""
    made, state, allowed = STATES[name]
    number = await made(world)
    file = await world.dossier(number, "ilse")
    assert file.row.state == state
    before = await world.entries()
    for act in ACTS.keys() - allowed:
        with pytest.raises(DoganaError) as refused:
            await ACTS[act](world, number, BY.get(act, ILSE), file.mine.shown)
        assert str(refused.value), act
        assert await world.entries() == before, act
    file = await world.dossier(number, "ilse")
    mine, landed = file.mine, file.landed
    may_accept = landed is not None and landed.may_accept
    assert may_accept is ("accept" in allowed), "the buttons of the file say what the doors say"
    assert mine.may_cancel is ("cancel" in allowed)
    assert not mine.may_exchange
    assert not mine.may_declare_urgent
    assert (await world.dossier(number)).row.state == state


@pytest.mark.parametrize("name", ["waiting", "moving", "halted by other bytes", "landed"])
async def test_an_auditor_does_nothing_in_any_state(world: World, name: str):
    """But read."""
    number = await STATES[name][0](world)
    file = await world.dossier(number, "wanjiru")
    before = await world.entries()
    for act, does in ACTS.items():
        with pytest.raises(DoganaError):
            await does(world, number, AUDITOR, file.mine.shown)
        assert await world.entries() == before, act


async def test_nothing_is_done_to_a_promotion_that_is_not_there(world: World):
    """Nor anything written."""
    number = await waiting(world)
    shown = (await world.dossier(number, "ilse")).mine.shown
    before = await world.entries()
    for act, does in ACTS.items():
        with pytest.raises(DoganaError):
            await does(world, number + 1000, BY.get(act, ILSE), shown)
        assert await world.entries() == before, act


async def test_a_remark_may_be_made_in_every_state(world: World):
    """Afterwards is when much is learnt."""
    number = await landed(world)
    before = await world.entries()
    await comments.comment(world.backend, ILSE, number, "It went well.")
    assert await world.entries() == before + 1
