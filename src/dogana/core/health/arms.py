"""Bets on counts: of the newcomer alone against a limit, or beside the incumbent, look by look.

All functions take one look's counts and give, for each limit and each bettor, the logarithm of what a unit
that is bet becomes: at most 1 in expectation as long as the share is on the side of the limit that is bet
against, whatever came before.
"""

from typing import NamedTuple

import numpy as np
from scipy.special import xlog1py, xlogy

from dogana.core.health.wealth import Floats, Number

_HALVINGS = 8
_TINY = 1e-12
_MOST_BET_ON = 0.98


class Counts(NamedTuple):
    """Requests of one look, and how many of them were bad; or those of many courses, (courses, 1, 1)."""

    bad: Number
    all: Number


class Side(NamedTuple):
    """What is held against the limits; without an incumbent where nothing is compared."""

    candidate: Counts
    """Its bad may differ from limit to limit, (limits, 1)."""
    incumbent: Counts | None = None
    """Of the same time."""
    usual: Number = 0.0
    """The incumbent's share as it was before this look; what bets are placed by."""


class Bettors(NamedTuple):
    """What each puts its money on, and the part of the whole stake it has."""

    on: Floats
    stakes: Floats


def _bettors(on: list[float], weights: list[float]) -> Bettors:
    return Bettors(np.array(on), np.array(weights) / sum(weights))


BOLDNESS = _bettors([0.02, 0.05, 0.1, 0.2, 0.35, 0.5, 0.7, 0.9], [1, 2, 2, 2, 1.5, 1, 1, 0.7])
"""For `above`: the part of its money that each loses when nothing is bad."""
FRACTIONS = _bettors([0.0, 0.05, 0.15, 0.3, 0.5, 0.7], [2, 2, 2, 1.5, 1.5, 1])
"""For `below` and `beside` under the limit: the true share in parts of the limit."""
MULTIPLES = _bettors([1.15, 1.35, 1.7, 2.2, 3, 5, 9, 20], [1, 2, 2.5, 2, 1.5, 1, 0.7, 0.4])
"""For `beside` over the limit: the true share in multiples of it."""


def above(counts: Counts, limits: Floats) -> Floats:
    """Bets that the share is above each limit.

    On the look's mean (Waudby-Smith and Ramdas 2024), which is fair whatever the requests of one look have to
    do with each other: one burst is one observation, however many it hits.

    Returns: (limits, BOLDNESS).
    """
    bold = BOLDNESS.on
    factors: Floats = np.log1p(bold * (counts.bad / counts.all / limits[:, None] - 1))
    return factors


def below(counts: Counts, limits: Floats, burst: Number = 1.0) -> Floats:
    """Bets that the share is below each limit: a likelihood ratio, request by request (Wald 1945).

    Args:
        counts: of the look.
        limits: shares.
        burst: as how many requests one counts for, where they come out alike in bursts; at least 1. A power
            below 1 of fair odds is fair (Jensen).

    Returns: (limits, FRACTIONS).
    """
    limit = limits[:, None]
    return _ratio(counts, limit * FRACTIONS.on, limit) / burst


def beside(
    side: Side, ratios: Floats, margin: float, bursts: tuple[Number, Number], bettors: Bettors
) -> Floats:
    """Bets that the newcomer's share is another than a ratio of the incumbent's, plus a margin, lets it be.

    As Turner, Ly and Gruenwald (2024) place them: by the likelihood of the pair that is bet on, over that of
    a pair on the boundary as near to it as can be. Written as bets, one bad request of the newcomer brings
    1 + a (1 - c0), a good one 1 - a c0, and with b and i0 for the incumbent, where (c0, i0) is on the
    boundary. In expectation those are 1 + a (c - c0) and 1 + b (i - i0), so the logarithm of the whole is
    concave in the true pair (c, i), and at most n_c a (c - c0) + n_i b (i - i0). With n_c a ratio = -n_i b
    this is at most 0 on all of the side bet against, wherever on the boundary the pair lies: how near it is
    makes a bet good, not fair.

    Args:
        side: both releases' counts of the look; neither has none.
        ratios: the limits.
        margin: what is let in beyond the ratio.
        bursts: of the newcomer and the incumbent, as in `below`.
        bettors: MULTIPLES or FRACTIONS.

    Returns: (limits, bettors). Where the pair bet on is on the wrong side nothing is bet.
    """
    candidate, incumbent = side.candidate, side.incumbent or Counts(0.0, 0.0)
    slope = ratios[:, None]
    let_in = slope * side.usual + margin
    here = np.minimum(let_in * bettors.on, _MOST_BET_ON)
    weights = candidate.all / bursts[0], incumbent.all / bursts[1]
    there = _near((here, np.broadcast_to(side.usual, here.shape)), slope, margin, weights)
    edge = slope * there + margin
    bets = ((here > let_in) == (bettors.on > 1)) & (here != let_in) & (edge < 1)
    edge = np.where(bets, edge, 0.5)
    stake = np.where(bets, (here - edge) / (edge * (1 - edge)), 0.0)
    other = -stake * slope * weights[0] / weights[1]
    # Neither may lose more than all it has.
    most = np.where(other > 0, 1 / there, 1 / (1 - there)) * _MOST_BET_ON
    part = np.minimum(1.0, most / np.maximum(np.abs(other), _TINY))
    return _won(candidate, part * stake, edge) / bursts[0] + _won(incumbent, part * other, there) / bursts[1]


def _won(counts: Counts, stake: Floats, fair: Floats) -> Floats:
    """The logarithm of what bets on each request bring, at the odds of a share."""
    good = counts.all - counts.bad
    # The last bit of a stake must not make anybody lose more than all.
    of_bad, of_good = np.maximum(stake * (1 - fair), -1.0), np.maximum(-stake * fair, -1.0)
    won: Floats = xlog1py(counts.bad, of_bad) + xlog1py(good, of_good)
    return won


def _ratio(counts: Counts, bet: Floats, against: Floats) -> Floats:
    """The logarithm of the likelihood ratio of two shares."""
    good = counts.all - counts.bad
    of_bad = xlogy(counts.bad, bet) - xlogy(counts.bad, against)
    out: Floats = of_bad + xlog1py(good, -bet) - xlog1py(good, -against)
    return out


def _near(
    pair: tuple[Floats, Floats], slope: Floats, margin: float, weights: tuple[Number, Number]
) -> Floats:
    """The incumbent's share of the pair on the boundary next to a pair (Kullback, Leibler); halved."""
    here, there = pair
    crossing, last = (here - margin) / slope, (1 - margin) / slope
    low = np.clip(np.minimum(there, crossing), _TINY, 1 - _TINY)
    high = np.clip(np.minimum(np.maximum(there, crossing), last), _TINY, 1 - _TINY)
    at = np.sqrt(low * high)
    for _ in range(_HALVINGS):
        edge = np.clip(slope * at + margin, _TINY, 1 - _TINY)
        rises = weights[0] * slope * (edge - here) / (edge * (1 - edge))
        falls = rises + weights[1] * (at - there) / (at * (1 - at)) < 0
        low, high = np.where(falls, at, low), np.where(falls, high, at)
        at = np.sqrt(low * high)
    nearest: Floats = at
    return nearest
