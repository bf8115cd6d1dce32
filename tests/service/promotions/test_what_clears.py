"""What clears, departs and lands is what was looked at, let go by whom it should."""

import asyncio
from dataclasses import replace
from datetime import timedelta

import pytest
from tests.world import NOW, REVIEWERS, SAMENESS, TICKETS, World, artifact, policy

from dogana.core.errors import (
    ChangedSinceShownError,
    ConflictError,
    ExcludedError,
    ForbiddenError,
    InvalidError,
    MovedOnError,
    NotNextLegError,
    RefusedError,
)
from dogana.core.facts import Report
from dogana.core.rollout import Plan
from dogana.core.routes import LetsIn, Route
from dogana.demo.cast import ACTORS
from dogana.demo.repositories import commit_on_top
from dogana.service.actor import ENGINE
from dogana.service.delivery import acceptance, automation, course
from dogana.service.landscape import closings, environments, evidence, setting_up
from dogana.service.landscape.deployers import Deployers
from dogana.service.people import members, sessions, tokens
from dogana.service.promotions import (
    decisions,
    inspection,
    intake,
    lookup,
    refreshing,
    replacing,
    urgency,
    waivers,
)
from dogana.service.sources import registry
from dogana.service.sources.registry import load
from dogana.service.views import desk
from dogana.service.views import ledger as ledger_pages
from dogana.store.ledger import EntryFilter

DARIO, PIPELINE = ACTORS["dario"], ACTORS["pipeline"]
OPEN = {"id": "open", "kind": "condition", "title": "Open", "holds": "true", "otherwise": "no"}


def other_bytes():
    return artifact(byte="f")


@pytest.mark.parametrize(
    ("landed", "says"),
    [
        ((artifact(byte="f"),), "portal.tar.gz has other bytes than were cleared"),
        ((artifact("else.tar.gz"),), "portal.tar.gz is missing and else.tar.gz was not cleared"),
        ((artifact(), artifact("more.tar.gz")), "more.tar.gz was not cleared"),
        ((artifact(), artifact(byte="f")), "portal.tar.gz"),
        ((artifact(byte="f"), artifact()), "one name stands for several artifacts"),
    ],
)
async def test_what_lands_otherwise_than_it_was_cleared_has_not_landed(world: World, landed, says):
    """It is halted and on record as that: no soak, no next leg, nothing else goes in; then taken back."""
    row = await world.ask("bench")
    halted = await world.land(row.number, *landed)
    assert (halted.state, halted.landed_at) == ("halted", None)
    assert says in halted.ended
    assert (await world.actions(row.number))[-1] == "land otherwise"
    file = await world.dossier(row.number, "ilse")
    assert file.row.waits_for == "halted"
    assert file.landed is not None
    assert (file.landed.may_accept, file.landed.asked_by) == (True, None)
    assert file.landed.others, "what one would accept is shown"
    with pytest.raises(NotNextLegError):
        await world.ask("rehearsal")
    second = await world.ask("bench", "1.3.0", artifacts=(artifact(byte="c"),))
    assert second.state == "waiting"
    await course.roll_back(world.backend, PIPELINE, row.number, note="put back")
    assert (await world.refresh(second.number)).row.state == "moving"


async def test_what_landed_otherwise_is_accepted_by_two_or_landed_anew(world: World):
    """Neither by one alone, nor by who asked; a second report of other bytes asks anew."""
    row = await world.ask("bench")
    await world.land(row.number, other_bytes())
    with pytest.raises(ExcludedError):
        await world.accept(row.number, _as_approver("noor"), "fine")
    await world.accept(row.number, ACTORS["ilse"], "rebuilt by hand")
    with pytest.raises(RefusedError):
        await world.accept(row.number, ACTORS["ilse"], "rebuilt by hand")
    seen = (await world.dossier(row.number)).landed
    assert seen is not None
    await world.land(row.number, artifact(byte="e"))
    with pytest.raises(ChangedSinceShownError, match="reported anew"):
        await acceptance.accept(
            world.backend, ACTORS["henrik"], row.number, landed=seen.digest, reason="the same tool"
        )
    await world.accept(row.number, ACTORS["henrik"], "the same tool")
    assert (await world.dossier(row.number)).row.state == "halted", "those bytes nobody had asked about"
    accepted = await world.accept(row.number, ACTORS["ilse"], "yes")
    assert accepted.state == "landed"
    assert "other bytes than were cleared" in (await world.dossier(row.number)).course[-1].says
    again = await world.ask("bench", "1.3.0", artifacts=(artifact(byte="c"),))
    await world.land(again.number, other_bytes())
    assert (await world.land(again.number)).state == "landed", "it was put right"


