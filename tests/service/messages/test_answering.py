"""Deciding by a link from a mail: one person, one promotion, what was shown, once."""

import asyncio
import re
from dataclasses import replace
from datetime import timedelta

import pytest
from tests.service.messages.conftest import ADDRESS, Post
from tests.world import REVIEWERS, TICKETS, World

from dogana.core.errors import (
    ChangedSinceShownError,
    DoganaError,
    ForbiddenError,
    InvalidError,
    MovedOnError,
    NotFoundError,
    RefusedError,
)
from dogana.demo.cast import ACTORS
from dogana.service.actor import Role
from dogana.service.configuration import proposals
from dogana.service.messages import answering
from dogana.service.people import leaving, members
from dogana.service.promotions import decisions
from dogana.service.views import desk

pytestmark = pytest.mark.thorough

BY_MAIL = {**REVIEWERS, "ways": ["desk", "mail"]}


async def asked(world: World, post: Post, rule: dict = BY_MAIL) -> int:
    """A promotion for whose seats people got mail."""
    await world.adopt("rehearsal", rule, TICKETS)
    row = await world.waiting()
    await post.deliver()
    return row.number


def link_to(post: Post, who: str) -> str:
    """The secret of the link in somebody's last mail."""
    text = post.mailbox.to(f"{who}@")[-1].get_body(("plain",)).get_content()
    found = re.search(rf"{re.escape(ADDRESS)}/answer#([\w-]+)", text)
    assert found, text
    return found[1]


async def answer(world: World, token: str, says: str = "approve", comment: str = "") -> str:
    return (await answering.answer(world.backend, token, says=says, comment=comment)).says


async def told_of_refusal(world: World, post: Post, number: int) -> list[str]:
    """Whether a refusal is on record, and who was told."""
    await post.deliver()
    refused = [one for one in await world.actions(number) if one == "refuse answer"]
    subject = "An answer in your name was refused"
    return [who for who in ACTORS if any(subject in one for one in post.to(who))] if refused else []


async def test_two_people_approve_by_mail_and_each_link_is_good_once(world: World, post: Post):
    """The seat is theirs, on record with the way; a second use is refused, on record, and told to them."""
    number = await asked(world, post)
    first, second = link_to(post, "ilse"), link_to(post, "henrik")
    page = await answering.look(world.backend, first)
    assert (page.open, page.person, page.about) == (True, "Ilse Brandt", "Taps portal 1.2.0 into Rehearsal")
    assert page.effect == "After yours one seat remains open; time allows it now."
    assert "You approved Taps portal 1.2.0 into Rehearsal." in await answer(world, first)
    entries = (await world.dossier(number)).course
    assert [one.channel for one in entries if one.action == "approve"] == ["mail"]
    assert "departs" not in await answer(world, second)
    assert (await world.dossier(number)).row.state == "moving"
    for token in (first, first, second):
        with pytest.raises(MovedOnError, match="each is good once"):
            await answer(world, token)
        assert (await answering.look(world.backend, token)).open is False
    assert await told_of_refusal(world, post, number) == ["ilse", "henrik"]
    assert (await world.actions(number)).count("refuse answer") == 2


async def test_it_is_turned_back_by_mail_with_a_reason(world: World, post: Post):
    """Without one nothing happens and the link is as good as before."""
    number = await asked(world, post)
    token = link_to(post, "yuki")
    with pytest.raises(InvalidError, match="Say why"):
        await answer(world, token, "turn back")
    assert "turned back" in await answer(world, token, "turn back", "storm tonight")
    assert (await world.dossier(number)).row.sentence == "Turned back by Yuki Tanabe: storm tonight."
    assert await told_of_refusal(world, post, number) == []


async def test_ten_clicks_at_once_are_one_answer(world: World, post: Post):
    """Nine are told that it was used."""
    number = await asked(world, post)
    token = link_to(post, "ilse")
    said = await asyncio.gather(*(answer(world, token) for _ in range(10)), return_exceptions=True)
    assert sum(isinstance(one, str) for one in said) == 1
    assert all(isinstance(one, str | MovedOnError) for one in said)
    assert (await world.actions(number)).count("approve") == 1


