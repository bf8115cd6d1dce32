"""What takes two people: the word of the first counts no more once they could not give it any more."""

from collections.abc import Awaitable, Callable
from datetime import timedelta

import pytest
from tests.service.estate.test_findings import accept, scanned
from tests.service.promotions.test_waivers import SOAK
from tests.service.promotions.test_what_clears import OPEN, other_bytes
from tests.world import REVIEWERS, TICKETS, World, policy

from dogana.core.errors import RefusedError
from dogana.demo.cast import ACTORS
from dogana.service.estate import accepting
from dogana.service.landscape import closings
from dogana.service.people import leaving
from dogana.service.policies import drafts
from dogana.service.promotions import waivers

DARIO, ADAEZE, TOMAS, ILSE = (ACTORS[name] for name in ("dario", "adaeze", "tomas", "ilse"))
Second = Callable[[], Awaitable[object]]


async def waiver(world: World) -> tuple[str, Second]:
    await world.adopt("rehearsal", SOAK, TICKETS)
    row = await world.waiting()
    shown = (await world.dossier(row.number)).mine.shown
    until = world.clock.now + timedelta(hours=2)
    await waivers.ask_waiver(
        world.backend, ACTORS["henrik"], row.number, "soak", until=until, reason="It burns", shown=shown
    )
    return "henrik", lambda: world.grant_waiver(row.number, "ilse", "soak")


async def draft(world: World) -> tuple[str, Second]:
    row = await drafts.draft(world.backend, ACTORS["marco"], "bench", policy(REVIEWERS))
    return "marco", lambda: drafts.adopt(world.backend, ACTORS["chiara"], "bench", row.version, reason="r")


async def finding(world: World) -> tuple[str, Second]:
    await world.landed()
    await scanned(world, "1.2.0", ("CVE-1", "high"))
    asked = await accept(world)
    return "ilse", lambda: accepting.grant(world.backend, TOMAS, asked.id)


@pytest.mark.parametrize("first", [waiver, draft, finding])
async def test_what_somebody_left_behind_who_is_out_is_not_brought_about(world: World, first):
    """Whoever is asked to agree is told so; somebody else has to begin anew."""
    who, agree = await first(world)
    await leaving.remove_person(world.backend, DARIO, who)
    with pytest.raises(RefusedError, match="could not any more"):
        await agree()


async def test_whoever_would_have_been_the_second_is_the_first(world: World):
    """Of those who accept what landed, and of those who open what was closed: it takes two who may."""
    row = await world.ask("bench")
    await world.land(row.number, other_bytes())
    await world.accept(row.number, ILSE)
    await world.adopt_document("rehearsal", {**policy(OPEN), "closes": "control-room"})
    until = world.clock.now + timedelta(hours=3)
    shut = await closings.close_now(world.backend, ADAEZE, "rehearsal", until=until, reason="storm")
    await closings.open_again(world.backend, ADAEZE, shut.id, reason="calm")
    for who in ("ilse", "adaeze"):
        await leaving.remove_person(world.backend, DARIO, who)
    assert (await world.accept(row.number, ACTORS["henrik"])).state == "halted"
    opening = await closings.open_again(world.backend, TOMAS, shut.id, reason="calm indeed")
    assert opening.opened_at is None
    assert opening.opening_asked_by is not None
    assert opening.opening_asked_by.id == "tomas"
    assert (await world.accept(row.number, TOMAS)).state == "landed"
