"""What administrators and policy owners set up, and reports opened before deciding, in the real interface."""

import re
import signal

import pytest
from playwright.sync_api import Page, expect
from tests.browser.test_by_mail import mailed
from tests.browser.test_deciding import row, whole_file
from tests.conftest import Live

pytestmark = pytest.mark.thorough

FEASTS = b"""BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\nX-WR-CALNAME:Valley feasts\r\nBEGIN:VEVENT\r\nUID:1
SUMMARY:harvest\r\nDTSTART;VALUE=DATE:20270901\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"""


def sure(page: Page, act: str) -> None:
    """Say yes to what is asked before it is done."""
    page.get_by_role("alertdialog").get_by_role("button", name=act).click()


def source(page: Page, title: str):
    return page.get_by_role("button", name=title)


def test_a_source_is_tried_mended_and_seen_failing_and_well_again(visit, live: Live):
    """A wrong field says where; how long an answer counts is kept; who decides sees what is unread."""
    admin, ilse, chiara = visit("dario", "/set-up/sources"), visit("ilse"), visit("chiara")
    alarms = row(ilse, "Leak watch", "4.5.0", "Bench")
    expect(alarms).to_contain_text("is planned")
    source(admin, "The ticket tracker").click()
    admin.get_by_label("Ask it").fill("TAPS-1")
    admin.get_by_label("Where the status stands").fill("state")
    admin.get_by_role("button", name="Try it").click()
    expect(admin.get_by_text("a JSON Pointer (RFC 6901) begins with a slash")).to_be_visible()
    admin.get_by_label("Where the status stands").fill("/status")
    admin.get_by_role("button", name="Try it").click()
    expect(admin.get_by_text("it has no such ticket")).to_be_visible()
    admin.get_by_label("Last answer counts for").fill("1 s")
    admin.get_by_role("button", name="Save").click()
    expect(admin.get_by_label("Ask it")).to_have_count(0)
    expect(admin.get_by_text("Somebody else has to confirm this.")).to_be_visible()
    chiara.get_by_role(
        "link", name="Dario Conti asked for a change of how the ticket tracker is read"
    ).click()
    expect(chiara.get_by_role("region", name="Waits for a second person")).to_contain_text(
        "Last answer counts"
    )
    chiara.get_by_role("button", name="Confirm").click()
    expect(chiara.get_by_role("button", name="Confirm")).to_have_count(0)
    tracker = live.instance.process("tracker")
    tracker.send_signal(signal.SIGSTOP)
    try:
        # Whatever was inspected before it stood still is inspected once more.
        source(admin, "The ticket tracker").click()
        admin.get_by_role("button", name="Save").click()
        expect(alarms).to_contain_text("did not answer in time", timeout=40_000)
        expect(source(admin, "The ticket tracker")).to_contain_text("failing now: ", timeout=20_000)
        alarms.click()
        expect(ilse.locator("li[data-rule=tickets]")).to_contain_text("unknown")
        ilse.get_by_role("link", name="The whole file").click()
        expect(ilse.get_by_text("It is asked again by itself.")).to_be_visible()
    finally:
        tracker.send_signal(signal.SIGCONT)
    expect(ilse.locator("li[data-rule=tickets]")).to_contain_text("is planned", timeout=40_000)
    expect(source(admin, "The ticket tracker")).to_contain_text("read well", timeout=20_000)


def test_a_value_is_sealed_and_never_shown_again(visit):
    """Its name and who set it are all that is left to see; who is no administrator does not see that."""
    admin = visit("dario", "/set-up/values")
    admin.get_by_label("Service").select_option("taps-portal")
    expect(admin.get_by_text("Nothing is sealed for this service.")).to_be_visible()
    admin.get_by_label("Name").fill("COOKIE_KEY")
    admin.get_by_label("For").select_option("live-north")
    admin.get_by_label("Value").fill("s3cret-value")
    admin.get_by_role("button", name="Seal it").click()
    line = admin.locator("li").filter(has_text="COOKIE_KEY")
    expect(line).to_contain_text("for Live north")
    expect(line).to_contain_text("set by Dario Conti")
    assert "s3cret-value" not in admin.content()
    line.get_by_role("button", name="Delete").click()
    asked = admin.get_by_role("alertdialog")
    asked.get_by_role("button", name="Cancel").click()
    expect(asked).to_have_count(0)
    expect(line).to_have_count(1)
    line.get_by_role("button", name="Delete").click()
    sure(admin, "Delete")
    expect(line).to_have_count(0)
    expect(visit("ilse", "/set-up/values").get_by_text("Administrators set these.")).to_be_visible()


