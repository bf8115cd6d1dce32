"""Pages of metrics: a value is as old as its measurement, however often the page still shows it."""

from dataclasses import replace
from datetime import timedelta

import httpx
import pytest
from tests.service.sources.test_each_by_itself import DARIO, keep
from tests.world import World

from dogana.service.sources import registry, scraping
from dogana.sources.metrics import HttpMetrics

WINDOW = timedelta(hours=2)


async def set_up_page(world: World, body: str) -> None:
    """A page that always says the same."""
    client = httpx.AsyncClient(transport=httpx.MockTransport(lambda _: httpx.Response(200, text=body)))
    world.backend = replace(world.backend, metrics=HttpMetrics(client, world.clock))
    await keep(world, "page", "scrape", address="http://page.example/", names=["lag"])


async def read(world: World, body: str, times: int = 1) -> tuple[timedelta, tuple[float, ...]]:
    """How old a value is after so many readings of a page, a minute apart, and all that was kept."""
    await set_up_page(world, body.format(at=world.clock.now.timestamp()))
    for _ in range(times):
        await scraping.scrape_due(world.backend)
        world.clock.now += timedelta(minutes=1)
    async with world.backend.database.transaction() as session:
        sources = await registry.load(world.backend, session)
    found = await scraping.scraped(world.backend, sources.meter("page"), "lag", "live", WINDOW)
    assert found.value is not None, found.unknown
    return world.clock.now - found.read_at, found.value.values


@pytest.mark.parametrize(
    ("body", "old", "values"),
    [
        ("lag 2.5\n", timedelta(minutes=1), (2.5, 2.5, 2.5)),
        ("# TYPE lag gauge\nlag 2.5 {at}\n# EOF\n", timedelta(minutes=3), (2.5,)),
        ("lag 2.5 1\n", None, ()),
        ("lag 2.5 99999999999999\n", timedelta(minutes=1), (2.5, 2.5, 2.5)),
    ],
    ids=["as it is asked", "measured once", "half a century ago", "tomorrow"],
)
async def test_what_a_page_goes_on_showing_grows_old(world: World, body: str, old, values):
    """Values that one machine pushed and another keeps on its page, with their times beside them."""
    age, kept = await read(world, body, times=3)
    assert kept == values
    assert old is None or age == old


async def test_a_time_that_is_none_is_no_page(world: World):
    await set_up_page(world, "lag 2.5 1e300\n")
    await scraping.scrape_due(world.backend)
    (reason,) = [one.reason for one in await registry.all_sources(world.backend, DARIO) if one.id == "page"]
    assert reason == "its page is not in the OpenMetrics text format"
