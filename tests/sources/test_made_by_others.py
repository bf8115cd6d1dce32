"""Files that real tools and libraries made: what is read of them is what those say themselves.

`tests/files` holds them, small, with the machines' paths and addresses taken out. What the tools said of each
is in the tables below; of the calendars, another library worked out the occurrences.
"""

import json
from datetime import UTC, datetime

import pytest
from tests.conftest import ROOT

from dogana.core.errors import InvalidError
from dogana.core.time.intervals import Interval, merged
from dogana.sources import reports
from dogana.sources.calendars import read_calendar
from dogana.sources.reports.common import UnusableReportError

FILES = ROOT / "tests" / "files"
YEAR = Interval(datetime(2026, 1, 1, tzinfo=UTC), datetime(2027, 1, 1, tzinfo=UTC))

MADE = {
    # `3 failed, 5 passed, 1 skipped, 2 errors`: one of those that passed had an error after
    ("junit", "pytest.xml"): {"passed": 4, "failed": 5, "skipped": 1},
    # `pass 3, fail 2, skipped 1, todo 1`
    ("junit", "node.xml"): {"passed": 3, "failed": 2, "skipped": 2, "suites": 2},
    # `2 failed | 2 passed | 1 skipped | 1 todo`
    ("junit", "vitest.xml"): {"passed": 2, "failed": 2, "skipped": 2},
    # `Found 11 errors.`
    ("junit", "ruff.xml"): {"passed": 0, "failed": 11},
    ("sarif", "ruff.sarif"): {"high": 11, "medium": 0, "low": 0},
    # `Low: 3, Medium: 2, High: 1`
    ("sarif", "bandit.sarif"): {"high": 1, "medium": 2, "low": 3},
    # rules of the severities ERROR, WARNING and INFO, each found once; the level stands with the rule alone
    ("sarif", "semgrep.sarif"): {"high": 1, "medium": 1, "low": 1},
    # `4 problems (2 errors, 2 warnings)`
    ("sarif", "eslint.sarif"): {"high": 2, "medium": 2, "low": 0},
    # measured without and with branches
    ("cobertura", "coverage.xml"): {"lines": 54.84},
    ("cobertura", "coverage-branches.xml"): {"lines": 54.84, "branches": 87.5},
    # `pip list` and `npm ls --all`
    ("cyclonedx", "python.json"): {"components": 4},
    ("cyclonedx", "python.xml"): {"components": 4},
    ("cyclonedx", "python-1.4.xml"): {"components": 4},
    ("cyclonedx", "npm.json"): {"components": 2},
}


@pytest.mark.parametrize(("form", "name"), MADE)
def test_the_counts_are_those_that_the_tool_tells(form, name):
    """And nothing in such a file makes the whole of it unknown."""
    read = reports.content_of(form, (FILES / name).read_bytes())
    assert {key: read.content[key] for key in MADE[form, name]} == MADE[form, name]
    assert read.unknown is None
    assert ("branches" in read.content) == (name == "coverage-branches.xml")


CALENDARS = json.loads((FILES / "calendars.json").read_text())
REFUSED = {"this and future", "a zone of its own, again", "hourly", "left out at another hour"}


@pytest.mark.thorough
@pytest.mark.parametrize("case", CALENDARS, ids=lambda case: case["name"])
def test_a_calendar_closes_what_another_library_reads_in_it_or_is_refused(case):
    """Every occurrence of a year, to the second; what is refused is named."""
    body = case["text"].replace("\n", "\r\n").encode()
    if case["name"] in REFUSED:
        with pytest.raises(InvalidError) as refused:
            read_calendar(body, title="t", zone="Europe/Rome", transparent="close")
        assert refused.value.fields[0][0] == "/run"
        return
    calendar = read_calendar(body, title="t", zone="Europe/Rome", transparent="close")
    found = merged(span for window in calendar.windows for span in window.occurrences("Europe/Rome", YEAR))
    assert found == merged(Interval(*map(datetime.fromisoformat, span)) for span in case["spans"])


