"""The monitors of an environment along time, and each of them before and after a landing."""

import asyncio
from collections.abc import Mapping, Sequence
from datetime import datetime, timedelta

from dogana.core.errors import InvalidError, NotFoundError
from dogana.core.facts import Reading
from dogana.core.health.beside import Difference, difference
from dogana.core.rules.base import Charted
from dogana.core.words import lasting
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.landscape.environments import must_know
from dogana.service.policies.in_force import in_force_of_each
from dogana.service.promotions.lookup import found
from dogana.service.shapes import View
from dogana.service.sources.registry import Sources, load
from dogana.service.sources.scraping import scraped_stretch
from dogana.sources.metrics import Bucket
from dogana.sources.settings import MetricsSettings, ScrapeSettings
from dogana.store import Session, history, policies

_LONGEST = timedelta(days=400)
MOST_AT_ONCE = 20
_SHORTEST_STEP = timedelta(seconds=5)
_BESIDE, _VALUES = timedelta(hours=6), 120


class MonitorName(View):
    """A monitor that can be drawn."""

    name: str
    own: bool
    """Whether the environment's own policy has it; else that of another has."""
    limit: str | None
    """In words."""
    at_most: float | None
    at_least: float | None


class Line(View):
    """What one monitor showed, in steps: the middle of each, its mean, its lowest and its highest."""

    name: str
    at: list[int]
    """Seconds since 1970, UTC."""
    mean: list[float]
    low: list[float]
    high: list[float]
    at_most: float | None
    at_least: float | None
    unknown: str | None
    """Why nothing is known; then the lists are empty."""


class Beside(View):
    """One monitor before and after a landing."""

    name: str
    before: float | None
    after: float | None
    low: float | None
    """Between this and `high` the difference of the two lies."""
    high: float | None
    says: str


async def monitors(backend: Backend, actor: Actor, environment: str) -> list[MonitorName]:
    """The monitors that can be drawn of an environment: those of its policy, then those of others.

    Raises:
        NotFoundError: for an unknown environment.
    """
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        await must_know(session, environment=environment, service=None)
        own, others = await charted(backend, session, environment)
    return [
        MonitorName(
            name=one.name,
            own=one.name in own,
            limit=_limit(one) if one.name in own else None,
            at_most=one.at_most,
            at_least=one.at_least,
        )
        for one in (*own.values(), *others.values())
    ]


async def lines(
    backend: Backend,
    actor: Actor,
    *,
    environment: str,
    names: Sequence[str],
    start: datetime,
    end: datetime,
    points: int,
) -> list[Line]:
    """What monitors showed in a stretch of time; of a source that does not answer it is said for each.

    Args:
        backend: the sources.
        actor: who asks.
        environment: whose health.
        names: of the monitors; those of its policy where none is named.
        start: from when on, at most 400 days before the end.
        end: until when.
        points: at most so many steps.

    Raises:
        NotFoundError: for an unknown environment or monitor.
        InvalidError: where the end does not come after the start, or more than twenty are asked for.
    """
    actor.must(Right.READ)
    start, end = max(start, end - _LONGEST), min(end, backend.clock())
    if start >= end:
        raise InvalidError("The end has to come after the start, and the start be over.")
    async with backend.database.transaction() as session:
        await must_know(session, environment=environment, service=None)
        own, others = await charted(backend, session, environment)
        sources = await load(backend, session)
    known = {**others, **own}
    missing = [name for name in names if name not in known]
    if missing:
        raise NotFoundError(f"No policy has a monitor {missing[0]}.")
    wanted = [known[name] for name in names] if names else list(own.values())
    if len(wanted) > MOST_AT_ONCE:
        raise InvalidError(f"At most {MOST_AT_ONCE} monitors are drawn at once.")
    step = max((end - start) / points, _SHORTEST_STEP)
    read = await asyncio.gather(
        *(stretch_of(backend, sources, one, environment, start, end, step) for one in wanted)
    )
    return [_line(one, said, limited=one.name in own) for one, said in zip(wanted, read, strict=True)]


