"""What people do all day, done in the real interface."""

import re
import signal
from collections import Counter

import pytest
from playwright.sync_api import Page, expect
from tests.browser.axe import violations
from tests.conftest import Live


def row(page: Page, service: str, version: str, target: str):
    return page.get_by_role("link").filter(has_text=service).filter(has_text=version).filter(has_text=target)


def whole_file(page: Page, *named: str) -> None:
    """Open a promotion beside the Desk, then all of it."""
    row(page, *named).click()
    page.get_by_role("link", name="The whole file").click()
    page.wait_for_url(re.compile(r"/promotion/\d+$"))


def group(page: Page, name: str):
    return page.locator(f"section[data-group={name}]")


def test_two_people_approve_and_it_departs_and_lands_live(visit):
    """From the keyboard; a third person sees it land without a reload; the ledger has every entry."""
    watcher = visit("wanjiru")
    ilse = visit("ilse")
    mine = group(ilse, "you")
    expect(mine).to_contain_text("Meter intake")
    for _ in range(20):
        ilse.keyboard.press("j")
        if "7.6.0" in (ilse.locator("a:focus").text_content() or ""):
            break
    ilse.keyboard.press("o")
    expect(ilse.get_by_role("heading", level=1)).to_contain_text("Meter intake 7.6.0")
    expect(
        ilse.get_by_text(re.compile("After yours one seat remains open; first start .* (07|12):00, Rome"))
    ).to_be_visible()
    ilse.keyboard.press("a")
    expect(ilse.get_by_text("You have taken the seat of release desk.")).to_be_visible()
    number = ilse.url.rsplit("/", 1)[-1]

    henrik = visit("henrik")
    whole_file(henrik, "Meter intake", "7.6.0", "Rehearsal")
    expect(henrik.get_by_text("Yours is the last word it waits for")).to_be_visible()
    henrik.get_by_label("Reason").fill("Testers know.")
    henrik.get_by_role("button", name="Approve").click()
    expect(henrik.locator(".sentence")).to_have_text(re.compile("Cleared. Rehearsal takes it in .*Rome."))
    henrik.get_by_role("button", name="Let it depart").click()
    expect(henrik.locator(".head .stamp").first).to_have_text(re.compile("moving|landed"))
    expect(ilse.locator(".head .stamp").first).to_have_text("landed")
    expect(row(group(watcher, "ended"), "Meter intake", "7.6.0", "Rehearsal")).to_be_visible()

    ilse.goto("/ledger?words=7.6.0&at=rehearsal")
    expect(ilse.locator("li.entry .act").last).to_have_text("request")
    actions = ilse.locator("li.entry .act").all_text_contents()
    whole = ["land", "read values", "issue clearance", "depart", "clear", "approve", "approve", "request"]
    # Who deploys may ask for values twice, and what watches the place speak of this version too.
    assert [*dict.fromkeys(one for one in actions if one in whole)] == [*dict.fromkeys(whole)], actions
    more = Counter(actions) - Counter(whole)
    assert set(more) <= {"read values", "issue clearance", "drift", "drift over"}, actions
    assert not Counter(whole) - Counter(actions), actions
    expect(ilse.locator("li.entry q")).to_have_text("Testers know.")
    expect(ilse.locator("li.entry .place").first).to_have_text(re.compile(r"\d+"))
    ilse.locator("li.entry a").first.click()
    expect(ilse).to_have_url(re.compile(f"/promotion/{number}$"))


@pytest.mark.thorough
def test_one_is_turned_back_with_a_reason(visit):
    """From the keyboard; the button needs the reason; who watches the Desk sees it end and why."""
    watcher = visit("ilse")
    henrik = visit("henrik")
    expect(row(group(watcher, "others"), "Leak watch", "4.4.0", "Rehearsal")).to_be_visible()
    whole_file(henrik, "Leak watch", "4.4.0", "Rehearsal")
    back = henrik.get_by_role("button", name="Turn back")
    expect(back).to_be_disabled()
    henrik.keyboard.press("r")
    henrik.keyboard.type("Alarms of one street come twice.")
    expect(back).to_be_enabled()
    for _ in range(5):
        henrik.keyboard.press("Tab")
        if back.evaluate("one => one === document.activeElement"):
            break
    henrik.keyboard.press("Enter")
    expect(henrik.locator(".head .stamp").first).to_have_text("turned back")
    ended = row(group(watcher, "ended"), "Leak watch", "4.4.0", "Rehearsal")
    expect(ended).to_contain_text("Turned back by Henrik Solberg: Alarms of one street come twice.")


