"""Judging some promotions that are over, in this process or in one that does nothing else.

It loads no more than it needs, for such a process begins with loading it.
"""

import asyncio
import os
from collections.abc import Sequence
from functools import cache

from dogana.core.document import field_of
from dogana.core.rehearsal import Replayed
from dogana.core.replay import Recorded, needs, replay
from dogana.store import documents
from dogana.store.database import Database
from dogana.store.ledger import Settled

_GIVES_WAY = 10


@cache
def begin(url: str) -> tuple[asyncio.Runner, Database]:
    """What a process that only judges keeps from one lot to the next; it gives way to whoever is asked."""
    os.nice(_GIVES_WAY)
    return asyncio.Runner(), Database(url, pool_size=1)


def judged_apart(url: str, draft: str, some: Sequence[Settled], explain: bool) -> list[Replayed]:
    """`judged` in such a process, with a connection of its own."""
    runner, database = begin(url)
    return runner.run(judged(database, draft, some, explain))


async def judged(database: Database, draft: str, some: Sequence[Settled], explain: bool) -> list[Replayed]:
    """Those of some that a draft, given as its text, would have decided otherwise."""
    recorded = await _fetched(database, draft, some)
    return await asyncio.to_thread(replay, draft, recorded, explain=explain)


async def _fetched(database: Database, draft: str, some: Sequence[Settled]) -> list[Recorded]:
    """What the draft has to be held against, with the documents that it looks at."""
    async with database.transaction() as session:
        under = await documents.texts(session, {one.policy for one in some})
        looked_at = [(one, needs(draft, under.get(one.policy), departed=one.departed)) for one in some]
        asked = [one for one, need in looked_at if need.people]
        facts = await documents.facts(session, {one.facts for one, need in looked_at if need.facts})
        decisions = await documents.texts(session, {one.decisions for one in asked})
        sheets = await documents.texts(session, {one.sheet for one in asked})
    return [
        Recorded(
            number=one.number,
            at=one.at,
            departed=one.departed,
            badly=one.badly,
            policy=under.get(one.policy),
            facts=facts[one.facts],
            decisions=decisions.get(one.decisions),
            shown=field_of(sheets[one.sheet], "shown") if one.sheet in sheets else None,
        )
        for one in some
        if one.facts in facts
    ]
