"""What is known of one monitor after every look at it so far, and how sure that is."""

import math
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import Field
from scipy.special import logsumexp

from dogana.core.document import Document, FiniteNumber, Instant
from dogana.core.health.arms import BOLDNESS, FRACTIONS, MULTIPLES, Counts, Side, above, below, beside
from dogana.core.health.counters import Counters, Kept, UnreadableError
from dogana.core.health.counting import ASKED, LARGEST, SCALE, Counted, read
from dogana.core.health.readings import Look
from dogana.core.health.spread import Usual
from dogana.core.health.watches import (
    ComparedQuantileWatch,
    ComparedShareWatch,
    LevelWatch,
    ProbeWatch,
    QuantileWatch,
    ShareWatch,
    Watch,
    percent,
)
from dogana.core.health.wealth import AT_ONCE, Floats, grown, nothing, together
from dogana.core.words import counted, sentence

_KEPT = 10.0
"""How many times the evidence that `within` takes is kept, so that it is given up soon when things change."""
_AHEAD: Floats = np.geomspace(0.01, 1e8, 1200)
_DIGITS = 9
_TIMES = " times the incumbent"


class Verdict(StrEnum):
    """What can be said of a monitor."""

    WITHIN = "within"
    BREACHED = "breached"
    UNKNOWN = "not known yet"


class MonitorState(Kept):
    """Everything that is kept of a monitor from look to look; it does not grow with them."""

    at: Instant | None = None
    """Of the last look that was read."""
    since: Instant | None = None
    """Of the first look that was read."""
    heard_at: Instant | None = None
    """Of the last that showed anything new."""
    unknown: str | None = Field(default=None, max_length=400)
    """Why the last look showed nothing."""
    looks: int = 0
    """How many showed requests."""
    above: tuple[float, ...] = ()
    """The wealth of those who bet on a breach, limit by limit."""
    below: tuple[float, ...] = ()
    """Of those who bet on its being within."""
    counters: dict[str, Counters] = Field(default={})
    candidate: Usual = Usual()
    incumbent: Usual = Usual()
    bad: float = 0.0
    requests: float = 0.0
    incumbent_bad: float = 0.0
    incumbent_requests: float = 0.0
    levels: tuple[bool, ...] = ()
    """Whether the last levels were inside."""
    level: float | None = None


class Known(Document):
    """What is known of a monitor after a look."""

    verdict: Verdict
    low: FiniteNumber | None = None
    """It is not below this, at the monitor's confidence at all looks together; in the limit's own unit."""
    high: FiniteNumber | None = None
    """It is not above this, likewise."""
    value: FiniteNumber | None = None
    """The newcomer's share so far, or its last level."""
    incumbent: FiniteNumber | None = None
    """The incumbent's share so far."""
    requests: int = 0
    """Of the newcomer's, counted so far."""
    more: int | None = None
    """About how many more it takes to be known within, if they come out as those so far; None where those are
    too bad for it."""
    because: str | None = None
    """Why the last look showed nothing."""


