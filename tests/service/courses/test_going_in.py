"""Going in step by step: watched, ordered, halted, taken back; every move once, and on record."""

import asyncio
from dataclasses import replace
from datetime import timedelta

import pytest
from tests.service.courses.moving import PLAN, ROLLOUT, Moving
from tests.world import TICKETS, World, policy

from dogana.core.errors import ConflictError, ExcludedError, ForbiddenError, InvalidError, MovedOnError
from dogana.core.health import on_record
from dogana.core.health.course import Move
from dogana.core.record.canonical import digest_bytes
from dogana.demo.cast import ACTORS
from dogana.service.courses import steering, watching
from dogana.service.courses.looking import Subject, UnaskableError, put_into
from dogana.service.courses.view import course_view
from dogana.service.delivery import course
from dogana.service.landed import incidents
from dogana.service.ledger import audit
from dogana.service.policies import drafts, rehearsal, versions
from dogana.service.views import preview
from dogana.store import courses

pytestmark = pytest.mark.thorough

ILSE, PIPELINE = ACTORS["ilse"], ACTORS["pipeline"]


async def test_a_good_one_goes_in_step_by_step_and_lands(world: World):
    """Each step when its hold is over; landed is refused before, and the whole course is on record."""
    moving = await Moving.into(world)
    assert await moving.orders() == [10]
    with pytest.raises(ConflictError, match="before all steps of its plan are over"):
        await world.land(moving.number)
    early = await moving.healthy(10, looks=29)
    assert (early.ordered, early.move) == (10, Move.WAIT)
    view = await moving.look()
    assert (view.ordered, view.move) == (50, Move.GO_ON)
    assert [rung.stands for rung in view.rungs] == ["was", "is", "comes"]
    view = await moving.healthy(50)
    assert view.ordered == 100
    view = await moving.healthy(100, looks=1)
    assert (view.ended, await moving.orders()) == (True, [10, 50, 100])
    assert (await world.land(moving.number)).state == "landed"
    assert await world.actions(moving.number) == [
        "request",
        "clear",
        "depart",
        "order share",
        "issue clearance",
        "report share",
        "order share",
        "report share",
        "order share",
        "report share",
        "end course",
        "land",
    ]
    await world.sequence()
    assert (await world.verified()).verified


async def test_a_bad_one_is_taken_back_by_itself_and_once(world: World):
    """However many workers look; its clearance is worthless, and the move can be made again."""
    moving = await Moving.into(world)
    await moving.set_to(10)
    await moving.look()
    moving.figures.count(40, 100)
    world.clock.now += timedelta(seconds=10)
    await asyncio.gather(*(watching.look(world.backend, moving.number) for _ in range(4)))
    for _ in range(3):
        await moving.look(bad=40)
    assert await moving.orders() == [10, 0]
    assert (await world.actions(moving.number)).count("cancel") == 1
    file = await world.dossier(moving.number)
    assert file.row.state == "halted"
    assert not file.clearance_live
    assert "errors left its limit" in file.row.sentence.lower()
    await made_again(world)
    row = await course.roll_back(world.backend, PIPELINE, moving.number, note="")
    assert row.state == "rolled back"


async def made_again(world: World) -> None:
    """Every move on record comes out the same from what is stored with it, and is missed where it is not."""
    await world.sequence()
    found = [one async for one in audit.moves(world.backend)]
    assert found
    for _, digest, text in found:
        assert on_record.replayed(digest, text) is None
        assert on_record.replayed(digest, None) == "it is not kept"
        other = text.replace('"move":"', '"move": "')
        assert on_record.replayed(digest, other) == "it has another digest than its entry names"
        made = on_record.MoveOnRecord.model_validate_json(text).moved.move
        otherwise = text.replace(f'"move":"{made}"', '"move":"done"')
        assert "instead of done" in on_record.replayed(digest_bytes(otherwise.encode()), otherwise)


async def test_a_metrics_server_that_is_away_is_silence_and_never_within(world: World):
    """What the plan says then happens, with the reason on the rung."""
    moving = await Moving.into(world)
    await moving.healthy(10, looks=20)
    moving.figures.away = "it did not answer in time"
    view = await moving.look()
    assert view.monitors[0].known.because == "the metrics server: it did not answer in time" or (
        "did not answer in time" in (view.monitors[0].known.because or "")
    )
    for _ in range(7):
        view = await moving.look()
    assert (view.ordered, view.halted) == (10, True)
    assert "did not answer in time" in view.because
    assert await moving.orders() == [10]


