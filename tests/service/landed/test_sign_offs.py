"""Who confirms what has landed: asked once it has, reminded, never a silent yes."""

from dataclasses import replace
from datetime import timedelta

import pytest
from tests.world import ONE_AT_A_TIME, REVIEWERS, SAMENESS, TICKETS, World, artifact, policy

from dogana.core.errors import ForbiddenError, InvalidError, InvalidPolicyError, MovedOnError, RefusedError
from dogana.demo.cast import ACTORS
from dogana.service.landed import going_back, sign_offs
from dogana.service.promotions import intake, refreshing
from dogana.service.views import desk
from dogana.sources.git import GitRepositories
from dogana.sources.reachable import Reachable
from dogana.store import promotions

SIGN_OFF = {"group": "test-leads", "within": "PT4H"}
SOAK = {
    "id": "soak",
    "kind": "soak",
    "title": "A day",
    "at_least": "PT24H",
    "confirmed": True,
}
HENRIK, NOOR, ILSE = ACTORS["henrik"], ACTORS["noor"], ACTORS["ilse"]


async def asks(world: World) -> int:
    """The bench asks test leads to confirm; one has landed there."""
    await world.adopt_document("bench", {**policy(TICKETS), "sign_off": SIGN_OFF})
    await world.adopt("rehearsal", REVIEWERS, TICKETS, SAMENESS, SOAK)
    return (await world.landed("bench")).number


async def soak(world: World, number: int) -> tuple[str, str]:
    found = next(one for one in (await world.refresh(number)).findings if one.rule == "soak")
    return found.outcome, found.because


async def test_confirmed_it_soaks_from_then_on(world: World):
    """Not from when it landed; nobody but the group says so, and not who asked for it."""
    landed = await asks(world)
    waits = (await world.ask("rehearsal")).number
    world.clock.now += timedelta(hours=30)
    assert await soak(world, waits) == (
        "pending",
        "1.2.0 has landed in Bench; nobody has confirmed yet that it is well.",
    )
    with pytest.raises(RefusedError, match="Test leads say how it is"):
        await sign_offs.confirm(world.backend, ILSE, landed, comment="")
    with pytest.raises(ForbiddenError):
        await sign_offs.confirm(world.backend, ACTORS["wanjiru"], landed, comment="")
    (asked,) = (await desk.desk(world.backend, HENRIK)).sign_offs
    assert (asked.promotion, asked.yours, asked.overdue) == (landed, True, True)
    said = await sign_offs.confirm(world.backend, HENRIK, landed, comment="Checked on two phones")
    assert said.says == "Henrik Solberg confirmed it Wed 11 Mar 16:00, Rome: Checked on two phones."
    outcome, because = await soak(world, waits)
    assert (outcome, "up at Thu 12 Mar 16:00" in because) == ("pending", True)
    world.clock.now += timedelta(hours=24)
    assert (await soak(world, waits))[0] == "met"
    assert (await desk.desk(world.backend, HENRIK)).sign_offs == []
    with pytest.raises(MovedOnError):
        await sign_offs.confirm(world.backend, HENRIK, landed, comment="")


async def test_closed_with_issues_it_soaks_no_more_and_says_why(world: World):
    landed = await asks(world)
    waits = (await world.ask("rehearsal")).number
    with pytest.raises(InvalidError, match="what is wrong"):
        await sign_offs.close_with_issues(world.backend, HENRIK, landed, issues=" ", ticket=None)
    await sign_offs.close_with_issues(
        world.backend, HENRIK, landed, issues="bills show twice", ticket="TAPS-9"
    )
    world.clock.now += timedelta(days=9)
    assert await soak(world, waits) == (
        "unmet",
        "1.2.0 was closed with issues in Bench: bills show twice.",
    )
    assert (await world.actions(landed))[-1] == "close with issues"
    await world.sequence()
    assert (await world.verified()).verified


async def test_silence_is_no_yes_and_is_said_again_and_again(world: World):
    landed = await asks(world)
    for _ in range(3):
        await sign_offs.remind_due(world.backend)
        world.clock.now += timedelta(hours=4, minutes=1)
    assert (await world.actions(landed)).count("remind") == 2
    found = await sign_offs.sign_off(world.backend, ACTORS["wanjiru"], landed)
    assert found is not None
    assert (found.state, found.yours) == ("asked", False)
    assert found.says == "Test leads were to say how it is by Tue 10 Mar 14:00, Rome; nobody has."


