"""Reports that come with releases: what is read out of them, and what is refused with a reason."""

import gzip
import io
import json
import zipfile

import pytest
from pydantic import TypeAdapter

from dogana.core.document import Content
from dogana.sources import reports
from dogana.sources.reports.common import UnusableReportError

JUNIT = b"""<?xml version="1.0"?>
<testsuites>
  <testsuite name="bills" tests="4">
    <testcase classname="bills.Round" name="half a cent" time="0.25"/>
    <testcase classname="bills.Round" name="drought step" time="1.5">
      <failure message="expected 12.30, was 12.31" type="AssertionError">trace of it</failure>
    </testcase>
    <testcase classname="bills.Round" name="credit"><skipped/></testcase>
    <testcase classname="bills.Post" name="sends" time="1">
      <flakyFailure message="timed out"/>
    </testcase>
    <testsuite name="inner">
      <testcase name="again"><error message="down"/></testcase>
      <testcase name="again"/>
    </testsuite>
  </testsuite>
</testsuites>"""
COBERTURA = b"""<?xml version="1.0"?>
<!DOCTYPE coverage SYSTEM "http://nowhere.example/coverage-04.dtd">
<coverage line-rate="0.8125" branch-rate="0.5"><packages>
  <package name="tariff" line-rate="0.9"/><package name="bills" line-rate="0.25"/>
</packages></coverage>"""
SARIF = {
    "version": "2.1.0",
    "runs": [
        {
            "tool": {
                "driver": {
                    "name": "scanner",
                    "rules": [{"id": "R1", "properties": {"security-severity": "9.8"}}],
                }
            },
            "results": [
                {"ruleId": "R2", "level": "note", "message": {"text": "hm"}},
                {
                    "ruleId": "R1",
                    "message": {"text": "a hole"},
                    "locations": [
                        {
                            "physicalLocation": {
                                "artifactLocation": {"uri": "a.py"},
                                "region": {"startLine": 7},
                            }
                        }
                    ],
                },
                {"ruleId": "R3", "message": {"text": "known"}, "suppressions": [{"kind": "inSource"}]},
                {"ruleId": "R4", "kind": "pass", "message": {"text": "fine"}},
            ],
        }
    ],
}
BILL = {
    "bomFormat": "CycloneDX",
    "specVersion": "1.5",
    "components": [
        {"bom-ref": "a", "name": "lib", "version": "1.2", "licenses": [{"license": {"id": "MIT"}}]},
        {"name": "other"},
    ],
    "vulnerabilities": [
        {"id": "V-1", "ratings": [{"severity": "low"}, {"score": 7.5}], "affects": [{"ref": "a"}]},
        {"id": "V-2", "ratings": [{"severity": "critical"}], "analysis": {"state": "not_affected"}},
        {"id": "V-3"},
    ],
}


def content_of(form, body):
    return reports.content_of(form, body).content


def test_test_results_with_failures_and_what_was_flaky():
    """A failure carries its message.

    What the file says passed when it ran again is flaky, a namesake is not.
    """
    found = content_of("junit", JUNIT)
    assert {k: found[k] for k in ("suites", "passed", "failed", "skipped", "flaky", "seconds")} == {
        "suites": 2,
        "passed": 3,
        "failed": 2,
        "skipped": 1,
        "flaky": 1,
        "seconds": 2.75,
    }
    failure, again = found["failures"]
    assert (again["suite"], again["name"]) == ("inner", "again")
    assert failure == {
        "suite": "bills.Round",
        "name": "drought step",
        "message": "expected 12.30, was 12.31",
        "text": "trace of it",
    }
    assert found["flaky_tests"] == ["bills.Post: sends"]


def test_coverage_whole_and_by_package():
    """In percent, the least covered first; the document type it names is not fetched."""
    found = content_of("cobertura", COBERTURA)
    assert (found["lines"], found["branches"], found["packages"]) == (81.25, 50, 2)
    assert found["least_covered"][0] == {"name": "bills", "lines": 25}


def test_findings_of_a_scanner_by_severity():
    """The score of the rule counts before the level; what was suppressed or passed is no finding."""
    found = content_of("sarif", json.dumps(SARIF).encode())
    assert [found[k] for k in ("critical", "high", "medium", "low", "suppressed")] == [1, 0, 0, 1, 1]
    assert found["findings"][0] == {
        "severity": "critical",
        "name": "R1",
        "message": "a hole",
        "where": "a.py:7",
    }


