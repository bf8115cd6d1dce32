"""Sources that are read again and again by themselves: each as its time comes, none in another's way."""

from collections.abc import Awaitable, Callable
from typing import TypeVar

import structlog

from dogana.core.errors import AwayError
from dogana.service.backend import Backend
from dogana.service.sources.registry import ReadOutcome, configured, note
from dogana.sources.settings import CalendarSettings, Configured, ScrapeSettings
from dogana.store import sources

_log = structlog.get_logger("dogana.sources")
Kept = TypeVar("Kept", ScrapeSettings, CalendarSettings)


async def read_due(
    backend: Backend, kind: type[Kept], read: Callable[[Configured[Kept]], Awaitable[str | None]]
) -> None:
    """Read every source of a kind whose time has come, and keep how that came out.

    Args:
        backend: the clock and the database.
        kind: the settings of such sources.
        read: reads one, and gives the reason where it cannot be; whatever it raises stops no other.

    Raises:
        AwayError: when the database is away.
    """
    now = backend.clock()
    async with backend.database.transaction() as session:
        rows = await sources.sources(session)
    for row in rows:
        at = configured(backend, row)
        if not isinstance(at.settings, kind) or (row.tried_at and now - row.tried_at < at.settings.every):
            continue
        try:
            reason = await read(at.of(kind))
        except AwayError:
            raise
        except Exception:  # noqa: BLE001 - one stops no other
            _log.exception("not read", source=row.id)
            reason = "it could not be taken in; the log says why"
        async with backend.database.transaction() as session:
            kept = await sources.source(session, row.id, lock=True)
            if kept is not None:
                kept.tried_at = now
            await note(session, [ReadOutcome(source=row.id, at=now, reason=reason)])
