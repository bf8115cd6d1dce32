"""What an installation says of itself: what it lacks, who runs, what is late, what comes first."""

from dataclasses import replace
from datetime import timedelta

import pytest
from prometheus_client import CollectorRegistry
from prometheus_client.openmetrics.parser import text_string_to_metric_families
from tests.world import World

from dogana.clock import system_clock
from dogana.core.errors import MisconfiguredError
from dogana.demo.cast import ACTORS
from dogana.service.house import first_steps, metrics, readiness, state
from dogana.service.house.processes import Beat, running
from dogana.service.people import tokens
from dogana.service.sealing import Keyring, new_key_line
from dogana.store import Database, house
from dogana.store.migrate import revisions

READER = ACTORS["wanjiru"]


async def failing(world: World) -> dict[str, str]:
    found = await readiness.readiness(world.backend)
    return {one.name: one.says for one in found.checks if not one.ok}


async def test_a_worker_is_missed_and_seen_again(world: World):
    """None at all, one that fell silent, one that ended in good order, one that is there."""
    await world.sequence()
    assert list(await failing(world)) == ["worker"]
    beat = Beat(world.backend, "worker")
    await beat.tell()
    assert await failing(world) == {}
    async with world.backend.database.transaction() as session:
        (row,) = await house.processes(session)
        row.seen_at -= timedelta(seconds=90)
    assert (await failing(world))["worker"].startswith("No worker has been heard of for 1 min")
    await beat.tell()
    assert await readiness.lacking(world.backend, READER) == []
    await beat.end()
    assert "No worker runs" in (await failing(world))["worker"]
    web = Beat(world.backend, "web", lacks=["Its folder is full."])
    await web.tell()
    assert "Its folder is full." in await readiness.lacking(world.backend, READER)


async def test_a_clock_that_goes_wrong_is_said(world: World, monkeypatch):
    """Held against the database's, which all share: by it freezes begin and end."""
    beat = Beat(replace(world.backend, clock=system_clock), "worker")
    await beat.tell()
    assert [one.lacks for one in await running(world.backend)] == [()]
    ahead = lambda: system_clock() + timedelta(seconds=42)  # noqa: E731
    monkeypatch.setattr("dogana.service.house.processes.system_clock", ahead)
    await replace_clock(beat, ahead).tell()
    (one,) = await running(world.backend)
    assert "s ahead of the database's." in one.lacks[0]


def replace_clock(beat: Beat, clock) -> Beat:
    return replace(beat, backend=replace(beat.backend, clock=clock))


async def test_entries_that_get_no_place_are_said_once_a_worker_is_there(world: World):
    """The sequencer stands still though somebody is at work."""
    await Beat(world.backend, "worker").tell()
    await world.landed()
    assert "have waited" in (await failing(world))["ledger"]
    await world.sequence()
    assert await failing(world) == {}


async def test_keys_that_are_gone(world: World):
    """None at all keeps it from starting; one that is missing is said until what it sealed is set up anew."""
    assert await failing(replace(world, backend=replace(world.backend, keyring=None))) != {}
    with pytest.raises(MisconfiguredError, match="There is no sealing key"):
        await readiness.must_be_set_up(replace(world.backend, keyring=None))
    await world.landed()
    other = replace(world.backend, keyring=Keyring.read(new_key_line()))
    await readiness.must_be_set_up(other)
    assert "is missing, with which secrets" in (await failing(replace(world, backend=other)))["keys"]


async def test_a_database_that_is_away_is_said_and_nothing_is_raised(world: World):
    """By the check, on the page of metrics, and for every screen."""
    away = replace(world.backend, database=Database("postgresql+psycopg://nobody@127.0.0.1:1/none"))
    assert [one.name for one in (await readiness.readiness(away)).checks] == ["database"]
    assert await readiness.lacking(away, READER) == ["The database does not answer."]
    page = (await metrics.page(away, READER, CollectorRegistry())).decode()
    assert 'dogana_ready{check="database"} 0.0' in page
    assert "dogana_queue_due{" not in page


@pytest.mark.parametrize(
    ("present", "says"),
    [
        (None, "holds no tables yet"),
        ("", "an early one"),
        (revisions()[-1], f"needs {revisions()[0]}"),
        (revisions()[0], None),
        ("9999", None),
    ],
)
def test_a_schema_is_old_ours_or_a_later_one(present: str | None, says: str | None):
    """A later one leaves what we read as it was: old processes go on beside it."""
    fault = readiness.schema_fault(present)
    assert (says in fault) if says else fault is None


async def test_the_page_of_metrics_is_what_a_metrics_server_reads(world: World):
    """Well-formed, and with the counters of every process under its own name."""
    for kind in ("web", "worker"):
        await Beat(world.backend, kind).tell()
    await world.landed()
    await Beat(world.backend, "worker").tell()
    page = (await metrics.page(world.backend, READER, CollectorRegistry())).decode()
    found = {family.name: family.samples for family in text_string_to_metric_families(page)}
    assert {one.labels["kind"] for one in found["dogana_process_up"]} == {"web", "worker"}
    landed = [one for one in found["dogana_entries"] if one.labels["action"] == "land"]
    assert {one.labels["process"] for one in landed} <= {
        one.labels["process"] for one in found["dogana_process_up"]
    }
    assert max(one.value for one in landed) >= 1
    due = {one.labels["queue"]: one.value for one in found["dogana_queue_due"]}
    assert due["ledger"] > 0


async def test_the_state_of_the_house(world: World):
    """What there is, how large it is, and what fails."""
    await Beat(world.backend, "worker").tell()
    world.unavailable.add("TAPS-2")
    await world.ask()
    found = await state.state(world.backend, READER)
    assert [one.kind for one in found.processes] == ["worker"]
    assert found.schema_version == revisions()[0]
    assert found.size > 0
    assert len(found.tables) == 12
    assert found.entries_a_day > 0
    assert found.bytes_a_day >= 0


async def test_the_first_steps_tick_themselves_and_are_over_once_something_was_asked_for(world: World):
    """Of the scenario what is left, then nothing."""
    steps = await first_steps.first_steps(world.backend, READER)
    left = {step.name: [one.id for one in step.missing] for step in steps.steps if not step.done}
    assert steps.under_way
    assert "worker" in left
    assert {"environments", "route", "service", "groups", "people", "keys", "source"}.isdisjoint(left)
    assert "bench" not in left["policy"]
    assert "pilot-valley" in left["policy"]
    await Beat(world.backend, "worker").tell()
    made = {"person": "pipeline", "title": "t", "scopes": ["request"], "days": 1}
    await world.seconded(tokens.make_token(world.backend, ACTORS["dario"], tokens.NewToken(**made)))
    steps = await first_steps.first_steps(world.backend, READER)
    assert {step.name for step in steps.steps if not step.done} == {"policy"}
    await world.ask()
    assert not (await first_steps.first_steps(world.backend, READER)).under_way
