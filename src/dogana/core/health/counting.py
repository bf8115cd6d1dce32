"""From what a source answered to the counts that bets are placed on, for each kind of watch."""

import math
from typing import NamedTuple

import numpy as np

from dogana.core.health.arms import Counts, Side
from dogana.core.health.counters import (
    Answer,
    Counters,
    UnreadableError,
    at_or_above,
    at_or_below,
    histogram,
)
from dogana.core.health.readings import Arm, Look
from dogana.core.health.spread import Usual
from dogana.core.health.watches import (
    ComparedQuantileWatch,
    ComparedShareWatch,
    LevelWatch,
    ProbeWatch,
    QuantileWatch,
    ShareWatch,
    Watch,
)
from dogana.core.health.wealth import Floats

SCALE: Floats = 2.0 ** (np.arange(-16, 17) / 4)
"""The limits that are held against the readings, in parts of the one that is asked for."""
ASKED = len(SCALE) // 2
"""Which of them is the one asked for."""
LARGEST = 0.999
_BAD, _ALL, _NONE = "bad", "all", "none"

Tally = dict[str, float]
"""New requests: `all`, and those that count as bad under each name (`bad`, or beyond an edge)."""


class Names(NamedTuple):
    """Under which names the bad are found, limit by limit; the incumbent's is one for all limits."""

    candidate: list[str]
    incumbent: str


class Counted(NamedTuple):
    """One look's counts."""

    over: Side
    """For bets on a breach."""
    under: Side
    """For bets on its being within: of a bucket that a limit lies inside, all are beyond."""
    limits: Floats
    margin: float
    candidate: Tally
    incumbent: Tally
    shown: tuple[float, float]
    """The bad of the newcomer and of the incumbent at the limit asked for, as it can be within."""


class Read(NamedTuple):
    """What was read of a look, whether or not there is anything to bet on."""

    counters: dict[str, Counters]
    candidate_usual: Usual
    incumbent_usual: Usual
    counted: Counted | None
    silent: str | None
    """Why there is nothing."""
    begins: bool
    """Whether this look is where counting begins, so that there could be nothing yet."""


def read(watch: Watch, look: Look, counters: dict[str, Counters], candidate: Usual, incumbent: Usual) -> Read:
    """Count a look.

    Args:
        watch: of any kind but a level.
        look: what was answered.
        counters: where the counters stood.
        candidate: what was usual of the newcomer.
        incumbent: likewise.

    Raises:
        UnreadableError: where nothing can be counted; then nothing of the look is taken.
    """
    stand = dict(counters)
    here, edges = _tally(watch, look.candidate, look, "candidate", stand)
    there, their_edges = (
        _tally(watch, look.incumbent, look, "incumbent", stand) if watch.compared else ({}, edges)
    )
    if edges != their_edges:
        raise UnreadableError("the two releases have different buckets")
    silent, counted, begins = None, None, bool(stand) and not counters
    if begins:
        silent = "counting begins with this look"
    elif here[_ALL] <= 0:
        silent = "no requests came to it"
    elif watch.compared and there[_ALL] <= 0:
        silent = "no requests came to the incumbent"
    elif watch.compared and not incumbent.all:
        silent, begins = "comparing begins with this look", True
    else:
        counted = _counted(watch, (here, there), edges, incumbent)
    if there.get(_ALL):
        incumbent = incumbent.after(there, _middle(watch, edges, incumbent))
    if here[_ALL]:
        candidate = candidate.after(here, _middle(watch, edges, candidate))
    return Read(stand, candidate, incumbent, counted, silent, begins)


def _tally(
    watch: Watch, arm: Arm, look: Look, which: str, counters: dict[str, Counters]
) -> tuple[Tally, tuple[float, ...]]:
    """One arm's new requests and the finite edges of its buckets; notes where its counters stand."""

    def grown(answer: Answer | None, name: str) -> dict[str, float]:
        place = f"{which} {name}"
        found, counters[place] = counters.get(place, Counters()).grown(answer or (), look.at)
        return found

    if isinstance(watch, ProbeWatch):
        if look.failed is None:
            raise UnreadableError("the probe was not made")
        return {_ALL: 1.0, _BAD: float(bool(look.failed))}, ()
    if isinstance(watch, ShareWatch | ComparedShareWatch):
        tally = {name: sum(grown(getattr(arm, name), name).values()) for name in (_BAD, _ALL)}
        if tally[_BAD] > tally[_ALL]:
            raise UnreadableError("more are bad than there are")
        return tally, ()
    answer = arm.buckets or ()
    upto = histogram(answer, grown(answer, "buckets"))
    edges = tuple(edge for edge in upto if math.isfinite(edge))
    every = upto[math.inf]
    return {_ALL: every} | {repr(edge): every - upto[edge] for edge in edges}, edges


def _counted(watch: Watch, tallies: tuple[Tally, Tally], edges: tuple[float, ...], usual: Usual) -> Counted:
    here, there = tallies
    over = under = Names([_BAD] * len(SCALE), _BAD)
    margin = 0.0
    match watch:
        case ShareWatch() | ProbeWatch():
            limits = np.minimum(watch.at_most * SCALE, LARGEST)
        case ComparedShareWatch():
            limits, margin = watch.ratio * SCALE, watch.margin
        case QuantileWatch():
            limits = np.full(len(SCALE), 1 - watch.quantile)
            over = Names([_over(edges, one) for one in watch.at_most * SCALE], _NONE)
            under = Names([_under(edges, one) for one in watch.at_most * SCALE], _NONE)
        case ComparedQuantileWatch():
            limits = np.ones(len(SCALE))
            last, before = _around(edges, usual, watch.quantile)
            over = Names([_over(edges, one) for one in watch.ratio * SCALE * last], _over(edges, last))
            under = Names([_under(edges, one) for one in watch.ratio * SCALE * before], _under(edges, before))
        case LevelWatch():
            raise UnreadableError("a level is not counted")

    def side(names: Names) -> Side:
        bad = np.array([[here.get(name, 0.0)] for name in names.candidate])
        incumbent = Counts(there.get(names.incumbent, 0.0), there[_ALL]) if there else None
        return Side(Counts(bad, here[_ALL]), incumbent, usual.share(names.incumbent))

    shown = here.get(under.candidate[ASKED], 0.0), there.get(under.incumbent, 0.0)
    return Counted(side(over), side(under), limits, margin, here, there, shown)


def _over(edges: tuple[float, ...], limit: float) -> str:
    edge = at_or_above(edges, limit)
    return repr(edge) if math.isfinite(edge) else _NONE


def _under(edges: tuple[float, ...], limit: float) -> str:
    edge = at_or_below(edges, limit)
    return _ALL if edge is None else repr(edge)


def _around(edges: tuple[float, ...], usual: Usual, quantile: float) -> tuple[float, float]:
    """The edges between which the incumbent's quantile usually lies: the one after it and the one before."""
    beyond = (1 - quantile) * usual.all
    after = next((edge for edge in edges if usual.counts.get(repr(edge), 0.0) <= beyond), math.inf)
    return after, max((edge for edge in edges if edge < after), default=0.0)


def _middle(watch: Watch, edges: tuple[float, ...], usual: Usual) -> str:
    """The name whose counts tell the spread."""
    match watch:
        case QuantileWatch():
            return _over(edges, watch.at_most)
        case ComparedQuantileWatch():
            return _over(edges, _around(edges, usual, watch.quantile)[0])
        case _:
            return _BAD
