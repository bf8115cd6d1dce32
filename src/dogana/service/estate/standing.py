"""What of the matrix takes asking others: how environments fare, how many commits places are behind."""

import asyncio
from collections.abc import Sequence
from datetime import timedelta

from dogana.core.facts import Reading
from dogana.core.rules.base import Charted
from dogana.core.words import counted
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.estate.charts import charted_everywhere, stretch_of
from dogana.service.estate.layout import layout
from dogana.service.estate.matrix import read_runs
from dogana.service.shapes import View
from dogana.service.sources.registry import load
from dogana.sources.metrics import Bucket
from dogana.store import landscape

_WINDOW, _STEP = timedelta(minutes=5), timedelta(minutes=1)
_ASKED_AT_ONCE, _READ_AT_ONCE = 16, 8


class Fares(View):
    """How an environment fares now, by the monitors of its policy."""

    environment: str
    monitors: int
    beyond: list[str]
    """Which are beyond their limits, with what they show."""
    unknown: list[str]
    """Which are not known, and why."""
    says: str


class CommitsBehind(View):
    """How many commits a place is behind the leg before; of several side by side, the furthest ahead."""

    service: str
    environment: str
    commits: int | None
    unknown: str | None


async def fares(backend: Backend, actor: Actor) -> list[Fares]:
    """How every environment fares that has monitors; one of which nothing is known stops no other."""
    actor.must(Right.READ)
    now = backend.clock()
    async with backend.database.transaction() as session:
        plan, sources = await layout(session), await load(backend, session)
        held = await charted_everywhere(backend, session)
    monitors = {column.id: list(held.get(column.id, {}).values()) for column in plan.columns}
    few = asyncio.Semaphore(_ASKED_AT_ONCE)

    async def ask(environment: str, one: Charted) -> tuple[str, Charted, Reading[tuple[Bucket, ...]]]:
        async with few:
            said = await stretch_of(backend, sources, one, environment, now - _WINDOW, now, _STEP)
        return environment, one, said

    told = await asyncio.gather(*(ask(place, one) for place, some in monitors.items() for one in some))
    return [
        _fares(place, [(one, said) for where, one, said in told if where == place])
        for place, some in monitors.items()
        if some
    ]


async def commits_behind(backend: Backend, actor: Actor, services: Sequence[str]) -> list[CommitsBehind]:
    """How many commits some services are behind, wherever they are; their repositories are asked."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        plan = (await layout(session)).narrowed(services=services)
        runs = await read_runs(session, plan, backend.clock())
        before = {
            (service, environment): [other for other in earlier if (service, other) in runs]
            for legs, some in plan.by_route()
            for service in some
            for environment, earlier in legs.items()
            if (service, environment) in runs
        }
        revisions = await landscape.revisions(session, {run.release for run in runs.values()})
        sources = await load(backend, session)
    repositories = {one.id: sources.repository(one.repository, tuple(one.paths)) for one in plan.services}
    few = asyncio.Semaphore(_READ_AT_ONCE)

    async def ask(place: tuple[str, str], other: str) -> tuple[tuple[str, str], Reading[int]]:
        here, there = runs[place], runs[place[0], other]
        async with few:
            return place, await backend.repositories.ahead(
                repositories[place[0]], revisions[here.release], revisions[there.release]
            )

    asked = [(place, other) for place, others in before.items() for other in others]
    told = await asyncio.gather(*(ask(place, other) for place, other in asked))
    by_place: dict[tuple[str, str], list[Reading[int]]] = {}
    for place, said in told:
        by_place.setdefault(place, []).append(said)
    return [_behind(place, some) for place, some in by_place.items()]


def _behind(place: tuple[str, str], told: Sequence[Reading[int]]) -> CommitsBehind:
    unknown = next((one.unknown for one in told if one.unknown is not None), None)
    known = [one.value for one in told if one.value is not None]
    return CommitsBehind(
        service=place[0],
        environment=place[1],
        commits=max(known, default=None) if unknown is None else None,
        unknown=unknown,
    )


def _fares(environment: str, told: Sequence[tuple[Charted, Reading[tuple[Bucket, ...]]]]) -> Fares:
    beyond, unknown = [], []
    for one, said in told:
        if not said.value:
            unknown.append(f"{one.name}: {said.unknown or 'nothing was measured lately'}")
        elif (shown := _beyond(one, said.value[-1])) is not None:
            beyond.append(f"{one.name} is {shown:.3g}")
    many = counted(len(told), "monitor")
    if beyond:
        says = f"{len(beyond)} of {many} beyond"
    elif unknown:
        says = "not known" if len(unknown) == len(told) else f"{len(unknown)} of {many} not known"
    else:
        says = "within its limits"
    return Fares(environment=environment, monitors=len(told), beyond=beyond, unknown=unknown, says=says)


def _beyond(one: Charted, last: Bucket) -> float | None:
    """The value that breaks a limit; None where none does."""
    if one.at_most is not None and last.high > one.at_most:
        return last.high
    if one.at_least is not None and last.low < one.at_least:
        return last.low
    return None
