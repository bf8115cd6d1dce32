"""Work that fails on one promotion: kept with it and tried again, while all else goes on."""

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from datetime import timedelta

import structlog

from dogana.core.document import Instant
from dogana.core.errors import AgainError, AwayError, DoganaError
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.counting import FAILURES
from dogana.service.promotions.lookup import what
from dogana.service.shapes import View
from dogana.store import schedule
from dogana.store.database import announce
from dogana.store.tables.promotions import PENDING


class TroubleView(View):
    """Work on a promotion that failed."""

    number: int
    what: str
    reason: str
    at: Instant
    again_at: Instant | None
    """When it is tried again; absent where that is soon."""


_log = structlog.get_logger("dogana.worker")

_MOST = 200


@asynccontextmanager
async def kept(backend: Backend, number: int) -> AsyncIterator[None]:
    """Work on one promotion, of which nothing reaches the work on others.

    Raises:
        AwayError: when the database is away, which is no fault of this promotion.
    """
    try:
        yield
    except DoganaError as exc:
        # Where many want the same promotion, the others have their turn all the same.
        if isinstance(exc, AwayError) and not isinstance(exc, AgainError):
            raise
        FAILURES.inc()
        _log.warning("not done", promotion=number, code=exc.code, detail=exc.detail)
        await _keep(backend, number, exc.detail)
    except Exception as exc:  # noqa: BLE001 - one row that fails stops no other
        FAILURES.inc()
        _log.exception("failed", promotion=number)
        await _keep(
            backend, number, f"A fault of the program, {type(exc).__name__}; the worker's log has more."
        )


async def _keep(backend: Backend, number: int, reason: str) -> None:
    now = backend.clock()
    async with backend.database.transaction() as session:
        await schedule.note_trouble(session, number, reason, now, now + timedelta(seconds=backend.refresh))
        announce(session, "promotion", [number])


async def troubles(backend: Backend, actor: Actor) -> list[TroubleView]:
    """On which promotions work failed, why, and when it is tried again; the latest first."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        return [
            TroubleView(
                number=row.number,
                what=what(row),
                reason=row.trouble or "",
                at=row.trouble_at or row.changed_at,
                again_at=row.inspect_at if row.state in PENDING else None,
            )
            for row in await schedule.in_trouble(session, _MOST)
        ]
