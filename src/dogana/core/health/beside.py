"""Before and after: by how much the mean of a monitor is different, and how well that is known.

What a monitor shows at neighbouring instants is alike, so single values say less than their number. Each side
is cut into batches, and the means of the batches are compared (batch means; Law and Kelton, Simulation
Modeling and Analysis, 9.5.3) by the interval of Welch (Biometrika 34, 1947), which asks for no equal spread.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from statistics import fmean, variance

import numpy as np
from scipy.special import stdtrit

_BATCHES = 10
_LEAST = 20
"""Values on each side; fewer make batches of one, which would count as if they told nothing of each other."""


@dataclass(frozen=True, kw_only=True)
class Difference:
    """By how much the mean after is above that before, and the interval that holds it."""

    before: float
    after: float
    low: float
    high: float

    @property
    def told(self) -> bool:
        """Whether the two are different at all, as far as can be told."""
        return self.low > 0 or self.high < 0


def difference(
    before: Sequence[float], after: Sequence[float], confidence: float = 0.95
) -> Difference | None:
    """The difference of two means with its interval.

    Args:
        before: what was shown before, in the order of time; what is no finite number is left out.
        after: what was shown after.
        confidence: how often the interval holds the difference.

    Returns:
        None where there is too little to tell.
    """
    first, second = (_batches(side) for side in (before, after))
    if first is None or second is None:
        return None
    spread = [variance(side) / len(side) for side in (first, second)]
    middle = fmean(second) - fmean(first)
    scatter = sum(spread)
    if scatter == 0:
        return Difference(before=fmean(first), after=fmean(second), low=middle, high=middle)
    freedom = scatter**2 / sum(one**2 / (_BATCHES - 1) for one in spread)
    reach = float(stdtrit(freedom, (1 + confidence) / 2)) * math.sqrt(scatter)
    return Difference(before=fmean(first), after=fmean(second), low=middle - reach, high=middle + reach)


def _batches(values: Sequence[float]) -> list[float] | None:
    whole = [one for one in values if math.isfinite(one)]
    if len(whole) < _LEAST:
        return None
    return [float(part.mean()) for part in np.array_split(np.array(whole), _BATCHES)]
