"""One browser for a module, in which a test has a context for each person to itself."""

from collections import defaultdict
from collections.abc import Callable, Iterator
from urllib.parse import quote
from uuid import uuid4

import pytest
from playwright.sync_api import (
    Browser,
    BrowserContext,
    ConsoleMessage,
    Page,
    StorageState,
    expect,
    sync_playwright,
)
from tests.conftest import Live

from dogana.bench.desk import BROWSER, FLAGS
from dogana.demo.cast import PASSWORD

Visit = Callable[..., Page]
Rested = dict[tuple[str, int], list[BrowserContext]]
expect.set_options(timeout=15_000)
"""A busy machine is no fault of the page."""
_FLAGS = [*FLAGS, "--disable-background-networking", "--disable-component-update"]


@pytest.fixture(scope="module")
def browser(live: Live) -> Iterator[Browser]:
    """Closed with its module: while Playwright runs, no other test can have an event loop of its own."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=BROWSER, args=_FLAGS)
        yield browser
        browser.close()


@pytest.fixture(scope="session")
def sessions() -> dict[str, StorageState]:
    """Who has signed in, each with their cookie: to sign in for each page takes longer than most pages."""
    return {}


@pytest.fixture(scope="module")
def rested(browser: Browser) -> Rested:
    """Contexts that no test uses just now, by person and width.

    Where our pages were loaded before, one loads in half the time.
    """
    del browser
    return defaultdict(list)


@pytest.fixture
def faults() -> list[str]:
    """What went wrong in the pages of a test; what of it is left at its end fails it."""
    return []


@pytest.fixture
def visit(
    browser: Browser,
    live: Live,
    sessions: dict[str, StorageState],
    rested: Rested,
    faults: list[str],
) -> Iterator[Visit]:
    """Open a page as somebody, at an address, in a theme and size; faults in the page fail the test.

    So does a part of it that cannot be shown.

    With `anew`, they sign in for it, and have a session of their own there.
    """
    used = []
    test = uuid4().hex

    def context_for(who: str | None, width: int, *, anew: bool) -> BrowserContext:
        of = None if anew or who is None else (who, width)
        if of and rested[of]:
            context = rested[of].pop()
        else:
            context = browser.new_context(
                base_url=live.running.url,
                viewport={"width": width, "height": 800},
                reduced_motion="reduce",
                storage_state=sessions.get(of[0]) if of else None,
            )
            context.set_default_timeout(15_000)
        used.append((of, context))
        return context

    def open_page(
        who: str | None, path: str = "/desk", *, mode: str = "light", width: int = 1280, anew: bool = False
    ) -> Page:
        context = context_for(who, width, anew=anew)
        # Another test may have ended the session; and a connection that was kept open may be closed by now.
        known = not anew and who in sessions and context.request.get("/api/me", max_retries=2).ok
        page = context.new_page()
        page.add_init_script(
            f"if (localStorage.getItem('test') !== '{test}') {{"
            f" localStorage.clear(); localStorage.setItem('test', '{test}'); }}"
            f"localStorage.setItem('dogana-mode', '{mode}')"
        )
        page.on("pageerror", lambda error: faults.append(str(error)))
        page.on("console", lambda message: faults.extend(_fault(message)))
        page.goto(path if who is None or known else f"/sign-in?next={quote(path)}")
        if known:
            page.locator("h1").first.wait_for()
        if who is not None and (not known or "/sign-in" in page.url):
            page.get_by_label("Mail address").fill(f"{who}@corvale.example")
            page.get_by_label("Password").fill(PASSWORD)
            page.get_by_role("button", name="Sign in").click()
            page.wait_for_url(live.running.url + path)
            if not anew:
                sessions[who] = context.storage_state()
        return page

    yield open_page
    for of, context in used:
        if of is None:
            context.close()
            continue
        for page in context.pages:
            page.close()
        rested[of].append(context)
    assert faults == []


def _fault(message: ConsoleMessage) -> list[str]:
    """What a page says of itself, but for answers that are problems: many a test asks for one."""
    wrong = message.type == "error" and not message.text.startswith("Failed to load resource")
    return [message.text] if wrong else []
