"""Courses, their orders, and what was seen of them."""

from collections.abc import Collection
from datetime import datetime
from typing import Any, NamedTuple

from sqlalchemy import func, select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.ext.asyncio import AsyncSession

from dogana.store.database import KEPT
from dogana.store.outcomes import went_badly
from dogana.store.tables.courses import CourseRow, LookRow, OrderRow
from dogana.store.tables.promotions import PromotionRow

_MOST_LOOKS = 5000


async def get(session: AsyncSession, promotion: int, *, lock: bool = False) -> CourseRow | None:
    """The course of a promotion."""
    return await session.get(
        CourseRow, promotion, with_for_update=KEPT if lock else None, populate_existing=True
    )


async def take_due(
    session: AsyncSession, at: datetime, put_off: datetime, but: Collection[int], limit: int
) -> list[int]:
    """Courses that are to be looked at, the longest due first; put off, so that nobody else looks."""
    due = select(CourseRow.promotion).where(
        CourseRow.ended_at.is_(None), CourseRow.look_at <= at, CourseRow.promotion.not_in(but)
    )
    due = due.order_by(CourseRow.look_at).limit(limit).with_for_update(skip_locked=True, key_share=True)
    claimed = update(CourseRow).where(CourseRow.promotion.in_(due.scalar_subquery()))
    return list(await session.scalars(claimed.values(look_at=put_off).returning(CourseRow.promotion)))


class Briefly(NamedTuple):
    """What lists show of a course."""

    promotion: int
    plan: dict[str, Any]
    step: int | None
    halted: str | None
    because: str | None


async def briefly(session: AsyncSession, promotions: Collection[int]) -> list[Briefly]:
    """Some courses that are not over, as lists show them."""
    query = select(
        CourseRow.promotion,
        CourseRow.plan,
        CourseRow.state["step"].as_integer(),
        CourseRow.state["halted"].as_string(),
        CourseRow.moved["because"].as_string(),
    ).where(CourseRow.promotion.in_(promotions), CourseRow.ended_at.is_(None))
    return [Briefly(*row) for row in await session.execute(query)]


async def order(
    session: AsyncSession, promotion: int, share: int, reason: str, by: str | None, at: datetime
) -> OrderRow:
    """Order a share; the promotion is locked."""
    last = await session.scalar(
        select(func.coalesce(func.max(OrderRow.number), 0)).where(OrderRow.promotion == promotion)
    )
    made = OrderRow(promotion=promotion, number=(last or 0) + 1, share=share, reason=reason, by_id=by, at=at)
    session.add(made)
    await session.flush()
    return made


async def orders(session: AsyncSession, promotion: int, after: int = 0) -> list[OrderRow]:
    """The orders of a course after one of them."""
    query = select(OrderRow).where(OrderRow.promotion == promotion, OrderRow.number > after)
    return list(await session.scalars(query.order_by(OrderRow.number).limit(200)))


async def note(
    session: AsyncSession,
    promotion: int,
    at: datetime,
    share: int,
    known: dict[str, Any],
    readings: dict[str, Any],
) -> None:
    """Keep what was known at a look, and what was read, by monitor; the last of each at an instant."""
    row = insert(LookRow).values(promotion=promotion, at=at, share=share, known=known, readings=readings)
    new = row.excluded
    later = {"share": new.share, "known": new.known, "readings": LookRow.readings.op("||")(new.readings)}
    await session.execute(row.on_conflict_do_update(index_elements=["promotion", "at"], set_=later))


class Past(NamedTuple):
    """A course that is over."""

    course: CourseRow
    badly: bool


async def past(session: AsyncSession, environment: str, since: datetime, limit: int) -> list[Past]:
    """The courses that began in an environment since an instant and are over, the latest first."""
    query = (
        select(CourseRow, went_badly())
        .join(PromotionRow, PromotionRow.number == CourseRow.promotion)
        .where(
            PromotionRow.environment_id == environment,
            PromotionRow.departed_at >= since,
            PromotionRow.closed_at.is_not(None),
        )
        .order_by(PromotionRow.departed_at.desc())
        .limit(limit)
    )
    return [Past(*row) for row in await session.execute(query)]


async def readings(session: AsyncSession, promotion: int, limit: int) -> list[dict[str, Any]]:
    """What was read of a course, look by look, each by monitor; the first so many."""
    query = select(LookRow.readings).where(LookRow.promotion == promotion, LookRow.readings.is_not(None))
    return [one for one in await session.scalars(query.order_by(LookRow.at).limit(limit)) if one]


async def looks(session: AsyncSession, promotion: int) -> list[LookRow]:
    """What was known, look by look: the last some thousand."""
    query = select(LookRow).where(LookRow.promotion == promotion)
    return list(await session.scalars(query.order_by(LookRow.at.desc()).limit(_MOST_LOOKS)))[::-1]


async def close(session: AsyncSession, promotion: int, at: datetime) -> None:
    """Look at it no more."""
    query = update(CourseRow).where(CourseRow.promotion == promotion, CourseRow.ended_at.is_(None))
    await session.execute(query.values(ended_at=at, turn=CourseRow.turn + 1))


async def take_back(session: AsyncSession, promotion: int, at: datetime, reason: str, by: str | None) -> None:
    """Order what is still going in back, and look at it no more; the promotion is locked."""
    row = await get(session, promotion, lock=True)
    if row is not None and row.ended_at is None:
        row.ended_at, row.turn = at, row.turn + 1
        await order(session, promotion, 0, reason, by, at)
