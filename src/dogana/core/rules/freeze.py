"""`freeze`: closed times, once or recurring, its own or of shared calendars."""

from collections.abc import Mapping, Sequence
from datetime import datetime, timedelta
from typing import ClassVar, Literal, Self

from pydantic import Field, model_validator

from dogana.core.document import Slug
from dogana.core.facts import PromotionKind
from dogana.core.rules.base import InProgress, Rule, steps_held
from dogana.core.rules.case import Case
from dogana.core.rules.findings import Evidence, Finding, Outcome
from dogana.core.rules.shared_calendars import without_calendars
from dogana.core.strictness import Difference, Order, covering, exempting
from dogana.core.time.forecast import Closing
from dogana.core.time.intervals import Interval
from dogana.core.time.windows import Calendar, Window, Zone, Zoned, first_ahead, open_from, windows_on
from dogana.core.words import listed, spoken, when

_LOOK_AHEAD = timedelta(days=45)


class FreezeRule(Rule):
    """Nothing enters while one of the windows is on."""

    heading = "Closed times"

    texture: ClassVar[Literal["freeze"]] = "freeze"
    strictness = (exempting("passes", "lets {} pass"), steps_held)

    kind: Literal["freeze"]
    zone: Zone
    """The IANA zone whose wall clock the windows are written in; the policy's own when left out."""
    windows: tuple[Window, ...] = Field(default=(), max_length=500)
    """The closed times; any one of them closes."""
    calendars: tuple[Slug, ...] = Field(default=(), max_length=20)
    """Shared calendars whose windows close as well, by name."""
    passes: tuple[PromotionKind, ...] = Field(default=(), max_length=3)
    """Which kinds of promotion pass all the same."""
    in_progress: InProgress = None
    """Whether a step of what departed before is held too, as it is when left out, or goes on."""

    @model_validator(mode="after")
    def _closes_something(self) -> Self:
        if not self.windows and not self.calendars:
            raise ValueError("give windows, calendars or both")
        if "ordinary" in self.passes:
            raise ValueError("a freeze that ordinary promotions pass closes nothing")
        return self

    def holds_next_step(self) -> bool:
        """Whether it holds what departed before it closed."""
        return self.in_progress is None

    def own_windows(self) -> tuple[Zoned, ...]:
        """Its own, beside those of shared calendars."""
        return tuple((window, self.zone) for window in self.windows)

    def calendar_names(self) -> tuple[str, ...]:
        """The shared calendars it names."""
        return self.calendars

    def summary(self) -> str:
        """Its settings in few words."""
        names = [window.name for window in self.windows] + [
            f"the calendar {spoken(name)}" for name in self.calendars
        ]
        passes = f"; lets {listed(self.passes)} pass" if self.passes else ""
        return listed(names) + passes

    def inspect(self, case: Case) -> Finding:
        """Pending while closed, with the instant it opens; else met, naming the next window."""
        unread = without_calendars(self, case, self.calendars)
        if unread is not None:
            return unread
        zoned = self._zoned(case.facts.calendars)
        on = windows_on(zoned, case.at)
        if case.facts.kind in self.passes:
            closed = f", though {listed([w.name for w in on])} closes it for others" if on else ""
            return self.finding(Outcome.MET, f"{case.facts.kind_in_words()} passes{closed}.")
        if on:
            return self._closed(case, zoned, on)
        ahead = first_ahead(zoned, Interval(case.at, case.at + _LOOK_AHEAD))
        if ahead is None:
            return self.finding(Outcome.MET, "Open; no freeze window within six weeks.")
        starts, ends = when(ahead[1].start, self.zone), when(ahead[1].end, self.zone)
        return self.finding(
            Outcome.MET,
            f"Open until {starts}, when {ahead[0].name} begins.",
            evidence=[Evidence(label=ahead[0].name, value=f"{starts}, until {ends}")],
        )

    def _closed(self, case: Case, zoned: Sequence[Zoned], on: Sequence[Window]) -> Finding:
        end = open_from(zoned, case.at)
        until = f"until {when(end, self.zone)}" if end else "until further notice"
        names = listed(list(dict.fromkeys(window.name for window in on)))
        return self.finding(
            Outcome.PENDING,
            f"Closed by {names} {until}.",
            settled_by="time" if end else "facts",
            clears_at=end,
            evidence=[Evidence(label=window.name, value=until) for window in on],
        )

    def closings(self, case: Case, horizon: Interval) -> list[Closing]:
        """Every occurrence in the horizon."""
        return [] if case.facts.kind in self.passes else self.closed(case.facts.calendars, horizon)

    def closed(self, calendars: Mapping[str, Calendar], horizon: Interval) -> list[Closing]:
        """What it closes in a stretch of time, for whoever may not pass."""
        out: list[Closing] = []
        for window, zone in self._zoned(calendars):
            last: Closing | None = None
            for start, end in window.occurrences(zone, horizon):
                if last is not None and start <= last.end:
                    out[-1] = last = Closing(self.id, "freeze", window.name, last.start, max(end, last.end))
                else:
                    last = Closing(self.id, "freeze", window.name, start, end)
                    out.append(last)
        return out

    def differing(self, other: Rule) -> list[Difference]:
        """By what they close too: a window is covered by one that is on whenever it is."""
        if not isinstance(other, FreezeRule):
            raise TypeError
        out = super().differing(other)
        order = covering(self._closes(), other._closes(), _covers)  # noqa: SLF001
        if order is not Order.EQUAL:
            names = [_name(one) for one in other._closes()]  # noqa: SLF001
            instead = listed([_name(one) for one in self._closes()])
            out.append(Difference(order, f"closes for {listed(names)} instead of {instead}"))
        return out

    def _closes(self) -> list[Zoned | str]:
        return [*((window, self.zone) for window in self.windows), *self.calendars]

    def frozen_at(self, at: datetime, calendars: Mapping[str, Calendar]) -> tuple[list[str], datetime | None]:
        """The names of the windows that are on at an instant, and when it opens, if within 400 days."""
        zoned = self._zoned(calendars)
        on = windows_on(zoned, at)
        return list(dict.fromkeys(window.name for window in on)), open_from(zoned, at) if on else at

    def _zoned(self, calendars: Mapping[str, Calendar]) -> list[Zoned]:
        shared = [calendars[name] for name in self.calendars if name in calendars]
        return [(window, self.zone) for window in self.windows] + [
            (window, calendar.zone) for calendar in shared for window in calendar.windows
        ]


def _name(closes: Zoned | str) -> str:
    return f"the calendar {closes}" if isinstance(closes, str) else closes[0].name


def _covers(mine: Zoned | str, yours: Zoned | str) -> bool:
    """Whether the first is closed whenever the second is, as far as their settings tell."""
    if isinstance(mine, str) or isinstance(yours, str):
        return mine == yours
    return mine[1] == yours[1] and mine[0].covers(yours[0])
