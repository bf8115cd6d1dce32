"""Coverage as Cobertura XML; entities are never expanded."""

from math import isfinite
from xml.etree.ElementTree import Element

from dogana.sources.reports.common import MOST, Content, UnusableReportError, local_name, text, xml_root


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
        name: share
        for name, (rate, valid) in {
            "lines": ("line-rate", "lines-valid"),
            "branches": ("branch-rate", "branches-valid"),
        }.items()
        if root.get(valid) != "0" and (share := _percent(root, rate)) is not None
    }
    packages = [
        {"name": text(one.get("name")), "lines": share}
        for one in root.iterfind("packages/package")
        if (share := _percent(one, "line-rate")) is not None
    ]
    packages.sort(key=lambda one: (one["lines"], one["name"]))
    return Content({**shares, "packages": len(packages), "least_covered": packages[:MOST]})


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
