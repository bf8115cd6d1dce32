"""What a source answers becomes counts, or it is said why not; what cannot be read is never within."""

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.core.health.drawn import (
    BEGAN,
    COMPARED,
    EDGES,
    EVERY,
    SHARE,
    SLOW,
    buckets,
    counts,
    look,
    requests,
    sample,
    told,
)

from dogana.core.health.counters import Counters
from dogana.core.health.monitor import Verdict
from dogana.core.health.readings import Arm
from dogana.core.health.watches import ComparedQuantileWatch, LevelWatch, ProbeWatch

GOOD = counts(0, 100_000)
LEVEL = LevelWatch(name="lag", query="lag_seconds", at_most=5.0)


@given(st.lists(st.integers(0, 1000), min_size=1, max_size=30), st.data())
def test_growth_adds_up_to_what_was_counted_though_processes_start_anew(steps, data):
    """Whatever is counted between two looks is seen, but for what a process counted before it ended."""
    state, stands, seen, whole = Counters(), 0, 0.0, 0
    for number, step in enumerate(steps):
        anew = number > 0 and data.draw(st.booleans()) and stands > step
        stands = step if anew else stands + step
        whole += step if number else 0
        grown, state = state.grown((sample(stands, pod="a"),), BEGAN + number * EVERY)
        seen += sum(grown.values())
    assert seen == whole


def test_a_series_that_was_away_is_taken_up_where_it_stood():
    """A scrape that is missed loses nothing; one that is new counts whole; the first is where it begins."""
    first = (sample(1000, pod="a"), sample(500, pod="b"))
    _, state = Counters().grown(first, BEGAN)
    grown, state = state.grown((sample(1010, pod="a"),), BEGAN + EVERY)
    assert sum(grown.values()) == 10
    grown, _ = state.grown(
        (sample(1010, pod="a"), sample(530, pod="b"), sample(7, pod="c")), BEGAN + 2 * EVERY
    )
    assert sorted(grown.values()) == [0, 7, 30]


def test_all_buckets_of_a_process_start_anew_together():
    """Though one of them already stands higher than before."""
    before = buckets([5, 40, 90, 95, 99, 100], pod="a").buckets
    after = buckets([6, 10, 18, 19, 20, 20], pod="a").buckets
    _, state = Counters().grown(before, BEGAN)
    grown, _ = state.grown(after, BEGAN + EVERY)
    assert sorted(grown.values()) == [6, 10, 18, 19, 20, 20]


@pytest.mark.parametrize(
    ("candidate", "why"),
    [
        (Arm(), "gives nothing"),
        (Arm(bad=(), all=(sample(9),)), "gives nothing"),
        (Arm(bad=(sample("NaN"),), all=(sample(9),)), "shows NaN"),
        (Arm(bad=(sample("+Inf"),), all=(sample(9),)), "shows"),
        (Arm(bad=(sample("-1"),), all=(sample(9),)), "shows -1"),
        (Arm(bad=(sample("many"),), all=(sample(9),)), "no number"),
        (Arm(bad=(sample("1e300"),), all=(sample(9),)), "shows 1e300"),
        (Arm(bad=(sample(1), sample(2)), all=(sample(9),)), "twice"),
        (counts(200_000, 200_100), "more are bad"),
        (Arm(bad=(sample(1),), all=tuple(sample(n, pod=str(n)) for n in range(1000))), "more than 1000"),
    ],
)
def test_what_cannot_be_counted_is_said_and_changes_nothing(candidate, why):
    """The next look that can be read spans the gap."""
    healthy = [look(n, counts(0, 100 * n)) for n in range(4)]
    known = told(SHARE, [*healthy, look(4, candidate)])
    assert why in (known.because or "")
    assert (known.verdict, known.requests) == (Verdict.UNKNOWN, 300)
    again = told(SHARE, [*healthy, look(4, candidate), look(5, counts(0, 500))])
    assert again == told(SHARE, [*healthy, look(5, counts(0, 500))])


@pytest.mark.parametrize(
    ("arm", "why"),
    [
        (Arm(buckets=tuple(sample(n) for n in (1,))), "no edge"),
        (Arm(buckets=(sample(1, le="NaN"),)), "no number"),
        (Arm(buckets=(sample(1, le="wide"),)), "no edge"),
        (Arm(buckets=(sample(1, le="0.5"),)), "+Inf"),
        (Arm(buckets=(sample(1, le="+Inf"),)), "no buckets"),
        (buckets([5, 4, 6, 7, 8, 9]), "do not add up"),
        (
            Arm(buckets=(*buckets([1] * 6, pod="a").buckets, *buckets([1] * 2, [0.3], pod="b").buckets)),
            "different buckets",
        ),
    ],
)
def test_what_is_no_histogram_is_said(arm, why):
    """Each as the first answer, and as a later one."""
    nothing = buckets([0] * 6)
    for looks in ([look(0, arm), look(1, arm)], [look(0, nothing), look(1, arm)]):
        known = told(SLOW, looks)
        assert why in (known.because or "")
        assert (known.verdict, known.requests) == (Verdict.UNKNOWN, 0)


