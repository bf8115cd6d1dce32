"""What the builds of the scenario bring along, as the files that test runs and scanners write."""

import json
import random
from datetime import datetime
from typing import Any
from xml.sax.saxutils import quoteattr

from dogana.demo.landscape import Service
from dogana.service.landscape.evidence import File, SentReport
from dogana.sources.reports import Format


def reports(service: Service, version: str, built_at: datetime, *, high: int = 0) -> list[SentReport]:
    """The files of one build, the same every time.

    Args:
        service: what was built.
        version: of it.
        built_at: when.
        high: how many high findings its scan has.
    """
    made = random.Random(f"{service.id} {version} evidence")

    def sent(name: str, form: Format, file: str, by: str, body: bytes) -> SentReport:
        came = File(name=file, media_type="application/octet-stream", body=body)
        return SentReport(name=name, form=form, file=came, produced_at=built_at, by=by)

    return [
        sent("test-report", "junit", "results.xml", "the build", _tests(service, made)),
        sent("coverage", "cobertura", "coverage.xml", "the build", _coverage(service, made)),
        sent("vulnerability-scan", "sarif", "scan.sarif", "the nightly scanner", _scan(service, made, high)),
        sent("bill-of-materials", "cyclonedx", "parts.json", "the build", _bill(service, version, made)),
        sent("plan", "plan", "plan.json", "the build", _plan(service, made)),
    ]


def _tests(service: Service, made: random.Random) -> bytes:
    suites = []
    for area in service.areas:
        name = area.rpartition(".")[0].replace("/", ".")
        cases = []
        for n in range(made.randrange(20, 80)):
            inner = (
                '<flakyFailure message="timed out waiting for the queue"/>' if made.random() < 0.002 else ""
            )
            inner = "<skipped/>" if made.random() < 0.005 else inner
            seconds = made.randrange(1, 900) / 1000
            cases.append(f'<testcase classname="{name}" name="case {n}" time="{seconds}">{inner}</testcase>')
        suites.append(f"<testsuite name={quoteattr(name)}>{''.join(cases)}</testsuite>")
    return f"<testsuites>{''.join(suites)}</testsuites>".encode()


def _coverage(service: Service, made: random.Random) -> bytes:
    def rate() -> float:
        return made.randrange(7100, 9700) / 10000

    packages = "".join(f'<package name={quoteattr(area)} line-rate="{rate()}"/>' for area in service.areas)
    return (
        f'<coverage line-rate="{rate()}" branch-rate="{rate()}"><packages>{packages}</packages></coverage>'
    ).encode()


_MILD = (
    ("MEDIUM-LOG", "5.0", "writes a customer number to the log"),
    ("MEDIUM-CLOCK", "4.8", "compares times of two clocks without their zones"),
    ("MEDIUM-RETRY", "5.4", "asks again without end when the other side is silent"),
    ("LOW-HEADER", "3.1", "answers without saying how long that may be kept"),
    ("LOW-PATH", "2.6", "tells a path of the machine in an error"),
)


def _scan(service: Service, made: random.Random, high: int) -> bytes:
    # A source of its own, so that all else of a build stays as it is.
    varied = random.Random(f"{service.id} findings {made.getstate()[1][:4]}")
    found = [("HIGH-INPUT", "8.1", "reads a length from the wire without a bound")] * high
    found += [varied.choice(_MILD) for _ in range(made.randrange(4))]
    results = [
        {
            "ruleId": rule,
            "message": {"text": words},
            "properties": {"security-severity": score},
            "locations": [
                {
                    "physicalLocation": {
                        "artifactLocation": {"uri": made.choice(service.areas)},
                        "region": {"startLine": made.randrange(1, 400)},
                    }
                }
            ],
        }
        for rule, score, words in found
    ]
    run = {"tool": {"driver": {"name": "nightly scanner"}}, "results": results}
    return json.dumps({"version": "2.1.0", "runs": [run]}).encode()


def _bill(service: Service, version: str, made: random.Random) -> bytes:
    parts = ("queue-client", "frames", "clock-sync", "geo-grid", "number-words", "chart-lines", "seal-check")
    components: list[dict[str, Any]] = [
        {
            "bom-ref": part,
            "name": part,
            "version": f"{made.randrange(1, 6)}.{made.randrange(20)}.{made.randrange(9)}",
            "licenses": [{"license": {"id": made.choice(("MIT", "Apache-2.0", "BSD-3-Clause"))}}],
        }
        for part in parts
    ]
    weak = {
        "id": f"CORVALE-{made.randrange(100, 999)}",
        "description": "a malformed header makes it slow",
        "ratings": [{"severity": "low"}],
        "affects": [{"ref": made.choice(parts)}],
    }
    return json.dumps(
        {
            "bomFormat": "CycloneDX",
            "specVersion": "1.5",
            "metadata": {"component": {"name": service.id, "version": version}},
            "components": components,
            "vulnerabilities": [weak] if made.random() < 0.5 else [],
        }
    ).encode()


def _plan(service: Service, made: random.Random) -> bytes:
    names = [f"queue/{service.id}", f"disk/{service.id}-archive", f"alarm/{service.id}-lag"]
    change = made.sample(names, made.randrange(len(names)))
    return json.dumps({"add": [], "change": change, "destroy": []}).encode()