def test_what_says_it_takes_no_time_is_as_one_says():
    """Public holidays are often published like that, and so are reminders."""
    (case,) = [one for one in CALENDARS if one["name"] == "transparent"]
    body = case["text"].encode()
    with pytest.raises(InvalidError):
        read_calendar(body, title="t", zone="Europe/Rome")
    assert read_calendar(body, title="t", zone="Europe/Rome", transparent="leave out").windows == ()


SUITE = (
    '<testsuites><testsuite name="a" tests="{0}" failures="{1}" skipped="{2}">{3}</testsuite></testsuites>'
)
CASE, BAD, OFF = (
    '<testcase name="c"/>',
    '<testcase name="c"><failure/></testcase>',
    '<testcase name="c" status="notrun"/>',
)
_ONE = '<testsuite name="a"><testcase name="c">{}</testcase></testsuite>'
TWO = f"<testsuites>{_ONE.format('<error/>')}{_ONE.format('')}</testsuites>"


@pytest.mark.parametrize(
    ("body", "failed", "skipped", "whole"),
    [
        (SUITE.format(2, 0, 0, CASE + CASE), 0, 0, True),
        (SUITE.format(3, 0, 0, CASE + CASE), 0, 0, False),
        (SUITE.format(2, 1, 0, CASE + CASE), 0, 0, False),
        (SUITE.format(2, 0, 1, CASE + CASE), 0, 0, False),
        (SUITE.format(2, 1, 0, CASE + BAD), 1, 0, True),
        (SUITE.format(2, 0, 1, CASE + OFF), 0, 1, True),
        (SUITE.format("many", 0, 0, CASE), 0, 0, False),
        (f"<testsuites>{CASE}{BAD}</testsuites>", 1, 0, True),
        (f'<testsuite name="a"><error message="down"/>{CASE}</testsuite>', 1, 0, True),
        (TWO, 1, 0, True),
        (f'<testsuites tests="1" failures="0" errors="2">{CASE}</testsuites>', 0, 0, False),
    ],
)
def test_a_file_of_tests_is_held_against_its_own_totals(body, failed, skipped, whole):
    """Cut, doubled or lying: what does not add up is not known. Failures hide behind no namesake."""
    read = reports.content_of("junit", body.encode())
    assert (read.content["failed"], read.content["skipped"]) == (failed, skipped)
    assert (read.unknown is None) is whole


def sarif(*results, rules=(), extensions=(), **run):
    driver = {"name": "scanner", "rules": list(rules)}
    made = {"tool": {"driver": driver, "extensions": list(extensions)}, "results": list(results), **run}
    return json.dumps({"version": "2.1.0", "runs": [made]}).encode()


def scored(score, **rule):
    return {"id": "R", "properties": {"security-severity": score}, **rule}


OK = {"executionSuccessful": True}
ERROR = {"id": "R", "defaultConfiguration": {"level": "error"}}


@pytest.mark.parametrize(
    ("body", "severity"),
    [
        (sarif({"ruleId": "R"}, rules=[ERROR]), "high"),
        (sarif({"ruleIndex": 1}, rules=[{"id": "Q"}, ERROR]), "high"),
        (sarif({"rule": {"index": 0}}, rules=[ERROR]), "high"),
        (sarif({"rule": {"id": "R"}}, rules=[ERROR]), "high"),
        (sarif({"ruleId": "R/sub/1"}, rules=[ERROR]), "high"),
        (sarif({"ruleId": "R", "level": "note"}, rules=[ERROR]), "low"),
        (sarif({"ruleId": "R"}, extensions=[{"name": "x", "rules": [scored("9.1")]}]), "critical"),
        (
            sarif(
                {"rule": {"index": 0, "toolComponent": {"index": 0}}},
                rules=[{"id": "Q"}],
                extensions=[{"name": "x", "rules": [scored("9.1")]}],
            ),
            "critical",
        ),
        (
            sarif(
                {"ruleId": "R"},
                rules=[ERROR],
                invocations=[
                    {
                        "executionSuccessful": True,
                        "ruleConfigurationOverrides": [
                            {"descriptor": {"id": "R"}, "configuration": {"level": "note"}}
                        ],
                    }
                ],
            ),
            "low",
        ),
        (sarif({"ruleId": "R", "properties": {"security-severity": "9.8"}}, rules=[scored("2")]), "critical"),
        (sarif({"ruleId": "R"}, rules=[scored("NaN")]), "unrated"),
        (sarif({"ruleId": "R"}, rules=[scored("1e9")]), "unrated"),
        (sarif({"ruleId": "R", "suppressions": [{"status": "rejected"}]}, rules=[ERROR]), "high"),
        (sarif({"ruleId": "R", "suppressions": [{"status": "underReview"}]}, rules=[ERROR]), "high"),
        (sarif({"ruleId": "R", "suppressions": [{"status": "accepted"}]}, rules=[ERROR]), None),
        (sarif({"ruleId": "R", "suppressions": []}, rules=[ERROR]), "high"),
    ],
)
def test_how_bad_a_finding_is(body, severity):
    """By the score or level of the result, of its rule wherever that stands, or of the run."""
    read = reports.content_of("sarif", body)
    counts = {key: read.content[key] for key in ("critical", "high", "medium", "low", "info", "unrated")}
    assert {key for key, count in counts.items() if count} == ({severity} if severity else set())
    assert (read.unknown is not None) is (severity == "unrated")


