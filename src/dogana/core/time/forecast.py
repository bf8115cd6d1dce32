"""The forecast: when a promotion could go, taking for granted that people agree and present facts stay."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from itertools import pairwise
from operator import attrgetter
from typing import Literal

from dogana.core.document import Document, Moment
from dogana.core.time.intervals import Interval

HORIZON = timedelta(days=14)
Texture = Literal["freeze", "hours", "notice", "soak", "pace"]
_by_start = attrgetter("start")


@dataclass(frozen=True, slots=True)
class Closing:
    """One stretch that one rule closes. No model: a year's calendar holds thousands."""

    rule: str
    texture: Texture
    name: str
    """What closes it, in words: the freeze window's name, or the soak."""
    start: Moment
    end: Moment


class Stretch(Document):
    """A part of the forecast during which the same rules close it, or none does."""

    start: Moment
    end: Moment
    closed_by: tuple[str, ...] = ()
    """What closes it, in words; empty where it is open."""


class Forecast(Document):
    """Closed stretches from `start` to `end` (UTC), by rule, and the first start that time allows."""

    start: Moment
    end: Moment
    closings: tuple[Closing, ...]
    """By their starts; in the policy's order where several begin together."""
    first_start: Moment | None = None
    """None when every instant to the horizon is closed."""

    def closed_by(self, at: datetime) -> tuple[Closing, ...]:
        """What closes one instant."""
        return tuple(c for c in self.closings if c.start <= at < c.end)

    def stretches(self) -> list[Stretch]:
        """The whole horizon in order, cut wherever another reason begins or ends."""
        cuts = {self.start, self.end}
        for closing in self.closings:
            cuts |= {closing.start, closing.end}
        edges = sorted(cut for cut in cuts if self.start <= cut <= self.end)
        out: list[Stretch] = []
        active: list[Closing] = []
        coming = iter([*self.closings, None])
        following = next(coming)
        for start, end in pairwise(edges):
            active = [closing for closing in active if closing.end > start]
            while following is not None and following.start <= start:
                active.append(following)
                following = next(coming)
            names = tuple(dict.fromkeys(c.name for c in active if c.end > start))
            if out and out[-1].closed_by == names:
                out[-1] = Stretch(start=out[-1].start, end=end, closed_by=names)
            else:
                out.append(Stretch(start=start, end=end, closed_by=names))
        return out


def succeeded(before: Sequence[Closing], after: Sequence[Closing], at: datetime) -> list[Closing]:
    """What closes by one policy up to an instant and by another from then on; what both do goes on."""
    going_on: dict[tuple[str, str], Closing] = {}
    for one in after:
        if one.start <= at < one.end:
            same = going_on.setdefault((one.rule, one.name), replace(one, start=at))
            going_on[one.rule, one.name] = replace(same, end=max(same.end, one.end))
    out = []
    for one in before:
        if one.start < at <= one.end:
            later = going_on.pop((one.rule, one.name), None)
            out.append(replace(one, end=later.end if later else at))
        elif one.start < at:
            out.append(one)
    return [*out, *going_on.values(), *(one for one in after if one.start > at)]


def forecast(closings: Sequence[Closing], horizon: Interval, slot: timedelta = timedelta(0)) -> Forecast:
    """Put the rules' closings on one axis and find the first open instant with a whole slot ahead of it.

    Args:
        closings: from all rules, in any order; those beyond the horizon tell whether a slot fits there.
        horizon: from the instant asked about to as far as one looks.
        slot: how long it must stay open from the start on.
    """
    ordered = sorted(closings, key=_by_start)
    return Forecast(
        start=horizon.start,
        end=horizon.end,
        closings=tuple(
            one if one.end <= horizon.end else replace(one, end=horizon.end)
            for one in ordered
            if one.start < horizon.end
        ),
        first_start=_first_start(ordered, horizon, slot),
    )


def _first_start(ordered: Sequence[Closing], horizon: Interval, slot: timedelta) -> datetime | None:
    open_from = horizon.start
    for closing in ordered:
        if closing.start > open_from and closing.start - open_from >= slot:
            return open_from
        open_from = max(open_from, closing.end)
    return open_from if open_from < horizon.end else None
