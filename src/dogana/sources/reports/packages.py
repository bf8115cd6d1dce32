"""Bills of material in SPDX 2 (ISO/IEC 5962), as JSON or as tags and values.

Which packages, which licences.
"""

import re
from dataclasses import dataclass, field
from typing import Any

from pydantic import Field

from dogana.sources.reports.common import MOST_NAMES, Content, Loose, UnusableReportError, read_json, text

_TAG = re.compile(r"^([A-Za-z]+):[ \t]*(.*)$")
_NONE = frozenset({"NOASSERTION", "NONE", ""})
_BY_TAG = {
    "PackageVersion": "version",
    "PackageLicenseConcluded": "concluded",
    "PackageLicenseDeclared": "declared",
    "PackageDownloadLocation": "place",
}


class _Element(Loose):
    id: str = Field(default="", alias="SPDXID")


class _Package(_Element):
    name: str
    version: str = Field(default="", alias="versionInfo")
    concluded: str = Field(default="", alias="licenseConcluded")
    declared: str = Field(default="", alias="licenseDeclared")


class _Relationship(Loose):
    of: str = Field(alias="spdxElementId")
    to: str = Field(alias="relatedSpdxElement")


class _Document(_Element):
    version: str = Field(alias="spdxVersion", pattern=r"^SPDX-2\.")
    packages: tuple[_Package, ...]
    files: tuple[_Element, ...] = ()
    snippets: tuple[_Element, ...] = ()
    relationships: tuple[_Relationship, ...] = ()
    elsewhere: tuple[dict[str, Any], ...] = Field(default=(), alias="externalDocumentRefs")


@dataclass
class _Listed:
    """What a document lists, in either form of it."""

    packages: list[dict[str, Any]] = field(default_factory=list)
    ids: set[str] = field(default_factory=set)
    """Everything that it describes."""
    related: list[str] = field(default_factory=list)
    """What its relationships name."""
    elsewhere: bool = False
    """Whether it names other documents."""


def packages(bodies: list[bytes]) -> Content:
    """How many packages, and of the first their versions and licences. It tells of no vulnerabilities."""
    is_json = len(bodies) == 1 and bodies[0].lstrip(b"\xef\xbb\xbf \t\r\n").startswith(b"{")
    found = _from_json(bodies) if is_json else _tagged(bodies)
    parts = [
        {
            "name": text(one["name"]),
            "version": text(one["version"]),
            "licence": text(
                next((one[key] for key in ("concluded", "declared") if one[key] not in _NONE), "")
            ),
        }
        for one in found.packages
    ]
    return Content({"components": len(parts), "parts": parts[:MOST_NAMES]}, _not_whole(found))


def _not_whole(found: _Listed) -> str | None:
    """Why what it lists may not be all: part of it is elsewhere, or it names what is not in it."""
    if found.elsewhere:
        return "part of it lies in other documents"
    gone = next((one for one in found.related if one not in found.ids | _NONE), None)
    return None if gone is None else f"it names {text(gone)}, which is not in it"


def _from_json(bodies: list[bytes]) -> _Listed:
    read: _Document = read_json(_Document, bodies, "SPDX")
    return _Listed(
        packages=[one.model_dump() for one in read.packages],
        ids={one.id for one in (read, *read.packages, *read.files, *read.snippets)},
        related=[ref for one in read.relationships for ref in (one.of, one.to)],
        elsewhere=bool(read.elsewhere),
    )


def _tagged(bodies: list[bytes]) -> _Listed:
    if len(bodies) != 1:
        raise UnusableReportError(f"One SPDX document is read at a time; this holds {len(bodies)}.")
    try:
        lines = bodies[0].decode("utf-8-sig").splitlines()
    except UnicodeDecodeError as exc:
        raise UnusableReportError("This is no SPDX: it is no text.") from exc
    found = _Listed()
    version, inside = "", False
    for line in lines:
        if inside:
            inside = "</text>" not in line
            continue
        tag = _TAG.match(line)
        inside = "<text>" in line and "</text>" not in line
        if tag is None or inside:
            continue
        if tag[1] == "SPDXVersion":
            version = tag[2].strip()
        else:
            _note(found, tag[1], tag[2].strip())
    if not version.startswith("SPDX-2.") or inside:
        raise UnusableReportError("This is no whole SPDX document of version 2.")
    if not all(one["place"] for one in found.packages):
        raise UnusableReportError("This is no whole SPDX document: a package has no PackageDownloadLocation.")
    return found


def _note(found: _Listed, tag: str, value: str) -> None:
    if tag == "PackageName":
        found.packages.append(dict.fromkeys(_BY_TAG.values(), "") | {"name": value})
    elif tag in _BY_TAG and found.packages:
        found.packages[-1][_BY_TAG[tag]] = value
    elif tag.endswith("SPDXID"):
        found.ids.add(value)
    elif tag == "Relationship":
        first, *_, last = value.split() or [""]
        found.related += [first, last]
    elif tag == "ExternalDocumentRef":
        found.elsewhere = True
