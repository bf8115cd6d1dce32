"""What a directory keeps here: its people, its groups, and who is in which."""

from collections.abc import Collection
from typing import TypeVar

from sqlalchemy import delete, func, insert, select
from sqlalchemy.ext.asyncio import AsyncSession

from dogana.store.database import among
from dogana.store.tables.directory import DirectoryGroupRow, DirectoryMemberRow, DirectoryPersonRow

R = TypeVar("R", DirectoryPersonRow, DirectoryGroupRow)


async def rows(session: AsyncSession, kind: type[R], most: int, key: str | None = None) -> list[R]:
    """People or groups in the order in which they came; those of a name alone where one is given."""
    query = select(kind).order_by(kind.created_at, kind.id).limit(most)
    return list(await session.scalars(query.where(kind.key == key) if key is not None else query))


async def size(session: AsyncSession, kind: type[DirectoryPersonRow] | type[DirectoryGroupRow]) -> int:
    """How many there are."""
    return await session.scalar(select(func.count()).select_from(kind)) or 0


async def of_person(session: AsyncSession, person: str) -> DirectoryPersonRow | None:
    """Who somebody of ours is in the directory."""
    return await session.scalar(select(DirectoryPersonRow).where(DirectoryPersonRow.person_id == person))


async def members(session: AsyncSession, groups: Collection[str]) -> list[tuple[str, DirectoryPersonRow]]:
    """Who is in some groups, each with the group."""
    query = (
        select(DirectoryMemberRow.group_id, DirectoryPersonRow)
        .join(DirectoryPersonRow, DirectoryPersonRow.id == DirectoryMemberRow.member_id)
        .where(among(DirectoryMemberRow.group_id, groups))
        .order_by(DirectoryPersonRow.created_at, DirectoryPersonRow.id)
    )
    return [(group, person) for group, person in await session.execute(query)]


async def groups_of(session: AsyncSession, people: Collection[str]) -> list[tuple[str, DirectoryGroupRow]]:
    """In which groups some people are, each with the person."""
    query = (
        select(DirectoryMemberRow.member_id, DirectoryGroupRow)
        .join(DirectoryGroupRow, DirectoryGroupRow.id == DirectoryMemberRow.group_id)
        .where(among(DirectoryMemberRow.member_id, people))
        .order_by(DirectoryGroupRow.key)
    )
    return [(person, group) for person, group in await session.execute(query)]


async def by_ids(session: AsyncSession, ids: Collection[str]) -> dict[str, DirectoryPersonRow]:
    """Some people of the directory by their ids."""
    found = await session.scalars(select(DirectoryPersonRow).where(among(DirectoryPersonRow.id, ids)))
    return {row.id: row for row in found}


async def set_members(session: AsyncSession, group: str, people: Collection[str]) -> None:
    """Have exactly these people in a group."""
    await session.execute(delete(DirectoryMemberRow).where(DirectoryMemberRow.group_id == group))
    if people:
        rows = [{"group_id": group, "member_id": one} for one in people]
        await session.execute(insert(DirectoryMemberRow), rows)
