"""Calendars that are kept like an address: what they close is known as long as they can be read."""

from datetime import timedelta

import httpx
import pytest
from tests.service.courses.moving import ROLLOUT, Moving
from tests.world import TICKETS, World

from dogana.core.health.course import Move
from dogana.demo.cast import ACTORS
from dogana.service.calendars import files, shared
from dogana.service.sources import registry

FEASTS = (
    "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\nBEGIN:VEVENT\r\nUID:1\r\nSUMMARY:feast\r\n"
    "DTSTART:20260601T060000Z\r\nDTEND:20260601T180000Z\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
)
FREEZE = {"id": "feasts", "kind": "freeze", "title": "Feasts", "zone": "Europe/Rome", "calendars": ["feasts"]}


class Publisher:
    """Who publishes the calendar, as long as they are there."""

    def __init__(self, world: World) -> None:
        self._world = world
        self.away, self.events = False, FEASTS
        client = httpx.AsyncClient(transport=httpx.MockTransport(self._answer))
        object.__setattr__(world.backend, "client", client)

    def _answer(self, _: httpx.Request) -> httpx.Response:
        return httpx.Response(404) if self.away else httpx.Response(200, text=self.events)

    async def set_up(self, **more: str) -> None:
        settings = {"address": "http://feasts/all.ics", "calendar": "feasts", **more}
        kept = registry.keep(
            self._world.backend,
            ACTORS["dario"],
            "feasts",
            kind="calendar",
            title="the feasts",
            settings=settings,
            secret=None,
            expected=None,
        )
        await self._world.seconded(kept)
        await self.after(timedelta(0))

    async def after(self, span: timedelta) -> None:
        self._world.clock.now += span
        await files.follow_addresses(self._world.backend)


@pytest.fixture
async def publisher(world: World) -> Publisher:
    return Publisher(world)


@pytest.mark.parametrize(
    ("settings", "good_for"),
    [({}, 24), ({"every": "PT20H"}, 40), ({"good_for": "PT3H"}, 3)],
)
async def test_what_it_closes_is_unknown_once_it_was_not_read_for_too_long(
    world: World, publisher: Publisher, settings, good_for
):
    """It may close more by now; once it is read again it counts as before."""
    await publisher.set_up(**settings)
    await world.adopt("bench", FREEZE, {**TICKETS, "fresh": "P9D"}, HELD)
    row = await world.ask("bench")

    async def outcome() -> tuple[str, str]:
        (finding,) = [one for one in (await world.refresh(row.number)).findings if one.rule == "feasts"]
        return finding.outcome, finding.because

    assert (await outcome())[0] == "met"
    publisher.away = True
    await publisher.after(timedelta(hours=good_for, minutes=-1))
    assert (await outcome())[0] == "met"
    await publisher.after(timedelta(minutes=2))
    said, because = await outcome()
    assert (said, because.startswith("The calendar feasts was last read ")) == ("unknown", True)
    publisher.away = False
    await publisher.after(timedelta(days=2))
    assert (await outcome())[0] == "met"


HELD = {"id": "seat", "kind": "reviewers", "title": "Approved", "seats": [{"group": "release-desk"}]}


async def test_one_that_was_never_read_closes_nobody_knows_what(world: World, publisher: Publisher):
    """Also where there is a calendar of its name from before."""
    await publisher.set_up()
    publisher.away = True
    await world.adopt("bench", FREEZE, HELD)
    row = await world.ask("bench")
    async with world.backend.database.transaction() as session:
        source = await registry.sources.source(session, "feasts", lock=True)
        source.read_at = None
    (finding,) = [one for one in (await world.refresh(row.number)).findings if one.rule == "feasts"]
    assert (finding.outcome, "feasts was never read" in finding.because) == ("unknown", True)


async def test_an_address_that_lists_nothing_any_more_opens_nothing(world: World, publisher: Publisher):
    """As long as something that it listed is still to come: whoever publishes it may have lost it all."""
    await publisher.set_up()
    publisher.events = FEASTS.partition("BEGIN:VEVENT")[0] + "END:VCALENDAR\r\n"
    await publisher.after(timedelta(hours=2))

    async def standing() -> tuple[int, bool]:
        kept = (await shared.all_calendars(world.backend, ACTORS["wanjiru"]))["feasts"]
        sources = await registry.all_sources(world.backend, ACTORS["dario"])
        return len(kept.windows), next(one.reason for one in sources if one.id == "feasts") is None

    assert await standing() == (1, False)
    await publisher.after(timedelta(days=90))
    assert await standing() == (0, True)


@pytest.mark.thorough
async def test_the_next_step_of_what_moves_is_held_as_well(world: World, publisher: Publisher):
    """What departed is not let further in by a calendar that nobody can read."""
    moving = await Moving.into(world)
    await publisher.set_up()
    publisher.away = True
    await moving.set_to(10)
    await world.adopt("bench", ROLLOUT, FREEZE)
    await publisher.after(timedelta(hours=25))
    view = await moving.healthy(10, looks=32)
    assert (view.ordered, view.move) == (10, Move.WAIT)
    assert view.because.startswith("The next step is held: the calendar feasts was last read ")
    publisher.away = False
    await publisher.after(timedelta(hours=1))
    assert (await moving.healthy(10, looks=32)).ordered == 50
