"""Made-up requests, as a metrics server would count them."""

from collections.abc import Callable, Iterator, Sequence
from datetime import UTC, datetime, timedelta

import numpy as np

from dogana.core.health.counters import Sample
from dogana.core.health.monitor import Known, Monitor, MonitorState
from dogana.core.health.readings import Arm, Look
from dogana.core.health.watches import ComparedShareWatch, QuantileWatch, ShareWatch, Watch

BEGAN = datetime(2026, 11, 27, 8, tzinfo=UTC)
EVERY = timedelta(seconds=10)
SHARE = ShareWatch(name="errors", kind="share", bad="failed_total", all="requests_total", at_most=0.01)
COMPARED = ComparedShareWatch(
    name="errors", kind="compared share", bad="failed_total", all="requests_total", ratio=1.5
)
SLOW = QuantileWatch(name="slow", kind="quantile", buckets="seconds_bucket", quantile=0.95, at_most=0.5)
EDGES = (0.1, 0.25, 0.5, 1.0, 2.0)


def sample(value: float | str, **labels: str) -> Sample:
    return Sample(metric=labels, value=(1.0, value if isinstance(value, str) else repr(float(value))))


def counts(bad: float, every: float) -> Arm:
    return Arm(bad=(sample(bad),), all=(sample(every),))


def buckets(upto: Sequence[float], edges: Sequence[float] = EDGES, **labels: str) -> Arm:
    """A histogram whose counts up to each edge, and in all, are given."""
    ends = [*(repr(edge) for edge in edges), "+Inf"]
    return Arm(buckets=tuple(sample(n, le=end, **labels) for n, end in zip(upto, ends, strict=True)))


NOTHING = Arm()


def look(number: int, candidate: Arm = NOTHING, incumbent: Arm = NOTHING, **more: object) -> Look:
    """The look of a number; a monitor is looked at every ten seconds."""
    monitor = more.pop("monitor", "errors")
    return Look.model_validate(
        {"at": BEGAN + number * EVERY, "monitor": monitor, "candidate": candidate, "incumbent": incumbent}
        | more
    )


def told(watch: Watch, looks: Sequence[Look]) -> Known:
    """What is known after some looks."""
    return list(course_of(watch, looks))[-1]


def course_of(watch: Watch, looks: Sequence[Look]) -> Iterator[Known]:
    """What is known after each look, with the state saved and restored in between."""
    monitor, state = Monitor.of(watch), MonitorState()
    for one in looks:
        state = monitor.seen(MonitorState.model_validate_json(state.model_dump_json()), one)
        yield monitor.known(state)


def requests(
    share: float | Callable[[int], float],
    many: int,
    looks: int,
    incumbent: float | None = None,
    seed: int = 1,
) -> list[Look]:
    """Looks at counters of so many requests each, of which a share is bad; nine times as many elsewhere."""
    rng = np.random.default_rng(seed)
    bad = every = their_bad = 0
    out = []
    for number in range(looks):
        if number:
            bad += rng.binomial(many, share(number) if callable(share) else share)
            every += many
            their_bad += rng.binomial(9 * many, incumbent or 0)
        there = counts(their_bad, 9 * every) if incumbent is not None else Arm()
        out.append(look(number, counts(bad, every), there))
    return out
