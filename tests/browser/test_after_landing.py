"""After a landing: who says how it is, what goes wrong, and the way back, in the real interface."""

import re

import pytest
from playwright.sync_api import expect

pytestmark = pytest.mark.thorough


def test_what_has_landed_is_signed_off_from_the_desk(visit):
    """By whom the policy asks; who only reads sees who is late."""
    reader = visit("wanjiru")
    late = reader.locator("section[data-group=landed] a", has_text="Valve command")
    expect(late).to_contain_text("Test leads were to say how it is by")
    expect(late).not_to_contain_text("Say how it is")
    page = visit("henrik")
    mine = page.locator("section[data-group=landed-yours] a", has_text="Valve command")
    expect(mine).to_contain_text("overdue")
    mine.click()
    page.get_by_label("What you saw").fill("Both valves answer")
    page.get_by_role("button", name="It is well").click()
    expect(page.get_by_text(re.compile("Henrik Solberg confirmed it .+: Both valves answer"))).to_be_visible()
    expect(page.get_by_role("button", name="It is well")).to_have_count(0)
    expect(reader.locator("section[data-group=landed] a", has_text="Valve command")).to_have_count(0)


def test_an_incident_is_reported_worked_on_and_closed(visit):
    """From the promotion before it to the Desk, and off it once somebody says how it ended."""
    page = visit("joel")
    landed = {"service": "meter-intake", "environment": "bench", "state": "landed"}
    (last, *_) = page.request.get("/api/promotions", params=landed).json()["rows"]
    page.goto(page.url.replace("/desk", f"/promotion/{last['number']}"))
    page.get_by_text("Something goes wrong…").click()
    page.get_by_label("What goes wrong").fill("Counters jump back at midnight")
    page.get_by_role("button", name="Report an incident").click()
    expect(page.get_by_label("What goes wrong")).to_have_value("")
    desk = visit("adaeze")
    one = desk.locator("li[data-incident]", has_text="Counters jump back")
    expect(one).to_contain_text("nobody is at it yet")
    one.get_by_role("button", name="I am at it").click()
    expect(one).to_contain_text("Adaeze Nwosu is at it")
    one.get_by_text("Notes and what to do").click()
    expect(one.get_by_role("button", name="Close it")).to_be_disabled()
    one.get_by_role("textbox", name="Note").fill("The clock of the gateway was an hour off")
    one.get_by_role("button", name="Close it").click()
    expect(one).to_have_count(0)


def test_going_back_shows_what_comes_back_before_one_asks(visit):
    """From the incident to what ran before: what goes, what it was for, what scans would find again."""
    page = visit("tomas")
    one = page.locator("li[data-incident]", has_text="Frames of the meters")
    one.get_by_text("Notes and what to do").click()
    one.get_by_role("link", name="Go back to what ran before…").click()
    expect(page.get_by_text("Nothing else has landed there yet.")).to_be_visible()
    page.get_by_label("Into").select_option("Bench")
    landed = page.get_by_role("region", name="What has landed in Bench")
    expect(landed.locator("li").first).to_contain_text("runs now")
    landed.get_by_role("radio").first.check()
    expect(landed).to_contain_text(re.compile(r"\d+ commits? would not be there any more"))
    expect(landed).to_contain_text(re.compile("What they were for.*MET-"))
    page.get_by_label("Note").fill("Until the gateway is mended")
    page.get_by_role("button", name="Ask for it").click()
    page.wait_for_url("**/promotion/*")
    expect(page.get_by_role("heading", level=1)).to_contain_text("Meter intake 7.5.0")
    expect(page.get_by_text("Rollback.")).to_be_visible()
