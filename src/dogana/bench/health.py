"""`dogana bench health`: how honest and how fast the monitors are, in courses simulated from a fixed seed.

Every figure stands beside what it may be, and beside what two usual methods do with the same requests: a
z-test at every look, and three looks in a row beyond the limit. Latencies are lognormal with a spread of 0.4,
in buckets a tenth apart; where two releases are compared, the newcomer gets a tenth of the requests.
"""

import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from typing import NamedTuple

import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy.stats import norm

from dogana.core.health import course
from dogana.core.health.arms import BOLDNESS, FRACTIONS, MULTIPLES, Counts, Side, above, below, beside
from dogana.core.health.counters import Sample
from dogana.core.health.readings import Arm, Look
from dogana.core.health.spread import REMEMBERED, TRUSTED, burst, surprise, usual_share
from dogana.core.health.watches import ShareWatch, Watch
from dogana.core.health.wealth import Floats, Number, grown, nothing, together
from dogana.core.rollout import Plan, Step

COURSES, LOOKS, ALPHA = 400, 2000, 0.05
_IN_A_ROW, _HEALTHY = 3, 500
_NEEDED = float(np.log(1 / ALPHA))
_KEPT = _NEEDED + float(np.log(10)) - np.log(FRACTIONS.stakes)
_Z = float(norm.ppf(1 - ALPHA))
_SPREAD, _QUANTILE = 0.4, 0.95
_TAIL = float(norm.ppf(_QUANTILE))


class Drawn(NamedTuple):
    """One look at all courses: requests and the bad among them, (courses,)."""

    bad: Floats | NDArray[np.int64]
    all: Floats
    incumbent_bad: Floats | NDArray[np.int64] | None = None
    incumbent_all: Floats | None = None


Draw = Callable[[np.random.Generator, int], Drawn]


@dataclass(frozen=True, kw_only=True)
class Figure:
    """One figure, its limit, and what the two usual methods come to."""

    name: str
    ours: float
    at_most: float
    z_test: float | None = None
    three_in_a_row: float | None = None

    @property
    def kept(self) -> bool:
        """Whether it is within its limit."""
        return self.ours <= self.at_most

    def in_words(self) -> str:
        """Itself beside its limit and the others."""
        ours = f"{self.name}: {self.ours:g} (at most {self.at_most:g})"
        if self.z_test is None:
            return ours
        return f"{ours}; z-test {self.z_test:g}, three in a row {self.three_in_a_row:g}"


@dataclass(frozen=True)
class Health:
    """All figures."""

    figures: list[Figure] = field(default_factory=list)

    @property
    def kept(self) -> bool:
        """Whether every limit is kept."""
        return all(one.kept for one in self.figures)

    def in_words(self) -> str:
        """A line for each."""
        return "\n".join(
            f"{one.name}: {one.ours:g} (at most {one.at_most:g})"
            + (
                f"; z-test {one.z_test:g}, three in a row {one.three_in_a_row:g}"
                if one.z_test is not None
                else ""
            )
            for one in self.figures
        )


class _Run(NamedTuple):
    """At which look each course was called something for the first time; beyond the last where never."""

    ours: Floats
    z_test: Floats
    three: Floats
    requests: Floats
    """The newcomer's, up to our call."""


def run(progress: Callable[[str], None] = lambda _: None) -> Health:
    """Every figure, one after the other."""
    health = Health()
    for figures in (_false_calls, _delays, _late, _costs):
        for figure in figures():
            progress(figure.name)
            health.figures.append(figure)
    return health


