"""What was read of releases that went in before the metrics server came: made up, the same every time."""

import random
from collections.abc import Iterable, Iterator
from datetime import datetime

from dogana.core.health.counters import Sample
from dogana.core.health.readings import Arm, Look
from dogana.core.health.watches import (
    ComparedQuantileWatch,
    ComparedShareWatch,
    LevelWatch,
    ShareWatch,
    Watch,
)
from dogana.core.rollout import ALL
from dogana.standins import fleet

_A_LOOK = 6000
"""Requests between two looks, to both releases together."""
_FAILS, _FAILS_BADLY = 0.002, 0.03
_SLOWER = (0.62, 0.27, 0.085, 0.02, 0.005)
"""Of all requests, how many take up to each edge of the histogram, and longer than the last."""
_SLOWER_BADLY = (0.4, 0.25, 0.15, 0.14, 0.06)
_EDGES = ("0.1", "0.25", "0.5", "1.0", "+Inf")


class _Counted:
    """The counters of one release."""

    def __init__(self, made: random.Random, *, badly: bool) -> None:
        self._made, self._badly = made, badly
        self._bad = self._all = 0
        self._slower = [0] * len(_EDGES)

    def go_on(self, requests: int) -> None:
        """So many more requests."""
        share = _FAILS_BADLY if self._badly else _FAILS
        self._all += requests
        self._bad += round(requests * share * self._made.uniform(0.6, 1.4))
        for n, part in enumerate(_SLOWER_BADLY if self._badly else _SLOWER):
            self._slower[n] += round(requests * part * self._made.uniform(0.9, 1.1))

    def arm(self, watch: Watch, at: datetime) -> Arm:
        """As a metrics server would tell of them."""
        if isinstance(watch, ShareWatch | ComparedShareWatch):
            return Arm(bad=(_sample(self._bad, at),), all=(_sample(self._all, at),))
        upto = [sum(self._slower[: n + 1]) for n in range(len(_EDGES))]
        return Arm(buckets=tuple(_sample(n, at, le=edge) for edge, n in zip(_EDGES, upto, strict=True)))


class PastRequests:
    """The requests to a newcomer and to the release it takes the place of."""

    def __init__(self, number: int, environment: str, *, badly: bool) -> None:
        made = random.Random(f"requests of {number}")
        self._environment = environment
        self._candidate, self._incumbent = _Counted(made, badly=badly), _Counted(made, badly=False)

    def looks(self, watches: Iterable[Watch], at: datetime, share: int) -> Iterator[Look]:
        """What each watch read at an instant, while the newcomer got a share, in percent."""
        self._candidate.go_on(_A_LOOK * share // ALL)
        self._incumbent.go_on(_A_LOOK * (ALL - share) // ALL)
        for watch in watches:
            if isinstance(watch, LevelWatch):
                value = fleet.value(watch.query.partition("{")[0], self._environment, at)
                yield Look(at=at, monitor=watch.name, share=share, candidate=Arm(level=(_sample(value, at),)))
                continue
            compared = isinstance(watch, ComparedShareWatch | ComparedQuantileWatch)
            yield Look(
                at=at,
                monitor=watch.name,
                share=share,
                candidate=self._candidate.arm(watch, at),
                incumbent=self._incumbent.arm(watch, at) if compared else Arm(),
            )


def _sample(value: float, at: datetime, **labels: str) -> Sample:
    return Sample(metric=labels, value=(at.timestamp(), repr(float(value))))
