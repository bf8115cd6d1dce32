"""Mail: who gets it, what it says, gathered, tried again, and never twice."""

import asyncio
import base64
from dataclasses import replace
from datetime import timedelta
from email.message import EmailMessage

import aiosmtplib
import pytest
from tests.service.messages.conftest import ADDRESS, Post
from tests.world import REVIEWERS, World, policy

from dogana.core.errors import InvalidError, NotFoundError
from dogana.core.messages.choices import Choices, Insisted
from dogana.core.messages.kinds import Kind
from dogana.demo.cast import ACTORS
from dogana.demo.cluster import free_port
from dogana.service.actor import Role
from dogana.service.configuration import proposals
from dogana.service.messages import choosing, entries, mailing, seats, told
from dogana.service.people import leaving, members
from dogana.service.people.members import Member
from dogana.service.policies import drafts
from dogana.service.promotions import comments, decisions, waivers
from dogana.sources.mail import SmtpMailer
from dogana.store import messages

pytestmark = pytest.mark.thorough

DESK = {"ilse", "tomas"}
LEADS = {"henrik", "yuki"}


async def fates(world: World, who: str) -> list[tuple[str, str]]:
    page = await told.told(world.backend, ACTORS[who], before=None, limit=50)
    return [(one.kind.value, one.fate) for one in page.told]


async def told_of(world: World, who: str, kind: Kind) -> list[told.ToldView]:
    """What somebody was told of one kind, the latest first."""
    page = await told.told(world.backend, ACTORS[who], before=None, limit=50)
    return [one for one in page.told if one.kind == kind]


async def test_who_has_a_seat_is_asked_and_nobody_else(world: World, post: Post):
    """With what is asked, by when and what happens next; who asked hears why it waits."""
    row = await world.waiting()
    await post.deliver()
    for who in DESK | LEADS:
        assert post.to(who) == [
            "Your seat is open: Taps portal 1.2.0 into Rehearsal, which could go Tue 10 Mar 10:00, Rome"
        ]
    assert "It waits: Taps portal 1.2.0 into Rehearsal" in post.to("noor")
    for who in ("priya", "joel", "marco", "wanjiru", "dario", "pipeline"):
        assert post.to(who) == []
    mail = post.mailbox.to("ilse@")[0]
    text, html = (part.get_content() for part in mail.iter_parts())
    text = text.replace("\r\n", "\n")
    first, after, *_ = text.split("\n\n")
    assert first == ("Taps portal 1.2.0 into Rehearsal waits for your seat (release desk). It could go now.")
    assert after == "If you approve: After yours one seat remains open; time allows it now."
    assert f"{ADDRESS}/promotion/{row.number}" in text
    assert "Two sides agree (pending)" in text
    assert "Two sides agree (pending).</b>" in html
    assert "#" not in text, "the policy lets no seat be taken by mail"
    assert mail["References"] == f"<promotion-{row.number}@dogana.corvale.example>"
    assert mail["List-Unsubscribe-Post"] == "List-Unsubscribe=One-Click"


async def test_what_is_over_is_not_mailed_and_who_was_asked_in_vain_may_hear_of_it(world: World, post: Post):
    """One of the desk took it before the mail went: the colleague is not asked any more."""
    row = await world.waiting()
    await post.tell()
    await world.approve(row.number, "ilse")
    await post.deliver()
    assert post.to("tomas") == []
    assert (await fates(world, "tomas"))[0] == ("seat", "not mailed")
    page = await told.told(world.backend, ACTORS["tomas"], before=None, limit=1)
    assert page.told[0].over == "Taken by Ilse Brandt."
    await choosing.choose(world.backend, ACTORS["yuki"], Choices(mail={"seat taken": "at once"}))
    await world.approve(row.number, "henrik")
    await post.deliver()
    assert post.to("yuki")[-1] == "Taken by another: Taps portal 1.2.0 into Rehearsal"


