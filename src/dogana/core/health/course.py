"""The course of what moves in steps: one look at everything that is known gives one move."""

import math
from collections.abc import Mapping, Sequence
from datetime import datetime, timedelta
from enum import StrEnum

from pydantic import Field

from dogana.core.document import Document, Instant
from dogana.core.health.counters import Kept
from dogana.core.health.monitor import Known, Monitor, MonitorState, Verdict
from dogana.core.health.readings import Look
from dogana.core.health.watches import Watch
from dogana.core.rollout import ALL, Plan, Step
from dogana.core.words import are, counted, lasting, listed, sentence

EVERY = timedelta(seconds=10)
"""How often a monitor is looked at that does not say."""
_SILENT_LOOKS = 6
_LEAST_SILENCE = timedelta(minutes=1)
FOLLOWED_IN = timedelta(minutes=5)
"""How long a deployer has for an order before the course halts."""


class Move(StrEnum):
    """What a look comes to."""

    WAIT = "wait"
    GO_ON = "go on"
    HALT = "halt"
    ROLL_BACK = "roll back"
    DONE = "done"


class CourseState(Kept):
    """Where a course is, and everything that is known of its monitors."""

    began_at: Instant
    step: int = Field(default=0, ge=0)
    """Which step of the plan is ordered."""
    ordered_at: Instant
    reported: int | None = None
    """Percent that the deployer says the newcomer gets; None before it said anything."""
    reached_at: Instant | None = None
    """Since when that is the share that was ordered."""
    halted: str | None = None
    """Why it stands still, until a person lets it go on or takes it back."""
    monitors: dict[str, MonitorState] = Field(default={})


class Moved(Document):
    """One look at a course."""

    move: Move
    because: str
    """A sentence."""
    share: int
    """Percent that is ordered after it; 0 takes the newcomer back."""
    known: dict[str, Known] = Field(default={})
    """By monitor."""


def begun(watches: Sequence[Watch], at: datetime) -> CourseState:
    """A course whose first step is ordered."""
    return CourseState(began_at=at, ordered_at=at, monitors={watch.name: MonitorState() for watch in watches})


def monitors_of(watches: Sequence[Watch]) -> dict[str, Monitor]:
    """Those that are watched together, by name; the ones that are sure with a probability share it."""
    among = max(sum(watch.counted for watch in watches), 1)
    return {watch.name: Monitor.of(watch, among if watch.counted else 1) for watch in watches}


def seen(watches: Sequence[Watch], state: CourseState, looks: Sequence[Look]) -> CourseState:
    """The course after some looks at its monitors; those at others change nothing."""
    known, after = monitors_of(watches), dict(state.monitors)
    for look in looks:
        if look.monitor in known:
            after[look.monitor] = known[look.monitor].seen(after.get(look.monitor, MonitorState()), look)
    return state.model_copy(update={"monitors": after})


def reported(plan: Plan, state: CourseState, share: int, at: datetime) -> CourseState:
    """The course after its deployer said what share the newcomer gets now.

    Until it has followed an order it may say that it still has the share before that.

    Raises:
        ValueError: for a share that is not ordered, or not any more.
    """
    ordered, before = plan.steps[state.step].share, plan.steps[state.step - 1].share if state.step else 0
    if share != ordered and (share != before or state.reached_at is not None):
        over = any(step.share == share for step in plan.steps[: state.step])
        raise ValueError(f"{share} % {'is over' if over else 'was not ordered'}: it is {ordered} %")
    return _at(state, ordered, share, at)


def _at(state: CourseState, ordered: int, share: int, at: datetime) -> CourseState:
    reached = state.reached_at if state.reported == share else at
    return state.model_copy(update={"reported": share, "reached_at": reached if share == ordered else None})


def followed(plan: Plan, state: CourseState, share: int, at: datetime) -> CourseState:
    """The course of a deployer that steps by itself, after it said what share the newcomer gets now."""
    step = next(n for n, one in enumerate(plan.steps) if one.share >= share)
    ordered_at = state.ordered_at if step == state.step else at
    there = state.model_copy(update={"step": step, "ordered_at": ordered_at})
    return _at(there, plan.steps[step].share, share, at)


def released(state: CourseState, watches: Sequence[Watch], at: datetime) -> CourseState:
    """The course once a person lets it go on: its step is held, and what was breached watched, anew."""
    known = monitors_of(watches)
    breached = [
        name
        for name, one in state.monitors.items()
        if name in known and known[name].known(one).verdict is Verdict.BREACHED
    ]
    return state.model_copy(
        update={
            "halted": None,
            "ordered_at": at,
            "reached_at": at if state.reached_at is not None else None,
            "monitors": state.monitors | {name: MonitorState() for name in breached},
        }
    )


