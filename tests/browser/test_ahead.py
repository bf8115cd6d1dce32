"""Looking ahead: the probe, the calendar, the policies, in the real interface."""

import re
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from playwright.sync_api import Page, expect

pytestmark = pytest.mark.thorough

ROME = ZoneInfo("Europe/Rome")


def rewrite(page: Page, before: str, after: str) -> None:
    """Type a policy's source anew with something changed."""
    page.locator(".cm-content").wait_for()
    environment = re.search(r"of=([\w-]+)", page.url)
    assert environment
    columns = page.request.get("/api/policy-board").json()["columns"]
    source = next(one["source"] for one in columns if one["environment"]["id"] == environment[1])
    assert before in source
    page.locator(".cm-content").click()
    page.keyboard.press("Control+a")
    page.keyboard.insert_text(source.replace(before, after))


def test_thursday_at_nine_is_probed_without_the_mouse(visit):
    """Every row says its verdict then; Escape goes back to now."""
    page = visit("ilse")
    page.locator("a.row").first.wait_for()
    page.keyboard.press("t")
    for _ in range(3):
        page.keyboard.press("ArrowRight")
    expect(page.get_by_role("slider", name="Time probe")).not_to_have_attribute("aria-valuetext", "now")
    page.get_by_label("Probe", exact=True).fill(_thursday() + " 09:00")
    expect(page.get_by_text(re.compile("As things stand, Thu .* 09:00, Rome"))).to_be_visible()
    expect(page.locator("a.row .then").first).to_contain_text("At the probe:")
    expect(page).to_have_url(re.compile("probe="))
    page.locator("h1").click()
    page.keyboard.press("Escape")
    expect(page.locator("a.row .then")).to_have_count(0)


def _thursday() -> str:
    """The next Thursday after today, as it is written."""
    today = datetime.now(ROME)
    return f"{today + timedelta(days=(3 - today.weekday()) % 7 or 7):%a %-d %b}"


def test_several_are_marked_for_one_seat_and_anything_is_found_by_its_name(visit):
    """From the keyboard; nothing is decided by marking."""
    page = visit("ilse")
    page.locator("section[data-group=you] a.row").first.wait_for()
    page.keyboard.press("j")
    page.keyboard.press("x")
    together = page.get_by_role("form", name="Approve together")
    expect(together).to_contain_text("each for the seat of release desk")
    expect(together.get_by_role("button", name="Approve 1")).to_be_enabled()
    page.keyboard.press("x")
    expect(together).to_have_count(0)

    page.keyboard.press("Control+k")
    page.get_by_role("combobox", name="What to find").fill("closed for storms live south")
    expect(page.get_by_role("option").first).to_contain_text("Closed for storms, Live south")
    page.keyboard.press("Enter")
    expect(page).to_have_url(re.compile(r"/policies\?of=live-south&rule=storm-watch"))
    expect(page.locator(".cm-content")).to_contain_text("storm-watch")


def test_one_is_put_off_and_approved_beside_the_desk_without_the_mouse(visit):
    """The file opens beside the rows; others see who is looking; approvals stand when it is put off."""
    page = visit("ilse")
    page.locator("section[data-group=you] a.row").first.wait_for()
    page.keyboard.press("j")
    page.keyboard.press("Enter")
    beside = page.get_by_role("complementary", name="Beside the Desk")
    expect(beside.get_by_role("button", name="Approve a")).to_be_enabled()
    number = page.locator("a.row[aria-current]").get_attribute("data-number")
    other = visit("adaeze")
    # Whoever else was on the file within the last minute is named beside her.
    seen = re.compile(r"Ilse Brandt (and .+ are|is) looking")
    expect(other.locator(f"a.row[data-number='{number}']")).to_contain_text(seen)

    page.keyboard.press("a")
    expect(beside).to_contain_text("You have taken the seat of release desk.")
    beside.get_by_role("button", name="Put it off until").click()
    form = beside.get_by_role("form", name="Put off")
    form.get_by_label("Reason").fill("The depot is not staffed before.")
    form.get_by_role("button", name="Put it off").click()
    expect(beside).to_contain_text("Ilse Brandt put it off until")
    expect(beside.locator("[data-rule=set-start]")).to_contain_text("It was put off until")
    beside.get_by_role("button", name="Let it go as soon as it can").click()
    expect(beside.locator("[data-rule=set-start]")).to_have_count(0)
    beside.get_by_role("button", name="Take my approval back").click()
    expect(beside.get_by_role("button", name="Approve a")).to_be_enabled()
    page.keyboard.press("Escape")
    expect(beside).to_have_count(0)
    expect(page).not_to_have_url(re.compile("open="))


