"""Test results as JUnit XML, as many tools write it; entities are never expanded.

Every case counts by itself: cases of one name, even in one suite, are different cases to linters and to
runners that name them as they like. What the file says of its own totals is held against what stands in it;
where the two disagree something is missing, and then nothing is known.
"""

from dataclasses import dataclass, field
from math import isfinite
from xml.etree.ElementTree import Element

from dogana.sources.reports.common import MOST, Content, UnusableReportError, local_name, text, xml_root

_RUN = frozenset(
    {"", "run", "passed", "pass", "success", "successful", "succeeded", "ok", "completed", "flaky"}
)
_NOT_RUN = frozenset(
    {"notrun", "disabled", "skipped", "skip", "ignored", "suppressed", "pending", "todo", "untested"}
)
_BAD = frozenset({"failure", "error", "rerunFailure", "rerunError"})
_FAILED = frozenset(
    {"failed", "fail", "failure", "error", "errored", "broken"}
    | {"timedout", "timeout", "aborted", "interrupted", "panicked"}
)
_FLAKY = frozenset({"flakyFailure", "flakyError"})
_SUITES = frozenset({"testsuite", "testsuites"})
_WITHIN = {
    "testsuite": _SUITES,
    "testcase": _SUITES,
    "skipped": {*_SUITES, "testcase"},
    **{kind: {*_SUITES, "testcase"} for kind in _BAD | _FLAKY},
}
"""In what else each of these is read."""
_DEEPEST = 50


@dataclass
class _Counts:
    """What stands in a suite, those inside it included."""

    cases: int = 0
    failed: int = 0
    skipped: int = 0
    suites: int = 0
    flaky: int = 0
    flaky_tests: list[str] = field(default_factory=list)
    failures: list[dict[str, str]] = field(default_factory=list)
    faults: list[str] = field(default_factory=list)
    seconds: float = 0.0

    def add(self, other: "_Counts") -> None:
        """Count another as well."""
        self.cases += other.cases
        self.failed += other.failed
        self.skipped += other.skipped
        self.suites += other.suites
        self.flaky += other.flaky
        self.flaky_tests = (self.flaky_tests + other.flaky_tests)[:MOST]
        self.failures = (self.failures + other.failures)[:MOST]
        self.faults = (self.faults + other.faults)[:MOST]
        self.seconds += other.seconds


def results(bodies: list[bytes]) -> Content:
    """Counts, failures with their messages.

    And what only passed when run again as far as the file says so.
    """
    whole = _Counts()
    for body in bodies:
        root = xml_root(body)
        if local_name(root) not in _SUITES:
            raise UnusableReportError("This is no JUnit XML: it holds no test suites.")
        one = _suite(root, 0)
        if _astray(root):
            one.faults.append("something in it stands where no test is read")
        whole.add(one)
    if not whole.cases:
        raise UnusableReportError("There is no test in it.")
    return Content(
        {
            "suites": whole.suites,
            "passed": whole.cases - whole.failed - whole.skipped,
            "failed": whole.failed,
            "skipped": whole.skipped,
            "flaky": whole.flaky,
            "seconds": round(whole.seconds, 3),
            "failures": whole.failures,
            "flaky_tests": whole.flaky_tests,
        },
        unknown=whole.faults[0] if whole.faults else None,
    )


def _astray(root: Element) -> bool:
    """Whether a test, or what became of one, stands where it would be passed over."""
    return any(
        local_name(child) in _WITHIN and local_name(parent) not in _WITHIN[local_name(child)]
        for parent in root.iter()
        for child in parent
    )


def _suite(element: Element, depth: int) -> _Counts:
    if depth > _DEEPEST:
        raise UnusableReportError("It is nested too deeply.")
    out, direct = _Counts(suites=local_name(element) == "testsuite"), _Counts()
    inner: list[_Counts] = []
    name = text(element.get("name"))
    for child in element:
        kind = local_name(child)
        if kind == "testsuite":
            inner.append(_suite(child, depth + 1))
        elif kind == "testcase":
            direct.add(_case(child, name))
        elif kind in _BAD:
            failure = {"suite": name, "name": "the suite itself", **_said(child)}
            direct.add(_Counts(cases=1, failed=1, failures=[failure]))
    out.add(direct)
    for one in inner:
        out.add(one)
    out.faults += _faults(element, out, direct, inner)
    return out


def _case(element: Element, suite: str) -> _Counts:
    group, name = text(element.get("classname")) or suite, text(element.get("name"))
    kinds = {local_name(child): child for child in reversed(element)}
    status = {(element.get(key) or "").casefold() for key in ("status", "result")}
    bad = next(
        (kinds[kind] for kind in ("failure", "error", "rerunFailure", "rerunError") if kind in kinds), None
    )
    out = _Counts(cases=1, seconds=_seconds(element.get("time")))
    if bad is not None or status & _FAILED:
        said = _said(bad) if bad is not None else {"message": "failed", "text": ""}
        out.failed, out.failures = 1, [{"suite": group, "name": name, **said}]
    elif "skipped" in kinds or status & _NOT_RUN:
        out.skipped = 1
    elif status - _RUN:
        out.faults = [f"a test has the status {text(min(status - _RUN))}, which is not known here"]
    elif kinds.keys() & _FLAKY:
        out.flaky, out.flaky_tests = 1, [f"{group}: {name}" if group else name]
    return out


def _said(element: Element) -> dict[str, str]:
    message = text(element.get("message")) or text(element.get("type")) or "failed"
    return {"message": message, "text": text(element.text)}


def _seconds(given: str | None) -> float:
    try:
        seconds = float(given or 0)
    except ValueError:
        return 0.0
    return seconds if isfinite(seconds) and seconds > 0 else 0.0


def _faults(element: Element, whole: _Counts, direct: _Counts, inner: list[_Counts]) -> list[str]:
    """Where a suite's own totals agree with no way of counting what stands in it."""
    try:
        given = {
            key: int(element.get(key, ""))
            for key in ("tests", "failures", "errors", "skipped", "disabled")
            if element.get(key, "") != ""
        }
    except ValueError:
        return ["its own totals are no numbers"]
    called = f" of {text(element.get('name'))}" if element.get("name") else ""
    # Some tools count what is inside a suite alone, some what is inside the inner ones, some those as one
    # each.
    ways = {
        "cases": (whole.cases, direct.cases, direct.cases + len(inner), whole.cases - whole.skipped),
        "failed": (whole.failed, direct.failed, direct.failed + sum(one.failed > 0 for one in inner)),
        "skipped": (whole.skipped, direct.skipped),
    }
    claims = [("cases", "tests", given["tests"])] if "tests" in given else []
    if {"failures", "errors"} & given.keys():
        bad = given.get("failures", 0) + given.get("errors", 0)
        claims.append(("failed", "failures", bad))
    if "skipped" in given:
        more = given.get("disabled", 0)
        ways["skipped"] = (*ways["skipped"], whole.skipped - more, direct.skipped - more)
        claims.append(("skipped", "skipped", given["skipped"]))
    return [
        f"the totals{called} tell of {said} {word}, and {ways[kind][0]} stand in it"
        for kind, word, said in claims
        if said not in ways[kind]
    ]
