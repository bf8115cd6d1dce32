"""Bills of material with their known vulnerabilities, in CycloneDX JSON (ECMA-424)."""

from typing import Any, Literal

from pydantic import Field

from dogana.sources.reports.common import MOST, Loose, read_json, text
from dogana.sources.reports.scans import SEVERITIES, by_score, by_severity, worst_first


class _Licence(Loose):
    id: str | None = None
    name: str | None = None


class _LicenceChoice(Loose):
    license: _Licence = _Licence()
    expression: str | None = None


class _Component(Loose):
    reference: str | None = Field(default=None, alias="bom-ref")
    name: str
    version: str = ""
    licenses: tuple[_LicenceChoice, ...] = ()


class _Rating(Loose):
    severity: str | None = None
    score: float | None = None


class _Affected(Loose):
    ref: str


class _Analysis(Loose):
    state: str = ""


class _Vulnerability(Loose):
    id: str = ""
    description: str = ""
    ratings: tuple[_Rating, ...] = ()
    affects: tuple[_Affected, ...] = ()
    analysis: _Analysis = _Analysis()


class _Bill(Loose):
    format: Literal["CycloneDX"] = Field(alias="bomFormat")
    components: tuple[_Component, ...] = ()
    vulnerabilities: tuple[_Vulnerability, ...] = ()


_SETTLED = frozenset({"resolved", "resolved_with_pedigree", "false_positive", "not_affected"})


def bill(bodies: list[bytes]) -> dict[str, Any]:
    """Components with versions and licences; vulnerabilities by severity, those settled left out."""
    read: _Bill = read_json(_Bill, bodies, "CycloneDX")
    names = {one.reference: f"{text(one.name)} {text(one.version)}".strip() for one in read.components}
    found = [
        {
            "severity": _severity(one),
            "name": text(one.id),
            "message": text(one.description),
            "where": ", ".join(text(names.get(affected.ref, affected.ref)) for affected in one.affects),
        }
        for one in read.vulnerabilities
        if one.analysis.state not in _SETTLED
    ]
    return {
        "components": len(read.components),
        **by_severity([one["severity"] for one in found]),
        "findings": worst_first(found)[:MOST],
        "parts": [
            {"name": text(one.name), "version": text(one.version), "licence": _licences(one)}
            for one in read.components[:MOST]
        ],
    }


def _severity(vulnerability: _Vulnerability) -> str:
    """The worst of its ratings; medium where it has none that can be read."""
    rated = [
        rating.severity if rating.severity in SEVERITIES else by_score(rating.score or 0)
        for rating in vulnerability.ratings
        if rating.severity in SEVERITIES or rating.score
    ]
    return min((str(one) for one in rated), key=SEVERITIES.index, default="medium")


def _licences(component: _Component) -> str:
    named = [one.expression or one.license.id or one.license.name for one in component.licenses]
    return text(", ".join(name for name in named if name))