def test_edges_written_in_two_ways_are_one():
    """`0.1` and `0.10000000149` are the same bucket of two processes."""
    arms = (
        buckets([0] * 6, pod="a").buckets + buckets([0] * 6, (0.10000000149, *EDGES[1:]), pod="b").buckets,
        buckets([9] * 6, pod="a").buckets + buckets([9] * 6, (0.10000000149, *EDGES[1:]), pod="b").buckets,
    )
    assert told(SLOW, [look(n, Arm(buckets=arm)) for n, arm in enumerate(arms)]).requests == 18


def test_a_limit_inside_a_bucket_leaves_that_bucket_open():
    """Those in it are neither called beyond the limit nor called within it."""
    inside = SLOW.model_copy(update={"at_most": 0.7})
    looks = [look(n, buckets([0, 0, 0, 100 * n, 100 * n, 100 * n])) for n in range(60)]
    assert told(inside, looks).verdict is Verdict.UNKNOWN
    assert told(SLOW, looks).verdict is Verdict.BREACHED
    assert told(SLOW.model_copy(update={"at_most": 1.0000001}), looks).verdict is Verdict.WITHIN


def test_a_limit_beyond_all_buckets_can_be_met_and_not_broken():
    """Nobody knows how long those took that are in the last."""
    beyond = SLOW.model_copy(update={"at_most": 30.0})
    slow = [look(n, buckets([0, 0, 0, 0, 0, 100 * n])) for n in range(60)]
    quick = [look(n, buckets([0, 0, 100 * n, 100 * n, 100 * n, 100 * n])) for n in range(60)]
    assert told(beyond, slow).verdict is Verdict.UNKNOWN
    assert told(beyond, quick).verdict is Verdict.WITHIN


def test_a_silent_incumbent_leaves_it_open():
    """There is nothing to compare with, however good the newcomer looks."""
    looks = [look(n, counts(0, 1000 * n), counts(7, 90_000)) for n in range(50)]
    known = told(COMPARED, looks)
    assert (known.verdict, known.because) == (Verdict.UNKNOWN, "no requests came to the incumbent")
    one_missing = [look(n, counts(0, 1000 * n), Arm()) for n in range(50)]
    assert told(COMPARED, one_missing).verdict is Verdict.UNKNOWN


def test_two_releases_with_different_buckets_are_not_compared():
    """Nothing says what one's count would be at the other's edge."""
    watch = ComparedQuantileWatch(name="slow", kind="compared quantile", buckets="b", quantile=0.9, ratio=1.2)
    looks = [look(n, buckets([n] * 6), buckets([n] * 3, (0.3, 0.6))) for n in range(3)]
    assert told(watch, looks).because == "the two releases have different buckets"


def test_late_looks_and_looks_that_come_twice_are_dropped():
    """By their own time."""
    looks = requests(0.002, 100, 30)
    shuffled = [*looks[:20], looks[3], looks[19], *looks[20:], looks[-1], looks[0]]
    assert told(SHARE, shuffled) == told(SHARE, looks)


@pytest.mark.parametrize(
    ("answers", "verdict"),
    [
        (["4", "4", "4"], Verdict.WITHIN),
        (["4", "4"], Verdict.UNKNOWN),
        (["4", "4", "6"], Verdict.BREACHED),
        (["6"], Verdict.BREACHED),
        (["4", "4", "4", "NaN"], Verdict.UNKNOWN),
        (["6", "4", "4", "4"], Verdict.WITHIN),
    ],
)
def test_a_level_is_as_its_last_looks_were(answers, verdict):
    """All of the last three inside, when nothing else is said; one outside is too many."""
    looks = [look(n, Arm(level=(sample(one),)), monitor="lag") for n, one in enumerate(answers)]
    assert told(LEVEL, looks).verdict is verdict


def test_several_series_where_one_is_meant_say_nothing():
    """Which of them counts nobody said."""
    known = told(LEVEL, [look(0, Arm(level=(sample(1, pod="a"), sample(9, pod="b"))))])
    assert known.because == "the query gives 2 series where one is meant"


def test_probes_count_one_by_one():
    """One that was not made is none that passed."""
    watch = ProbeWatch(name="answers", kind="probe", address="https://taps.example/health", at_most=0.05)
    failing = [look(n, failed="status 500" if n % 2 else "") for n in range(30)]
    assert told(watch, failing).verdict is Verdict.BREACHED
    assert told(watch, [look(n, failed="") for n in range(150)]).verdict is Verdict.WITHIN
    missing = told(watch, [look(n) for n in range(150)])
    assert (missing.verdict, missing.requests) == (Verdict.UNKNOWN, 0)


def test_counts_of_one_look_are_all_there_are():
    """Everything failed, a billion at a time."""
    looks = [look(n, counts(10**9 * n, 10**9 * n)) for n in range(4)]
    assert told(SHARE, looks).verdict is Verdict.BREACHED
    assert told(SHARE, [look(n, counts(0, 10**9 * n)) for n in range(4)]).verdict is Verdict.WITHIN
    assert told(SHARE, [look(n, GOOD) for n in range(400)]).verdict is Verdict.UNKNOWN
