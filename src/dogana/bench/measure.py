"""Measuring two things in turns, so that both see the same machine."""

import time
from collections.abc import Callable
from dataclasses import asdict, dataclass
from statistics import median
from typing import Any

_ROUNDS = 15


@dataclass(frozen=True, kw_only=True)
class Measured:
    """One figure beside its baseline, in milliseconds for one call of each."""

    name: str
    ours_ms: float
    baseline_ms: float
    baseline: str
    """What the baseline does."""
    limit: float | None
    """How many times the baseline is allowed; None where the figure is only told."""

    @property
    def ratio(self) -> float:
        """How many times the baseline."""
        return self.ours_ms / self.baseline_ms

    @property
    def kept(self) -> bool:
        """Whether the limit is kept."""
        return self.limit is None or self.ratio <= self.limit

    def plain(self) -> dict[str, Any]:
        """For JSON."""
        return {**asdict(self), "ratio": round(self.ratio, 3), "kept": self.kept}


def side_by_side(
    name: str,
    ours: Callable[[], object],
    baseline: Callable[[], object],
    what: str,
    limit: float | None = None,
    *,
    calls: int = 20,
) -> Measured:
    """Time both in turns and take the median of the rounds of each.

    Args:
        name: of the figure.
        ours: what is measured.
        baseline: what it is measured against.
        what: the baseline in words.
        limit: how many times the baseline is allowed.
        calls: of each in a round.
    """
    ours()
    baseline()
    mine, floor = [], []
    for _ in range(_ROUNDS):
        mine.append(_timed(ours, calls))
        floor.append(_timed(baseline, calls))
    return Measured(
        name=name,
        ours_ms=round(median(mine), 5),
        baseline_ms=round(median(floor), 5),
        baseline=what,
        limit=limit,
    )


def _timed(call: Callable[[], object], calls: int) -> float:
    began = time.perf_counter()
    for _ in range(calls):
        call()
    return (time.perf_counter() - began) / calls * 1000
