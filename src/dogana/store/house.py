"""What the database knows of the installation itself: its processes, its schema, its size, what is late."""

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Select, delete, func, select, text
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.ext.asyncio import AsyncSession

from dogana.store.tables.exchange import ArrivalRow, DeliveryRow
from dogana.store.tables.landscape import ServiceRow
from dogana.store.tables.ledger import EntryRow, UnsequencedRow
from dogana.store.tables.messages import MailRow
from dogana.store.tables.processes import ProcessRow
from dogana.store.tables.promotions import PromotionRow, is_pending
from dogana.store.tables.sources import SourceRow

_LARGEST = 12


async def revision(session: AsyncSession) -> str | None:
    """The schema's version: None where no schema was made, empty where an early Dogana made it."""
    readable = await session.scalar(
        text("SELECT has_table_privilege(to_regclass('alembic_version'), 'SELECT')")
    )
    if readable is None:
        return None
    # Until 0020 the application's role was not given leave to read it.
    return str(await session.scalar(text("SELECT version_num FROM alembic_version"))) if readable else ""


async def now(session: AsyncSession) -> datetime:
    """The database's own time: the one clock that all processes share."""
    found: datetime = await session.scalar(select(func.clock_timestamp()))  # type: ignore[assignment]
    return found


async def seen(session: AsyncSession, row: ProcessRow) -> None:
    """Keep what a process told of itself."""
    values = {column.name: getattr(row, column.name) for column in ProcessRow.__table__.columns}
    kept = insert(ProcessRow).values(values)
    again = {name: kept.excluded[name] for name in ("seen_at", "lacks", "counts")}
    await session.execute(kept.on_conflict_do_update(index_elements=["id"], set_=again))


async def gone(session: AsyncSession, *, process: str | None = None, before: datetime | None = None) -> None:
    """Forget one process that ended, or those not seen since an instant."""
    query = delete(ProcessRow)
    if process is not None:
        query = query.where(ProcessRow.id == process)
    if before is not None:
        query = query.where(ProcessRow.seen_at < before)
    await session.execute(query)


async def processes(session: AsyncSession) -> list[ProcessRow]:
    """Every process on record, workers first, then by age."""
    query = select(ProcessRow).order_by(ProcessRow.kind.desc(), ProcessRow.began_at)
    return list(await session.scalars(query))


@dataclass(frozen=True, kw_only=True)
class Queue:
    """Work that is due."""

    length: int
    since: datetime | None
    """Since when the first of it is due."""


def _due(at: datetime) -> dict[str, Select[int, datetime]]:
    return {
        "inspections": select(func.count(), func.min(PromotionRow.inspect_at)).where(
            is_pending, PromotionRow.inspect_at <= at
        ),
        "ledger": select(func.count(), func.min(EntryRow.at))
        .select_from(UnsequencedRow)
        .join(EntryRow, EntryRow.id == UnsequencedRow.entry_id),
        "deliveries": select(func.count(), func.min(DeliveryRow.next_attempt_at)).where(
            DeliveryRow.delivered_at.is_(None),
            DeliveryRow.dead_at.is_(None),
            DeliveryRow.next_attempt_at <= at,
        ),
        "mail": select(func.count(), func.min(MailRow.made_at)).where(
            MailRow.sent_at.is_(None), MailRow.failed_at.is_(None)
        ),
        "events": select(func.count(), func.min(ArrivalRow.arrived_at)).where(ArrivalRow.state == "waiting"),
    }


async def queue(session: AsyncSession, name: str, at: datetime) -> Queue:
    """One of the kinds of work below."""
    length, since = (await session.execute(_due(at)[name])).one()
    return Queue(length=length, since=since)


async def queues(session: AsyncSession, at: datetime) -> dict[str, Queue]:
    """What is due at an instant and not done: inspections, entries without index, deliveries, events."""
    return {name: await queue(session, name, at) for name in _due(at)}


async def failing(session: AsyncSession) -> list[SourceRow]:
    """Sources that could not be read the last time, the longest first."""
    query = select(SourceRow).where(SourceRow.failing_since.is_not(None))
    return list(await session.scalars(query.order_by(SourceRow.failing_since)))


async def unread_repositories(session: AsyncSession) -> list[ServiceRow]:
    """Services whose repository could not be read the last time, the longest first."""
    query = select(ServiceRow).where(
        ServiceRow.repository_failing_since.is_not(None), ServiceRow.retired_at.is_(None)
    )
    return list(await session.scalars(query.order_by(ServiceRow.repository_failing_since)))


async def in_trouble(session: AsyncSession) -> int:
    """On how many promotions work failed."""
    query = select(func.count()).select_from(PromotionRow).where(PromotionRow.trouble.is_not(None))
    return await session.scalar(query) or 0


async def given_up(session: AsyncSession) -> int:
    """How many deliveries were given up."""
    query = select(func.count()).select_from(DeliveryRow).where(DeliveryRow.dead_at.is_not(None))
    return await session.scalar(query) or 0


async def database_bytes(session: AsyncSession) -> int:
    """How much of the disk the database takes, in bytes."""
    return int(await session.scalar(text("SELECT pg_database_size(current_database())")) or 0)


async def largest_tables(session: AsyncSession) -> list[tuple[str, int, int]]:
    """The tables that take most, with their bytes (indexes too) and about how many rows they have."""
    query = text(
        "SELECT relname, pg_total_relation_size(oid), greatest(reltuples, 0)::bigint FROM pg_class "
        "WHERE relkind = 'r' AND relnamespace = 'public'::regnamespace "
        "ORDER BY pg_total_relation_size(oid) DESC, relname LIMIT :most"
    )
    return [(row[0], row[1], row[2]) for row in await session.execute(query, {"most": _LARGEST})]


async def anything_asked_for(session: AsyncSession) -> bool:
    """Whether a promotion was ever asked for."""
    return bool(await session.scalar(select(select(PromotionRow.number).limit(1).exists())))


async def entries_since(session: AsyncSession, since: datetime) -> int:
    """How many entries of the ledger were written since an instant."""
    return await session.scalar(select(func.count()).select_from(EntryRow).where(EntryRow.at >= since)) or 0


async def key_ids(session: AsyncSession) -> set[bytes]:
    """The ids of the keys that anything in the database is sealed with."""
    query = text(
        "SELECT DISTINCT substring(sealed FROM 1 FOR 8) FROM ("
        "SELECT secret AS sealed FROM sources WHERE secret IS NOT NULL "
        "UNION ALL SELECT secret FROM senders UNION ALL SELECT secret FROM subscribers "
        "UNION ALL SELECT secret FROM chat_rooms WHERE secret IS NOT NULL "
        "UNION ALL SELECT sealed FROM proposals WHERE sealed IS NOT NULL "
        "UNION ALL SELECT sealed FROM sealed_values UNION ALL "
        "SELECT private FROM clearance_keys WHERE retired_at IS NULL) AS every"
    )
    return {bytes(row[0]) for row in await session.execute(query)}
