"""Deciding: who may, on what, and what happens when two do at once."""

import asyncio
from datetime import timedelta

import pytest
from tests.world import ONE_AT_A_TIME, REVIEWERS, SAMENESS, SERVICE, TICKETS, World, artifact, policy

from dogana.core.errors import (
    AlreadyDecidedError,
    ChangedSinceShownError,
    DoganaError,
    ExcludedError,
    ForbiddenError,
    InvalidError,
    InvalidPolicyError,
    MovedOnError,
    NoSeatError,
    NotClearedError,
    OwnDraftError,
    RefusedError,
)
from dogana.demo.cast import ACTORS
from dogana.service.delivery import course
from dogana.service.landscape import environments, setting_up
from dogana.service.policies import drafts
from dogana.service.promotions import decisions, refreshing
from dogana.service.views import desk
from dogana.store import promotions, schedule


async def another_service(world: World) -> str:
    """One that travels the same route."""
    taps = await environments.service(world.backend, ACTORS["dario"], SERVICE.id)
    await setting_up.keep_service(world.backend, ACTORS["dario"], "second-portal", taps, None)
    return "second-portal"


async def test_two_approvals_clear_and_depart(world: World):
    """The last word and everything it brings about are one transaction."""
    row = await world.waiting()
    assert (await world.approve(row.number, "ilse")).verdict == "held"
    assert (await world.approve(row.number, "henrik")).verdict == "cleared"
    assert await world.actions(row.number) == ["request", "approve", "approve", "clear", "depart"]
    assert (await world.land(row.number)).state == "landed"


async def test_the_dossier_says_what_my_word_would_bring_about(world: World):
    """Before I give it."""
    row = await world.waiting()
    first = (await world.dossier(row.number, "ilse")).mine
    assert first.effect == "After yours one seat remains open; time allows it now."
    await world.approve(row.number, "ilse")
    assert (
        await world.dossier(row.number, "ilse")
    ).mine.why_not == "You have taken the seat of release desk."
    last = (await world.dossier(row.number, "henrik")).mine
    assert last.effect == "Yours is the last word it waits for: it clears and departs at once."


WHO_MAY_NOT = {
    "who asked": ("tomas", "tomas", ExcludedError),
    "somebody without a seat": ("noor", "priya", NoSeatError),
    "an auditor": ("noor", "wanjiru", ForbiddenError),
    "a policy owner": ("noor", "marco", ForbiddenError),
    "an engineer": ("noor", "sam", ForbiddenError),
}


@pytest.mark.parametrize("name", WHO_MAY_NOT)
async def test_who_may_not_approve(world: World, name: str):
    """Refused in words, and nothing is written."""
    requester, who, error = WHO_MAY_NOT[name]
    row = await world.waiting(who=requester)
    before = await world.entries()
    with pytest.raises(error):
        await world.approve(row.number, who)
    assert await world.entries() == before


async def test_one_person_approves_once(world: World):
    """The second click learns why not."""
    row = await world.waiting()
    await world.approve(row.number, "ilse")
    with pytest.raises(AlreadyDecidedError):
        await world.approve(row.number, "ilse")


async def test_a_seat_may_ask_for_its_turn_and_for_a_reason(world: World):
    """The later one is told whose turn it is; without a word nothing is taken."""
    await world.adopt("rehearsal", {**REVIEWERS, "in_order": True, "comment": "required"})
    row = await world.waiting()
    with pytest.raises(NoSeatError, match="The open seats are for release desk"):
        await world.approve(row.number, "henrik")
    with pytest.raises(InvalidError, match="Say why you approve"):
        await world.approve(row.number, "ilse")
    for who in ("ilse", "henrik"):
        shown = (await world.dossier(row.number, who)).mine.shown
        await decisions.approve(world.backend, ACTORS[who], row.number, shown=shown, comment="Seen.")
    assert (await world.actions(row.number))[-1] == "depart"


async def test_a_seat_that_is_taken_is_taken(world: World):
    """A colleague of the same group has none left."""
    row = await world.waiting()
    await world.approve(row.number, "ilse")
    with pytest.raises(NoSeatError, match="The open seats are for test leads"):
        await world.approve(row.number, "tomas")