async def test_what_comes_together_is_one_mail(world: World, post: Post):
    """Two promotions that wait for one person, and what is news after what is asked."""
    await world.landed("bench", "1.1.0")
    other = await world.ask("rehearsal", "1.1.0")
    await world.waiting()
    await comments.comment(world.backend, ACTORS["noor"], other.number, "@ilse have a look?")
    await post.deliver()
    (mail,) = post.mailbox.to("ilse@")
    assert mail["Subject"] == "Two things for you to do and one piece of news"
    text = mail.get_body(("plain",)).get_content()
    assert text.index("A comment names you") > text.index("Taps portal 1.1.0 into Rehearsal waits")
    assert "References" not in mail


async def test_whoever_may_confirm_a_change_is_told_of_it_while_it_waits(world: World, post: Post):
    """Not who asked, nor who it is about; and of one that was decided before, nobody is told."""
    await post.deliver()
    post.mailbox.mails.clear()
    zoe = Member(name="Zoe Zander", email="zoe@corvale.example", roles=(Role.APPROVER,))
    await world.set_up("zoe", zoe)
    await post.deliver()
    assert [post.to(who) for who in ("chiara", "marco")] == [[], []]
    marco = Member(name="Marco Bellandi", email="marco@corvale.example", roles=(Role.APPROVER,))
    await members.keep_person(world.backend, ACTORS["dario"], "marco", marco)
    await post.deliver()
    assert {who: post.to(who) for who in ("chiara", "marco", "dario", "ilse")} == {
        "chiara": ["A change waits for you to confirm it"],
        "marco": [],
        "dario": [],
        "ilse": [],
    }


async def test_what_was_decided_before_its_mail_is_not_mailed(world: World, post: Post):
    """A change that was confirmed, a draft in whose place another came, and the one that was adopted."""
    await post.deliver()
    post.mailbox.mails.clear()
    later = Choices(mail={Kind.CHANGE: "gathered", Kind.DRAFT: "gathered"})
    await choosing.choose(world.backend, ACTORS["chiara"], later)
    roles = (Role.POLICY_OWNER, Role.APPROVER)
    marco = Member(name="Marco Bellandi", email="marco@corvale.example", roles=roles)
    await members.keep_person(world.backend, ACTORS["dario"], "marco", marco)
    for _ in range(2):
        row = await drafts.draft(world.backend, ACTORS["marco"], "rehearsal", policy(REVIEWERS))
    await post.deliver()
    replaced = f"Marco Bellandi drafted version {row.version} of the policy of Rehearsal."
    assert [one.over for one in (await told_of(world, "chiara", Kind.DRAFT))[:2]] == ["", replaced]
    (waits,) = await proposals.proposals(world.backend, ACTORS["ilse"])
    await proposals.confirm(world.backend, ACTORS["chiara"], waits.id)
    await drafts.adopt(world.backend, ACTORS["chiara"], "rehearsal", row.version, reason="as said")
    world.clock.now += timedelta(days=1)
    await post.deliver()
    assert post.to("chiara") == []
    adopted = (await told_of(world, "chiara", Kind.DRAFT))[0]
    (confirmed,) = await told_of(world, "chiara", Kind.CHANGE)
    assert adopted.over == f"Chiara Fontana adopted version {row.version} of the policy of Rehearsal."
    assert confirmed.over.startswith("Chiara Fontana confirmed")
    assert adopted.fate == confirmed.fate == "not mailed"


async def test_quiet_hours_gathering_and_never(world: World, post: Post):
    """Each as the person chose; what is gathered comes at its time, what is quiet after it."""
    chosen = {
        "ilse": Choices(zone="Europe/Rome", mail={"seat": "gathered"}),
        "tomas": Choices(zone="Europe/Rome", quiet=({"days": ["TU"], "from": "10:00", "until": "11:00"},)),
        "henrik": Choices(mail={"seat": "never"}),
    }
    for who, choices in chosen.items():
        await choosing.choose(world.backend, ACTORS[who], choices)
    await world.waiting()
    await post.deliver()
    assert {who: len(post.to(who)) for who in (*chosen, "yuki")} == {
        "ilse": 0,
        "tomas": 0,
        "henrik": 0,
        "yuki": 1,
    }
    await post.deliver(timedelta(hours=1))
    assert (len(post.to("tomas")), len(post.to("ilse"))) == (1, 0)
    await post.deliver(timedelta(hours=3))
    assert (len(post.to("ilse")), len(post.to("henrik"))) == (1, 0)


