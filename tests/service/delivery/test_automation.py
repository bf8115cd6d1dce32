"""What happens without anybody: timetables, backfills after an urgent fix, previews, bundles."""

from datetime import timedelta

import pytest
from tests.world import NOW, REVIEWERS, SERVICE, TICKETS, World, artifact

from dogana.core.errors import (
    DoganaError,
    InvalidError,
    NotClearedError,
    NotNextLegError,
    NotYetError,
    UnknownNameError,
)
from dogana.core.routes import Route
from dogana.core.time.timetable import Timetable
from dogana.demo.cast import ACTORS
from dogana.demo.landscape import SERVICES
from dogana.demo.repositories import Build, make_repository
from dogana.service.backend import Backend
from dogana.service.delivery import automation, course
from dogana.service.landscape import environments, setting_up
from dogana.service.landscape.documents import Environment, Service, Template
from dogana.service.promotions import decisions, intake
from dogana.service.views import desk
from dogana.service.views import ledger as ledger_pages
from dogana.store import landscape
from dogana.store.ledger import EntryFilter

ADMIN = ACTORS["dario"]


async def rehearse_by_timetable(world: World, *, asks: bool = False) -> None:
    """Rehearsal takes in at noon on working days, Rome; now it is ten."""
    table = Timetable(days=("MO", "TU", "WE", "TH", "FR"), at=("12:00",), asks=asks)
    wanted = Environment(title="Rehearsal", zone="Europe/Rome", departs="by timetable", timetable=table)
    await world.seconded(setting_up.keep_environment(world.backend, ADMIN, "rehearsal", wanted, None))
    await world.adopt("rehearsal", TICKETS)


async def rows(world: World, **wanted):
    given = {"service": None, "environment": None, "state": None, "after": None, "limit": 50}
    return (await desk.page(world.backend, ACTORS["wanjiru"], **(given | wanted))).rows


@pytest.mark.thorough
async def test_the_newest_cleared_release_is_taken_in_at_the_set_time(world: World):
    """Not before, once, the newest alone; the older one is superseded and testers keep what they have."""
    await rehearse_by_timetable(world)
    await world.landed("bench", "1.2.0")
    first = await world.ask("rehearsal", "1.2.0")
    await world.land((await world.ask("bench", "1.3.0", artifacts=(artifact(byte="b"),))).number)
    second = await world.ask("rehearsal", "1.3.0", artifacts=())
    row = (await world.dossier(second.number)).row
    assert row.sentence == "Cleared. Rehearsal takes it in Tue 10 Mar 12:00, Rome."
    with pytest.raises(NotYetError, match="takes it in Tue 10 Mar 12:00"):
        await world.depart(second.number)
    await automation.depart_on_schedule(world.backend)
    assert (await world.dossier(second.number)).row.state == "cleared"
    world.clock.now = NOW.replace(hour=11, minute=0, second=3)
    for row in (first, second):
        await world.refresh(row.number)
    for _ in range(2):
        await automation.depart_on_schedule(world.backend)
    assert (await world.dossier(second.number)).row.state == "moving"
    assert (await world.dossier(first.number)).row.state == "superseded"
    assert (await world.actions(second.number)).count("depart") == 1


async def test_a_person_may_let_it_go_by_hand_before(world: World):
    """Where the policy lets them."""
    await rehearse_by_timetable(world)
    await world.landed("bench")
    row = await world.ask("rehearsal")
    await course.depart(world.backend, ACTORS["ilse"], row.number)
    assert (await world.dossier(row.number)).row.state == "moving"


async def test_a_time_that_nobody_kept_is_not_made_up_for_later(world: World):
    """Testers count on ten past being quiet; that it was missed is on record."""
    await rehearse_by_timetable(world)
    await world.landed("bench")
    row = await world.ask("rehearsal")
    await automation.depart_on_schedule(world.backend)
    world.clock.now = NOW.replace(hour=11, minute=10)
    await automation.depart_on_schedule(world.backend)
    assert (await world.dossier(row.number)).row.state == "cleared"
    page = await ledger_pages.ledger_page(world.backend, ACTORS["wanjiru"], EntryFilter(), 5)
    assert any("nobody was at work then" in entry.says for entry in page.entries)


async def test_a_timetable_asks_for_what_landed_before_it(world: World):
    """In the name of who asked for the leg before; never twice."""
    await rehearse_by_timetable(world, asks=True)
    await world.landed("bench")
    for _ in range(2):
        await automation.follow(world.backend)
    (row,) = await rows(world, environment="rehearsal")
    await world.refresh(row.number)
    (row,) = await rows(world, environment="rehearsal")
    assert (row.requested_by.id, row.state) == ("noor", "cleared")


