"""Writing ledger entries, in the transaction of the decision they record."""

from collections.abc import Sequence
from datetime import datetime
from functools import partial
from typing import Any

import structlog

from dogana.core.messages.kinds import ENDED_BY, OF_ENTRIES
from dogana.core.record.actions import Action
from dogana.core.record.canonical import canonical_plain
from dogana.service.actor import Actor
from dogana.service.counting import ENTRIES
from dogana.store import Session, exchange
from dogana.store.database import announce, at_end, once_committed
from dogana.store.tables.ledger import EntryRow
from dogana.store.tables.promotions import PromotionRow

FORMAT = "dogana.entry/1"
_TO_PEOPLE = [action.value for action in OF_ENTRIES | ENDED_BY]
_log = structlog.get_logger("dogana.ledger")


def instant(at: datetime) -> str:
    """An instant as entries write it: ISO 8601, UTC, microseconds."""
    return at.isoformat(timespec="microseconds").replace("+00:00", "Z")


def entry(
    actor: Actor,
    action: Action,
    says: str,
    at: datetime,
    *,
    promotion: PromotionRow | None = None,
    environment: str | None = None,
    reason: str = "",
    on: dict[str, str] | None = None,
    details: dict[str, Any] | None = None,
) -> EntryRow:
    """One entry, not yet written.

    Args:
        actor: who decided.
        action: the kind of decision.
        says: the decision as one sentence, for people.
        at: when it was made.
        promotion: what it was about, if a promotion.
        environment: what it was about, if an environment.
        reason: what the person wrote.
        on: digests of what it was decided on.
        details: further plain values, no floats; of what was set, what it was and what it is.
    """
    service = promotion.service_id if promotion else None
    environment = promotion.environment_id if promotion else environment
    body: dict[str, Any] = {
        "format": FORMAT,
        "at": instant(at),
        "action": action.value,
        "actor": {"id": actor.id, "name": actor.name, "way": actor.channel},
        "says": says,
    }
    if promotion is not None:
        body |= {"promotion": promotion.number, "service": service, "version": promotion.release.version}
    for key, value in (("environment", environment), ("reason", reason), ("on", on), ("details", details)):
        if value:
            body[key] = value
    return EntryRow(
        at=at,
        action=action.value,
        actor_id=actor.id,
        promotion=promotion.number if promotion else None,
        environment_id=environment,
        service_id=service,
        body=canonical_plain(body).decode(),
    )


def append(session: Session, rows: Sequence[EntryRow]) -> None:
    """Write entries in the transaction of what they record, for all who are to be told of them."""
    session.add_all(rows)
    session.info.setdefault("entries", []).extend(rows)
    announce(session, "entry", [row.promotion for row in rows])
    at_end(session, _tell)
    once_committed(session, partial(_log_all, rows))


def _log_all(rows: Sequence[EntryRow]) -> None:
    """Entries in the log of the process, without what they hold: the record has that."""
    for row in rows:
        ENTRIES.labels(row.action).inc()
        _log.info(
            "entry",
            action=row.action,
            actor=row.actor_id,
            promotion=row.promotion,
            environment=row.environment_id,
        )


async def _tell(session: Session) -> None:
    await session.flush()
    await exchange.enqueue(session, [row.id for row in session.info.pop("entries")], _TO_PEOPLE)


def record(session: Session, actor: Actor, action: Action, says: str, at: datetime, **more: Any) -> EntryRow:
    """Write one entry; `more` is what `entry` takes."""
    row = entry(actor, action, says, at, **more)
    append(session, [row])
    return row
