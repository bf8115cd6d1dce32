"""What can be opened before one decides, and that nothing typed is lost or ends up elsewhere."""

import hashlib
import re
from http import HTTPStatus

import httpx
import pytest
from playwright.sync_api import Page, Route, expect
from tests.conftest import Live

pytestmark = pytest.mark.thorough


def number_of(page: Page, service: str, version: str, target: str) -> str:
    row = page.get_by_role("link").filter(has_text=service).filter(has_text=version).filter(has_text=target)
    row.wait_for()
    return row.get_attribute("data-number") or ""


def test_a_commit_opens_to_its_lines_and_an_artifact_to_its_bytes(visit):
    """The lines are those of the repository; the bytes are those of the digest."""
    page = visit("ilse")
    page.goto(f"/promotion/{number_of(page, 'Meter intake', '7.5.0', 'Pilot valley')}")
    commit = page.locator(".cargo details").first
    commit.locator("summary").first.click()
    patch = commit.locator("details.patch").first
    patch.locator("summary").click()
    expect(patch.get_by_role("region")).to_contain_text("@@ ")
    expect(patch.locator("[data-kind=added]").first).to_be_visible()

    archive = page.locator(".cargo details").filter(
        has=page.get_by_text(re.compile(r"meter-intake-7\.5\.0\.tar\.gz"))
    )
    archive.locator("summary").click()
    digest = archive.locator(".digest").text_content()
    expect(archive).to_contain_text(re.compile("Byte for byte what landed in Rehearsal"))
    link = archive.get_by_role("link", name="Fetch it").get_attribute("href")
    body = page.request.get(link or "").body()
    assert "sha256:" + hashlib.sha256(body).hexdigest() == digest


def test_every_report_opens_with_its_single_things_and_its_file(visit):
    page = visit("ilse")
    page.goto(f"/promotion/{number_of(page, 'Leak watch', '4.3.0', 'Live north')}")
    for title, inside in (
        ("Bill of materials", "Components"),
        ("Coverage", "Least covered"),
        ("Test report", re.compile("by the build")),
    ):
        report = page.locator(".cargo details").filter(has=page.locator("summary b", has_text=title))
        report.locator("summary").click()
        expect(report).to_contain_text(inside)
        with page.expect_download() as download:
            report.locator("a[download]").click()
        assert download.value.suggested_filename


def test_a_reason_stays_with_its_promotion(visit):
    """Over another one that is opened, another view and a reload; it goes with who signs out."""
    page = visit("adaeze")
    first = number_of(page, "Leak watch", "4.3.0", "Live north")
    other = number_of(page, "Tariff engine", "3.9.0", "Live north")
    page.goto(f"/desk?open={other}")
    reason = page.get_by_label("Reason")
    reason.fill("Valves of one street answer late.")
    page.locator(f"a.row[data-number='{first}']").click()
    expect(page).to_have_url(re.compile(f"open={first}"))
    expect(page.get_by_role("complementary").get_by_role("heading").first).to_contain_text("4.3.0")
    expect(page.get_by_text("Valves of one street")).to_have_count(0)
    if reason.count():
        expect(reason).to_have_value("")
    page.goto("/ledger")
    page.goto(f"/promotion/{other}")
    expect(reason).to_have_value("Valves of one street answer late.")
    expect(page.get_by_text("What you had typed is back. It is not saved yet.")).to_be_visible()
    page.get_by_role("button", name="Sign out").click()
    page.wait_for_url("**/sign-in*")
    assert page.evaluate("Object.keys(sessionStorage).filter((key) => key.includes('typed'))") == []


def test_a_form_says_what_is_wrong_while_one_types_and_loses_nothing(visit):
    """Before it is sent; what was typed is there again after a reload, and a secret never is."""
    page = visit("dario", "/set-up/environments")
    page.get_by_role("button", name="Set up an environment").click()
    name, zone = page.get_by_label("Name", exact=True), page.get_by_label("Zone", exact=True)
    name.fill("Depot")
    expect(name).to_have_accessible_description(re.compile("Small letters"))
    expect(name).to_have_attribute("aria-invalid", "true")
    name.fill("bench")
    expect(name).to_have_accessible_description(re.compile("There is one of this name"))
    name.fill("old-depot")
    expect(name).not_to_have_attribute("aria-invalid", "true")
    page.get_by_label("Title", exact=True).fill("The old depot")
    zone.fill("Europe/Rom")
    expect(zone).to_have_accessible_description("No such zone is known.")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(zone).to_be_focused()
    page.reload()
    page.get_by_role("button", name="Set up an environment").click()
    expect(name).to_have_value("old-depot")
    expect(page.get_by_text("What you had typed is back")).to_be_visible()
    page.get_by_role("button", name="Cancel").click()
    page.get_by_role("button", name="Set up an environment").click()
    expect(name).to_have_value("")

    page.goto("/set-up/people")
    page.get_by_role("button", name="Set up somebody").click()
    page.get_by_label("Mail address").fill("nobody")
    expect(page.get_by_label("Mail address")).to_have_accessible_description("This is no mail address.")
    page.reload()
    page.get_by_role("button", name="Set up somebody").click()
    expect(page.get_by_label("Mail address")).to_have_value("nobody")

    page.goto("/set-up/own")
    page.get_by_label("New password").fill("a secret that is long")
    page.reload()
    expect(page.get_by_label("New password")).to_have_value("")