def test_somebody_is_told_and_what_cannot_be_told_stands_there(visit):
    """The secret is shown once; an address that is not reached is tried again."""
    admin = visit("dario", "/set-up/events-out")
    admin.get_by_role("button", name="Have somebody told").click()
    admin.get_by_label("Title").fill("Change board")
    admin.get_by_label("Name").fill("board")
    admin.get_by_label("Address", exact=True).fill("http://127.0.0.1:9/events")
    admin.get_by_label("set value").check()
    admin.get_by_role("button", name="Have it told").click()
    expect(admin.get_by_text(re.compile("shown this once: whsec_"))).to_be_visible()
    admin.goto("/set-up/values")
    admin.get_by_label("Name").fill("X")
    admin.get_by_label("Value").fill("y")
    admin.get_by_role("button", name="Seal it").click()
    expect(admin.locator("li").filter(has_text="set by Dario Conti").first).to_be_visible()
    admin.goto("/set-up/events-out")
    expect(admin.get_by_role("heading", name="Still to be told")).to_be_visible()
    again = admin.get_by_text("it cannot be reached; again").first
    expect(again).to_be_visible(timeout=60_000)
    admin.locator("li").filter(has_text="told of: set value").get_by_role("button").click()
    sure(admin, "Delete")
    expect(admin.locator("li").filter(has_text="told of: set value")).to_have_count(0)


def test_a_calendar_is_taken_in_or_refused_by_event(visit):
    """What was typed stays; what is wrong with which event is said."""
    owner = visit("marco", "/set-up/calendars")
    owner.get_by_label("Name").fill("feasts")
    wrong = FEASTS.replace(b"DTSTART;VALUE=DATE:20270901", b"DTSTART:20270901T100000Z")
    for body in (wrong, FEASTS):
        owner.get_by_label("File").set_input_files(
            {"name": "feasts.ics", "mimeType": "text/calendar", "buffer": body}
        )
        owner.get_by_role("button", name="Take it in").click()
        if body is wrong:
            expect(owner.get_by_text("harvest: it has no length")).to_be_visible()
            expect(owner.get_by_label("Name")).to_have_value("feasts")
    expect(owner.locator("li").filter(has_text="Valley feasts")).to_contain_text("harvest 1 Sept 2027")


def test_reports_open_before_anybody_decides(visit):
    """Findings with their place, the plan by name, and the file as it came."""
    page = visit("ilse")
    whole_file(page, "Leak watch", "4.3.0", "Live north")
    scan = page.locator(".cargo details").filter(has_text="Vulnerability scan")
    scan.locator("summary").first.click()
    expect(scan.get_by_text("by the nightly scanner")).to_be_visible()
    with page.expect_download() as download:
        scan.get_by_role("link", name="scan.sarif").click()
    assert b'"2.1.0"' in download.value.path().read_bytes()
    report = page.locator(".cargo details").filter(has_text="Test report")
    expect(report).to_contain_text("none failed")


def test_a_stand_in_is_named_and_a_token_made_and_revoked(visit):
    """Forms say what is wrong as one types; a token's text is shown once."""
    priya = visit("priya", "/set-up/stand-ins")
    priya.get_by_label("Who stands in").select_option("Ilse Brandt")
    priya.get_by_label("Until").fill("1 Jan 2020 09:00")
    expect(priya.get_by_text("It ends before it begins.")).to_be_visible()
    expect(priya.get_by_role("button", name="Name them")).to_be_disabled()
    priya.get_by_label("From", exact=True).fill("Mon 4 Mar 2031 09:00")
    expect(priya.get_by_text("That date is another day of the week.")).to_be_visible()
    priya.get_by_label("From", exact=True).fill("Tue 4 Mar 2031 09:00")
    priya.get_by_label("Until").fill("11 Mar 2031 09:00")
    priya.get_by_role("button", name="Name them").click()
    line = priya.locator("li.line").filter(has_text="Ilse Brandt for Priya")
    expect(line).to_contain_text("Tue 4 Mar 09:00 to Tue 11 Mar 09:00, Rome")
    line.get_by_role("button", name="End it").click()
    sure(priya, "End it")
    expect(line).to_have_count(0)

    admin = visit("dario", "/set-up/stand-ins")
    admin.get_by_label("Who is away").select_option("Ilse Brandt")
    admin.get_by_label("Who stands in").select_option("Henrik Solberg")
    admin.get_by_role("button", name="Name them").click()
    waits = admin.get_by_label("Waits for a second person")
    expect(waits).to_contain_text("Dario")
    expect(waits).to_contain_text("Henrik Solberg as stand-in for Ilse Brandt until")
    waits.get_by_role("button", name="Drop it").click()
    expect(waits).to_have_count(0)

    admin.goto("/set-up/tokens")
    admin.get_by_label("What it is for").fill("night build")
    admin.get_by_label("Whose").select_option("Delivery pipeline")
    admin.get_by_role("button", name="Make it").click()
    expect(admin.get_by_role("status").filter(has_text="this once")).to_contain_text("dgn_")
    made = admin.locator("li.line").filter(has_text="night build")
    expect(made).to_have_count(0)
    visit("chiara", "/set-up/tokens").get_by_role("button", name="Confirm").click()
    expect(made).to_contain_text("read, request")
    made.get_by_role("button", name="Revoke").click()
    sure(admin, "Revoke")
    expect(made).to_contain_text("revoked")