async def test_a_person_halts_it_and_lets_it_go_on(world: World):
    """With a reason, each on record; its step is held anew."""
    moving = await Moving.into(world)
    await moving.set_to(10)
    await moving.look()
    with pytest.raises(InvalidError, match="Say why"):
        await steering.halt(world.backend, ILSE, moving.number, reason=" ")
    await steering.halt(world.backend, ILSE, moving.number, reason="the crews are out")
    with pytest.raises(ConflictError, match="stands still already"):
        await steering.halt(world.backend, ILSE, moving.number, reason="twice")
    for _ in range(40):
        view = await moving.look()
    assert (view.ordered, view.halted) == (10, True)
    assert view.because == "It stands still: Ilse Brandt halted it: the crews are out."
    await steering.go_on(world.backend, ILSE, moving.number, reason="they are back")
    assert (await moving.look()).move is Move.WAIT
    for _ in range(30):
        view = await moving.look()
    assert view.ordered == 50
    actions = await world.actions(moving.number)
    assert actions.index("halt") < actions.index("let go on") < len(actions) - 1


async def test_who_asked_for_it_or_wrote_it_lets_it_not_go_on(world: World):
    """Neither past a halt nor where a person has to say so; anybody who decides may have it stand still."""
    moving = await Moving.into(world)
    await moving.set_to(10)
    author = (await world.dossier(moving.number)).authors[0].id
    for who in ("noor", author):
        part = replace(ACTORS[who], rights=ACTORS["ilse"].rights)
        shown = await course_view(world.backend, part, moving.number)
        assert (shown.may_decide, shown.may_go_on) == (True, False)
        await steering.halt(world.backend, part, moving.number, reason="something is odd")
        with pytest.raises(ExcludedError, match="does not let it go on"):
            await steering.go_on(world.backend, part, moving.number, reason="it is fine")
        await steering.go_on(world.backend, ILSE, moving.number, reason="it is fine")
    for _ in range(40):
        await moving.look(of=1)
    with pytest.raises(ExcludedError, match="does not let it go on"):
        await steering.go_on(world.backend, part, moving.number, reason="there is little traffic")
    assert await moving.orders() == [10]


async def test_a_word_goes_on_before_all_is_known_and_never_past_what_is_bad(world: World):
    """After the hold; a breach is taken back whoever says otherwise."""
    moving = await Moving.into(world)
    await moving.set_to(10)
    await moving.look()
    with pytest.raises(ConflictError, match="is held for another"):
        await steering.go_on(world.backend, ILSE, moving.number, reason="in a hurry")
    for _ in range(40):
        view = await moving.look(of=1)
    assert (view.move, view.ordered) == (Move.WAIT, 10)
    await steering.go_on(world.backend, ILSE, moving.number, reason="there is little traffic at night")
    assert await moving.orders() == [10, 50]
    await made_again(world)
    await moving.set_to(50)
    for _ in range(31):
        await moving.look(bad=0.0 if _ < 20 else 50)
        if len(await moving.orders()) > 2:
            break
    assert await moving.orders() == [10, 50, 0]
    with pytest.raises(MovedOnError):
        await steering.go_on(world.backend, ILSE, moving.number, reason="still")


async def test_who_may_steer(world: World):
    """Approvers decide; the holder of the clearance reports; others do neither."""
    moving = await Moving.into(world)
    with pytest.raises(ForbiddenError):
        await steering.halt(world.backend, ACTORS["noor"], moving.number, reason="x")
    with pytest.raises(ForbiddenError):
        await steering.go_on(world.backend, PIPELINE, moving.number, reason="x")
    with pytest.raises(ForbiddenError, match="Only who holds its clearance"):
        await steering.report_share(world.backend, ACTORS["noor"], moving.number, 10)
    with pytest.raises(ConflictError, match="50 % was not ordered: it is 10 %"):
        await moving.set_to(50)
    assert (await world.actions(moving.number))[-1] == "refuse share"
    for who, may in (("wanjiru", False), ("ilse", True)):
        shown = await moving.view(who)
        assert (shown.may_decide, shown.may_go_on) == (may, may)


