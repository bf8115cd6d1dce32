"""Promotions, the decisions on them, and the documents they were inspected from."""

from collections import Counter, defaultdict
from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import (
    ARRAY,
    ColumnElement,
    CompoundSelect,
    Row,
    Select,
    and_,
    any_,
    func,
    inspect,
    or_,
    select,
    union,
    update,
)
from sqlalchemy.dialects.postgresql import aggregate_order_by
from sqlalchemy.ext.asyncio import AsyncSession
from sqlalchemy.orm import defer, joinedload, undefer

from dogana.core import parts
from dogana.core.traffic import QUEUE_ENDS
from dogana.store.database import among, from_then, hold
from dogana.store.packing import Packed
from dogana.store.tables.documents import DocumentRow, FactsPartRow
from dogana.store.tables.landscape import EnvironmentRow, ReleaseRow, RouteRow, ServiceRow
from dogana.store.tables.promotions import (
    PENDING,
    DecisionRow,
    PromotionRow,
    State,
    has_landed,
    is_on_its_way,
    is_pending,
    is_under_way,
    wherever,
)

VERSION = (
    select(ReleaseRow.version)
    .where(ReleaseRow.id == PromotionRow.release_id)
    .scalar_subquery()
    .label("version")
)
"""Of its release, looked up for each: for a join, all releases there ever were are read to name some."""

_AT_A_TIME = 200
_AS_LISTED = (
    defer(PromotionRow.sheet, raiseload=True),
    joinedload(PromotionRow.route).raiseload(RouteRow.legs),
)
"""What no list shows is not read."""

_OF_ITS_PARTS = FactsPartRow.digest == any_(PromotionRow.facts_parts)
_WITH_FACTS = (
    select(
        PromotionRow,
        func.coalesce(PromotionRow.facts, DocumentRow.body, type_=Packed),
        *(
            select(func.array_agg(aggregate_order_by(column, FactsPartRow.digest), type_=ARRAY(column.type)))
            .where(_OF_ITS_PARTS)
            .scalar_subquery()
            for column in (FactsPartRow.digest, FactsPartRow.body)
        ),
    )
    .outerjoin(
        # What was inspected last before its facts were kept with it.
        DocumentRow,
        and_(DocumentRow.digest == PromotionRow.facts_digest, PromotionRow.facts.is_(None)),
    )
    .options(undefer(PromotionRow.facts_parts))
)


async def get(session: AsyncSession, number: int) -> PromotionRow | None:
    """One promotion."""
    return await session.scalar(select(PromotionRow).where(PromotionRow.number == number))


@dataclass(frozen=True, kw_only=True)
class WithFacts:
    """A promotion and what it was last inspected on."""

    row: PromotionRow
    facts: str | None
    """The text of the facts that it was last inspected on; None before it ever was."""
    unseen: tuple[int, ...]
    """Which of it, and of its bundle if that is locked, are pending and were never inspected."""


async def with_facts(session: AsyncSession, number: int) -> WithFacts | None:
    """One promotion with its facts; None where there is none."""
    return (await with_facts_of(session, [number])).get(number)


async def with_facts_of(session: AsyncSession, numbers: Collection[int]) -> dict[int, WithFacts]:
    """Some promotions with their facts, by their numbers."""
    found = await session.execute(_WITH_FACTS.where(among(PromotionRow.number, numbers)))
    each = [one for row in found if (one := _with_facts(row)) is not None]
    return {one.row.number: one for one in each}


async def lock_single(session: AsyncSession, numbers: Collection[int]) -> dict[int, PromotionRow]:
    """Those of some promotions that are of no bundle, locked, by number; nobody else's are waited for."""
    query = (
        select(PromotionRow)
        .where(among(PromotionRow.number, numbers), PromotionRow.bundle_id.is_(None))
        .order_by(PromotionRow.number)
        .options(undefer(PromotionRow.facts_parts))
        .with_for_update(of=PromotionRow, key_share=True, skip_locked=True)
    )
    return {row.number: row for row in await session.scalars(query)}