async def test_twenty_at_once_take_one_seat(world: World):
    """Ten clicks of one person and ten of another of the same group: one entry, nineteen told why not."""
    row = await world.waiting()
    shown = {who: (await world.dossier(row.number, who)).mine.shown for who in ("ilse", "tomas")}

    async def click(who: str) -> str:
        try:
            await decisions.approve(world.backend, ACTORS[who], row.number, shown=shown[who], comment="")
        except DoganaError as exc:
            return exc.code
        return "approved"

    answers = await asyncio.gather(*(click(who) for who in ("ilse", "tomas") * 10))
    assert sorted(set(answers)) == ["already_decided", "approved", "no_seat"]
    assert answers.count("approved") == 1
    assert (await world.actions(row.number)).count("approve") == 1


async def test_the_same_release_asked_for_at_once_is_taken_in_once(world: World):
    """The database holds what two processes could both believe."""
    await world.landed("bench")
    answers = await asyncio.gather(*(world.ask("rehearsal") for _ in range(6)), return_exceptions=True)
    assert sorted(getattr(answer, "code", "taken in") for answer in answers) == ["already_pending"] * 5 + [
        "taken in"
    ]


async def test_an_approval_lapses_when_a_ticket_changes(world: World):
    """Held again, the finding says what changed, and the same person may approve anew."""
    row = await world.waiting()
    await world.approve(row.number, "ilse")
    world.tickets["TAPS-2"] = world.tickets["TAPS-2"].model_copy(update={"title": "Another thing"})
    file = await world.refresh(row.number)
    lapsed = file.findings[0].evidence[0]
    assert (lapsed.label, lapsed.value) == ("Ilse Brandt's approval lapsed", "the tickets changed since")
    await world.approve(row.number, "ilse")
    assert (await world.dossier(row.number)).row.seats[0].taken_by.name == "Ilse Brandt"


async def test_what_was_approved_under_an_earlier_policy_counts_with_the_word_of_the_next(world: World):
    """Where the new one asks for no less; before the next word, beside it, and at the next look."""
    row = await world.waiting()
    await world.approve(row.number, "ilse")
    await world.adopt("rehearsal", REVIEWERS, TICKETS, SAMENESS, ONE_AT_A_TIME)
    await world.refresh(row.number)
    mine = (await world.dossier(row.number, "henrik")).mine
    assert (mine.effect or "").startswith("Yours is the last word it waits for")
    await world.approve(row.number, "henrik")
    assert "clear" in await world.actions(row.number)
    assert (await world.dossier(row.number)).row.verdict == "cleared"


async def test_who_comes_second_keeps_their_seats_though_the_policy_was_tightened_meanwhile(
    world: World, monkeypatch
):
    """Between its own inspection and its turn to depart: it is held by the other, and nothing lapses."""
    await world.adopt("bench", REVIEWERS, ONE_AT_A_TIME)
    second_portal = await another_service(world)
    first, second = [(await world.ask(service=one)).number for one in (second_portal, SERVICE.id)]
    await world.approve(first, "ilse")
    await world.approve(second, "ilse")
    shown = (await world.dossier(second, "henrik")).mine.shown
    taking_turns = promotions.lock_environment

    async def meanwhile(session, environment):
        monkeypatch.setattr(promotions, "lock_environment", taking_turns)
        await world.approve(first, "henrik")
        await world.adopt("bench", REVIEWERS, ONE_AT_A_TIME, TICKETS)
        return await taking_turns(session, environment)

    monkeypatch.setattr(promotions, "lock_environment", meanwhile)
    monkeypatch.setattr(schedule, "inspection", lambda *_, **__: None)
    sheet = await decisions.approve(world.backend, ACTORS["henrik"], second, shown=shown, comment="")
    assert (sheet.verdict, len(sheet.findings)) == ("held", 3)
    assert [seat.taken_by for seat in sheet.seats()] == ["ilse", "henrik"]


async def test_what_was_shown_must_still_be_so(world: World):
    """Somebody who looked before the policy changed looks again first."""
    row = await world.waiting()
    shown = (await world.dossier(row.number, "ilse")).mine.shown
    await world.adopt("rehearsal", REVIEWERS, SAMENESS)
    with pytest.raises(ChangedSinceShownError, match="The policy changed since you looked"):
        await decisions.approve(world.backend, ACTORS["ilse"], row.number, shown=shown, comment="")


