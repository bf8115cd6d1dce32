"""Sources are read each by itself: what one of them does, or lost, stops no other."""

from dataclasses import replace
from datetime import timedelta

import pytest
from tests.world import TICKETS, World

from dogana.demo.cast import ACTORS
from dogana.jobs.worker import Worker
from dogana.service.calendars import files
from dogana.service.sealing import Keyring, new_key_line
from dogana.service.sources import registry, scraping
from dogana.sources.metrics import Sample

DARIO = ACTORS["dario"]


async def keep(world: World, name: str, kind: str, secret: str | None = None, **settings) -> None:
    kept = registry.keep(
        world.backend,
        DARIO,
        name,
        kind=kind,
        title=name,
        settings=settings,
        secret=secret,
        expected=None,
    )
    await world.seconded(kept)


async def reasons(world: World) -> dict[str, str | None]:
    return {one.id: one.reason for one in await registry.all_sources(world.backend, DARIO)}


class Pages:
    """Three pages: one that nobody expected, one that cannot be kept, one that is well."""

    async def page(self, at):
        if at.id == "a-page":
            raise ZeroDivisionError
        label = "x\0y" if at.id == "b-page" else "x"
        return [Sample("lag", {"of": label}, 1.0)]


async def test_a_page_that_cannot_be_kept_stops_no_other(world: World):
    """Each says so; they are tried again at their next time."""
    world.backend = replace(world.backend, metrics=Pages())
    for name in ("a-page", "b-page", "c-page"):
        await keep(world, name, "scrape", address=f"http://{name}/", names=["lag"])
    await scraping.scrape_due(world.backend)
    said = await reasons(world)
    assert said["c-page"] is None
    for name in ("a-page", "b-page"):
        assert said[name] == "it could not be taken in; the log says why"
    async with world.backend.database.transaction() as session:
        rows = {row.id: row for row in await registry.sources.sources(session)}
    assert all(rows[name].tried_at == world.clock.now for name in ("a-page", "b-page", "c-page"))
    assert rows["c-page"].read_at == world.clock.now


async def test_a_secret_that_does_not_open_leaves_that_source_unknown_alone(world: World):
    """Sealed with a key that is gone: what waits is inspected all the same, and the rest is read."""
    row = await world.waiting()
    await keep(world, "other", "tickets", "Bearer abc", address="http://tracker/{key}", projects=["OTHER"])
    await keep(world, "feasts", "calendar", "Bearer abc", address="http://feasts/", calendar="feasts")
    world.backend = replace(world.backend, keyring=Keyring.read(new_key_line()))

    async def tickets() -> tuple[str, str]:
        world.clock.now += timedelta(minutes=3)
        findings = (await world.refresh(row.number)).findings
        return next((one.outcome, one.because) for one in findings if one.rule == TICKETS["id"])

    assert (await tickets())[0] == "met"
    await files.follow_addresses(world.backend)
    assert (await reasons(world))["feasts"].startswith("its secret does not open: a value was sealed with")
    await keep(world, "tickets", "tickets", "Bearer abc", address="http://tracker/tickets/{key}")
    world.backend = replace(world.backend, keyring=Keyring.read(new_key_line()))
    outcome, because = await tickets()
    assert (outcome, "its secret does not open" in because) == ("unknown", True)
    # Whoever has the new secret mends it.
    await keep(world, "tickets", "tickets", "Bearer new", address="http://tracker/tickets/{key}")
    assert {one.rule: one.outcome for one in (await world.refresh(row.number)).findings}[
        TICKETS["id"]
    ] == "met"


async def test_what_fails_of_a_round_keeps_the_rest_of_it_from_nothing(
    world: World, monkeypatch: pytest.MonkeyPatch
):
    """Whatever happened to the pages, calendars are read."""
    read = []

    async def fails(_):
        raise ZeroDivisionError

    async def follows(_):
        read.append("calendars")

    monkeypatch.setattr(scraping, "scrape_due", fails)
    monkeypatch.setattr(files, "follow_addresses", follows)
    await Worker(world.backend, world.key, "test").look_outside()
    assert read == ["calendars"]
