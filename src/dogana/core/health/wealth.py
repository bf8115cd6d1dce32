"""Evidence against a hypothesis as the wealth of one who bets against it at fair odds.

Such a wealth, an e-process, has an expectation of at most 1 at every moment one may choose to stop at, as
long as the hypothesis holds; it reaches 1/alpha with a probability of at most alpha, however long and often
one looks (Ville 1939; Ramdas, Gruenwald, Vovk, Shafer 2023). Many bettors share a stake: the mean of
e-processes is one. Of each bettor's stake a part is put in at every look (what Shin, Ramdas and Rinaldo 2023
do for detectors, here with weights that add up to 1), so that what turns bad late is found soon.

All is kept as natural logarithms: the product of thousands of small factors has no other form.
"""

from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

Floats: TypeAlias = NDArray[np.float64]
Number: TypeAlias = float | Floats
"""Of one monitor, or of many at once."""

AT_ONCE = 0.7
"""Which part of the stake is put in at the first look."""
_LEAST = -700.0
"""Below this nothing comes back within a course; what is lost whole has a logarithm that JSON can write."""


def _unspent(looks: int) -> float:
    """Which part of the stake is not put in after so many looks: it falls as slowly as one over the root."""
    return 1.0 if looks == 0 else (1 - AT_ONCE) * looks**-0.5


def grown(wealth: Floats, looks: int, factors: Floats, most: Floats | None = None) -> Floats:
    """The wealth after one more look.

    Args:
        wealth: logarithms before it, any shape.
        looks: how many there were before it.
        factors: logarithms of what a unit that is bet becomes; the same shape.
        most: where given, what goes beyond is given away, which leaves an e-process one. Evidence that has
            grown for days is then lost again soon after things have changed.
    """
    put_in = np.log(_unspent(looks) - _unspent(looks + 1))
    after: Floats = np.maximum(np.logaddexp(wealth, put_in) + np.maximum(factors, _LEAST), _LEAST)
    return after if most is None else np.minimum(after, most)


def nothing(*shape: int) -> Floats:
    """The wealth before the first look."""
    return np.full(shape, _LEAST)


def together(wealth: Floats, looks: int, stakes: Floats) -> Floats:
    """The logarithm of the evidence: of all bettors together, with what is not put in yet.

    Args:
        wealth: (limits, bettors).
        looks: how many there were.
        stakes: the part of the whole stake each bettor has; they add up to 1.
    Returns: (limits,).
    """
    terms = wealth + np.log(stakes)
    greatest = np.maximum(terms.max(axis=-1), np.log(max(_unspent(looks), 1e-300)))
    shifted = np.exp(terms - greatest[..., None]).sum(axis=-1) + _unspent(looks) * np.exp(-greatest)
    evidence: Floats = greatest + np.log(shifted)
    return evidence
