"""Findings of scanners, in SARIF (OASIS, version 2.1.0; section numbers below are of that)."""

from collections.abc import Iterator
from typing import Any

from pydantic import Field

from dogana.sources.reports.common import MOST, Content, Loose, read_json, text
from dogana.sources.reports.severity import UNRATED, by_score, counted, unrated, worst_first

_BY_LEVEL = {"error": "high", "warning": "medium", "note": "low", "none": "info"}
_SUPPRESSES = frozenset({"accepted", ""})
_DECIDED = frozenset({"fail", "pass", "informational", "notApplicable"})
_ELSEWHERE = frozenset({"results", "invocations", "driver", "extensions", "policies"})


class _Message(Loose):
    text: str = ""


class _Configuration(Loose):
    level: str | None = None


class _Rule(Loose):
    id: str = ""
    guid: str | None = None
    configuration: _Configuration = Field(default=_Configuration(), alias="defaultConfiguration")
    properties: dict[str, Any] = Field(default_factory=dict)


class _Component(Loose):
    name: str = ""
    guid: str | None = None
    rules: tuple[_Rule, ...] = ()


class _Tool(Loose):
    driver: _Component
    extensions: tuple[_Component, ...] = ()


class _ComponentReference(Loose):
    index: int = -1
    guid: str | None = None
    name: str | None = None


class _RuleReference(Loose):
    id: str = ""
    index: int = -1
    guid: str | None = None
    component: _ComponentReference | None = Field(default=None, alias="toolComponent")


class _Artifact(Loose):
    uri: str = ""


class _Region(Loose):
    line: int | None = Field(default=None, alias="startLine")


class _Physical(Loose):
    artifact: _Artifact = Field(default=_Artifact(), alias="artifactLocation")
    region: _Region = _Region()


class _Location(Loose):
    physical: _Physical = Field(default=_Physical(), alias="physicalLocation")


class _Suppression(Loose):
    status: str = ""
    state: str = ""


class _Result(Loose):
    rule_id: str = Field(default="", alias="ruleId")
    rule_index: int = Field(default=-1, alias="ruleIndex")
    rule: _RuleReference = _RuleReference()
    level: str | None = None
    kind: str = "fail"
    baseline: str = Field(default="", alias="baselineState")
    message: _Message = _Message()
    locations: tuple[_Location, ...] = ()
    properties: dict[str, Any] = Field(default_factory=dict)
    suppressions: tuple[_Suppression, ...] | None = None


class _Override(Loose):
    configuration: _Configuration = _Configuration()
    descriptor: _RuleReference = _RuleReference()


class _Notification(Loose):
    level: str = "warning"


class _Invocation(Loose):
    successful: bool = Field(default=False, alias="executionSuccessful")
    of_run: tuple[_Notification, ...] = Field(default=(), alias="toolExecutionNotifications")
    of_settings: tuple[_Notification, ...] = Field(default=(), alias="toolConfigurationNotifications")
    overrides: tuple[_Override, ...] = Field(default=(), alias="ruleConfigurationOverrides")


class _Run(Loose):
    tool: _Tool
    results: tuple[_Result, ...] | None = None
    invocations: tuple[_Invocation, ...] = ()
    elsewhere: dict[str, Any] | None = Field(default=None, alias="externalPropertyFileReferences")


class _Log(Loose):
    version: str = Field(pattern=r"^2\.1\.")
    runs: tuple[_Run, ...] = Field(min_length=1)
    inlined: tuple[dict[str, Any], ...] = Field(default=(), alias="inlineExternalProperties")


def findings(bodies: list[bytes]) -> Content:
    """Findings by severity, the worst first; what was suppressed, or is undecided, is counted apart.

    Severity is the score `security-severity` of the result or of its rule, else what the level says.
    """
    log: _Log = read_json(_Log, bodies, "SARIF")
    found: list[dict[str, str]] = []
    suppressed = undecided = 0
    for run in log.runs:
        for result in run.results or ():
            if result.baseline == "absent":
                continue
            undecided += result.kind not in _DECIDED
            if result.kind != "fail":
                continue
            if _is_suppressed(result):
                suppressed += 1
                continue
            found.append(_finding(run, result))
    why = next((why for run in log.runs if (why := _not_whole(run))), None)
    if why is None and any(_ELSEWHERE & one.keys() for one in log.inlined):
        why = "part of what was found stands beside its runs"
    if why is None and undecided:
        why = f"{undecided} of its results are not decided"
    content = {
        **counted(found),
        "suppressed": suppressed,
        "undecided": undecided,
        "tools": ", ".join(sorted({text(run.tool.driver.name) for run in log.runs})),
        "findings": worst_first(found)[:MOST],
    }
    return Content(content, why or unrated(found))