def _as_approver(who: str):
    actor = ACTORS[who]
    return type(actor)(id=actor.id, name=actor.name, rights=ACTORS["ilse"].rights, channel="desk")


async def test_only_the_holder_of_the_clearance_reports(world: World):
    """Nobody else, not even with the right to deploy."""
    row = await world.ask("bench")
    for act in (course.land, course.roll_back):
        more = {"artifacts": ()} if act is course.land else {}
        with pytest.raises(ForbiddenError, match="Nobody holds"):
            await act(world.backend, PIPELINE, row.number, note="", **more)
        if act is course.land:
            continue
        await world.depart(row.number)
        with pytest.raises(ForbiddenError, match="Only who holds"):
            await act(world.backend, ACTORS["noor"], row.number, note="", **more)
    assert (await world.land(row.number)).state == "landed"


async def test_an_environment_names_who_lets_go(world: World):
    """People, groups and tokens; whoever is none of them is told so."""
    text = await world.token(DARIO, person="pipeline", title="ci", scopes=("deploy",), days=1)
    (shown,) = await tokens.tokens(world.backend, DARIO)
    wanted = await environments.environment(world.backend, DARIO, "bench")
    named = wanted.model_copy(
        update={
            "departs": "by deployer",
            "deployers": Deployers(groups=("control-room",), tokens=(shown.id,)),
        }
    )
    await world.seconded(setting_up.keep_environment(world.backend, DARIO, "bench", named, None))
    number = (await world.ask("bench")).number
    for who in ("pipeline", "ilse", "noor"):
        with pytest.raises(ForbiddenError, match="names who deploys"):
            await course.depart(world.backend, ACTORS[who], number)
    with pytest.raises(ForbiddenError):
        await course.prepared(world.backend, PIPELINE, number, note="")
    assert not (await world.dossier(number, "ilse")).mine.may_depart
    assert (await world.dossier(number, "adaeze")).mine.may_depart
    assert await course.depart(world.backend, await tokens.actor_by_token(world.backend, text), number)


async def test_no_requester_declares_urgency(world: World):
    """Urgent is what takes an urgent route, or what one of the group named has declared so, with a reason."""
    night = {
        "id": "night",
        "kind": "freeze",
        "title": "Shut",
        "zone": "Etc/UTC",
        "windows": [{"name": "the night", "from": "2026-03-01T00:00", "until": "2026-04-01T00:00"}],
        "passes": ["urgent"],
    }
    await world.adopt_document("bench", {**policy(night), "declares_urgent": "control-room"})
    with pytest.raises(InvalidError, match="Urgent is what takes an urgent route"):
        await world.ask("bench", kind="urgent")
    row = await world.ask("bench")
    assert row.state == "waiting"
    with pytest.raises(RefusedError, match="control room"):
        await urgency.declare_urgent(world.backend, ACTORS["ilse"], row.number, reason="quick")
    with pytest.raises(InvalidError):
        await urgency.declare_urgent(world.backend, ACTORS["adaeze"], row.number, reason=" ")
    author = (await world.dossier(row.number)).authors[0].id
    wrote = replace(_as_approver(author), groups=frozenset({"control-room"}))
    with pytest.raises(RefusedError, match="somebody else has to declare"):
        await urgency.declare_urgent(world.backend, wrote, row.number, reason="mine is urgent")
    await urgency.declare_urgent(world.backend, ACTORS["adaeze"], row.number, reason="a leak goes unseen")
    file = await world.dossier(row.number)
    assert (file.row.kind, file.row.state) == ("urgent", "moving")
    assert "declare urgent" in await world.actions(row.number)


