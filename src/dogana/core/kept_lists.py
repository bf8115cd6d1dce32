"""Lists in the content of a report: of a long one only the first are kept, though all were counted."""

from collections.abc import Mapping
from typing import Any, NamedTuple

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
_CALLED = {"parts": "components", "least_covered": "packages", "flaky_tests": "flaky tests"}


class Kept(NamedTuple):
    """How much of a list is there, and of how much."""

    name: str
    listed: int
    told: int

    def in_words(self) -> str:
        """`names 100 of 512 components`."""
        worst = "the worst " if self.name == "findings" else ""
        called = _CALLED.get(self.name, self.name if self.name in {"findings", "failures"} else "names")
        return f"names {worst}{self.listed} of {self.told} {called}"


def list_in(content: Mapping[str, Any], name: str) -> list[Any]:
    """A list in some content; empty where it has none of that name."""
    found = content.get(name)
    return found if isinstance(found, list) else []


def cut_short(content: Mapping[str, Any], lengths: Mapping[str, int] | None = None) -> dict[str, Kept]:
    """The lists of some content that do not hold all that was counted, by name.

    Args:
        content: what a report says.
        lengths: how long its lists are, where they are not at hand.
    """
    out = {}
    for name, counts in _COUNTED.items():
        told = sum(one for key in counts if isinstance(one := content.get(key), int))
        length = len(list_in(content, name)) if lengths is None else lengths.get(name, 0)
        if told > length:
            out[name] = Kept(name, length, told)
    return out