def test_a_filter_is_saved_under_a_name_and_found_again(visit):
    page = visit("ilse", "/desk?at=rehearsal")
    filters = page.get_by_role("navigation", name="Saved filters")
    filters.get_by_role("button", name="Save this filter").click()
    filters.get_by_label("Name of the filter").fill("Rehearsal")
    page.keyboard.press("Enter")
    expect(filters.get_by_role("link", name="Rehearsal")).to_have_attribute("aria-current", "true")
    filters.get_by_role("link", name="Everything").click()
    expect(page).to_have_url(re.compile("/desk$"))
    again = visit("ilse").get_by_role("navigation", name="Saved filters")
    again.get_by_role("link", name="Rehearsal").click()
    again.get_by_role("button", name="Forget").click()
    expect(again.get_by_role("link", name="Rehearsal")).to_have_count(0)


def test_a_freeze_is_drawn_over_tonight_and_says_what_it_delays(visit):
    """By hand over the lane, and by name; kept only as a draft."""
    page = visit("marco", "/calendar")
    lane = page.locator("[data-lane=pilot-valley]")
    lane.wait_for()
    comes = page.get_by_role("region", name="What comes")
    expect(comes).to_contain_text(re.compile("could start into "))
    expect(comes).to_contain_text(re.compile("Storm watch closes Live north and Live south until"))
    page.get_by_role("button", name="Close it tonight").nth(2).click()
    form = page.get_by_role("form", name="A freeze drawn by hand")
    expect(form).to_contain_text(re.compile("It touches|It delays nothing"))
    page.get_by_role("button", name="Cancel").click()
    box = lane.bounding_box()
    assert box
    middle = box["y"] + box["height"] / 2
    page.mouse.move(box["x"] + box["width"] * 0.16, middle)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * 0.25, middle, steps=4)
    expect(form.get_by_label("Name")).to_have_value("closed by hand")
    page.mouse.move(box["x"] + box["width"] * 0.33, middle, steps=4)
    page.mouse.up()
    touches = re.compile(r"It touches \w+ of \w+ pending promotions")
    # What is pending there by now depends on what was decided in the instance before.
    expect(form).to_contain_text(re.compile(f"{touches.pattern}|It delays nothing that is pending"))
    if touches.search(form.inner_text()):
        expect(form.locator("li").first).to_contain_text(re.compile("instead of|→"))
    page.keyboard.press("Escape")
    expect(form).to_have_count(0)


def test_a_rule_is_tightened_rehearsed_and_adopted_by_a_second_person(visit):
    """What flips is shown first; whoever wrote it may not adopt it; the ledger names both."""
    marco = visit("marco", "/policies?of=pilot-valley&rule=soak")
    rewrite(marco, "PT20H", "forty hours")
    expect(marco.get_by_role("alert").filter(has_text="not a span of time")).to_be_visible()
    expect(marco.locator(".cm-lintRange-error")).to_have_text("forty hours")
    rewrite(marco, "PT20H", "P10D")
    changes = marco.get_by_label("What it changes")
    expect(changes).to_contain_text("asks for 10 days instead of 20 h")
    pending = marco.get_by_label("What is pending")
    expect(pending).to_contain_text("would be decided otherwise, or start at another time")
    # It asks for more, so that what was approved stands.
    expect(pending).not_to_contain_text("would lapse")
    marco.get_by_role("button", name="Rehearse").click()
    rehearsal = marco.get_by_label("Rehearsal", exact=True)
    expect(rehearsal).to_contain_text(re.compile(r"It would have stopped \d+"))
    expect(marco.get_by_label("How long it would have delayed them")).to_contain_text("over 3 days")
    marco.get_by_role("button", name="Save as a draft").click()
    expect(marco.get_by_text("Version 2 is drafted.")).to_be_visible()
    expect(marco.get_by_text("You wrote it; somebody else has to adopt it.")).to_be_visible()

    chiara = visit("chiara", "/policies")
    drafts = chiara.get_by_role("link", name="version 2 waits to be adopted")
    chiara.locator("a[href$='of=pilot-valley']").and_(drafts).click()
    act = chiara.get_by_label("Adopt", exact=True)
    act.get_by_label("Reason").fill("Ten days of soak.")
    later = f"{datetime.now(ROME) + timedelta(days=10):%-d %b %Y %H:%M}"
    act.get_by_label("In force from").fill(later)
    act.get_by_role("button", name="Adopt version 2").click()
    expect(chiara.get_by_text("in force from the time you chose")).to_be_visible()
    chiara.get_by_role("tab", name="Versions").click()
    chiara.get_by_role("link", name="Adoptions in the ledger").click()
    entry = chiara.locator("li.entry").first
    expect(entry).to_contain_text(
        "Chiara Fontana adopted version 2 of the policy of Pilot valley, in force from"
    )
    expect(entry).to_contain_text("Ten days of soak.")

    # Whoever adopts something else before is told how long it holds.
    marco.goto("/policies?of=pilot-valley&rule=soak")
    rewrite(marco, "PT20H", "PT21H")
    marco.get_by_role("button", name="Save as a draft").click()
    chiara.goto("/policies?of=pilot-valley")
    expect(act).to_contain_text("Version 2, adopted before, takes its place")
    expect(chiara.get_by_text(re.compile("version 1 in force, version 2 from"))).to_be_visible()
    act.get_by_role("button", name="Delete the draft of version 3").click()
    chiara.get_by_role("button", name="Delete", exact=True).click()
    expect(chiara.get_by_text("The draft of version 3 is deleted.")).to_be_visible()