async def with_urgent_route(world: World, **lets_in) -> None:
    route = Route.model_validate(
        {
            "title": "Urgent route",
            "legs": [["pilot-valley"], ["live-north", "live-south"]],
            "lets_in": lets_in,
        }
    )
    await world.seconded(setting_up.keep_route(world.backend, ADMIN, "urgent", route, None))
    service = Service(title="Taps portal", repository="taps-portal", route="standard", urgent_route="urgent")
    await world.seconded(setting_up.keep_service(world.backend, ADMIN, "taps-portal", service, None))
    await world.adopt("pilot-valley", TICKETS)


async def test_an_urgent_fix_enters_later_and_is_carried_back(world: World):
    """It is visible as urgent; what it skipped is asked for after it landed, each in its turn."""
    await with_urgent_route(world, branches=["main"])
    row = await world.ask("pilot-valley", "1.2.0", route="urgent")
    shown = (await world.dossier(row.number)).row
    assert (shown.kind, shown.urgent, shown.route.name) == ("urgent", True, "Urgent route")
    await world.depart(row.number)
    await world.land(row.number)
    for _ in range(2):
        await automation.follow(world.backend)
    asked = [one for one in await rows(world) if one.kind == "backfill"]
    assert [(one.target.id, one.urgent) for one in asked] == [("rehearsal", False), ("bench", False)]
    assert all(one.requested_by.id == "noor" for one in asked)
    assert (await world.dossier(row.number)).missing_in == ["Bench", "Rehearsal"]
    bench = next(one for one in asked if one.target.id == "bench")
    assert (await world.refresh(bench.number)).row.state == "moving"
    await world.land(bench.number)
    assert (await world.dossier(row.number)).missing_in == ["Rehearsal"]
    with pytest.raises(NotNextLegError, match="has not skipped"):
        await world.ask("bench", "1.3.0", kind="backfill", artifacts=(artifact(byte="b"),))


@pytest.mark.parametrize(
    ("lets_in", "why"),
    [
        ({"branches": ["hotfix/*"]}, "its source must be on hotfix"),
        ({"at_least": "2.0"}, "lets in 2.0 and later"),
        ({"below": "1.2"}, "lets in what is below 1.2"),
        ({"patches_only": True}, "patches of what runs there"),
    ],
)
async def test_an_urgent_route_lets_in_only_what_it_is_for(world: World, lets_in, why):
    """The wrong version does not slip in."""
    await with_urgent_route(world, **lets_in)
    with pytest.raises(NotNextLegError, match=why):
        await world.ask("pilot-valley", "1.2.0", route="urgent")
    with pytest.raises(UnknownNameError, match="does not travel"):
        await world.ask("pilot-valley", "1.2.0", route="scenic")


async def test_a_preview_is_made_when_first_asked_for_and_ends(world: World):
    """By its template, with its template's policy; removed at its end, its history kept, and made anew."""
    template = Environment(
        title="Preview", zone="Europe/Rome", departs="never", template=Template(lasts=timedelta(hours=2))
    )
    await setting_up.keep_environment(world.backend, ADMIN, "preview", template, None)
    await world.adopt("preview", TICKETS)
    row = await world.ask("preview/banner")
    shown = (await world.dossier(row.number)).row
    assert (shown.target.name, shown.state) == ("Preview banner", "moving")
    await world.land(row.number)
    world.tickets["TAPS-3"] = world.tickets["TAPS-3"].model_copy(update={"status": "open"})
    held = await world.ask("preview/banner", "1.3.0", artifacts=(artifact(byte="b"),))
    world.clock.now += timedelta(hours=2)
    await automation.end_previews(world.backend)
    assert "preview/banner" not in await environments.environments(world.backend, ADMIN)
    file = await world.dossier(held.number)
    assert (file.row.state, file.row.sentence) == ("withdrawn", "Withdrawn: the preview came to its end.")
    assert (await world.dossier(row.number)).row.state == "landed"
    again = await world.ask("preview/banner")
    assert (await world.dossier(again.number)).row.state == "moving"
    with pytest.raises(UnknownNameError):
        await world.ask("nothing/banner")