async def test_a_freeze_holds_the_next_step_and_not_the_way_back(world: World):
    """One that begins while it goes in."""
    moving = await Moving.into(world)
    await moving.set_to(10)
    storm = {"name": "storm watch", "from": "2026-03-10T00:00", "until": "2026-03-12T00:00"}
    freeze = {"id": "storms", "kind": "freeze", "title": "Storms", "zone": "Europe/Rome", "windows": [storm]}
    await world.adopt("bench", ROLLOUT, freeze)
    view = await moving.healthy(10, looks=35)
    assert (view.ordered, view.move) == (10, Move.WAIT)
    assert view.because.startswith("The next step is held: ")
    with pytest.raises(ConflictError, match="The next step is held"):
        await steering.go_on(world.backend, ILSE, moving.number, reason="now")
    for _ in range(3):
        await moving.look(bad=60)
    assert await moving.orders() == [10, 0]


async def test_a_freeze_may_let_what_departed_before_go_on(world: World):
    moving = await Moving.into(world)
    await moving.set_to(10)
    storm = {"name": "storm watch", "from": "2026-03-10T00:00", "until": "2026-03-12T00:00"}
    freeze = {"id": "storms", "kind": "freeze", "title": "Storms", "zone": "Europe/Rome", "windows": [storm]}
    await world.adopt("bench", ROLLOUT, freeze | {"in_progress": "goes on"})
    assert (await moving.healthy(10, looks=35)).ordered == 50


async def test_an_order_that_nobody_follows_halts(world: World):
    """After five minutes, and says so."""
    moving = await Moving.into(world)
    view = await moving.look(timedelta(minutes=4))
    assert view.because == "The deployer has still to set 10 %."
    view = await moving.look(timedelta(minutes=2))
    assert view.halted
    assert view.because == "The deployer did not set 10 % within 5 min."


async def test_an_approver_orders_it_back_by_hand(world: World):
    """The last order is none of it, by name."""
    moving = await Moving.into(world)
    await moving.set_to(10)
    await course.cancel(world.backend, ILSE, moving.number, reason="the crews report no water")
    told = await steering.orders(world.backend, PIPELINE, moving.number, after=1, patience=0)
    assert [(one.share, one.by, one.reason) for one in told.orders] == [
        (0, "Ilse Brandt", "the crews report no water")
    ]
    assert told.ended
    await moving.look()
    assert await moving.orders() == [10, 0]


async def test_what_has_no_steps_has_no_course(world: World):
    """It goes in all at once, as ever."""
    moving = await Moving.into(world, None, {**ROLLOUT, "first_share": 100, "watch": [], "on_breach": "halt"})
    assert await course_view(world.backend, ILSE, moving.number) is None
    with pytest.raises(MovedOnError, match="moving all at once"):
        await moving.set_to(100)
    assert (await world.land(moving.number)).state == "landed"


async def test_a_version_cannot_write_the_query(world: World):
    """One that would leave its quotation marks is not asked about at all."""
    subject = Subject(environment="bench", service="portal", version='1"} or vector(0) #', incumbent="1.0")
    with pytest.raises(UnaskableError, match="cannot be put into a query"):
        put_into('failed_total{version="$version"}', subject, subject.version)
    moving = await Moving.into(world)
    await moving.set_to(10)
    await moving.look()
    assert set(moving.figures.asked) == {
        'failed_total{version="1.2.0",service="taps-portal"}',
        'requests_total{version="1.2.0",service="taps-portal"}',
    }


async def test_one_that_fails_holds_up_no_other_and_is_kept_with_its_reason(world: World):
    """A course whose row was damaged, beside one that is well."""
    moving = await Moving.into(world)
    async with world.backend.database.transaction() as session:
        row = await courses.get(session, moving.number)
        row.state = {"step": "nowhere"}
    world.clock.now += timedelta(seconds=10)
    await asyncio.wait_for(watching.look_due(world.backend), 5)
    async with world.backend.database.transaction() as session:
        assert (await courses.get(session, moving.number)).look_at > world.clock.now


async def test_a_worker_that_dies_between_a_breach_and_its_order_loses_nothing(world: World, monkeypatch):
    """Both are written at once or not at all; the next one orders, and orders once."""
    moving = await Moving.into(world)
    await moving.set_to(10)
    await moving.look()
    with monkeypatch.context() as broken:
        broken.setattr(courses, "take_back", _dies)
        for _ in range(3):
            await moving.look(bad=60)
    assert await moving.orders() == [10]
    assert (await moving.view()).move is Move.WAIT
    await moving.look(timedelta(seconds=10), bad=60)
    assert await moving.orders() == [10, 0]


async def _dies(*_):
    raise RuntimeError("killed")