async def test_what_changed_since_the_mail_is_said_instead(world: World, post: Post):
    """The link is bound to what the mail showed; nothing is approved unseen."""
    number = await asked(world, post)
    token = link_to(post, "ilse")
    await world.adopt(
        "rehearsal", {**BY_MAIL, "seats": [*REVIEWERS["seats"], {"group": "security"}]}, TICKETS
    )
    await world.refresh(number)
    page = await answering.look(world.backend, token)
    assert page.open is False
    assert "changed. Open the Desk to look." in page.says
    with pytest.raises(ChangedSinceShownError):
        await answer(world, token)
    assert "approve" not in await world.actions(number)
    assert await told_of_refusal(world, post, number) == ["ilse"]


async def lost_role(world: World) -> None:
    member = members.Member(name="Ilse Brandt", email="ilse@corvale.example", roles=(Role.AUDITOR,))
    asked_for = await members.keep_person(world.backend, ACTORS["dario"], "ilse", member)
    await proposals.confirm(world.backend, ACTORS["marco"], asked_for.waits)


async def left_group(world: World) -> None:
    member = members.Member(
        name="Ilse Brandt", email="ilse@corvale.example", roles=(Role.APPROVER,), groups=("control-room",)
    )
    asked_for = await members.keep_person(world.backend, ACTORS["dario"], "ilse", member)
    await proposals.confirm(world.backend, ACTORS["marco"], asked_for.waits)


async def disabled(world: World) -> None:
    await leaving.remove_person(world.backend, ACTORS["dario"], "ilse")


async def waited_too_long(world: World) -> None:
    world.clock.now += timedelta(days=3, seconds=1)


async def taken_at_the_desk(world: World) -> None:
    number = max(row.number for row in await _waiting(world))
    await world.approve(number, "ilse")


async def turned_back(world: World) -> None:
    number = max(row.number for row in await _waiting(world))
    shown = (await world.dossier(number, "yuki")).mine.shown
    await decisions.turn_back(world.backend, ACTORS["yuki"], number, shown=shown, comment="no")


async def _waiting(world: World):
    return [row for row in (await desk.desk(world.backend, ACTORS["wanjiru"])).rows if row.state == "waiting"]


async def desk_alone(world: World) -> None:
    await world.adopt("rehearsal", REVIEWERS, TICKETS)


MEANWHILE = [lost_role, left_group, disabled, waited_too_long, taken_at_the_desk, turned_back, desk_alone]


@pytest.mark.parametrize("meanwhile", MEANWHILE, ids=lambda one: one.__name__)
async def test_a_late_answer_clears_nothing(world: World, post: Post, meanwhile):
    """Whatever the person may no longer do, or the policy no longer lets them do by mail."""
    number = await asked(world, post)
    token = link_to(post, "ilse")
    await meanwhile(world)
    before = (await world.actions(number)).count("approve")
    try:
        page = await answering.look(world.backend, token)
        assert page.open is False
        assert page.says
    except ForbiddenError:
        assert meanwhile is disabled
    with pytest.raises(DoganaError):
        await answer(world, token)
    assert (await world.actions(number)).count("approve") == before


async def test_a_policy_that_says_desk_alone_sends_no_link(world: World, post: Post):
    """Neither does one whose other seats are taken by mail, to who sits in another."""
    lead = {**REVIEWERS, "id": "lead", "seats": [{"group": "test-leads"}]}
    desk = {**BY_MAIL, "id": "desk", "seats": [{"group": "release-desk"}]}
    await world.adopt("rehearsal", lead, desk, TICKETS)
    number = (await world.waiting()).number
    await post.deliver()
    text = post.mailbox.to("henrik@")[-1].get_body(("plain",)).get_content()
    assert "/answer#" not in text
    await answer(world, link_to(post, "ilse"))
    shown = (await world.dossier(number, "henrik")).mine.shown
    by_mail = replace(ACTORS["henrik"], channel="mail")
    with pytest.raises(RefusedError, match="does not let this seat be taken by mail"):
        await decisions.approve(world.backend, by_mail, number, shown=shown, comment="")


@pytest.mark.parametrize("token", ["x" * 43, "", "../../etc", "ilse"])
async def test_a_forged_link_is_none(world: World, post: Post, token: str):
    """Nothing is said of what there is."""
    number = await asked(world, post)
    for act in (answering.look(world.backend, token), answer(world, token)):
        with pytest.raises(NotFoundError, match="none of ours"):
            await act
    assert "refuse answer" not in await world.actions(number)
