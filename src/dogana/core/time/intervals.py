"""Half-open intervals [start, end) of instants in UTC, and sets of them kept sorted and disjoint."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime, timedelta


@dataclass(frozen=True, slots=True, order=True)
class Interval:
    """The instants t with start <= t < end."""

    start: datetime
    end: datetime

    def __post_init__(self) -> None:
        if self.start.tzinfo is None or self.end.tzinfo is None:
            raise ValueError("an interval needs aware instants")

    def __bool__(self) -> bool:
        return self.start < self.end

    def __contains__(self, instant: datetime) -> bool:
        return self.start <= instant < self.end

    @property
    def length(self) -> timedelta:
        """How long it lasts."""
        return self.end - self.start

    def clip(self, within: "Interval") -> "Interval":
        """The part of it inside another; may be empty (false)."""
        return Interval(max(self.start, within.start), min(self.end, within.end))


def merged(intervals: Iterable[Interval]) -> list[Interval]:
    """The same instants as sorted, disjoint, non-touching, non-empty intervals."""
    out: list[Interval] = []
    for interval in sorted(i for i in intervals if i):
        if out and interval.start <= out[-1].end:
            out[-1] = Interval(out[-1].start, max(out[-1].end, interval.end))
        else:
            out.append(interval)
    return out


def complement(intervals: Iterable[Interval], within: Interval) -> list[Interval]:
    """The instants of `within` that no interval holds."""
    out: list[Interval] = []
    cursor = within.start
    for interval in merged(intervals):
        if cursor < min(interval.start, within.end):
            out.append(Interval(cursor, min(interval.start, within.end)))
        cursor = max(cursor, interval.end)
    if cursor < within.end:
        out.append(Interval(cursor, within.end))
    return out