async def test_nobody_chooses_never_where_the_house_insists(world: World, post: Post):
    """It is refused in words, and who had chosen it before is told all the same."""
    await choosing.choose(world.backend, ACTORS["henrik"], Choices(mail={"seat": "never"}))
    await choosing.insist(world.backend, ACTORS["dario"], Insisted(kinds=("seat",)))
    with pytest.raises(InvalidError) as refused:
        await choosing.choose(world.backend, ACTORS["yuki"], Choices(mail={"seat": "never"}))
    assert refused.value.fields == [("/mail/seat", "everybody is told of this here")]
    await world.waiting()
    await post.deliver()
    assert len(post.to("henrik")) == 1


async def test_a_server_that_refuses_or_is_away_loses_nothing(world: World, post: Post):
    """Refused for good is given up at once and said; for now, or away, is tried until it is taken."""
    post.mailbox.refusing |= {
        "ilse@corvale.example": "550 no such mailbox",
        "tomas@corvale.example": "450 busy",
    }
    mailer = world.backend.mailer
    await world.waiting()
    away = replace(world.backend, mailer=SmtpMailer(f"smtp://127.0.0.1:{free_port()}", "d@corvale.example"))
    world.backend = away
    await post.deliver()
    assert (await fates(world, "ilse"))[0] == ("seat", "tried")
    world.backend = replace(away, mailer=mailer)
    await post.deliver()
    assert (await fates(world, "ilse"))[0] == ("seat", "failed")
    page = await told.told(world.backend, ACTORS["ilse"], before=None, limit=1)
    assert page.told[0].fate_says == "The mail server refused the address: 550 no such mailbox."
    assert (await fates(world, "tomas"))[0] == ("seat", "tried")
    post.mailbox.refusing.clear()
    for _ in range(3):
        await post.deliver(timedelta(minutes=10))
    assert len(post.to("tomas")) == 1
    assert post.to("ilse") == []
    assert (await fates(world, "tomas"))[0] == ("seat", "sent")


async def test_two_workers_tell_once(world: World, post: Post):
    """Whoever comes second finds nothing left to do."""
    await world.waiting()
    await asyncio.gather(*(post.tell() for _ in range(4)))
    world.clock.now += timedelta(seconds=20)
    await asyncio.gather(*(mailing.mail_due(world.backend) for _ in range(4)))
    await asyncio.gather(*(mailing.mail_due(world.backend) for _ in range(4)))
    assert all(len(post.to(who)) == 1 for who in DESK | LEADS)


async def test_one_whose_mail_cannot_be_written_stops_no_other(world: World, post: Post, monkeypatch):
    """It is tried again, and says so."""
    written = mailing._written

    async def some(backend, mailer, mail) -> EmailMessage | None:
        if mail.person_id == "ilse":
            raise ZeroDivisionError
        return await written(backend, mailer, mail)

    monkeypatch.setattr(mailing, "_written", some)
    await world.waiting()
    await post.deliver()
    assert (await fates(world, "ilse"))[0] == ("seat", "tried")
    assert len(post.to("tomas")) == 1


