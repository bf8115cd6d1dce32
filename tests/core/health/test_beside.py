"""Before and after a landing: an interval that holds as often as it says, or no answer."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dogana.core.health.beside import difference

_VALUES = 120


def alike(made: np.random.Generator, mean: float, like: float) -> list[float]:
    """Values of which neighbours are alike, as those of monitors are (an AR(1) process)."""
    out, last = [], 0.0
    for _ in range(_VALUES):
        last = like * last + float(made.normal())
        out.append(mean + last)
    return out


@pytest.mark.parametrize("like", [0.0, 0.6])
def test_where_nothing_changed_it_says_so_as_often_as_it_claims(like):
    """Values that are alike are not counted as if each told something of its own: 5 % and a little."""
    made = np.random.default_rng(7)
    told = 0
    for _ in range(400):
        found = difference(alike(made, 3, like), alike(made, 3, like))
        assert found is not None
        told += found.told
    assert told / 400 <= 0.09


def test_a_change_is_found_and_its_size_is_in_the_interval():
    """As often as it claims."""
    made = np.random.default_rng(11)
    found = [difference(alike(made, 3, 0.4), alike(made, 5, 0.4)) for _ in range(200)]
    assert sum(one is not None and one.low > 0 for one in found) >= 190
    assert sum(one is not None and one.low <= 2 <= one.high for one in found) >= 180


@given(st.lists(st.floats(allow_nan=True, allow_infinity=True), max_size=60))
def test_too_little_says_nothing_and_what_is_no_number_is_none(values):
    """Nineteen values and any number of gaps are too little."""
    assert difference(values[:19], [1.0] * 40) is None
    assert difference([float("nan")] * 40, [1.0] * 40) is None


def test_what_never_moves_is_known_exactly():
    """And is no division by zero."""
    found = difference([2.0] * 30, [5.0] * 30)
    assert found is not None
    assert (found.low, found.high, found.told) == (3.0, 3.0, True)
