"""What is found in an older release and not in a newer one any more: it comes back with the older one."""

from collections import Counter
from collections.abc import Sequence
from typing import Any

from dogana.core.document import Document
from dogana.core.facts import Report
from dogana.core.findings import file_of
from dogana.core.kept_lists import list_in, not_all

_SCANS = ("scan", "components")


class ScanFinding(Document):
    """One thing that a scan found."""

    scan: str
    severity: str
    name: str
    message: str
    where: str


class Reappearing(Document):
    """What comes back, and why that may not be all of it."""

    findings: tuple[ScanFinding, ...] = ()
    unknown: tuple[str, ...] = ()
    """Sentences; empty where it is all."""


def reappearing(older: Sequence[Report], newer: Sequence[Report]) -> Reappearing:
    """What scans of an older release found, and those of the same name of a newer one did not.

    Findings are the same where their name and their file are: lines move. What one scan cannot be relied on
    for, or lists only the worst of, is not known; so is what was never scanned.
    """
    now = {report.name: report for report in newer if report.kind in _SCANS}
    findings: list[ScanFinding] = []
    unknown = []
    scans = [report for report in older if report.kind in _SCANS]
    if not scans:
        unknown.append("The older release came with no scan.")
    for report in scans:
        other = now.get(report.name)
        why = _unreadable(report) or (_unreadable(other) if other else "is not with the newer release")
        if why:
            unknown.append(f"{report.name} {why}.")
        left = Counter(map(_same, _found(other))) if other else Counter[tuple[str, str]]()
        for one in _found(report):
            if left[_same(one)] > 0:
                left[_same(one)] -= 1
            else:
                findings.append(_finding(report.name, one))
    return Reappearing(findings=tuple(findings), unknown=tuple(unknown))


def _unreadable(report: Report) -> str | None:
    if report.unknown:
        return f"cannot be relied on: {report.unknown}"
    if not isinstance(report.content.get("findings", []), list):
        return "does not list what it found"
    return not_all(report.content, "findings", len(list_in(report.content, "findings")))


def _found(report: Report) -> list[dict[str, Any]]:
    return [one for one in list_in(report.content, "findings") if isinstance(one, dict)]


def _same(one: dict[str, Any]) -> tuple[str, str]:
    return str(one.get("name", "")), file_of(str(one.get("where", "")))


def _finding(scan: str, one: dict[str, Any]) -> ScanFinding:
    said = {key: str(one.get(key, ""))[:500] for key in ("severity", "name", "message", "where")}
    return ScanFinding(scan=scan, **said)