async def test_what_was_replaced_is_asked_about_no_more_and_was_never_confirmed(world: World):
    landed = await asks(world)
    await world.landed("bench", "1.3.0")
    world.clock.now += timedelta(hours=9)
    await sign_offs.remind_due(world.backend)
    assert "remind" not in await world.actions(landed)
    (other,) = (await desk.desk(world.backend, HENRIK)).sign_offs
    assert other.version == "1.3.0"
    found = await sign_offs.sign_off(world.backend, HENRIK, landed)
    assert found is not None
    assert (found.state, found.yours) == ("lapsed", False)
    with pytest.raises(MovedOnError, match="in its place"):
        await sign_offs.confirm(world.backend, HENRIK, landed, comment="")
    back = await going_back.landings(world.backend, HENRIK, "taps-portal", "bench")
    assert [one.good for one in back] == [False, False]


async def test_nobody_confirms_their_own_nor_what_has_not_landed(world: World):
    """What departed before the policy asked is asked about by nobody."""
    row = await world.ask("bench", "1.1.0")
    await world.depart(row.number)
    await world.adopt_document("bench", {**policy(TICKETS), "sign_off": SIGN_OFF})
    await world.land(row.number)
    assert await sign_offs.sign_off(world.backend, HENRIK, row.number) is None
    own = await world.ask("bench", "1.2.0", who="henrik")
    await world.depart(own.number)
    coming = await sign_offs.sign_off(world.backend, HENRIK, own.number)
    assert coming is not None
    assert coming.says == "Once it has landed, test leads confirm it within 4 h."
    with pytest.raises(MovedOnError, match="has not landed"):
        await sign_offs.confirm(world.backend, HENRIK, own.number, comment="")
    await world.land(own.number)
    with pytest.raises(RefusedError, match="somebody else"):
        await sign_offs.confirm(world.backend, HENRIK, own.number, comment="")
    await sign_offs.close_with_issues(world.backend, HENRIK, own.number, issues="it is slow", ticket=None)
    async with world.backend.database.transaction() as session:
        assert await promotions.get(session, own.number) is not None


async def test_who_wrote_part_of_it_does_not_confirm_that_it_is_well(world: World):
    """A pipeline asked for it, and they are of the group; what is wrong they may say."""
    landed = await asks(world)
    (author, *_) = (await world.dossier(landed)).authors
    wrote = replace(HENRIK, id=author.id, name=author.name)
    async with world.backend.database.transaction() as session:
        (await promotions.get(session, landed)).requester_id = "pipeline"
    (asked,) = (await desk.desk(world.backend, wrote)).sign_offs
    assert (asked.yours, asked.may_close) == (False, True)
    with pytest.raises(RefusedError, match="wrote part of it"):
        await sign_offs.confirm(world.backend, wrote, landed, comment="")
    await sign_offs.close_with_issues(world.backend, wrote, landed, issues="it is slow", ticket=None)


async def test_where_nobody_knows_who_wrote_it_nobody_is_somebody_else(world: World):
    """Its repository could not be read: to say that it is well would be anybody's, an author's too."""
    await world.adopt_document("bench", {**policy(ONE_AT_A_TIME), "sign_off": SIGN_OFF})
    asking = intake.Request(
        service="taps-portal", version="1.2.0", to="bench", revision="v1.2.0", artifacts=(artifact(),)
    )
    row = await intake.request(world.backend, ACTORS["pipeline"], asking)
    nowhere = GitRepositories(world.folder / "none", world.clock, world.folder / "none", Reachable(""))
    world.backend = replace(world.backend, repositories=nowhere)
    await refreshing.refresh(world.backend, row.number)
    await world.depart(row.number)
    await world.land(row.number)
    (asked,) = (await desk.desk(world.backend, HENRIK)).sign_offs
    assert (asked.yours, asked.may_close) == (False, True)
    with pytest.raises(RefusedError, match="not known who wrote it"):
        await sign_offs.confirm(world.backend, HENRIK, row.number, comment="")


async def test_a_group_that_is_not_there_is_refused_and_a_baseline_holds(world: World):
    with pytest.raises(InvalidPolicyError) as caught:
        await world.adopt_document("bench", {**policy(TICKETS), "sign_off": {"group": "x", "within": "PT1H"}})
    assert caught.value.fields == [("/sign_off/group", "there is no group x")]