def test_somebody_new_is_asked_for_confirmed_and_chooses_a_password(visit, live: Live):
    """One asks, another confirms, and they are mailed a link; a guess at it opens nothing."""
    admin = visit("dario", "/set-up/people")
    admin.get_by_role("button", name="Set up somebody").click()
    admin.get_by_label("Name for policies").fill("zoe")
    admin.get_by_label("Name", exact=True).first.fill("Zoe Zander")
    admin.get_by_label("Mail address").fill("ilse@corvale.example")
    # Nobody is given a role that was not chosen for them.
    expect(admin.get_by_role("button", name="Save", exact=True)).to_be_disabled()
    admin.get_by_role("group", name="Roles").get_by_label("approver").check()
    admin.get_by_role("group", name="Groups").get_by_label("security").check()
    admin.get_by_role("button", name="Save", exact=True).click()
    expect(admin.get_by_text("is somebody else's")).to_be_visible()
    admin.get_by_label("Mail address").fill("zoe@corvale.example")
    admin.get_by_role("button", name="Save", exact=True).click()
    waits = admin.get_by_role("region", name="Waits for a second person")
    expect(waits).to_contain_text("Dario Conti asked for Zoe Zander as approver")
    expect(waits.get_by_role("button", name="Confirm")).to_have_count(0)

    second = visit("marco", "/set-up/people")
    waits = second.get_by_role("region", name="Waits for a second person")
    expect(waits).to_contain_text("security")
    waits.get_by_role("button", name="Confirm").click()
    expect(second.get_by_text("They are mailed a link to choose their password with.")).to_be_visible()
    address = mailed(live, "zoe@", "Choose your password", "/welcome#")
    expect(second.get_by_role("button").filter(has_text="Zoe Zander")).to_contain_text("has yet to choose")

    newcomer = visit(None, address[:-1] + ("a" if address[-1] != "a" else "b"))
    for label in ("Password", "Once more"):
        newcomer.get_by_label(label).fill("long enough to keep")
    newcomer.get_by_role("button", name="Save").click()
    expect(newcomer.get_by_role("alert")).to_contain_text("was used, has ended or never was")
    newcomer.goto("/sign-in")
    newcomer.goto(address)
    newcomer.get_by_label("Password").fill("long enough to keep")
    newcomer.get_by_label("Once more").fill("long enough to keeq")
    newcomer.get_by_role("button", name="Save").click()
    expect(newcomer.get_by_role("alert")).to_contain_text("not the same")
    newcomer.get_by_label("Once more").fill("long enough to keep")
    newcomer.get_by_role("button", name="Save").click()
    newcomer.get_by_role("link", name="Sign in").click()
    newcomer.get_by_label("Mail address").fill("zoe@corvale.example")
    newcomer.get_by_label("Password").fill("long enough to keep")
    newcomer.get_by_role("button", name="Sign in").click()
    expect(newcomer.get_by_role("link", name="Zoe Zander")).to_be_visible()


def test_ones_own_sessions_and_password(visit, browser, live):
    """A session ended elsewhere leads to where one signs in, without a click; so does another password."""
    here, there = visit("farida", "/set-up/own", anew=True), visit("farida", "/desk", anew=True)
    here.reload()
    lines = here.locator("li.line")
    expect(lines).to_have_count(2)
    expect(here.locator("li.line").filter(has_text="this one")).to_contain_text("from 127.0.0.1")
    lines.filter(has_not_text="this one").get_by_role("button", name="End").click()
    expect(lines).to_have_count(1)
    there.wait_for_url("**/sign-in?next=%2Fdesk**")
    here.get_by_label("Current password").fill("not this one")
    here.get_by_label("New password").fill("another one to keep")
    here.get_by_role("button", name="Change the password").click()
    expect(here.get_by_text("is not your password")).to_be_visible()


