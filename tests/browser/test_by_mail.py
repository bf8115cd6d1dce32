"""Asked by mail, and answered from there: the link, used once, without a password."""

import re
import time
from collections.abc import Collection

import httpx
import pytest
from playwright.sync_api import expect
from tests.browser.axe import violations
from tests.browser.test_going_in_on_screen import post
from tests.conftest import Live

pytestmark = pytest.mark.thorough

PATIENCE = 120
"""What is due waits a quarter of a minute for what comes with it; the rest is a busy machine."""


def mailbox_of(live: Live) -> httpx.Client:
    return httpx.Client(base_url=live.running.mailbox, timeout=PATIENCE)


def mails(mailbox: httpx.Client, who: str) -> list[str]:
    """Where whatever has come for somebody is read, in the mailbox's order."""
    return re.findall(r"/mails/\d+", mailbox.get("/", params={"to": who}).text)


def mailed(live: Live, who: str, says: str, into: str, known: Collection[str] = ()) -> str:
    """The first link of a kind after some words in somebody's mail, once one has come that is not known."""
    ends = time.monotonic() + PATIENCE
    with mailbox_of(live) as mailbox:
        came = mailbox.get("/came").json()
        while time.monotonic() < ends:
            for mail in [one for one in mails(mailbox, who) if one not in known]:
                page = mailbox.get(mail).text
                asked = page.find(says)
                found = re.search(rf'href="([^"]+{into}[\w-]+)"', page[max(asked, 0) :])
                if asked >= 0 and found:
                    return found[1]
            came = mailbox.get("/came", params={"after": came}).json()
    pytest.fail(f"no mail to {who} that says {says} holds such a link")


def test_a_seat_is_taken_by_the_link_of_a_mail_and_once(visit, live: Live):
    """As the person it was sent to, in a browser in which nobody has signed in; a second use says so."""
    noor = visit("noor")
    # Another test may have asked for the same, and taken it back.
    with mailbox_of(live) as mailbox:
        known = mails(mailbox, "henrik@")
    asked = post(noor, "/api/promotions", {"service": "taps-portal", "version": "12.3.0", "to": "rehearsal"})
    says = "Taps portal 12.3.0 into Rehearsal waits for your seat"
    link = mailed(live, "henrik@", says, "/answer#", known)
    henrik = visit(None, "/sign-in")
    henrik.goto(link)
    expect(henrik.get_by_text("Dogana asks Henrik Solberg")).to_be_visible()
    expect(henrik.get_by_role("heading", level=1)).to_have_text("Taps portal 12.3.0 into Rehearsal")
    expect(henrik.get_by_text("After yours one seat remains open")).to_be_visible()
    expect(henrik.get_by_role("button", name="Turn back")).to_be_disabled()
    assert violations(henrik) == []
    henrik.get_by_role("button", name="Approve").click()
    expect(henrik.get_by_text("You approved Taps portal 12.3.0 into Rehearsal.")).to_be_visible()

    again = visit(None, "/sign-in", mode="dark", width=390)
    again.goto(link)
    expect(again.get_by_role("status")).to_contain_text(re.compile("each is good once"))
    expect(again.get_by_role("button", name="Approve")).to_have_count(0)
    assert violations(again) == []
    again.get_by_role("link", name="Open the whole dossier").click()
    again.wait_for_url("**/sign-in*")

    page = visit("henrik", f"/promotion/{asked['number']}")
    expect(page.locator("section.course")).to_contain_text(
        "Henrik Solberg approved Taps portal 12.3.0 into Rehearsal"
    )
    post(noor, f"/api/promotions/{asked['number']}/withdraw", {"comment": "Enough seen."})


def test_what_one_was_told_and_when_one_is_mailed(visit):
    """Each with what became of it; a choice is kept, and what was typed wrong is said beside it."""
    page = visit("tomas", "/set-up/told")
    # Of those that other tests asked for, one may be over before it is mailed.
    told = re.compile(
        r"A seat is yours to take.* waits for your seat.*Mailed \w+ \d+ \w+ \d\d:\d\d", re.DOTALL
    )
    expect(page.get_by_role("listitem").filter(has_text=told).first).to_be_visible(timeout=PATIENCE * 1000)
    page.get_by_role("link", name="Mail to you").click()
    page.get_by_label("Quiet from").fill("25:00")
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_label("Quiet from")).to_have_attribute("aria-invalid", "true")
    page.get_by_label("Quiet from").fill("20:00")
    page.get_by_label("until").fill("07:00")
    page.get_by_label("It landed").select_option("Never")
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_role("status").filter(has_text="Saved.")).to_be_visible()
    page.reload()
    expect(page.get_by_label("It landed")).to_have_value("never")
    expect(page.get_by_label("Quiet from")).to_have_value("20:00")
    kept = page.request.get("/api/messages/choices").json()["choices"]
    assert kept["quiet"] == [
        {"days": ["MO", "TU", "WE", "TH", "FR", "SA", "SU"], "from": "20:00", "until": "07:00"}
    ]
    assert page.evaluate("document.documentElement.scrollWidth") <= 1280


def test_an_administrator_has_everybody_told_and_says_what_holds_for_a_group(visit):
    """Nobody may choose never then; who has not chosen goes by the group."""
    dario = visit("dario", "/set-up/mail")
    dario.get_by_label("Members of a group").select_option("security")
    landed = dario.get_by_label("For the group: It landed")
    landed.select_option("At once")
    priya = visit("priya", "/set-up/mail")
    expect(priya.get_by_label("It landed")).to_contain_text("As is usual here: at once")
    landed.select_option("As is usual")
    expect(landed).to_have_value("")
    dario.get_by_label("Everybody, always: An incident where you decide or yours runs").check()
    page = visit("yuki", "/set-up/mail", width=390)
    expect(page.get_by_text("Everybody is told of this here.")).to_be_visible()
    never = page.get_by_label("An incident where you decide or yours runs").locator("option[value=never]")
    expect(never).to_be_disabled()
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    dario.get_by_label("Everybody, always: An incident where you decide or yours runs").uncheck()
