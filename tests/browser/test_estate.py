"""The estate on screen: what changed before a graph moved, drift, the past, findings, a board on the wall."""

import re
from datetime import UTC, datetime, timedelta

import httpx
import pytest
from playwright.sync_api import expect

pytestmark = pytest.mark.thorough


def test_what_changed_before_a_graph_moved_is_found_and_rolled_back(visit):
    """Valves answer late in Rehearsal: a stretch of the chart says since which landing, and the way back."""
    page = visit("ilse", "/estate")
    page.locator("tr[data-service=valve-command] td[data-environment=rehearsal] a").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("Valve command, Rehearsal")
    chart = page.locator("[data-monitor='valve acknowledgement, s']")
    canvas = chart.locator("canvas")
    expect(canvas).to_be_visible()
    mark = page.get_by_role("group", name="What happened").get_by_role(
        "link", name=re.compile("2.6.0 landed")
    )
    expect(mark).to_be_visible()
    # The place it is drawn in: the canvas itself is another one whenever something happens.
    place, box = mark.bounding_box(), chart.locator("> div").bounding_box()
    assert place is not None
    assert box is not None
    at, height = place["x"] + place["width"] / 2, box["y"] + box["height"] / 3
    page.mouse.move(at - 12, height)
    page.mouse.down()
    page.mouse.move(at + 60, height, steps=6)
    page.mouse.up()
    first = page.locator("li[data-kind=landing]").first
    expect(first).to_contain_text("Valve command 2.6.0 landed")
    expect(page.get_by_text(re.compile("What changed in .+, or just before"))).to_be_visible()
    first.get_by_role("link", name="Roll back to what ran before…").click()
    landed = page.get_by_role("region", name="What has landed in Rehearsal")
    landed.get_by_role("radio").first.check()
    expect(landed).to_contain_text("Going back to 2.5.0")
    page.get_by_label("Note").fill("Valves answer late since it landed")
    page.get_by_role("button", name="Ask for it").click()
    page.wait_for_url(re.compile(r"/promotion/\d+"))
    expect(page.locator("main")).to_contain_text("rollback")


def test_a_stretch_is_asked_about_without_a_mouse(visit):
    """By its two instants; the link of it keeps it."""
    since = (datetime.now(UTC) - timedelta(hours=30)).strftime("%FT%TZ")
    until = (datetime.now(UTC) - timedelta(hours=20)).strftime("%FT%TZ")
    page = visit("wanjiru", f"/estate/history?at=rehearsal&service=valve-command&from={since}&until={until}")
    expect(page.locator("li[data-kind=landing]").first).to_contain_text("2.6.0 landed")
    page.get_by_role("textbox", name="Stretch from").press("ArrowUp")
    page.get_by_role("button", name="What changed?").click()
    expect(page).not_to_have_url(re.compile(re.escape(since)))
    expect(page.locator("li[data-kind=landing]").first).to_contain_text("2.6.0 landed")


def test_before_and_after_a_landing_are_beside_each_other(visit):
    """With the interval of the difference, in the row of the landing."""
    page = visit("wanjiru", "/estate/history?at=rehearsal&service=valve-command")
    row = page.locator("details[data-promotion]", has_text="2.6.0").first
    row.locator("summary").click()
    beside = row.get_by_role("list", name="Before and after")
    expect(beside).to_contain_text(re.compile("valve acknowledgement, s.*higher by between"))


def test_drift_appears_and_is_explained(visit, live):
    """Somebody changes what runs past everybody: on the matrix, on the record, and gone once put back."""
    page = visit("wanjiru", "/estate?at=rehearsal")
    cell = page.locator("tr[data-service=taps-portal] td[data-environment=rehearsal]")
    expect(cell).not_to_contain_text("drift")
    place = {"environment": "rehearsal", "service": "taps-portal"}
    httpx.post(f"{live.running.fleet}/by-hand", params=place, timeout=60)
    expect(cell).to_contain_text(re.compile(r"drift: runs \S+-by-hand instead of \S+"), timeout=60_000)
    ledger = visit("wanjiru", "/ledger?action=drift")
    expect(ledger.locator("main")).to_contain_text(
        "Something else runs than landed, Taps portal in Rehearsal"
    )
    httpx.post(f"{live.running.fleet}/by-hand", params=place, timeout=60)
    expect(cell).not_to_contain_text("drift", timeout=60_000)


def test_the_estate_of_another_day_is_read(visit):
    """By one step or a date; with what changed since; and before the first landing it says so."""
    page = visit("wanjiru", "/estate")
    page.get_by_role("link", name="a day ago").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("what ran where")
    then = page.locator("tr[data-service=taps-portal] td[data-environment=rehearsal]")
    expect(then).not_to_contain_text("12.2.0")
    since = page.get_by_label("What changed since")
    since.fill((datetime.now(UTC) - timedelta(days=3)).strftime("%a %-d %b %H:%M"))
    since.press("Tab")
    expect(page.get_by_role("region", name=re.compile("^From .+ until"))).to_contain_text(
        re.compile(r"landed; something else runs in \w+ places?")
    )
    page.goto(page.url.partition("?")[0] + "?as_of=2020-01-01T00:00Z")
    expect(page.get_by_role("status").filter(has_text="The first landing on record")).to_be_visible()


