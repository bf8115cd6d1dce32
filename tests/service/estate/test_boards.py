"""Boards: one's own, read by their link, and on a wall for whoever has its address and nobody else."""

from dataclasses import replace

import pytest
from tests.world import TICKETS, World

from dogana.core.errors import (
    ConflictError,
    ForbiddenError,
    InvalidError,
    NotFoundError,
    RefusedError,
    SignedOutError,
)
from dogana.demo.cast import ACTORS
from dogana.service.actor import Right
from dogana.service.estate import boards
from dogana.service.estate.boards import WALL_LASTS, Chart, EstateBoard
from dogana.service.people import members

ILSE, NOOR = ACTORS["ilse"], ACTORS["noor"]
WELL = {
    "id": "well",
    "kind": "monitors",
    "title": "It is well",
    "watch": [{"name": "lag", "query": 'telemetry_lag_seconds{environment="$environment"}', "at_most": 6}],
}
BOARD = EstateBoard(
    title="The valley",
    services=("taps-portal",),
    charts=(Chart(environment="bench", monitor="lag"), Chart(environment="gone", monitor="lag")),
)


async def test_a_board_is_its_owners_and_read_by_everybody_who_may(world: World):
    """Others see it by its link and cannot change it; what a chart names and is not there is said."""
    await world.adopt("bench", TICKETS, WELL)
    await world.landed()
    made = await boards.keep(world.backend, ILSE, None, BOARD)
    assert [one.id for one in await boards.mine(world.backend, ILSE)] == [made.id]
    assert await boards.mine(world.backend, NOOR) == []
    assert (await boards.get(world.backend, NOOR, made.id)).mine is False
    shown = await boards.show(world.backend, NOOR, made.id, points=50)
    assert [row.service.id for row in shown.estate.rows] == ["taps-portal"]
    there, gone = shown.charts
    assert (there.line.unknown, there.environment.name) == (None, "Bench")
    assert "landing" in {one.kind for one in there.occurrences}
    assert (gone.line.unknown, gone.line.at) == ("There is no environment gone.", [])
    for act in (
        lambda: boards.keep(world.backend, NOOR, made.id, BOARD),
        lambda: boards.drop(world.backend, NOOR, made.id),
        lambda: boards.hang(world.backend, NOOR, made.id),
    ):
        with pytest.raises(RefusedError):
            await act()
    with pytest.raises(InvalidError):
        await boards.keep(world.backend, ILSE, None, BOARD.model_copy(update={"services": ("none",)}))
    await boards.drop(world.backend, ILSE, made.id)
    with pytest.raises(NotFoundError):
        await boards.get(world.backend, ILSE, made.id)


async def test_a_wall_shows_the_board_until_it_ends(world: World):
    """A new address ends the old one; taken down, over, or of one whose access ended, it shows nothing."""
    made = await boards.keep(world.backend, ILSE, None, BOARD)

    async def shows(secret: str) -> bool:
        try:
            return (await boards.on_wall(world.backend, secret, 50)).title == "The valley"
        except SignedOutError:
            return False

    first = await boards.hang(world.backend, ILSE, made.id)
    assert await shows(first.secret)
    second = await boards.hang(world.backend, ILSE, made.id)
    assert (await shows(first.secret), await shows(second.secret)) == (False, True)
    assert not await shows("x" * 43)
    await boards.take_down(world.backend, ILSE, made.id)
    assert not await shows(second.secret)
    with pytest.raises(ConflictError):
        await boards.take_down(world.backend, ILSE, made.id)
    third = await boards.hang(world.backend, ILSE, made.id)
    world.clock.now += WALL_LASTS
    assert not await shows(third.secret)
    fourth = await boards.hang(world.backend, ILSE, made.id)
    await members.end_access(world.backend, ACTORS["dario"], "ilse")
    assert not await shows(fourth.secret)


async def test_nobody_makes_a_board_for_others_or_without_end(world: World):
    """With no right of one's own there is none; and fifty are enough."""
    with pytest.raises(ForbiddenError):
        await boards.keep(world.backend, replace(ILSE, rights=frozenset({Right.READ})), None, BOARD)
    for n in range(50):
        await boards.keep(world.backend, ILSE, None, BOARD.model_copy(update={"title": f"Board {n}"}))
    with pytest.raises(ConflictError):
        await boards.keep(world.backend, ILSE, None, BOARD)