async def facts_parts(session: AsyncSession, row: PromotionRow) -> frozenset[str]:
    """The digests of the parts of the facts that a promotion waits with."""
    if "facts_parts" not in inspect(row).unloaded:
        return frozenset(row.facts_parts or ())
    query = select(PromotionRow.facts_parts).where(PromotionRow.number == row.number)
    return frozenset(await session.scalar(query) or ())


async def lock(session: AsyncSession, number: int) -> WithFacts | None:
    """The same, locked: nobody else decides on it until the transaction ends.

    Its bundle is locked first, so that one transaction at a time decides on any part of it.
    """
    query = _WITH_FACTS.where(PromotionRow.number == number)
    query = query.with_for_update(of=PromotionRow, key_share=True).execution_options(populate_existing=True)
    single = (await session.execute(query.where(PromotionRow.bundle_id.is_(None)))).first()
    if single is not None:
        return _with_facts(single)
    bundle = await session.scalar(select(PromotionRow.bundle_id).where(PromotionRow.number == number))
    if bundle is None:
        return None
    await hold(session, f"bundle {bundle}")
    # All of a bundle, by number, as everybody does who locks several: nobody waits for each other.
    together = select(PromotionRow.number, PromotionRow.facts_digest, PromotionRow.state)
    together = together.where(PromotionRow.bundle_id == bundle).order_by(PromotionRow.number)
    rows = await session.execute(together.with_for_update(of=PromotionRow, key_share=True))
    unseen = {row.number for row in rows if row.facts_digest is None and row.state in PENDING}
    return _with_facts((await session.execute(query)).first(), unseen)


def _with_facts(
    found: Row[PromotionRow, str | None, list[str] | None, list[str] | None] | None,
    unseen: Collection[int] = (),
) -> WithFacts | None:
    if found is None:
        return None
    row, index, digests, bodies = found
    try:
        text = parts.whole(index, dict(zip(digests or (), bodies or (), strict=True))) if index else None
    except parts.MissingPartError:
        # Then nothing is known, and all of it is read anew.
        text = None
    itself = {row.number} if text is None and row.state in PENDING else set()
    return WithFacts(row=row, facts=text, unseen=tuple(sorted(itself.union(unseen))))


async def next_number(session: AsyncSession) -> int:
    """A number that no promotion has or gets, for one that is written with it."""
    sequence = func.pg_get_serial_sequence(PromotionRow.__tablename__, "number")
    return int(await session.scalar(select(func.nextval(sequence))) or 0)


async def every(session: AsyncSession) -> list[PromotionRow]:
    """All there are, locked, for what is written in bulk."""
    query = select(PromotionRow).order_by(PromotionRow.number)
    return list(await session.scalars(query.with_for_update(of=PromotionRow, key_share=True)))


async def unseen(session: AsyncSession, number: int) -> list[int]:
    """Which of a promotion and its bundle are pending and were never inspected."""
    bundle = select(PromotionRow.bundle_id).where(PromotionRow.number == number).scalar_subquery()
    query = select(PromotionRow.number).where(
        or_(PromotionRow.number == number, PromotionRow.bundle_id == bundle),
        PromotionRow.facts_digest.is_(None),
        is_pending,
    )
    return list(await session.scalars(query.order_by(PromotionRow.number)))


async def under_way(session: AsyncSession, since: datetime) -> list[PromotionRow]:
    """Those pending or moving, and those that closed since an instant; oldest request first."""
    query = (
        select(PromotionRow)
        .where(or_(is_under_way, from_then(PromotionRow.closed_at, since)))
        .order_by(PromotionRow.number)
    )
    return await _listed(session, query)


