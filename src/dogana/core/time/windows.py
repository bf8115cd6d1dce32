"""Windows as a policy writes them: one-off, or recurring by an RFC 5545 rule, in wall-clock time."""

from collections.abc import Iterable, Iterator, Sequence
from datetime import date, datetime, timedelta
from functools import cached_property
from itertools import islice
from typing import Annotated, Self

from pydantic import AfterValidator, Field, model_validator

from dogana.core.document import Document, Instant, Slug, in_our_time
from dogana.core.time.intervals import Interval, merged
from dogana.core.time.recurrence import Recurrence, read_recurrence
from dogana.core.time.zones import labelled, wall, wall_clock, zone_names

_LONGEST = timedelta(days=400)
_A_DAY = timedelta(days=1)
_LOOK_AHEAD = (3 * _A_DAY, 40 * _A_DAY, _LONGEST)
MOST_WORK = 40_000
"""In days or weeks gone through to look a year ahead; about half a second."""


def _known_zone(name: str) -> str:
    if name not in zone_names():
        raise ValueError(f"no such time zone: {name}; write an IANA name such as Europe/Rome")
    return name


Zone = Annotated[str, AfterValidator(_known_zone)]


def _naive(value: datetime) -> datetime:
    if value.tzinfo is not None:
        raise ValueError("write the local time without an offset; the zone says the rest")
    return in_our_time(value)


LocalTime = Annotated[datetime, AfterValidator(_naive)]


_MOST_CHANGED = 50