@pytest.mark.thorough
def test_who_asked_is_told_why_they_may_not_decide(visit):
    """No button to press in vain, and the reason in its place."""
    page = visit("ilse")
    whole_file(page, "Tariff engine", "3.9.0", "Live north")
    expect(page.get_by_text("You asked for this promotion, so you may not decide on it.")).to_be_visible()
    expect(page.get_by_role("button", name="Approve")).to_have_count(0)


@pytest.mark.thorough
def test_a_decision_on_what_moved_on_is_refused_and_nothing_typed_is_lost(visit, live: Live):
    """Two tabs of one person: the second learns why not."""
    one = visit("priya")
    whole_file(one, "Leak watch", "4.3.0", "Live north")
    one.get_by_label("Reason").fill("Scanned again.")
    one.route("**/api/promotions/*/dossier", lambda route: route.abort())
    other = visit("priya", f"/promotion/{one.url.rsplit('/', 1)[-1]}")
    other.get_by_role("button", name="Approve").click()
    expect(other.get_by_text("You have taken the seat of security.")).to_be_visible()
    one.get_by_role("button", name="Approve").click()
    refused = one.get_by_role("alert").filter(has_text="You have approved this promotion already.")
    expect(refused).to_be_visible()
    expect(one.get_by_label("Reason")).to_have_value("Scanned again.")


@pytest.mark.thorough
def test_a_lost_connection_is_said_and_healed(visit, live: Live):
    """Also when the server hangs with the line open; without a reload."""
    page = visit("wanjiru")
    expect(page.locator("section[data-group=you]")).to_contain_text("No promotion waits for you.")
    web = live.instance.process("web")
    web.send_signal(signal.SIGSTOP)
    try:
        expect(page.get_by_role("status")).to_contain_text("Connection lost", timeout=25_000)
    finally:
        web.send_signal(signal.SIGCONT)
    expect(page.get_by_role("status")).to_be_empty(timeout=25_000)


@pytest.mark.thorough
def test_the_address_holds_what_is_looked_at(visit):
    """A station filters, Back undoes it, a link asks to sign in first and then leads there."""
    page = visit("ilse")
    stations = page.get_by_role("navigation", name="Standard route")
    stations.get_by_role("link", name="Pilot valley").click()
    expect(page).to_have_url(re.compile("at=pilot-valley"))
    expect(row(page, "Taps portal", "12.2.0", "Pilot valley")).to_be_visible()
    expect(row(page, "Tariff engine", "3.9.0", "Live south")).to_have_count(0)
    page.get_by_role("link", name="2 weeks").click()
    expect(page).to_have_url(re.compile("at=pilot-valley&span=2w"))
    page.go_back()
    page.go_back()
    expect(row(page, "Tariff engine", "3.9.0", "Live south")).to_be_visible()
    page.goto("/promotion/999999")
    expect(page.get_by_role("heading", name="There is no promotion 999999.")).to_be_visible()
    page.goto("/set-up/toString")
    expect(page.get_by_role("heading", name="There is no such page")).to_be_visible()
    expect(page.get_by_text("Set-up has no part of that name.")).to_be_visible()
    stranger = visit(None, "/ledger?action=adopt")
    expect(stranger).to_have_url(re.compile("/sign-in"))
    stranger.get_by_label("Mail address").fill("wanjiru@corvale.example")
    stranger.get_by_label("Password").fill("wrong")
    stranger.get_by_role("button", name="Sign in").click()
    expect(stranger.get_by_role("alert")).to_have_text("The mail address or the password is wrong.")
    stranger.get_by_label("Password").fill("corvale-demo")
    stranger.get_by_role("button", name="Sign in").click()
    expect(stranger.locator("li.entry").first).to_contain_text("adopted version")