def test_the_landscape_is_set_up(visit):
    """An environment with set times, a route to it, a service that travels it."""
    admin = visit("dario", "/set-up/environments")
    admin.get_by_role("button", name="Set up an environment").click()
    admin.get_by_label("Name").fill("depot")
    admin.get_by_label("Title").fill("Depot")
    admin.get_by_label("Zone").fill("Europe/Rome")
    admin.get_by_label("Departs").select_option("by timetable")
    admin.get_by_label("Set times").fill("06:00 14:30")
    admin.get_by_role("button", name="Save", exact=True).click()
    expect(admin.get_by_role("button").filter(has_text="Depot")).to_contain_text(
        "at 06:00, 14:30 on Mon to Fri"
    )

    admin.get_by_role("button", name="Set up an environment").click()
    admin.get_by_label("Name").fill("trial")
    admin.get_by_label("Title").fill("Trial")
    admin.get_by_label("Zone").fill("Europe/Rome")
    admin.get_by_label("Departs").select_option("never")
    admin.get_by_label("Previews are made from it").check()
    admin.get_by_label("Each preview lasts").fill("1 day 12 h")
    admin.get_by_role("button", name="Save", exact=True).click()
    expect(admin.get_by_role("button").filter(has_text="Trial")).to_contain_text("last 1 day 12 h")
    # An entry of which two fields are called the same must not keep the others from being read.
    trial = visit("ilse", "/ledger").locator("li.entry").filter(has_text="the environment Trial")
    expect(trial).to_contain_text("Its previews depart: at once")

    admin.goto("/set-up/routes")
    admin.get_by_role("button", name="Set up a route").click()
    admin.get_by_label("Name").fill("depots")
    admin.get_by_label("Title").fill("Depot route")
    admin.get_by_label("The next leg").select_option("Bench")
    admin.get_by_label("The next leg").select_option("Depot")
    admin.get_by_role("button", name="Earlier").click()
    admin.get_by_role("button", name="Earlier").click()
    admin.get_by_role("button", name="Save", exact=True).click()
    expect(admin.get_by_role("button").filter(has_text="Depot route")).to_contain_text("Bench → Depot")

    admin.goto("/set-up/services")
    admin.get_by_role("button", name="Set up a service").click()
    admin.get_by_label("Name").fill("depot-screens")
    admin.get_by_label("Title").fill("Depot screens")
    admin.get_by_label("Repository").fill("taps-protal")
    admin.get_by_label("Route", exact=True).select_option("Depot route")
    admin.get_by_role("button", name="Save", exact=True).click()
    unread = admin.get_by_role("alert").filter(has_text="The repository taps-protal cannot be read")
    expect(unread).to_be_visible()
    admin.get_by_label("Repository").fill("taps-portal")
    admin.get_by_role("button", name="Save", exact=True).click()
    screens = admin.get_by_role("button").filter(has_text="Depot screens")
    expect(screens).to_contain_text("Depot route")
    assert visit("ilse", "/set-up/services").get_by_role("button", name="Set up a service").count() == 0
    a_policy_to_begin_with(visit)

    # What was set up by mistake goes, in the order in which it is needed.
    screens.click()
    admin.get_by_role("button", name="Delete").click()
    sure(admin, "Delete")
    expect(admin.get_by_role("status").filter(has_text="Depot screens is deleted.")).to_be_visible()


def a_policy_to_begin_with(visit):
    """Nobody faces an empty page; the draft then waits on the Desk of who may adopt it."""
    marco = visit("marco", "/policies?of=depot")
    begin = marco.get_by_role("region", name="Begin with")
    begin.get_by_label("The first seat is for").select_option("security")
    begin.get_by_role("button", name="Two seats").click()
    expect(marco.get_by_label("Source")).to_contain_text("group: security")
    marco.get_by_role("button", name="Save as a draft").click()
    expect(marco.get_by_text("drafted", exact=False).first).to_be_visible()
    waits = visit("chiara").get_by_role("region", name="A policy waits to be adopted")
    expect(waits).to_contain_text("Depot")
    expect(waits).to_contain_text("Marco")