def _called(draw: Draw, limit: float, *, breach: bool, ratio: float | None = None) -> _Run:
    """Look at all courses until each is called breached, or within.

    Args:
        draw: one look at all.
        limit: the share that is let in, of a monitor alone.
        breach: which of the two is bet on.
        ratio: of the incumbent's share that is let in, where it is compared.
    """
    rng = np.random.default_rng(20261127)
    bettors = FRACTIONS if not breach else BOLDNESS if ratio is None else MULTIPLES
    wealth = nothing(COURSES, 1, len(bettors.on))
    usual_bad, usual_all = np.zeros(COURSES), np.zeros(COURSES)
    squares, seen, size = np.full(COURSES, TRUSTED), np.full(COURSES, TRUSTED), np.ones(COURSES)
    never = LOOKS + 1
    ours, z_test, three = (np.full(COURSES, never) for _ in range(3))
    requests, row = np.zeros(COURSES), np.zeros(COURSES)
    totals, bets = np.zeros((4, COURSES)), 0
    for look in range(1, LOOKS + 1):
        drawn = draw(rng, look)
        told = (drawn.bad, drawn.all) if ratio is None else (drawn.incumbent_bad, drawn.incumbent_all)
        of_bad, of_all = np.asarray(told[0], float), np.asarray(told[1], float)
        share = usual_share(usual_bad, usual_all)
        bursts = burst(squares, seen, size, drawn.all), burst(squares, seen, size, of_all)
        if ratio is None or look > 1:
            factors = _factors(drawn, limit, ratio, breach, np.asarray(share), bursts)
            wealth = grown(wealth, bets, factors, None if breach else _KEPT)
            bets += 1
            proved = together(wealth, bets, bettors.stakes)[:, 0] >= _NEEDED
            ours = np.where((ours == never) & proved, look, ours)
        if look > 1:
            square, telling = surprise(of_bad, of_all, np.asarray(share))
            squares, seen = squares + square, seen + telling
        size = of_all if look == 1 else 0.9 * size + 0.1 * of_all
        usual_bad, usual_all = REMEMBERED * usual_bad + of_bad, REMEMBERED * usual_all + of_all
        requests = requests + np.where(ours >= look, drawn.all, 0)
        totals += [drawn.bad, drawn.all, of_bad, of_all]
        over, beyond = _usual_methods(drawn, totals, limit, ratio, breach)
        z_test = np.where((z_test == never) & over, look, z_test)
        row = np.where(beyond, row + 1, 0)
        three = np.where((three == never) & (row >= _IN_A_ROW), look, three)
        if (ours < never).all() and (z_test < never).all() and (three < never).all():
            break
    return _Run(ours, z_test, three, np.where(ours == never, np.inf, requests))


def _factors(
    drawn: Drawn,
    limit: float,
    ratio: float | None,
    breach: bool,
    share: Floats,
    bursts: tuple[Number, Number],
) -> Floats:
    def shaped(values: ArrayLike | None) -> Floats:
        return np.broadcast_to(np.asarray(values, float), COURSES)[:, None, None]

    candidate = Counts(shaped(drawn.bad), shaped(drawn.all))
    if ratio is None:
        limits = np.array([limit])
        return above(candidate, limits) if breach else below(candidate, limits, shaped(bursts[0]))
    incumbent = Counts(shaped(drawn.incumbent_bad), shaped(drawn.incumbent_all))
    side = Side(candidate, incumbent, shaped(share))
    both = shaped(bursts[0]), shaped(bursts[1])
    return beside(side, np.array([ratio]), 0.0, both, MULTIPLES if breach else FRACTIONS)


def _usual_methods(
    drawn: Drawn, totals: Floats, limit: float, ratio: float | None, breach: bool
) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """What a z-test of all so far says at this look, and whether this look alone is beyond the limit."""
    bad, every, their_bad, their_every = totals
    share, sign = bad / every, 1 if breach else -1
    if ratio is None:
        error = np.sqrt(limit * (1 - limit) / every)
        return sign * (share - limit) > _Z * error, sign * (drawn.bad / drawn.all - limit) > 0
    theirs = their_bad / their_every
    spread = share * (1 - share) / every + ratio**2 * theirs * (1 - theirs) / their_every
    now = drawn.bad / drawn.all - ratio * np.asarray(drawn.incumbent_bad) / np.asarray(drawn.incumbent_all)
    return sign * (share - ratio * theirs) > _Z * np.sqrt(spread + 1e-12), sign * now > 0


