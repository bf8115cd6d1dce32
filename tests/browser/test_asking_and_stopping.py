"""A person asks, closes at once, and sees what landed otherwise, on screen."""

import re

import pytest
from playwright.sync_api import expect
from tests.browser.conftest import Visit

pytestmark = pytest.mark.thorough


def test_a_person_asks_on_screen(visit: Visit):
    """For a release on record; what may not go there is said where one asks."""
    page = visit("noor", "/ask")
    page.get_by_label("Service").select_option("Leak watch")
    version = page.get_by_label("Release").locator("option").nth(1).inner_text()
    page.get_by_label("Release").select_option(version)
    page.get_by_label("Into").select_option("Live north")
    page.get_by_label("Note").fill("For the tour")
    page.get_by_role("button", name="Ask for it").click()
    expect(
        page.get_by_role("alert").or_(page.get_by_role("heading", name="Inspection")).first
    ).to_be_visible()
    page.get_by_role("button", name="Another that crosses with it").click()
    expect(page.get_by_label("What they are together")).to_be_visible()
    expect(page.get_by_role("button", name="Ask for all of them")).to_be_disabled()


def test_an_environment_is_closed_at_once_and_opened_by_two(visit: Visit):
    """From the palette; the second person is asked for on their own Desk."""
    page = visit("adaeze")
    page.locator("a.row").first.wait_for()
    page.keyboard.press("Control+k")
    page.get_by_label("What to find").fill("close pilot valley at once")
    expect(page.get_by_role("option", name="Do Close Pilot valley at once")).to_be_visible()
    page.keyboard.press("Enter")
    page.get_by_label("Reason").fill("Ice on the weir")
    page.get_by_text("1 hour", exact=True).click()
    page.get_by_role("button", name="Close it").click()
    expect(page.get_by_text("Pilot valley was closed by Adaeze Nwosu")).to_be_visible()
    page.get_by_role("button", name="Open it again").click()
    page.get_by_label("Reason").fill("It has melted")
    page.get_by_role("button", name="Ask to open it").click()
    expect(page.get_by_text("a second person has to agree")).to_be_visible()
    other = visit("tomas", "/desk?at=pilot-valley")
    other.get_by_role("button", name="Agree to open it").click()
    other.get_by_label("Reason").fill("It has")
    other.get_by_role("button", name="Open it", exact=True).click()
    expect(other.get_by_text("Pilot valley was closed by")).to_be_hidden()


@pytest.mark.parametrize("mode", ["light", "dark"])
def test_what_landed_otherwise_stands_in_a_group_of_its_own(visit: Visit, mode: str):
    """With why, and what an approver can do about it; the bytes are shown that one accepts, with a reason."""
    page = visit("ilse", mode=mode)
    group = page.get_by_role("region", name="Halted")
    expect(group.get_by_text("has other bytes than were cleared")).to_be_visible()
    group.get_by_text("Valve command").first.click()
    expect(page.locator("dd.mono")).to_have_text([re.compile("^sha256:[0-9a-f]{64}$")] * 2)
    accept = page.get_by_role("button", name="Ask to accept what landed")
    expect(accept).to_be_disabled()
    page.get_by_label("Reason").fill("Rebuilt by hand")
    expect(accept).to_be_enabled()
