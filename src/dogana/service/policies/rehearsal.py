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

from dogana.core.policy.document import Policy
from dogana.core.record.canonical import canonical
from dogana.core.rehearsal import Rehearsal, Replayed, rehearsal
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.policies.board import in_full
from dogana.service.policies.drafts import checked, read
from dogana.service.policies.judging import begin, judged, judged_apart
from dogana.service.shapes import View
from dogana.store import ledger, promotions
from dogana.store.database import Database
from dogana.store.ledger import Settled
from dogana.store.tables.promotions import State

_AT_ONCE = 250

_AHEAD = 3
"""How many such lots wait for the processes that judge."""

_FEW = 5000
"""Up to as many, other processes would take longer to start than to help."""

_EXPLAINED = 200
"""How many of those decided otherwise are named."""


class Progress(View):
    """How far a rehearsal is; with its outcome once it is through."""

    done: int
    of: int
    outcome: Rehearsal | None = None
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
        yield Progress(done=0, of=len(found))
        for start in range(0, len(found), _AT_ONCE):
            some = found[start : start + _AT_ONCE]
            asked.append((len(some), judge(text, some, len(turned) < _EXPLAINED)))
            if len(asked) > ahead:
                size, outcomes = asked.popleft()
                turned += await outcomes
                done += size
                yield Progress(done=done, of=len(found))
        for _, outcomes in asked:
            turned += await outcomes
    pasts = ((one.departed, one.state == State.ROLLED_BACK) for one in found)
    outcome = rehearsal(pasts, turned, _EXPLAINED)
    async with backend.database.transaction() as session:
        names = await promotions.names(session, [one.number for one in outcome.turned])
    yield Progress(done=len(found), of=len(found), outcome=outcome, names=names)


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
