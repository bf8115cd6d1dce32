"""Policies as their authors wrote them, drafts that are let be, and policies to begin with."""

import pytest
from tests.world import TICKETS, World, policy

from dogana.core.errors import ForbiddenError, MovedOnError, UnknownNameError
from dogana.core.policy.document import read_policy
from dogana.demo.cast import ACTORS
from dogana.service.landscape import setting_up
from dogana.service.landscape.documents import Environment
from dogana.service.policies import board, drafts, starting, versions
from dogana.service.views import desk

CHIARA, MARCO, DARIO = ACTORS["chiara"], ACTORS["marco"], ACTORS["dario"]
WRITTEN = """\
# Why it is so: the audit of March.
title: Bench
zone: Europe/Rome
format: dogana.policy/1

rules:
  # Nothing without a ticket.
  - title: Tickets are done
    kind: tickets
    id: tickets
    status: [done]   # and nothing else
"""


async def column(world: World, environment: str) -> board.BoardColumn:
    found = await board.board(world.backend, MARCO)
    return next(one for one in found.columns if one.environment.id == environment)


async def test_comments_and_order_stay_beside_the_canonical_form(world: World):
    """To the letter, drafted and in force; it means what the canonical form means."""
    row = await drafts.draft(world.backend, CHIARA, "bench", WRITTEN)
    assert (await column(world, "bench")).draft_source == WRITTEN
    await drafts.adopt(world.backend, MARCO, "bench", row.version, reason="")
    assert (await column(world, "bench")).source == WRITTEN
    (newest, *_) = await versions.policy_versions(world.backend, MARCO, "bench")
    assert (newest.written, newest.digest) == (WRITTEN, read_policy(WRITTEN).digest)
    # What came as values is shown as text that reads as the same.
    await world.adopt("bench", TICKETS)
    assert read_policy((await column(world, "bench")).source).digest == read_policy(policy(TICKETS)).digest


async def test_a_draft_waits_on_the_desk_of_who_may_adopt_it(world: World):
    """Not on its author's, nor on anybody's who may not; gone once it is adopted or let be."""

    async def waits(who: str) -> list[tuple[str, int, str]]:
        found = (await desk.desk(world.backend, ACTORS[who])).drafts
        return [(one.environment.id, one.version, one.by.id) for one in found]

    row = await drafts.draft(world.backend, CHIARA, "bench", WRITTEN)
    assert await waits("marco") == [("bench", row.version, "chiara")]
    assert [await waits(who) for who in ("chiara", "ilse", "dario")] == [[], [], []]
    await drafts.drop(world.backend, CHIARA, "bench", row.version)
    assert await waits("marco") == []


async def test_a_draft_that_is_let_be(world: World):
    """It cannot be adopted, its number is not given again, and the record has both."""
    row = await drafts.draft(world.backend, CHIARA, "bench", WRITTEN)
    with pytest.raises(ForbiddenError):
        await drafts.drop(world.backend, DARIO, "bench", row.version)
    await drafts.drop(world.backend, MARCO, "bench", row.version)
    for fails in (
        drafts.adopt(world.backend, MARCO, "bench", row.version, reason=""),
        drafts.drop(world.backend, MARCO, "bench", row.version),
        drafts.drop(world.backend, MARCO, "bench", row.version - 1),
    ):
        with pytest.raises(MovedOnError):
            await fails
    assert (await column(world, "bench")).draft is None
    assert (await drafts.draft(world.backend, CHIARA, "bench", WRITTEN)).version == row.version + 1


@pytest.mark.parametrize("groups", [(), ("security",), ("security", "test-leads")])
async def test_each_policy_to_begin_with_can_be_adopted_as_it_is(world: World, groups):
    """For an environment of any name, with whoever takes the seats."""
    odd = Environment(title="Live: north # 1", zone="Europe/Rome", departs="by deployer")
    await setting_up.keep_environment(world.backend, DARIO, "odd", odd, None)
    found = await starting.starting_points(world.backend, CHIARA, "odd", groups)
    assert [one.name for one in found] == ["open", "two-seats", "guarded"]
    for one in found:
        row = await drafts.draft(world.backend, CHIARA, "odd", one.document)
        await drafts.adopt(world.backend, MARCO, "odd", row.version, reason="to begin with")
        assert (await column_of_versions(world)).count("#") > 0
    seats = [one.name for one in read_policy(found[1].document).rules[0].refers_to()]
    wanted = {0: 2, 1: 1, 2: 2}[len(groups)]
    assert len(set(seats)) == wanted
    for missing in ({"environment": "none", "groups": ()}, {"environment": "odd", "groups": ("none",)}):
        with pytest.raises(UnknownNameError):
            await starting.starting_points(world.backend, CHIARA, **missing)


async def column_of_versions(world: World) -> str:
    (newest, *_) = await versions.policy_versions(world.backend, MARCO, "odd")
    return newest.written or ""
