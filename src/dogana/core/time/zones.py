"""Wall clocks: which instants show a given span of local time in an IANA zone.

A wall-clock span is the set of instants whose local time lies in it. So an hour the clock skips adds nothing
and an hour it repeats counts twice, with no rule of its own for either.
"""

from datetime import UTC, datetime, timedelta
from functools import lru_cache
from zoneinfo import ZoneInfo, available_timezones

from dogana.core.time.intervals import Interval, merged

_DAY = timedelta(days=1)
_LONG = timedelta(days=5)
_SECOND = timedelta(seconds=1)


@lru_cache(maxsize=1)
def zone_names() -> frozenset[str]:
    """Every IANA name this machine's zone data knows."""
    return frozenset(available_timezones())


def offset_at(instant: datetime, zone: str) -> timedelta:
    """A zone's offset from UTC at an instant."""
    return instant.astimezone(ZoneInfo(zone)).utcoffset() or timedelta(0)


@lru_cache(maxsize=4096)
def _offset_changes(zone: str, year: int) -> tuple[tuple[datetime, timedelta], ...]:
    """The instants in a UTC year at which the zone's offset changes, with the offset from then on."""
    changes = []
    day = datetime(year, 1, 1, tzinfo=UTC)
    end = datetime(year + 1, 1, 1, tzinfo=UTC)
    before = offset_at(day, zone)
    while day < end:
        following = min(day + _DAY, end)
        after = offset_at(following, zone)
        if after != before:
            low, high = day, following
            while high - low > _SECOND:
                middle = (low + (high - low) / 2).replace(microsecond=0)
                if offset_at(middle, zone) == before:
                    low = middle
                else:
                    high = middle
            changes.append((high, after))
        day, before = following, after
    return tuple(changes)


def offset_spans(zone: str, within: Interval) -> list[tuple[Interval, timedelta]]:
    """The stretches of `within` during which the zone keeps one offset, with that offset."""
    spans = []
    start = within.start
    offset = offset_at(start, zone)
    for year in range(within.start.year, within.end.year + 1):
        for instant, following in _offset_changes(zone, year):
            if start < instant < within.end:
                spans.append((Interval(start, instant), offset))
                start, offset = instant, following
    spans.append((Interval(start, within.end), offset))
    return spans


@lru_cache(maxsize=16384)
def _steady_offset(zone: str, day: int) -> timedelta | None:
    """The zone's offset from UTC where nothing changes from two days before a day to three after it."""
    first = datetime.fromordinal(day).replace(tzinfo=UTC)
    (_, offset), *changes = offset_spans(zone, Interval(first - 2 * _DAY, first + 4 * _DAY))
    return None if changes else offset


def wall_clock(start: datetime, end: datetime, zone: str) -> list[Interval]:
    """The instants whose local time t in `zone` has start <= t < end.

    Args:
        start: local time, labelled UTC; see `labelled`.
        end: local time, labelled UTC.
        zone: an IANA name.

    Returns:
        Sorted disjoint intervals in UTC; none where the clock skips the whole span.
    """
    if end - start <= _DAY:
        offset = _steady_offset(zone, start.toordinal())
        if offset is not None:
            return [Interval(start - offset, end - offset)] if start < end else []
    if end - start > _LONG:
        # Of a long span only the edges depend on the offset; no offset is as long as a day.
        middle = Interval(start + _DAY, end - _DAY)
        head, tail = wall_clock(start, start + 2 * _DAY, zone), wall_clock(end - 2 * _DAY, end, zone)
        return merged([*head, middle, *tail])
    about = Interval(start - _DAY, end + _DAY)
    return merged(
        Interval(start - offset, end - offset).clip(span) for span, offset in offset_spans(zone, about)
    )


def local(instant: datetime, zone: str) -> datetime:
    """The wall clock at an instant, without a zone attached."""
    return instant.astimezone(ZoneInfo(zone)).replace(tzinfo=None)


def wall(instant: datetime, zone: str) -> datetime:
    """The wall clock at an instant, labelled UTC."""
    return instant + offset_at(instant, zone)


def labelled(local_time: datetime) -> datetime:
    """A local time as the arithmetic here carries it: labelled UTC, so that an offset makes it an instant."""
    return local_time.replace(tzinfo=UTC)
