"""Bills of material in SPDX 2 (ISO/IEC 5962), as JSON or as tags and values.

Which packages, which licences.
"""

import re
from typing import Any

from pydantic import Field

from dogana.sources.reports.common import MOST, Content, Loose, UnusableReportError, read_json, text

_TAG = re.compile(r"^([A-Za-z]+):[ \t]*(.*)$")
_NONE = frozenset({"NOASSERTION", "NONE", ""})
_BY_TAG = {
    "PackageVersion": "version",
    "PackageLicenseConcluded": "concluded",
    "PackageLicenseDeclared": "declared",
}


class _Package(Loose):
    name: str
    version: str = Field(default="", alias="versionInfo")
    concluded: str = Field(default="", alias="licenseConcluded")
    declared: str = Field(default="", alias="licenseDeclared")


class _Document(Loose):
    version: str = Field(alias="spdxVersion", pattern=r"^SPDX-2\.")
    packages: tuple[_Package, ...]


def packages(bodies: list[bytes]) -> Content:
    """How many packages, and of the first their versions and licences. It tells of no vulnerabilities."""
    if len(bodies) == 1 and bodies[0].lstrip(b"\xef\xbb\xbf \t\r\n").startswith(b"{"):
        document: _Document = read_json(_Document, bodies, "SPDX")
        found = [one.model_dump() for one in document.packages]
    else:
        found = _tagged(bodies)
    parts = [
        {
            "name": text(one["name"]),
            "version": text(one["version"]),
            "licence": text(
                next((one[key] for key in ("concluded", "declared") if one[key] not in _NONE), "")
            ),
        }
        for one in found
    ]
    return Content({"components": len(parts), "parts": parts[:MOST]})


def _tagged(bodies: list[bytes]) -> list[dict[str, Any]]:
    if len(bodies) != 1:
        raise UnusableReportError(f"One SPDX document is read at a time; this holds {len(bodies)}.")
    try:
        lines = bodies[0].decode("utf-8-sig").splitlines()
    except UnicodeDecodeError as exc:
        raise UnusableReportError("This is no SPDX: it is no text.") from exc
    found: list[dict[str, Any]] = []
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
        elif tag[1] == "PackageName":
            found.append({"name": tag[2].strip(), "version": "", "concluded": "", "declared": ""})
        elif tag[1] in _BY_TAG and found:
            found[-1][_BY_TAG[tag[1]]] = tag[2].strip()
    if not version.startswith("SPDX-2.") or inside:
        raise UnusableReportError("This is no whole SPDX document of version 2.")
    return found
