"""Rehearsing a draft over what is on record, bit by bit, so that one can watch and stop it."""

import asyncio
from collections import deque
from collections.abc import AsyncIterator, Awaitable, Callable, Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from contextlib import contextmanager
from datetime import datetime, timedelta
from functools import partial
from multiprocessing import get_context
from typing import Any

from dogana.core.health.readings import Look
from dogana.core.health.rehearsed import PastCourse, Rehearsed, Thresholds, rehearsed, summed_up
from dogana.core.health.watches import WATCHES, Watch
from dogana.core.policy.document import Policy
from dogana.core.record.canonical import canonical
from dogana.core.rehearsal import Rehearsal, Replayed, rehearsal
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.policies.board import in_full
from dogana.service.policies.drafts import checked, read
from dogana.service.policies.judging import begin, judged, judged_apart
from dogana.service.shapes import View
from dogana.store import courses, ledger, promotions
from dogana.store.database import Database
from dogana.store.ledger import Settled

_AT_ONCE = 250

_AHEAD = 3
"""How many such lots wait for the processes that judge."""

_FEW = 5000
"""Up to as many, other processes would take longer to start than to help."""

_MOST_COURSES, _MOST_LOOKS = 100, 2000

_EXPLAINED = 200
"""How many of those decided otherwise are named."""


class Progress(View):
    """How far a rehearsal is; with its outcome once it is through."""

    done: int
    of: int
    outcome: Rehearsal | None = None
    courses: Thresholds | None = None
    """What its watches would have made of what went in step by step; None where it has none."""
    names: dict[int, str] | None = None
    """What the promotions of the outcome are called."""


async def rehearse(
    backend: Backend, actor: Actor, environment: str, document: str | dict[str, Any], days: int
) -> AsyncIterator[Progress]:
    """Hold what was decided in the last days against a document; the last thing given has the outcome.

    Raises:
        InvalidPolicyError: with the pointer and reason of every fault, before anything is given.
        UnknownNameError: for an unknown environment.
    """
    actor.must(Right.READ)
    now, policy = backend.clock(), await read(backend, document)
    async with backend.database.transaction() as session:
        await checked(session, environment, policy, now)
        policy = await in_full(session, policy, now)
    return _through(backend, policy, environment, now - timedelta(days=days))


async def _through(
    backend: Backend, policy: Policy, environment: str, since: datetime
) -> AsyncIterator[Progress]:
    text, turned, done = canonical(policy).decode(), list[Replayed](), 0
    asked = deque[tuple[int, Awaitable[list[Replayed]]]]()
    async with backend.database.transaction() as session:
        at_most = await ledger.concerned(session, environment, since)
    with _judges(backend.database, at_most) as (judge, ahead):
        async with backend.database.transaction() as session:
            found = await ledger.settled(session, environment, since)
        watches = policy.watches()
        went_in = await _went_in(backend, environment, since) if watches else []
        of = len(found) + len(went_in)
        yield Progress(done=0, of=of)
        for start in range(0, len(found), _AT_ONCE):
            some = found[start : start + _AT_ONCE]
            asked.append((len(some), judge(text, some, len(turned) < _EXPLAINED)))
            if len(asked) > ahead:
                size, outcomes = asked.popleft()
                turned += await outcomes
                done += size
                yield Progress(done=done, of=of)
        for _, outcomes in asked:
            turned += await outcomes
    held = list[Rehearsed]()
    for n, one in enumerate(went_in, start=1):
        held.append(await _held_against(backend, watches, one))
        yield Progress(done=len(found) + n, of=of)
    pasts = ((one.departed, one.badly) for one in found)
    outcome = rehearsal(pasts, turned, _EXPLAINED)
    async with backend.database.transaction() as session:
        named = [one.number for one in outcome.turned] + [one.number for one in held]
        names = await promotions.names(session, named)
    thresholds = summed_up(held) if watches else None
    yield Progress(done=of, of=of, outcome=outcome, courses=thresholds, names=names)


async def _went_in(backend: Backend, environment: str, since: datetime) -> list[courses.Past]:
    async with backend.database.transaction() as session:
        return await courses.past(session, environment, since, _MOST_COURSES)


async def _held_against(backend: Backend, watches: tuple[Watch, ...], past: courses.Past) -> Rehearsed:
    """Hold the draft's watches against one course, beside the event loop."""
    number = past.course.promotion
    async with backend.database.transaction() as session:
        read = await courses.readings(session, number, _MOST_LOOKS)
    return await backend.pool.run(_judged_course, number, past.course.watches, read, past.badly, watches)


def _judged_course(
    number: int,
    watched_by: list[dict[str, Any]],
    read: list[dict[str, Any]],
    badly: bool,
    watches: tuple[Watch, ...],
) -> Rehearsed:
    looks = sorted((Look.model_validate(one) for some in read for one in some.values()), key=lambda o: o.at)
    past = PastCourse(
        number=number, watches=WATCHES.validate_python(watched_by), looks=tuple(looks), badly=badly
    )
    return rehearsed(watches, past)


_Judge = Callable[[str, Sequence[Settled], bool], Awaitable[list[Replayed]]]


@contextmanager
def _judges(database: Database, count: int) -> Iterator[tuple[_Judge, int]]:
    """What judges a lot, and for how many lots to ask ahead.

    Few are judged here, one lot after the other: a thread that judges keeps the next one from being read.
    Many are judged by a process on every core, which gives way to whoever is asked something.
    """
    if count <= _FEW:
        yield partial(judged, database), 0
        return
    spawned = get_context("spawn")
    executor = ProcessPoolExecutor(mp_context=spawned, initializer=begin, initargs=(database.url,))
    executor.submit(int)  # They start with the first that is asked, and take a while.
    try:
        yield lambda *lot: asyncio.wrap_future(executor.submit(judged_apart, database.url, *lot)), _AHEAD
    finally:
        executor.shutdown(wait=False, cancel_futures=True)
