"""What people are told: messages, the mails that carry them, choices, and the links they decide by."""

from collections.abc import Collection, Iterable, Sequence
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import delete, select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.ext.asyncio import AsyncSession

from dogana.store.database import among
from dogana.store.tables.ledger import EntryRow
from dogana.store.tables.messages import AnswerLinkRow, ChoicesRow, MailRow, MessageRow, UntoldRow
from dogana.store.tables.promotions import DecisionRow, FindingChangeRow, PromotionRow


async def untold(session: AsyncSession, limit: int) -> list[EntryRow]:
    """Entries of which people have yet to be told, the earliest first, kept from other workers."""
    query = (
        select(EntryRow)
        .join(UntoldRow, UntoldRow.entry_id == EntryRow.id)
        .order_by(UntoldRow.entry_id)
        .limit(limit)
        .with_for_update(of=UntoldRow, skip_locked=True)
    )
    return list(await session.scalars(query))


async def told_of(session: AsyncSession, entries: Sequence[int]) -> None:
    """People have been told of these entries."""
    await session.execute(delete(UntoldRow).where(UntoldRow.entry_id.in_(entries)))


async def forget_untold(session: AsyncSession, before: datetime) -> None:
    """Tell nobody any more of what was written before an instant."""
    old = select(EntryRow.id).where(EntryRow.id == UntoldRow.entry_id, EntryRow.at < before)
    await session.execute(delete(UntoldRow).where(old.exists()))


async def next_to_tell(session: AsyncSession, at: datetime) -> int | None:
    """The promotion whose people have waited longest to be told something."""
    query = select(PromotionRow.number).where(PromotionRow.tell_at <= at)
    return await session.scalar(query.order_by(PromotionRow.tell_at).limit(1))


async def lock_to_tell(session: AsyncSession, number: int, at: datetime) -> PromotionRow | None:
    """A promotion whose people are to be told something, locked; None once another worker has told them."""
    query = select(PromotionRow).where(PromotionRow.number == number, PromotionRow.tell_at <= at)
    return await session.scalar(query.with_for_update(of=PromotionRow, key_share=True))


async def tell_later(session: AsyncSession, number: int, at: datetime) -> None:
    """Try again at an instant to tell the people of a promotion."""
    await session.execute(update(PromotionRow).where(PromotionRow.number == number).values(tell_at=at))


async def keep(session: AsyncSession, rows: Iterable[dict[str, Any] | None]) -> None:
    """Keep messages, but for those to nobody and those that somebody has been told already."""
    to_somebody = [row for row in rows if row is not None]
    if to_somebody:
        await session.execute(insert(MessageRow).on_conflict_do_nothing(), to_somebody)


async def standing(session: AsyncSession, promotion: int, kinds: Collection[str]) -> list[MessageRow]:
    """The messages about a promotion that still hold, the earliest first."""
    query = (
        select(MessageRow)
        .where(
            MessageRow.promotion == promotion,
            MessageRow.kind.in_(kinds),
            MessageRow.over_at.is_(None),
        )
        .order_by(MessageRow.id)
    )
    return list(await session.scalars(query))


async def end(session: AsyncSession, people: Sequence[str], key: str, at: datetime, over: str) -> None:
    """What some people were told under a key holds no longer; what was not mailed of it is not mailed."""
    told = among(MessageRow.person_id, people) & (MessageRow.key == key) & MessageRow.over_at.is_(None)
    await session.execute(update(MessageRow).where(told).values(over_at=at, over=over))


async def lapsed(session: AsyncSession, promotion: int) -> list[FindingChangeRow]:
    """The approvals of a promotion that count no longer though nobody took them back."""
    query = select(FindingChangeRow).where(
        FindingChangeRow.promotion == promotion, FindingChangeRow.person_id.is_not(None)
    )
    return list(await session.scalars(query.order_by(FindingChangeRow.id)))


