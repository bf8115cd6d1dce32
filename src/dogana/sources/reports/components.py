"""Bills of material with their known vulnerabilities: CycloneDX (ECMA-424) in JSON and XML."""

from collections.abc import Iterator
from typing import Any, Literal
from xml.etree.ElementTree import Element

from pydantic import Field, ValidationError

from dogana.sources.reports.common import (
    MOST,
    MOST_NAMES,
    Content,
    Loose,
    UnusableReportError,
    local_name,
    read_json,
    text,
    xml_root,
)
from dogana.sources.reports.severity import (
    SEVERITIES,
    UNRATED,
    by_score,
    by_vector,
    by_word,
    counted,
    unrated,
    worst_first,
)


class _Licence(Loose):
    id: str | None = None
    name: str | None = None


class _LicenceChoice(Loose):
    license: _Licence = _Licence()
    expression: str | None = None


class _Component(Loose):
    reference: str | None = Field(default=None, alias="bom-ref")
    name: str
    version: str | None = ""
    licenses: tuple[_LicenceChoice, ...] = ()
    components: tuple["_Component", ...] = ()


class _Metadata(Loose):
    component: _Component | None = None


class _Rating(Loose):
    severity: str | None = None
    score: float | None = Field(default=None, allow_inf_nan=True)
    vector: str | None = None


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


class _Composition(Loose):
    aggregate: str = "not_specified"


class _Service(Loose):
    reference: str | None = Field(default=None, alias="bom-ref")
    services: tuple["_Service", ...] = ()


class _Dependency(Loose):
    ref: str
    on: tuple[str, ...] = Field(default=(), alias="dependsOn")


class _Bill(Loose):
    format: Literal["CycloneDX"] = Field(alias="bomFormat")
    metadata: _Metadata = _Metadata()
    components: tuple[_Component, ...] | None = None
    vulnerabilities: tuple[_Vulnerability, ...] | None = None
    compositions: tuple[_Composition, ...] = ()
    services: tuple[_Service, ...] = ()
    dependencies: tuple[_Dependency, ...] = ()


_WHOLE = frozenset({"complete", "not_specified"})
_SETTLED = frozenset({"resolved", "resolved_with_pedigree", "false_positive", "not_affected"})
_NAMESPACE = "{http://cyclonedx.org/schema/bom/"


def bill(bodies: list[bytes]) -> Content:
    """Components with versions and licences, nested ones too.

    Vulnerabilities by severity, those settled left out. Of a list that is not there nothing is told: nobody
    looked, which is not the same as none.
    """
    read = _read(bodies)
    roots = (
        *(read.components or ()),
        *(read.metadata.component.components if read.metadata.component else ()),
    )
    parts = list(_all(roots))
    names = {one.reference: f"{text(one.name)} {text(one.version)}".strip() for one in parts}
    found = [
        {
            "severity": _severity(one),
            "name": text(one.id),
            "message": text(one.description),
            "where": ", ".join(text(names.get(affected.ref, affected.ref)) for affected in one.affects),
        }
        for one in read.vulnerabilities or ()
        if one.analysis.state not in _SETTLED
    ]
    content: dict[str, Any] = {}
    if read.components is not None or parts:
        content["components"] = len(parts)
        content["parts"] = [
            {"name": text(one.name), "version": text(one.version), "licence": _licences(one)}
            for one in parts[:MOST_NAMES]
        ]
    if read.vulnerabilities is not None:
        content |= {**counted(found), "findings": worst_first(found)[:MOST]}
    if not content:
        return Content(content, "it lists neither components nor vulnerabilities")
    return Content(content, _not_whole(read, parts) or unrated(found))


def _not_whole(read: _Bill, parts: list[_Component]) -> str | None:
    """Why what it lists may not be all: it says so, or it names components that are not in it."""
    if any(one.aggregate not in _WHOLE for one in read.compositions):
        return "it says itself that what it lists may not be all"
    main = [read.metadata.component] if read.metadata.component else []
    there = {one.reference for one in (*main, *parts)} | set(_services(read.services))
    named = [ref for one in read.dependencies for ref in (one.ref, *one.on)]
    if read.components is not None:
        named += [affected.ref for one in read.vulnerabilities or () for affected in one.affects]
    # What begins so is in another bill, and says so.
    gone = next((ref for ref in named if ref not in there and not ref.startswith("urn:cdx:")), None)
    return None if gone is None else f"it names {text(gone)}, which is not in it"