def _alone(share: float, requests: int = 10, *, drift: bool = False, alike: float = 0.0) -> Draw:
    """Requests to the newcomer of which a share is bad; drifting below it, or in bursts."""

    def draw(rng: np.random.Generator, look: int) -> Drawn:
        now = share * (1 - 0.4 * (1 + np.sin(look / 150))) if drift else share
        true = np.full(COURSES, now)
        if alike:
            many = (1 - alike) / alike
            true = rng.beta(now * many, (1 - now) * many, COURSES)
        return Drawn(rng.binomial(requests, true), np.full(COURSES, float(requests)))

    return draw


def _beside(
    share: float, incumbent: float, requests: int = 100, *, drift: bool = False, ramp: bool = False
) -> Draw:
    """Requests to both; their shares drifting together, or the newcomer's part of all growing."""

    def draw(rng: np.random.Generator, look: int) -> Drawn:
        base = 1 + 0.8 * np.sin(look / 60) if drift else 1.0
        part = min(0.9, 0.01 + look / LOOKS) if ramp else 0.1
        here = max(1, round(part * requests))
        there = max(1, requests - here)
        bad = rng.binomial(here, min(share * base, 1), COURSES)
        their_bad = rng.binomial(there, min(incumbent * base, 1), COURSES)
        return Drawn(bad, np.full(COURSES, float(here)), their_bad, np.full(COURSES, float(there)))

    return draw


def _slower(times: float) -> float:
    """How many take longer than the limit, if all take so many times as long as would just meet it."""
    return float(norm.sf(_TAIL - np.log(times) / _SPREAD))


def _part(run: Floats) -> float:
    return round(float((run <= LOOKS).mean()), 4)


def _false(name: str, called: _Run) -> Figure:
    return Figure(
        name=name,
        ours=_part(called.ours),
        at_most=ALPHA,
        z_test=_part(called.z_test),
        three_in_a_row=_part(called.three),
    )


def _false_calls() -> Iterator[Figure]:
    """At the boundary itself, where every call is false."""
    for breach, word in ((True, "breached"), (False, "within")):
        alone = {
            "3 requests a look": _alone(0.01, 3),
            "100": _alone(0.01, 100),
            "5000": _alone(0.01, 5000),
        }
        if breach:
            alone["100, drifting below"] = _alone(0.01, 100, drift=True)
            alone["100, in bursts"] = _alone(0.01, 100, alike=0.02)
        for how, draw in alone.items():
            yield _false(f"share, false {word}, {how}", _called(draw, 0.01, breach=breach))
        edge = 1 - _QUANTILE
        for many in (3, 5000):
            called = _called(_alone(edge, many), edge, breach=breach)
            yield _false(f"quantile, false {word}, {many} requests a look", called)
        both = {
            "100 requests a look": _beside(0.0075, 0.005),
            "5000, drifting together": _beside(0.0075, 0.005, 5000, drift=True),
            "100, a ramp of shares": _beside(0.0075, 0.005, ramp=True),
        }
        for how, draw in both.items():
            yield _false(f"compared share, false {word}, {how}", _called(draw, 0.0, breach=breach, ratio=1.5))
        tails = _beside(edge, edge, drift=True)
        yield _false(
            f"compared quantile, false {word}, drifting", _called(tails, 0.0, breach=breach, ratio=1.0)
        )


def _delay(name: str, called: _Run, at_most: float) -> Iterator[Figure]:
    per_look = called.requests[called.ours <= LOOKS] / called.ours[called.ours <= LOOKS]
    each = float(per_look.mean()) if len(per_look) else 0.0
    yield Figure(
        name=f"{name}, median requests",
        ours=round(float(np.median(called.requests))),
        at_most=at_most,
        z_test=round(float(np.median(called.z_test)) * each),
        three_in_a_row=round(float(np.median(called.three)) * each),
    )
    yield Figure(
        name=f"{name}, nine in ten within",
        ours=round(float(np.quantile(called.requests, 0.9))),
        at_most=2.5 * at_most,
    )


