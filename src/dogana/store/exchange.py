"""Events from other systems and to them."""

from collections.abc import Collection, Sequence
from datetime import datetime, timedelta
from functools import cache

from sqlalchemy import (
    ARRAY,
    BigInteger,
    Select,
    Text,
    any_,
    bindparam,
    case,
    cast,
    delete,
    func,
    literal,
    or_,
    select,
    tuple_,
    update,
)
from sqlalchemy import insert as plain_insert
from sqlalchemy.dialects.postgresql import JSONB, insert
from sqlalchemy.ext.asyncio import AsyncSession

from dogana.core.record.actions import Action
from dogana.store.database import written
from dogana.store.tables.exchange import (
    AnswerRow,
    ArrivalRow,
    DeliveryRow,
    SenderRow,
    SubscriberRow,
)
from dogana.store.tables.ledger import EntryRow
from dogana.store.tables.messages import UntoldRow


async def sender(session: AsyncSession, name: str) -> SenderRow | None:
    """Who sends events under a name."""
    return await session.get(SenderRow, name)


async def senders(session: AsyncSession) -> list[SenderRow]:
    """Everybody who sends events."""
    return list(await session.scalars(select(SenderRow).order_by(SenderRow.id)))


async def keep_arrival(session: AsyncSession, row: ArrivalRow) -> bool:
    """Keep an event, unless it came before; whether it is new."""
    values = {column.name: getattr(row, column.name) for column in ArrivalRow.__table__.columns}
    query = insert(ArrivalRow).values(values).on_conflict_do_nothing().returning(ArrivalRow.event_id)
    return await session.scalar(query) is not None


async def arrival(session: AsyncSession, key: tuple[str, str, str]) -> ArrivalRow | None:
    """One event that came, by its sender, source and id."""
    return await session.get(ArrivalRow, key)


async def arrivals(session: AsyncSession, limit: int) -> list[ArrivalRow]:
    """The events that came, the latest first."""
    return list(await session.scalars(select(ArrivalRow).order_by(ArrivalRow.arrived_at.desc()).limit(limit)))


async def waiting(session: AsyncSession, after: ArrivalRow | None) -> list[ArrivalRow]:
    """The next events that came before what they are about, the earliest first; those after one."""
    order = (ArrivalRow.arrived_at, ArrivalRow.sender_id, ArrivalRow.source, ArrivalRow.event_id)
    query = select(ArrivalRow).where(ArrivalRow.state == "waiting").order_by(*order)
    if after is not None:
        beyond = (after.arrived_at, after.sender_id, after.source, after.event_id)
        query = query.where(tuple_(*order) > tuple_(*map(literal, beyond)))
    return list(await session.scalars(query.limit(200)))


async def subscriber(session: AsyncSession, name: str) -> SubscriberRow | None:
    """Who is told of what happens, under a name."""
    return await session.get(SubscriberRow, name)


async def subscribers(session: AsyncSession) -> list[SubscriberRow]:
    """Everybody who is told of what happens."""
    return list(await session.scalars(select(SubscriberRow).order_by(SubscriberRow.id)))


async def enqueue(session: AsyncSession, entries: Sequence[int], to_people: Collection[str]) -> None:
    """Have entries told to every subscriber that wants their kind, and those of some kinds to people.

    What an outside check is asked goes to the subscriber of its name, whatever else that wants.
    """
    await session.execute(_enqueue(), {"entries": list(entries), "to_people": list(to_people)})


@cache
def _enqueue() -> Select[int]:
    """Put together once: that takes longer than the database does to carry it out."""
    is_asked = EntryRow.id == any_(bindparam("entries", type_=ARRAY(BigInteger)))
    is_for_people = EntryRow.action == any_(bindparam("to_people", type_=ARRAY(Text)))
    check = case(
        (EntryRow.action == Action.ASK_CHECK, cast(EntryRow.body, JSONB)["details"]["check"].astext),
    )
    wants = or_(
        func.cardinality(SubscriberRow.actions) == 0,
        EntryRow.action == any_(SubscriberRow.actions),
        SubscriberRow.id == check,
    )
    wanted = select(EntryRow.id, SubscriberRow.id, literal(0), EntryRow.at).where(is_asked, wants)
    columns = ["entry_id", "subscriber_id", "attempts", "next_attempt_at"]
    deliveries = plain_insert(DeliveryRow).from_select(columns, wanted).cte("deliveries")
    spoken = select(EntryRow.id).where(is_asked, is_for_people)
    untold = plain_insert(UntoldRow).from_select(["entry_id"], spoken).cte("untold")
    return written(deliveries, untold)


async def claim(session: AsyncSession, at: datetime, lease: timedelta, limit: int) -> list[DeliveryRow]:
    """Deliveries that are due, kept from other workers for a while."""
    query = (
        select(DeliveryRow)
        .where(
            DeliveryRow.next_attempt_at <= at,
            DeliveryRow.delivered_at.is_(None),
            DeliveryRow.dead_at.is_(None),
        )
        .order_by(DeliveryRow.next_attempt_at, DeliveryRow.id)
        .limit(limit)
        .with_for_update(of=DeliveryRow, skip_locked=True, key_share=True)
    )
    rows = list(await session.scalars(query))
    for row in rows:
        row.next_attempt_at = at + lease
    return rows


async def delivery(session: AsyncSession, number: int) -> DeliveryRow | None:
    """One delivery, locked."""
    query = (
        select(DeliveryRow).where(DeliveryRow.id == number).with_for_update(of=DeliveryRow, key_share=True)
    )
    return await session.scalar(query)


async def deliveries(session: AsyncSession, *, dead: bool, limit: int) -> list[DeliveryRow]:
    """Deliveries that were given up, or those still to be made, the latest first."""
    query = select(DeliveryRow).where(
        DeliveryRow.dead_at.is_not(None) if dead else DeliveryRow.dead_at.is_(None),
        DeliveryRow.delivered_at.is_(None),
    )
    return list(await session.scalars(query.order_by(DeliveryRow.id.desc()).limit(limit)))


async def forget_delivered(session: AsyncSession, before: datetime) -> None:
    """Let go of what was delivered long ago."""
    await session.execute(delete(DeliveryRow).where(DeliveryRow.delivered_at < before))


async def begin_answer(session: AsyncSession, row: AnswerRow) -> AnswerRow | None:
    """Begin to answer a request under its key; the row that is there where somebody has begun."""
    values = {column.name: getattr(row, column.name) for column in AnswerRow.__table__.columns}
    values.pop("status")
    values.pop("body")
    query = insert(AnswerRow).values(values).on_conflict_do_nothing().returning(AnswerRow.key)
    if await session.scalar(query) is not None:
        return None
    return await session.get(AnswerRow, (row.actor_id, row.key))


async def end_answer(session: AsyncSession, actor: str, key: str, status: int, body: str) -> None:
    """Keep an answer."""
    query = update(AnswerRow).where(AnswerRow.actor_id == actor, AnswerRow.key == key)
    await session.execute(query.values(status=status, body=body))


async def drop_answer(session: AsyncSession, actor: str, key: str) -> None:
    """Let a request be made again under its key."""
    await session.execute(delete(AnswerRow).where(AnswerRow.actor_id == actor, AnswerRow.key == key))


async def forget_answers(session: AsyncSession, before: datetime) -> None:
    """Let go of answers that were given long ago."""
    await session.execute(delete(AnswerRow).where(AnswerRow.at < before))