async def test_an_environment_is_closed_at_once_by_one_and_opened_by_two(world: World):
    """It holds what is cleared at the next instant; it opens by itself at its end."""
    await world.adopt_document("bench", {**policy(OPEN), "closes": "control-room"})
    wanted = await environments.environment(world.backend, DARIO, "bench")
    deployer = wanted.model_copy(update={"departs": "by deployer"})
    await world.seconded(setting_up.keep_environment(world.backend, DARIO, "bench", deployer, None))
    row = await world.ask("bench")
    assert row.state == "cleared"
    end = NOW + timedelta(hours=3)
    with pytest.raises(RefusedError, match="control room"):
        await closings.close_now(world.backend, ACTORS["ilse"], "bench", until=end, reason="storm")
    for until in (NOW, NOW + timedelta(days=8)):
        with pytest.raises(InvalidError):
            await closings.close_now(world.backend, ACTORS["adaeze"], "bench", until=until, reason="storm")
    shut = await closings.close_now(world.backend, ACTORS["adaeze"], "bench", until=end, reason="storm")
    with pytest.raises(ConflictError):
        await course.depart(world.backend, PIPELINE, row.number)
    file = await world.refresh(row.number)
    assert file.row.state == "waiting"
    assert "Bench closed at once until Tue 10 Mar 13:00" in file.row.sentence
    (line, *_) = await desk.route_lines(world.backend, ACTORS["adaeze"])
    station = next(one for one in line.stations if one.id == "bench")
    assert (station.closed_by, station.may_close) == ("storm", True)
    await closings.open_again(world.backend, ACTORS["adaeze"], shut.id, reason="calm")
    with pytest.raises(RefusedError):
        await closings.open_again(world.backend, ACTORS["adaeze"], shut.id, reason="calm")
    assert (await world.refresh(row.number)).row.state == "waiting"
    await closings.open_again(world.backend, ACTORS["tomas"], shut.id, reason="calm indeed")
    assert (await world.refresh(row.number)).row.state == "cleared"
    await closings.close_now(world.backend, ACTORS["adaeze"], "bench", until=end, reason="storm")
    assert (await world.refresh(row.number)).row.state == "waiting"
    world.clock.now = end
    assert (await world.refresh(row.number)).row.state == "cleared"


async def test_a_release_that_waits_is_exchanged_for_another(world: World):
    """Its place and its start stay; approvals lapse, even where not one byte differs."""
    await world.landed("bench", "1.2.0")
    await world.landed("bench", "1.3.0")
    row = await world.ask("rehearsal", "1.2.0")
    await world.approve(row.number, "ilse")
    asked_at = row.requested_at
    with pytest.raises(RefusedError):
        await replacing.exchange(world.backend, PIPELINE, row.number, version="1.3.0", reason="newer")
    with pytest.raises(ConflictError):
        await replacing.exchange(world.backend, ACTORS["noor"], row.number, version="1.2.0", reason="same")
    await replacing.exchange(world.backend, ACTORS["noor"], row.number, version="1.3.0", reason="a fix in it")
    file = await world.dossier(row.number, "ilse")
    assert (file.row.version, file.row.requested_at) == ("1.3.0", asked_at)
    assert [seat.taken_by for seat in file.row.seats] == [None, None]
    assert file.mine.may_approve, "her lapsed approval does not stand in the way of a new one"
    assert (await world.approve(row.number, "ilse")).seats()[0].taken_by == "ilse"


async def test_what_moves_is_ordered_back_for_good(world: World):
    """By an approver with a reason: halted, its clearance revoked, no other is issued, it cannot land."""
    row = await world.ask("bench")
    await world.depart(row.number)
    with pytest.raises(InvalidError):
        await course.cancel(world.backend, ACTORS["ilse"], row.number, reason="")
    await course.cancel(world.backend, ACTORS["ilse"], row.number, reason="the wrong valve")
    for act in (world.depart(row.number), world.land(row.number)):
        with pytest.raises(MovedOnError):
            await act
    assert (await course.roll_back(world.backend, PIPELINE, row.number, note="")).state == "rolled back"


