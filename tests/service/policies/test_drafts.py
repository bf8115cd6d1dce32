"""Drafting and adopting by several people at once."""

import asyncio

import pytest
from tests.web.test_access import signed_in
from tests.world import REVIEWERS, SAMENESS, TICKETS, World, policy

from dogana.core.errors import DoganaError
from dogana.demo.cast import ACTORS
from dogana.service.policies import board, drafts
from dogana.service.views import ledger as ledger_pages
from dogana.store.ledger import EntryFilter


@pytest.mark.thorough
async def test_of_two_who_adopt_one_draft_at_once_one_does(world: World):
    """The other is told that it is in force; the ledger has one adoption."""
    row = await drafts.draft(world.backend, ACTORS["marco"], "bench", policy(TICKETS))
    came = await asyncio.gather(
        *(drafts.adopt(world.backend, ACTORS["chiara"], "bench", row.version, reason="") for _ in range(4)),
        return_exceptions=True,
    )
    refused = [one for one in came if isinstance(one, DoganaError)]
    assert ([type(one).__name__ for one in refused], len(came)) == (["MovedOnError"] * 3, 4)
    wanted = EntryFilter(action="adopt", environment="bench")
    adoptions = await ledger_pages.ledger_page(world.backend, ACTORS["wanjiru"], wanted, 50)
    assert [f"adopted version {row.version} " in one.says for one in adoptions.entries].count(True) == 1


async def test_drafts_written_at_once_are_versions_of_their_own(world: World):
    """None takes another's number; of those adopted at once the latest is in force."""
    client = await signed_in(world, "marco")
    rules = ([TICKETS], [REVIEWERS], [TICKETS, REVIEWERS], [REVIEWERS, TICKETS])
    address = "/api/environments/bench/policies"
    answers = await asyncio.gather(
        *(client.post(address, json={"document": policy(*some)}) for some in rules)
    )
    numbers = sorted(answer.json()["version"] for answer in answers)
    assert numbers == list(range(numbers[0], numbers[0] + len(rules)))
    await asyncio.gather(
        *(drafts.adopt(world.backend, ACTORS["chiara"], "bench", number, reason="") for number in numbers),
        return_exceptions=True,
    )
    columns = (await board.board(world.backend, ACTORS["chiara"])).columns
    assert {one.environment.id: one.version for one in columns}["bench"] == numbers[-1]


@pytest.mark.parametrize("who", ["ilse", "noor", "wanjiru", "dario"])
async def test_nobody_but_policy_owners_writes_or_adopts(world: World, who: str):
    row = await drafts.draft(world.backend, ACTORS["marco"], "bench", policy(TICKETS))
    with pytest.raises(DoganaError):
        await drafts.draft(world.backend, ACTORS[who], "bench", policy(TICKETS))
    with pytest.raises(DoganaError):
        await drafts.adopt(world.backend, ACTORS[who], "bench", row.version, reason="")


@pytest.mark.thorough
async def test_what_is_over_shows_the_policy_it_was_decided_on(world: World):
    """Whatever has come into force since."""
    row = await world.landed("bench")
    await world.adopt("bench", TICKETS, SAMENESS)
    shown = (await world.dossier(row.number)).policy
    assert (
        shown.version,
        (await world.dossier((await world.ask("bench", "1.3.0")).number)).policy.version,
    ) == (1, 2)
