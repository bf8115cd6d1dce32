"""Windows as a policy writes them: one-off, or recurring by an RFC 5545 rule, in wall-clock time."""

from collections.abc import Iterator
from datetime import date, datetime, timedelta
from functools import lru_cache
from typing import Annotated, Any, Self

from dateutil.rrule import rrulestr
from pydantic import AfterValidator, Field, model_validator

from dogana.core.document import Document, in_our_time
from dogana.core.time.intervals import Interval
from dogana.core.time.zones import local, wall_clock, zone_names

_LONGEST = timedelta(days=400)
_TOO_OFTEN = ("HOURLY", "MINUTELY", "SECONDLY")
_ALL_DAYS = timedelta(days=1)


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


class Window(Document):
    """Wall-clock time, once (`from`, `until`) or again and again (`every`, `starting`, `lasting`)."""

    name: str = Field(min_length=1, max_length=80)
    """What people call it; it appears in sentences."""
    from_: LocalTime | None = Field(default=None, alias="from")
    """Start of a one-off window, local time."""
    until: LocalTime | None = None
    """End of a one-off window, local time, not included."""
    every: str | None = Field(default=None, max_length=200)
    """An RFC 5545 recurrence rule, for example FREQ=WEEKLY;BYDAY=TU."""
    starting: LocalTime | None = None
    """The first start of a recurring window, local time."""
    lasting: timedelta | None = None
    """How long each occurrence lasts on the wall clock, ISO 8601 (PT6H)."""
    except_: tuple[date, ...] = Field(default=(), alias="except", max_length=1000)
    """Local dates of occurrences that are left out."""

    @model_validator(mode="after")
    def _one_form(self) -> Self:
        once = (self.from_, self.until)
        again = (self.every, self.starting, self.lasting)
        if all(once) and not any(again) and not self.except_:
            assert self.from_ is not None
            assert self.until is not None
            if self.from_ >= self.until:
                raise ValueError("the window ends before it starts")
            return self
        if all(x is not None for x in again) and not any(once):
            assert self.lasting is not None
            if not timedelta(0) < self.lasting <= _LONGEST:
                raise ValueError("a recurring window lasts longer than nothing and at most 400 days")
            self._check_rule()
            return self
        raise ValueError("give either `from` and `until`, or `every`, `starting` and `lasting`")

    def plain(self) -> dict[str, Any]:
        """As the policy writes it, with its own key names."""
        return self.model_dump(mode="json", exclude_none=True, by_alias=True)

    def _check_rule(self) -> None:
        assert self.every is not None
        assert self.starting is not None
        text = self.every.upper()
        if "FREQ=" not in text or "\n" in text or any(f"FREQ={often}" in text for often in _TOO_OFTEN):
            raise ValueError("`every` takes one rule that recurs daily or less often")
        try:
            rrulestr(self.every, dtstart=self.starting)
        except (ValueError, TypeError, KeyError) as exc:
            raise ValueError(f"`every` is not a recurrence rule: {exc}") from exc

    def occurrences(self, zone: str, within: Interval) -> Iterator[Interval]:
        """The stretches of `within` that the window covers, occurrence by occurrence."""
        if self.from_ is not None and self.until is not None:
            spans = [(self.from_, self.until)]
        else:
            assert self.every is not None
            assert self.starting is not None
            assert self.lasting is not None
            after = local(within.start, zone) - self.lasting - _ALL_DAYS
            before = local(within.end, zone) + _ALL_DAYS
            spans = [
                (start, start + self.lasting)
                for year in range(after.year, before.year + 1)
                for start in _starts_in(self.every, self.starting, year)
                if after <= start <= before and start.date() not in self.except_
            ]
        for start, end in spans:
            for interval in wall_clock(start, end, zone):
                clipped = interval.clip(within)
                if clipped:
                    yield clipped


@lru_cache(maxsize=4096)
def _starts_in(every: str, starting: datetime, year: int) -> tuple[datetime, ...]:
    """The starts of a recurrence in one year, local time; kept, for each goes on from the very first."""
    rule = rrulestr(every, dtstart=starting)
    return tuple(rule.between(datetime(year, 1, 1), datetime(year, 12, 31, 23, 59, 59), inc=True))  # noqa: DTZ001
