"""Rehearsing a draft over what is on record, bit by bit, so that one can watch and stop it."""

import asyncio
import json
from collections.abc import AsyncIterator, Sequence
from datetime import timedelta
from typing import Any

from dogana.core.decisions import Decisions, Shown
from dogana.core.facts import Facts
from dogana.core.policy.document import Policy
from dogana.core.rehearsal import Past, Rehearsal, Replayed, rehearsal, replayed
from dogana.service.access import Actor, Right
from dogana.service.backend import Backend
from dogana.service.board import in_full
from dogana.service.policies import checked
from dogana.service.views import View
from dogana.store import ledger, promotions
from dogana.store.ledger import Settled
from dogana.store.tables import State

_AT_ONCE = 100


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
    pasts: list[Past] = []
    outcomes: list[Replayed] = []
    yield Progress(done=0, of=len(found))
    for start in range(0, len(found), _AT_ONCE):
        some = found[start : start + _AT_ONCE]
        async with backend.database.transaction() as session:
            wanted = {digest for one in some for digest in (one.facts, one.decisions, one.sheet)}
            bodies = await promotions.documents(session, wanted)
        read, made = await asyncio.to_thread(_replay, policy, some, bodies)
        pasts += read
        outcomes += made
        if start + _AT_ONCE < len(found):
            yield Progress(done=len(outcomes), of=len(found))
    outcome = rehearsal(pasts, outcomes)
    async with backend.database.transaction() as session:
        names = await promotions.names(session, [one.number for one in outcome.turned])
    yield Progress(done=len(found), of=len(found), outcome=outcome, names=names)


def _replay(
    policy: Policy, some: Sequence[Settled], bodies: dict[str, str]
) -> tuple[list[Past], list[Replayed]]:
    pasts = [
        Past(
            number=one.number,
            at=one.at,
            facts=Facts.model_validate_json(bodies[one.facts]),
            decisions=Decisions.model_validate_json(bodies[one.decisions]),
            shown=Shown.model_validate(json.loads(bodies[one.sheet])["shown"]),
            departed=one.departed,
            badly=one.state == State.ROLLED_BACK,
        )
        for one in some
    ]
    return pasts, [replayed(policy, past) for past in pasts]
