"""What is usual of counts, and how far those of one look lie from it: whether requests fail in bursts."""

import numpy as np
from pydantic import Field

from dogana.core.health.counters import Kept
from dogana.core.health.wealth import Number

TRUSTED = 8.0
"""As many looks are taken to have come out evenly before the first."""
_TELLING = 0.5
"""Where fewer bad ones than this are expected, one that comes says nothing about bursts."""
REMEMBERED = 0.97


def usual_share(bad: Number, requests: Number) -> Number:
    """A share that is neither nothing nor all."""
    return (bad + 0.5) / (requests + 1)


def surprise(bad: Number, requests: Number, share: Number) -> tuple[Number, Number]:
    """The squared distance of a look's bad from what is usual, in parts of what unrelated requests show.

    Returns: that, and 1 where it says something; both 0 where it does not.
    """
    expected = requests * share
    telling = np.minimum(expected, requests - expected) >= _TELLING
    distance = (bad - expected) ** 2 / np.maximum(expected * (1 - share), _TELLING / 2)
    return np.where(telling, distance, 0.0), np.where(telling, 1.0, 0.0)


def burst(squares: Number, looks: Number, size: Number, requests: Number) -> Number:
    """As how many of a look's requests one counts for: 1 + (n - 1) times their correlation."""
    alike = np.maximum(squares / looks - 1, 0.0) / np.maximum(size - 1, 1.0)
    return 1 + np.maximum(requests - 1, 0.0) * np.minimum(alike, 1.0)


class Usual(Kept):
    """Counts, of which the latest weigh most, with the spread of single looks around them."""

    counts: dict[str, float] = Field(default={})
    """By name; all requests are `all`."""
    squares: float = TRUSTED
    """The sum of all surprises."""
    looks: float = TRUSTED
    """How many looks they are of."""
    size: float = 1.0
    """How many requests a look has."""

    @property
    def all(self) -> float:
        """All requests that are remembered."""
        return self.counts.get("all", 0.0)

    def share(self, name: str) -> float:
        """Which part counts under a name."""
        return float(usual_share(self.counts.get(name, 0.0), self.all))

    def burst(self, requests: float) -> float:
        """As how many of so many requests of one look one counts for."""
        return float(burst(self.squares, self.looks, self.size, requests))

    def after(self, counts: dict[str, float], bad: str) -> "Usual":
        """With one more look, of which those under the name `bad` tell the spread."""
        if not self.all:
            return Usual(counts=counts, size=counts["all"])
        square, telling = surprise(counts.get(bad, 0.0), counts["all"], self.share(bad))
        return Usual(
            counts={name: REMEMBERED * self.counts.get(name, 0.0) + count for name, count in counts.items()},
            squares=self.squares + float(square),
            looks=self.looks + float(telling),
            size=0.9 * self.size + 0.1 * counts["all"],
        )
