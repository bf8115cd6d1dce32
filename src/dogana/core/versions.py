"""Versions and their order: Semantic Versioning 2.0.0, section 11, with any count of numbers."""

import re
from functools import total_ordering

_SHAPE = re.compile(r"^v?(\d+(?:\.\d+)*)(?:-([0-9A-Za-z.-]+))?(?:\+[0-9A-Za-z.-]+)?$")


@total_ordering
class Version:
    """A version that can be compared; build metadata does not count."""

    __slots__ = ("_key", "text")

    def __init__(self, text: str) -> None:
        """Read a version.

        Raises:
            ValueError: for text that is not numbers with dots, and perhaps a pre-release.
        """
        found = _SHAPE.match(text)
        if found is None or len(text) > 100:  # noqa: PLR2004
            raise ValueError(f"{text} is not a version such as 4.2.0 or 4.2.0-rc.1")
        numbers = [int(n) for n in found[1].split(".")]
        while len(numbers) > 1 and numbers[-1] == 0:
            numbers.pop()
        before = found[2]
        parts = tuple(
            (0, int(part), "") if part.isdigit() else (1, 0, part)
            for part in (before or "").split(".")
            if part
        )
        self._key = (tuple(numbers), before is None, parts)
        self.text = text

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Version) and self._key == other._key

    def __lt__(self, other: "Version") -> bool:
        return self._key < other._key

    def __hash__(self) -> int:
        return hash(self._key)


def a_version(text: str) -> str:
    """The text itself, once it is known to be a version.

    Raises:
        ValueError: when it is none.
    """
    return Version(text).text
