"""People, groups, sessions, tokens, and stand-ins."""

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import delete, func, select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.ext.asyncio import AsyncSession
from sqlalchemy.orm import selectinload

from dogana.store.database import KEPT
from dogana.store.tables.estate import BoardRow
from dogana.store.tables.people import (
    AttemptRow,
    DirectoryLinkRow,
    GroupRow,
    InvitationRow,
    MembershipRow,
    PersonRow,
    ProposalRow,
    SessionRow,
    StandInRow,
    TokenRow,
)

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
    services: list[str]
    environments: list[str]


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
            TokenRow.services,
            TokenRow.environments,
        )
        .join(TokenRow, TokenRow.person_id == PersonRow.id)
        .where(
            TokenRow.token_digest.in_(digests),
            TokenRow.revoked_at.is_(None),
            TokenRow.expires_at > at,
            PersonRow.disabled_at.is_(None),
        )
    )
    rows = await session.execute(query)
    return {
        row[0]: Owner(
            id=row[1],
            name=row[2],
            roles=row[3],
            scopes=row[4],
            groups=row[5] or [],
            token=row[6],
            services=row[7],
            environments=row[8],
        )
        for row in rows
    }


async def person_by_email(session: AsyncSession, email: str) -> PersonRow | None:
    """Somebody by mail address, whatever its case."""
    query = select(PersonRow).where(func.lower(PersonRow.email) == email.casefold()).options(_WITH_GROUPS)
    return await session.scalar(query)


async def link(session: AsyncSession, issuer: str, subject: str) -> DirectoryLinkRow | None:
    """Who somebody of a directory is here."""
    return await session.get(DirectoryLinkRow, (issuer, subject))


async def is_linked(session: AsyncSession, issuer: str, person_id: str) -> bool:
    """Whether somebody is known to be one person of a directory already."""
    query = select(DirectoryLinkRow).where(
        DirectoryLinkRow.issuer == issuer, DirectoryLinkRow.person_id == person_id
    )
    return await session.scalar(query) is not None


async def people(session: AsyncSession) -> list[PersonRow]:
    """Everybody with their groups, by id."""
    return list(await session.scalars(select(PersonRow).order_by(PersonRow.id).options(_WITH_GROUPS)))


async def names(session: AsyncSession) -> dict[str, str]:
    """What everybody is called, by id."""
    return {one.id: one.name for one in await session.execute(select(PersonRow.id, PersonRow.name))}


async def groups(session: AsyncSession) -> list[GroupRow]:
    """Every group that was not retired, by id."""
    query = select(GroupRow).where(GroupRow.retired_at.is_(None))
    return list(await session.scalars(query.order_by(GroupRow.id)))


async def group_titles(session: AsyncSession) -> dict[str, str]:
    """What groups are called, by id."""
    return {group.id: group.title for group in await groups(session)}


async def live_session(session: AsyncSession, digest: str, at: datetime) -> SessionRow | None:
    """The session under a digest, unless it has ended."""
    query = select(SessionRow).where(SessionRow.token_digest == digest, SessionRow.expires_at > at)
    return await session.scalar(query)


async def sessions_of(session: AsyncSession, person_id: str, at: datetime) -> list[SessionRow]:
    """Somebody's sessions that go on, the latest first."""
    query = (
        select(SessionRow)
        .where(SessionRow.person_id == person_id, SessionRow.expires_at > at)
        .order_by(SessionRow.began_at.desc(), SessionRow.id.desc())
    )
    return list(await session.scalars(query))


async def end_session(session: AsyncSession, digest: str, at: datetime) -> None:
    """End one session, and clear away those that ended by themselves."""
    query = delete(SessionRow).where((SessionRow.token_digest == digest) | (SessionRow.expires_at <= at))
    await session.execute(query)


