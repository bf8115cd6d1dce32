"""Findings of scanners, in SARIF (OASIS, version 2.1.0)."""

import contextlib
from typing import Any

from pydantic import Field

from dogana.sources.reports.common import MOST, Loose, read_json, text

SEVERITIES = ("critical", "high", "medium", "low")
_BY_LEVEL = {"error": "high", "warning": "medium", "note": "low"}
_FROM = ((9.0, "critical"), (7.0, "high"), (4.0, "medium"), (0.1, "low"))


class _Message(Loose):
    text: str = ""


class _Rule(Loose):
    id: str
    properties: dict[str, Any] = Field(default_factory=dict)


class _Driver(Loose):
    name: str
    rules: tuple[_Rule, ...] = ()


class _Tool(Loose):
    driver: _Driver


class _Artifact(Loose):
    uri: str = ""


class _Region(Loose):
    line: int | None = Field(default=None, alias="startLine")


class _Physical(Loose):
    artifact: _Artifact = Field(default=_Artifact(), alias="artifactLocation")
    region: _Region = _Region()


class _Location(Loose):
    physical: _Physical = Field(default=_Physical(), alias="physicalLocation")


class _Result(Loose):
    rule: str = Field(default="", alias="ruleId")
    level: str = "warning"
    kind: str = "fail"
    message: _Message = _Message()
    locations: tuple[_Location, ...] = ()
    properties: dict[str, Any] = Field(default_factory=dict)
    suppressions: tuple[Any, ...] = ()


class _Run(Loose):
    tool: _Tool
    results: tuple[_Result, ...] = ()


class _Log(Loose):
    version: str = Field(pattern=r"^2\.1\.")
    runs: tuple[_Run, ...] = Field(min_length=1)


def findings(bodies: list[bytes]) -> dict[str, Any]:
    """Findings by severity, the worst first; what was suppressed is counted apart.

    Severity is the score `security-severity` where there is one, else what the level says.
    """
    log: _Log = read_json(_Log, bodies, "SARIF")
    found, suppressed = [], 0
    for run in log.runs:
        scores = {rule.id: _score(rule.properties) for rule in run.tool.driver.rules}
        for result in run.results:
            if result.kind != "fail" or result.level == "none":
                continue
            if result.suppressions:
                suppressed += 1
                continue
            score = _score(result.properties) or scores.get(result.rule)
            severity = by_score(score) if score else _BY_LEVEL.get(result.level, "medium")
            place = result.locations[0].physical if result.locations else _Physical()
            line = f":{place.region.line}" if place.region.line else ""
            found.append(
                {
                    "severity": severity,
                    "name": text(result.rule),
                    "message": text(result.message.text),
                    "where": text(place.artifact.uri) + line,
                }
            )
    return {
        **by_severity([one["severity"] for one in found]),
        "suppressed": suppressed,
        "tools": ", ".join(sorted({text(run.tool.driver.name) for run in log.runs})),
        "findings": worst_first(found)[:MOST],
    }


def by_severity(found: list[str]) -> dict[str, int]:
    """How many of each severity."""
    return {severity: found.count(severity) for severity in SEVERITIES}


def worst_first(found: list[dict[str, str]]) -> list[dict[str, str]]:
    """By severity, then by name."""
    return sorted(found, key=lambda one: (SEVERITIES.index(one["severity"]), one["name"]))


def by_score(score: float) -> str:
    """The severity of a score from 0 to 10 (CVSS, qualitative severity rating scale)."""
    return next((name for least, name in _FROM if score >= least), "low")


def _score(properties: dict[str, Any]) -> float | None:
    with contextlib.suppress(ValueError, TypeError):
        return float(properties["security-severity"]) if "security-severity" in properties else None
    return None