async def test_approvals_stand_when_a_policy_asks_for_more_and_lapse_when_for_less(world: World):
    """A freeze for tonight makes nobody approve again."""
    row = await world.waiting()
    await world.approve(row.number, "ilse")
    night = {
        "id": "night",
        "kind": "freeze",
        "title": "Tonight",
        "zone": "Etc/UTC",
        "windows": [{"name": "tonight", "from": "2026-03-10T20:00", "until": "2026-03-11T06:00"}],
    }
    await world.adopt("rehearsal", REVIEWERS, TICKETS, SAMENESS, night)
    assert (await world.refresh(row.number)).row.seats[0].taken_by is not None
    await world.adopt("rehearsal", REVIEWERS, TICKETS, SAMENESS)
    assert (await world.refresh(row.number)).row.seats[0].taken_by is not None, "it was given under that one"
    await world.adopt("rehearsal", REVIEWERS, SAMENESS)
    assert (await world.refresh(row.number)).row.seats[0].taken_by is None


async def test_two_asked_for_in_one_instant_queue_behind_one_another(world: World):
    """One of them is first."""
    await world.adopt("bench", {"id": "q", "kind": "pace", "title": "In order", "newest": "queues"})
    made = (artifact(byte="c"),)
    asks = (world.ask("bench", "1.2.0"), world.ask("bench", "1.3.0", artifacts=made))
    rows = sorted(await asyncio.gather(*asks), key=lambda row: row.number)
    states = [(await world.refresh(row.number)).row.state for row in rows]
    assert states == ["moving", "waiting"]


async def test_what_was_asked_for_a_moment_ago_departs_when_its_deployer_says_so(world: World):
    """Even where it departs at once: whoever comes second finds it gone, and takes over."""
    row = await intake.request(
        world.backend,
        ACTORS["noor"],
        intake.Request(
            service="taps-portal", version="1.2.0", to="bench", revision="v1.2.0", artifacts=(artifact(),)
        ),
    )
    assert await course.depart(world.backend, PIPELINE, row.number)


async def test_a_bundle_holds_no_landing_up_and_ends_whole(world: World):
    """A landing against a held bundle; and one superseded before the other was ever inspected."""
    await world.adopt("bench", {"id": "s", "kind": "pace", "title": "Newest", "newest": "supersedes"})
    first = await world.ask("bench", "1.1.0")
    await world.depart(first.number)
    other = await environments.service(world.backend, DARIO, "taps-portal")
    await setting_up.keep_service(world.backend, DARIO, "second-portal", other, None)
    one = intake.Request(
        service="taps-portal", version="1.2.0", to="bench", revision="v1.2.0", artifacts=(artifact(),)
    )
    two = intake.Request(
        service="second-portal", version="1.2.0", to="bench", revision="v1.2.0", artifacts=(artifact("b"),)
    )
    rows = await intake.request_bundle(world.backend, ACTORS["noor"], [one, two], "both")
    await intake.request(
        world.backend,
        ACTORS["noor"],
        intake.Request(
            service="taps-portal",
            version="1.3.0",
            to="bench",
            revision="v1.3.0",
            artifacts=(artifact(byte="c"),),
        ),
    )
    async with asyncio.timeout(30):
        await asyncio.gather(
            world.land(first.number),
            *(refreshing.refresh(world.backend, row.number) for row in rows),
            automation.depart_bundles(world.backend),
        )
    await refreshing.refresh(world.backend, rows[0].number)
    ended = [await world.dossier(row.number) for row in rows]
    assert [file.row.state for file in ended] == ["superseded", "withdrawn"]


async def test_the_file_of_what_ended_before_it_was_inspected_opens(world: World):
    """It says that nothing was read, and how it ended."""
    row = await intake.request(
        world.backend,
        ACTORS["noor"],
        intake.Request(
            service="taps-portal", version="1.2.0", to="bench", revision="v1.2.0", artifacts=(artifact(),)
        ),
    )
    async with world.backend.database.transaction() as session:
        found = await lookup.found(session, row.number)
        inspection.close_unseen(session, ENGINE, found, world.clock.now, "withdrawn with another")
    file = await world.dossier(row.number)
    assert file.row.state == "withdrawn"
    assert file.change.unknown == "it ended before it was inspected"
    listed = await desk.promotion(world.backend, ACTORS["noor"], row.number)
    assert listed.sentence == "Withdrawn with another."


