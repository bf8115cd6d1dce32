"""Monitors along time: from a real metrics server, from scraped pages, and before and after a landing."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

import httpx
import pytest
from tests.world import TICKETS, World

from dogana.core.errors import InvalidError, NotFoundError
from dogana.demo import fleet_past
from dogana.demo.cast import ACTORS
from dogana.demo.connections import set_sources
from dogana.service.estate import charts
from dogana.service.sources import registry, scraping
from dogana.sources.metrics import HttpMetrics

WANJIRU = ACTORS["wanjiru"]
WELL = {
    "id": "well",
    "kind": "monitors",
    "title": "It is well",
    "watch": [
        {"name": "lag", "query": 'telemetry_lag_seconds{environment="$environment"}', "at_most": 6},
        {"name": "twice", "query": '2 * telemetry_lag_seconds{environment="$environment"}', "at_most": 9},
    ],
}


async def lines(world: World, start: datetime, end: datetime, *names: str, points: int = 60):
    return await charts.lines(
        world.backend, WANJIRU, environment="bench", names=names, start=start, end=end, points=points
    )


async def test_no_peak_is_lost_between_two_points_however_far_apart_they_are(world: World, tmp_path: Path):
    """Ten minutes of trouble in three days, drawn in sixty points: the highest tells it, the mean hardly."""
    now = datetime.now(UTC)
    peak = fleet_past.Rise(
        metric="telemetry_lag_seconds",
        environment="bench",
        start=now - timedelta(hours=30),
        end=now - timedelta(hours=30) + timedelta(minutes=10),
        factor=20,
    )
    world.clock.now = now
    await world.adopt("bench", TICKETS, WELL)
    with fleet_past.served(tmp_path, now, 3, [peak]) as address:
        async with httpx.AsyncClient() as client:
            world.backend = replace(world.backend, metrics=HttpMetrics(client, world.backend.clock))
            await set_sources(world.backend, "http://tracker", address)
            found = await lines(world, now - timedelta(days=2), now)
            (missing,) = await lines(world, now - timedelta(days=30), now - timedelta(days=20), "lag")
    lag, twice = found
    assert [one.unknown for one in (*found, missing)] == [None] * 3
    assert 40 < len(lag.at) <= 60
    assert max(lag.high) > 40 > max(lag.mean)
    assert all(low <= mean <= high for low, mean, high in zip(lag.low, lag.mean, lag.high, strict=True))
    at = datetime.fromtimestamp(lag.at[lag.high.index(max(lag.high))], UTC)
    assert abs(at - peak.start) < timedelta(hours=1)
    assert max(twice.high) > max(lag.high)
    assert (lag.at_most, missing.at) == (6, [])


CUT = '{"status": "success", "data": {"result": []}, "warnings": ["cut"]}'


@pytest.mark.parametrize("answer", ["<html>", '{"status": "error"}', CUT])
async def test_a_source_that_answers_nonsense_is_not_known_and_stops_no_other(world: World, answer: str):
    """Each monitor by itself says that; where the server is away as well."""
    await world.adopt("bench", TICKETS, WELL)
    transport = httpx.MockTransport(lambda _: httpx.Response(200, text=answer))
    async with httpx.AsyncClient(transport=transport) as client:
        world.backend = replace(world.backend, metrics=HttpMetrics(client, world.backend.clock))
        for one in await lines(world, world.clock.now - timedelta(hours=3), world.clock.now):
            assert one.unknown is not None
            assert one.mean == []


async def test_what_was_scraped_is_drawn_likewise(world: World):
    """From our own table, in steps."""
    pages = {
        "address": "http://metrics/page",
        "names": ["telemetry_lag_seconds"],
        "every": "PT1M",
        "keep": "P30D",
    }
    await world.seconded(
        registry.keep(
            world.backend,
            ACTORS["dario"],
            "pages",
            kind="scrape",
            title="the pages",
            settings=pages,
            secret=None,
            expected=None,
        )
    )
    watch = [{**WELL["watch"][0], "source": "pages"}]
    await world.adopt("bench", TICKETS, {**WELL, "watch": watch})
    for _ in range(30):
        world.clock.now += timedelta(minutes=1)
        await scraping.scrape_due(world.backend)
    (found,) = await lines(world, world.clock.now - timedelta(minutes=30), world.clock.now, points=10)
    assert (found.unknown, len(found.at)) == (None, 10)
    assert found.low[0] <= found.mean[0] <= found.high[0]


async def test_what_can_be_drawn_is_named_and_what_is_asked_wrongly_is_refused(world: World):
    """Of its own policy first; an unknown monitor, or a stretch that is none, is no empty chart."""
    await world.adopt("bench", TICKETS, WELL)
    await world.adopt("rehearsal", TICKETS, {**WELL, "watch": [{**WELL["watch"][0], "name": "other"}]})
    named = await charts.monitors(world.backend, WANJIRU, "bench")
    assert [(one.name, one.own, one.limit) for one in named] == [
        ("lag", True, "at most 6"),
        ("twice", True, "at most 9"),
        ("other", False, None),
    ]
    now = world.clock.now
    with pytest.raises(NotFoundError, match="no-such"):
        await lines(world, now - timedelta(hours=1), now, "no-such")
    for wrong in ((now, now - timedelta(hours=1)), (now + timedelta(hours=1), now + timedelta(hours=2))):
        with pytest.raises(InvalidError):
            await lines(world, *wrong)
    with pytest.raises(InvalidError, match="20 monitors"):
        await lines(world, now - timedelta(hours=1), now, *["lag"] * 21)


async def test_before_and_after_a_landing_are_held_against_each_other(world: World):
    """With an interval; where it ran too short to tell, that is said."""
    await world.adopt("bench", TICKETS, {**WELL, "watch": WELL["watch"][:1]})
    number = (await world.landed()).number
    world.clock.now += timedelta(seconds=30)
    assert {one.says for one in await charts.beside(world.backend, WANJIRU, number)} == {
        "not known: it showed too little"
    }
    world.clock.now += timedelta(hours=9)
    (lag,) = await charts.beside(world.backend, WANJIRU, number)
    assert lag.low is not None
    assert lag.high is not None
    assert lag.low <= 0 <= lag.high
    assert lag.says.startswith("no difference can be told")
    with pytest.raises(NotFoundError):
        await charts.beside(world.backend, WANJIRU, (await world.ask("rehearsal")).number)