async def test_turning_back_needs_a_seat_and_a_reason_and_ends_it(world: World):
    """Afterwards every further word is told that it moved on."""
    row = await world.waiting()
    shown = (await world.dossier(row.number, "ilse")).mine.shown
    for who, comment, error in (
        ("ilse", " ", InvalidError),
        ("priya", "no", NoSeatError),
        ("sam", "no", ForbiddenError),
    ):
        with pytest.raises(error):
            await decisions.turn_back(world.backend, ACTORS[who], row.number, shown=shown, comment=comment)
    await decisions.turn_back(
        world.backend, ACTORS["ilse"], row.number, shown=shown, comment="The banner is wrong."
    )
    file = await world.dossier(row.number)
    assert (file.row.state, file.row.sentence) == (
        "turned back",
        "Turned back by Ilse Brandt: The banner is wrong.",
    )
    assert file.course[-1].reason == "The banner is wrong."
    with pytest.raises(MovedOnError, match="it is turned back"):
        await decisions.approve(world.backend, ACTORS["henrik"], row.number, shown=shown, comment="")


async def test_taking_back_and_withdrawing(world: World):
    """A retracted seat opens again; only who asked or an approver withdraws."""
    row = await world.waiting()
    await world.approve(row.number, "ilse")
    await decisions.retract(world.backend, ACTORS["ilse"], row.number, comment="Too early.")
    assert [s.taken_by for s in (await world.dossier(row.number)).row.seats] == [None, None]
    with pytest.raises(NoSeatError):
        await decisions.retract(world.backend, ACTORS["ilse"], row.number, comment="")
    with pytest.raises(RefusedError):
        await decisions.withdraw(world.backend, ACTORS["sam"], row.number, comment="")
    await decisions.withdraw(world.backend, ACTORS["noor"], row.number, comment="Superseded.")
    assert (await world.dossier(row.number)).row.state == "withdrawn"


@pytest.mark.thorough
async def test_departure_is_inspected_at_its_own_instant(world: World):
    """A freeze that began after clearing holds it, and that is on the record."""
    await world.adopt("pilot-valley", TICKETS, storm("2026-03-10T11:00", "2026-03-10T15:00"))
    await world.landed("bench")
    await world.landed("rehearsal")
    row = await world.ask("pilot-valley")
    assert row.state == "cleared"
    world.clock.now += timedelta(hours=1, seconds=1)
    await world.refresh(row.number)
    with pytest.raises(NotClearedError, match="Held by storm watch until Tue 10 Mar 15:00, Rome"):
        await course.depart(world.backend, ACTORS["pipeline"], row.number)
    assert await world.actions(row.number) == ["request", "clear", "hold"]
    world.clock.now += timedelta(hours=4)
    await world.refresh(row.number)
    await course.depart(world.backend, ACTORS["pipeline"], row.number)
    assert (await world.actions(row.number))[-3:] == ["clear", "depart", "issue clearance"]


def storm(start: str, until: str):
    return {
        "id": "storm",
        "kind": "freeze",
        "title": "Closed for storms",
        "zone": "Europe/Rome",
        "windows": [{"name": "storm watch", "from": start, "until": until}],
    }


async def test_one_release_moves_into_an_environment_at_a_time(world: World):
    """The second is held until the first has landed, then goes by itself."""
    first = await world.ask("bench", "1.2.0")
    second = await world.ask("bench", "1.3.0", artifacts=(artifact(byte="c"),))
    assert (first.state, second.state) == ("moving", "waiting")
    with pytest.raises(NotClearedError, match="on the way into Bench"):
        await course.depart(world.backend, ACTORS["pipeline"], second.number)
    await world.land(first.number)
    assert (await world.refresh(second.number)).row.state == "moving"


async def test_a_rollback_leaves_running_what_ran_before(world: World):
    """What failed never counts as landed."""
    await world.landed("bench", "1.1.0")
    row = await world.ask("bench", "1.2.0")
    await world.depart(row.number)
    await course.roll_back(world.backend, ACTORS["pipeline"], row.number, note="Errors over the limit.")
    file = await world.dossier(row.number)
    assert file.row.sentence == "Rolled back Tue 10 Mar 10:00, Rome: Errors over the limit."
    again = await world.ask("bench", "1.2.0")
    assert again.state == "moving"


