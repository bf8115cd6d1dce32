"""What runs where at an instant, and how far each place is behind: one look for each place."""

from collections.abc import Collection, Mapping, Sequence
from datetime import datetime
from typing import NamedTuple

from sqlalchemy import (
    ARRAY,
    Text,
    cast,
    column,
    func,
    literal_column,
    not_,
    or_,
    select,
    values,
)
from sqlalchemy.ext.asyncio import AsyncSession

from dogana.store.history import between, took_back
from dogana.store.tables.incidents import IncidentRow
from dogana.store.tables.landscape import ReleaseRow
from dogana.store.tables.people import PersonRow
from dogana.store.tables.promotions import DecisionRow, PromotionRow, has_landed, is_under_way, wherever
from dogana.store.tables.sign_offs import SignOffRow


class Runs(NamedTuple):
    """What ran in a place, and how far that was behind the leg before."""

    service: str
    environment: str
    promotion: int
    release: int
    version: str
    since: datetime
    kind: str
    newer: int
    """Releases that landed in the leg before and not here; no rollbacks. Of several side by side, of the one
    that is furthest ahead."""
    newer_since: datetime | None


async def runs_at(
    session: AsyncSession, services: Sequence[str], before: Mapping[str, Sequence[str]], at: datetime
) -> list[Runs]:
    """What ran at an instant in every place, where anything did.

    Args:
        session: the transaction.
        services: which services are looked at.
        before: the environments that are looked at, with those of the leg before each.
        at: the instant.
    """
    service = (
        func.unnest(cast(list(services), ARRAY(Text))).table_valued("id", name="service").render_derived()
    )
    # Each of a leg by itself: an index finds what landed in one environment, not in any of a list.
    place = values(column("environment", Text), column("earlier", Text), name="place").data(
        [
            (one, other)
            for one, earlier in before.items()
            for other in (*earlier, *([] if earlier else [None]))
        ]
    )
    last = (
        select(
            PromotionRow.number,
            PromotionRow.release_id,
            PromotionRow.landed_at,
            PromotionRow.kind,
        )
        .where(
            PromotionRow.service_id == service.c.id,
            PromotionRow.environment_id == place.c.environment,
            PromotionRow.landed_at <= at,
            has_landed,
        )
        .order_by(PromotionRow.landed_at.desc(), PromotionRow.number.desc())
        .limit(1)
        .lateral("last")
    )
    there = (
        select(func.min(PromotionRow.landed_at).label("at"))
        .where(
            PromotionRow.release_id == last.c.release_id,
            PromotionRow.environment_id == place.c.earlier,
            PromotionRow.landed_at <= at,
            has_landed,
        )
        .lateral("there")
    )
    newer = (
        select(
            func.count(PromotionRow.release_id.distinct()).label("count"),
            func.min(PromotionRow.landed_at).label("since"),
        )
        .where(
            PromotionRow.service_id == service.c.id,
            PromotionRow.environment_id == place.c.earlier,
            PromotionRow.landed_at > func.coalesce(there.c.at, last.c.landed_at),
            PromotionRow.landed_at <= at,
            PromotionRow.release_id != last.c.release_id,
            PromotionRow.kind != "rollback",
            has_landed,
        )
        .lateral("newer")
    )
    query = (
        select(
            service.c.id,
            place.c.environment,
            last.c.number,
            last.c.release_id,
            ReleaseRow.version,
            last.c.landed_at,
            last.c.kind,
            newer.c.count,
            newer.c.since,
        )
        .select_from(service)
        .join(place, literal_column("true"))
        .join(last, literal_column("true"))
        .join(ReleaseRow, ReleaseRow.id == last.c.release_id)
        .join(there, literal_column("true"))
        .join(newer, literal_column("true"))
    )
    found: dict[tuple[str, str], Runs] = {}
    for row in await session.execute(query):
        one = Runs(*row)
        other = found.get((one.service, one.environment))
        if other is None or other.newer < one.newer:
            found[one.service, one.environment] = one
    return list(found.values())


class Moves(NamedTuple):
    """Something on its way into a place, or waiting for it."""

    service: str
    environment: str
    promotion: int
    version: str
    state: str


async def under_way(session: AsyncSession) -> list[Moves]:
    """All that waits or moves, what was asked for first first."""
    query = (
        select(
            PromotionRow.service_id,
            PromotionRow.environment_id,
            PromotionRow.number,
            ReleaseRow.version,
            PromotionRow.state,
        )
        .join(ReleaseRow, ReleaseRow.id == PromotionRow.release_id)
        .where(is_under_way)
        .order_by(PromotionRow.number)
    )
    return [Moves(*row) for row in await session.execute(query)]


async def open_incidents(session: AsyncSession) -> dict[tuple[str, str], int]:
    """How many incidents nobody has closed, by service and environment."""
    query = (
        select(IncidentRow.service_id, IncidentRow.environment_id, func.count())
        .where(IncidentRow.closed_at.is_(None))
        .group_by(IncidentRow.service_id, IncidentRow.environment_id)
    )
    return {(service, environment): count for service, environment, count in await session.execute(query)}


async def unconfirmed(session: AsyncSession) -> dict[int, datetime | None]:
    """What has landed and nobody has confirmed yet where somebody is asked, with when they are reminded."""
    query = select(SignOffRow.promotion, SignOffRow.landed_at + SignOffRow.within).where(
        SignOffRow.said_at.is_(None), SignOffRow.lapsed_at.is_(None), SignOffRow.landed_at.is_not(None)
    )
    return {row[0]: row[1] for row in await session.execute(query)}


async def let_in_by(session: AsyncSession, promotions: Collection[int]) -> dict[int, list[str]]:
    """Who approved some promotions, by name, those who did first first."""
    query = (
        select(DecisionRow.promotion, PersonRow.name)
        .join(PersonRow, PersonRow.id == DecisionRow.person_id)
        .where(DecisionRow.promotion.in_(promotions), DecisionRow.action == "approve", DecisionRow.standing)
        .order_by(DecisionRow.id)
    )
    found: dict[int, list[str]] = {}
    for promotion, name in await session.execute(query):
        found.setdefault(promotion, []).append(name)
    return found


async def began(session: AsyncSession) -> datetime | None:
    """When anything landed first."""
    landed = select(PromotionRow.landed_at).where(PromotionRow.landed_at.is_not(None), has_landed, wherever)
    query = landed.order_by(PromotionRow.landed_at).limit(1)
    return await session.scalar(query)


class Count(NamedTuple):
    """How much of either happened."""

    landed: int
    rolled_back: int


async def count_happened(session: AsyncSession, since: datetime, until: datetime) -> Count:
    """How much landed, and how much was taken back or went back to an earlier release."""
    back = or_(took_back, PromotionRow.kind == "rollback")
    query = select(func.count().filter(not_(back)), func.count().filter(back)).where(*between(since, until))
    return Count(*(await session.execute(query)).one())
