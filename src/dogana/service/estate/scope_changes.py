"""How scopes change: by hand, and by the queries that keep them up."""

from collections.abc import Sequence
from datetime import datetime, timedelta

import structlog

from dogana.core.record.actions import Action
from dogana.core.words import listed
from dogana.service.actor import ENGINE, Actor
from dogana.service.backend import Backend
from dogana.service.ledger.entries import record
from dogana.service.sources.registry import Sources, load
from dogana.sources.settings import Configured, TrackerSettings
from dogana.store import Session, scopes
from dogana.store.database import announce
from dogana.store.tables.scopes import ScopeChangeRow, ScopeRow

_EVERY, _MOST = timedelta(minutes=5), 200
_log = structlog.get_logger("dogana.worker")


def answers_queries(sources: Sources, name: str) -> Configured[TrackerSettings] | None:
    """The tracker of a name, if it answers queries."""
    return next((one for one in sources.trackers if one.id == name and one.settings.search), None)


def keys_of(sources: Sources, typed: Sequence[str]) -> list[str]:
    """The tickets as their trackers call them, each once, in their order."""
    return list(
        dict.fromkeys(sources.ticket_key(one) or sources.ticket_key(one.upper()) or one for one in typed)
    )


def came_and_went(added: Sequence[str], removed: Sequence[str]) -> str:
    """`A-1 came in and A-2 went out`; nothing where neither did."""
    each = ((added, "came in"), (removed, "went out"))
    return listed([f"{listed(some)} {how}" for some, how in each if some])


async def change(
    session: Session,
    actor: Actor,
    row: ScopeRow,
    tickets: Sequence[str],
    by: str,
    now: datetime,
    *,
    always: bool = False,
) -> None:
    """Put tickets into a scope in place of those it has; what came in and went out is on record."""
    added = [one for one in tickets if one not in row.tickets]
    removed = [one for one in row.tickets if one not in tickets]
    row.tickets = list(tickets)
    if added or removed:
        session.add(ScopeChangeRow(scope=row.number, at=now, by=by, added=added, removed=removed))
    if not (added or removed or always):
        return
    said = came_and_went(added, removed)
    says = f"{by} set the scope {row.title}{': ' if said else ''}{said}."
    details = details_of(row) | {"added": ", ".join(added), "removed": ", ".join(removed)}
    record(session, actor, Action.SET_SCOPE, says, now, details=details)
    announce(session, "scope")


def details_of(row: ScopeRow) -> dict[str, str]:
    """What an entry keeps of a scope."""
    return {"scope": str(row.number), "tickets": ", ".join(row.tickets)}


async def follow_queries(backend: Backend) -> None:
    """Ask the queries that keep scopes up; one that fails leaves what was known, and stops no other."""
    now = backend.clock()
    async with backend.database.transaction() as session:
        due = [
            (row.number, row.source_id, row.query)
            for row in await scopes.to_read(session, now - _EVERY, _MOST)
        ]
        sources = await load(backend, session)
    for number, source, query in due:
        tracker = answers_queries(sources, source or "")
        try:
            said = await backend.tracker.search(tracker, query or "") if tracker else None
            async with backend.database.transaction() as session:
                row = await scopes.get(session, number, lock=True)
                if row is None or row.query != query or row.declared_at is not None:
                    continue
                row.read_at = now
                row.unknown = "no tracker of that name answers queries" if said is None else said.unknown
                if said is not None and said.value is not None:
                    tickets = keys_of(sources, said.value)
                    await change(session, ENGINE, row, tickets, said.source, now)
        except Exception:  # noqa: BLE001 - one scope stops no other
            _log.exception("not asked", scope=number)