async def test_a_leg_asks_for_all_its_environments_unless_one_is_enough(world: World):
    """Before the next is asked for."""
    for name in ("pilot-valley", "live-north", "live-south"):
        await world.adopt(name, OPEN)
    route = Route(title="Two first", legs=(("bench", "pilot-valley"), ("rehearsal",)))
    await world.seconded(setting_up.keep_route(world.backend, DARIO, "standard", route, None))
    await world.landed("bench")
    with pytest.raises(NotNextLegError, match="has to land in Pilot valley first"):
        await world.ask("rehearsal")
    enough = route.model_copy(update={"one_is_enough": (0,)})
    await world.seconded(setting_up.keep_route(world.backend, DARIO, "standard", enough, None))
    assert (await world.ask("rehearsal")).state == "waiting"


async def test_what_an_urgent_route_does_not_take_is_let_in_by_a_waiver(world: World):
    """With a reason and a second person of the group the route names; else it is refused as before."""
    await world.adopt("pilot-valley", OPEN)
    service = await environments.service(world.backend, DARIO, "taps-portal")
    route = Route(title="Urgent route", legs=(("pilot-valley",),), lets_in=LetsIn(below="1.2.0"))
    await world.seconded(setting_up.keep_route(world.backend, DARIO, "urgent", route, None))
    await world.seconded(
        setting_up.keep_service(
            world.backend, DARIO, "taps-portal", service.model_copy(update={"urgent_route": "urgent"}), None
        )
    )
    with pytest.raises(NotNextLegError, match=r"below 1\.2\.0"):
        await world.ask("pilot-valley", route="urgent")
    lets = LetsIn(below="1.2.0", waivable="control-room")
    await world.seconded(
        setting_up.keep_route(
            world.backend, DARIO, "urgent", route.model_copy(update={"lets_in": lets}), None
        )
    )
    row = await world.ask("pilot-valley", route="urgent")
    file = await world.dossier(row.number, "ilse")
    (finding,) = [one for one in file.findings if one.rule == "urgent-route"]
    assert (file.row.verdict, finding.may_ask, finding.waivable_by) == ("barred", True, "control room")
    until = NOW + timedelta(hours=2)
    shown = file.mine.shown
    await waivers.ask_waiver(
        world.backend,
        ACTORS["ilse"],
        row.number,
        "urgent-route",
        until=until,
        reason="it is one",
        shown=shown,
    )
    sheet = await world.grant_waiver(row.number, "adaeze", "urgent-route")
    assert sheet.verdict == "cleared"


async def test_a_rollback_of_what_came_by_the_urgent_route_is_not_barred(world: World):
    """It never was in the leg before, and goes back to where it has run."""
    soak = {"id": "soak", "kind": "soak", "title": "Soaked", "at_least": "PT1H"}
    await world.adopt("pilot-valley", OPEN)
    service = await environments.service(world.backend, DARIO, "taps-portal")
    route = Route(title="Urgent route", legs=(("pilot-valley",),), lets_in=LetsIn())
    await world.seconded(setting_up.keep_route(world.backend, DARIO, "urgent", route, None))
    await world.seconded(
        setting_up.keep_service(
            world.backend, DARIO, "taps-portal", service.model_copy(update={"urgent_route": "urgent"}), None
        )
    )
    for version, byte in (("1.2.0", "a"), ("1.3.0", "c")):
        row = await world.ask("pilot-valley", version, route="urgent", artifacts=(artifact(byte=byte),))
        if row.state == "cleared":
            await world.depart(row.number)
        await world.land(row.number)
    await world.adopt("pilot-valley", soak, SAMENESS, {"id": "v", "kind": "versions", "title": "Up"})
    back = await world.ask("pilot-valley", "1.2.0", kind="rollback", artifacts=())
    assert back.sheet is not None
    assert back.sheet["verdict"] == "cleared", back.sheet["sentence"]