async def test_a_policy_is_adopted_by_a_second_person_once(world: World):
    """Its author cannot, and what it names must exist."""
    wrong = policy({**REVIEWERS, "seats": [{"group": "nobody"}, {"people": ["ghost"]}]})
    with pytest.raises(InvalidPolicyError) as refused:
        await drafts.draft(world.backend, ACTORS["marco"], "bench", wrong)
    assert [place for place, _ in refused.value.fields] == [
        "/rules/0/seats/0/group",
        "/rules/0/seats/1/people",
    ]
    row = await drafts.draft(world.backend, ACTORS["marco"], "bench", policy(TICKETS))
    with pytest.raises(OwnDraftError):
        await drafts.adopt(world.backend, ACTORS["marco"], "bench", row.version, reason="")
    await drafts.adopt(world.backend, ACTORS["chiara"], "bench", row.version, reason="")
    with pytest.raises(MovedOnError):
        await drafts.adopt(world.backend, ACTORS["chiara"], "bench", row.version, reason="")


@pytest.mark.thorough
async def test_two_services_cleared_at_once_go_one_at_a_time(world: World):
    """What moves is read under the environment's lock in the transaction that departs."""
    for environment in ("bench", "rehearsal", "pilot-valley"):
        await world.adopt(environment, TICKETS, ONE_AT_A_TIME)
    for version, byte in (("1.1.0", "1"), ("1.2.0", "2")):
        for environment in ("bench", "rehearsal"):
            made = (artifact(byte=byte),)
            await world.land((await world.ask(environment, version, artifacts=made)).number)
    rows = [await world.ask("pilot-valley", version, artifacts=()) for version in ("1.1.0", "1.2.0")]
    answers = await asyncio.gather(*(world.depart(row.number) for row in rows), return_exceptions=True)
    assert [answer.code for answer in answers if not isinstance(answer, str)] == ["not_cleared"]


async def test_a_row_of_the_desk_says_what_its_approval_is_bound_to(world: World):
    """To whom it waits for, and to nobody else: several approved together are each bound to their row."""
    row = await world.waiting()
    mine = next(
        one for one in (await desk.desk(world.backend, ACTORS["ilse"])).rows if one.number == row.number
    )
    other = next(
        one for one in (await desk.desk(world.backend, ACTORS["noor"])).rows if one.number == row.number
    )
    assert mine.shown == (await world.dossier(row.number, "ilse")).mine.shown
    assert other.shown is None
    world.tickets["TAPS-2"] = world.tickets["TAPS-2"].model_copy(update={"status": "in review"})
    await refreshing.refresh(world.backend, row.number)
    with pytest.raises(ChangedSinceShownError):
        await decisions.approve(world.backend, ACTORS["ilse"], row.number, shown=mine.shown, comment="")


async def test_two_that_the_last_words_clear_at_once_go_one_at_a_time(world: World, monkeypatch):
    """Each is inspected before either goes: who comes second to the environment sees who went."""
    await world.adopt("bench", {**REVIEWERS, "seats": REVIEWERS["seats"][:1]}, ONE_AT_A_TIME)
    second_portal = await another_service(world)
    rows = [await world.ask(service=service) for service in (SERVICE.id, second_portal)]
    files = [await world.dossier(row.number, "ilse") for row in rows]
    both, taking_turns = asyncio.Barrier(2), promotions.lock_environment

    async def after_both(session, environment):
        await both.wait()
        return await taking_turns(session, environment)

    monkeypatch.setattr(promotions, "lock_environment", after_both)
    async with asyncio.timeout(30):
        sheets = await asyncio.gather(
            *(
                decisions.approve(
                    world.backend, ACTORS["ilse"], file.row.number, shown=file.mine.shown, comment=""
                )
                for file in files
            )
        )
    assert sorted(sheet.verdict for sheet in sheets) == ["cleared", "held"]
    states = sorted([(await world.dossier(row.number)).row.state for row in rows])
    assert states == ["moving", "waiting"]
