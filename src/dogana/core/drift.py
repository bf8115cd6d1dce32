"""Drift: that something else runs somewhere than what landed there last."""

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Annotated, Any, Literal
from urllib.parse import quote

from jsonpointer import JsonPointerException, resolve_pointer
from pydantic import AfterValidator, Discriminator, Field, StringConstraints, Tag

from dogana.core.document import Document, Slug
from dogana.core.policy.text import json_of
from dogana.core.words import are, listed

_PLACES = frozenset({"service", "version"})
_PLACE = re.compile(r"\{([^{}]*)\}")
_LONGEST = 200
_NAMED = 3


def _known_places(template: str) -> str:
    unknown = sorted({*_PLACE.findall(template)} - _PLACES)
    if unknown or "{" in (bare := _PLACE.sub("", template)) or "}" in bare:
        raise ValueError("only {service} and {version} can stand in it")
    return template


AddressTemplate = Annotated[
    str,
    StringConstraints(max_length=500, pattern=r"^https?://[^\s/]+[^\s]*$"),
    AfterValidator(_known_places),
]
"""An http or https address with `{service}` and `{version}` in it."""


def address_of(template: str, service: str, version: str) -> str:
    """A template with a service and a version in it, escaped (RFC 3986, section 2.1)."""
    told = {"service": quote(service, safe=""), "version": quote(version, safe="")}
    return _PLACE.sub(lambda found: told[found[1]], template)


Pointer = Annotated[str, StringConstraints(max_length=200, pattern=r"^(/[^\x00]*)?$")]
"""A JSON Pointer (RFC 6901)."""


class FromAddress(Document):
    """An address that answers with what runs: JSON, or nothing but the version as text."""

    kind: Literal["address"]
    address: AddressTemplate
    version: Pointer | None = None
    """Where the version stands in its JSON; its whole text is the version when left out."""
    digest: Pointer | None = None
    """Where the digest stands of what runs; it is not compared when left out."""


class FromMetric(Document):
    """A label of a metric, as in `build_info{version="1.2.0"}`."""

    kind: Literal["metric"]
    query: str = Field(min_length=1, max_length=1000)
    """What the metrics source is asked; `$service` and `$environment` stand for the two."""
    source: Slug | None = None
    """Which source of metrics; the first one set up when left out."""
    label: Annotated[str, StringConstraints(pattern=r"^[a-zA-Z_][a-zA-Z0-9_]*$", max_length=100)] = "version"
    digest_label: (
        Annotated[str, StringConstraints(pattern=r"^[a-zA-Z_][a-zA-Z0-9_]*$", max_length=100)] | None
    ) = None


VersionFrom = Annotated[
    Annotated[FromAddress, Tag("address")] | Annotated[FromMetric, Tag("metric")], Discriminator("kind")
]
"""Where what really runs in an environment is read."""


@dataclass(frozen=True, kw_only=True)
class Seen:
    """What something says that it is."""

    version: str
    digests: Mapping[str, str]
    """Of its artifacts by name; under the empty name where it says one alone. Empty where it says none."""


class NonsenseError(Exception):
    """An answer from which it cannot be told what runs; the text says why, to go after `it `."""


def read_answer(body: bytes, wanted: FromAddress) -> Seen:
    """What an address answered.

    Raises:
        NonsenseError: when it is not text, not JSON where JSON is wanted, or says no version, or something
            twice.
    """
    try:
        text = body.decode()
        said = json_of(text) if wanted.version is not None or wanted.digest is not None else None
    except ValueError as exc:
        raise NonsenseError("answered something that cannot be read") from exc
    version = text.strip() if wanted.version is None else _at(said, wanted.version, "version")
    digest = _at(said, wanted.digest, "digest") if wanted.digest is not None else None
    return Seen(version=_sound(version, "version"), digests=_alone(digest))


def read_labels(found: Sequence[Mapping[str, str]], wanted: FromMetric) -> Seen:
    """What the labels of some series say; one that says no version, or several versions, is none.

    Raises:
        NonsenseError: when that is so.
    """
    versions = sorted({one.get(wanted.label, "") for one in found})
    if not found:
        raise NonsenseError("gives no series")
    if "" in versions:
        raise NonsenseError(f"gives a series without the label {wanted.label}")
    if len(versions) > 1:
        more = " and more" if len(versions) > _NAMED else ""
        raise NonsenseError(f"gives several versions at once: {listed(versions[:_NAMED])}{more}")
    digests = {one.get(wanted.digest_label, "") for one in found} if wanted.digest_label else set[str]()
    if len(digests) > 1 or "" in digests:
        raise NonsenseError(f"gives no single {wanted.digest_label}")
    return Seen(version=_sound(versions[0], "version"), digests=_alone(next(iter(digests), None)))


def drift(seen: Seen, version: str, artifacts: Iterable[Mapping[str, Any]]) -> str | None:
    """In what that which is seen differs from what landed, in words; None where it does not.

    Args:
        seen: what it says that it is.
        version: what landed there last.
        artifacts: what it was made of, each with `name` and `digest`.
    """
    if _bare(seen.version) != _bare(version):
        return f"it runs {seen.version} instead of {version}"
    wanted = {one["name"]: one["digest"] for one in artifacts}
    if seen.digests.keys() == {""}:
        same = seen.digests[""] in wanted.values()
        return None if same or not wanted else f"it says that it is {version}, but its bytes are others"
    other = sorted(name for name, digest in seen.digests.items() if wanted.get(name) != digest)
    missing = sorted(wanted.keys() - seen.digests.keys()) if seen.digests else []
    if not other and not missing:
        return None
    faults = [f"the bytes of {listed(other[:_NAMED])} are others"] if other else []
    faults += [f"{listed(missing[:_NAMED])} {are(len(missing))} missing"] if missing else []
    return f"it says that it is {version}, but {listed(faults)}"


def _bare(version: str) -> str:
    """Some say `v1.2.0` where others say `1.2.0`."""
    return version.removeprefix("v") if version[1:2].isdigit() else version


def _alone(digest: str | None) -> dict[str, str]:
    if digest is None:
        return {}
    given = digest.lower()
    return {"": given if ":" in given else f"sha256:{given}"}


def _sound(text: str, what: str) -> str:
    if not text or len(text) > _LONGEST or not text.isprintable() or len(text.split()) > 1:
        raise NonsenseError(f"answered no {what}")
    return text


def _at(said: Any, pointer: str, what: str) -> str:
    try:
        found = resolve_pointer(said, pointer)
    except (JsonPointerException, TypeError) as exc:
        raise NonsenseError(f"says no {what}: nothing stands at {pointer}") from exc
    if not isinstance(found, str):
        raise NonsenseError(f"says no {what}: what stands at {pointer} is no text")
    return found