def test_a_policy_half_written_is_there_again_after_a_reload(visit):
    page = visit("marco", "/policies")
    page.get_by_role("row", name="Soak").get_by_role("link", name="20 h in every leg before").click()
    page.get_by_role("form", name="Soak in Pilot valley").get_by_label("At least", exact=True).fill("30 h")
    expect(page.get_by_label("What it changes")).to_contain_text("1 day 6 h instead of 20 h")
    page.goto("/desk")
    page.goto("/policies")
    page.get_by_role("link", name="changed, not saved yet").click()
    expect(page.locator(".cm-content")).to_contain_text(re.compile("at_least: PT30H|PT30H"))
    page.get_by_role("button", name="Undo the changes").click()
    page.goto("/policies")
    expect(page.get_by_role("row", name="Soak")).to_be_visible()
    expect(page.get_by_role("link", name="changed, not saved yet")).to_have_count(0)


def test_the_calendar_tells_a_second_zone_and_gives_itself_out(visit):
    page = visit("ilse", "/calendar")
    page.get_by_label("Also by the clock of").select_option("America/Halifax")
    expect(page).to_have_url(re.compile("zone=America"))
    coming = page.get_by_role("region", name="What comes")
    expect(coming.get_by_text(re.compile(r"\d\d:\d\d Halifax")).first).to_be_visible()
    page.get_by_text("Import, export, subscribe").click()
    line = page.locator("li").filter(has_text="/api/feeds/TOKEN/live-north.ics")
    with page.expect_download() as download:
        line.get_by_role("link", name="Export").click()
    text = download.value.path().read_text()
    assert text.startswith("BEGIN:VCALENDAR")
    assert "SUMMARY:the billing run" in text


def test_what_changed_since_one_looked_is_marked_until_it_is_opened(visit, live: Live):
    """Between two visits of the Desk as well; other people's Desks have marks of their own."""
    page = visit("tomas")
    page.locator("a.row").first.wait_for()
    page.get_by_role("link", name="Ledger").click()
    page.locator("li.entry").first.wait_for()
    asking = {
        "service": "field-app",
        "version": "5.9.0",
        "to": "bench",
        "revision": "v5.1.0",
        "artifacts": [{"name": "app.tar.gz", "digest": "sha256:" + "5" * 64, "size": 5}],
    }
    headers = {"Authorization": f"Bearer {live.running.requester_token}"}
    asked = httpx.post(f"{live.running.url}/api/promotions", json=asking, headers=headers)
    assert asked.status_code == HTTPStatus.CREATED, asked.text
    page.get_by_role("link", name="Desk", exact=True).click()
    row = page.locator(f"a.row[data-number='{asked.json()['number']}']")
    expect(row).to_contain_text("changed since you looked")
    # Inspected by now, so nothing more changes of itself.
    expect(row).to_contain_text("No tickets named")
    # Of the others, only what changed meanwhile as well.
    expect(page.locator("a.row").filter(has_not_text="changed since").first).to_be_visible()
    row.click()
    expect(row).not_to_contain_text("changed since you looked")


def test_a_file_opens_whose_findings_changed_twice_at_one_instant(visit):
    """Several words can change at once: each is shown, and none hides the file."""
    page = visit("wanjiru")
    page.locator("a.row").first.wait_for()

    def twice(route: Route) -> None:
        answer = route.fetch()
        file = answer.json()
        earlier = {"until": file["at"], "outcome": "pending", "because": "It was looked at.", "whose": None}
        file["findings"][0]["history"] = [earlier, earlier]
        route.fulfill(response=answer, json=file)

    page.route("**/dossier", twice)
    page.goto(page.locator("a.row").first.get_attribute("href") or "")
    expect(page.locator(".sentence")).not_to_be_empty()
    expect(page.locator("main")).to_contain_text("was looked at.")
    # What is asked for anew meanwhile is nobody's any more.
    page.unroute_all(behavior="ignoreErrors")


def test_an_entry_that_cannot_be_shown_keeps_no_other_from_being_read(visit, faults: list[str]):
    """It says so in its own place, and the view after it is as ever."""
    page = visit("ilse")
    page.locator("a.row").first.wait_for()

    def spoilt(route: Route) -> None:
        answer = route.fetch()
        body = answer.json()
        body["entries"][3]["details"] = None
        route.fulfill(response=answer, json=body)

    page.route("**/api/ledger?*", spoilt)
    page.get_by_role("link", name="Ledger").click()
    expect(page.get_by_role("alert").filter(has_text="This part cannot be shown")).to_have_count(1)
    expect(page.locator("li.entry").nth(20)).to_be_visible()
    page.get_by_role("link", name="Desk", exact=True).click()
    page.locator("a.row").first.wait_for()
    assert faults
    page.unroute_all(behavior="ignoreErrors")
    faults.clear()
