"""Thresholds held against what was read while releases of the past went in."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from dogana.core.document import Document, Instant
from dogana.core.health.course import monitors_of
from dogana.core.health.monitor import Monitor, MonitorState, Verdict
from dogana.core.health.readings import Look
from dogana.core.health.watches import Watch

_ASKS = ("bad", "all", "buckets", "query", "source", "address", "status", "within", "holds", "pointer")
"""What a watch asks; everything else of it is a threshold, which other readings would not take."""


@dataclass(frozen=True, kw_only=True)
class PastCourse:
    """A release that went in step by step."""

    number: int
    watches: tuple[Watch, ...]
    """What watched it."""
    looks: tuple[Look, ...]
    """What was read, in the order of time."""
    badly: bool
    """Whether it was taken back, or turned out bad once it had landed."""


class Rehearsed(Document):
    """What some watches would have made of one."""

    number: int
    badly: bool
    stopped_at: Instant | None = None
    """When the first of them would have been breached; None for never."""
    share: int | None = None
    """Percent of the requests that it got then."""
    monitor: str | None = None
    """Which one."""
    says: str = ""
    """What was known of it then."""
    not_read: tuple[str, ...] = ()
    """Those that ask what nobody asked at the time: they would have known something, nobody can say what."""
    never_known: tuple[str, ...] = ()
    """Those that would not have been within at its end: it would have waited for longer."""


class Thresholds(Document):
    """What some watches would have made of all that went in over a stretch of the past."""

    of: int
    stopped: int
    wrongly: int
    """How many of those it would have stopped were well."""
    missed: int
    """How many that were bad it would have let in."""
    not_read: int
    """How many it cannot be told of for the lack of some reading."""
    courses: tuple[Rehearsed, ...]
    """Those it would have stopped, missed or cannot be told of, the latest first."""


def rehearsed(draft: Sequence[Watch], past: PastCourse) -> Rehearsed:
    """Hold some watches against what was read of one; each is fed what the watch read that asked the same."""
    monitors = monitors_of(draft)
    fed_by = {name: _asked_before(one.watch, past.watches) for name, one in monitors.items()}
    states = {name: MonitorState() for name in monitors}
    for look in past.looks:
        for name, other in fed_by.items():
            if other != look.monitor:
                continue
            states[name] = monitors[name].seen(states[name], look)
            known = monitors[name].known(states[name])
            if known.verdict is Verdict.BREACHED:
                return Rehearsed(
                    number=past.number,
                    badly=past.badly,
                    stopped_at=look.at,
                    share=look.share,
                    monitor=name,
                    says=monitors[name].in_words(known),
                    not_read=_unread(states),
                )
    return Rehearsed(
        number=past.number,
        badly=past.badly,
        not_read=_unread(states),
        never_known=_open(monitors.values(), states),
    )


def _unread(states: dict[str, MonitorState]) -> tuple[str, ...]:
    return tuple(name for name, state in states.items() if state.at is None)


def _open(monitors: Iterable[Monitor], states: dict[str, MonitorState]) -> tuple[str, ...]:
    return tuple(
        one.watch.name
        for one in monitors
        if states[one.watch.name].at is not None
        and one.known(states[one.watch.name]).verdict is Verdict.UNKNOWN
    )


def _asked_before(watch: Watch, before: Sequence[Watch]) -> str | None:
    """The watch of that time that asked the same, and of both releases where this compares them."""
    return next(
        (one.name for one in before if _asks(one) == _asks(watch) and one.compared >= watch.compared), None
    )


def _asks(watch: Watch) -> tuple[object, ...]:
    return tuple(getattr(watch, name, None) for name in _ASKS)


def summed_up(found: Sequence[Rehearsed]) -> Thresholds:
    """What comes of holding them against each."""
    stopped = [one for one in found if one.stopped_at is not None]
    missed = [one for one in found if one.badly and one.stopped_at is None]
    told = [one for one in found if one.stopped_at is not None or one.badly or one.not_read]
    return Thresholds(
        of=len(found),
        stopped=len(stopped),
        wrongly=sum(not one.badly for one in stopped),
        missed=len(missed),
        not_read=sum(bool(one.not_read) for one in found),
        courses=tuple(sorted(told, key=lambda one: one.number, reverse=True)),
    )