async def beside(backend: Backend, actor: Actor, number: int) -> list[Beside]:
    """The monitors of an environment before and after something landed there.

    Six hours on either side, or as long as it ran and is over.

    Raises:
        NotFoundError: when there is no such promotion, or it has not landed.
    """
    actor.must(Right.READ)
    now = backend.clock()
    async with backend.database.transaction() as session:
        row = await found(session, number)
        if row.landed_at is None:
            raise NotFoundError("It has not landed.")
        at, environment = row.landed_at, row.environment_id
        own, others = await charted(backend, session, environment)
        sources = await load(backend, session)
        replaced = await history.replaced_at(session, row)
    long = min(_BESIDE, (replaced or now) - at)
    step = max(long / _VALUES, _SHORTEST_STEP)
    sides = [(at - long, at), (at, at + long)]
    wanted = [*own.values(), *others.values()][:MOST_AT_ONCE]
    read = await asyncio.gather(
        *(
            stretch_of(backend, sources, one, environment, start, end, step)
            for one in wanted
            for start, end in sides
        )
    )
    told = [_beside(one, read[2 * n], read[2 * n + 1], long) for n, one in enumerate(wanted)]
    # What only others watch may not be there at all.
    return [one for one in told if one.name in own or one.before is not None]


def _beside(
    one: Charted, before: Reading[tuple[Bucket, ...]], after: Reading[tuple[Bucket, ...]], long: timedelta
) -> Beside:
    why = before.unknown or after.unknown
    first, second = ([bucket.mean for bucket in side.value or ()] for side in (before, after))
    told = difference(first, second)
    if why is not None or told is None:
        says = f"not known: {why or 'it showed too little'}"
        return Beside(name=one.name, before=None, after=None, low=None, high=None, says=says)
    return Beside(
        name=one.name,
        before=told.before,
        after=told.after,
        low=told.low,
        high=told.high,
        says=f"{_difference(told)}, over {lasting(long)} on either side",
    )


def _difference(told: Difference) -> str:
    low, high = f"{told.low:+.3g}", f"{told.high:+.3g}"
    if not told.told:
        return f"no difference can be told: between {low} and {high}"
    return f"{'higher' if told.low > 0 else 'lower'} by between {low} and {high}"


async def charted(
    backend: Backend, session: Session, environment: str
) -> tuple[Mapping[str, Charted], Mapping[str, Charted]]:
    """The monitors of an environment's policy, and those of others that it has none of that name of."""
    every = await charted_everywhere(backend, session)
    own = every.get(environment, {})
    others = {
        name: one
        for place, some in every.items()
        if place != environment
        for name, one in some.items()
        if name not in own
    }
    return own, others


async def charted_everywhere(backend: Backend, session: Session) -> dict[str, dict[str, Charted]]:
    """The monitors of every environment's policy, by their names."""
    held = in_force_of_each(await policies.in_force_everywhere(session, backend.clock()))
    return {
        environment: {one.name: one for rule in policy.rules for one in rule.charted()}
        for environment, policy in held.items()
    }


async def stretch_of(
    backend: Backend,
    sources: Sources,
    one: Charted,
    environment: str,
    start: datetime,
    end: datetime,
    step: timedelta,
) -> Reading[tuple[Bucket, ...]]:
    """What a monitor showed in a stretch of time, from whichever source it is of."""
    meter = sources.meter(one.source)
    if meter is None:
        return Reading(source="the metrics source", read_at=backend.clock(), unknown="none is set up")
    if isinstance(meter.settings, ScrapeSettings):
        page = meter.of(ScrapeSettings)
        return await scraped_stretch(backend, page, one.query, environment, start, end, step)
    server = meter.of(MetricsSettings)
    return await backend.metrics.stretch(server, one.query, environment, start, end, step)


def _line(one: Charted, said: Reading[tuple[Bucket, ...]], *, limited: bool) -> Line:
    shown = said.value or ()
    return Line(
        name=one.name,
        at=[round(bucket.at.timestamp()) for bucket in shown],
        mean=[bucket.mean for bucket in shown],
        low=[bucket.low for bucket in shown],
        high=[bucket.high for bucket in shown],
        at_most=one.at_most if limited else None,
        at_least=one.at_least if limited else None,
        unknown=f"{said.source}: {said.unknown}" if said.unknown else None,
    )


def nothing(name: str, why: str) -> Line:
    """A monitor of which nothing is known."""
    return Line(name=name, at=[], mean=[], low=[], high=[], at_most=None, at_least=None, unknown=why)


def _limit(one: Charted) -> str | None:
    parts = [f"at least {one.at_least:g}"] if one.at_least is not None else []
    parts += [f"at most {one.at_most:g}"] if one.at_most is not None else []
    return " and ".join(parts) or None