async def test_a_worker_that_dies_between_a_decision_and_its_message_tells_once(
    world: World, post: Post, monkeypatch
):
    """Before anything was kept, and while the mail server had not taken the mail yet."""
    row = await world.waiting()
    await world.approve(row.number, "ilse")
    await world.approve(row.number, "henrik")
    await world.land(row.number)
    keep = messages.keep

    async def dies(session, rows) -> None:
        await keep(session, rows)
        raise SystemExit

    monkeypatch.setattr(messages, "keep", dies)
    for work in (entries.tell_of_entries, seats.tell_of_seats):
        with pytest.raises(SystemExit):
            await work(world.backend)
    assert await fates(world, "noor") == []
    monkeypatch.setattr(messages, "keep", keep)
    await choosing.choose(world.backend, ACTORS["noor"], Choices(mail={"landed": "at once"}))
    await post.tell()
    world.clock.now += timedelta(seconds=20)
    asked, send = asyncio.Event(), SmtpMailer.send

    async def hangs(*_) -> None:
        asked.set()
        await asyncio.Event().wait()

    monkeypatch.setattr(SmtpMailer, "send", hangs)
    sending = asyncio.create_task(mailing.mail_due(world.backend))
    await asked.wait()
    sending.cancel()
    monkeypatch.setattr(SmtpMailer, "send", send)
    await post.deliver()
    assert post.to("noor") == [], "another worker may still be at it"
    await post.deliver(timedelta(minutes=1))
    (mail,) = post.mailbox.to("noor@")
    assert "Taps portal 1.2.0 into Rehearsal landed." in mail.get_body(("plain",)).get_content()
    assert mail["Message-ID"].startswith("<mail-")


async def test_one_that_cannot_be_told_of_keeps_nobody_else_from_being_told(
    world: World, post: Post, monkeypatch
):
    """It is told later, once it can be; the log says why it was not."""
    first = await world.landed("bench", "1.1.0")
    waiting = await world.waiting()
    subject, remind = entries._subject, seats._remind

    async def of_entry(session, entry, row):
        if entry.promotion == first.number:
            raise ZeroDivisionError
        return await subject(session, entry, row)

    async def of_promotion(session, row, *more):
        if row.number == waiting.number:
            raise ZeroDivisionError
        return await remind(session, row, *more)

    for who in ("noor", "ilse"):
        await choosing.choose(world.backend, ACTORS[who], Choices(mail={"landed": "at once"}))
    monkeypatch.setattr(entries, "_subject", of_entry)
    monkeypatch.setattr(seats, "_remind", of_promotion)
    await post.deliver()
    kinds = [kind for kind, _ in await fates(world, "noor")]
    assert kinds.count("landed") == 1
    assert await fates(world, "ilse") == []
    monkeypatch.undo()
    await post.deliver(timedelta(minutes=2))
    await post.deliver()
    assert [kind for kind, _ in await fates(world, "noor")].count("landed") == 2
    assert (await fates(world, "ilse"))[0] == ("seat", "sent")


async def test_who_left_is_told_nothing(world: World, post: Post):
    """Not even what was under way to them."""
    await world.waiting()
    await post.tell()
    await leaving.remove_person(world.backend, ACTORS["dario"], "ilse")
    await post.deliver()
    assert post.to("ilse") == []


async def test_reminded_as_the_policy_says_and_the_seat_falls_to_nobody(world: World, post: Post):
    """Who is asked is reminded again and again; the group named hears of it once, and may take nothing."""
    rule = {**REVIEWERS, "remind": "PT4H", "escalate": {"after": "PT10H", "to": "security"}}
    await world.adopt("rehearsal", rule)
    row = await world.waiting()
    await post.deliver()
    for _ in range(4):
        await post.deliver(timedelta(hours=4))
    assert sum("still open" in subject for subject in post.to("ilse")) == 3
    (subject,) = [subject for subject in post.to("priya") if "still open" in subject]
    assert subject.startswith("A seat is still open: Taps portal 1.2.0 into Rehearsal, which could go")
    text = post.mailbox.to("priya@")[-1].get_body(("plain",)).get_content()
    assert "has been open for 12 h. Nobody has taken it." in text
    assert (await world.dossier(row.number, "priya")).mine.may_approve is False


async def test_a_freeze_that_begins_is_told_to_who_asked(world: World, post: Post):
    """Once, with its name and its end; not before it begins, and not to who merely decides."""
    window = {"name": "the billing run", "from": "2026-03-10T12:00:00", "until": "2026-03-11T12:00:00"}
    freeze = {"id": "f", "kind": "freeze", "title": "Closed", "zone": "Europe/Rome", "windows": [window]}
    await world.adopt("rehearsal", REVIEWERS, freeze)
    row = await world.waiting()
    await post.deliver()
    assert not any("Closed" in subject for subject in post.to("noor"))
    for _ in range(2):
        world.clock.now += timedelta(hours=3)
        await world.refresh(row.number)
        await post.deliver()
    (mail,) = [mail for mail in post.mailbox.to("noor@") if str(mail["Subject"]).startswith("Closed")]
    text = mail.get_body(("plain",)).get_content()
    assert "holds Taps portal 1.2.0 into Rehearsal until Wed 11 Mar 12:00, Rome." in text
    assert not any("Closed" in subject for subject in post.to("ilse"))