@pytest.mark.parametrize(
    "body",
    [
        sarif(invocations=[{"executionSuccessful": False}]),
        json.dumps({"version": "2.1.0", "runs": [{"tool": {"driver": {"name": "s"}}}]}).encode(),
        sarif(externalPropertyFileReferences={"results": [{"location": {"uri": "more.sarif"}}]}),
        sarif({"ruleId": "R", "kind": "review"}),
        sarif({"ruleId": "R", "kind": "Fail"}),
        sarif(invocations=[{"exitCode": 2}]),
        sarif(invocations=[OK | {"toolExecutionNotifications": [{"level": "note"}, {"level": "error"}]}]),
        sarif(invocations=[OK | {"toolConfigurationNotifications": [{"level": "error"}]}]),
        sarif(externalPropertyFileReferences={"invocations": [{"location": {"uri": "more.sarif"}}]}),
        json.dumps(json.loads(sarif()) | {"inlineExternalProperties": [{"results": [{"ruleId": "R"}]}]}),
    ],
)
def test_a_run_that_was_not_whole_is_no_clean_one(body):
    """Nothing was found because nobody looked, or because it lies elsewhere, or is not decided."""
    read = reports.content_of("sarif", body if isinstance(body, bytes) else body.encode())
    assert read.unknown is not None
    assert read.content["high"] == 0
    noted = [OK | {"toolExecutionNotifications": [{"level": "warning"}, {}]}]
    assert reports.content_of("sarif", sarif(invocations=noted)).unknown is None


def bill(*vulnerabilities, **more):
    return json.dumps({"bomFormat": "CycloneDX", "vulnerabilities": list(vulnerabilities), **more}).encode()


VECTOR = "CVSS:3.1/AV:N/AC:L/PR:N/UI:N/S:U/C:H/I:H/A:H"
XML = """<bom xmlns="http://cyclonedx.org/schema/bom/{0}"><components><component bom-ref="a"><name>lib</name>
<version>1</version><components><component><name>inner</name></component></components></component></components>
<vulnerabilities><vulnerability><id>V-1</id><ratings><rating><severity>high</severity></rating></ratings>
<affects><target><ref>a</ref></target></affects></vulnerability></vulnerabilities></bom>"""


@pytest.mark.parametrize(
    ("rating", "severity"),
    [
        ({"severity": "info"}, "info"),
        ({"severity": "none"}, "info"),
        ({"severity": "unknown"}, "unrated"),
        ({"severity": "unknown", "score": 9.1}, "critical"),
        ({"vector": VECTOR}, "critical"),
        ({"vector": "AV:N/AC:L/Au:N/C:P/I:P/A:P", "method": "CVSSv2"}, "high"),
        ({"vector": "CVSS:4.0/AV:N/AC:L/AT:N/PR:N/UI:N/VC:H/VI:H/VA:H/SC:N/SI:N/SA:N"}, "critical"),
        ({"vector": "CVSS:3.1/nonsense"}, "unrated"),
        ({"severity": "low", "vector": VECTOR}, "critical"),
        ({"score": 0}, "info"),
    ],
)
def test_how_bad_a_vulnerability_is(rating, severity):
    """By word, score or vector, the worst of them."""
    read = reports.content_of("cyclonedx", bill({"id": "V", "ratings": [rating]}))
    assert read.content[severity] == 1
    assert (read.unknown is not None) is (severity == "unrated")


