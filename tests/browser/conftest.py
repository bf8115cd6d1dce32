"""One browser for a module, one context for each person and test."""

from collections.abc import Callable, Iterator
from urllib.parse import quote

import pytest
from playwright.sync_api import Browser, Page, StorageState, expect, sync_playwright
from tests.conftest import Live

from dogana.demo.cast import PASSWORD

Visit = Callable[..., Page]
expect.set_options(timeout=15_000)
"""A busy machine is no fault of the page."""
_FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-component-update"]


@pytest.fixture(scope="module")
def browser(live: Live) -> Iterator[Browser]:
    """Closed with its module: while Playwright runs, no other test can have an event loop of its own."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=_FLAGS)
        yield browser
        browser.close()


@pytest.fixture(scope="session")
def sessions() -> dict[str, StorageState]:
    """Who has signed in, each with their cookie: to sign in for each page takes longer than most pages."""
    return {}


@pytest.fixture
def visit(browser: Browser, live: Live, sessions: dict[str, StorageState]) -> Iterator[Visit]:
    """Open a page as somebody, at an address, in a theme and size; faults in the page fail the test.

    With `anew`, they sign in for it, and have a session of their own there.
    """
    contexts = []
    faults: list[str] = []

    def open_page(
        who: str | None, path: str = "/desk", *, mode: str = "light", width: int = 1280, anew: bool = False
    ) -> Page:
        kept = None if anew else sessions.get(who or "")
        context = browser.new_context(
            base_url=live.running.url,
            viewport={"width": width, "height": 800},
            reduced_motion="reduce",
            storage_state=kept,
        )
        context.add_init_script(f"localStorage.setItem('dogana-mode', '{mode}')")
        context.set_default_timeout(15_000)
        contexts.append(context)
        if kept and not context.request.get("/api/me").ok:
            # Another test has ended that session.
            kept = None
        page = context.new_page()
        page.on("pageerror", lambda error: faults.append(str(error)))
        page.goto(path if who is None or kept else f"/sign-in?next={quote(path)}")
        if kept:
            page.locator("h1").first.wait_for()
        if who is not None and (not kept or "/sign-in" in page.url):
            page.get_by_label("Mail address").fill(f"{who}@corvale.example")
            page.get_by_label("Password").fill(PASSWORD)
            page.get_by_role("button", name="Sign in").click()
            page.wait_for_url(live.running.url + path)
            if not anew:
                sessions[who] = context.storage_state()
        return page

    yield open_page
    for context in contexts:
        context.close()
    assert faults == []
