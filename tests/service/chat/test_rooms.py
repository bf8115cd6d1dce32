"""Deciding in a room of a real homeserver: by whoever showed who they are, on exactly what stood there."""

import asyncio
import json
import sys
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest
from standardwebhooks.webhooks import Webhook
from starlette.responses import PlainTextResponse
from tests.cli.test_steer import process
from tests.service.chat.conftest import BY_CHAT, Room
from tests.serving import Outside, served
from tests.world import REVIEWERS, World

from dogana.core.errors import InvalidError, NotFoundError
from dogana.demo.cast import ACTORS
from dogana.demo.past_sources import SimulatedClock
from dogana.service.chat import listening, posting, rooms
from dogana.service.people import leaving
from dogana.service.promotions import decisions
from dogana.sources.reachable import Reachable, guarded_client
from dogana.store import chat

pytestmark = pytest.mark.thorough


async def state(world: World, number: int) -> str:
    return (await world.dossier(number)).row.state


async def test_a_promotion_is_one_message_that_is_mended_as_it_moves(world: World, room: Room):
    """And nothing stands there of what goes elsewhere, or was over before."""
    row = await world.waiting()
    (said,) = await room.hear()
    about = f"Taps portal 1.2.0 into Rehearsal: held. {(await world.dossier(row.number)).row.sentence}"
    assert said.startswith(about)
    assert "Answer with: approve, or turn back because" in said
    assert f"https://dogana.corvale.example/promotion/{row.number}" in said
    assert await room.hear() == [], "nothing has changed"
    await world.approve(row.number, "ilse")
    (mended,) = await room.hear()
    assert mended.startswith("* Taps portal 1.2.0 into Rehearsal: held. ")
    await decisions.withdraw(world.backend, ACTORS["noor"], row.number, comment="not now")
    (ended,) = await room.hear()
    assert "withdrawn" in ended
    assert "Answer with" not in ended
    assert len(room.posted) == 1


async def test_an_outsider_is_refused_and_the_right_ones_let_it_go(world: World, room: Room):
    """By a reply, and by a sign; on record by which way, and the pipeline that waits may go."""
    row = await world.waiting()
    await room.hear()
    (post,) = room.posted
    room.people["stranger"].say(room.address, "approve", post["event_id"])
    (refused,) = await room.hear()
    assert refused.startswith("Nobody here is @stranger:corvale.example, so nothing was done.")
    await room.link("ilse")
    await room.link("henrik")
    room.people["ilse"].say(
        room.address, "> <@dogana> held\n\nApprove because it was tried.", post["event_id"]
    )
    answer, mended = await room.hear(), await room.hear()
    assert answer[-1].startswith(f"Ilse Brandt approved promotion {row.number}.")
    assert len(mended) == 1, "what stands there says that a seat is taken"
    room.people["stranger"].react(room.address, post["event_id"], "👍")
    assert (await room.hear())[-1].startswith("Nobody here is @stranger")
    room.people["henrik"].react(room.address, post["event_id"], "👍🏽")
    assert (await room.hear())[-1].startswith(f"Henrik Solberg approved promotion {row.number}.")
    assert await state(world, row.number) == "moving", "rehearsal takes in at once what is cleared"
    course = (await world.dossier(row.number)).course
    given = [(one.actor.name, one.channel, one.reason) for one in course if one.action == "approve"]
    assert given == [("Ilse Brandt", "chat", "it was tried."), ("Henrik Solberg", "chat", "")]


async def test_what_changed_since_it_was_read_is_not_approved(world: World, room: Room):
    """Somebody answers to what stood there; meanwhile it is mended."""
    row = await world.waiting()
    await room.hear()
    (post,) = room.posted
    await room.link("henrik")
    room.people["henrik"].say(room.address, "approve", post["event_id"])
    await world.approve(row.number, "ilse")
    await posting.post_due(world.backend)
    assert "It has changed here since you read it" in (await room.hear())[-1]
    refused = [one for one in (await world.dossier(row.number)).course if one.action == "refuse answer"]
    assert [one.says for one in refused] == [
        "An answer by chat in the name of Henrik Solberg, to Taps portal 1.2.0 into Rehearsal, was refused."
    ]
    assert await state(world, row.number) == "waiting"


