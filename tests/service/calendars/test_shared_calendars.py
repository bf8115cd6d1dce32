"""Shared calendars: what closes more acts at once, what closes less takes a second policy owner."""

import asyncio
from datetime import UTC, datetime
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.limits import examples
from tests.world import World

from dogana.core.errors import ConflictError, RefusedError
from dogana.core.time.intervals import Interval
from dogana.core.time.windows import Calendar
from dogana.demo.cast import ACTORS
from dogana.service.calendars import files, shared
from dogana.service.configuration import proposals
from dogana.sources.feeds import write_calendar
from dogana.store import people as store

MONTH = Interval(datetime(2026, 3, 1, tzinfo=UTC), datetime(2026, 4, 1, tzinfo=UTC))
MARCO, CHIARA, DARIO = (ACTORS[who] for who in ("marco", "chiara", "dario"))


def feast(day: int, hours: int = 24, name: str = "feast") -> dict[str, Any]:
    return {
        "name": name,
        "from": f"2026-03-{day:02}T00:00",
        "until": f"2026-03-{day + hours // 24:02}T{hours % 24:02}:00",
    }


def calendar(*windows: dict[str, Any], zone: str = "Europe/Rome") -> Calendar:
    return Calendar.model_validate({"title": "Feasts", "zone": zone, "windows": windows})


async def kept(world: World) -> list[str]:
    found = await shared.all_calendars(world.backend, DARIO)
    return [window.name for window in found["feasts"].windows]


async def test_more_acts_at_once_and_less_waits_for_another(world: World):
    """Until then the old one holds; whoever asked does not confirm it, nor does an administrator."""
    first, more, less = (
        calendar(feast(12)),
        calendar(feast(12), feast(20, name="more")),
        calendar(feast(20, name="more")),
    )
    for one in (first, more):
        assert (await shared.keep_calendar(world.backend, MARCO, "feasts", one)).waits is None
    asked = await shared.keep_calendar(world.backend, MARCO, "feasts", less)
    assert asked.waits is not None
    assert await kept(world) == ["feast", "more"]
    for who in (MARCO, DARIO, ACTORS["ilse"]):
        with pytest.raises(RefusedError):
            await proposals.confirm(world.backend, who, asked.waits)
    with pytest.raises(ConflictError):
        await shared.keep_calendar(world.backend, CHIARA, "feasts", calendar())
    await proposals.confirm(world.backend, CHIARA, asked.waits)
    assert await kept(world) == ["more"]


async def test_a_file_that_closes_less_waits_as_well(world: World):
    """However it comes in."""
    body = write_calendar(calendar(feast(12)), "feasts")
    read, asked = await files.import_file(
        world.backend, MARCO, "feasts", body, title="Feasts", zone="Europe/Rome"
    )
    assert (asked.waits, len(read.windows)) == (None, 1)
    shorter = write_calendar(calendar(feast(12, hours=12)), "feasts")
    _, asked = await files.import_file(
        world.backend, MARCO, "feasts", shorter, title="Feasts", zone="Europe/Rome"
    )
    assert asked.waits is not None


async def test_what_was_tightened_meanwhile_is_not_loosened_by_the_way(world: World):
    """What was asked for before would undo it."""
    await shared.keep_calendar(world.backend, MARCO, "feasts", calendar(feast(12)))
    asked = await shared.keep_calendar(world.backend, MARCO, "feasts", calendar())
    await shared.keep_calendar(world.backend, CHIARA, "feasts", calendar(feast(12), feast(14)))
    with pytest.raises(ConflictError, match="changed since"):
        await proposals.confirm(world.backend, CHIARA, asked.waits or 0)


async def test_a_lone_policy_owner_loosens_and_it_is_said(world: World):
    async with world.backend.database.transaction() as session:
        (await store.person(session, "chiara")).roles = ["auditor"]
    await shared.keep_calendar(world.backend, MARCO, "feasts", calendar(feast(12)))
    asked = await shared.keep_calendar(world.backend, MARCO, "feasts", calendar())
    assert (asked.waits, asked.alone) == (None, True)


_WINDOWS = st.one_of(
    st.builds(feast, st.integers(1, 20), st.sampled_from([6, 12, 24, 48])),
    st.builds(
        lambda rule, hours: {
            "name": "again",
            "every": rule,
            "starting": "2026-03-02T09:00",
            "lasting": f"PT{hours}H",
        },
        st.sampled_from(
            ["FREQ=DAILY", "FREQ=WEEKLY;BYDAY=MO", "FREQ=WEEKLY;BYDAY=MO,TU", "FREQ=DAILY;COUNT=3"]
        ),
        st.sampled_from([1, 4, 10]),
    ),
)
_CALENDARS = st.builds(
    lambda windows, zone: calendar(*windows, zone=zone),
    st.lists(_WINDOWS, max_size=3),
    st.sampled_from(["Europe/Rome", "Etc/UTC"]),
)


@settings(max_examples=examples(200))
@given(_CALENDARS, _CALENDARS)
def test_what_is_said_to_close_no_less_closes_every_minute_that_was_closed(after: Calendar, before: Calendar):
    """It may call something less that is not, never the other way."""
    if not after.closes_no_less(before):
        return
    closed = [one for window in after.windows for one in window.occurrences(after.zone, MONTH)]
    for window in before.windows:
        for one in window.occurrences(before.zone, MONTH):
            at = one.start
            while at < one.end:
                holding = [other for other in closed if other.start <= at < other.end]
                assert holding, (window, at)
                at = max(other.end for other in holding)


async def test_of_two_who_add_to_it_at_once_neither_loses_what_they_added(world: World):
    """The second was written without what the first added: it closes less, and waits for another."""
    await shared.keep_calendar(world.backend, MARCO, "feasts", calendar(feast(12)))
    mine, yours = calendar(feast(12), feast(18, name="mine")), calendar(feast(12), feast(20, name="yours"))
    came = await asyncio.gather(
        shared.keep_calendar(world.backend, MARCO, "feasts", mine),
        shared.keep_calendar(world.backend, CHIARA, "feasts", yours),
    )
    (waits,) = [one.waits for one in came if one.waits is not None]
    (kept_now,) = {"mine", "yours"} & {*await kept(world)}
    asked = next(one for one in await proposals.proposals(world.backend, DARIO) if one.id == waits)
    assert asked.new is not None
    assert kept_now not in [one["name"] for one in asked.new["windows"]]
