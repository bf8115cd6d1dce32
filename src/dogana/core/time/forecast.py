"""The forecast: when a promotion could go, taking for granted that people agree and present facts stay."""

from collections.abc import Sequence
from datetime import timedelta
from typing import Literal

from dogana.core.document import Document, Instant
from dogana.core.time.intervals import Interval, complement, merged

HORIZON = timedelta(days=14)

Texture = Literal["freeze", "hours", "notice", "soak", "pace"]


class Closing(Document):
    """One stretch that one rule closes."""

    rule: str
    texture: Texture
    name: str
    """What closes it, in words: the freeze window's name, or the soak."""
    start: Instant
    end: Instant


class Forecast(Document):
    """Closed stretches from `start` to `end` (UTC), by rule, and the first start that time allows."""

    start: Instant
    end: Instant
    closings: tuple[Closing, ...]
    first_start: Instant | None = None
    """None when every instant to the horizon is closed."""


def forecast(closings: Sequence[Closing], horizon: Interval, slot: timedelta = timedelta(0)) -> Forecast:
    """Put the rules' closings on one axis and find the first open instant with a whole slot ahead of it.

    Args:
        closings: from all rules, in any order.
        horizon: from the instant asked about to as far as one looks.
        slot: how long it must stay open from the start on.
    """
    closed = merged(Interval(closing.start, closing.end) for closing in closings)
    open_ = complement(closed, horizon)
    first = next((i.start for i in open_ if i.length >= slot or i.end == horizon.end), None)
    return Forecast(
        start=horizon.start,
        end=horizon.end,
        closings=tuple(sorted(closings, key=lambda c: (c.start, c.end, c.rule, c.name))),
        first_start=first,
    )
