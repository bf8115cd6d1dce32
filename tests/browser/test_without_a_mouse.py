"""The day's tasks from the keyboard alone: everything is reached by Tab and done by a key."""

import re
from datetime import UTC, datetime, timedelta

import pytest
from playwright.sync_api import Locator, Page, expect

pytestmark = pytest.mark.thorough

_FARTHEST = 250


def reach(page: Page, what: Locator, key: str = "Tab") -> None:
    """Go on with Tab until something has the focus."""
    what.wait_for()
    for _ in range(_FARTHEST):
        page.keyboard.press(key)
        if what.evaluate("one => one === document.activeElement"):
            return
    raise AssertionError(f"Tab does not lead to {what}")


def choose(page: Page, what: Locator) -> None:
    reach(page, what)
    page.keyboard.press("Enter")


def pick(page: Page, words: str, option: str) -> None:
    """Find something in the palette and go there."""
    page.keyboard.press("Control+k")
    page.get_by_role("combobox", name="What to find").wait_for()
    page.keyboard.type(words)
    expect(page.get_by_role("option").first).to_contain_text(option)
    page.keyboard.press("Enter")


def test_why_one_is_barred_and_who_adopted_the_rule_that_bars_it(visit):
    """From its name to the sentence, the fact, the rule, and who put it in force with what reason."""
    page = visit("wanjiru")
    page.locator("a.row").first.wait_for()
    pick(page, "meter intake 7.5.0", "Meter intake 7.5.0 into Pilot valley")
    expect(page.locator(".head .stamp").first).to_have_text("barred")
    sentence = page.locator(".sentence").text_content() or ""
    assert re.fullmatch(r"MET-\d+ is in review; should be done\.", sentence)
    tickets = page.locator("li[data-rule=tickets]")
    expect(tickets).to_contain_text("should be done")
    since = tickets.get_by_role("link", name=re.compile("since version 1, adopted by Chiara Fontana"))
    choose(page, since)
    page.wait_for_url("**/policies?of=pilot-valley&rule=tickets")
    # One gets to the tabs as a whole, and from one to the next by the arrows.
    reach(page, page.get_by_role("tab", name="Changes", exact=True))
    page.keyboard.press("ArrowRight")
    expect(page.get_by_text("drafted by Marco Bellandi").first).to_be_visible()
    choose(page, page.get_by_role("link", name="Adoptions in the ledger"))
    entry = page.locator("li.entry").last
    expect(entry).to_contain_text("Chiara Fontana adopted version 1 of the policy of Pilot valley")


def test_why_one_is_held_on_whom_it_waits_and_when_it_can_go(visit):
    """The sentence says it whole; each finding says what would settle it, and who could."""
    page = visit("wanjiru")
    page.locator("a.row").first.wait_for()
    pick(page, "leak watch 4.3.0", "Leak watch 4.3.0 into Live north")
    expect(page.locator(".sentence")).to_have_text(
        re.compile(r"Waits for .+ seats? \(.+\)\. Held by .+ until \w{3} \d+ \w{3} \d\d:\d\d, Rome\.")
    )
    expect(page.get_by_role("img", name=re.compile("First start"))).to_be_visible()
    seats = page.locator("li[data-rule=reviewers]")
    expect(seats).to_contain_text("People settle it")
    expect(seats).to_contain_text(re.compile("open to Ilse Brandt"))
    closed = page.locator("li[data-rule=storm-watch]")
    expect(closed).to_contain_text("Time settles it")
    expect(closed).to_contain_text(re.compile("Closed by storm watch until"))


def test_what_waits_for_me_opens_with_one_word_and_when_it_can_go_is_said(visit):
    page = visit("adaeze")
    page.locator("section[data-group=you] a.row").first.wait_for()
    pick(page, "next waits for me", "Open the next that waits for me")
    page.wait_for_url("**/promotion/*")
    expect(page.locator(".sentence")).to_be_visible()
    expect(page.locator(".effect, .why-not").first).to_be_visible()
    page.keyboard.press("u")
    page.wait_for_url("**/desk")


