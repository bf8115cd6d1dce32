"""Lists in the content of a report: of a long one only the first are kept, though all were counted."""

from collections.abc import Mapping
from typing import Any

SEVERITIES = ("critical", "high", "unrated", "medium", "low", "info")
"""The gravest first; what nobody rated may be grave."""
_COUNTED = {
    "parts": ("components",),
    "findings": SEVERITIES,
    "failures": ("failed",),
    "flaky_tests": ("flaky",),
    "least_covered": ("packages",),
    "add": ("to_add",),
    "change": ("to_change",),
    "destroy": ("to_destroy",),
}
"""What each list is counted under, all of it."""
_CALLED = {
    "parts": "components",
    "findings": "findings",
    "failures": "failures",
    "least_covered": "packages",
    "flaky_tests": "flaky tests",
}


def list_in(content: Mapping[str, Any], name: str) -> list[Any]:
    """A list in some content; empty where it has none of that name."""
    found = content.get(name)
    return found if isinstance(found, list) else []


def not_all(content: Mapping[str, Any], name: str, length: int) -> str | None:
    """`names 100 of 512 components`: why a list does not hold all that was counted; None where it does.

    Args:
        content: what a report says; the list itself may be left out.
        name: what the list is called.
        length: how long it is.
    """
    told = sum(one for key in _COUNTED[name] if isinstance(one := content.get(key), int))
    if told <= length:
        return None
    worst = "the worst " if name == "findings" else ""
    return f"names {worst}{length} of {told} {_CALLED.get(name, 'names')}"


def cut_short(content: Mapping[str, Any]) -> dict[str, str]:
    """Why the lists of some content do not hold all that was counted, by name; those that do left out."""
    why = {name: not_all(content, name, len(list_in(content, name))) for name in _COUNTED}
    return {name: one for name, one in why.items() if one is not None}
