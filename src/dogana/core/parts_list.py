"""What releases are made of: components by name, and in what two lists of them differ."""

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from dogana.core.document import Document
from dogana.core.facts import Report
from dogana.core.kept_lists import list_in, not_all


class PartChange(Document):
    """A component that is in one release and not, or otherwise, in another."""

    name: str
    before: tuple[str, ...]
    """Its versions in the first release; empty where it is not in it."""
    after: tuple[str, ...]


class PartChanges(Document):
    """In what the components of two releases differ, and why that may not be all."""

    changes: tuple[PartChange, ...] = ()
    unknown: tuple[str, ...] = ()
    """Sentences; empty where it is all."""


def part_changes(before: Sequence[Report], after: Sequence[Report]) -> PartChanges:
    """What changed between the lists of components of two releases, by name."""
    unknown = [*_unlisted("earlier", before), *_unlisted("later", after)]
    was, now = _versions(before), _versions(after)
    changes = [
        PartChange(name=name, before=was.get(name, ()), after=now.get(name, ()))
        for name in sorted(was.keys() | now.keys())
        if was.get(name, ()) != now.get(name, ())
    ]
    return PartChanges(changes=tuple(changes), unknown=tuple(unknown))


def parts_of(reports: Iterable[Report]) -> list[Mapping[str, Any]]:
    """Every component that some reports list, each with `name` and `version`."""
    return [part for report in reports for part in _listed(report)]


def not_all_parts(content: Mapping[str, Any], unknown: str | None, length: int) -> str | None:
    """Why a list of components may not be all; None where it is.

    Args:
        content: what the report says; its list itself may be left out.
        unknown: why that cannot be relied on, if so.
        length: how many components it lists.
    """
    if unknown:
        return f"cannot be relied on: {unknown}"
    if not isinstance(content.get("components"), int):
        return "lists no components"
    return not_all(content, "parts", length)


def _unlisted(which: str, reports: Sequence[Report]) -> list[str]:
    lists = [one for one in reports if one.kind == "components"]
    if not lists:
        return [f"The {which} release came with no list of components."]
    told = [(one.name, not_all_parts(one.content, one.unknown, len(_listed(one)))) for one in lists]
    return [f"{name} of the {which} release {why}." for name, why in told if why]


def _listed(report: Report) -> list[Mapping[str, Any]]:
    return [one for one in list_in(report.content, "parts") if isinstance(one, dict)]


def _versions(reports: Sequence[Report]) -> dict[str, tuple[str, ...]]:
    found: dict[str, set[str]] = {}
    for one in parts_of(reports):
        found.setdefault(str(one.get("name", "")), set()).add(str(one.get("version", "")))
    return {name: tuple(sorted(versions)) for name, versions in found.items()}
