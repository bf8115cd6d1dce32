"""How findings changed, who is looking at what, saved filters."""

from collections.abc import Collection, Sequence
from datetime import datetime

from sqlalchemy import delete, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.ext.asyncio import AsyncSession

from dogana.store.database import among
from dogana.store.tables.people import PersonRow
from dogana.store.tables.promotions import FindingChangeRow
from dogana.store.tables.views import LookerRow, SavedFilterRow


async def finding_changes(session: AsyncSession, promotion: int) -> Sequence[FindingChangeRow]:
    """How the findings of a promotion changed, the first change first."""
    query = select(FindingChangeRow).where(FindingChangeRow.promotion == promotion)
    return (await session.scalars(query.order_by(FindingChangeRow.id))).all()


async def look(session: AsyncSession, promotion: int, person: str, at: datetime) -> datetime | None:
    """Note that somebody is looking; when they were last seen before, if they were."""
    before = await session.get(LookerRow, (promotion, person))
    was = before.seen_at if before else None
    values = {"promotion": promotion, "person_id": person, "seen_at": at}
    query = insert(LookerRow).values(values)
    keys = [LookerRow.promotion, LookerRow.person_id]
    await session.execute(query.on_conflict_do_update(index_elements=keys, set_={"seen_at": at}))
    return was


async def look_away(session: AsyncSession, promotion: int, person: str) -> None:
    """Note that somebody looks no longer."""
    await session.execute(
        delete(LookerRow).where(LookerRow.promotion == promotion, LookerRow.person_id == person)
    )


async def lookers(
    session: AsyncSession, promotions: Collection[int], since: datetime, but: str
) -> dict[int, list[PersonRow]]:
    """Who was seen looking at promotions since an instant, one person left out."""
    query = (
        select(LookerRow.promotion, PersonRow)
        .join(PersonRow, PersonRow.id == LookerRow.person_id)
        .where(among(LookerRow.promotion, promotions), LookerRow.seen_at >= since, LookerRow.person_id != but)
        .order_by(PersonRow.name)
    )
    out: dict[int, list[PersonRow]] = {}
    for number, person in await session.execute(query):
        out.setdefault(number, []).append(person)
    return out


async def saved_filters(session: AsyncSession, person: str) -> Sequence[SavedFilterRow]:
    """Somebody's, by name."""
    query = select(SavedFilterRow).where(SavedFilterRow.person_id == person)
    return (await session.scalars(query.order_by(SavedFilterRow.name))).all()


async def save_filter(session: AsyncSession, person: str, name: str, query: str) -> None:
    """Keep one under a name, in place of the one that was there."""
    values = {"person_id": person, "name": name, "query": query}
    keys = [SavedFilterRow.person_id, SavedFilterRow.name]
    kept = insert(SavedFilterRow).values(values)
    await session.execute(kept.on_conflict_do_update(index_elements=keys, set_={"query": query}))


async def drop_filter(session: AsyncSession, person: str, name: str) -> None:
    """Forget one."""
    await session.execute(
        delete(SavedFilterRow).where(SavedFilterRow.person_id == person, SavedFilterRow.name == name)
    )
