"""A list that is too long to be given whole is cut where it is old, and says so."""

from datetime import timedelta

import pytest
from tests.world import NOW, World

from dogana.demo.cast import ACTORS
from dogana.service.promotions import comments
from dogana.service.views import dossier, timeline


async def test_a_course_without_its_beginning_is_not_called_whole(
    world: World, monkeypatch: pytest.MonkeyPatch
):
    row = await world.waiting()
    assert (await world.dossier(row.number)).course_is_whole
    count = len((await world.dossier(row.number)).course)
    monkeypatch.setattr(dossier, "_MOST_ENTRIES", count)
    assert (await world.dossier(row.number)).course_is_whole
    await comments.comment(world.backend, ACTORS["ilse"], row.number, "One more.")
    found = await world.dossier(row.number)
    assert (found.course_is_whole, len(found.course)) == (False, count)
    assert found.course[-1].reason == "One more."


async def test_the_calendar_says_from_when_on_landings_are_drawn(
    world: World, monkeypatch: pytest.MonkeyPatch
):
    """The earlier ones of a stretch are left out, never the last."""
    landed = [await world.landed("bench")]
    world.clock.now += timedelta(hours=1)
    landed.append(await world.landed("rehearsal"))

    async def drawn() -> tuple:
        found = await timeline.timeline(world.backend, ACTORS["ilse"], NOW - timedelta(days=1), 7)
        return found.landings_from, {mark.number for lane in found.lanes for mark in lane.landings}

    assert await drawn() == (None, {row.number for row in landed})
    monkeypatch.setattr(timeline, "_MOST_LANDINGS", 1)
    assert await drawn() == (landed[1].landed_at, {landed[1].number})