def test_a_freeze_over_tonight_is_written_and_says_what_it_delays(visit):
    """One that is there is moved as well; Escape leaves everything as it is."""
    page = visit("marco", "/desk")
    page.locator("a.row").first.wait_for()
    pick(page, "close pilot valley", "Close Pilot valley tonight")
    form = page.get_by_role("form", name="A freeze drawn by hand")
    expect(form.get_by_role("heading")).to_have_text("Close Pilot valley")
    expect(form).to_contain_text(re.compile("It touches|It delays nothing"))
    reach(page, form.get_by_label("Name"))
    page.keyboard.press("Control+a")
    page.keyboard.type("the depot moves")
    choose(page, form.get_by_role("button", name="Cancel"))
    expect(form).to_have_count(0)
    page.goto(f"{page.url.split('?')[0]}?days=28&from={_before_the_billing_run()}")
    choose(page, page.get_by_role("button", name=re.compile("Move the billing run")).first)
    expect(form.get_by_role("heading")).to_have_text("Move a freeze of Live north")
    expect(form.get_by_label("Name")).to_be_focused()
    reach(page, form.get_by_label("only this one"))
    page.keyboard.press("ArrowDown")
    expect(form.get_by_label("the time and length of every one")).to_be_checked()
    expect(form).to_contain_text(re.compile("It touches|It delays nothing"))
    page.keyboard.press("Escape")
    expect(form).to_have_count(0)


def _before_the_billing_run() -> str:
    """A day of the next month before its last working days, whatever today is."""
    return f"{(datetime.now(UTC).replace(day=1) + timedelta(days=32)).replace(day=15):%Y-%m-%d}"


def test_a_rule_is_tightened_rehearsed_and_adopted(visit):
    """In its cell, by one person; in force by another."""
    marco = visit("marco", "/policies")
    choose(marco, marco.get_by_role("row", name="Notice").get_by_role("link", name="2 h ahead").nth(1))
    form = marco.get_by_role("form", name="Notice in Live south")
    expect(form.get_by_label("Title")).to_be_focused()
    reach(marco, form.get_by_label("At least", exact=True))
    marco.keyboard.press("Control+a")
    marco.keyboard.type("3 h")
    expect(marco.get_by_label("What it changes")).to_contain_text("3 h instead of 2 h")
    choose(marco, marco.get_by_role("button", name="Rehearse"))
    expect(marco.get_by_label("Rehearsal", exact=True)).to_contain_text(re.compile("It would have"))
    reach(marco, marco.get_by_role("button", name="Save as a draft"), "Shift+Tab")
    marco.keyboard.press("Enter")
    expect(marco.get_by_text(re.compile(r"Version \d+ is drafted"))).to_be_visible()

    chiara = visit("chiara", "/policies")
    waits = chiara.locator("a[href$='of=live-south']").and_(
        chiara.get_by_role("link", name=re.compile(r"version \d+ waits to be adopted"))
    )
    choose(chiara, waits)
    act = chiara.get_by_label("Adopt", exact=True)
    reach(chiara, act.get_by_label("Reason"))
    chiara.keyboard.type("Three hours of notice.")
    choose(chiara, act.get_by_role("button", name=re.compile(r"Adopt version \d+")))
    expect(chiara.get_by_text(re.compile(r"Version \d+ is in force"))).to_be_visible()


def test_themes_and_keys_are_a_word_away(visit):
    page = visit("ilse")
    page.locator("a.row").first.wait_for()
    pick(page, "by night", "By night")
    expect(page.locator("html")).to_have_attribute("data-mode", "dark")
    pick(page, "show the keys", "Show the keys")
    expect(page.get_by_role("dialog")).to_contain_text("the time probe")
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog")).to_have_count(0)