def _delays() -> Iterator[Figure]:
    for true, at_most in ((0.02, 1400), (0.03, 450), (0.05, 170), (0.1, 70)):
        yield from _delay(
            f"share, limit 1 %, true {true:.0%}", _called(_alone(true), 0.01, breach=True), at_most
        )
    yield from _delay("share, within at a tenth", _called(_alone(0.001), 0.01, breach=False), 680)
    for true, at_most in ((0.015, 2300), (0.025, 680), (0.05, 220)):
        called = _called(_beside(true, 0.005), 0.0, breach=True, ratio=1.5)
        yield from _delay(f"compared share, 0.5 % times 1.5, true {true:.1%}", called, at_most)
    for times, at_most in ((1.2, 530), (1.5, 110), (2.0, 60)):
        called = _called(_alone(_slower(times)), 1 - _QUANTILE, breach=True)
        yield from _delay(f"quantile, {times:g} times the limit", called, at_most)
    for times, at_most in ((1.5, 290), (2.0, 140)):
        # The first edge above the quantile is on average half a bucket away, and the newcomer's likewise.
        there, here = _slower(1 / 1.05), _slower(times / 1.1 / 1.05**2)
        called = _called(_beside(here, there), 0.0, breach=True, ratio=1.0)
        yield from _delay(f"compared quantile, let in 1.1, true {times:g} times", called, at_most)


def _late() -> Iterator[Figure]:
    """Turned bad after 500 healthy looks of 100 requests."""
    for true, at_most in ((0.03, 30), (0.1, 9)):
        well, ill = _alone(0.001, 100), _alone(true, 100)

        def draw(rng: np.random.Generator, look: int, well: Draw = well, ill: Draw = ill) -> Drawn:
            return (well if look <= _HEALTHY else ill)(rng, look)

        called = _called(draw, 0.01, breach=True)
        yield Figure(
            name=f"turned bad after 500 looks, {true:.0%}, median looks",
            ours=float(np.median(called.ours)) - _HEALTHY,
            at_most=at_most,
            z_test=float(np.median(called.z_test)) - _HEALTHY,
            three_in_a_row=float(np.median(called.three)) - _HEALTHY,
        )


def _costs() -> Iterator[Figure]:
    """Of the monitors as they are kept, with reading what a server answered."""
    at = datetime(2026, 11, 27, tzinfo=UTC)
    watches: list[Watch] = [
        ShareWatch(name=f"errors-{n}", kind="share", bad="b", all="a", at_most=0.01) for n in range(20)
    ]
    plan = Plan(steps=(Step(share=5), Step(share=100)))
    states = [course.begun(watches, at) for _ in range(50)]
    took, sizes = [], []
    for look in range(4):
        at += timedelta(seconds=10)
        arm = Arm(bad=(_sample(look),), all=(_sample(1000 * look),))
        looks = [Look(at=at, monitor=watch.name, candidate=arm) for watch in watches]
        began = time.perf_counter()
        states = [course.seen(watches, state, looks) for state in states]
        for state in states:
            course.move(plan, watches, state, at)
        took.append(time.perf_counter() - began)
        sizes.append(max(len(one.model_dump_json()) for one in states[0].monitors.values()))
    yield Figure(name="20 monitors of 50 courses, seconds a look", ours=round(min(took[1:]), 3), at_most=1.0)
    yield Figure(name="one monitor's look, ms", ours=round(min(took[1:]) / 1000 * 1000, 2), at_most=3.0)
    yield Figure(name="one monitor's state, bytes", ours=float(max(sizes)), at_most=64 << 10)


def _sample(value: float) -> Sample:
    return Sample(metric={}, value=(1.0, repr(float(value))))