async def test_what_is_dated_after_now_is_refused_where_it_comes_in(world: World):
    """And who sent a report is who signed in, whatever it says of its maker; its entry names what it is."""
    await world.landed("bench")
    late = Report(name="scan", kind="scan", produced_at=NOW + timedelta(minutes=6), by="x", content={})
    with pytest.raises(InvalidError, match="dated after now"):
        await evidence.attach(world.backend, ACTORS["noor"], "taps-portal", "1.2.0", late)
    good = late.model_copy(update={"produced_at": NOW, "by": "the build server"})
    await evidence.attach(world.backend, ACTORS["noor"], "taps-portal", "1.2.0", good)
    row = await world.ask("rehearsal")
    (kept,) = (await world.dossier(row.number)).evidence
    assert (kept.by, kept.maker) == ("Noor Haddad", "the build server")
    page = await ledger_pages.ledger_page(world.backend, ACTORS["wanjiru"], EntryFilter(action="attach"), 1)
    details = page.entries[0].details
    assert (details["service"], details["version"]) == ("taps-portal", "1.2.0")
    assert str(details["content"]).startswith("sha256:")


async def test_what_somebody_else_sends_later_takes_no_place_that_counts(world: World):
    """Whoever asks may send evidence; whose word counts is the policy's to say."""
    scan = {"id": "scan", "kind": "evidence", "title": "Scanned", "name": "scan"}
    rule = scan | {"senders": ["pipeline"], "holds": "content.high == 0"}
    with pytest.raises(InvalidError, match="not a valid policy") as refused:
        await world.adopt("bench", rule | {"senders": ["nobody"]})
    assert "/rules/0/senders/0" in str(refused.value.fields)
    await world.adopt("bench", rule)
    row = await world.ask("bench")

    async def sent(who: str, high: int) -> tuple[str, str]:
        world.clock.now += timedelta(minutes=1)
        content = {"high": high}
        made = Report(
            name="scan", kind="scan", produced_at=world.clock.now, by="", sender="pipeline", content=content
        )
        await evidence.attach(world.backend, ACTORS[who], "taps-portal", "1.2.0", made)
        (finding,) = [one for one in (await world.refresh(row.number)).findings if one.rule == "scan"]
        return finding.outcome, finding.because

    assert (await sent("pipeline", 2))[0] == "unmet"
    assert await sent("noor", 0) == (
        "unmet",
        f"The scan was sent by Noor Haddad; it counts from {ACTORS['pipeline'].name}.",
    )
    assert (await sent("pipeline", 0))[0] == "met"


@pytest.mark.parametrize("high", [0, 2])
async def test_a_report_that_comes_later_and_says_it_was_made_earlier_is_not_passed_over(
    world: World, high: int
):
    """A clock that is slow, or a report held back: of two, nobody knows which is the last word."""
    scan = {"id": "scan", "kind": "evidence", "title": "S", "name": "scan", "holds": "content.high == 0"}
    await world.adopt("rehearsal", REVIEWERS, scan)
    row = await world.waiting()

    async def sent(high: int, ago: timedelta = timedelta(0)) -> tuple[str, str]:
        world.clock.now += timedelta(minutes=5)
        at = world.clock.now - ago
        made = Report(name="scan", kind="scan", produced_at=at, by="", content={"high": high})
        await evidence.attach(world.backend, PIPELINE, "taps-portal", "1.2.0", made)
        (finding,) = [one for one in (await world.refresh(row.number)).findings if one.rule == "scan"]
        return finding.outcome, finding.because

    assert (await sent(0))[0] == "met"
    outcome, because = await sent(high, timedelta(hours=1))
    assert outcome == "unknown"
    assert "another came after it that says it was made before" in because
    assert (await sent(0, timedelta(minutes=1)))[0] == "met"


async def test_what_is_cleared_may_have_to_be_prepared(world: World):
    """Built, backed up, staged: as its deployer reports it, and for as long as the rule says."""
    await world.adopt("bench", {"id": "p", "kind": "prepared", "title": "Ready", "within": "PT1H"})
    row = await world.ask("bench")
    assert row.state == "waiting"
    await course.prepared(world.backend, PIPELINE, row.number, note="staged")
    assert (await world.refresh(row.number)).row.state == "moving"


async def test_a_service_may_be_a_part_of_a_repository(world: World):
    """Commits, files, authors and tickets are those that touch its paths.

    A change elsewhere asks for nothing.
    """
    row = await world.ask("bench", "1.2.0")
    whole = (await world.dossier(row.number)).change.value
    assert whole is not None
    path = whole.files[0].path
    service = await environments.service(world.backend, DARIO, "taps-portal")
    for paths, some in (((path,), True), (("nowhere/",), False)):
        await world.seconded(
            setting_up.keep_service(
                world.backend, DARIO, "taps-portal", service.model_copy(update={"paths": paths}), None
            )
        )
        part = await world.backend.repositories.change((await _at(world)), None, whole.revision)
        assert bool(part.value.commits) is bool(part.value.files) is some
        assert {one.path for one in part.value.files} <= {path}
        assert len(part.value.commits) < len(whole.commits) or not some


