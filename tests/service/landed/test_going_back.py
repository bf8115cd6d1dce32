"""The way back from history: what is good, and what comes back with it."""

from datetime import timedelta

import httpx
import pytest
from tests.world import NOW, TICKETS, World, artifact, policy

from dogana.core.errors import ConflictError, InvalidError, NotFoundError, NotNextLegError
from dogana.core.facts import Report
from dogana.core.going_back import reappearing
from dogana.demo.cast import ACTORS
from dogana.service.landed import going_back, incidents, sign_offs
from dogana.service.landscape import evidence

ILSE, HENRIK = ACTORS["ilse"], ACTORS["henrik"]


def scan(*found: tuple[str, str], name: str = "scan", **more) -> Report:
    findings = [{"severity": "high", "name": what, "where": where} for what, where in found]
    content = {"high": len(findings), "findings": findings} | more.pop("content", {})
    return Report(name=name, kind="scan", produced_at=NOW, by="s", content=content, **more)


def test_what_scans_found_before_and_not_any_more_comes_back():
    """Lines move, and one of two alike counts; what is cut, unreliable or missing is not known."""
    older = [scan(("overflow", "a.c:3"), ("overflow", "a.c:9"), ("leak", "b.c:1"))]
    whole = reappearing(older, [scan(("overflow", "a.c:44"), ("new", "c.c:1"))])
    assert [(one.name, one.where) for one in whole.findings] == [("overflow", "a.c:9"), ("leak", "b.c:1")]
    assert whole.unknown == ()
    for one, other in (
        (older, []),
        ([], older),
        ([older[0].model_copy(update={"unknown": "it broke off"})], older),
        (older, [older[0].model_copy(update={"unknown": "it broke off"})]),
        ([scan(("a", "b"), content={"high": 300})], older),
        ([scan(content={"findings": "many"})], older),
    ):
        assert reappearing(one, other).unknown


async def test_what_has_landed_is_offered_with_what_is_known_against_it(world: World):
    assert await going_back.landings(world.backend, ILSE, "taps-portal", "bench") == []
    await world.adopt_document(
        "bench", {**policy(TICKETS), "sign_off": {"group": "test-leads", "within": "PT4H"}}
    )
    first = await world.landed("bench", "1.1.0")
    await sign_offs.confirm(world.backend, HENRIK, first.number, comment="")
    second = await world.landed("bench", "1.2.0")
    await sign_offs.close_with_issues(
        world.backend, HENRIK, second.number, issues="bills show twice", ticket=None
    )
    third = await world.landed("bench", "1.3.0")
    await incidents.open_by_hand(
        world.backend, ILSE, service="taps-portal", environment="bench", what="Slow pages."
    )
    found = await going_back.landings(world.backend, ILSE, "taps-portal", "bench")
    assert [(one.promotion, one.good) for one in found] == [
        (third.number, False),
        (second.number, False),
        (first.number, True),
    ]
    assert found[0].says.endswith("but nobody has confirmed it and there was an incident: slow pages.")
    assert found[1].says.endswith("but it was closed with issues: bills show twice.")
    assert (found[0].replaced_at, found[1].replaced_at) == (None, third.landed_at)


async def test_what_going_back_takes_away_is_read_and_what_cannot_be_is_said(world: World):
    await world.landed("bench", "1.1.0")
    await world.landed("bench", "1.3.0")
    for version, found in (("1.1.0", [("leak", "b.c:1")]), ("1.3.0", [])):
        await evidence.attach(world.backend, ACTORS["pipeline"], "taps-portal", version, scan(*found))
    said = await going_back.going_back(world.backend, ILSE, "taps-portal", "bench", "1.1.0")
    assert (said.runs, said.unknown, [one.name for one in said.findings]) == ("1.3.0", [], ["leak"])
    assert [one.key for one in said.tickets] == ["TAPS-2", "TAPS-3"]
    assert said.commits
    world.unavailable.add("TAPS")
    again = await going_back.going_back(world.backend, ILSE, "taps-portal", "bench", "1.1.0")
    assert again.tickets == []
    assert [one.startswith("The tickets could not be read: ") for one in again.unknown] == [True]
    with pytest.raises(ConflictError, match="runs in"):
        await going_back.going_back(world.backend, ILSE, "taps-portal", "bench", "1.3.0")
    with pytest.raises(NotFoundError, match="not among what landed"):
        await going_back.going_back(world.backend, ILSE, "taps-portal", "bench", "1.2.0")


BUT_BACK = {**TICKETS, "when": 'kind != "rollback"'}


@pytest.mark.thorough
async def test_what_was_never_well_there_is_not_gone_back_to(world: World):
    """Refused with what was wrong; one good landing of it is enough, and what nobody spoke of was well."""
    await world.adopt("bench", BUT_BACK)
    await world.landed("bench", "1.1.0")
    world.clock.now += timedelta(minutes=1)
    told = {"service": "taps-portal", "environment": "bench"}
    await incidents.open_by_hand(world.backend, ILSE, **told, what="Bills show twice")
    await world.landed("bench", "1.2.0")
    with pytest.raises(NotNextLegError, match=r"never well in Bench: bills show twice\."):
        await world.ask("bench", "1.1.0", kind="rollback")
    await world.landed("bench", "1.3.0")
    back = await world.ask("bench", "1.2.0", kind="rollback")
    await world.land(back.number)
    world.clock.now += timedelta(minutes=1)
    await incidents.open_by_hand(world.backend, ILSE, **told, what="It answers late")
    await world.land((await world.ask("bench", "1.3.0", kind="rollback")).number)
    assert (await world.ask("bench", "1.2.0", kind="rollback")).state == "moving"


@pytest.mark.parametrize(
    ("answer", "gone"), [(200, False), (403, False), (404, True), (410, True), (500, False)]
)
async def test_what_can_no_longer_be_fetched_is_not_gone_back_to(world: World, answer: int, gone: bool):
    """Only what is said to be gone: where nobody answers, or not to us, it is not known."""
    await world.adopt("bench", BUT_BACK)
    made = artifact().model_copy(update={"link": "http://store.corvale.example/portal.tar.gz"})
    await world.land((await world.ask("bench", "1.1.0", artifacts=(made,))).number)
    world.clock.now += timedelta(minutes=1)
    await world.landed("bench", "1.2.0")
    transport = httpx.MockTransport(lambda _: httpx.Response(answer))
    async with httpx.AsyncClient(transport=transport) as client:
        object.__setattr__(world.backend, "client", client)
        if gone:
            with pytest.raises(InvalidError, match="is gone"):
                await world.ask("bench", "1.1.0", kind="rollback")
        else:
            await world.ask("bench", "1.1.0", kind="rollback")
