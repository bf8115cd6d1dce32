"""Files that were cut, or lost a part on their way: never a pass.

Each file that a real tool made is cut everywhere; what is left is refused, or unknown.
"""

import json
import re
from contextlib import suppress

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import ROOT
from tests.sources.test_made_by_others import CALENDARS, MADE, REFUSED

from dogana.core.errors import InvalidError
from dogana.sources import reports
from dogana.sources.calendars import read_calendar
from dogana.sources.http import UnreadError
from dogana.sources.metrics import samples_in
from dogana.sources.reports.common import UnusableReportError

FILES = ROOT / "tests" / "files"


@given(st.sampled_from(sorted(MADE)), st.floats(0, 1, exclude_max=True))
def test_a_report_that_was_cut_is_no_report(made, at):
    """Wherever it ends too early."""
    form, name = made
    body = (FILES / name).read_bytes().rstrip()
    with pytest.raises(UnusableReportError):
        reports.content_of(form, body[: int(len(body) * at)])


@given(st.sampled_from(sorted(MADE)), st.integers(0), st.binary(min_size=1, max_size=3))
def test_a_report_that_was_spoiled_is_read_or_refused_and_never_a_trace(made, at, put):
    """Whichever bytes of it are others."""
    form, name = made
    body = bytearray((FILES / name).read_bytes())
    at %= len(body)
    body[at : at + len(put)] = put
    with suppress(UnusableReportError):
        reports.content_of(form, bytes(body))


TOLD = {"pytest.xml": 10, "node.xml": 3, "vitest.xml": 6, "ruff.xml": 11}
"""Of how many cases the files' own totals tell; of those directly under the root of one they do not."""


@pytest.mark.parametrize("name", TOLD)
def test_a_file_of_tests_that_lost_one_is_unknown(name):
    """Each case taken away in turn: its totals say how many there were."""
    text = (FILES / name).read_text()
    cases = re.finditer(r"<testcase\b[^>]*?(?:/>|(?<!/)>.*?</testcase>)", text, re.DOTALL)
    found = [
        reports.content_of("junit", (text[: case.start()] + text[case.end() :]).encode()) for case in cases
    ]
    assert [one.unknown is None for one in found].count(False) == TOLD[name]


@given(st.sampled_from([case for case in CALENDARS if case["name"] not in REFUSED]), st.data())
def test_a_calendar_that_was_cut_is_no_calendar(case, data):
    """An event fewer is a freeze fewer."""
    body = case["text"].strip().encode()
    cut = body[: data.draw(st.integers(0, len(body) - 1))]
    with pytest.raises(InvalidError):
        read_calendar(cut, title="t", zone="Europe/Rome", transparent="close")


PAGE = b"""# TYPE lag gauge
lag{of="north"} 0.0123
lag{of="south"} 0.45
"""


@given(st.integers(1, len(PAGE) - 1))
def test_a_page_of_metrics_that_was_cut_shows_no_other_value(at):
    """Half a number is another number, a line fewer is a station fewer; in the older format only the
    transport can tell of lines that are missing."""
    whole = samples_in(PAGE, ("lag",))
    try:
        found = samples_in(PAGE[:at], ("lag",))
    except UnreadError:
        assert PAGE[at - 1 : at] != b"\n"
    else:
        assert found == whole[: len(found)]
    with pytest.raises(UnreadError):
        samples_in(PAGE[:at], ("lag",), "application/openmetrics-text; version=1.0.0; charset=utf-8")


def bill(**parts: object) -> bytes:
    return json.dumps({"bomFormat": "CycloneDX", "specVersion": "1.5", **parts}).encode()


PACKAGES = {"spdxVersion": "SPDX-2.3", "SPDXID": "SPDXRef-DOCUMENT", "name": "n", "dataLicense": "CC0-1.0"}


@pytest.mark.parametrize(
    ("form", "body"),
    [
        ("cyclonedx", bill(components=None)),
        ("cyclonedx", bill(components=[{"version": "1"}])),
        ("cyclonedx", bill(components=[], vulnerabilities=[{"id": "V"}])),
        ("cyclonedx", bill(components=[], vulnerabilities=[{"ratings": [{"score": "NaN"}]}])),
        ("cyclonedx", bill(components=[], vulnerabilities={"id": "V"})),
        ("cyclonedx", bill()),
        ("spdx", json.dumps(PACKAGES | {"packages": [{"SPDXID": "a"}]}).encode()),
        ("spdx", json.dumps(PACKAGES | {"packages": "many"}).encode()),
        ("sarif", b'{"version": "2.1.0"}'),
        ("sarif", b'{"version": "2.1.0", "runs": [{}]}'),
        ("sarif", b'{"version": "2.1.0", "runs": [{"tool": {"driver": {"name": "s"}}}]}'),
        ("sarif", b'{"version": "2.1.0", "runs": []}'),
        ("cobertura", b"<coverage/>"),
        ("cobertura", b'<coverage line-rate="nan"/>'),
        ("junit", b"<testsuites/>"),
    ],
)
def test_a_part_that_is_missing_is_not_none_of_it(form, body):
    """A list that is not there is no empty list: nobody looked."""
    try:
        read = reports.content_of(form, body)
    except UnusableReportError:
        return
    measured = read.content.keys() & {"lines", "branches"}
    assert read.unknown is not None or (form == "cobertura" and not measured), read