def _services(services: tuple[_Service, ...]) -> Iterator[str | None]:
    for one in services:
        yield one.reference
        yield from _services(one.services)


def _read(bodies: list[bytes]) -> _Bill:
    if len(bodies) == 1 and bodies[0].lstrip(b"\xef\xbb\xbf \t\r\n").startswith(b"<"):
        root = xml_root(bodies[0])
        if not str(root.tag).startswith(_NAMESPACE) or local_name(root) != "bom":
            raise UnusableReportError("This is no CycloneDX: it is XML of another kind.")
        try:
            return _Bill.model_validate({"bomFormat": "CycloneDX", **_from_xml(root)})
        except ValidationError as exc:
            first = exc.errors(include_url=False)[0]
            raise UnusableReportError(f"This is no CycloneDX: {first['msg']}") from exc
    read: _Bill = read_json(_Bill, bodies, "CycloneDX")
    return read


def _all(components: tuple[_Component, ...]) -> Iterator[_Component]:
    for one in components:
        yield one
        yield from _all(one.components)


def _severity(vulnerability: _Vulnerability) -> str:
    """The worst of its ratings, by word, score or vector; unrated where none can be read."""
    rated = [
        found
        for one in vulnerability.ratings
        for found in (
            by_word(one.severity),
            by_score(one.score),
            by_vector(one.vector) if one.vector else None,
        )
        if found is not None
    ]
    return min(rated, key=SEVERITIES.index, default=UNRATED)


def _licences(component: _Component) -> str:
    named = [one.expression or one.license.id or one.license.name for one in component.licenses]
    return text(", ".join(name for name in named if name))


def _from_xml(bom: Element) -> dict[str, Any]:
    """The same in the shape of its JSON."""
    metadata = _child(bom, "metadata")
    main = _child(metadata, "component")
    return {
        "metadata": {"component": _component(main)} if main is not None else {},
        **{
            name: [read(one) for one in _children(bom, name)]
            for name, read in (
                ("components", _component),
                ("vulnerabilities", _vulnerability),
                ("compositions", _composition),
                ("services", _service),
                ("dependencies", _dependency),
            )
            if _child(bom, name) is not None
        },
    }


def _component(element: Element) -> dict[str, Any]:
    licences: list[dict[str, Any]] = []
    for one in _children(element, "licenses"):
        if local_name(one) == "expression":
            licences.append({"expression": one.text or ""})
        else:
            licences.append({"license": {"id": _text(one, "id"), "name": _text(one, "name")}})
    return {
        "bom-ref": element.get("bom-ref"),
        "name": _text(element, "name"),
        "version": _text(element, "version"),
        "licenses": licences,
        "components": [_component(one) for one in _children(element, "components")],
    }


def _vulnerability(element: Element) -> dict[str, Any]:
    return {
        "id": _text(element, "id") or "",
        "description": _text(element, "description") or "",
        "ratings": [
            {
                "severity": _text(one, "severity"),
                "score": _text(one, "score") or None,
                "vector": _text(one, "vector"),
            }
            for one in _children(element, "ratings")
        ],
        "affects": [{"ref": _text(one, "ref") or ""} for one in _children(element, "affects")],
        "analysis": {"state": _text(_child(element, "analysis"), "state") or ""},
    }


def _service(element: Element) -> dict[str, Any]:
    inner = [_service(one) for one in _children(element, "services")]
    return {"bom-ref": element.get("bom-ref"), "services": inner}


def _dependency(element: Element) -> dict[str, Any]:
    return {"ref": element.get("ref"), "dependsOn": [one.get("ref") for one in element]}


def _composition(element: Element) -> dict[str, Any]:
    return {"aggregate": (_text(element, "aggregate") or "not_specified").strip()}


def _child(element: Element | None, name: str) -> Element | None:
    found = (one for one in element if local_name(one) == name) if element is not None else iter(())
    return next(found, None)


def _children(element: Element, name: str) -> list[Element]:
    found = _child(element, name)
    return [] if found is None else list(found)


def _text(element: Element | None, name: str) -> str | None:
    found = _child(element, name)
    return found.text if found is not None else None
