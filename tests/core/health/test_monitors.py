"""What is known of a monitor: seeded and quick; `dogana bench health` has the long simulation."""

from datetime import timedelta

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import TypeAdapter, ValidationError
from tests.core.health.drawn import (
    BEGAN,
    COMPARED,
    EVERY,
    SHARE,
    SLOW,
    buckets,
    counts,
    course_of,
    look,
    requests,
    told,
)

from dogana.core.health.monitor import Monitor, MonitorState, Verdict
from dogana.core.health.watches import ComparedQuantileWatch, Watch
from dogana.core.rules.rollout import RolloutRule
from dogana.core.strictness import Order

WATCH = TypeAdapter(Watch)
COURSES = 40


@pytest.mark.thorough
@settings(max_examples=40)
@given(
    share=st.floats(0, 1),
    many=st.sampled_from([1, 7, 100, 10**6]),
    seed=st.integers(0, 2**16),
    incumbent=st.one_of(st.none(), st.floats(0, 0.5)),
)
def test_what_is_shown_never_contradicts_the_verdict(share, many, seed, incumbent):
    """Breached lies above its limit, within below it, and what is open on both sides."""
    watch = SHARE if incumbent is None else COMPARED
    limit = 0.01 if incumbent is None else 1.5
    for known in course_of(watch, requests(share, many, 25, incumbent, seed)):
        low, high = known.low or 0.0, known.high if known.high is not None else np.inf
        assert low <= high
        assert known.verdict is {True: Verdict.BREACHED, False: Verdict.UNKNOWN}[low >= limit] or (
            known.verdict is Verdict.WITHIN and high <= limit
        )


@pytest.mark.thorough
@pytest.mark.parametrize(
    ("watch", "incumbent", "edge"), [(SHARE, None, 0.01), (COMPARED, 0.02, 0.03)], ids=["alone", "beside"]
)
def test_at_its_limit_it_is_seldom_called_anything(watch, incumbent, edge):
    """One in twenty may be, on either side; drawn so that one in ten would be seen."""
    called = {Verdict.BREACHED: 0, Verdict.WITHIN: 0, Verdict.UNKNOWN: 0}
    for seed in range(COURSES):
        for verdict in _verdicts(watch, requests(edge, 50, 60, incumbent, seed)):
            called[verdict] += 1
    assert called[Verdict.BREACHED] <= 0.1 * COURSES
    assert called[Verdict.WITHIN] <= 0.1 * COURSES


@pytest.mark.parametrize(
    ("watch", "incumbent", "share", "verdict", "at_most"),
    [
        (SHARE, None, 0.05, Verdict.BREACHED, 170),
        pytest.param(SHARE, None, 0.001, Verdict.WITHIN, 680, marks=pytest.mark.thorough),
        pytest.param(COMPARED, 0.005, 0.05, Verdict.BREACHED, 220, marks=pytest.mark.thorough),
        (COMPARED, 0.02, 0.002, Verdict.WITHIN, 680),
    ],
)
def test_what_is_clear_is_known_soon(watch, incumbent, share, verdict, at_most):
    """The median of some courses, in requests."""
    took = []
    for seed in range(15):
        known = next(
            one
            for one in course_of(watch, requests(share, 10, 400, incumbent, seed))
            if one.verdict is not Verdict.UNKNOWN
        )
        assert known.verdict is verdict or seed == 0
        took.append(known.requests)
    assert np.median(took) <= at_most


def test_what_turns_bad_late_is_not_within_any_more():
    """Days of good looks do not outweigh an hour of bad ones."""
    looks = requests(lambda number: 0.0005 if number < 500 else 0.05, 100, 540)
    verdicts = [one.verdict for one in course_of(SHARE, looks)]
    assert set(verdicts[40:500]) == {Verdict.WITHIN}
    assert Verdict.WITHIN not in verdicts[503:]
    assert Verdict.BREACHED in verdicts[500:525]


def test_a_drift_that_both_share_is_no_breach():
    """Everything fails ten times as often in the afternoon, here and there."""
    rng, bad, theirs, looks = np.random.default_rng(3), 0, 0, []
    for number in range(300):
        share = 0.002 * 10 ** np.sin(number / 40)
        bad, theirs = bad + rng.binomial(100, share), theirs + rng.binomial(900, share)
        looks.append(look(number, counts(bad, 100 * (number + 1)), counts(theirs, 900 * (number + 1))))
    assert Verdict.BREACHED not in {one.verdict for one in course_of(COMPARED, looks)}


