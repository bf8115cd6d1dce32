"""Test results as JUnit XML, coverage as Cobertura XML; entities are never expanded."""

from collections.abc import Iterator
from typing import Any, cast
from xml.etree.ElementTree import Element, ParseError

from defusedxml import DefusedXmlException
from defusedxml.ElementTree import fromstring
from junitparser import Error, Failure, JUnitXmlError, Skipped
from junitparser.xunit2 import JUnitXml, TestCase

from dogana.sources.reports.common import MOST, UnusableReportError, text


def _root(body: bytes) -> Element:
    try:
        root: Element = fromstring(body)
    except DefusedXmlException as exc:
        raise UnusableReportError("It defines entities; a report needs none.") from exc
    except (ParseError, ValueError, LookupError) as exc:
        raise UnusableReportError(f"This is no XML: {exc}") from exc
    return root


def test_results(bodies: list[bytes]) -> dict[str, Any]:
    """Counts, failures with their messages, and what only passed when run again.

    A test that is listed several times, failing and passing, counts as passed and flaky.
    """
    suites: set[str] = set()
    results: dict[tuple[str, str], list[TestCase]] = {}
    seconds = 0.0
    for body in bodies:
        try:
            tree: Any = JUnitXml.fromroot(cast("Any", _root(body)))
        except JUnitXmlError as exc:
            raise UnusableReportError("This is no JUnit XML: it holds no test suites.") from exc
        for suite in tree:
            suites |= {text(one.name) for one in _with_inner(suite)}
            for case in suite:
                results.setdefault((text(case.classname or suite.name), text(case.name)), []).append(case)
                seconds += float(case.time or 0)
    if not results:
        raise UnusableReportError("There is no test in it.")
    return _counted(results, len(suites), seconds)


def _with_inner(suite: Any) -> Iterator[Any]:
    """A suite and those inside it; its cases are the cases of all of them."""
    yield suite
    for inner in suite.testsuites():
        yield from _with_inner(inner)


def _counted(results: dict[tuple[str, str], list[TestCase]], suites: int, seconds: float) -> dict[str, Any]:
    failures, flaky, skipped = [], [], 0
    for (group, name), runs in results.items():
        bad = [found for run in runs if (found := _failure(run)) is not None]
        if len(bad) == len(runs):
            failures.append({"suite": group, "name": name, **bad[-1]})
        elif bad or any(run.is_flaky for run in runs):
            flaky.append(f"{group}: {name}" if group else name)
        elif all(any(isinstance(one, Skipped) for one in run.result) for run in runs):
            skipped += 1
    return {
        "suites": suites,
        "passed": len(results) - len(failures) - skipped,
        "failed": len(failures),
        "skipped": skipped,
        "flaky": len(flaky),
        "seconds": round(seconds, 3),
        "failures": failures[:MOST],
        "flaky_tests": flaky[:MOST],
    }


def _failure(run: TestCase) -> dict[str, str] | None:
    for one in run.result:
        if isinstance(one, Failure | Error):
            return {"message": text(one.message) or text(one.type) or "failed", "text": text(one.text)}
    return None


def coverage(bodies: list[bytes]) -> dict[str, Any]:
    """The share of lines and branches that were run, in percent, whole and by package."""
    if len(bodies) != 1:
        raise UnusableReportError("One coverage report is read at a time.")
    root = _root(bodies[0])
    if root.tag != "coverage" or "line-rate" not in root.attrib:
        raise UnusableReportError("This is no Cobertura XML: it has no coverage with a line-rate.")
    packages = [
        {"name": text(one.get("name")), "lines": _percent(one, "line-rate")}
        for one in root.iterfind("packages/package")
    ]
    packages.sort(key=lambda one: (one["lines"], one["name"]))
    return {
        "lines": _percent(root, "line-rate"),
        "branches": _percent(root, "branch-rate"),
        "packages": len(packages),
        "least_covered": packages[:MOST],
    }


def _percent(element: Element, name: str) -> float:
    try:
        rate = float(element.get(name, "0"))
    except ValueError as exc:
        raise UnusableReportError(f"This is no Cobertura XML: {name} is no number.") from exc
    if not 0 <= rate <= 1:
        raise UnusableReportError(f"This is no Cobertura XML: {name} is not from 0 to 1.")
    return round(rate * 100, 2)