def test_a_cell_of_the_board_is_edited_where_it_stands(visit):
    """With what it changes beside it; the source is the same text, and what is not kept is not lost."""
    marco = visit("marco", "/policies")
    marco.get_by_role("row", name="Notice").get_by_role("link", name="2 h ahead").first.press("Enter")
    form = marco.get_by_role("form", name="Notice in Live north")
    expect(form.get_by_label("Title")).to_be_focused()
    form.get_by_label("At least", exact=True).fill("soon")
    expect(form.get_by_label("At least", exact=True)).to_have_accessible_description(
        re.compile("not a span of time")
    )
    form.get_by_label("At least", exact=True).fill("6 h")
    expect(marco.get_by_label("What it changes")).to_contain_text("6 h instead of 2 h")
    form.get_by_label("Another setting").select_option("slot")
    form.get_by_label("Slot", exact=True).fill("30 min")
    expect(marco.get_by_label("What it changes")).to_contain_text("needs 30 min open at a stretch")
    marco.keyboard.press("Escape")
    expect(marco.get_by_role("link", name="changed, not saved yet")).to_be_visible()
    marco.get_by_role("link", name="changed, not saved yet").click()
    marco.locator(".cm-content").hover()
    marco.mouse.wheel(0, 450)
    expect(marco.locator(".cm-content")).to_contain_text("slot: PT30M")
    marco.locator(".cm-line", has_text="slot: PT30M").click()
    marco.keyboard.press("End")
    for key in ("Backspace", "Backspace", "5", "M"):
        marco.keyboard.press(key)
    expect(marco.locator(".cm-content")).to_contain_text("slot: PT35M")
    marco.get_by_role("button", name="Undo the changes").click()
    expect(marco.locator(".cm-content")).not_to_contain_text("slot:")
    expect(marco.get_by_role("button", name="Save as a draft")).to_have_count(0)


def test_a_seat_is_asked_for_in_an_empty_cell(visit):
    marco = visit("marco", "/policies")
    marco.get_by_role("link", name="Ask for seats in Bench").click()
    form = marco.get_by_role("form", name="Seats in Bench")
    form.get_by_role("button", name="Ask for it").click()
    expect(form).to_contain_text("name at least one")
    form.get_by_role("button", name="One more").click()
    form.get_by_label("More…").first.select_option("group")
    form.get_by_label("Group", exact=True).select_option(label="release desk")
    expect(marco.get_by_label("What it changes")).to_contain_text("Seats")
    marco.get_by_role("button", name="Save as a draft").click()
    drafted = marco.get_by_text(re.compile(r"Version \d+ is drafted\."))
    version = re.findall(r"\d+", drafted.text_content() or "")[0]
    expect(marco.get_by_role("link", name=f"version {version} waits to be adopted").first).to_be_visible()


def test_somebody_is_asked_and_sees_it_on_their_desk(visit):
    """Chosen from those there are; answering takes it off again."""
    ilse = visit("ilse")
    alarms = ilse.get_by_role("link").filter(has_text="Leak watch").filter(has_text="4.4.0")
    alarms.wait_for()
    henrik = visit("henrik", alarms.get_attribute("href") or "")
    form = henrik.get_by_role("form", name="Comment")
    form.get_by_label("Ask").focus()
    form.get_by_label("Ask").select_option("Ilse Brandt")
    form.get_by_role("textbox").press_sequentially("did the alarms stop?")
    form.get_by_role("button", name="Write it").click()
    expect(henrik.locator("li.entry[data-action=comment] q")).to_have_text(
        "@Ilse Brandt did the alarms stop?"
    )
    expect(alarms).to_contain_text("Henrik Solberg asks you: @Ilse Brandt did the alarms stop?")
    alarms.click()
    ilse.get_by_role("link", name="The whole file").click()
    ilse.get_by_role("form", name="Comment").get_by_role("textbox").fill("They did.")
    ilse.get_by_role("button", name="Write it").click()
    expect(ilse.locator("li.entry[data-action=comment]")).to_have_count(2)
    ilse.goto("/desk")
    expect(alarms).to_be_visible()
    expect(alarms).not_to_contain_text("asks you")


def test_the_first_load_stays_small(visit):
    """At most 300 KB of script on the wire for the Desk; editor and charts come when they are needed."""
    page = visit("ilse")
    page.locator("a.row").first.wait_for()
    page.reload()
    page.locator("a.row").first.wait_for()
    sizes = page.evaluate(
        """() => performance.getEntriesByType('resource').filter((one) => one.name.endsWith('.js'))
        .map((one) => [one.encodedBodySize, one.decodedBodySize])"""
    )
    assert sizes
    assert sum(packed for packed, _ in sizes) <= 300_000
    assert sum(packed for packed, _ in sizes) < 0.6 * sum(whole for _, whole in sizes)
