"""How long it takes to hold a draft against a long past, beside reading the same facts and nothing else."""

import asyncio
import json
import time
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from dogana.bench import cases, many
from dogana.bench.history import history
from dogana.bench.instance import ENVIRONMENT, Instance, instance
from dogana.core.inspect.engine import inspect
from dogana.core.policy.document import policy_from
from dogana.core.rehearsal import Rehearsal
from dogana.demo import capacity
from dogana.demo.cast import ACTORS
from dogana.demo.connections import make_sender
from dogana.service.backend import Backend
from dogana.service.ledger import sequencer
from dogana.service.policies import rehearsal
from dogana.service.promotions import intake
from dogana.store import documents
from dogana.store.ledger import settled
from dogana.wiring import backend_for, keep_what_is_loaded, read_key

TIMES = 2.5
"""How many times as long as reading alone it may take."""
_FOREVER = 3650
_CHUNK = 250


@dataclass(frozen=True, kw_only=True)
class Rehearsed:
    """What was measured."""

    promotions: int
    turned: int
    seconds: float
    reading_seconds: float
    ratio: float
    kept: bool

    def in_words(self) -> str:
        """The figures with their limit."""
        return (
            f"{self.promotions} promotions in {self.seconds} s, {self.turned} decided otherwise; "
            f"{self.ratio} times reading their facts (at most {TIMES:g})"
        )


def run(count: int) -> Rehearsed:
    """Measure both over some promotions."""
    with instance() as made:
        return asyncio.run(_measure(made, count))


async def _measure(made: Instance, count: int) -> Rehearsed:
    await made.prepare()
    policy, facts = policy_from(_plain()), cases.full_facts(commits=8, files=20)
    decisions = cases.decisions(policy, facts)
    sheet = inspect(policy, facts, decisions, cases.AT)
    async with backend_for(made.settings) as backend:
        await make_sender(backend, capacity.NAME, capacity.TITLE)
        asking = made.request("1.0.1", made.revision)
        like = (await intake.request(backend, ACTORS["pipeline"], asking)).number
        until = cases.AT.replace(hour=15, minute=30)
        key = read_key(made.folder / "signing.pem")
        while await sequencer.sequence(backend, key, "bench"):
            continue
        with history(made.urls.owner, key, "bench") as past:
            columns = many.columns_of(made.urls.owner, like)
            many.departed(past, columns, count, until, (policy, facts, decisions, sheet))
        keep_what_is_loaded()
        await _rehearse(backend, _plain(), days=1)
        reading = await _read(backend)
        began = time.perf_counter()
        outcome = await _rehearse(backend, _plain(until="16:00", status=["done", "verified"]))
        seconds = time.perf_counter() - began
    if outcome is None or outcome.of != count:
        raise RuntimeError("not all of the past was rehearsed")
    return Rehearsed(
        promotions=count,
        turned=sum(one.count for one in outcome.turns),
        seconds=round(seconds, 2),
        reading_seconds=round(reading, 2),
        ratio=round(seconds / reading, 2),
        kept=seconds <= TIMES * reading,
    )


def _plain(until: str = "17:00", status: Sequence[str] = ("done",)) -> dict[str, Any]:
    """A policy with one rule of each kind, whose reviewers are groups of the instance."""
    plain = cases.full_policy().plain()
    for rule in plain["rules"]:
        if rule["kind"] == "hours":
            rule["open"][0]["until"] = until
        elif rule["kind"] == "tickets":
            rule["status"] = list(status)
        elif rule["kind"] == "reviewers":
            rule["seats"] = [{"group": "release-desk"}, {"group": "security", "count": 2}]
    return plain


async def _rehearse(backend: Backend, document: dict[str, Any], days: int = _FOREVER) -> Rehearsal | None:
    steps = await rehearsal.rehearse(backend, ACTORS["marco"], ENVIRONMENT, document, days)
    outcome = None
    async for step in steps:
        outcome = step.outcome
    return outcome


async def _read(backend: Backend) -> float:
    """Seconds to read the facts of each and to parse them as JSON, one chunk after the other."""
    began = time.perf_counter()
    async with backend.database.transaction() as session:
        found = await settled(session, ENVIRONMENT, backend.clock() - timedelta(days=_FOREVER))
    for start in range(0, len(found), _CHUNK):
        async with backend.database.transaction() as session:
            texts = await documents.facts(session, {one.facts for one in found[start : start + _CHUNK]})
        for text in texts.values():
            json.loads(text)
    return time.perf_counter() - began
