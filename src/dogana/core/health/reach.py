"""Whether what is watched can be known in the time that a plan gives it, at the traffic there is."""

from collections.abc import Mapping, Sequence
from datetime import timedelta

from dogana.core.health.course import EVERY, monitors_of
from dogana.core.health.watches import LevelWatch, ProbeWatch, Watch
from dogana.core.rollout import ALL, Plan
from dogana.core.words import counted, lasting, sentence, spoken

_BEFORE = "before it is known to be within"


def out_of_reach(watches: Sequence[Watch], plan: Plan, traffic: Mapping[str, float]) -> list[str]:
    """What takes longer to be known than the first step of a plan is held, and what may never be; sentences.

    Args:
        watches: what is watched, together.
        plan: the quickest that is let in.
        traffic: requests a minute to both releases, by monitor, as past courses told; none where none did.
    """
    out = []
    for name, monitor in monitors_of(watches).items():
        if isinstance(monitor.watch, LevelWatch):
            continue
        found = _of(monitor.watch, monitor.least_requests, plan, traffic.get(name))
        if found is not None:
            out.append(sentence(found))
    return out


def _of(watch: Watch, least: int | None, plan: Plan, traffic: float | None) -> str | None:
    name, step = spoken(watch.name), plan.steps[0]
    if isinstance(watch, ProbeWatch):
        span = (least or 0) * (watch.every or EVERY)
        if span <= step.hold:
            return None
        return f"{name}: at least {counted(least or 0, 'probe')}, {lasting(span)}, {_BEFORE}; {_held(plan)}"
    takes = f"{name}: at least {counted(least, 'request')} {_BEFORE}" if least else ""
    if traffic is None:
        return f"{takes}; no rollout has shown yet how many there are" if takes else None
    here = traffic * step.share / ALL
    if here <= 0:
        return f"{takes or f'{name}: nothing is known without requests'}; the last rollouts brought none"
    span = timedelta(minutes=(least or 0) / here)
    if span <= step.hold:
        return None
    return f"{takes}, {lasting(span)} at the traffic of the last rollouts; {_held(plan)}"


def _held(plan: Plan) -> str:
    step = plan.steps[0]
    held = f"is held for {lasting(step.hold)}" if step.hold else "is held for no time of its own"
    return f"{step.share} % {held}, and waits until it is"