@pytest.mark.thorough
def test_a_waiver_is_asked_for_and_granted_by_another(visit):
    """Asked for where the finding stands, shown to who may grant it, on the record at once."""
    one = visit("ilse")
    whole_file(one, "Taps portal", "12.2.0", "Pilot valley")
    soak = one.locator("li[data-rule=soak]")
    soak.get_by_role("button", name="Ask for a waiver").click()
    expect(soak.get_by_role("button", name="Ask for the waiver")).to_be_disabled()
    soak.get_by_label("Why it is to be waived").fill("The outage page must be up before the storm.")
    soak.get_by_role("button", name="Ask for the waiver").click()
    expect(soak).to_contain_text("Ilse Brandt asks to waive this rule until")
    expect(soak.get_by_role("button", name="Grant the waiver")).to_have_count(0)
    other = visit("adaeze", f"/promotion/{one.url.rsplit('/', 1)[-1]}")
    expect(other.locator(".sentence")).to_contain_text("You are asked to waive")
    other.get_by_role("button", name="Grant the waiver").click()
    expect(soak).to_contain_text("asked for by Ilse Brandt and granted by Adaeze Nwosu")
    expect(one.locator(".course")).to_contain_text("Adaeze Nwosu granted the waiver")


@pytest.mark.thorough
def test_what_one_approved_is_taken_back_from_where_it_is_said(visit):
    """A key pressed too soon costs nothing: the seat is open again, and both stand in the course."""
    page = visit("ilse")
    page.goto(row(page, "Tariff engine", "3.9.0", "Live south").get_attribute("href"))
    page.get_by_role("button", name="Approve").click()
    expect(page.get_by_text("You approved Tariff engine 3.9.0.")).to_be_visible()
    page.get_by_role("button", name="Take it back").click()
    expect(page.get_by_text("You took your approval of Tariff engine 3.9.0 back.")).to_be_visible()
    expect(page.get_by_role("button", name="Approve")).to_be_visible()
    expect(page.get_by_text("Ilse Brandt took back the approval").first).to_be_visible()


@pytest.mark.thorough
def test_a_phone_can_approve(visit):
    """At 390 px the sentence and the button are there, and nothing scrolls sideways."""
    page = visit("ilse", width=390)
    for path in ("/desk", "/ledger", "/set-up/sources", "/set-up/events-in"):
        page.goto(path)
        expect(page.get_by_role("heading", level=1)).to_be_visible()
        assert page.evaluate("document.documentElement.scrollWidth") <= 390
    page.goto("/desk")
    late = row(page, "Tariff engine", "3.9.0", "Live south")
    late.wait_for()
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    late.click()
    expect(page.get_by_role("button", name="Approve")).to_be_in_viewport()
    assert page.evaluate("document.documentElement.scrollWidth") <= 390


@pytest.mark.thorough
def test_no_view_has_an_accessibility_violation(visit):
    """WCAG 2.2 A and AA and the best practices axe knows, in both themes."""
    page = visit("ilse")
    row(page, "Leak watch", "4.3.0", "Live north").wait_for()
    file = row(page, "Leak watch", "4.3.0", "Live north").get_attribute("href")
    ahead = ["/desk?probe=2099-01-01T09:00:00Z", "/policies", "/policies?of=live-south", "/calendar"]
    beside = f"/desk?at=live-north&open={(file or '').rsplit('/', 1)[-1]}"
    history = "/estate/history?at=rehearsal&service=valve-command"
    estate = ["/estate?since=2026-01-01T00:00Z", history, "/estate/boards", "/estate/where?what=12.2.0"]
    addresses = [page.url, file, beside, "/ledger", *ahead, *estate, "/estate/findings", "/estate/scopes/1"]
    stranger, admin = visit(None, "/sign-in"), visit("dario", "/set-up/sources")
    writer, cell = visit("marco"), "/policies?in=live-north&kind=hours&rule=hours"
    parts = (
        "services",
        "routes",
        "environments",
        "sources",
        "events-out",
        "events-in",
        "values",
        "calendars",
        "people",
        "stand-ins",
        "tokens",
        "troubles",
        "house",
        "first-steps",
        "told",
        "mail",
        "own",
    )
    views = [*((page, address) for address in addresses), (stranger, "/sign-in"), (writer, cell)]
    for tab, address in [*views, *((admin, f"/set-up/{part}") for part in parts)]:
        tab.goto(address)
        tab.get_by_role("heading", level=1).wait_for()
        assert violations(tab) == [], address
