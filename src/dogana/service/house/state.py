"""The state of the house, for those who keep it up: processes, what fails, what is late, how large it is."""

from datetime import timedelta
from typing import Literal

from dogana import __version__
from dogana.core.document import Instant
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.house import processes
from dogana.service.house.readiness import Check, readiness
from dogana.service.shapes import Named, View
from dogana.store import house

_LATELY = timedelta(days=7)
_DAYS = 7


class ProcessState(View):
    """One process, as it told last."""

    kind: Literal["web", "worker"]
    version: str
    host: str
    pid: int
    began_at: Instant
    silent_seconds: int
    alive: bool
    lacks: list[str]


class QueueState(View):
    """Work that is due and not done."""

    name: str
    due: int
    since: Instant | None


class FailingSource(View):
    """A source that cannot be read."""

    source: Named
    since: Instant
    reason: str


class TableSize(View):
    """What one table takes of the disk, with its indexes."""

    name: str
    size: int
    rows: int
    """About."""


class HouseState(View):
    """How the installation fares."""

    version: str
    schema_version: str
    checks: list[Check]
    processes: list[ProcessState]
    queues: list[QueueState]
    failing: list[FailingSource]
    unread: list[FailingSource]
    """Services whose repository cannot be read."""
    in_trouble: int
    """Promotions on which work failed."""
    given_up: int
    """Deliveries that were given up."""
    size: int
    """Of the database, in bytes."""
    tables: list[TableSize]
    entries_a_day: float
    """Entries of the ledger, on average of the last seven days."""
    bytes_a_day: float
    """By about how much the database grows, if an entry takes what it took so far."""


async def state(backend: Backend, actor: Actor) -> HouseState:
    """Everything there is to know of how the installation fares.

    Raises:
        AwayError: while the database is away.
    """
    actor.must(Right.READ)
    now = backend.clock()
    checks = (await readiness(backend)).checks
    running = await processes.running(backend)
    async with backend.database.transaction() as session:
        revision = await house.revision(session)
        queues = await house.queues(session, now)
        failing = await house.failing(session)
        size = await house.database_bytes(session)
        tables = await house.largest_tables(session)
        lately = await house.entries_since(session, now - _LATELY)
        entries = next((rows for name, _, rows in tables if name == "ledger_entries"), 0)
        return HouseState(
            version=__version__,
            schema_version=revision or "",
            checks=checks,
            processes=[_process(one) for one in running],
            queues=[QueueState(name=name, due=one.length, since=one.since) for name, one in queues.items()],
            failing=[
                FailingSource(
                    source=Named(id=one.id, name=one.title), since=one.failing_since, reason=one.reason or ""
                )
                for one in failing
                if one.failing_since is not None
            ],
            unread=[
                FailingSource(
                    source=Named(id=one.id, name=one.title),
                    since=one.repository_failing_since,
                    reason=one.repository_reason or "",
                )
                for one in await house.unread_repositories(session)
                if one.repository_failing_since is not None
            ],
            in_trouble=await house.in_trouble(session),
            given_up=await house.given_up(session),
            size=size,
            tables=[TableSize(name=name, size=taken, rows=rows) for name, taken, rows in tables],
            entries_a_day=lately / _DAYS,
            bytes_a_day=size / entries * lately / _DAYS if entries else 0.0,
        )


def _process(one: processes.Running) -> ProcessState:
    return ProcessState(
        kind=one.kind,
        version=one.version,
        host=one.host,
        pid=one.pid,
        began_at=one.began_at,
        silent_seconds=round(one.silent_for.total_seconds()),
        alive=one.alive,
        lacks=list(one.lacks),
    )
