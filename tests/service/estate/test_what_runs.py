"""The estate now and at any instant: what runs where, how far behind, what changed, what became of it."""

import random
from datetime import datetime, timedelta

import pytest
from tests.world import REVIEWERS, SAMENESS, TICKETS, World, policy

from dogana.core.errors import InvalidError, NotFoundError
from dogana.core.estate import estate_at, landing_of
from dogana.demo.cast import ACTORS
from dogana.service.delivery import course
from dogana.service.estate import changes, comparison, history, matrix, occurrences, page, standing
from dogana.service.landed import incidents
from dogana.service.landscape import closings
from dogana.service.ledger import audit

ILSE, WANJIRU = ACTORS["ilse"], ACTORS["wanjiru"]
HERE = {"service": "taps-portal", "environment": "bench"}
BUT_BACK = {**TICKETS, "when": 'kind != "rollback"'}
ANY = {"services": None, "group": None, "environment": None, "words": None, "skip": 0}


async def estate(world: World, at: datetime | None = None, **narrowed) -> matrix.Estate:
    return await matrix.matrix(world.backend, WANJIRU, at=at, **ANY | narrowed)


async def cell(world: World, environment: str, at: datetime | None = None) -> matrix.EstateCell | None:
    row = next(one for one in (await estate(world, at)).rows if one.service.id == "taps-portal")
    return next((one for one in row.cells if one.environment == environment), None)


async def lands(world: World, to: str, version: str, **more) -> int:
    """Lands an hour later."""
    world.clock.now += timedelta(hours=1)
    number = (await world.ask(to, version, **more)).number
    if to == "rehearsal":
        await world.approve(number, "ilse")
        await world.approve(number, "henrik")
    await world.land(number)
    return number


async def test_each_place_says_what_runs_since_when_and_how_far_behind(world: World):
    """Behind is what landed in the leg before and not here; what went back there counts no more."""
    begins = world.clock.now + timedelta(hours=1)
    await lands(world, "bench", "1.1.0")
    await lands(world, "rehearsal", "1.1.0")
    assert await cell(world, "pilot-valley") is None
    await lands(world, "bench", "1.2.0")
    last = await lands(world, "bench", "1.3.0")
    found = await cell(world, "rehearsal")
    assert found is not None
    assert (found.version, found.behind, found.behind_since) == ("1.1.0", 2, begins + timedelta(hours=2))
    assert found.let_in_by == [ILSE.name, ACTORS["henrik"].name]
    here = await cell(world, "bench")
    assert here is not None
    assert (here.version, here.promotion, here.behind, here.let_in_by) == ("1.3.0", last, 0, [])
    whole = await estate(world)
    assert (whole.begins, whole.past, whole.total) == (begins, False, 6)
    assert [column.id for column in whole.columns][:2] == ["bench", "rehearsal"]


async def test_it_is_as_it_was_at_any_instant_and_says_where_nothing_is_known(world: World):
    """To the moment; of the past no word on what waited."""
    await lands(world, "bench", "1.1.0")
    first = world.clock.now
    await lands(world, "bench", "1.2.0")
    await world.ask("rehearsal", "1.2.0")
    assert (await cell(world, "rehearsal")).arriving[0].version == "1.2.0"
    then = await cell(world, "bench", first)
    assert (then.version, then.since) == ("1.1.0", first)
    assert await cell(world, "rehearsal", first) is None
    before = await estate(world, first - timedelta(seconds=1))
    assert (before.past, before.begins, [one.cells for one in before.rows]) == (True, first, [[]] * 6)
    assert (await estate(world, world.clock.now + timedelta(days=9))).past is False


async def test_what_needs_attention_comes_first_and_the_rest_by_name(world: World):
    """What goes wrong before what is asked, before what moves; and it can be narrowed."""
    await lands(world, "bench", "1.1.0")
    names = [row.service.id for row in (await estate(world)).rows]
    assert names == sorted(names)
    await world.ask("rehearsal", "1.1.0")
    assert (await estate(world)).rows[0].service.id == "taps-portal"
    for service in ("field-app", "tariff-engine"):
        world.clock.now += timedelta(seconds=1)
        await incidents.open_by_hand(
            world.backend, ILSE, service=service, environment="bench", what="it answers late"
        )
    first = [row.service.id for row in (await estate(world)).rows][:3]
    assert first == ["field-app", "tariff-engine", "taps-portal"]
    assert [row.service.id for row in (await estate(world, words="APP field")).rows] == ["field-app"]
    assert [row.service.id for row in (await estate(world, services=["leak-watch"])).rows] == ["leak-watch"]
    assert [one.id for one in (await estate(world, environment="bench")).columns] == ["bench"]
    assert {one.group.id for one in (await estate(world, group="control-room")).rows} == {"control-room"}