async def test_who_may_not_is_told_why_in_the_thread(world: World, room: Room):
    """Neither where the policy asks for the desk, nor from no seat, nor twice, nor without a reason."""
    row = await world.waiting()
    await room.hear()
    (post,) = room.posted
    await room.link("ilse")
    room.people["ilse"].say(room.address, "turn back", post["event_id"])
    assert await room.hear() == ["Say why it is turned back."]
    room.people["ilse"].say(room.address, "approve 99999")
    assert await room.hear() == ["Promotion 99999 does not stand in this room."]
    room.people["ilse"].say(room.address, "approve")
    assert await room.hear() == ["Answer to what stands here of a promotion, or name its number."]
    room.people["ilse"].say(room.address, f"approve {row.number}")
    assert "approved" in (await room.hear())[-1]
    await room.hear()
    room.people["ilse"].say(room.address, "approve", post["event_id"])
    assert "already" in (await room.hear())[-1]
    await world.adopt("rehearsal", REVIEWERS)
    await world.refresh(row.number)
    await room.hear()
    await room.link("henrik")
    room.people["henrik"].say(room.address, "approve", post["event_id"])
    assert (await room.hear())[-1] == "The policy does not let this seat be taken by chat; open the Desk."
    await world.adopt("rehearsal", BY_CHAT)
    await world.refresh(row.number)
    await room.hear()
    room.people["henrik"].say(room.address, "Turn back because the portal is slow", post["event_id"])
    assert (await room.hear())[0].endswith("who asked for it is told why.")
    assert await state(world, row.number) == "turned back"


TALK = (
    "I would approve of that, approve because is a strange start",
    "approved",
    "approve please",
    "please approve",
    "approve?!",
    "do not approve",
    "turn backwards",
    "approve 0",
    "approve -1",
)


async def test_what_is_not_exactly_a_decision_is_none(world: World, room: Room):
    """Nor is what somebody mends afterwards, forwards, or says as a notice."""
    row = await world.waiting()
    await room.hear()
    (post,) = room.posted
    await room.link("ilse")
    ilse = room.people["ilse"]
    for text in TALK:
        ilse.say(room.address, text, post["event_id"])
    ilse.say(room.address, "approve", post["event_id"], msgtype="m.notice")
    first = ilse.say(room.address, "looks fine", post["event_id"])
    ilse.say(
        room.address,
        "* approve",
        **{
            "m.new_content": {"msgtype": "m.text", "body": "approve"},
            "m.relates_to": {"rel_type": "m.replace", "event_id": first},
        },
    )
    ilse.react(room.address, first, "👍")
    ilse.react(room.address, post["event_id"], "🎉")
    assert await room.hear() == []
    assert "approve" not in await world.actions(row.number)


async def test_what_is_asked_is_answered(world: World, room: Room):
    row = await world.waiting()
    await room.hear()
    (post,) = room.posted
    await room.link("ilse")
    asks = (
        "What waits for me?",
        "why",
        f"when can {row.number} go?",
        "dogana help",
        f"why is {row.number} held",
    )
    for text in asks:
        room.people["ilse"].say(room.address, text, post["event_id"] if text == "why" else None)
    mine, why, go, told, again = await room.hear()
    assert mine.startswith(f"{row.number}: Taps portal 1.2.0 into Rehearsal.")
    assert "Two sides agree: Both seats are open" in why
    assert go.startswith("Time allows it now, once nothing else stands in its way.")
    assert told.startswith("In answer to a promotion: approve")
    assert again == why


async def test_a_code_is_good_once_for_one_person_and_for_ten_minutes(world: World, room: Room):
    """Who has left is nobody any more; and so is whoever ends it."""
    code = (await rooms.make_code(world.backend, ACTORS["ilse"])).code
    room.people["ilse"].say(room.address, f"link {code.lower()}")
    assert await room.hear() == ["You are Ilse Brandt here from now on."]
    room.people["stranger"].say(room.address, f"link {code}")
    assert "was good for ten minutes and once" in (await room.hear())[0]
    other = (await rooms.make_code(world.backend, ACTORS["henrik"])).code
    room.people["ilse"].say(room.address, f"link {other}")
    assert await room.hear() == ["You are somebody else here already; they have to end that first."]
    room.people["henrik"].say(room.address, f"link {other}")
    assert await room.hear() == ["You are Henrik Solberg here from now on."]
    old = (await rooms.make_code(world.backend, ACTORS["henrik"])).code
    async with world.backend.database.transaction() as session:
        held = await chat.use_code(session, "none", datetime.now(UTC))
        assert held is None
    later = replace(world.backend, clock=lambda: datetime.now(UTC) + timedelta(minutes=11))
    with pytest.raises(InvalidError):
        await rooms.link(later, "@henrik:corvale.example", old)
    await leaving.remove_person(world.backend, ACTORS["dario"], "ilse")
    room.people["ilse"].say(room.address, "what waits for me")
    assert (await room.hear())[0].startswith("Nobody here is @ilse")


async def test_what_is_heard_late_decides_nothing(world: World, room: Room):
    """As after a day on which no worker ran."""
    row = await world.waiting()
    await room.hear()
    (post,) = room.posted
    await room.link("ilse")
    room.people["ilse"].say(room.address, "approve", post["event_id"])
    world.backend = replace(world.backend, clock=lambda: datetime.now(UTC) + timedelta(minutes=40))
    await listening.listen(world.backend, 0)
    assert "counts no longer" in room._ours()[-1]["content"]["body"]
    assert "approve" not in await world.actions(row.number)


