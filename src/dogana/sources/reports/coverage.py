"""Coverage as Cobertura XML; entities are never expanded."""

from math import isfinite
from xml.etree.ElementTree import Element

from dogana.sources.reports.common import MOST, Content, UnusableReportError, local_name, text, xml_root

_RATES = {"lines": "line-rate", "branches": "branch-rate"}
_ROUNDED = 0.0051
"""By how much a share may be off: some tools write two decimals."""


def coverage(bodies: list[bytes]) -> Content:
    """The share of lines and branches that were run, in percent, whole and by package.

    What was not measured is absent: it is not the same as nothing having been run.
    """
    if len(bodies) != 1:
        raise UnusableReportError("One coverage report is read at a time.")
    root = xml_root(bodies[0])
    if local_name(root) != "coverage" or "line-rate" not in root.attrib:
        raise UnusableReportError("This is no Cobertura XML: it has no coverage with a line-rate.")
    shares = {
        what: share
        for what, rate in _RATES.items()
        if root.get(f"{what}-valid") != "0" and (share := _percent(root, rate)) is not None
    }
    packages = [
        {"name": text(one.get("name")), "lines": share}
        for one in root.iterfind("packages/package")
        if (share := _percent(one, "line-rate")) is not None
    ]
    packages.sort(key=lambda one: (one["lines"], one["name"]))
    why = _not_counted(root) if shares else "nothing was measured"
    return Content({**shares, "packages": len(packages), "least_covered": packages[:MOST]}, why)


def _not_counted(root: Element) -> str | None:
    """Where a share is not what was counted; None where it is, or nothing was counted."""
    for what, name in _RATES.items():
        rate, covered, valid = root.get(name), root.get(f"{what}-covered"), root.get(f"{what}-valid")
        if not rate or not covered or not valid or valid == "0":
            continue
        try:
            fits = abs(int(covered) / int(valid) - float(rate)) <= _ROUNDED
        except (ValueError, ArithmeticError):
            return f"its {what}-covered or {what}-valid is no number"
        if not fits:
            return f"its {name} is {rate}, and it counted {covered} of {valid} {what}"
    return None


def _percent(element: Element, name: str) -> float | None:
    given = element.get(name)
    if given is None or given == "":
        return None
    try:
        rate = float(given)
    except ValueError as exc:
        raise UnusableReportError(f"This is no Cobertura XML: {name} is no number.") from exc
    if not isfinite(rate) or not 0 <= rate <= 1:
        raise UnusableReportError(f"This is no Cobertura XML: {name} is not from 0 to 1.")
    return round(rate * 100, 2)