@dataclass(frozen=True)
class Monitor:
    """One watch, and the probability with which it may be wrong on either side."""

    watch: Watch
    alpha: float

    @classmethod
    def of(cls, watch: Watch, among: int = 1) -> "Monitor":
        """One of several that are watched together: they share the probability of being wrong."""
        return cls(watch, (1 - watch.confidence) / among)

    @property
    def limit(self) -> float:
        """The limit, in its own unit."""
        return _limit_of(self.watch)

    @property
    def _needed(self) -> float:
        return math.log(1 / self.alpha)

    def seen(self, state: MonitorState, look: Look) -> MonitorState:
        """The state after one more look; what cannot be read changes nothing but the reason."""
        if state.at is not None and look.at <= state.at:
            return state
        if look.unknown:
            return state.model_copy(update={"unknown": look.unknown})
        try:
            if isinstance(self.watch, LevelWatch):
                return self._level(self.watch, state, look)
            found = read(self.watch, look, state.counters, state.candidate, state.incumbent)
        except UnreadableError as exc:
            return state.model_copy(update={"unknown": str(exc)})
        update: dict[str, Any] = {
            "at": look.at,
            "since": state.since or look.at,
            "unknown": found.silent,
            "counters": found.counters,
            "candidate": found.candidate_usual,
            "incumbent": found.incumbent_usual,
        }
        if found.begins:
            update["heard_at"] = look.at
        if found.counted is not None:
            update |= self._bet(state, found.counted) | {"heard_at": look.at}
        return state.model_copy(update=update)

    def _level(self, watch: LevelWatch, state: MonitorState, look: Look) -> MonitorState:
        samples = look.candidate.level
        if not samples:
            raise UnreadableError("the query gives nothing")
        if len(samples) > 1:
            raise UnreadableError(f"the query gives {len(samples)} series where one is meant")
        level = samples[0].number
        inside = (watch.at_most is None or level <= watch.at_most) and (
            watch.at_least is None or level >= watch.at_least
        )
        levels = (*state.levels, inside)[-watch.looked_at :]
        read = {"at": look.at, "since": state.since or look.at, "heard_at": look.at, "unknown": None}
        return state.model_copy(update=read | {"levels": levels, "level": level})

    def _bet(self, state: MonitorState, found: Counted) -> dict[str, Any]:
        """What changes with a look that showed requests."""
        all_here, all_there = found.candidate["all"], found.incumbent.get("all", 0.0)
        if self.watch.compared:
            bursts = state.incumbent.burst(all_here), state.incumbent.burst(all_there)
            rises = beside(found.over, found.limits, found.margin, bursts, MULTIPLES)
        else:
            bursts = state.candidate.burst(all_here), 1.0
            rises = above(found.over.candidate, found.limits)
        falls = self._falls(found.under, found.limits, bursts)
        most = self._needed + math.log(_KEPT) - np.log(FRACTIONS.stakes)
        return {
            "looks": state.looks + 1,
            "above": _flat(grown(_table(state.above, rises), state.looks, rises)),
            "below": _flat(grown(_table(state.below, falls), state.looks, falls, most)),
            "bad": state.bad + found.shown[0],
            "requests": state.requests + all_here,
            "incumbent_bad": state.incumbent_bad + found.shown[1],
            "incumbent_requests": state.incumbent_requests + all_there,
        }

    def _falls(self, side: Side, limits: Floats, bursts: tuple[float, float]) -> Floats:
        if self.watch.compared:
            return beside(side, limits, getattr(self.watch, "margin", 0.0), bursts, FRACTIONS)
        return below(side.candidate, limits, bursts[0])

    def known(self, state: MonitorState) -> Known:
        """What is known after the last look."""
        if isinstance(self.watch, LevelWatch):
            return self._known_level(self.watch, state)
        shown = {
            "value": state.bad / state.requests if state.requests else None,
            "incumbent": state.incumbent_bad / state.incumbent_requests if state.incumbent_requests else None,
            "requests": int(state.requests),
            "because": state.unknown,
        }
        if not state.looks:
            return Known(verdict=Verdict.UNKNOWN, more=self.least_requests, **shown)
        stakes = MULTIPLES.stakes if self.watch.compared else BOLDNESS.stakes
        over = self._proved(state.above, state.looks, stakes)
        under = self._proved(state.below, state.looks, FRACTIONS.stakes)
        # Only what holds of all smaller (larger) limits as well: one true limit alone then bears the risk.
        lower = int(np.argmin(np.append(over, False)))
        upper = len(SCALE) - int(np.argmin(np.append(under[::-1], False)))
        verdict = Verdict.UNKNOWN
        if lower > ASKED:
            verdict = Verdict.BREACHED
        elif upper <= ASKED:
            verdict = Verdict.WITHIN
        return Known(
            verdict=verdict,
            low=self._limit(lower - 1) if lower else None,
            high=self._limit(upper) if upper < len(SCALE) else None,
            more=self._more(state) if verdict is Verdict.UNKNOWN else None,
            **shown,
        )

    def in_words(self, known: Known) -> str:
        """Between 1.4 % and 4 %, after 60 requests. About 340 more requests to go."""
        if isinstance(self.watch, LevelWatch):
            told = f"{known.value:g}" if known.value is not None else "Nothing was read"
            return sentence(f"{told}: {known.because}" if known.because else told)
        if known.low is not None and known.high is not None:
            # Of what is counted in times of the incumbent, the unit is said once.
            low = self._said(known.low).removesuffix(_TIMES)
            told = f"between {low} and {self._said(known.high)}"
        elif known.low is not None:
            told = f"at least {self._said(known.low)}"
        else:
            told = f"at most {self._said(known.high)}" if known.high is not None else "nothing is known yet"
        if known.requests:
            told += f", after {counted(known.requests, 'request')}"
        told = sentence(told)
        if known.because:
            told += f" {sentence(known.because)}"
        elif known.more is not None:
            told += f" About {counted(known.more, 'more request')} to go."
        return told

    def _said(self, value: float) -> str:
        if self.watch.in_shares:
            return percent(value)
        return f"{value:.3g}{_TIMES if self.watch.compared else ''}"

    def _proved(self, wealth: tuple[float, ...], looks: int, stakes: Floats) -> NDArray[np.bool_]:
        table = np.array(wealth).reshape(len(SCALE), -1)
        proved: NDArray[np.bool_] = together(table, looks, stakes) >= self._needed
        return proved

    def _limit(self, step: int) -> float:
        limit = float(self.limit * SCALE[step])
        return min(limit, LARGEST) if self.watch.in_shares else limit

    @property
    def least_requests(self) -> int | None:
        """How many requests it takes at least, none of them bad; None where that hangs on the incumbent."""
        if isinstance(self.watch, LevelWatch):
            return self.watch.must_be_inside
        if self.watch.compared:
            return None
        brings = self._falls(Side(Counts(0.0, 1.0)), np.array([self._share_let_in]), (1.0, 1.0))[0]
        ahead = self._ahead(np.log(AT_ONCE * FRACTIONS.stakes), brings)
        return None if ahead is None else math.ceil(ahead)

    def _ahead(self, has: Floats, brings: Floats) -> float | None:
        """How many times something has to be brought until there is evidence enough; None for never."""
        reached = logsumexp(has + _AHEAD[:, None] * brings, axis=1) >= self._needed
        return float(_AHEAD[reached][0]) if reached.any() else None

    @property
    def _share_let_in(self) -> float:
        return 1 - self.watch.quantile if isinstance(self.watch, QuantileWatch) else self.limit

    def _more(self, state: MonitorState) -> int | None:
        """From a look that is as all so far were on average: how much it brings, and how much is missing."""
        looks, requests = state.looks, state.requests / state.looks
        candidate = Counts(state.bad / looks, requests)
        if self.watch.compared:
            theirs = state.incumbent_requests / looks
            there = Counts(state.incumbent_bad / looks, theirs)
            ratio = 1.0 if isinstance(self.watch, ComparedQuantileWatch) else self.limit
            side = Side(candidate, there, state.incumbent_bad / max(state.incumbent_requests, 1.0))
            bursts = state.incumbent.burst(requests), state.incumbent.burst(theirs)
            brings = self._falls(side, np.array([ratio]), bursts)[0]
        else:
            bursts = state.candidate.burst(requests), 1.0
            brings = self._falls(Side(candidate), np.array([self._share_let_in]), bursts)[0]
        has = np.array(state.below).reshape(len(SCALE), -1)[ASKED] + np.log(FRACTIONS.stakes)
        ahead = self._ahead(has, brings)
        return None if ahead is None else max(1, math.ceil(ahead * requests))

    def _known_level(self, watch: LevelWatch, state: MonitorState) -> Known:
        inside, counted = sum(state.levels), len(state.levels)
        verdict = Verdict.UNKNOWN
        if counted - inside > watch.looked_at - watch.must_be_inside:
            verdict = Verdict.BREACHED
        elif state.unknown is None and inside >= watch.must_be_inside:
            verdict = Verdict.WITHIN
        return Known(
            verdict=verdict,
            value=state.level,
            requests=counted,
            more=max(watch.must_be_inside - inside, 1) if verdict is Verdict.UNKNOWN else None,
            because=state.unknown,
        )


def _limit_of(watch: Watch) -> float:
    match watch:
        case ComparedShareWatch() | ComparedQuantileWatch():
            return watch.ratio
        case ShareWatch() | ProbeWatch() | QuantileWatch():
            return watch.at_most
        case LevelWatch():
            return watch.at_most if watch.at_most is not None else watch.at_least or 0.0


def _table(wealth: tuple[float, ...], like: Floats) -> Floats:
    return np.array(wealth).reshape(like.shape) if wealth else nothing(*like.shape)


def _flat(wealth: Floats) -> tuple[float, ...]:
    return tuple(np.round(wealth, _DIGITS).ravel().tolist())
