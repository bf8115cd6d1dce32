"""The ledger: entries as written, their leaves in the log, the checkpoints."""

import json
import re
from collections.abc import AsyncIterator, Collection, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import NamedTuple

from sqlalchemy import (
    ARRAY,
    TEXT,
    Column,
    ColumnElement,
    cast,
    delete,
    func,
    literal,
    literal_column,
    select,
    text,
    true,
)
from sqlalchemy.dialects.postgresql import JSONB, distinct_on
from sqlalchemy.ext.asyncio import AsyncSession
from sqlalchemy.orm import aliased

from dogana.core.record.actions import Action
from dogana.store.database import among, in_lots
from dogana.store.outcomes import went_badly
from dogana.store.tables.ledger import CheckpointRow, EntryRow, LeafRow, UnsequencedRow
from dogana.store.tables.promotions import PENDING, PromotionRow

_SEQUENCER = 0x0D06A7A
_WORD = re.compile(r"[\w.@/+-]+")
_A_DIGEST = re.compile(r"(?:sha256:)?([0-9a-f]{16,})")
_TELLS_APART = 16
"""Digits of a digest by which entries are found (migration 0036)."""

_SHORT = 3
"""Letters. What begins with `of` or `the` is most of all there is, and gathered before it is narrowed."""

_PAGE = 2000
_OF_DEPLOYERS = tuple(
    one.value
    for one in (
        Action.DEPART,
        Action.ISSUE_CLEARANCE,
        Action.READ_VALUES,
        Action.REFUSE_SHARE,
        Action.REPORT_SHARE,
        Action.USE_CLEARANCE,
    )
)
"""By what a deployer is heard of while something moves."""


@dataclass(frozen=True, kw_only=True)
class EntryFilter:
    """What a reader of the ledger looks for; None asks for all."""

    before: int | None = None
    promotion: int | None = None
    actor: str | None = None
    environment: str | None = None
    service: str | None = None
    action: str | None = None
    words: str | None = None


async def sequencer_lock(session: AsyncSession) -> bool:
    """Become the only sequencer until the transaction ends; False if another one is at work."""
    return bool(await session.scalar(text("SELECT pg_try_advisory_xact_lock(:key)"), {"key": _SEQUENCER}))


async def hold_the_instant(session: AsyncSession) -> None:
    """Have a transaction that just began read everything as it is now."""
    await session.execute(text("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ"))
    # The instant is that of the first statement that reads.
    await session.execute(select(1))


async def unsequenced(session: AsyncSession, limit: int) -> list[EntryRow]:
    """Committed entries that have no index yet, in the order they were begun."""
    query = select(EntryRow).join(UnsequencedRow, UnsequencedRow.entry_id == EntryRow.id)
    return list(await session.scalars(query.order_by(UnsequencedRow.entry_id).limit(limit)))


async def sequenced(session: AsyncSession, entries: Sequence[int]) -> None:
    """They wait no longer for their indexes."""
    await session.execute(delete(UnsequencedRow).where(UnsequencedRow.entry_id.in_(entries)))


async def last_checkpoint(session: AsyncSession) -> CheckpointRow | None:
    """The checkpoint over the most entries."""
    return await session.scalar(select(CheckpointRow).order_by(CheckpointRow.size.desc()).limit(1))


async def last_of(session: AsyncSession, action: Action) -> EntryRow | None:
    """The last entry of a kind."""
    query = select(EntryRow).where(EntryRow.action == action.value).order_by(EntryRow.id.desc()).limit(1)
    return await session.scalar(query)


async def last_notes(session: AsyncSession, beyond: int) -> list[str]:
    """The signed checkpoints over more entries than so many, by size; of a whole ledger there are none."""
    query = select(CheckpointRow.note).where(CheckpointRow.size > beyond).order_by(CheckpointRow.size)
    return list(await session.scalars(query.limit(_PAGE)))


class Sequenced(NamedTuple):
    """An entry that has its index."""

    leaf_index: int
    body: str
    leaf: bytes
    """The leaf hash recorded with it."""
    note: str | None
    """The signed checkpoint whose last entry it is; None for most."""


async def leaves(session: AsyncSession) -> AsyncIterator[list[Sequenced]]:
    """Every entry in order, with the checkpoints, a lot of them at a time."""
    query = (
        select(LeafRow.leaf_index, EntryRow.body, LeafRow.leaf_hash, CheckpointRow.note)
        .join(EntryRow, EntryRow.id == LeafRow.entry_id)
        .outerjoin(CheckpointRow, CheckpointRow.size == LeafRow.leaf_index + 1)
        .order_by(LeafRow.leaf_index)
    )
    async for rows in in_lots(session, query):
        yield [Sequenced._make(row) for row in rows]


async def unsequenced_count(session: AsyncSession) -> int:
    """How many committed entries wait for their index."""
    return await session.scalar(select(func.count()).select_from(UnsequencedRow)) or 0


