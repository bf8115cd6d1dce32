"""Asked in a room, and answered from there; an outside check that is asked again."""

import os
import re
import sys
from subprocess import Popen

import pytest
from playwright.sync_api import Page, expect
from tests.browser.axe import violations
from tests.browser.test_going_in_on_screen import post
from tests.conftest import Live

pytestmark = pytest.mark.thorough

PATIENCE = 60_000


def say(chat: Page, who: str, text: str) -> None:
    chat.get_by_label("Who says it").first.select_option(who)
    chat.get_by_label("What they say").first.fill(text)
    chat.get_by_role("button", name="Say it").first.click()


def hears(chat: Page, text: str) -> None:
    """What stands in the room by and by; the page does not follow by itself."""
    for _ in range(60):
        if chat.get_by_text(text).count():
            return
        chat.wait_for_timeout(500)
        chat.reload()
    pytest.fail(f"nobody said {text}")


def test_an_outsider_is_refused_in_a_room_and_who_may_lets_it_go(visit, live: Live):
    """Once they have shown who they are, by a code; and the pipeline that waits hears of it."""
    noor = visit("noor")
    asked = post(noor, "/api/promotions", {"service": "taps-portal", "version": "12.3.0", "to": "rehearsal"})
    number = asked["number"]
    environment = {"DOGANA_URL": live.running.url, "DOGANA_TOKEN": live.running.requester_token}
    command = [sys.executable, "-m", "dogana", "wait", str(number), "--timeout=200", "--every=0.5"]
    chat = visit(None, live.running.chat)
    with Popen(command, env={**os.environ, **environment}) as waiting:
        hears(chat, f"Promotion {number}, asked by Noor Haddad.")
        say(chat, "somebody-else", f"approve {number}")
        hears(chat, "Nobody here is @somebody-else")
        for who, name in (("ilse", "Ilse Brandt"), ("henrik", "Henrik Solberg")):
            page = visit(who, "/set-up/chat", mode="dark" if who == "henrik" else "light", width=390)
            page.get_by_role("button", name="Get a code").click()
            code = page.get_by_text(re.compile("^link ")).inner_text()
            assert violations(page) == []
            assert page.evaluate("document.documentElement.scrollWidth") <= 390
            say(chat, who, code)
            hears(chat, f"You are {name} here from now on.")
            expect(page.get_by_text(f"@{who}:chat.corvale.example")).to_be_visible(timeout=PATIENCE)
            say(chat, who, f"approve {number} because it was tried")
            hears(chat, f"{name} approved promotion {number}.")
        assert waiting.wait(60) == 0
    page = visit("ilse", f"/promotion/{number}")
    expect(page.locator("section.course")).to_contain_text("Henrik Solberg approved Taps portal 12.3.0")
    post(noor, f"/api/promotions/{number}/withdraw", {"comment": "Enough seen."})


def test_an_outside_check_is_asked_again_and_answers(visit, live: Live):
    """Whatever it said before; the screen follows."""
    page = visit("ilse")
    rows = page.request.get("/api/desk").json()["rows"]
    into_live = next(row["number"] for row in rows if row["target"]["id"] == "live-north")
    page.goto(f"/promotion/{into_live}")
    finding = page.locator("[data-rule=capacity]")
    finding.get_by_role("button", name="Ask again").click()
    expect(finding).to_contain_text("Capacity check lets it pass: room for two of it", timeout=PATIENCE)
    expect(page.locator("section.course")).to_contain_text("Ilse Brandt asked Capacity check about")
    auditor = visit("wanjiru", f"/promotion/{into_live}")
    expect(auditor.locator("[data-rule=capacity]")).to_be_visible()
    expect(auditor.get_by_role("button", name="Ask again")).to_have_count(0)


def test_whoever_has_the_address_reads_how_it_stands(visit, live: Live):
    """Without an account, until it is ended."""
    page = visit("ilse")
    number = next(
        row["number"]
        for row in page.request.get("/api/desk").json()["rows"]
        if row["target"]["id"] == "live-north"
    )
    page.goto(f"/promotion/{number}")
    page.get_by_text("Share how it stands").click()
    page.get_by_role("button", name="Make an address").click()
    address = page.get_by_text(re.compile("/status#")).inner_text()
    assert violations(page) == []
    for mode, width in (("light", 1280), ("dark", 390)):
        reader = visit(None, "/sign-in", mode=mode, width=width)
        reader.goto(address)
        expect(reader.get_by_role("heading", level=1)).to_contain_text("into Live north")
        expect(reader.get_by_role("status")).not_to_be_empty()
        assert "Farida" not in reader.content()
        assert violations(reader) == []
        assert reader.evaluate("document.documentElement.scrollWidth") <= width
    page.get_by_role("button", name="End the one address there is").click()
    expect(page.get_by_role("button", name="End the one address there is")).to_have_count(0)
    reader.reload()
    expect(reader.get_by_role("alert")).to_contain_text("good no longer")