async def test_two_instants_beside_each_other(world: World):
    """What runs otherwise, what landed and what was taken back in between; never the other way round."""
    await world.adopt("bench", BUT_BACK)
    await lands(world, "bench", "1.1.0")
    start = world.clock.now
    await lands(world, "bench", "1.2.0")
    going = await world.ask("bench", "1.3.0")
    await world.depart(going.number)
    world.clock.now += timedelta(hours=1)
    await course.roll_back(world.backend, ACTORS["pipeline"], going.number, note="it would not start")
    back = await lands(world, "bench", "1.1.0", kind="rollback")
    found = await changes.changes(world.backend, WANJIRU, start, None)
    assert found.says == ("One release landed and two releases were rolled back; the same runs everywhere.")
    assert [(one.version, one.back, one.taken_back) for one in found.happened] == [
        ("1.1.0", True, False),
        ("1.3.0", False, True),
        ("1.2.0", False, False),
    ]
    since = await changes.changes(world.backend, WANJIRU, start - timedelta(days=1), None)
    (only,) = since.replaced
    assert (only.before, only.after, only.promotion, only.back) == (None, "1.1.0", back, True)
    for wrong in ((world.clock.now, None), (start, start), (world.clock.now, start)):
        with pytest.raises(InvalidError):
            await changes.changes(world.backend, WANJIRU, *wrong)


@pytest.mark.thorough
@pytest.mark.parametrize("seed", [2, 3, 5])
async def test_the_estate_from_the_ledger_is_that_from_the_tables(world: World, seed: int):
    """At any instant, whatever landed, went back and was taken back: the record needs no tables beside it."""
    await world.adopt("bench", BUT_BACK)
    made, left, landed, count = random.Random(seed), ["1.1.0", "1.2.0", "1.3.0", "1.4.0"], [], 0
    for _ in range(9):
        earlier = sorted({*landed} - {*landed[-1:]})
        if left and (not earlier or made.random() < 0.5):
            version, more = left.pop(0), {}
        else:
            version, more = made.choice(earlier), {"kind": "rollback"}
        if made.random() < 0.25:
            gone = await world.ask("bench", version, **more)
            await world.depart(gone.number)
            await course.roll_back(world.backend, ACTORS["pipeline"], gone.number, note="no")
            if not more:
                left.insert(0, version)
            continue
        await lands(world, "bench", version, **more)
        landed.append(version)
        count += 1
        if made.random() < 0.3 and not more:
            await lands(world, "rehearsal", version)
            count += 1
    await world.sequence()
    async with audit.at_one_instant(world.backend) as session:
        record = [one async for lot in audit.record_of(session) for one in lot]
    bodies = [one.body.decode() for one in record if not isinstance(one, str)]
    on_record = [one for one in map(landing_of, bodies) if one is not None]
    assert len(on_record) == count
    instants = sorted({one.at + timedelta(seconds=n) for one in on_record for n in (-1, 0, 1)})
    for at in [*instants, world.clock.now]:
        from_ledger = {place: (one.version, one.promotion) for place, one in estate_at(on_record, at).items()}
        tables = {
            (row.service.id, one.environment): (one.version, one.promotion)
            for row in (await estate(world, at)).rows
            for one in row.cells
            if one.version is not None
        }
        assert tables == from_ledger


async def test_a_history_tells_how_long_it_ran_what_it_brought_and_how_it_ended(world: World):
    """Page by page, of an environment, a service, or both; with when it was closed meanwhile."""
    await world.adopt_document("bench", {**policy(TICKETS), "closes": "control-room"})
    first = await lands(world, "bench", "1.1.0")
    second = await lands(world, "bench", "1.2.0")
    await incidents.open_by_hand(world.backend, ILSE, **HERE, what="Bills show twice")
    until = world.clock.now + timedelta(hours=2)
    await closings.close_now(world.backend, ACTORS["tomas"], "bench", until=until, reason="The rig moves")
    third = await lands(world, "rehearsal", "1.2.0")
    found = await history.read_history(
        world.backend, WANJIRU, service=None, environment="bench", before=None, limit=1
    )
    (row,) = found.rows
    assert (row.promotion, row.runs, row.ran, row.good) == (second, True, "1 h", False)
    assert row.against == ["there was an incident: bills show twice"]
    assert row.brought is not None
    assert (row.brought.commits, row.brought.tickets) == (2, 1)
    assert [(one.kind, one.says) for one in found.track if one.kind == "closing"] == [
        ("closing", f"Closed at once by {ACTORS['tomas'].name}: the rig moves")
    ]
    older = await history.read_history(
        world.backend, WANJIRU, service=None, environment="bench", before=found.next, limit=50
    )
    assert [(one.promotion, one.runs, one.ran) for one in older.rows] == [(first, False, "1 h")]
    assert older.next is None
    every = await history.read_history(
        world.backend, WANJIRU, service="taps-portal", environment=None, before=None, limit=50
    )
    assert [one.promotion for one in every.rows] == [third, second, first]
    with pytest.raises(NotFoundError):
        await history.read_history(
            world.backend, WANJIRU, service="none", environment=None, before=None, limit=5
        )


