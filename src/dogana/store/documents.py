"""Documents by their digests: those decisions rest on, and the parts of the facts of what waits."""

from collections.abc import AsyncIterator, Collection, Mapping, Sequence
from contextlib import suppress
from datetime import datetime, timedelta
from functools import cache

from sqlalchemy import (
    ARRAY,
    LargeBinary,
    Select,
    Text,
    bindparam,
    delete,
    func,
    select,
    type_coerce,
)
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.ext.asyncio import AsyncSession

from dogana.core import parts
from dogana.store.database import among, written
from dogana.store.packing import Packed, unpacked
from dogana.store.tables.documents import DocumentRow, FactsPartRow
from dogana.store.tables.promotions import PromotionRow, is_pending

_PAGE = 500
_LATELY = timedelta(minutes=30)
"""Less than what nothing has any more is kept for."""
_AS_IT_LIES = type_coerce(DocumentRow.body, LargeBinary)


async def keep(session: AsyncSession, documents: Sequence[tuple[str, str, str]]) -> None:
    """Store documents for good, each of a digest, a kind and a body, once."""
    kept: set[str] = session.info.setdefault("kept documents", set())
    # In one order, so that two who store the same do not wait for each other.
    new = sorted({one[0]: one for one in documents if one[0] not in kept}.values())
    if new:
        digests, kinds, bodies = map(list, zip(*new, strict=True))
        await session.execute(_keep(), {"digests": digests, "kinds": kinds, "bodies": bodies})
        kept.update(digests)


@cache
def _keep() -> Select[int]:
    """Put together once, for however many."""
    columns = {
        "digest": bindparam("digests", type_=ARRAY(Text)),
        "kind": bindparam("kinds", type_=ARRAY(Text)),
        "body": bindparam("bodies", type_=ARRAY(Packed)),
    }
    rows = func.unnest(*columns.values()).table_valued(*columns).render_derived()
    new = insert(DocumentRow).from_select(list(columns), select(*rows.c)).on_conflict_do_nothing()
    return written(new.cte("new"))


async def keep_parts(session: AsyncSession, bodies: Mapping[str, str], at: datetime) -> None:
    """Store parts of facts for as long as something that waits has them."""
    # Many wait with the same ones: what is there is not locked, or each would wait for all the others.
    lately = FactsPartRow.used_at > at - _LATELY
    there = select(FactsPartRow.digest).where(among(FactsPartRow.digest, bodies), lately)
    missing = set(bodies).difference(await session.scalars(there) if bodies else ())
    if not missing:
        return
    rows = [{"digest": one, "body": bodies[one], "used_at": at} for one in sorted(missing)]
    query = insert(FactsPartRow).values(rows)
    # Also what is there: it is not to be forgotten at this very moment.
    used = {"used_at": query.excluded.used_at}
    await session.execute(query.on_conflict_do_update(index_elements=["digest"], set_=used))


async def forget_parts(session: AsyncSession, before: datetime) -> int:
    """Let go of parts that nothing that waits has, and that came into use before an instant; how many."""
    in_use = select(func.unnest(PromotionRow.facts_parts)).where(is_pending)
    query = delete(FactsPartRow).where(FactsPartRow.used_at < before, FactsPartRow.digest.not_in(in_use))
    return len((await session.scalars(query.returning(FactsPartRow.digest))).all())


async def texts(session: AsyncSession, digests: Collection[str]) -> dict[str, str]:
    """The canonical texts of documents by their digests; of facts in parts, that is their index.

    One that was changed so that it cannot be unpacked any more is not there.
    """
    if not digests:
        return {}
    rows = await session.execute(
        select(DocumentRow.digest, _AS_IT_LIES).where(among(DocumentRow.digest, digests))
    )
    found = {digest: _text(body) for digest, body in rows}
    return {digest: text for digest, text in found.items() if text is not None}


async def facts(session: AsyncSession, digests: Collection[str]) -> dict[str, str]:
    """Facts by their digests, put together from their parts; what is not whole is not there."""
    indexes = await texts(session, digests)
    bodies = await texts(session, frozenset().union(*map(parts.named, indexes.values())))
    found = {}
    for digest, index in indexes.items():
        with suppress(parts.MissingPartError):
            found[digest] = parts.whole(index, bodies)
    return found


async def every(session: AsyncSession) -> AsyncIterator[tuple[str, str | None]]:
    """The digest and the canonical text of everything that is stored for good, read page by page.

    None for what cannot be unpacked.
    """
    after = ""
    while True:
        query = select(DocumentRow.digest, _AS_IT_LIES).where(DocumentRow.digest > after)
        rows = (await session.execute(query.order_by(DocumentRow.digest).limit(_PAGE))).all()
        for digest, body in rows:
            yield digest, _text(body)
        if len(rows) < _PAGE:
            return
        after = rows[-1].digest


def _text(body: bytes) -> str | None:
    try:
        return unpacked(body)
    except ValueError:
        return None
