"""Rehearsing a draft over what is on record, bit by bit, so that one can watch and stop it."""

import asyncio
import os
from collections import deque
from collections.abc import AsyncIterator, Iterator, Sequence
from concurrent.futures import Executor, ProcessPoolExecutor, ThreadPoolExecutor
from contextlib import contextmanager
from datetime import timedelta
from multiprocessing import get_context
from typing import Any

from dogana.core.policy.document import Policy
from dogana.core.record.canonical import canonical
from dogana.core.rehearsal import Rehearsal, Replayed, rehearsal
from dogana.core.replay import Recorded, needs, replay
from dogana.service.access import Actor, Right
from dogana.service.backend import Backend
from dogana.service.board import in_full
from dogana.service.policies import checked
from dogana.service.views import View
from dogana.store import ledger, promotions
from dogana.store.ledger import Settled
from dogana.store.tables import State

_AT_ONCE = 250
_AHEAD = 3
"""How many such lots are read and waiting to be judged."""
_FEW = 1000
"""Up to as many, other processes would take longer to start than to help."""
_GIVES_WAY = 10
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
        InvalidPolicyError: with the place and reason of every fault, before anything is given.
        UnknownNameError: for an unknown environment.
    """
    actor.must(Right.READ)
    now = backend.clock()
    async with backend.database.transaction() as session:
        _, policy = await checked(session, environment, document, now)
        policy = await in_full(session, policy, now)
        found = await ledger.settled(session, environment, now - timedelta(days=days))
    return _through(backend, policy, found)


async def _through(backend: Backend, policy: Policy, found: Sequence[Settled]) -> AsyncIterator[Progress]:
    text, turned, done = canonical(policy).decode(), list[Replayed](), 0
    yield Progress(done=0, of=len(found))
    async with backend.database.transaction() as session:
        under = await promotions.documents(session, {one.policy for one in found})
    judged: deque[tuple[int, asyncio.Future[list[Replayed]]]] = deque()
    with _executor(len(found)) as executor:
        for start in range(0, len(found), _AT_ONCE):
            some = found[start : start + _AT_ONCE]
            recorded = await _fetched(backend, text, under, some)
            future = executor.submit(replay, text, recorded, explain=len(turned) < _EXPLAINED)
            judged.append((len(some), asyncio.wrap_future(future)))
            if len(judged) > _AHEAD:
                size, outcomes = judged.popleft()
                turned += await outcomes
                done += size
                yield Progress(done=done, of=len(found))
        for _, outcomes in judged:
            turned += await outcomes
    pasts = ((one.departed, one.state == State.ROLLED_BACK) for one in found)
    outcome = rehearsal(pasts, turned, _EXPLAINED)
    async with backend.database.transaction() as session:
        names = await promotions.names(session, [one.number for one in outcome.turned])
    yield Progress(done=len(found), of=len(found), outcome=outcome, names=names)


@contextmanager
def _executor(count: int) -> Iterator[Executor]:
    """A thread for few; for many a process on every core, which gives way to whoever is asked something."""
    executor: Executor
    if count <= _FEW:
        executor = ThreadPoolExecutor(1)
    else:
        spawned = get_context("spawn")
        executor = ProcessPoolExecutor(mp_context=spawned, initializer=os.nice, initargs=(_GIVES_WAY,))
    try:
        yield executor
    finally:
        executor.shutdown(wait=False, cancel_futures=True)


async def _fetched(
    backend: Backend, draft: str, under: dict[str, str], some: Sequence[Settled]
) -> list[Recorded]:
    """What the draft has to be held against, with the documents that it looks at."""
    looked_at = [(one, needs(draft, under.get(one.policy), departed=one.departed)) for one in some]
    asked = [one for one, need in looked_at if need.people]
    async with backend.database.transaction() as session:
        facts = await promotions.documents(session, {one.facts for one, need in looked_at if need.facts})
        decisions = await promotions.documents(session, {one.decisions for one in asked})
        shown = await promotions.documents(session, {one.sheet for one in asked}, part="shown")
    return [
        Recorded(
            number=one.number,
            at=one.at,
            departed=one.departed,
            badly=one.state == State.ROLLED_BACK,
            policy=under.get(one.policy),
            facts=facts[one.facts],
            decisions=decisions.get(one.decisions),
            shown=shown.get(one.sheet),
        )
        for one in some
        if one.facts in facts
    ]