async def approvers(session: AsyncSession, promotion: int) -> list[str]:
    """Whose approvals of a promotion stand."""
    query = select(DecisionRow.person_id).where(
        DecisionRow.promotion == promotion, DecisionRow.action == "approve", DecisionRow.standing
    )
    return list(await session.scalars(query))


_to_mail = MessageRow.due_at.is_not(None) & MessageRow.mail_id.is_(None) & MessageRow.over_at.is_(None)


async def next_to_mail(session: AsyncSession, before: datetime) -> str | None:
    """Who waits longest for something that was due by mail before an instant and is in none yet."""
    query = select(MessageRow.person_id).where(_to_mail, MessageRow.due_at <= before)
    return await session.scalar(query.order_by(MessageRow.due_at, MessageRow.id).limit(1))


async def to_mail(session: AsyncSession, person: str, at: datetime, limit: int) -> list[MessageRow]:
    """What is due to somebody by mail and in none yet, kept from other workers; the earliest first."""
    query = (
        select(MessageRow)
        .where(_to_mail, MessageRow.due_at <= at, MessageRow.person_id == person)
        .order_by(MessageRow.id)
        .limit(limit)
        .with_for_update(of=MessageRow, skip_locked=True)
    )
    return list(await session.scalars(query))


async def claim(session: AsyncSession, at: datetime, lease: timedelta, limit: int) -> list[MailRow]:
    """Mails that are due, kept from other workers for a while; each claim is an attempt."""
    query = (
        select(MailRow)
        .where(MailRow.next_attempt_at <= at, MailRow.sent_at.is_(None), MailRow.failed_at.is_(None))
        .order_by(MailRow.next_attempt_at, MailRow.id)
        .limit(limit)
        .with_for_update(of=MailRow, skip_locked=True)
    )
    rows = list(await session.scalars(query))
    for row in rows:
        row.next_attempt_at = at + lease
        row.attempts += 1
    return rows


async def mail(session: AsyncSession, number: int) -> MailRow | None:
    """One mail, locked."""
    return await session.scalar(select(MailRow).where(MailRow.id == number).with_for_update(of=MailRow))


async def of_mail(session: AsyncSession, number: int) -> list[MessageRow]:
    """What one mail carries, the earliest first."""
    query = select(MessageRow).where(MessageRow.mail_id == number).order_by(MessageRow.id)
    return list(await session.scalars(query))


async def told(session: AsyncSession, person: str, before: int | None, limit: int) -> list[MessageRow]:
    """What somebody was told, the latest first, from before a message on."""
    query = select(MessageRow).where(MessageRow.person_id == person)
    if before is not None:
        query = query.where(MessageRow.id < before)
    return list(await session.scalars(query.order_by(MessageRow.id.desc()).limit(limit)))


async def forget(session: AsyncSession, before: datetime) -> None:
    """Let go of what people were told long ago, of its mails, and of links that ended."""
    await session.execute(delete(MessageRow).where(MessageRow.at < before))
    carrying = select(MessageRow.id).where(MessageRow.mail_id == MailRow.id).exists()
    await session.execute(delete(MailRow).where(MailRow.made_at < before, ~carrying))
    await session.execute(delete(AnswerLinkRow).where(AnswerLinkRow.expires_at < before))


async def choices(session: AsyncSession, whose: Collection[str]) -> dict[str, dict[str, Any]]:
    """What some have chosen, of those who have."""
    query = select(ChoicesRow).where(among(ChoicesRow.whose, list(whose)))
    return {row.whose: row.document for row in await session.scalars(query)}


async def choose(session: AsyncSession, whose: str, document: dict[str, Any]) -> None:
    """Keep what somebody has chosen."""
    query = insert(ChoicesRow).values(whose=whose, document=document)
    await session.execute(
        query.on_conflict_do_update(index_elements=[ChoicesRow.whose], set_={"document": document})
    )


async def link(session: AsyncSession, digest: str, *, lock: bool = False) -> AnswerLinkRow | None:
    """One link to decide by."""
    query = select(AnswerLinkRow).where(AnswerLinkRow.digest == digest)
    return await session.scalar(query.with_for_update() if lock else query)