def _not_whole(run: _Run) -> str | None:
    """Why the absence of a finding says nothing; None where it does."""
    name = text(run.tool.driver.name) or "a tool"
    if any(not one.successful for one in run.invocations):
        return f"the run of {name} was not successful"
    # That what was found may be wrong or incomplete (3.58.6).
    if any(one.level == "error" for own in run.invocations for one in (*own.of_run, *own.of_settings)):
        return f"{name} tells of an error in its run"
    if run.elsewhere and _ELSEWHERE & run.elsewhere.keys():
        return f"part of what {name} found lies in other files"
    if run.results is None:
        return f"{name} tells of no results at all"
    return None


def _is_suppressed(result: _Result) -> bool:
    """Whether it is, and nothing of that is under review or was rejected (3.27.23, 3.35.3)."""
    states = [one.status or one.state for one in result.suppressions or ()]
    return bool(states) and all(state in _SUPPRESSES for state in states)


def _finding(run: _Run, result: _Result) -> dict[str, str]:
    rule = _rule_of(run, result)
    named = result.rule_id or result.rule.id or (rule.id if rule else "")
    scores = [result.properties, rule.properties if rule else {}]
    given = next((one["security-severity"] for one in scores if "security-severity" in one), None)
    severity = by_score(given) or UNRATED if given is not None else _by_level(run, result, rule)
    place = result.locations[0].physical if result.locations else _Physical()
    line = f":{place.region.line}" if place.region.line else ""
    return {
        "severity": severity,
        "name": text(named),
        "message": text(result.message.text),
        "where": text(place.artifact.uri) + line,
    }


def _by_level(run: _Run, result: _Result, rule: _Rule | None) -> str:
    """What its own level says, else what the run set for its rule, else the rule's own (3.27.10)."""
    level = (
        result.level or _overridden(run, result) or (rule.configuration.level if rule else None) or "warning"
    )
    return _BY_LEVEL.get(level, UNRATED)


def _overridden(run: _Run, result: _Result) -> str | None:
    for override in (one for invocation in run.invocations for one in invocation.overrides):
        named = override.descriptor
        same_index = named.index >= 0 and named.index in (result.rule_index, result.rule.index)
        if same_index or (named.id and named.id == (result.rule_id or result.rule.id)):
            return override.configuration.level
    return None


def _rule_of(run: _Run, result: _Result) -> _Rule | None:
    """A result's rule: by index or guid in the component named, else by its id or what that begins with."""
    named_component = result.rule.component
    component = _component(run, named_component)
    index = result.rule.index if result.rule.index >= 0 else result.rule_index
    if component is not None and 0 <= index < len(component.rules):
        return component.rules[index]
    everywhere = list(_rules(run)) if named_component is None or component is None else list(component.rules)
    if result.rule.guid:
        return next((rule for rule in everywhere if rule.guid == result.rule.guid), None)
    named = result.rule_id or result.rule.id
    while named:
        rule = next((rule for rule in everywhere if rule.id == named), None)
        if rule is not None:
            return rule
        named = named.rpartition("/")[0]
    return None


def _component(run: _Run, named: _ComponentReference | None) -> _Component | None:
    """Where a result's rule is to be looked for by index: the driver unless it says otherwise (3.52.4)."""
    if named is None:
        return run.tool.driver
    if 0 <= named.index < len(run.tool.extensions):
        return run.tool.extensions[named.index]
    for one in (run.tool.driver, *run.tool.extensions):
        if (named.guid and one.guid == named.guid) or (named.name and one.name == named.name):
            return one
    return None


def _rules(run: _Run) -> Iterator[_Rule]:
    for component in (run.tool.driver, *run.tool.extensions):
        yield from component.rules
