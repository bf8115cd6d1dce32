"""How often each use case asks the database and inspects: counted, so that neither grows unseen."""

from collections.abc import Iterator
from contextlib import contextmanager
from datetime import timedelta

import pytest
from tests.statements import asked
from tests.world import REVIEWERS, SAMENESS, World

from dogana.demo.cast import ACTORS
from dogana.service.actor import ENGINE
from dogana.service.delivery import course
from dogana.service.policies import board
from dogana.service.promotions import decisions, grounds, refreshing


class Spent:
    """What was spent since it was begun."""

    statements = 0
    inspections = 0


@pytest.fixture
def spending(monkeypatch):
    """A block in which statements and inspections are counted."""
    real = grounds.inspect

    @contextmanager
    def counting() -> Iterator[Spent]:
        spent = Spent()

        def inspected(*given):
            spent.inspections += 1
            return real(*given)

        monkeypatch.setattr(grounds, "inspect", inspected)
        try:
            with asked() as statements:
                yield spent
        finally:
            spent.statements = len(statements)
            monkeypatch.setattr(grounds, "inspect", real)

    return counting


async def test_a_decision_loads_once_and_inspects_once_before_and_once_after(world: World, spending):
    """The last approval clears as well, and lets it depart."""
    await world.adopt("rehearsal", REVIEWERS)
    row = await world.waiting()
    for who, state in (("ilse", "waiting"), ("henrik", "moving")):
        shown = (await world.dossier(row.number, who)).mine.shown
        with spending() as deciding:
            await decisions.approve(world.backend, ACTORS[who], row.number, shown=shown, comment="")
        assert deciding.statements <= 14
        assert deciding.inspections == 2
        assert (await world.dossier(row.number)).row.state == state


async def test_reading_a_dossier_and_inspecting_anew_keep_to_their_budgets(world: World, spending):
    row = await world.waiting()
    with spending() as reading:
        await world.dossier(row.number, "henrik")
    assert reading.statements <= 10
    assert reading.inspections <= 2
    world.clock.now += timedelta(minutes=1)
    with spending() as anew:
        await refreshing.refresh(world.backend, row.number)
    assert anew.statements <= 16
    assert anew.inspections == 1


async def test_letting_go_inspects_once(world: World, spending):
    """Into an environment whose deployer says when."""
    await world.landed()
    await world.landed("rehearsal")
    await world.adopt("pilot-valley", SAMENESS)
    row = await world.ask("pilot-valley")
    assert row.state == "cleared"
    with spending() as going:
        await course.let_go(world.backend, ENGINE, row.number)
    assert going.statements <= 16
    assert going.inspections == 1


async def test_the_board_asks_no_more_for_more_environments_or_versions(world: World, spending):
    """Of each environment the version in force and the newest; of none all it ever had."""
    with spending() as few:
        await board.board(world.backend, ACTORS["wanjiru"])
    for _ in range(3):
        await world.adopt("pilot-valley", SAMENESS)
        await world.adopt("bench", SAMENESS)
    with spending() as more:
        await board.board(world.backend, ACTORS["wanjiru"])
    assert more.statements == few.statements <= 8
