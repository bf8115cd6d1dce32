"""Who had a hand in what has departed: who asked for it or wrote part of it leaves some words to others."""

import asyncio
from collections.abc import Collection
from functools import lru_cache

from dogana.service.promotions.grounds import as_far_as_asked
from dogana.store import Session, documents
from dogana.store.tables.promotions import PromotionRow


@lru_cache(maxsize=512)
def _authors(facts: str) -> frozenset[str] | None:
    return as_far_as_asked(facts).author_ids


async def parts_in(session: Session, person: str, rows: Collection[PromotionRow]) -> dict[int, bool | None]:
    """Whether somebody asked for or wrote part of each of some promotions that have departed, by number.

    None where it is not known who wrote it, which is not to be taken for a no.
    """
    found: dict[int, bool | None] = {row.number: True for row in rows}
    others = [row for row in rows if row.requester_id != person]
    if not others:
        return found
    texts = await documents.facts(session, {row.facts_digest or "" for row in others})
    # A document takes a few milliseconds to read, and there may be two hundred.
    wrote = await asyncio.to_thread(lambda: {digest: _authors(text) for digest, text in texts.items()})
    for row in others:
        authors = wrote.get(row.facts_digest or "")
        found[row.number] = None if authors is None else person in authors
    return found


async def part_in(session: Session, person: str, row: PromotionRow) -> bool | None:
    """The same for one."""
    return (await parts_in(session, person, [row]))[row.number]
