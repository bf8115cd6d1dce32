"""Chat: rooms, what stands in them, who is who there, and how far was read."""

from collections.abc import Sequence
from datetime import datetime, timedelta

from sqlalchemy import delete, literal, or_, select, tuple_, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.ext.asyncio import AsyncSession

from dogana.store.tables.chat import ChatCodeRow, ChatLinkRow, ChatPostRow, ChatReadRow, ChatRoomRow
from dogana.store.tables.promotions import PromotionRow, is_under_way


async def rooms(session: AsyncSession) -> list[ChatRoomRow]:
    """Every room, by id."""
    return list(await session.scalars(select(ChatRoomRow).order_by(ChatRoomRow.id)))


async def room(session: AsyncSession, name: str, *, lock: bool = False) -> ChatRoomRow | None:
    """One room."""
    return await session.get(ChatRoomRow, name, with_for_update=lock or None)


async def room_at(session: AsyncSession, address: str) -> ChatRoomRow | None:
    """The room that the homeserver calls so."""
    return await session.scalar(select(ChatRoomRow).where(ChatRoomRow.address == address))


async def to_post(
    session: AsyncSession,
    room: ChatRoomRow,
    since: datetime,
    ended_since: datetime,
    limit: int,
    after: PromotionRow | None = None,
) -> Sequence[PromotionRow]:
    """The promotions of a room that changed since an instant, in the order in which they did.

    Args:
        session: the transaction.
        room: the room.
        since: the instant.
        ended_since: what was over before is left out.
        limit: how many at most.
        after: the one that the last page ended with.
    """
    query = (
        select(PromotionRow)
        .where(
            or_(is_under_way, PromotionRow.closed_at >= ended_since),
            PromotionRow.changed_at >= since,
        )
        .order_by(PromotionRow.changed_at, PromotionRow.number)
        .limit(limit)
    )
    if after is not None:
        place = tuple_(PromotionRow.changed_at, PromotionRow.number)
        query = query.where(place > tuple_(literal(after.changed_at), literal(after.number)))
    if room.service_id is not None:
        query = query.where(PromotionRow.service_id == room.service_id)
    if room.environment_id is not None:
        query = query.where(PromotionRow.environment_id == room.environment_id)
    return list(await session.scalars(query))


async def posts(session: AsyncSession, room: str, numbers: Sequence[int]) -> dict[int, ChatPostRow]:
    """What stands in a room about some promotions."""
    query = select(ChatPostRow).where(ChatPostRow.room_id == room, ChatPostRow.promotion.in_(numbers))
    return {row.promotion: row for row in await session.scalars(query)}


async def post_of(session: AsyncSession, room: str, event: str) -> ChatPostRow | None:
    """What was written by an event of ours in a room."""
    query = select(ChatPostRow).where(ChatPostRow.room_id == room, ChatPostRow.event == event)
    return await session.scalar(query)


async def link(session: AsyncSession, sender: str) -> ChatLinkRow | None:
    """Who somebody in the chat is here."""
    return await session.get(ChatLinkRow, sender)


async def link_of(session: AsyncSession, person: str) -> ChatLinkRow | None:
    """Who somebody here is in the chat."""
    return await session.scalar(select(ChatLinkRow).where(ChatLinkRow.person_id == person))


async def unlink(session: AsyncSession, person: str) -> bool:
    """Let somebody be nobody in the chat any more; whether they were."""
    query = delete(ChatLinkRow).where(ChatLinkRow.person_id == person).returning(ChatLinkRow.sender)
    return await session.scalar(query) is not None


async def put_code(session: AsyncSession, row: ChatCodeRow) -> None:
    """Keep a code of somebody in the place of the one before."""
    values = {"person_id": row.person_id, "digest": row.digest, "expires_at": row.expires_at}
    query = insert(ChatCodeRow).values(values)
    await session.execute(query.on_conflict_do_update(index_elements=[ChatCodeRow.person_id], set_=values))


async def use_code(session: AsyncSession, digest: str, at: datetime) -> str | None:
    """Use a code up; gives whose it was, None where it is nobody's any more."""
    query = (
        delete(ChatCodeRow)
        .where(ChatCodeRow.digest == digest)
        .returning(ChatCodeRow.person_id, ChatCodeRow.expires_at)
    )
    found = (await session.execute(query)).one_or_none()
    return found.person_id if found is not None and found.expires_at > at else None


async def hold_reading(session: AsyncSession, at: datetime, lease: timedelta) -> ChatReadRow | None:
    """How far was read, held for a while; None while another process reads."""
    first = insert(ChatReadRow).values(id=1, held_until=at).on_conflict_do_nothing()
    await session.execute(first)
    query = (
        update(ChatReadRow)
        .where(ChatReadRow.id == 1, ChatReadRow.held_until <= at)
        .values(held_until=at + lease)
        .returning(ChatReadRow)
    )
    return await session.scalar(query)


async def have_read(session: AsyncSession, following: str | None, until: datetime) -> None:
    """Go on from there; another may read from then on."""
    query = update(ChatReadRow).where(ChatReadRow.id == 1)
    await session.execute(query.values(following=following, held_until=until))
