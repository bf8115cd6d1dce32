"""When which promotion is due: to be inspected, to be followed after its landing, to be tried again."""

from datetime import datetime

from sqlalchemy import and_, func, or_, select, update
from sqlalchemy.ext.asyncio import AsyncSession

from dogana.store.database import afterwards
from dogana.store.tables.landscape import EnvironmentRow
from dogana.store.tables.promotions import PromotionRow, State, has_landed, is_pending


async def due(session: AsyncSession, at: datetime, limit: int) -> list[int]:
    """Numbers of those that must be inspected: what never was comes first, then what is longest due."""
    query = (
        select(PromotionRow.number)
        .where(is_pending, PromotionRow.inspect_at <= at)
        .order_by(PromotionRow.facts_digest.is_not(None), PromotionRow.inspect_at)
        .limit(limit)
    )
    return list(await session.scalars(query))


async def overdue(session: AsyncSession, at: datetime) -> list[PromotionRow]:
    """What moves, takes longer than its environment allows, and was not said to yet; locked."""
    query = (
        select(PromotionRow)
        .join(EnvironmentRow, EnvironmentRow.id == PromotionRow.environment_id)
        .where(
            PromotionRow.state == State.MOVING,
            PromotionRow.overdue_at.is_(None),
            PromotionRow.departed_at + EnvironmentRow.time_limit < at,
        )
        .with_for_update(of=PromotionRow, key_share=True, skip_locked=True)
    )
    return list(await session.scalars(query))


async def next_due(session: AsyncSession) -> datetime | None:
    """When the next one must be inspected again."""
    query = select(func.min(PromotionRow.inspect_at)).where(is_pending)
    return await session.scalar(query)


def inspection(
    session: AsyncSession,
    at: datetime,
    *,
    environment: str | None = None,
    service: str | None = None,
    either: bool = False,
    number: int | None = None,
) -> None:
    """Have what is pending inspected at an instant, once the transaction has committed.

    Args:
        session: the transaction.
        at: when.
        environment: into which; into any where None.
        service: of which; of any where None.
        either: whether one of both is enough.
        number: one alone; any where None.
    """
    meant = select(PromotionRow.number).where(is_pending)
    if number is not None:
        meant = meant.where(PromotionRow.number == number)
    named = [(PromotionRow.environment_id, environment), (PromotionRow.service_id, service)]
    wanted = [column == value for column, value in named if value is not None]
    if wanted:
        meant = meant.where(or_(*wanted) if either else and_(*wanted))
    # Everybody locks rows in the same order, so that nobody waits for each other.
    locked = meant.order_by(PromotionRow.number).with_for_update(key_share=True).cte("locked")
    query = update(PromotionRow).where(PromotionRow.number.in_(select(locked.c.number))).values(inspect_at=at)

    async def change(own: AsyncSession) -> None:
        await own.execute(query, execution_options={"synchronize_session": False})

    afterwards(session, change)


async def inspect_next_at(session: AsyncSession, number: int, at: datetime) -> None:
    """Have one inspected at another instant."""
    await session.execute(update(PromotionRow).where(PromotionRow.number == number).values(inspect_at=at))


async def to_follow(session: AsyncSession, tried_before: datetime, limit: int) -> list[PromotionRow]:
    """What has landed and was not followed up yet, the earliest first.

    What failed is among it once it was last tried before an instant.
    """
    query = select(PromotionRow).where(
        has_landed,
        PromotionRow.followed_at.is_(None),
        or_(PromotionRow.trouble_at.is_(None), PromotionRow.trouble_at < tried_before),
    )
    return list(await session.scalars(query.order_by(PromotionRow.landed_at).limit(limit)))


async def note_trouble(
    session: AsyncSession, number: int, reason: str, at: datetime, again_at: datetime
) -> None:
    """Keep why work on a promotion failed, and have it tried again later."""
    values = {"trouble": reason, "trouble_at": at, "inspect_at": again_at}
    await session.execute(update(PromotionRow).where(PromotionRow.number == number).values(values))


async def in_trouble(session: AsyncSession, limit: int) -> list[PromotionRow]:
    """Those on which work failed, the latest first."""
    query = select(PromotionRow).where(PromotionRow.trouble.is_not(None))
    return list(await session.scalars(query.order_by(PromotionRow.trouble_at.desc()).limit(limit)))


async def followed(session: AsyncSession, number: int, at: datetime) -> None:
    """Keep that what follows from a landing was asked for."""
    values = {"followed_at": at, "trouble": None, "trouble_at": None}
    await session.execute(update(PromotionRow).where(PromotionRow.number == number).values(values))
