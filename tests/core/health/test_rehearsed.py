"""Thresholds held against what was read of past courses: what they would stop, and what nobody can tell."""

from dataclasses import replace
from datetime import timedelta

import pytest
from tests.core.health.drawn import BEGAN, requests

from dogana.core.health.readings import Arm, Look
from dogana.core.health.rehearsed import PastCourse, rehearsed, summed_up
from dogana.core.health.watches import WATCHES, Watch

WAS = {"name": "errors", "kind": "share", "bad": "b", "all": "a", "at_most": 0.05}


def watches(*written: dict) -> tuple[Watch, ...]:
    return WATCHES.validate_python(written)


def past(number: int, bad: float, *, badly: bool = False) -> PastCourse:
    looks = tuple(one.model_copy(update={"share": 20}) for one in requests(bad, 100, 60))
    return PastCourse(number=number, watches=watches(WAS), looks=looks, badly=badly)


def test_a_tighter_limit_stops_what_a_laxer_let_in_and_says_when_and_at_which_share():
    """Under another name too: what counts is that it asks the same."""
    tight = watches({**WAS, "name": "failures", "at_most": 0.01})
    found = rehearsed(tight, past(7, 0.03))
    assert (found.monitor, found.share, found.not_read) == ("failures", 20, ())
    assert found.stopped_at is not None
    assert BEGAN < found.stopped_at < BEGAN + timedelta(minutes=10)
    assert found.says.startswith("Between 1 %")
    kept = rehearsed(watches(WAS), past(7, 0.03))
    assert (kept.stopped_at, kept.never_known) == (None, ())


@pytest.mark.parametrize(
    "other",
    [
        {"bad": "other"},
        {"all": "other"},
        {"source": "elsewhere"},
        {"kind": "compared share", "at_most": None},
    ],
)
def test_what_asks_something_else_is_not_told(other: dict):
    """A comparison asks of the incumbent as well, which nobody did."""
    draft = {key: value for key, value in {**WAS, **other}.items() if value is not None}
    found = rehearsed(watches(draft), past(7, 0.9))
    assert (found.stopped_at, found.not_read) == (None, ("errors",))
    assert summed_up([found]).not_read == 1


def test_the_sum_tells_right_from_wrong_and_missed_from_unread():
    draft = watches({**WAS, "at_most": 0.01})
    empty = replace(past(4, 0.0), looks=())
    some = [past(1, 0.03), past(2, 0.03, badly=True), past(3, 0.0, badly=True), past(5, 0.0), empty]
    total = summed_up([rehearsed(draft, one) for one in some])
    assert (total.of, total.stopped, total.wrongly, total.missed, total.not_read) == (5, 2, 1, 1, 1)
    assert [one.number for one in total.courses] == [4, 3, 2, 1]


def test_nothing_heard_is_never_within():
    looks = tuple(
        Look(at=BEGAN + timedelta(minutes=n), monitor="errors", candidate=Arm(), unknown="away")
        for n in range(9)
    )
    found = rehearsed(watches(WAS), replace(past(1, 0.0), looks=looks))
    assert (found.not_read, found.never_known) == (("errors",), ())
