"""How soon each view shows its content on the demo's data, beside a bare page in the same browser."""

import asyncio
import shutil
import tempfile
import time
from dataclasses import dataclass
from pathlib import Path
from statistics import median

from playwright.async_api import Page, async_playwright

from dogana.bench.desk import BROWSER, FLAGS, signed_in
from dogana.demo.cluster import free_port
from dogana.demo.instance import Instance

WITHIN = 1.0
"""Seconds from asking for a view to its content."""
_ROUNDS = 5
_PROMOTION = "a.row"
_VIEWS = {
    "desk": ("/desk", _PROMOTION),
    "dossier": (_PROMOTION, ".columns .inspection li"),
    "policies": ("/policies", "table a.rule"),
    "one policy": ("/policies?of=live-north", ".cm-content"),
    "calendar": ("/calendar", ".lane .closing"),
    "ledger": ("/ledger", "li.entry"),
    "set-up": ("/set-up/people", "ul.lines li"),
}
"""An address, or what leads there from the Desk; and what its content is."""


@dataclass(frozen=True, kw_only=True)
class Measured:
    """What was measured, in seconds."""

    views: dict[str, float]
    """From a cold address to content, by view."""
    bare_page: float
    latest: str
    kept: bool

    def in_words(self) -> str:
        """The figures with their limit."""
        each = ", ".join(f"{name} {seconds} s" for name, seconds in self.views.items())
        return f"{each} (at most {WITHIN:g} each); a bare page {self.bare_page} s"


def run() -> Measured:
    """Make the demo with its whole history in a place of its own, and look at each view."""
    root = Path(__file__).parents[3]
    folder = Path(tempfile.mkdtemp(prefix="dogana-views-"))
    folder.chmod(0o755)
    instance = Instance(folder, root / "web" / "build", lambda _: None)
    try:
        return asyncio.run(_measure(instance.start(port=free_port()).url))
    finally:
        instance.stop()
        shutil.rmtree(folder, ignore_errors=True)


async def _measure(url: str) -> Measured:
    async with async_playwright() as playwright:
        browser = await playwright.chromium.launch(executable_path=BROWSER, args=FLAGS)
        context = await browser.new_context(storage_state=await signed_in(browser, url))
        page = await context.new_page()
        bare = median([await _until(page, "data:text/html,<h1>Desk</h1>", "h1") for _ in range(_ROUNDS)])
        await page.goto(f"{url}/desk")
        promotion = await page.locator(_PROMOTION).first.get_attribute("href")
        found = {}
        for name, (address, content) in _VIEWS.items():
            path = promotion if address == _PROMOTION else address
            found[name] = median([await _until(page, f"{url}{path}", content) for _ in range(_ROUNDS)])
        await browser.close()
    latest = max(found, key=lambda name: found[name])
    return Measured(
        views={name: round(seconds, 3) for name, seconds in found.items()},
        bare_page=round(bare, 3),
        latest=latest,
        kept=found[latest] <= WITHIN,
    )


async def _until(page: Page, address: str, content: str) -> float:
    began = time.monotonic()
    await page.goto(address, wait_until="commit")
    await page.locator(content).first.wait_for(state="attached")
    return time.monotonic() - began
