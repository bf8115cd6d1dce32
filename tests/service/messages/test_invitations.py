"""Somebody new, or whose password is to be another, is mailed the link; nobody else is shown it."""

import re
from datetime import timedelta

import pytest
from tests.service.messages.conftest import ADDRESS, Post
from tests.world import World

from dogana.core.errors import SignedOutError
from dogana.core.messages.choices import Choices
from dogana.demo.cast import ACTORS
from dogana.service.configuration import proposals
from dogana.service.messages import choosing
from dogana.service.people import members, passwords, sessions
from dogana.service.people.members import Member
from dogana.service.people.sessions import Caller
from dogana.sources import NotSentError
from dogana.sources.mail import SmtpMailer

ZOE = Member(name="Zoe Zander", email="zoe@corvale.example", roles=("approver",))
CALLER = Caller(address="10.0.0.9")


def secret_to(post: Post, who: str) -> str:
    text = post.mailbox.to(f"{who}@")[-1].get_body(("plain",)).get_content()
    found = re.search(rf"{re.escape(ADDRESS)}/welcome#([\w-]+)", text)
    assert found, text
    return found[1]


async def choose(world: World, secret: str, password: str) -> None:
    await passwords.accept(world.backend, secret, password, address="10.0.0.9")


async def test_somebody_new_is_mailed_a_link_and_comes_in_with_what_they_choose(world: World, post: Post):
    """Once it was confirmed, and to nobody but them."""
    outcome = await world.set_up("zoe", ZOE)
    assert (outcome.invitation, outcome.mailed) == (None, True)
    await post.deliver()
    (mail,) = post.mailbox.to("zoe@")
    assert mail["Subject"].startswith("Choose your password")
    assert mail["List-Unsubscribe"] is None
    secret = secret_to(post, "zoe")
    await choose(world, secret, "three words and a river")
    signed_in = await sessions.sign_in(world.backend, ZOE.email, "three words and a river", CALLER)
    assert signed_in.person.id == "zoe"
    with pytest.raises(SignedOutError):
        await choose(world, secret, "another three words and one")


async def test_a_reset_is_mailed_whatever_one_chose_and_ends_the_link_before(world: World, post: Post):
    """Nobody is told never of what they wait for to come in; a change of roles mails nothing."""
    quiet = [{"days": ["MO", "TU", "WE", "TH", "FR", "SA", "SU"], "from": "00:00", "until": "24:00"}]
    await choosing.choose(world.backend, ACTORS["ilse"], Choices(quiet=quiet, mail={"invitation": "never"}))
    for _ in range(2):
        asked = await members.invite(world.backend, ACTORS["dario"], "ilse")
        outcome = await proposals.confirm(world.backend, ACTORS["marco"], asked.waits)
        assert (outcome.invitation, outcome.mailed) == (None, True)
        await post.deliver()
    first = post.mailbox.to("ilse@")[0]
    old = re.search(r"/welcome#([\w-]+)", first.get_body(("plain",)).get_content())
    with pytest.raises(SignedOutError):
        await choose(world, old[1], "three words and a river")
    await choose(world, secret_to(post, "ilse"), "three words and a river")
    changed = Member(name="Ilse Brandt", email="ilse@corvale.example", roles=("auditor",))
    assert (await world.set_up("ilse", changed)).mailed is False


async def test_a_mail_that_is_tried_again_holds_a_link_that_is_good(world: World, post: Post, monkeypatch):
    """The last one; nothing that could be used is kept in between."""
    await world.set_up("zoe", ZOE)
    send = SmtpMailer.send

    async def fails(*_) -> None:
        raise NotSentError("is busy")

    monkeypatch.setattr(SmtpMailer, "send", fails)
    await post.deliver()
    monkeypatch.setattr(SmtpMailer, "send", send)
    await post.deliver(timedelta(minutes=1))
    await choose(world, secret_to(post, "zoe"), "three words and a river")


async def test_the_address_one_had_is_told_of_another(world: World, post: Post):
    """Whatever they chose; who takes an account over would otherwise be all that hears of it."""
    await choosing.choose(world.backend, ACTORS["ilse"], Choices(mail={"address": "never"}))
    ilse = (await members.all_members(world.backend, ACTORS["dario"]))["ilse"]
    await world.set_up("ilse", ilse.model_copy(update={"email": "other@corvale.example"}))
    await post.deliver()
    for who in ("ilse", "other"):
        (mail,) = post.mailbox.to(f"{who}@")
        assert mail["Subject"] == "Your mail address was changed"
        assert (
            "Marco Bellandi changed the mail address of Ilse Brandt."
            in mail.get_body(("plain",)).get_content()
        )
    assert "tell an administrator now" in post.mailbox.to("ilse@")[0].get_body(("plain",)).get_content()
    await world.set_up("ilse", ilse.model_copy(update={"email": "OTHER@corvale.example"}))
    await post.deliver()
    assert len([one for one in post.mailbox.mails if "OTHER@" in str(one["To"]).upper()]) == 1, (
        "in other letters it is the same address"
    )