@pytest.mark.parametrize("version", ["1.4", "1.5", "1.6"])
def test_a_bill_in_xml_says_what_one_in_json_does(version):
    """Nested components count."""
    inner = {"name": "lib", "version": "1", "bom-ref": "a", "components": [{"name": "inner"}]}
    known = {"id": "V-1", "ratings": [{"severity": "high"}], "affects": [{"ref": "a"}]}
    same = reports.content_of("cyclonedx", bill(known, components=[inner]))
    assert reports.content_of("cyclonedx", XML.format(version).encode()) == same
    assert same.content["components"] == 2


SPDX = """SPDXVersion: SPDX-2.3
SPDXID: SPDXRef-DOCUMENT
DocumentComment: <text>PackageName: not one
</text>
PackageName: lib
SPDXID: SPDXRef-lib
PackageVersion: 1.2
PackageDownloadLocation: NOASSERTION
PackageLicenseConcluded: MIT
PackageName: other
SPDXID: SPDXRef-other
PackageDownloadLocation: NONE
PackageLicenseDeclared: Apache-2.0
Relationship: SPDXRef-DOCUMENT DESCRIBES SPDXRef-lib
Relationship: SPDXRef-lib DEPENDS_ON SPDXRef-other
Relationship: SPDXRef-other DEPENDS_ON NONE
"""


def test_packages_in_either_way_of_writing_them():
    """And nothing is said of vulnerabilities, which such a document does not tell."""
    packages = [
        {"name": "lib", "versionInfo": "1.2", "licenseConcluded": "MIT"},
        {"name": "other", "licenseConcluded": "NOASSERTION", "licenseDeclared": "Apache-2.0"},
    ]
    body = json.dumps({"spdxVersion": "SPDX-2.3", "packages": packages}).encode()
    read = reports.content_of("spdx", SPDX.encode())
    assert read == reports.content_of("spdx", body)
    assert [one["licence"] for one in read.content["parts"]] == ["MIT", "Apache-2.0"]
    assert "high" not in read.content
    with pytest.raises(UnusableReportError):
        reports.content_of("spdx", SPDX.replace("SPDX-2.3", "SPDX-3.0").encode())


OTHER = SPDX[SPDX.index("PackageName: other") : SPDX.index("Relationship")]
OUTSIDE = "ExternalDocumentRef: DocumentRef-base https://base.example/spdx SHA1: d6a770ba38583ed4"


@pytest.mark.parametrize(
    "body",
    [SPDX.replace(OTHER, ""), SPDX.replace("PackageName: lib", f"{OUTSIDE}\nPackageName: lib")],
    ids=["a package fewer", "more of it elsewhere"],
)
def test_a_document_that_names_what_is_not_in_it_is_not_all(body):
    """In tags and values, and the same in JSON."""
    assert reports.content_of("spdx", body.encode()).unknown is not None
    with pytest.raises(UnusableReportError):
        reports.content_of("spdx", SPDX[: SPDX.index("PackageDownloadLocation: NONE")].encode())
    packages = [{"name": "lib", "SPDXID": "SPDXRef-lib"}]
    for more in (
        {"relationships": [{"spdxElementId": "SPDXRef-lib", "relatedSpdxElement": "SPDXRef-other"}]},
        {"externalDocumentRefs": [{"externalDocumentId": "DocumentRef-base"}]},
    ):
        whole = {"spdxVersion": "SPDX-2.3", "SPDXID": "SPDXRef-DOCUMENT", "packages": packages}
        assert reports.content_of("spdx", json.dumps(whole).encode()).unknown is None
        assert reports.content_of("spdx", json.dumps(whole | more).encode()).unknown is not None


