"""`freeze`: closed times, once or recurring, in a zone of their own."""

from datetime import datetime, timedelta
from typing import ClassVar, Literal

from pydantic import Field

from dogana.core.rules.base import Case, Evidence, Finding, Outcome, Rule
from dogana.core.time.forecast import Closing
from dogana.core.time.intervals import Interval, merged
from dogana.core.time.windows import Window, Zone
from dogana.core.words import listed, when

_LOOK_AHEAD = timedelta(days=45)


class Freeze(Rule):
    """Nothing enters while one of the windows is on."""

    texture: ClassVar[Literal["freeze"]] = "freeze"

    kind: Literal["freeze"]
    zone: Zone
    """The IANA zone whose wall clock the windows are written in."""
    windows: tuple[Window, ...] = Field(min_length=1, max_length=500)
    """The closed times; any one of them closes."""

    def inspect(self, case: Case) -> Finding:
        """Pending while closed, with the instant it opens; else met, naming the next window."""
        horizon = Interval(case.at, case.at + _LOOK_AHEAD)
        name, end = self.closed_at(horizon)
        if name is not None:
            until = when(end, self.zone) if end else "further than six weeks ahead"
            return self.finding(
                Outcome.PENDING,
                f"Closed by {name} until {until}.",
                settled_by="time",
                clears_at=end,
                evidence=[Evidence(label=name, value=f"until {until}")],
            )
        ahead = min(self._spans(horizon), key=lambda found: found[1].start, default=None)
        if ahead is None:
            return self.finding(Outcome.MET, "Open; no freeze window within six weeks.")
        starts, ends = when(ahead[1].start, self.zone), when(ahead[1].end, self.zone)
        return self.finding(
            Outcome.MET,
            f"Open until {starts}, when {ahead[0]} begins.",
            evidence=[Evidence(label=ahead[0], value=f"{starts}, until {ends}")],
        )

    def closed_at(self, horizon: Interval) -> tuple[str | None, datetime | None]:
        """Which windows are on at the start of a horizon, in words, and until when.

        Returns:
            The names and when it opens; (None, None) when open; no instant when that is beyond the horizon.
        """
        spans = self._spans(horizon)
        closed = merged(span for _, span in spans)
        if not closed or horizon.start not in closed[0]:
            return None, None
        names = dict.fromkeys(name for name, span in spans if horizon.start in span)
        return listed(list(names)), closed[0].end if closed[0].end < horizon.end else None

    def _spans(self, horizon: Interval) -> list[tuple[str, Interval]]:
        return [
            (window.name, span)
            for window in self.windows
            for span in merged(window.occurrences(self.zone, horizon))
        ]

    def closings(self, case: Case, horizon: Interval) -> list[Closing]:
        """Every occurrence in the horizon."""
        del case
        return [
            Closing(rule=self.id, texture="freeze", name=name, start=span.start, end=span.end)
            for name, span in self._spans(horizon)
        ]