def move(
    plan: Plan,
    watches: Sequence[Watch],
    state: CourseState,
    at: datetime,
    *,
    held: str | None = None,
    let_go_on: bool = False,
    stepping: bool = False,
    of_all: bool = False,
) -> Moved:
    """What is to be done now.

    Args:
        plan: the steps, and what a breach and silence bring about.
        watches: what is watched.
        state: after the last looks.
        at: now.
        held: what holds the next step though the release has departed, such as a freeze; in words.
        let_go_on: whether a person says to go on though not all is known. No breach is overruled by it.
        stepping: whether a deployer that steps by itself wants to; without its word it is not ordered to.
        of_all: whether to say that all are within once it goes on, as was said at first of what nobody knew.
    """
    known = {name: one.known(state.monitors[name]) for name, one in monitors_of(watches).items()}
    step = plan.steps[state.step]
    found = _bad(plan, watches, state, known, at) or _early(step, state, at, held)
    what, because = found or _at_the_end(plan, watches, state, known, at, let_go_on=let_go_on, of_all=of_all)
    share = {Move.ROLL_BACK: 0}.get(what, step.share)
    if what is Move.GO_ON and plan.steps_by is not None and not stepping:
        what, because = Move.WAIT, f"{because}, and its deployer may go on"
    if what is Move.GO_ON:
        share = plan.steps[state.step + 1].share
    return Moved(move=what, because=sentence(because), share=share, known=known)


_Because = tuple[Move, str]


def _bad(
    plan: Plan, watches: Sequence[Watch], state: CourseState, known: Mapping[str, Known], at: datetime
) -> _Because | None:
    """What a breach or silence brings about; nothing once it has."""
    breached = [name for name, one in known.items() if one.verdict is Verdict.BREACHED]
    silent = [watch.name for watch in watches if silent_at(watch, state, at)]
    told = f"{listed(breached)} left {'its limit' if len(breached) == 1 else 'their limits'}"
    found: list[tuple[str, str]] = [(plan.on_breach, told)] if breached else []
    if silent:
        why = known[silent[0]].because
        found.append((plan.without_data, f"nothing is heard of {listed(silent)}{f': {why}' if why else ''}"))
    for does, because in found:
        if does == "roll back":
            return Move.ROLL_BACK, f"{because}; it is taken back"
        if does == "halt" and not state.halted:
            return Move.HALT, f"{because}; it stands still"
    return None


def _early(step: Step, state: CourseState, at: datetime, held: str | None) -> _Because | None:
    """What is waited for before anybody asks whether all is well."""
    if state.halted:
        return Move.WAIT, f"it stands still: {state.halted}"
    if state.reached_at is None:
        if at - state.ordered_at > FOLLOWED_IN:
            return Move.HALT, f"the deployer did not set {step.share} % within {lasting(FOLLOWED_IN)}"
        return Move.WAIT, f"the deployer has still to set {step.share} %"
    left = step.hold - (at - state.reached_at)
    if left > timedelta(0):
        return Move.WAIT, f"{step.share} % is held for another {lasting(left)}"
    return (Move.WAIT, f"the next step is held: {held}") if held else None


def _at_the_end(
    plan: Plan,
    watches: Sequence[Watch],
    state: CourseState,
    known: Mapping[str, Known],
    at: datetime,
    *,
    let_go_on: bool,
    of_all: bool,
) -> _Because:
    """Whether enough is known once a hold is over. That all is well at the last nobody can just say."""
    step, last = plan.steps[state.step], state.step + 1 == len(plan.steps)
    passed = [one.name for one in watches if plan.without_data == "go on" and silent_at(one, state, at)]
    open_ones = [name for name, one in known.items() if one.verdict is not Verdict.WITHIN]
    waits = [_waits_for(name, state, known[name], at) for name in open_ones if name not in passed]
    if waits and (last or not let_go_on):
        return Move.WAIT, f"not known yet: {'; '.join(waits)}"
    ended = _ended(step, known, of_all=of_all)
    if last:
        return Move.DONE, ended
    if step.by == "person" and not let_go_on:
        return Move.WAIT, f"after {step.share} % somebody has to let it go on"
    return Move.GO_ON, f"{ended}; {plan.steps[state.step + 1].share} % is next"


def silent_at(watch: Watch, state: CourseState, at: datetime) -> bool:
    """Whether nothing was heard of a monitor for so long that it counts as silent.

    Once all requests go to the newcomer there is nothing to compare it with, and what was known stands.
    """
    if watch.compared and state.reported == ALL:
        return False
    heard = state.monitors[watch.name].heard_at or state.reached_at
    patience = max((watch.every or EVERY) * _SILENT_LOOKS, _LEAST_SILENCE)
    return heard is not None and at - heard > patience


def _waits_for(name: str, state: CourseState, known: Known, at: datetime) -> str:
    """`errors (about 340 more requests, 6 min at today's traffic)`."""
    if known.because and not known.requests:
        return f"{name} ({known.because})"
    if known.more is None:
        return f"{name} (so far it is too close to its limit to say)"
    since = state.monitors[name].since
    seconds = (at - since).total_seconds() if since else 0.0
    if not known.requests or seconds <= 0:
        return f"{name} (about {counted(known.more, 'more request')})"
    span = timedelta(seconds=math.ceil(known.more * seconds / known.requests))
    return f"{name} (about {known.more} more requests, {lasting(span)} at today's traffic)"


def _ended(step: Step, known: Mapping[str, Known], *, of_all: bool) -> str:
    within = [name for name, one in known.items() if of_all or one.verdict is Verdict.WITHIN]
    unsure = [name for name in known if name not in within]
    well = f" and {listed(within)} {are(len(within))} within" if within else ""
    more = f"; whether {listed(unsure)} {are(len(unsure))} within is not known" if unsure else ""
    return f"{step.share} % was held for {lasting(step.hold)}{well}{more}"