async def test_orders_are_waited_for(world: World):
    """Whoever asks with patience hears of the next at once."""
    moving = await Moving.into(world)
    waiting = asyncio.create_task(
        steering.orders(world.backend, PIPELINE, moving.number, after=1, patience=20)
    )
    await asyncio.sleep(0)
    await course.cancel(world.backend, ILSE, moving.number, reason="no water")
    told = await asyncio.wait_for(waiting, 5)
    assert [one.share for one in told.orders] == [0]
    assert PLAN.steps[0].share == 10


async def test_a_deployer_that_steps_by_itself_is_held_to_the_plan(world: World):
    """It asks by reporting: neither early nor past a step; then it is taken back like any other."""
    moving = await Moving.into(world, PLAN.model_copy(update={"steps_by": "deployer"}))
    await moving.set_to(10)
    with pytest.raises(ConflictError, match="50 % is not let in yet: 10 % is held for another 5 min"):
        await moving.set_to(50)
    view = await moving.healthy(10, looks=35)
    assert (view.ordered, view.move, await moving.orders()) == (10, Move.WAIT, [10])
    assert view.because.endswith("and its deployer may go on.")
    with pytest.raises(ConflictError, match="the next step is 50 %"):
        await moving.set_to(100)
    await moving.set_to(50)
    assert ((await moving.view()).reported, await moving.orders()) == (50, [10, 50])
    assert (await world.actions(moving.number)).count("refuse share") == 2
    await world.sequence()
    made = [on_record.replayed(digest, text) async for _, digest, text in audit.moves(world.backend)]
    assert made == [None]
    for _ in range(3):
        await moving.look(bad=60)
    assert await moving.orders() == [10, 50, 0]


async def test_other_thresholds_are_held_against_what_was_read(world: World):
    """A draft that would have stopped a good one is told before it is adopted; nothing is read anew."""
    moving = await Moving.into(world)
    for share in (10, 50, 100):
        await moving.set_to(share)
        for _ in range(40):
            await moving.look(bad=1.0, of=200.0)
    await world.land(moving.number)
    asked = len(moving.figures.asked)

    async def of(at_most: float, bad: str = ROLLOUT["watch"][0]["bad"]):
        watch = {**ROLLOUT["watch"][0], "bad": bad, "at_most": at_most}
        draft = policy(TICKETS, {**ROLLOUT, "watch": [watch]})
        steps = await rehearsal.rehearse(world.backend, ACTORS["marco"], "bench", draft, 30)
        *_, last = [step async for step in steps]
        assert last.courses is not None
        return last

    strict = await of(0.001)
    assert (strict.courses.stopped, strict.courses.wrongly, strict.names) == (
        1,
        1,
        {moving.number: "Taps portal 1.2.0"},
    )
    assert strict.courses.courses[0].monitor == "errors"
    same = await of(0.01)
    assert (same.courses.of, same.courses.stopped, same.courses.courses) == (1, 0, ())
    assert (await of(0.01, bad="slow_total")).courses.not_read == 1
    await incidents.open_by_hand(
        world.backend, ILSE, service="taps-portal", environment="bench", what="bills show twice"
    )
    assert ((await of(0.01)).courses.missed, (await of(0.001)).courses.wrongly) == (1, 0)
    assert len(moving.figures.asked) == asked


async def test_what_could_hardly_be_known_is_said_when_it_is_saved(world: World):
    """As many requests as it takes, beside those that the last courses brought; probes are our own."""
    slow = {**ROLLOUT, "least_hold": "PT5M"}
    page = {"name": "page", "kind": "probe", "address": "http://bench.example/", "at_most": 0.01}

    async def said(rule: dict) -> list[str]:
        return (await preview.preview(world.backend, ACTORS["marco"], "bench", policy(TICKETS, rule))).reach

    (unknown,) = await said(slow)
    assert unknown == (
        "Errors: at least 395 requests before it is known to be within; "
        "no rollout has shown yet how many there are."
    )
    (probes,) = await said({**slow, "watch": [page]})
    assert probes.startswith("Page: at least 395 probes, 1 h 5 min, before it is known to be within; 10 %")
    moving = await Moving.into(world, PLAN, slow)
    for share in (10, 50, 100):
        await moving.healthy(share)
    await world.land(moving.number)
    assert await said(slow) == []
    (strict,) = await said({**slow, "watch": [{**ROLLOUT["watch"][0], "at_most": 0.0001}]})
    assert "at the traffic of the last rollouts" in strict
    row = await drafts.draft(world.backend, ACTORS["marco"], "bench", policy(TICKETS, slow))
    assert (await versions.drafted(world.backend, ACTORS["marco"], row)).reach == ()