async def test_a_lapsed_approval_and_a_waiver_are_told(world: World, post: Post):
    """What changed since is said to whose approval it was; who may grant is asked."""
    await world.adopt("rehearsal", {**REVIEWERS, "waivable": "security", "lasts": "PT1H"})
    row = await world.waiting()
    await world.approve(row.number, "ilse")
    await post.deliver()
    world.clock.now += timedelta(hours=2)
    await world.refresh(row.number)
    await post.deliver()
    assert any("Your approval counts no longer: Taps portal 1.2.0" in one for one in post.to("ilse"))
    file = await world.dossier(row.number, "tomas")
    await waivers.ask_waiver(
        world.backend,
        ACTORS["tomas"],
        row.number,
        "reviewers",
        until=world.clock() + timedelta(days=1),
        reason="storm",
        shown=file.mine.shown,
    )
    await post.deliver()
    assert post.to("priya")[-1] == "You are asked for a waiver: Taps portal 1.2.0 into Rehearsal"
    await world.grant_waiver(row.number, "priya", "reviewers")
    await post.deliver()
    (over,) = await told_of(world, "priya", Kind.WAIVER)
    assert over.over == "It was granted, or nobody asks for it any more."


async def test_what_became_of_it_is_told_to_who_asked(world: World, post: Post):
    """Turned back, with the reason; headers cannot be written by what people write."""
    row = await world.waiting()
    file = await world.dossier(row.number, "ilse")
    reason = "no\r\nBcc: everybody@corvale.example <b>bold</b>"
    await decisions.turn_back(
        world.backend, ACTORS["ilse"], row.number, shown=file.mine.shown, comment=reason
    )
    await post.deliver()
    (mail,) = [mail for mail in post.mailbox.to("noor@") if "no further" in str(mail["Subject"])]
    assert mail["Bcc"] is None
    assert "<b>bold" not in mail.get_body(("html",)).get_content()
    assert "Bcc: everybody@corvale.example <b>bold</b>" in mail.get_body(("plain",)).get_content()


async def test_unsubscribed_with_one_click(world: World, post: Post):
    """The address that a mail names works without signing in, for that person and those kinds alone."""
    await world.waiting()
    await post.deliver()
    address = str(post.mailbox.to("ilse@")[0]["List-Unsubscribe"]).strip("<>")
    token = address.removeprefix(f"{ADDRESS}/api/unsubscribe/")
    await choosing.unsubscribe(world.backend, token)
    mine = await choosing.own(world.backend, ACTORS["ilse"])
    assert mine.choices.mail == {"seat": "never"}
    bad = base64.urlsafe_b64encode(base64.urlsafe_b64decode(token)[:-1] + b"\0").decode()
    for forged in (bad, "AAAAAAAAAAAAAAAAAAAAAAAAAAAA", token[:-8]):
        with pytest.raises(NotFoundError):
            await choosing.unsubscribe(world.backend, forged)


async def test_a_server_without_tls_gets_no_mail(monkeypatch):
    """Elsewhere than on this machine STARTTLS is demanded, not taken where it happens to be offered."""
    asked = []

    async def send(message, **options) -> None:
        asked.append((options["use_tls"], options["start_tls"]))

    monkeypatch.setattr(aiosmtplib, "send", send)
    for address in ("smtp://mail.corvale.example", "smtps://mail.corvale.example", "smtp://127.0.0.1:25"):
        await SmtpMailer(address, "d@corvale.example").send(EmailMessage())
    assert asked == [(False, True), (True, None), (False, None)]
    with pytest.raises(ValueError, match="smtp:// or smtps://"):
        SmtpMailer("mail.corvale.example", "d@corvale.example")