class Window(Document):
    """Wall-clock time, once (`from`, `until`) or again and again (`every`, `starting`, `lasting`)."""

    name: str = Field(min_length=1, max_length=80)
    """What people call it; it appears in sentences."""
    from_: LocalTime | None = Field(default=None, alias="from")
    """Start of a one-off window, local time."""
    until: LocalTime | None = None
    """End of a one-off window, local time, not included; without one it lasts until the policy changes."""
    every: str | None = Field(default=None, max_length=200)
    """An RFC 5545 recurrence rule, daily or rarer, for example FREQ=WEEKLY;BYDAY=TU."""
    starting: LocalTime | None = None
    """The first start of a recurring window, local time."""
    lasting: timedelta | None = None
    """How long each occurrence lasts on the wall clock."""
    except_: tuple[date, ...] = Field(default=(), alias="except", max_length=1000)
    """Local dates of occurrences that are left out."""

    @model_validator(mode="after")
    def _one_form(self) -> Self:
        again = (self.every, self.starting, self.lasting)
        if self.from_ is not None and not any(again) and not self.except_:
            if self.until is not None and self.from_ >= self.until:
                raise ValueError("the window ends before it starts")
            return self
        if self.every and self.starting and self.lasting is not None and not (self.from_ or self.until):
            if not timedelta(0) < self.lasting <= _LONGEST:
                raise ValueError("a recurring window lasts longer than nothing and at most 400 days")
            try:
                read_recurrence(self.every)
            except ValueError as exc:
                raise ValueError(f"`every` is not a recurrence rule: {exc}") from exc
            return self
        raise ValueError("give either `from`, with or without `until`, or `every`, `starting` and `lasting`")

    @cached_property
    def _again(self) -> tuple[Recurrence, datetime, timedelta] | None:
        if self.every is None or self.starting is None or self.lasting is None:
            return None
        return read_recurrence(self.every), labelled(self.starting), self.lasting

    @cached_property
    def _once(self) -> tuple[datetime, datetime | None] | None:
        if self.from_ is None:
            return None
        return labelled(self.from_), labelled(self.until) if self.until else None

    def occurrences(self, zone: str, within: Interval) -> Iterator[Interval]:
        """The stretches of `within` that the window covers, occurrence by occurrence, by their starts."""
        for interval in self.whole(zone, within):
            inside = interval.start >= within.start and interval.end <= within.end
            yield interval if inside else interval.clip(within)

    def whole(self, zone: str, within: Interval) -> Iterator[Interval]:
        """The occurrences that reach into `within`, as long as they are."""
        for start, end in self._spans(wall(within.start, zone), wall(within.end, zone)):
            for interval in wall_clock(start, end, zone):
                if interval.start < within.end and within.start < interval.end:
                    yield interval

    def _spans(self, after: datetime, before: datetime) -> Iterator[tuple[datetime, datetime]]:
        """Local spans, labelled UTC, that may reach into local times from `after` to `before`."""
        if self._again is None:
            if self._once is None:
                raise TypeError
            start, end = self._once
            yield start, end or max(before, start) + _LONGEST + 2 * _A_DAY
            return
        rule, starting, lasting = self._again
        left_out = self._left_out
        for start in rule.starts(starting, after - lasting - _A_DAY, before + _A_DAY):
            if not left_out or start.date() not in left_out:
                yield start, start + lasting

    def days(self, zone: str, within: Interval) -> set[date]:
        """The local days of `within` on which it is on."""
        out: set[date] = set()
        first, last = wall(within.start, zone), wall(within.end, zone)
        for start, end in self._spans(first, last):
            day, stop = max(start, first).date(), min(end - timedelta.resolution, last).date()
            out |= {day + n * _A_DAY for n in range((stop - day).days + 1)}
        return out

    @cached_property
    def work(self) -> int:
        """How many periods are gone through to tell where it is on within a year, at most."""
        if self._again is None:
            return 1
        rule, starting, lasting = self._again
        return (1 + lasting // (366 * _A_DAY)) * rule.work(starting)

    def covers(self, other: "Window") -> bool:
        """Whether it is on whenever another of the same zone is, as far as their settings tell."""
        if self.from_ is not None and other.from_ is not None:
            ends_later = self.until is None or (other.until is not None and other.until <= self.until)
            return self.from_ <= other.from_ and ends_later
        if self.lasting is None or other.lasting is None:
            return False
        return (
            (self.every, self.starting) == (other.every, other.starting)
            and other.lasting <= self.lasting
            and self._left_out <= set(other.except_)
        )

    @cached_property
    def _left_out(self) -> frozenset[date]:
        return frozenset(self.except_)


Zoned = tuple[Window, str]
"""A window and the zone whose wall clock it is written in."""


class LateCalendar(Document):
    """A calendar that is kept like an address which has not been read for longer than that counts."""

    name: Slug
    read_at: Instant | None = None
    """When it was read last; absent where it never was."""


class Calendar(Document):
    """Closed times or holidays that several policies share by name."""

    title: str = Field(min_length=1, max_length=80)
    """What people call it."""
    zone: Zone
    """The IANA zone its windows are written in."""
    windows: tuple[Window, ...] = Field(max_length=2000)
    """Its windows; a holiday is one of a day."""

    @model_validator(mode="after")
    def _can_be_told(self) -> Self:
        refuse_too_much(self.windows)
        return self

    def closes_no_less(self, before: "Calendar") -> bool:
        """Whether it closes whatever another did, so that nothing passes which had to wait.

        What many windows were changed in is taken to close less: each would be held beside all others.
        """
        if self.zone != before.zone:
            return not before.windows
        changed = set(before.windows) - set(self.windows)
        return len(changed) <= _MOST_CHANGED and all(
            any(other.covers(one) for other in self.windows) for one in changed
        )


def refuse_too_much(windows: Iterable[Window]) -> None:
    """See that telling where some windows are on does not take long.

    Raises:
        ValueError: when it would.
    """
    work = 0
    for window in windows:
        work += window.work
        if work > MOST_WORK:
            raise ValueError(
                "its recurring windows are too many to look through; write fewer, or with a rarer rule"
            )


def windows_on(windows: Sequence[Zoned], at: datetime) -> list[Window]:
    """The windows that are on at an instant; each is asked, none is expanded."""
    return [window for window, zone in windows if _end_of(window, zone, at)]


def open_from(windows: Sequence[Zoned], at: datetime) -> datetime | None:
    """The first instant from `at` on when no window is on; None when there is none within 400 days."""
    for ahead in _LOOK_AHEAD:
        within = Interval(at, at + ahead)
        closed = merged(span for window, zone in windows for span in window.occurrences(zone, within))
        if not closed or at not in closed[0]:
            return at
        if closed[0].end < within.end:
            return closed[0].end
    return None


def first_ahead(windows: Sequence[Zoned], within: Interval) -> tuple[Window, Interval] | None:
    """The occurrence that begins next within a stretch; by the policy's order where several do."""
    # The first may be what an hour that comes twice leaves of one that began before, and ends in that hour:
    # at most one of a window does, and the one that begins next comes right after it.
    ahead = [
        (window, span)
        for window, zone in windows
        for span in islice((i for i in window.whole(zone, within) if i.start > within.start), 2)
    ]
    return min(ahead, key=lambda found: found[1].start, default=None)


def _end_of(window: Window, zone: str, at: datetime) -> datetime | None:
    """When the occurrence that is on at an instant ends; None when none is on."""
    moment = Interval(at, at + timedelta.resolution)
    return max((i.end for i in window.whole(zone, moment)), default=None)