async def test_two_releases_are_compared_both_ways_and_what_is_unread_is_said(
    world: World, monkeypatch: pytest.MonkeyPatch
):
    """Commits that one has and the other has not; the policy then and now; nothing is silently empty."""
    await lands(world, "bench", "1.1.0")
    await world.adopt("bench", TICKETS, SAMENESS)
    await lands(world, "bench", "1.3.0")
    ask = {"service": "taps-portal", "before": "1.1.0", "after": "1.3.0"}
    found = await comparison.compare(world.backend, WANJIRU, **ask, environment="bench")
    assert [one.key for one in found.tickets] == ["TAPS-2", "TAPS-3"]
    assert found.commits
    assert found.lost == []
    assert found.policy is not None
    assert (found.policy.then, found.policy.now, len(found.policy.differences)) == (1, 2, 1)
    assert "The later release came with no list of components." in found.unknown
    back = await comparison.compare(
        world.backend, WANJIRU, service="taps-portal", before="1.3.0", after="1.1.0", environment=None
    )
    assert (back.commits, back.lost, back.policy) == ([], found.commits, None)
    monkeypatch.setattr(comparison, "_MOST", 0)
    cut = await comparison.compare(world.backend, WANJIRU, **ask, environment=None)
    assert (cut.more, cut.more_files) == (len(found.commits), len(found.files))
    (world.folder / "repositories" / "taps-portal").rename(world.folder / "gone")
    gone = await comparison.compare(world.backend, WANJIRU, **ask, environment=None)
    assert any(one.startswith("What 1.1.0 has and 1.3.0 has not could not be read") for one in gone.unknown)
    world.unavailable.add("TAPS")
    unread = await comparison.compare(world.backend, WANJIRU, **ask, environment=None)
    assert any(one.startswith("The tickets could not be read") for one in unread.unknown)
    with pytest.raises(InvalidError):
        await comparison.compare(world.backend, WANJIRU, **ask | {"after": "1.1.0"}, environment=None)
    with pytest.raises(NotFoundError):
        await comparison.compare(world.backend, WANJIRU, **ask | {"after": "9.9.9"}, environment=None)


async def test_what_changed_just_before_comes_first(world: World):
    """By its distance to where a stretch begins; a freeze is no change, and nothing after the end counts."""
    await lands(world, "bench", "1.1.0")
    await lands(world, "bench", "1.2.0")
    start = world.clock.now + timedelta(minutes=5)
    world.clock.now += timedelta(minutes=20)
    await incidents.open_by_hand(world.backend, ILSE, **HERE, what="It answers late")
    end = world.clock.now + timedelta(minutes=5)
    await lands(world, "bench", "1.3.0")
    found = await occurrences.suspects(
        world.backend, WANJIRU, environment="bench", service="taps-portal", start=start, end=end
    )
    said = [(one.occurrence.kind, one.away) for one in found if one.occurrence.kind != "policy"]
    assert said == [
        ("landing", "5 min before it begins"),
        ("incident", "in it"),
        ("landing", "1 h 5 min before it begins"),
    ]
    assert found[0].occurrence.says == "Taps portal 1.2.0 landed with two commits"


async def test_the_page_of_metrics_says_nothing_of_what_is_not_known(world: World):
    """Each release by its labels; drift is no figure where nobody looks."""
    await lands(world, "bench", "1.1.0")
    text = (await page.page(world.backend, WANJIRU)).decode()
    assert 'dogana_estate_release{environment="bench",service="taps-portal",version="1.1.0"} 1.0' in text
    assert "dogana_estate_drift{" not in text
    assert text.endswith("# EOF\n")


async def test_how_environments_fare_and_how_many_commits_are_missing(world: World):
    """Beyond, within, and what is not known, each by itself; an unread repository is no commit behind."""
    watch = {"query": 'telemetry_lag_seconds{environment="$environment"}'}
    well = {"id": "well", "kind": "monitors", "title": "Well"}
    loose, tight = ({"name": name, **watch, "at_most": most} for name, most in (("loose", 9), ("tight", 1)))
    await world.adopt("bench", TICKETS, {**well, "watch": [loose, tight]})
    await world.adopt("rehearsal", REVIEWERS, {**well, "watch": [loose]})
    bench, rehearsal = await standing.fares(world.backend, WANJIRU)
    assert (bench.says, [one.split()[0] for one in bench.beyond]) == ("1 of two monitors beyond", ["tight"])
    assert (rehearsal.says, rehearsal.beyond, rehearsal.unknown) == ("within its limits", [], [])
    await world.adopt("bench", TICKETS)
    await lands(world, "bench", "1.1.0")
    await lands(world, "rehearsal", "1.1.0")
    await lands(world, "bench", "1.3.0")

    async def behind() -> list[tuple[str, int | None]]:
        found = await standing.commits_behind(world.backend, WANJIRU, ["taps-portal"])
        return [(one.environment, one.commits) for one in found]

    ((place, commits),) = await behind()
    assert (place, bool(commits)) == ("rehearsal", True)
    await lands(world, "bench", "1.4.0")
    (world.folder / "repositories" / "taps-portal").rename(world.folder / "gone")
    ((place, commits),) = await behind()
    assert (place, commits) == ("rehearsal", None)