def test_a_slower_newcomer_is_seen_by_its_buckets():
    """Beside an incumbent whose own latency wanders."""
    edges = tuple(round(0.05 * 1.1**n, 5) for n in range(45))
    watch = ComparedQuantileWatch(
        name="slow", kind="compared quantile", buckets="b", quantile=0.95, ratio=1.1
    )
    rng = np.random.default_rng(4)

    def looks(times):
        here, there = np.zeros(46), np.zeros(46)
        for number in range(60):
            usual = np.log(0.3 + 0.1 * np.sin(number / 15))
            for upto, scale, many in ((here, times, 40), (there, 1.0, 360)):
                took = np.exp(rng.normal(usual, 0.4, many)) * scale
                upto += [*(np.sum(took <= edge) for edge in edges), many]
            yield look(number, buckets(here, edges), buckets(there, edges))

    assert told(watch, list(looks(1.6))).verdict is Verdict.BREACHED
    assert told(watch, list(looks(0.6))).verdict is Verdict.WITHIN
    assert told(watch, list(looks(1.1))).verdict is not Verdict.BREACHED


def test_how_many_more_it_takes_is_about_right():
    """At the first look that says so, for a release without a fault."""
    courses = [
        [*course_of(SHARE, requests(0.0, 20, 60))],
        [*course_of(SLOW, [look(n, buckets([20 * n] * 6)) for n in range(60)])],
    ]
    for course in courses:
        first = next(one for one in course if one.requests)
        within = next(one for one in course if one.verdict is Verdict.WITHIN)
        assert first.more == pytest.approx(within.requests - first.requests, abs=40)
        assert Monitor.of(SHARE if course is courses[0] else SLOW).least_requests <= within.requests + 20


def test_its_state_does_not_grow():
    """A thousand looks take the room of ten, and far less than it may."""
    monitor, state, sizes = Monitor.of(COMPARED), MonitorState(), []
    for one in requests(0.004, 50, 300, 0.004):
        state = monitor.seen(state, one)
        sizes.append(len(state.model_dump_json()))
    assert max(sizes[200:]) <= 1.1 * max(sizes[10:50])
    assert max(sizes) < 64 << 10


def test_several_monitors_share_the_probability_of_being_wrong():
    """Each of twenty asks for more evidence than one alone."""
    looks = requests(0.06, 10, 40)
    alone, among = (
        next(n for n, _ in enumerate(looks) if _called(Monitor.of(SHARE, many), looks[: n + 1]))
        for many in (1, 20)
    )
    assert alone < among


def _called(monitor, looks):
    state = MonitorState()
    for one in looks:
        state = monitor.seen(state, one)
    return monitor.known(state).verdict is Verdict.BREACHED


def _verdicts(watch, looks):
    monitor, state = Monitor.of(watch), MonitorState()
    out = set()
    for one in looks:
        state = monitor.seen(state, one)
        out.add(monitor.known(state).verdict)
    return out


def test_words_say_what_is_known():
    """One sentence each, with its unit."""
    monitor = Monitor.of(SHARE)
    known = told(SHARE, requests(0.05, 10, 60))
    assert monitor.in_words(known).startswith("Between ")
    assert monitor.in_words(known).endswith(f", after {known.requests} requests.")
    assert "times the incumbent" in Monitor.of(COMPARED).in_words(told(COMPARED, requests(0.2, 50, 9, 0.01)))
    unread = monitor.in_words(told(SHARE, [look(0, unknown="the metrics server did not answer in 5 s")]))
    assert unread == "Nothing is known yet. The metrics server did not answer in 5 s."


