"""Who confirms what has landed."""

from collections.abc import Collection
from datetime import datetime, timedelta
from typing import NamedTuple

from sqlalchemy import select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.ext.asyncio import AsyncSession

from dogana.store.database import KEPT
from dogana.store.tables.promotions import PromotionRow, has_landed
from dogana.store.tables.sign_offs import SignOffRow

_open = SignOffRow.said_at.is_(None) & SignOffRow.lapsed_at.is_(None)


async def ask(session: AsyncSession, promotion: int, group: str, within: timedelta) -> None:
    """Have a group asked once a promotion has landed."""
    row = insert(SignOffRow).values(promotion=promotion, group_id=group, within=within, comment="")
    await session.execute(row.on_conflict_do_nothing())


async def landed(session: AsyncSession, row: PromotionRow, at: datetime) -> None:
    """From now on they are asked, if anybody is, and about what it took the place of no more."""
    # From what is open, which is little, to what landed there, which is much.
    other = select(PromotionRow.number).where(
        PromotionRow.number == SignOffRow.promotion,
        PromotionRow.service_id == row.service_id,
        PromotionRow.environment_id == row.environment_id,
        PromotionRow.number != row.number,
        has_landed,
    )
    before = update(SignOffRow).where(_open, other.exists())
    await session.execute(before.values(lapsed_at=at, remind_at=None))
    query = update(SignOffRow).where(SignOffRow.promotion == row.number)
    await session.execute(query.values(landed_at=at, remind_at=at + SignOffRow.within))


async def get(session: AsyncSession, promotion: int, *, lock: bool = False) -> SignOffRow | None:
    """What a group is asked about a promotion, or said."""
    return await session.get(SignOffRow, promotion, with_for_update=KEPT if lock else None)


async def of(session: AsyncSession, promotions: Collection[int]) -> dict[int, SignOffRow]:
    """What a group is asked about some promotions, by number."""
    query = select(SignOffRow).where(SignOffRow.promotion.in_(promotions))
    return {row.promotion: row for row in await session.scalars(query)}


class Asked(NamedTuple):
    """What a group is asked about."""

    sign_off: SignOffRow
    promotion: PromotionRow


_ASKED = (
    select(SignOffRow, PromotionRow)
    .join(PromotionRow, PromotionRow.number == SignOffRow.promotion)
    .where(_open, SignOffRow.landed_at.is_not(None))
    .order_by(SignOffRow.landed_at, SignOffRow.promotion)
)


async def unsaid(session: AsyncSession, limit: int) -> list[Asked]:
    """What has landed and is not confirmed yet, what landed first first."""
    return [Asked(*row) for row in await session.execute(_ASKED.limit(limit))]


async def to_remind(session: AsyncSession, at: datetime, limit: int) -> list[Asked]:
    """Of what nobody has said anything in time; locked."""
    query = _ASKED.where(SignOffRow.remind_at <= at).limit(limit)
    query = query.with_for_update(of=SignOffRow, skip_locked=True, key_share=True)
    return [Asked(*row) for row in await session.execute(query)]