async def _listed(session: AsyncSession, query: Select[PromotionRow]) -> list[PromotionRow]:
    """Rows as lists show them, maybe thousands, between which whoever else is asked may answer."""
    stream = await session.stream_scalars(query.options(*_AS_LISTED).execution_options(yield_per=_AT_A_TIME))
    return [row async for row in stream]


async def under_way_into(session: AsyncSession) -> dict[str, Counter[str]]:
    """How many are in which state of those pending or moving, by environment."""
    query = (
        select(PromotionRow.environment_id, PromotionRow.state, func.count())
        .where(is_under_way)
        .group_by(PromotionRow.environment_id, PromotionRow.state)
    )
    out: dict[str, Counter[str]] = defaultdict(Counter)
    for environment, state, count in await session.execute(query):
        out[environment][state] = count
    return out


async def page(
    session: AsyncSession,
    *,
    service: str | None,
    environment: str | None,
    state: State | None,
    before: int | None,
    limit: int,
) -> list[PromotionRow]:
    """Those that fit, the latest asked for first."""
    query = select(PromotionRow).options(*_AS_LISTED)
    for column, wanted in (
        (PromotionRow.service_id, service),
        (PromotionRow.environment_id, environment),
        (PromotionRow.state, state),
    ):
        if wanted is not None:
            query = query.where(column == wanted)
    if before is not None:
        query = query.where(PromotionRow.number < before)
    return list(await session.scalars(query.order_by(PromotionRow.number.desc()).limit(limit)))


async def in_state(
    session: AsyncSession, states: tuple[State, ...], *, into: str | None = None, whole: bool = True
) -> list[PromotionRow]:
    """Those in any of some states, oldest request first; their sheets only if they are wanted whole.

    With `into`, those for one environment.
    """
    query = select(PromotionRow).where(PromotionRow.state.in_(states)).order_by(PromotionRow.number)
    if into is not None:
        query = query.where(PromotionRow.environment_id == into)
    if whole:
        return list(await session.scalars(query))
    return await _listed(session, query)


async def lock_environment(session: AsyncSession, environment: str) -> None:
    """Let only one transaction at a time decide what departs for an environment, and close it."""
    await hold(session, f"depart {environment}")


async def moving(session: AsyncSession, service: str, environment: str) -> int | None:
    """The number of the promotion of a service that is on its way into an environment now."""
    query = select(PromotionRow.number).where(
        PromotionRow.service_id == service,
        PromotionRow.environment_id == environment,
        is_on_its_way,
    )
    return await session.scalar(query)


def ends_of_queue(
    service: ColumnElement[str], environment: ColumnElement[str]
) -> CompoundSelect[int, str, datetime]:
    """What of a service is pending for an environment: those asked for first and last, in that order."""
    query = (
        select(PromotionRow.number, ReleaseRow.version, PromotionRow.requested_at)
        .join(ReleaseRow, ReleaseRow.id == PromotionRow.release_id)
        .where(
            PromotionRow.service_id == service,
            PromotionRow.environment_id == environment,
            is_pending,
        )
    )
    by = (PromotionRow.requested_at, PromotionRow.number)
    first = query.order_by(*by).limit(QUEUE_ENDS)
    last = query.order_by(*(column.desc() for column in by)).limit(QUEUE_ENDS)
    return union(first, last).order_by("requested_at", "number")


async def bundled(session: AsyncSession, bundle: int) -> list[PromotionRow]:
    """The promotions of a bundle, in the order in which environments are locked."""
    query = select(PromotionRow).where(PromotionRow.bundle_id == bundle)
    query = query.order_by(PromotionRow.environment_id, PromotionRow.number)
    return list(await session.scalars(query.execution_options(populate_existing=True)))