@pytest.mark.parametrize(
    "written",
    [
        {"name": "e", "kind": "share", "bad": "b", "all": "a", "at_most": 0},
        {"name": "e", "kind": "share", "bad": "b", "all": "a", "at_most": 1},
        {"name": "e", "kind": "share", "bad": "b", "at_most": 0.1},
        {"name": "e", "kind": "share", "bad": "b", "all": "a", "at_most": 0.1, "ratio": 2},
        {"name": "e", "kind": "shared", "bad": "b", "all": "a", "at_most": 0.1},
        {"name": "e", "kind": "compared share", "bad": "b", "all": "a", "ratio": 0},
        {"name": "e", "kind": "quantile", "buckets": "b", "quantile": 1.0, "at_most": 1},
        {"name": "e", "query": "q"},
        {"name": "e", "query": "q", "at_most": 1, "looks": 2, "inside": 3},
        {"name": "e", "kind": "probe", "address": "file:///etc/passwd"},
        {"name": "e", "kind": "probe", "address": "https://x.example", "within": "PT0S"},
        {"name": "e", "query": "q", "at_most": 1, "every": "PT0S"},
        {"name": "e", "query": "q", "at_most": 1, "confidence": 1.0},
    ],
)
def test_what_makes_no_sense_is_refused(written):
    """When the policy is written, not when a release moves."""
    with pytest.raises(ValidationError):
        WATCH.validate_python(written)


def test_a_query_alone_is_a_level_and_reads_as_before():
    """What was written before there were kinds keeps its bytes."""
    written = {"name": "lag", "query": "lag_seconds", "at_most": 5, "confidence": 0.95}
    assert WATCH.validate_python(written).plain() == written


STRICTER = [
    ({"kind": "share", "bad": "b", "all": "a", "at_most": 0.02}, {"at_most": 0.01}),
    ({"kind": "share", "bad": "b", "all": "a", "at_most": 0.02}, {"confidence": 0.99}),
    ({"kind": "compared share", "bad": "b", "all": "a", "ratio": 2}, {"ratio": 1.5}),
    ({"kind": "compared share", "bad": "b", "all": "a", "margin": 0.1}, {"margin": 0.0}),
    ({"kind": "quantile", "buckets": "b", "quantile": 0.9, "at_most": 2}, {"at_most": 1.0}),
    ({"kind": "compared quantile", "buckets": "b", "quantile": 0.9, "ratio": 2}, {"ratio": 1.1}),
    ({"query": "q", "at_most": 5}, {"at_most": 4}),
    ({"query": "q", "at_least": 5}, {"at_least": 6}),
    ({"kind": "probe", "address": "https://x.example", "at_most": 0.2}, {"at_most": 0.1}),
    ({"kind": "probe", "address": "https://x.example"}, {"within": "PT1S"}),
]


@pytest.mark.parametrize(("written", "narrower"), STRICTER)
def test_what_a_narrower_watch_lets_pass_the_wider_one_does(written, narrower):
    """Aspect by aspect, and the other way round."""

    def rule(**more):
        watch = {"name": "e", **written, **more}
        return RolloutRule.model_validate({"id": "r", "title": "R", "kind": "rollout", "watch": [watch]})

    assert [one.order for one in rule().compared(rule(**narrower))] == [Order.STRICTER]
    assert [one.order for one in rule(**narrower).compared(rule())] == [Order.LAXER]


def test_every_setting_of_a_watch_is_compared():
    """One that is forgotten would loosen a baseline unseen."""
    for kind in ("share", "compared share", "quantile", "compared quantile", "level", "probe"):
        written = {"name": "e", **next(one for one, _ in STRICTER if one.get("kind", "level") == kind)}
        watch = WATCH.validate_python(written)
        looked_at = set()

        class Seen:
            def __getattr__(self, name, watch=watch, looked_at=looked_at):
                looked_at.add(name)
                return getattr(watch, name)

        for aspect in watch.aspects:
            list(aspect(Seen(), Seen()))
        # How often it is looked at changes nothing of what is let in.
        assert type(watch).model_fields.keys() - looked_at <= {
            "name",
            "kind",
            "source",
            "confidence",
            "every",
        }, kind


def test_looks_are_dated_by_their_source():
    """Half an hour that nobody looked at spans."""
    looks = [
        look(0, counts(0, 0)),
        look(1, counts(0, 100)).model_copy(update={"at": BEGAN + timedelta(hours=1)}),
    ]
    known = told(SHARE, looks)
    assert known.requests == 100
    assert told(SHARE, [*looks, look(2, counts(9, 999)).model_copy(update={"at": BEGAN + EVERY})]) == known
