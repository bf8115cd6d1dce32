"""Half-open intervals [start, end) of instants in UTC, and sets of them kept sorted and disjoint."""

from collections.abc import Iterable
from datetime import datetime, timedelta
from operator import itemgetter
from typing import NamedTuple

_by_start = itemgetter(0)


class Interval(NamedTuple):
    """The instants t with start <= t < end; both aware. A plain tuple, for a year holds thousands."""

    start: datetime
    end: datetime

    def __bool__(self) -> bool:
        return self.start < self.end

    def __contains__(self, instant: object) -> bool:
        return isinstance(instant, datetime) and self.start <= instant < self.end

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
    start = end = None
    for interval in sorted(intervals, key=_by_start):
        if end is not None and interval[0] <= end:
            end = max(end, interval[1])
        elif interval[0] < interval[1]:
            if start is not None and end is not None:
                out.append(Interval(start, end))
            start, end = interval
    if start is not None and end is not None:
        out.append(Interval(start, end))
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
