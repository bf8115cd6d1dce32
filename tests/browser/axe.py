"""What axe finds wrong with a page (WCAG 2.2 A and AA, and the best practices it knows), by day and night."""

from playwright.sync_api import Page
from tests.conftest import ROOT

AXE = ROOT / "web" / "node_modules" / "axe-core" / "axe.min.js"
RUN = "axe.run({{ resultTypes: ['violations']{} }})"
SETTLED = """() => new Promise((settled) => {
    let quiet = setTimeout(settled, 150);
    const again = () => { clearTimeout(quiet); quiet = setTimeout(settled, 150); };
    new MutationObserver(again).observe(document.body, { subtree: true, childList: true });
})"""
"""Once nothing more is drawn."""


def violations(page: Page) -> list[tuple[str, str, list]]:
    """Of each theme; what is there is the same in both, how well it is seen may differ."""
    page.evaluate(SETTLED)
    page.evaluate(AXE.read_text())
    out = []
    for mode, only in (("light", ""), ("dark", ", runOnly: ['color-contrast']")):
        page.evaluate(f"document.documentElement.dataset.mode = '{mode}'")
        found = page.evaluate(RUN.format(only))
        out += [(mode, v["id"], [n["target"] for n in v["nodes"]][:3]) for v in found["violations"]]
    return out
