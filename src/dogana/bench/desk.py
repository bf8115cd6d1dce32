"""How fast the Desk is in a real browser, beside a bare page; and with two thousand promotions pending."""

import asyncio
import time
from dataclasses import dataclass
from statistics import median
from typing import Any

from playwright.async_api import Browser, Page, async_playwright

from dogana.bench import many
from dogana.bench.instance import ENVIRONMENT, Instance, instance
from dogana.demo.cast import ACTORS, PASSWORD
from dogana.service.policies import drafts
from dogana.service.promotions import intake, refreshing
from dogana.wiring import backend_for

PAINT_TIMES = 2.5
"""How many times the first contentful paint of a bare page that of the Desk may take."""
USABLE_WITHIN = 2.0
"""Seconds until the Desk with many pending shows them and takes a key."""
FRAMES = 50.0
"""A second, at the least, while it scrolls."""
FILTERED_WITHIN = 0.1
"""Seconds."""
_FEW, _MANY = 12, 2000
_ROUNDS = 7
BROWSER = "/usr/bin/chromium-headless-shell"
"""The browser without the windows that nobody sees: half the work for the same pages."""
FLAGS = ["--no-sandbox", "--disable-gpu"]
_PAINT = "performance.getEntriesByName('first-contentful-paint')[0]?.startTime"
_SCROLL = """() => new Promise((done) => {
    let frames = 0;
    const began = performance.now();
    const step = () => {
        frames += 1;
        scrollBy(0, 40);
        const took = performance.now() - began;
        if (took < 2000) requestAnimationFrame(step);
        else done((frames * 1000) / took);
    };
    requestAnimationFrame(step);
})"""
_FILTER = """(words) => new Promise((done) => {
    const field = document.getElementById('words');
    const began = performance.now();
    field.value = words;
    field.dispatchEvent(new Event('input', { bubbles: true }));
    const look = () => {
        const rows = [...document.querySelectorAll('a.row')];
        const fit = rows.length && rows.every((row) => row.textContent.includes(words));
        if (fit) done(performance.now() - began);
        else setTimeout(look, 1);
    };
    look();
})"""


@dataclass(frozen=True, kw_only=True)
class Measured:
    """What was measured; times in seconds."""

    first_paint: float
    bare_first_paint: float
    paint_ratio: float
    usable_with_many: float
    frames_per_second: float
    bare_frames_per_second: float
    """Of a page with nothing to scroll, as many as this machine draws."""
    filtered: float
    kept: bool

    def in_words(self) -> str:
        """The figures with their limits."""
        return (
            f"first paint {self.paint_ratio} times that of a bare page (at most {PAINT_TIMES:g}); "
            f"with {_MANY} pending usable after {self.usable_with_many} s (at most {USABLE_WITHIN:g}), "
            f"{self.frames_per_second} frames a second (at least {FRAMES:g} where a bare page "
            f"has 60; here it has {self.bare_frames_per_second}), "
            f"filtered in {self.filtered} s (at most {FILTERED_WITHIN:g})"
        )


def run() -> Measured:
    """Measure on a private cluster, with the front end as it was built."""
    with instance() as made:
        return asyncio.run(_measure(made))


async def _measure(made: Instance) -> Measured:
    await made.prepare()
    number = await waiting(made)
    many.pending(made.urls.owner, number, _FEW - 1)
    bare = made.folder / "bare"
    bare.mkdir()
    (bare / "index.html").write_text("<!doctype html><title>Bare</title><h1>Desk</h1><p>Nothing waits.")
    async with (
        made.process("dogana", "serve") as ours,
        made.process("http.server", "{port}", "--bind", "127.0.0.1", "--directory", str(bare)) as theirs,
        async_playwright() as playwright,
    ):
        browser = await playwright.chromium.launch(executable_path=BROWSER, args=FLAGS)
        state = await signed_in(browser, ours.url)
        painted, bare_painted = [], []
        for _ in range(_ROUNDS):
            bare_painted.append(await _first_paint(browser, theirs.url, None))
            painted.append(await _first_paint(browser, f"{ours.url}/desk", state))
        many.pending(made.urls.owner, number, _MANY - _FEW)
        context = await browser.new_context(storage_state=state)
        page = await context.new_page()
        usable = median([await _usable(page, ours.url) for _ in range(3)])
        frames = await page.evaluate(_SCROLL)
        filtered = await page.evaluate(_FILTER, "2.0.77") / 1000
        await page.goto(theirs.url)
        bare_frames = await page.evaluate(_SCROLL)
        await browser.close()
    ratio = median(painted) / median(bare_painted)
    return Measured(
        first_paint=round(median(painted), 3),
        bare_first_paint=round(median(bare_painted), 3),
        paint_ratio=round(ratio, 2),
        usable_with_many=round(usable, 2),
        frames_per_second=round(frames, 1),
        bare_frames_per_second=round(bare_frames, 1),
        filtered=round(filtered, 3),
        kept=ratio <= PAINT_TIMES
        and usable <= USABLE_WITHIN
        and frames >= min(FRAMES, FRAMES / 60 * bare_frames)
        and filtered <= FILTERED_WITHIN,
    )


async def waiting(made: Instance) -> int:
    """A promotion that waits for a seat of the release desk."""
    rule = {"id": "desk", "kind": "reviewers", "title": "The desk", "seats": [{"group": "release-desk"}]}
    document = {"format": "dogana.policy/1", "title": "Bench", "zone": "Europe/Rome", "rules": [rule]}
    asking = made.request("1.0.1", made.revision)
    async with backend_for(made.settings) as backend:
        drafted = await drafts.draft(backend, ACTORS["marco"], ENVIRONMENT, document)
        await drafts.adopt(backend, ACTORS["chiara"], ENVIRONMENT, drafted.version, reason="")
        row = await intake.request(backend, ACTORS["pipeline"], asking)
        await refreshing.refresh(backend, row.number)
    return row.number


async def signed_in(browser: Browser, url: str) -> Any:
    """What a browser keeps of somebody of the release desk who signed in."""
    context = await browser.new_context(base_url=url)
    page = await context.new_page()
    await page.goto("/sign-in?next=/desk")
    await page.get_by_label("Mail address").fill("ilse@corvale.example")
    await page.get_by_label("Password").fill(PASSWORD)
    await page.get_by_role("button", name="Sign in").click()
    await page.wait_for_selector("a.row")
    state = await context.storage_state()
    await context.close()
    return state


async def _first_paint(browser: Browser, url: str, state: Any) -> float:
    """Seconds to the first contentful paint, with nothing cached."""
    context = await browser.new_context(storage_state=state)
    page = await context.new_page()
    await page.goto(url)
    await page.wait_for_function(f"() => {_PAINT} !== undefined")
    painted: float = await page.evaluate(_PAINT)
    await context.close()
    return painted / 1000


async def _usable(page: Page, url: str) -> float:
    """Seconds until all are counted and the first is drawn and chosen by its key."""
    began = time.monotonic()
    await page.goto(f"{url}/desk")
    counted = f"document.querySelector('h1')?.textContent.includes('of {_MANY} pending')"
    await page.wait_for_function(f"() => {counted} && document.querySelector('a.row')")
    await page.keyboard.press("j")
    await page.wait_for_selector("a.row:focus")
    return time.monotonic() - began