async def bundles_ready(session: AsyncSession) -> list[int]:
    """One promotion of each bundle whose environments let what is cleared depart at once."""
    query = (
        select(func.min(PromotionRow.number))
        .join(EnvironmentRow, EnvironmentRow.id == PromotionRow.environment_id)
        .where(PromotionRow.bundle_id.is_not(None), is_pending)
        .group_by(PromotionRow.bundle_id)
        .having(func.bool_and(PromotionRow.state == State.CLEARED))
        .having(func.bool_and(EnvironmentRow.departs == "at once"))
    )
    return list(await session.scalars(query))


async def end_standing(session: AsyncSession, number: int, person: str) -> None:
    """Let somebody's approval stand no longer, because it lapsed or was taken back."""
    query = update(DecisionRow).where(
        DecisionRow.promotion == number, DecisionRow.person_id == person, DecisionRow.standing
    )
    await session.execute(query.values(standing=False))


async def pending_of(session: AsyncSession, release: int, environment: str) -> int | None:
    """The number of the promotion by which a release waits for an environment."""
    query = select(PromotionRow.number).where(
        PromotionRow.release_id == release,
        PromotionRow.environment_id == environment,
        is_pending,
    )
    return await session.scalar(query)


async def pending_into(session: AsyncSession, environment: str) -> list[PromotionRow]:
    """What is pending for an environment and has been inspected, the earliest asked for first."""
    query = (
        select(PromotionRow)
        .where(
            PromotionRow.environment_id == environment,
            is_pending,
            PromotionRow.facts_digest.is_not(None),
        )
        .order_by(PromotionRow.requested_at, PromotionRow.number)
    )
    return list(await session.scalars(query))


async def landed_within(
    session: AsyncSession, start: datetime, end: datetime, most: int
) -> list[PromotionRow]:
    """The last of what landed in a stretch of time, or was rolled back after it had; the latest first."""
    query = select(PromotionRow).where(
        PromotionRow.landed_at >= start, PromotionRow.landed_at < end, wherever
    )
    latest = query.order_by(PromotionRow.landed_at.desc(), PromotionRow.number.desc())
    return await _listed(session, latest.limit(most))


async def landings(session: AsyncSession, service: str, environment: str, limit: int) -> list[PromotionRow]:
    """What has landed of a service in an environment, the latest first."""
    query = select(PromotionRow).where(
        PromotionRow.service_id == service, PromotionRow.environment_id == environment, has_landed
    )
    latest = query.order_by(PromotionRow.landed_at.desc(), PromotionRow.number.desc())
    return await _listed(session, latest.limit(limit))


async def numbered(session: AsyncSession, numbers: Collection[int]) -> dict[int, PromotionRow]:
    """Some promotions as lists show them, by number."""
    found = await _listed(session, select(PromotionRow).where(among(PromotionRow.number, numbers)))
    return {row.number: row for row in found}


async def of_revision(session: AsyncSession, service: str, revision: str, limit: int) -> list[PromotionRow]:
    """The promotions of what was built from a commit of a service, the latest asked for first."""
    built = select(ReleaseRow.id).where(ReleaseRow.service_id == service, ReleaseRow.revision == revision)
    query = select(PromotionRow).where(PromotionRow.release_id.in_(built))
    return await _listed(session, query.order_by(PromotionRow.number.desc()).limit(limit))


async def names(session: AsyncSession, numbers: Collection[int]) -> dict[int, str]:
    """Service and version of promotions, in words."""
    query = (
        select(PromotionRow.number, ServiceRow.title, ReleaseRow.version)
        .join(ReleaseRow, ReleaseRow.id == PromotionRow.release_id)
        .join(ServiceRow, ServiceRow.id == PromotionRow.service_id)
        .where(PromotionRow.number.in_(numbers))
    )
    return {row.number: f"{row.title} {row.version}" for row in await session.execute(query)}


async def releases_of(session: AsyncSession, numbers: Collection[int]) -> dict[int, int]:
    """The releases that some promotions are of, by number."""
    query = select(PromotionRow.number, PromotionRow.release_id).where(PromotionRow.number.in_(numbers))
    return {row[0]: row[1] for row in await session.execute(query)}