def test_a_component_is_found_wherever_it_runs_and_a_finding_accepted(visit):
    """From the palette to the places; a finding leaves the list until its date, or until that is ended."""
    page = visit("ilse")
    page.keyboard.press("Control+k")
    page.get_by_role("combobox", name="What to find").fill("frames < 99")
    page.get_by_role("option", name="is “frames < 99”?").click()
    expect(page.get_by_text("frames < 99 is a component.")).to_be_visible()
    expect(page.get_by_role("region", name="Meter intake")).to_contain_text("runs in")
    page.get_by_role("link", name="Findings", exact=True).click()
    row = page.locator("li[data-severity=medium], li[data-severity=low]").first
    name = row.locator("b").first.inner_text()
    file = row.locator(".mono").inner_text()
    row.get_by_role("button", name="Accept…").click()
    row.get_by_label("Reason").fill("The log stays in the house")
    row.get_by_role("button", name="Accept", exact=True).click()
    same = page.locator("li[data-finding]", has_text=name).filter(has_text=file)
    expect(same).to_have_count(0)
    page.get_by_label("Hide what is accepted").uncheck()
    expect(same.first).to_contain_text(
        re.compile("Accepted until .+ by Ilse Brandt: The log stays in the house")
    )
    same.first.get_by_role("button", name="Accept no longer").click()
    expect(same.first.get_by_role("button", name="Accept…")).to_be_visible()


def test_a_board_hangs_on_a_wall(visit):
    """Made of services and charts; its address shows it to whoever has it, with nothing to press."""
    page = visit("adaeze", "/estate/boards")
    page.get_by_role("button", name="Make a board").click()
    page.get_by_label("Title").fill("The weir")
    page.get_by_label("Valve command").check()
    page.get_by_role("button", name="Add a chart").click()
    page.get_by_label("Monitor").select_option("valve acknowledgement, s")
    page.get_by_label("Environment").select_option("Rehearsal")
    page.get_by_role("button", name="Save").click()
    line = page.locator("ul.lines li", has_text="The weir")
    expect(line).to_contain_text("1 service, 1 chart")
    line.get_by_role("button", name="Put it on a wall…").click()
    address = page.locator("a[href*=wall]").get_attribute("href")
    assert address is not None
    wall = visit(None, address, width=1920)
    expect(wall.get_by_role("heading", name="The weir")).to_be_visible()
    expect(wall.locator("tr[data-service=valve-command]")).to_contain_text("2.6.0")
    expect(wall.locator("[data-monitor='valve acknowledgement, s'] canvas")).to_be_visible()
    assert wall.locator("button, nav").count() == 0
    line.get_by_role("button", name="Take it off its wall").click()
    expect(line).not_to_contain_text("on a wall until")
    after = visit(None, address)
    expect(after.get_by_role("alert")).to_contain_text("This wall shows nothing any more")


def test_a_scope_says_how_far_it_is_and_what_came_in_late(visit):
    """Made by one, agreed on by another; not declared complete without a word while something is missing."""
    page = visit("noor", "/estate/scopes")
    page.get_by_role("link", name="Before the winter").click()
    how_far = re.compile(r"\w+ of \w+ tickets (is|are) everywhere")
    expect(page.get_by_role("status").filter(has_text=how_far)).to_be_visible()
    expect(page.get_by_role("complementary")).to_contain_text(re.compile("Noor Haddad.*came in", re.DOTALL))
    page.get_by_role("link", name="Scopes", exact=True).click()
    page.get_by_role("button", name="Make a scope").click()
    page.get_by_label("Title").fill("Quick mends")
    page.get_by_role("textbox", name=re.compile("^Tickets")).fill("taps-1, NONE-9")
    page.get_by_role("button", name="Save").click()
    page.wait_for_url(re.compile(r"/scopes/\d+"))
    expect(page.locator("li[data-ticket='NONE-9']")).to_have_attribute("data-state", "nowhere")
    page.get_by_role("button", name="Edit").click()
    page.get_by_label("Title").fill("Quick mends, both")
    decider = visit("ilse", page.url.partition(page.url.split("/estate")[0])[2])
    decider.get_by_role("button", name="Agree on it").click()
    for one in (decider, page):
        expect(one.get_by_text(re.compile("Ilse Brandt agreed on it"))).to_be_visible()
    # What changes meanwhile does not take the place of what is typed.
    expect(page.get_by_label("Title")).to_have_value("Quick mends, both")
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("Quick mends, both")
    decider.get_by_role("button", name="Declare it complete").click()
    refused = decider.get_by_role("alert").filter(has_text="say why it is complete all the same")
    expect(refused).to_be_visible()
    decider.get_by_label("What is to be said to it").fill("Both were withdrawn")
    decider.get_by_role("button", name="Declare it complete").click()
    expect(decider.get_by_text(re.compile("declared it complete .*: Both were withdrawn"))).to_be_visible()
    expect(decider.get_by_role("button", name="Edit")).to_have_count(0)


def test_every_view_fits_on_a_phone(visit):
    """Nothing is wider than that but what scrolls by itself, whatever of it is opened."""
    page = visit("ilse", "/desk", width=390)
    file = page.locator("a.row").first.get_attribute("href") or ""
    estate = (
        "",
        "/history?at=live-south&service=meter-intake",
        "/findings",
        "/incidents",
        "/boards",
        "/scopes/1",
    )
    others = (
        "/estate/where?what=12.2.0",
        "/set-up/first-steps",
        "/set-up/house",
        "/set-up/told",
        "/set-up/tokens",
    )
    views = (
        "/desk",
        file,
        "/ledger",
        "/calendar",
        "/policies",
        *(f"/estate{one}" for one in estate),
        *others,
    )
    for view in views:
        page.goto(view)
        page.locator("h1").wait_for()
        page.wait_for_load_state("networkidle")
        opened = page.locator("main details")
        opened.evaluate_all("all => all.forEach((one) => { one.open = true; })")
        page.wait_for_load_state("networkidle")
        # Patches open within what was opened.
        opened.evaluate_all("all => all.forEach((one) => { one.open = true; })")
        assert page.evaluate("document.documentElement.scrollWidth") <= 390, view