async def test_what_waits_is_read_anew_once_other_paths_count(world: World):
    """Whoever asked for it had nothing of it in paths that count now; approvals of less lapse."""
    service = await environments.service(world.backend, DARIO, "taps-portal")

    async def counting(*paths: str) -> None:
        wanted = service.model_copy(update={"paths": paths})
        await world.seconded(setting_up.keep_service(world.backend, DARIO, "taps-portal", wanted, None))

    await world.landed("bench")
    await counting("nowhere/")
    row = await world.ask("rehearsal")
    assert (await world.refresh(row.number)).counts.files == 0
    await world.approve(row.number, "ilse")
    await counting()
    found = await world.refresh(row.number)
    assert found.counts.files > 0
    assert [seat.taken_by for seat in found.row.seats] == [None, None]


async def test_what_waits_is_read_anew_once_words_may_be_keys(world: World):
    """A tracker of small letters is set up after the commits were looked through for keys."""
    await world.landed("bench")
    made = commit_on_top(
        world.folder / "repositories", "taps-portal", "noor", "ops-3", "Say when water is back"
    )
    await world.land((await world.ask("bench", "2.0.0", revision=made)).number)
    row = await world.ask("rehearsal", "2.0.0", revision=made)
    assert "ops-3" not in (await world.refresh(row.number)).change.value.ticket_keys
    settings = {"address": "http://tracker/tickets/{key}", "letters": "lower", "projects": ["ops"]}
    kept = registry.keep(
        world.backend,
        DARIO,
        "ops",
        kind="tickets",
        title="the operators' tracker",
        settings=settings,
        secret=None,
        expected=None,
    )
    await world.seconded(kept)
    found = await world.refresh(row.number)
    assert "ops-3" in found.change.value.ticket_keys
    assert {one.rule: one.outcome for one in found.findings}[TICKETS["id"]] == "unmet"


async def _at(world: World):
    service = await environments.service(world.backend, DARIO, "taps-portal")
    async with world.backend.database.transaction() as session:
        return (await load(world.backend, session)).repository(service.repository, service.paths)


async def test_an_author_by_another_address_may_not_decide(world: World):
    """As soon as an administrator has said that the address is theirs."""
    row = await world.waiting()
    authors = {one.author_email for one in (await world.dossier(row.number)).change.value.commits}
    known = {f"{who}@corvale.example" for who in ACTORS}
    assert authors <= known, "the scenario's commits are by people with accounts"
    people = {one.id: one for one in await sessions.everybody(world.backend, DARIO)}
    ilse = people["ilse"]
    wrote = min(authors).partition("@")[0]
    free = members.Member.model_validate(
        {"name": people[wrote].name, "email": f"{wrote}.new@corvale.example", "roles": people[wrote].roles}
    )
    await world.set_up(wrote, free)
    member = members.Member.model_validate(
        {
            "name": ilse.name,
            "email": ilse.email,
            "roles": ilse.roles,
            "groups": [group.id for group in ilse.groups],
            "other_emails": [f" {wrote.upper()}@corvale.example "],
        }
    )
    await world.set_up("ilse", member)
    file = await world.refresh(row.number)
    with pytest.raises(ExcludedError):
        await decisions.approve(world.backend, ACTORS["ilse"], row.number, shown=file.mine.shown, comment="")
    taken = member.model_copy(update={"other_emails": ("henrik@corvale.example",)})
    with pytest.raises(InvalidError):
        await members.keep_person(world.backend, DARIO, "ilse", taken)


async def test_the_plan_asked_for_is_bound_to(world: World):
    """An approval given before there was a plan is none for one."""
    plan = Plan.model_validate({"steps": [{"share": 10, "hold": "PT1H"}, {"share": 100}]})
    await world.landed("bench")
    row = await world.ask("rehearsal", plan=plan)
    assert (await world.dossier(row.number)).plan == "10 % for 1 h, then all"