def test_components_and_what_is_known_against_them():
    """The worst rating counts; what was settled does not; one without a rating leaves the whole unknown."""
    read = reports.content_of("cyclonedx", json.dumps(BILL).encode())
    found = read.content
    assert [found[k] for k in ("components", "critical", "high", "medium", "unrated")] == [2, 0, 1, 0, 1]
    assert read.unknown == "V-3 has no severity that could be read"
    assert found["findings"][1]["where"] == "lib 1.2"
    assert found["parts"][0] == {"name": "lib", "version": "1.2", "licence": "MIT"}


def test_a_plan_by_name():
    """Counts for policies, names for people."""
    found = content_of("plan", b'{"add": ["a", "b"], "change": [], "destroy": ["c"]}')
    assert (found["to_add"], found["to_change"], found["to_destroy"]) == (2, 0, 1)
    assert found["destroy"] == ["c"]


def zipped(**files: bytes) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, body in files.items():
            archive.writestr(name, body)
    return out.getvalue()


def test_compressed_reports_are_opened():
    """gzip as one document, a zip of test results as all of them together."""
    assert content_of("junit", gzip.compress(JUNIT)) == content_of("junit", JUNIT)
    other = JUNIT.replace(b"bills", b"alarms")
    assert content_of("junit", zipped(a=JUNIT, b=other))["failed"] == 4


BOMB = b"""<!DOCTYPE b [<!ENTITY a "ha"><!ENTITY b "&a;&a;">]><testsuites>&b;</testsuites>"""
OUTSIDE = b"""<!DOCTYPE b [<!ENTITY a SYSTEM "file:///etc/passwd">]><testsuites>&a;</testsuites>"""
HUGE = b"\0" * (70 << 20)
HOSTILE = {
    "an entity bomb": ("junit", BOMB, "defines entities"),
    "an outside entity": ("cobertura", OUTSIDE, "defines entities"),
    "a gzip bomb": ("junit", gzip.compress(HUGE), "larger than 64 MiB"),
    "a zip bomb": ("junit", zipped(a=HUGE), "larger than 64 MiB"),
    "half a gzip": ("sarif", gzip.compress(JUNIT)[:-9], "no whole gzip"),
    "a broken zip": ("sarif", zipped(a=JUNIT)[:-30], "no whole zip"),
    "no XML": ("junit", b"{}", "no XML"),
    "other XML": ("junit", b"<html/>", "no JUnit XML"),
    "no test": ("junit", b"<testsuites/>", "no test in it"),
    "a rate over one": ("cobertura", b'<coverage line-rate="7"/>', "not from 0 to 1"),
    "no JSON": ("sarif", b"<x/>", "no SARIF"),
    "other JSON": ("sarif", b'{"version": "1.0", "runs": []}', "no SARIF"),
    "a list": ("cyclonedx", b"[]", "no CycloneDX"),
    "another format": ("cyclonedx", b'{"bomFormat": "Other"}', "no CycloneDX"),
    "too deep": ("sarif", b"[" * 100_000, "no SARIF"),
    "names that are none": ("plan", b'{"add": [1], "change": [], "destroy": []}', "no plan summary"),
    "a plan with more": ("plan", b'{"add": [], "change": [], "destroy": [], "x": 1}', "no plan summary"),
}


@pytest.mark.parametrize("name", HOSTILE)
def test_what_is_no_report_is_refused_with_the_reason(name):
    """Never a crash, never more memory than allowed, nothing read from elsewhere."""
    form, body, why = HOSTILE[name]
    with pytest.raises(UnusableReportError) as refused:
        content_of(form, body)
    assert why in refused.value.detail


@pytest.mark.parametrize(
    ("form", "body"),
    [
        ("junit", JUNIT),
        ("cobertura", COBERTURA),
        ("sarif", json.dumps(SARIF).encode()),
        ("cyclonedx", json.dumps(BILL).encode()),
    ],
)
def test_what_is_read_can_stand_in_facts(form, body):
    """Numbers and keys are those that every serialiser writes alike."""
    TypeAdapter(Content).validate_python(content_of(form, body))


def test_text_is_bounded_and_plain():
    """A message of a megabyte, or with terminal codes, is not carried along."""
    body = JUNIT.replace(b"trace of it", b"x" * 5000).replace(b"expected", b"&#x9b;31m expected")
    failure, _ = content_of("junit", body)["failures"]
    assert len(failure["text"]) == 2000
    assert failure["message"].startswith("31m")