async def test_what_fails_in_one_environment_keeps_no_other_from_its_turn(
    world: World, monkeypatch: pytest.MonkeyPatch
):
    """A timetable that nobody can read any more; a preview in which something cannot be inspected."""
    template = Environment(
        title="Preview", zone="Europe/Rome", departs="never", template=Template(lasts=timedelta(hours=1))
    )
    await setting_up.keep_environment(world.backend, ADMIN, "preview", template, None)
    await world.adopt("preview", TICKETS)
    world.tickets["TAPS-3"] = world.tickets["TAPS-3"].model_copy(update={"status": "open"})
    stuck = await world.ask("preview/banner", "1.3.0", artifacts=(artifact(byte="b"),))
    await world.ask("preview/other", "1.3.0", artifacts=(artifact(byte="b"),))
    await rehearse_by_timetable(world)
    await world.landed("bench")
    row = await world.ask("rehearsal")
    await automation.depart_on_schedule(world.backend)
    async with world.backend.database.transaction() as session:
        broken = await landscape.environment(session, "pilot-valley", lock=True)
        assert broken is not None
        broken.departs, broken.timetable = "by timetable", {"days": "all of them"}
    inspected = automation.see_inspected

    async def fails(backend: Backend, number: int) -> None:
        if number == stuck.number:
            raise ZeroDivisionError
        await inspected(backend, number)

    monkeypatch.setattr(automation, "see_inspected", fails)
    world.clock.now = NOW.replace(hour=11, minute=0, second=3)
    await automation.end_previews(world.backend)
    await world.refresh(row.number)
    await automation.depart_on_schedule(world.backend)
    assert (await world.dossier(row.number)).row.state == "moving"
    async with world.backend.database.transaction() as session:
        left = {one.id for one in await landscape.environments(session)}
    assert {"preview/banner", "preview/other"} & left == {"preview/banner"}


async def bundle(world: World) -> list[int]:
    other = next(service for service in SERVICES if service.id == "leak-watch")
    builds = [Build(service=other, version="4.1.0", built_at=NOW - timedelta(days=1), tickets=("TAPS-1",))]
    make_repository(world.folder / "repositories", other, builds)
    askings = [
        intake.Request(
            service=service, version=version, to="bench", revision=f"v{version}", artifacts=(artifact(),)
        )
        for service, version in ((SERVICE.id, "1.2.0"), ("leak-watch", "4.1.0"))
    ]
    made = await intake.request_bundle(world.backend, ACTORS["noor"], askings, "One alarm, one banner")
    return [row.number for row in made]


async def test_a_bundle_crosses_together(world: World):
    """One that is ready waits for the other; when both are, both go in one step."""
    world.tickets["TAPS-2"] = world.tickets["TAPS-2"].model_copy(update={"status": "open"})
    held, ready = await bundle(world)
    assert (await world.dossier(ready)).row.sentence.startswith("Ready. It crosses with the rest of")
    await automation.depart_bundles(world.backend)
    assert (await world.dossier(ready)).row.state == "waiting"
    world.tickets["TAPS-2"] = world.tickets["TAPS-2"].model_copy(update={"status": "done"})
    for number in (held, ready, held):
        await world.refresh(number)
    assert {(await world.dossier(one)).row.state for one in (held, ready)} == {"cleared"}
    await automation.depart_bundles(world.backend)
    assert {(await world.dossier(one)).row.state for one in (held, ready)} == {"moving"}


async def test_a_bundle_of_which_one_is_held_again_goes_nowhere(world: World):
    """Together or not at all, to the last instant."""
    first, second = await bundle(world)
    for number in (first, second, first):
        await world.refresh(number)
    await world.adopt("bench", TICKETS, REVIEWERS)
    with pytest.raises(NotClearedError):
        await world.depart(first)
    assert {(await world.dossier(one)).row.state for one in (first, second)} == {"waiting"}


async def test_a_bundle_ends_with_the_first_that_does(world: World):
    """Nothing of it is left waiting for what will not come."""
    world.tickets["TAPS-2"] = world.tickets["TAPS-2"].model_copy(update={"status": "open"})
    held, ready = await bundle(world)
    await decisions.withdraw(world.backend, ACTORS["noor"], held, comment="not today")
    assert (await world.dossier(ready)).row.state == "withdrawn"
    assert "of the same bundle" in (await world.dossier(ready)).row.sentence
    assert (await world.actions(ready))[-1] == "withdraw"


async def test_a_bundle_is_taken_in_whole_or_not(world: World):
    """One that cannot be taken in keeps the rest out."""
    before = await world.entries()
    asking = intake.Request(
        service=SERVICE.id, version="1.2.0", to="bench", revision="v1.2.0", artifacts=(artifact(),)
    )
    wrong = intake.Request(
        service="leak-watch", version="9", to="bench", revision="nope", artifacts=(artifact(),)
    )
    for askings, error in (
        ([asking, wrong], DoganaError),
        ([asking], InvalidError),
        ([asking, asking], InvalidError),
    ):
        with pytest.raises(error):
            await intake.request_bundle(world.backend, ACTORS["noor"], askings, "b")
    assert await rows(world) == []
    assert await world.entries() == before