async def end_access(session: AsyncSession, person_id: str, at: datetime, *, but: str = "") -> None:
    """End all of somebody's sessions but the one under a digest, revoke their tokens, and end their walls."""
    mine = (SessionRow.person_id == person_id) & (SessionRow.token_digest != but)
    await session.execute(delete(SessionRow).where(mine))
    live = (TokenRow.person_id == person_id) & TokenRow.revoked_at.is_(None)
    await session.execute(update(TokenRow).where(live).values(revoked_at=at))
    hung = (BoardRow.owner_id == person_id) & BoardRow.wall_digest.is_not(None)
    await session.execute(update(BoardRow).where(hung).values(wall_digest=None, wall_until=None))


async def tokens(session: AsyncSession) -> list[TokenRow]:
    """Every token ever made, newest first."""
    return list(await session.scalars(select(TokenRow).order_by(TokenRow.id.desc())))


async def token(session: AsyncSession, token_id: int) -> TokenRow | None:
    """A token that was not revoked."""
    query = select(TokenRow).where(TokenRow.id == token_id, TokenRow.revoked_at.is_(None))
    return await session.scalar(query.with_for_update(key_share=True))


async def attempt(session: AsyncSession, whose: str, at: datetime) -> AttemptRow:
    """How often somebody failed to sign in lately, locked; others who try in that name wait."""
    new = {"whose": whose, "failures": 0, "last_at": at, "waits_until": at}
    await session.execute(insert(AttemptRow).values(new).on_conflict_do_nothing())
    query = select(AttemptRow).where(AttemptRow.whose == whose).with_for_update(key_share=True)
    return (await session.scalars(query)).one()


async def forget_attempts(session: AsyncSession, whose: Collection[str], before: datetime) -> None:
    """Let go of those of some accounts or addresses, and of all that are long past."""
    query = delete(AttemptRow).where(AttemptRow.whose.in_(whose) | (AttemptRow.last_at < before))
    await session.execute(query)


async def invitation(session: AsyncSession, digest: str, at: datetime) -> InvitationRow | None:
    """An invitation that is still good, locked."""
    query = select(InvitationRow).where(
        InvitationRow.digest == digest, InvitationRow.used_at.is_(None), InvitationRow.expires_at > at
    )
    return await session.scalar(query.with_for_update(key_share=True))


async def lock(session: AsyncSession, person_id: str) -> None:
    """Let nobody else change somebody until the transaction ends."""
    await session.execute(select(PersonRow.id).where(PersonRow.id == person_id).with_for_update())


async def disable(session: AsyncSession, person_id: str, at: datetime) -> None:
    """Let somebody in no more."""
    query = update(PersonRow).where(PersonRow.id == person_id).values(disabled_at=at)
    await session.execute(query)


async def drop_invitations(session: AsyncSession, person_id: str) -> None:
    """Let go of every invitation of somebody."""
    await session.execute(delete(InvitationRow).where(InvitationRow.person_id == person_id))


async def proposals(session: AsyncSession) -> list[ProposalRow]:
    """The changes that wait for a second person, the oldest first."""
    query = select(ProposalRow).where(ProposalRow.ended_at.is_(None)).order_by(ProposalRow.id)
    return list(await session.scalars(query))


async def proposal_about(session: AsyncSession, kind: str, subject: str) -> ProposalRow | None:
    """The change of one thing that waits; there is one at most."""
    query = select(ProposalRow).where(ProposalRow.kind == kind, ProposalRow.subject == subject)
    return await session.scalar(query.where(ProposalRow.ended_at.is_(None)))


async def proposal(session: AsyncSession, number: int) -> ProposalRow | None:
    """One of them, locked."""
    query = select(ProposalRow).where(ProposalRow.id == number, ProposalRow.ended_at.is_(None))
    return await session.scalar(query.with_for_update(key_share=True))


async def stand_ins(session: AsyncSession, since: datetime | None = None) -> list[StandInRow]:
    """Who stands in for whom; with an instant, those alone that had not ended by then."""
    query = select(StandInRow).order_by(StandInRow.starts_at, StandInRow.id)
    return list(await session.scalars(query.where(StandInRow.ends_at > since) if since else query))


async def stand_in(session: AsyncSession, number: int) -> StandInRow | None:
    """One of them, locked."""
    return await session.get(StandInRow, number, with_for_update=KEPT)
