"""Findings of scans across the estate: how grave they are, and which of them are accepted."""

import re
from dataclasses import dataclass
from datetime import datetime
from typing import NamedTuple

from dogana.core.kept_lists import SEVERITIES

_TAKES_TWO = frozenset({"critical", "high", "unrated"})


_LINE = re.compile(r":\d+$")


def file_of(place: str) -> str:
    """Where a finding is, without its line."""
    return _LINE.sub("", place)


class FindingKey(NamedTuple):
    """What makes a finding the same from one release to the next: lines move, and texts are written anew."""

    service: str
    name: str
    file: str


def gravity(severity: str) -> int:
    """By which findings are sorted, the gravest first; an unknown word is as grave as what nobody rated."""
    return SEVERITIES.index(severity if severity in SEVERITIES else "unrated")


def takes_two(severity: str) -> bool:
    """Whether a second person has to agree before a finding is accepted."""
    return severity not in SEVERITIES or severity in _TAKES_TWO


@dataclass(frozen=True, kw_only=True)
class Accepted:
    """That a finding is accepted until a date."""

    severity: str
    """As grave as it was then."""
    until: datetime
    granted_at: datetime | None
    ended_at: datetime | None = None

    def holds(self, severity: str, at: datetime) -> bool:
        """Whether it covers a finding as grave as this at an instant: a graver one is on the list again."""
        granted = self.granted_at is not None and self.granted_at <= at
        ended = self.ended_at is not None and self.ended_at <= at
        return granted and not ended and at < self.until and gravity(severity) >= gravity(self.severity)
