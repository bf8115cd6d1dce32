"""Taking away what nothing refers to; what has history cannot go, and PostgreSQL knows which that is."""

from sqlalchemy import delete, exists, select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.ext.asyncio import AsyncSession

from dogana.store.tables.base import Table
from dogana.store.tables.ledger import EntryRow
from dogana.store.tables.people import MembershipRow, PersonRow, SessionRow


async def went(session: AsyncSession, row: Table) -> bool:
    """Delete a row unless anything refers to it; whether it went."""
    try:
        async with session.begin_nested():
            await session.delete(row)
    except IntegrityError:
        await session.refresh(row)
        return False
    return True


async def person_went(session: AsyncSession, person: PersonRow) -> bool:
    """Delete somebody who never did anything that is on record; whether they went."""
    acted = select(exists().where(EntryRow.actor_id == person.id))
    if await session.scalar(acted):
        return False
    session.expunge(person)
    try:
        async with session.begin_nested():
            for table in (MembershipRow, SessionRow):
                await session.execute(delete(table).where(table.person_id == person.id))
            await session.execute(delete(PersonRow).where(PersonRow.id == person.id))
    except IntegrityError:
        return False
    return True