async def test_a_process_that_dies_before_it_writes_down_what_it_read_answers_once(world: World, room: Room):
    """The decision stands once, and one answer stands in the room."""
    row = await world.waiting()
    await room.hear()
    (post,) = room.posted
    await room.link("ilse")
    async with world.backend.database.transaction() as session:
        before = await chat.hold_reading(session, world.backend.clock(), timedelta(0))
        since = before.following
    room.people["ilse"].say(room.address, "approve", post["event_id"])
    answers = await room.hear()
    async with world.backend.database.transaction() as session:
        await chat.have_read(session, since, world.backend.clock())
    assert len([one for one in answers if "approved" in one]) == 1
    await listening.listen(world.backend, 0)
    said = [one["content"]["body"] for one in room._ours()]
    assert len([one for one in said if "approved" in one or "already" in one]) == 1
    assert (await world.actions(row.number)).count("approve") == 1


async def test_the_pipeline_that_waits_hears_of_what_is_decided_in_a_room(world: World, room: Room):
    """An outsider says yes, and it goes on waiting; then who may, and it goes."""
    row = await world.waiting()
    await room.hear()
    (post,) = room.posted
    for who in ("ilse", "henrik"):
        await room.link(who)
    dario = ACTORS["dario"]
    token = await world.token(dario, person="pipeline", title="t", scopes=("read",), days=1)
    async with served(Outside(), world.app()) as ours:
        command = (sys.executable, "-m", "dogana", "wait", str(row.number), "--timeout=60", "--every=0.2")
        async with process(*command, DOGANA_URL=ours.url, DOGANA_TOKEN=token) as waiting:
            room.people["stranger"].say(room.address, "approve", post["event_id"])
            assert (await room.hear())[-1].startswith("Nobody here is @stranger")
            for who in ("ilse", "henrik"):
                room.people[who].say(room.address, "approve", post["event_id"])
                assert "approved promotion" in (await room.hear())[-1]
                await room.hear()
            assert await asyncio.wait_for(waiting.wait(), 60) == 0


async def test_a_homeserver_that_is_away_is_told_later_and_keeps_no_other_room_waiting(
    world: World, room: Room
):
    """What could not be posted stands with the room, and is posted once it can be."""
    await rooms.keep(
        world.backend,
        ACTORS["dario"],
        "all",
        title="All",
        address=room.people["ilse"].call("POST", "/createRoom", {"preset": "public_chat"})["room_id"],
        service=None,
        environment=None,
    )
    async with world.backend.database.transaction() as session:
        lost = await chat.room(session, "all", lock=True)
        lost.address = "!nowhere:corvale.example"
    await world.waiting()
    assert len(await room.hear()) == 1
    shown = {one.id: one.reason for one in (await rooms.view(world.backend, ACTORS["ilse"])).rooms}
    assert shown["rehearsal"] is None
    assert shown["all"].startswith("The homeserver answered 403")


async def test_a_room_is_one_that_we_may_come_into(world: World, room: Room):
    private = room.people["stranger"].call("POST", "/createRoom", {"preset": "private_chat"})["room_id"]
    for address in (private, "!none:corvale.example"):
        with pytest.raises(InvalidError, match="cannot come into"):
            await rooms.keep(
                world.backend,
                ACTORS["dario"],
                "x",
                title="X",
                address=address,
                service=None,
                environment=None,
            )


async def test_any_other_room_is_posted_to_signed(world: World, monkeypatch: pytest.MonkeyPatch):
    """Without a homeserver; one that is away stands with its reason, and nobody is heard there."""
    monkeypatch.setattr(SimulatedClock, "__call__", lambda _: datetime.now(UTC))
    outside = Outside()

    async def answer(_) -> PlainTextResponse:
        return PlainTextResponse("thanks")

    outside.answer = answer
    async with guarded_client(Reachable("127.0.0.0/8"), 5) as client:
        world.backend = replace(world.backend, client=client)
        made = await rooms.keep(
            world.backend,
            ACTORS["dario"],
            "hall",
            title="Hall",
            address=outside.url,
            service=None,
            environment="rehearsal",
        )
        await world.adopt("rehearsal", BY_CHAT)
        row = await world.waiting()
        await posting.post_due(world.backend)
        (shown,) = (await rooms.view(world.backend, ACTORS["ilse"])).rooms
        assert shown.reason == "Its address cannot be reached."
        async with world.backend.database.transaction() as session:
            (await chat.room(session, "hall", lock=True)).next_attempt_at = datetime.now(UTC)
        async with served(outside):
            await posting.post_due(world.backend)
            (asked,) = outside.asked
            body = await asked.body()
    Webhook(made.secret).verify(body, {key.lower(): value for key, value in asked.headers.items()})
    told = json.loads(body)
    assert (told["promotion"], told["state"]) == (row.number, "waiting")
    assert told["text"].startswith("Taps portal 1.2.0 into Rehearsal: held.")
    with pytest.raises(NotFoundError, match="No chat"):
        await rooms.keep(
            world.backend, ACTORS["dario"], "x", title="X", address="!a:x", service=None, environment=None
        )
