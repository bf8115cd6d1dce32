"""Bets are fair: of a unit that is bet no more than one is to be expected, whatever is true on that side."""

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st
from scipy.stats import binom

from dogana.core.health.arms import BOLDNESS, FRACTIONS, MULTIPLES, Counts, Side, above, below, beside
from dogana.core.health.wealth import grown, nothing, together

shares = st.floats(1e-5, 0.999)
few = st.integers(1, 12)
bursts = st.floats(1, 20)


def expected(factors, many, share):
    """Of one look with so many requests: (limits, bettors)."""
    bad = np.arange(many + 1)
    each = np.exp(np.stack([factors(float(one)) for one in bad]))
    return np.tensordot(binom.pmf(bad, many, share if share > 1e-200 else 0.0), each, axes=1)


@given(many=few, limit=shares, part=st.floats(0, 1))
def test_above_is_fair_below_the_limit(many, limit, part):
    """At the limit and everywhere below it."""
    limits = np.array([limit])
    won = expected(lambda bad: above(Counts(bad, many), limits), many, part * limit)
    assert won.shape == (1, len(BOLDNESS.on))
    assert (won <= 1 + 1e-9).all()


@given(many=few, limit=shares, part=st.floats(0, 1), burst=bursts)
def test_below_is_fair_above_the_limit(many, limit, part, burst):
    """At the limit and everywhere above it, however much is taken for bursts."""
    limits, true = np.array([limit]), limit + part * (1 - limit)
    won = expected(lambda bad: below(Counts(bad, many), limits, burst), many, true)
    assert (won <= 1 + 1e-9).all()


@given(limit=shares, many=st.integers(1, 10**9))
def test_above_is_fair_though_a_whole_look_fails_together(limit, many):
    """One burst is one observation, of however many requests: all of a look are bad, or none is."""
    bad, good = (np.exp(above(Counts(one * many, many), np.array([limit]))) for one in (1.0, 0.0))
    assert (bad * limit + good * (1 - limit) <= 1 + 1e-9).all()


@pytest.mark.thorough
@given(
    here=few,
    there=few,
    ratio=st.floats(0.1, 10),
    margin=st.sampled_from([0.0, 0.001, 0.1]),
    usual=shares,
    incumbent=shares,
    part=st.floats(0, 1),
    both=st.tuples(bursts, bursts),
    rising=st.booleans(),
)
def test_beside_is_fair_on_the_side_bet_against(
    here, there, ratio, margin, usual, incumbent, part, both, rising
):
    """Whatever the incumbent's share was before and is now, whatever the sizes of the two."""
    edge = ratio * incumbent + margin
    true = part * min(edge, 1) if rising else min(edge, 1) + part * (1 - min(edge, 1))
    assume(rising or edge <= 1)
    bettors = MULTIPLES if rising else FRACTIONS

    def factors(bad, their_bad):
        side = Side(Counts(bad, here), Counts(their_bad, there), usual)
        return beside(side, np.array([ratio]), margin, both, bettors)

    theirs = np.arange(there + 1)
    each = np.stack([expected(lambda bad, one=one: factors(bad, float(one)), here, true) for one in theirs])
    won = np.tensordot(binom.pmf(theirs, there, incumbent), each, axes=1)
    assert (won <= 1 + 1e-7).all()


@pytest.mark.parametrize("most", [None, np.log(2000.0)])
def test_all_bettors_together_never_have_more_than_was_put_in(most):
    """While every bet pays back just what was bet, at any time."""
    wealth, stakes = nothing(1, 3), np.array([0.5, 0.3, 0.2])
    for looks in range(300):
        assert together(wealth, looks, stakes)[0] == pytest.approx(0, abs=1e-9)
        wealth = grown(wealth, looks, np.zeros((1, 3)), None if most is None else np.full(3, most))


def test_nothing_overflows_and_nothing_is_lost_for_good():
    """A billion bad requests at a look, and good ones for weeks after."""
    limits = np.array([1e-5, 0.01, 0.999])
    wealth = nothing(3, len(BOLDNESS.on))
    for looks in range(3):
        wealth = grown(wealth, looks, above(Counts(1e9, 1e9), limits))
    for looks in range(3, 200):
        wealth = grown(wealth, looks, above(Counts(0.0, 1e9), limits))
    assert np.isfinite(wealth).all()
    under = grown(nothing(3, len(FRACTIONS.on)), 0, below(Counts(1e9, 1e9), limits))
    under = grown(under, 1, below(Counts(0.0, 1e9), limits))
    assert np.isfinite(under).all()
    assert (together(under, 2, FRACTIONS.stakes) > 20).all()