async def page(session: AsyncSession, wanted: EntryFilter, limit: int) -> list[tuple[EntryRow, int | None]]:
    """Entries that fit, the latest first, each with its index once it has one."""
    query = select(EntryRow, LeafRow.leaf_index).outerjoin(LeafRow, LeafRow.entry_id == EntryRow.id)
    for column, value in (
        (EntryRow.promotion, wanted.promotion),
        (EntryRow.actor_id, wanted.actor),
        (EntryRow.environment_id, wanted.environment),
        (EntryRow.service_id, wanted.service),
        (EntryRow.action, wanted.action),
    ):
        if value is not None:
            query = query.where(column == value)
    if wanted.before is not None:
        query = query.where(EntryRow.id < wanted.before)
    if wanted.words:
        query = query.where(*_says(wanted.words))
    rows = await session.execute(query.order_by(EntryRow.id.desc()).limit(limit))
    return [(row[0], row[1]) for row in rows]


def _says(said: str) -> list[ColumnElement[bool]]:
    """Whether an entry has words that begin like some, and names the digests among them by how they begin.

    Short words before the last, which may be half typed, count whole.
    """
    digests = _A_DIGEST.findall(said.lower())
    found = [EntryRow.body.contains(one) for one in digests]
    if digests:
        begins = literal([one[:_TELLS_APART] for one in digests], ARRAY(TEXT))
        found.append(func.ledger_digests(EntryRow.body).op("@>")(begins))
    # Quoted, so that nothing in them is taken for an operator; other signs only stand between words.
    words = _WORD.findall(_A_DIGEST.sub(" ", said.lower()))
    if words or not digests:
        asked = " & ".join(
            f"'{word}'" if n < len(words) and len(word) <= _SHORT else f"'{word}':*"
            for n, word in enumerate(words, start=1)
        )
        words_of = func.ledger_words(EntryRow.body)
        found.append(words_of.op("@@")(func.to_tsquery(literal_column("'simple'"), asked)))
    return found


class Settled(NamedTuple):
    """The last inspection of a promotion that is over, and what became of it; there may be thousands."""

    number: int
    badly: bool
    departed: bool
    policy: str
    facts: str
    decisions: str
    sheet: str
    at: datetime


async def concerned(session: AsyncSession, environment: str, since: datetime) -> int:
    """How many promotions into an environment something was decided about since an instant."""
    query = select(func.count(EntryRow.promotion.distinct())).where(
        EntryRow.environment_id == environment, EntryRow.at >= since
    )
    return await session.scalar(query) or 0


async def settled(session: AsyncSession, environment: str, since: datetime) -> list[Settled]:
    """What departed for an environment, or ended without, since an instant; the latest first.

    Policy, facts, decisions and sheet are those it was let go on, by their digests; of what never departed,
    those of its last inspection on record.
    """
    on = (
        func.jsonb_to_record(cast(EntryRow.body, JSONB)["on"])
        .table_valued(*(Column(part, TEXT) for part in ("policy", "facts", "decisions", "sheet")))
        .render_derived(with_types=True)
    )
    departed = (EntryRow.action == Action.DEPART.value).desc()
    query = (
        select(
            PromotionRow.number,
            went_badly(),
            PromotionRow.departed_at.is_not(None).label("departed"),
            on,
            EntryRow.at,
        )
        .join(PromotionRow, PromotionRow.number == EntryRow.promotion)
        .join(on, true())
        .where(
            EntryRow.environment_id == environment,
            EntryRow.at >= since,
            on.c.facts.is_not(None),
            PromotionRow.state.not_in(PENDING),
        )
        .ext(distinct_on(PromotionRow.number))
        .order_by(PromotionRow.number.desc(), departed, EntryRow.id.desc())
    )
    return [Settled._make(row) for row in await session.execute(query)]


async def course(session: AsyncSession, promotion: int, most: int) -> list[tuple[EntryRow, int | None]]:
    """The last entries about one promotion, the first of them first."""
    rows = await page(session, EntryFilter(promotion=promotion), most)
    return rows[::-1]


async def unanswered(session: AsyncSession, person: str, numbers: Collection[int]) -> list[EntryRow]:
    """Comments on some promotions that name a person who has done nothing there since, the latest first."""
    own = aliased(EntryRow)
    answered = (
        select(func.coalesce(func.max(own.id), 0))
        .where(own.promotion == EntryRow.promotion, own.actor_id == person)
        .scalar_subquery()
    )
    query = select(EntryRow).where(
        among(EntryRow.promotion, numbers),
        EntryRow.action == Action.COMMENT.value,
        cast(EntryRow.body, JSONB)["details"]["mentions"].has_key(person),
        EntryRow.id > answered,
    )
    return list(await session.scalars(query.order_by(EntryRow.id.desc())))


class LastWord(NamedTuple):
    """The last that was heard of the deployer of a promotion."""

    at: datetime
    actor: str
    says: str


async def last_words(session: AsyncSession, numbers: Collection[int]) -> dict[int, LastWord]:
    """The last entry of each of some promotions by which its deployer was heard of."""
    query = (
        select(EntryRow)
        .where(among(EntryRow.promotion, numbers), EntryRow.action.in_(_OF_DEPLOYERS))
        .ext(distinct_on(EntryRow.promotion))
        .order_by(EntryRow.promotion, EntryRow.id.desc())
    )
    return {
        row.promotion: LastWord(row.at, row.actor_id, json.loads(row.body)["says"])
        for row in await session.scalars(query)
        if row.promotion is not None
    }


async def size(session: AsyncSession) -> int:
    """How many entries were written; those under a checkpoint are not counted again."""
    sequenced = select(func.coalesce(func.max(CheckpointRow.size), 0)).scalar_subquery()
    return int(await session.scalar(select(sequenced)) or 0) + await unsequenced_count(session)