PARTS = [{"name": "lib", "bom-ref": "a"}, {"name": "other", "bom-ref": "b"}]


@pytest.mark.parametrize(
    ("more", "whole"),
    [
        ({"compositions": [{"aggregate": "complete", "assemblies": ["a"]}]}, True),
        ({"compositions": [{"aggregate": "complete"}, {"aggregate": "incomplete_third_party_only"}]}, False),
        ({"compositions": [{"aggregate": "unknown"}]}, False),
        ({"dependencies": [{"ref": "a", "dependsOn": ["b", "s", "t", "urn:cdx:elsewhere/1#c"]}]}, True),
        ({"dependencies": [{"ref": "a", "dependsOn": ["c"]}]}, False),
        ({"dependencies": [{"ref": "c"}]}, False),
        ({"vulnerabilities": [{"ratings": [{"severity": "low"}], "affects": [{"ref": "c"}]}]}, False),
    ],
)
def test_a_bill_that_is_not_all_does_not_count_as_one(more, whole):
    """It says so itself, or what it names was taken out; in XML as in JSON."""
    services = [{"bom-ref": "s", "services": [{"bom-ref": "t"}]}]
    assert (
        reports.content_of("cyclonedx", bill(components=PARTS, services=services, **more)).unknown is None
    ) is whole


@pytest.mark.parametrize(
    ("tag", "whole"),
    [
        ("<compositions><composition><aggregate>incomplete</aggregate></composition></compositions>", False),
        ('<dependencies><dependency ref="a"/></dependencies>', True),
        ('<dependencies><dependency ref="a"><dependency ref="gone"/></dependency></dependencies>', False),
    ],
)
def test_nor_does_one_in_xml(tag, whole):
    """The same of the other form."""
    body = XML.format("1.5").replace("</bom>", f"{tag}</bom>")
    assert (reports.content_of("cyclonedx", body.encode()).unknown is None) is whole


@pytest.mark.parametrize(
    ("given", "whole"),
    [
        ('line-rate="0.33" lines-covered="1" lines-valid="3"', True),
        ('line-rate="0.95" lines-covered="1" lines-valid="10"', False),
        ('line-rate="1" branch-rate="0.9" branches-covered="1" branches-valid="10"', False),
        ('line-rate="0.5" lines-covered="some" lines-valid="10"', False),
        ('line-rate="0" lines-covered="0" lines-valid="0"', False),
    ],
)
def test_a_share_is_what_was_counted(given, whole):
    """Rounded, but no more; a share of nothing is none."""
    assert (reports.content_of("cobertura", f"<coverage {given}/>".encode()).unknown is None) is whole


@pytest.mark.parametrize(
    ("inside", "failed", "skipped", "whole"),
    [
        ('<testcase name="a" status="run" result="completed"/>', 0, 0, True),
        ('<testcase name="a" status="FAIL"/>', 1, 0, True),
        ('<testcase name="a" status="panicked"/>', 1, 0, True),
        ('<testcase name="a" status="untested"/>', 0, 1, True),
        ('<testcase name="a" status="inconclusive"/>', 0, 0, False),
        (f"{CASE}<group><testcase name='b'><failure/></testcase></group>", 0, 0, False),
        (f"{CASE}<properties><testsuite name='b'/></properties>", 0, 0, False),
        ("<testcase name='a'><failures><failure/></failures></testcase>", 0, 0, False),
    ],
)
def test_what_became_of_a_test_in_other_words_or_elsewhere(inside, failed, skipped, whole):
    """Never passed for want of a word that is known, or of a place that is looked at."""
    read = reports.content_of("junit", f"<testsuites><testsuite>{inside}</testsuite></testsuites>".encode())
    assert (read.content["failed"], read.content["skipped"], read.unknown is None) == (failed, skipped, whole)


def test_what_was_not_measured_is_absent():
    """Not zero, and not all."""
    body = b'<coverage line-rate="0.5" branch-rate="0" branches-valid="0"/>'
    assert reports.content_of("cobertura", body).content == {"lines": 50, "packages": 0, "least_covered": []}
