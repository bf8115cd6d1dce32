"""Recurrence rules of RFC 5545 section 3.3.10, daily or rarer, found by arithmetic and not by counting up.

A rule is read into its parts once; the starts within a span are computed from the span itself, so asking
about next year costs no more than asking about today, and a rule that never comes to pass costs nothing.
"""

import re
from calendar import isleap, monthrange
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from functools import lru_cache
from typing import Literal, cast, get_args

Frequency = Literal["DAILY", "WEEKLY", "MONTHLY", "YEARLY"]
_DAYS = ("MO", "TU", "WE", "TH", "FR", "SA", "SU")
_BY_DAY = re.compile(r"^([+-]?[0-9]{1,2})?(MO|TU|WE|TH|FR|SA|SU)$")
_UNTIL = re.compile(r"^([0-9]{8})(T([0-9]{6}))?$")
_PARTS = frozenset(
    ["FREQ", "INTERVAL", "COUNT", "UNTIL", "WKST", "BYMONTH", "BYMONTHDAY", "BYDAY", "BYSETPOS"]
)
_MOST = 10_000
_A_DAY = timedelta(days=1)
_JANUARY, _DECEMBER, _WEEK = 1, 12, 7


@dataclass(frozen=True, slots=True)
class Recurrence:
    """One rule, its parts checked; days of the week count from 0, Monday."""

    frequency: Frequency
    interval: int = 1
    count: int | None = None
    until: datetime | None = None
    week_starts: int = 0
    months: frozenset[int] = frozenset()
    month_days: frozenset[int] = frozenset()
    week_days: frozenset[int] = frozenset()
    """Days of the week without an ordinal."""
    nth_days: frozenset[tuple[int, int]] = frozenset()
    """(ordinal, day of the week): the second Tuesday, the last Friday."""
    positions: frozenset[int] = frozenset()

    def starts(self, first: datetime, after: datetime, before: datetime) -> Iterator[datetime]:
        """The starts from `after` to `before`, both included; local times labelled UTC, ascending.

        Args:
            first: DTSTART, with the time of day of every start. It counts only where the rule names it.
            after: the earliest start wanted.
            before: the latest start wanted.
        """
        last = before if self.until is None else min(before, self.until.replace(tzinfo=UTC))
        if last < first:
            return
        if self.count is not None:
            yield from (start for start in _counted(self, first) if after <= start <= last)
            return
        clock = first.time()
        for day in self._days(first.date(), max(first, after).date(), last.date()):
            start = datetime.combine(day, clock, UTC)
            if start > last:
                return
            if start >= after and start >= first:
                yield start

    def work(self, first: datetime) -> int:
        """How many periods are gone through to find its starts within a year, at most."""
        days = max(1, len(self.week_days)) if self.frequency == "WEEKLY" else 1
        if self.count is None:
            return {"DAILY": 366, "WEEKLY": 53 * days, "MONTHLY": 12 * 8, "YEARLY": 366}[
                self.frequency
            ] // self.interval + 1
        # One that ends after a number of times is followed from its first, as far as that takes.
        found = _counted(self, first)
        ends = found[-1].date() if len(found) == self.count else _last_day(first)
        period = {"DAILY": 1, "WEEKLY": 7, "MONTHLY": 30, "YEARLY": 365}[self.frequency] * self.interval
        return (ends - first.date()).days // period + len(found)

    def _days(self, first: date, after: date, before: date) -> Iterator[date]:
        """The days the rule names from `after` to `before`; may begin a period too early."""
        if self.frequency == "DAILY":
            yield from self._daily(first, after, before)
        elif self.frequency == "WEEKLY":
            yield from self._weekly(first, after, before)
        elif self.frequency == "MONTHLY":
            yield from self._monthly(first, after, before)
        else:
            skipped = (after.year - first.year) // self.interval
            for year in range(first.year + skipped * self.interval, before.year + 1, self.interval):
                yield from self._chosen(self._in_year(year, first))

    def _daily(self, first: date, after: date, before: date) -> Iterator[date]:
        day = first + ((after - first) // _A_DAY // self.interval) * self.interval * _A_DAY
        step = self.interval * _A_DAY
        while day <= before:
            if self._fits(day):
                yield from self._chosen([day])
            day += step

    def _weekly(self, first: date, after: date, before: date) -> Iterator[date]:
        into = (first.weekday() - self.week_starts) % _WEEK
        step = self.interval * _WEEK * _A_DAY
        week = first - into * _A_DAY
        week += ((after - week) // step) * step
        days = self.week_days or frozenset({first.weekday()})
        offsets = sorted((day - self.week_starts) % _WEEK * _A_DAY for day in days)
        while week <= before:
            yield from self._chosen([week + offset for offset in offsets if self._month_fits(week + offset)])
            week += step

    def _monthly(self, first: date, after: date, before: date) -> Iterator[date]:
        began = first.year * _DECEMBER + first.month - 1
        now = after.year * _DECEMBER + after.month - 1
        index = began + (now - began) // self.interval * self.interval
        while index <= before.year * _DECEMBER + before.month - 1:
            year, month = divmod(index, _DECEMBER)
            if not self.months or month + 1 in self.months:
                yield from self._chosen(self._in_month(year, month + 1, first))
            index += self.interval

    def _in_month(self, year: int, month: int, first: date) -> list[date]:
        length = monthrange(year, month)[1]
        days = range(1, length + 1)
        if self.month_days:
            wanted = {n if n > 0 else length + 1 + n for n in self.month_days}
        elif self.week_days or self.nth_days:
            wanted = set(days)
        else:
            wanted = {first.day}
        chosen = [date(year, month, n) for n in days if n in wanted]
        if self.week_days or self.nth_days:
            named = self._named(date(year, month, 1), length)
            chosen = [day for day in chosen if day.weekday() in self.week_days or day in named]
        return chosen

    def _named(self, begin: date, length: int) -> set[date]:
        """The days that the ordinals name within a month or a year."""
        named = set()
        for ordinal, week_day in self.nth_days:
            if ordinal > 0:
                offset = (week_day - begin.weekday()) % _WEEK + (ordinal - 1) * _WEEK
            else:
                end = begin + (length - 1) * _A_DAY
                offset = length - 1 - (end.weekday() - week_day) % _WEEK + (ordinal + 1) * _WEEK
            if 0 <= offset < length:
                named.add(begin + offset * _A_DAY)
        return named

    def _in_year(self, year: int, first: date) -> list[date]:
        by_day = self.week_days or self.nth_days
        if self.months or not by_day:
            months = sorted(self.months) or (range(1, 13) if self.month_days else [first.month])
            return [day for month in months for day in self._in_month(year, month, first)]
        begin, length = date(year, _JANUARY, 1), 366 if isleap(year) else 365
        named = self._named(begin, length)
        days = (begin + n * _A_DAY for n in range(length))
        return [
            day
            for day in days
            if (day.weekday() in self.week_days or day in named) and self._month_day_fits(day)
        ]

    def _fits(self, day: date) -> bool:
        return (
            self._month_fits(day)
            and self._month_day_fits(day)
            and (not self.week_days or day.weekday() in self.week_days)
        )

    def _month_fits(self, day: date) -> bool:
        return not self.months or day.month in self.months

    def _month_day_fits(self, day: date) -> bool:
        if not self.month_days:
            return True
        length = monthrange(day.year, day.month)[1]
        return day.day in self.month_days or day.day - length - 1 in self.month_days

    def _chosen(self, days: list[date]) -> list[date]:
        """The days at the wanted positions of one period; all where none is asked for."""
        if not self.positions:
            return days
        places = {n - 1 if n > 0 else len(days) + n for n in self.positions}
        return [day for n, day in enumerate(days) if n in places]


@lru_cache(maxsize=1024)
def _counted(rule: Recurrence, first: datetime) -> tuple[datetime, ...]:
    """Every start of a rule that ends after a number of them."""
    out: list[datetime] = []
    for day in rule._days(first.date(), first.date(), _last_day(first)):  # noqa: SLF001
        start = datetime.combine(day, first.time(), UTC)
        if start >= first and (rule.until is None or start <= rule.until.replace(tzinfo=UTC)):
            out.append(start)
        if len(out) == rule.count:
            break
    return tuple(out)


def _last_day(first: datetime) -> date:
    """How far a counted rule is followed: a rule that rarely comes to pass is not followed for good."""
    return date(min(first.year + 400, 2250), _DECEMBER, 31)


def read_recurrence(text: str) -> Recurrence:
    """Read the value of an RRULE.

    Raises:
        ValueError: with the part that cannot be meant.
    """
    parts: dict[str, str] = {}
    for piece in text.strip().upper().removeprefix("RRULE:").split(";"):
        name, equals, value = piece.partition("=")
        if not equals or not value:
            raise ValueError(f"{piece or 'an empty part'} is not NAME=VALUE")
        if name in parts:
            raise ValueError(f"{name} stands twice")
        if name not in _PARTS:
            raise ValueError(f"{name} is not taken here; {', '.join(sorted(_PARTS))} are")
        parts[name] = value
    if parts.get("FREQ") not in get_args(Frequency):
        raise ValueError(f"FREQ is {', '.join(get_args(Frequency))}: daily or rarer")
    if "COUNT" in parts and "UNTIL" in parts:
        raise ValueError("give COUNT or UNTIL, not both")
    named = [_week_day(one) for one in parts["BYDAY"].split(",")] if "BYDAY" in parts else []
    rule = Recurrence(
        frequency=cast("Frequency", parts["FREQ"]),
        interval=_number(parts, "INTERVAL", 1, 1000) or 1,
        count=_number(parts, "COUNT", 1, _MOST),
        until=_until(parts["UNTIL"]) if "UNTIL" in parts else None,
        week_starts=_DAYS.index(_one_of(parts.get("WKST", "MO"), "WKST")),
        months=_numbers(parts, "BYMONTH", 12, negative=False),
        month_days=_numbers(parts, "BYMONTHDAY", 31),
        week_days=frozenset(day for ordinal, day in named if ordinal is None),
        nth_days=frozenset((ordinal, day) for ordinal, day in named if ordinal is not None),
        positions=_numbers(parts, "BYSETPOS", 366),
    )
    _refuse_misfits(rule)
    return rule


def _refuse_misfits(rule: Recurrence) -> None:
    """The combinations that RFC 5545 does not let stand."""
    often = rule.frequency
    if rule.nth_days and often in ("DAILY", "WEEKLY"):
        raise ValueError("an ordinal in BYDAY goes with MONTHLY or YEARLY")
    if rule.month_days and often == "WEEKLY":
        raise ValueError("BYMONTHDAY does not go with WEEKLY")
    if rule.positions and not (rule.months or rule.month_days or rule.week_days or rule.nth_days):
        raise ValueError("BYSETPOS needs another BY part to choose from")


def _number(parts: dict[str, str], name: str, least: int, most: int) -> int | None:
    if name not in parts:
        return None
    if not re.fullmatch(r"[0-9]{1,6}", parts[name]) or not least <= int(parts[name]) <= most:
        raise ValueError(f"{name} is a number from {least} to {most}")
    return int(parts[name])


def _numbers(parts: dict[str, str], name: str, most: int, *, negative: bool = True) -> frozenset[int]:
    if name not in parts:
        return frozenset()
    out = set()
    for one in parts[name].split(","):
        if not re.fullmatch(r"[+-]?[0-9]{1,3}", one) or not 1 <= abs(int(one)) <= most:
            raise ValueError(f"{name} takes numbers from 1 to {most}")
        if int(one) < 0 and not negative:
            raise ValueError(f"{name} takes no negative numbers")
        out.add(int(one))
    return frozenset(out)


def _week_day(text: str) -> tuple[int | None, int]:
    found = _BY_DAY.match(text)
    if found is None or (found[1] is not None and not 1 <= abs(int(found[1])) <= 53):  # noqa: PLR2004
        raise ValueError(f"BYDAY: {text} is not a day such as TU or -1FR")
    return (int(found[1]) if found[1] else None), _DAYS.index(found[2])


def _one_of(text: str, name: str) -> str:
    if text not in _DAYS:
        raise ValueError(f"{name} is a day such as MO")
    return text


def _until(text: str) -> datetime:
    found = _UNTIL.match(text)
    if found is None:
        raise ValueError("UNTIL is a local date or time such as 20271231 or 20271231T235959")
    try:
        day = datetime.strptime(found[1], "%Y%m%d").date()  # noqa: DTZ007
        clock = datetime.strptime(found[3], "%H%M%S").time() if found[3] else time.max  # noqa: DTZ007
    except ValueError as exc:
        raise ValueError(f"UNTIL: {text} is no time") from exc
    return datetime.combine(day, clock)
