"""People, groups, sessions and tokens."""

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import delete, func, select, update
from sqlalchemy.ext.asyncio import AsyncSession
from sqlalchemy.orm import selectinload

from dogana.store.tables import GroupRow, MembershipRow, PersonRow, SessionRow, TokenRow

_WITH_GROUPS = selectinload(PersonRow.groups)


async def person(session: AsyncSession, person_id: str) -> PersonRow | None:
    """Somebody by id."""
    query = select(PersonRow).where(PersonRow.id == person_id).options(_WITH_GROUPS)
    return await session.scalar(query)


@dataclass(frozen=True, kw_only=True)
class Owner:
    """Whose token it is, and what it is for."""

    id: str
    name: str
    roles: list[str]
    scopes: list[str]
    groups: list[str]
    token: int


async def owners_of_tokens(session: AsyncSession, digests: Collection[str], at: datetime) -> dict[str, Owner]:
    """Whose tokens are under these digests; those that are revoked or ended are left out."""
    query = (
        select(
            TokenRow.token_digest,
            PersonRow.id,
            PersonRow.name,
            PersonRow.roles,
            TokenRow.scopes,
            select(func.array_agg(MembershipRow.group_id))
            .where(MembershipRow.person_id == PersonRow.id)
            .scalar_subquery()
            .label("groups"),
            TokenRow.id.label("token"),
        )
        .join(TokenRow, TokenRow.person_id == PersonRow.id)
        .where(
            TokenRow.token_digest.in_(digests),
            TokenRow.revoked_at.is_(None),
            TokenRow.expires_at > at,
        )
    )
    rows = await session.execute(query)
    return {
        row[0]: Owner(id=row[1], name=row[2], roles=row[3], scopes=row[4], groups=row[5] or [], token=row[6])
        for row in rows
    }


async def person_by_email(session: AsyncSession, email: str) -> PersonRow | None:
    """Somebody by mail address, whatever its case."""
    query = select(PersonRow).where(func.lower(PersonRow.email) == email.casefold()).options(_WITH_GROUPS)
    return await session.scalar(query)


async def people(session: AsyncSession) -> list[PersonRow]:
    """Everybody with their groups, by id."""
    return list(await session.scalars(select(PersonRow).order_by(PersonRow.id).options(_WITH_GROUPS)))


async def groups(session: AsyncSession) -> list[GroupRow]:
    """Every group, by id."""
    return list(await session.scalars(select(GroupRow).order_by(GroupRow.id)))


async def live_session(session: AsyncSession, digest: str, at: datetime) -> SessionRow | None:
    """The session under a digest, unless it has ended."""
    query = select(SessionRow).where(SessionRow.token_digest == digest, SessionRow.expires_at > at)
    return await session.scalar(query)


async def end_session(session: AsyncSession, digest: str, at: datetime) -> None:
    """End one session, and clear away those that ended by themselves."""
    query = delete(SessionRow).where((SessionRow.token_digest == digest) | (SessionRow.expires_at <= at))
    await session.execute(query)


async def tokens(session: AsyncSession) -> list[TokenRow]:
    """Every token ever made, newest first."""
    return list(await session.scalars(select(TokenRow).order_by(TokenRow.id.desc())))


async def revoke_token(session: AsyncSession, token_id: int, at: datetime) -> TokenRow | None:
    """Revoke a live token; None when there is no such live token."""
    query = (
        update(TokenRow)
        .where(TokenRow.id == token_id, TokenRow.revoked_at.is_(None))
        .values(revoked_at=at)
        .returning(TokenRow)
    )
    return await session.scalar(query)
