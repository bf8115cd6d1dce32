"""Counters as a metrics server shows them, and by how much they grew from one look to the next."""

import hashlib
import math
from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime
from functools import cached_property
from itertools import pairwise
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

from dogana.core.document import Document, FiniteNumber, Instant

MOST_SERIES = 1000
_EDGES_ALIKE = 1e-6
"""Servers write the same edge of a bucket in several ways; further apart than this part of it they differ."""
_EXACT = 2.0**53


class UnreadableError(Exception):
    """An answer that nothing can be counted from; its text says why."""


class Sample(Document):
    """One series of an instant vector (the Prometheus HTTP API's `metric` and `value`)."""

    metric: dict[str, Annotated[str, Field(max_length=1000)]] = Field(max_length=60)
    value: tuple[FiniteNumber, Annotated[str, Field(max_length=40)]]
    """Seconds since 1970, and the number as text."""

    @cached_property
    def number(self) -> float:
        """The number.

        Raises:
            UnreadableError: where it is none, or is not finite.
        """
        try:
            number = float(self.value[1])
        except ValueError:
            raise UnreadableError(f"{self.value[1]!r} is no number") from None
        if not math.isfinite(number):
            raise UnreadableError(f"a series shows {self.value[1]}")
        return number

    @cached_property
    def series(self) -> str:
        """What tells its series from others, short."""
        return _short(self.metric)

    @cached_property
    def process(self) -> str:
        """What tells what counts it from others: all buckets of a histogram start anew at once."""
        return _short({name: value for name, value in self.metric.items() if name != "le"})


def _short(labels: dict[str, str]) -> str:
    text = "\x00".join(f"{name}\x01{value}" for name, value in sorted(labels.items()))
    return hashlib.sha256(text.encode()).hexdigest()[:16]


Answer = Annotated[tuple[Sample, ...], Field(max_length=MOST_SERIES)]


class Kept(BaseModel):
    """What is kept from look to look, and never hashed: any float may stand in it."""

    model_config = ConfigDict(frozen=True, extra="forbid")


class Counters(Kept):
    """Where some counters stood at the last look at them."""

    at: Instant | None = None
    stood: dict[str, float] = Field(default={}, max_length=MOST_SERIES)

    def grown(self, samples: Sequence[Sample], at: datetime) -> tuple[dict[str, float], "Counters"]:
        """By how much each series grew since, and where all stand now.

        One that fell was started anew, and counts from nothing, as does one that was not there at the last
        look; the first look is where counting begins. A series that is missing keeps its place: when it is
        back, its growth spans the gap.

        Raises:
            UnreadableError: for a number that no counter shows, a series that stands twice, or too many.
        """
        stand: dict[str, float] = {}
        for sample in samples:
            if sample.series in stand:
                raise UnreadableError("a series stands in it twice")
            if not 0 <= (number := sample.number) <= _EXACT:
                raise UnreadableError(f"a counter shows {sample.value[1]}")
            stand[sample.series] = number
        if not stand:
            raise UnreadableError("the query gives nothing")
        after = {**self.stood, **stand}
        if len(after) > MOST_SERIES:
            raise UnreadableError(f"there are more than {MOST_SERIES} series; let the query add them up")
        if self.at is None:
            return dict.fromkeys(stand, 0.0), Counters(at=at, stood=after)
        anew = {one.process for one in samples if stand[one.series] < self.stood.get(one.series, 0.0)}
        grown = {
            one.series: stand[one.series] - (0.0 if one.process in anew else self.stood.get(one.series, 0.0))
            for one in samples
        }
        return grown, Counters(at=at, stood=after)


def edge_of(sample: Sample) -> float:
    """Where a histogram's bucket ends.

    Raises:
        UnreadableError: where nothing says so.
    """
    try:
        edge = float(sample.metric["le"])
    except (KeyError, ValueError):
        raise UnreadableError("it is no histogram: a series has no edge (`le`)") from None
    if math.isnan(edge):
        raise UnreadableError("a bucket ends at no number")
    return edge


def histogram(samples: Sequence[Sample], grown: Mapping[str, float]) -> dict[float, float]:
    """How many new requests there are up to each edge, over all series together.

    Raises:
        UnreadableError: where the buckets are no cumulative histogram of all requests.
    """
    total: dict[float, float] = {}
    processes: dict[str, dict[float, float]] = {}
    for sample in samples:
        edge = edge_of(sample)
        total[edge] = total.get(edge, 0.0) + grown[sample.series]
        processes.setdefault(sample.process, {})[edge] = sample.number
    if math.inf not in total:
        raise UnreadableError("it is no whole histogram: the bucket of all requests (+Inf) is missing")
    if len(total) == 1:
        raise UnreadableError("the histogram has no buckets")
    ordered = sorted(total)
    alike = {
        after: before for before, after in pairwise(ordered) if after <= before + abs(before) * _EDGES_ALIKE
    }
    for process in processes.values():
        if len({alike.get(edge, edge) for edge in process}) != len(total) - len(alike):
            raise UnreadableError("its series have different buckets")
        if any(process[after] < process[before] for before, after in pairwise(sorted(process))):
            raise UnreadableError("its buckets do not add up")
    for edge in reversed(ordered):
        if edge in alike:
            total[alike[edge]] += total.pop(edge)
    upto = {edge: total[edge] for edge in ordered if edge in total}
    if any(after < before for before, after in pairwise(upto.values())):
        raise UnreadableError("its buckets did not grow together")
    return upto


def at_or_above(edges: Iterable[float], limit: float) -> float:
    """The first edge that is not below a limit; the last is infinite."""
    return min((edge for edge in edges if edge >= limit * (1 - _EDGES_ALIKE)), default=math.inf)


def at_or_below(edges: Iterable[float], limit: float) -> float | None:
    """The last edge that is not above a limit; None where all are."""
    return max((edge for edge in edges if edge <= limit * (1 + _EDGES_ALIKE)), default=None)
