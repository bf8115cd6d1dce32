"""Accepting a finding until a date: who asks, who agrees, who ends it."""

from datetime import datetime, timedelta

from dogana.core.errors import ConflictError, InvalidError, NotFoundError, RefusedError
from dogana.core.findings import FindingKey, takes_two
from dogana.core.record.actions import Action
from dogana.core.words import when
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.dual_control import still_stands
from dogana.service.estate.findings import AcceptedView, accepted_of, accepted_view, severity_where_it_runs
from dogana.service.estate.layout import layout
from dogana.service.estate.matrix import read_runs
from dogana.service.ledger.entries import record
from dogana.service.preconditions import must_say
from dogana.store import Session, findings, landscape, lookup, people
from dogana.store.tables.estate import AcceptedFindingRow

LONGEST = timedelta(days=180)


async def accept(
    backend: Backend, actor: Actor, key: FindingKey, *, until: datetime, reason: str
) -> AcceptedView:
    """Accept a finding until a date; one that is high, critical or unrated waits for a second person.

    Raises:
        InvalidError: without a reason, or without an end within 180 days.
        NotFoundError: for what is found in nothing that runs.
        ConflictError: when it is accepted already, or that is asked for.
    """
    actor.must(Right.DECIDE)
    now = backend.clock()
    must_say(reason, "Say why it can be accepted.", "/reason")
    if not now < until <= now + LONGEST:
        raise InvalidError(
            "It is accepted to a date, within 180 days.", fields=[("/until", "within 180 days")]
        )
    async with backend.database.transaction() as session:
        severity = await _severity(session, key, now)
        if severity is None:
            raise NotFoundError(f"{key.name} is found in nothing of {key.service} that runs.")
        row = await findings.of(session, *key)
        if row is not None:
            if now < row.until and (row.granted_at is None or accepted_of(row).holds(severity, now)):
                raise ConflictError("It is accepted already, or somebody has asked for that.")
            row.ended_at = now
            await session.flush()
        two = takes_two(severity)
        made = AcceptedFindingRow(
            service_id=key.service,
            name=key.name,
            file=key.file,
            severity=severity,
            reason=reason.strip(),
            until=until,
            asked_by_id=actor.id,
            asked_at=now,
            granted_at=None if two else now,
        )
        session.add(made)
        await session.flush()
        action = Action.ASK_FINDING if two else Action.ACCEPT_FINDING
        verb = "asked to accept" if two else "accepted"
        await _say(session, actor, action, f"{actor.name} {verb} {_what(made)}", now, made, reason=reason)
        return accepted_view(made, severity, actor, await people.names(session), now)


async def grant(backend: Backend, actor: Actor, number: int) -> AcceptedView:
    """Agree to accept a finding, as the second person.

    Raises:
        NotFoundError: when nobody asked.
        RefusedError: for who asked for it, and where they could not any more.
        ConflictError: when it is over, granted already, or the finding is graver by now.
    """
    actor.must(Right.DECIDE)
    now = backend.clock()
    async with backend.database.transaction() as session:
        row = await _standing(session, number)
        if row.asked_by_id == actor.id:
            raise RefusedError("You asked for it; somebody else has to agree.")
        if not await still_stands(session, row.asked_by_id, Right.DECIDE):
            raise RefusedError("Who asked for it could not any more; end it, and ask for it yourself.")
        if row.granted_at is not None or row.until <= now:
            raise ConflictError("It is granted already, or its date is over.")
        severity = await _severity(session, FindingKey(row.service_id, row.name, row.file), now)
        row.granted_by_id, row.granted_at = actor.id, now
        if severity is not None and not accepted_of(row).holds(severity, now):
            raise ConflictError("The finding is graver than when that was asked for.")
        says = f"{actor.name} agreed to accept {_what(row)}"
        await _say(session, actor, Action.ACCEPT_FINDING, says, now, row, reason=row.reason)
        return accepted_view(row, severity or row.severity, actor, await people.names(session), now)


async def end(backend: Backend, actor: Actor, number: int, *, reason: str) -> None:
    """Accept it no longer, or take back that one asked.

    Raises:
        NotFoundError: when it does not stand.
    """
    actor.must(Right.DECIDE)
    now = backend.clock()
    async with backend.database.transaction() as session:
        row = await _standing(session, number)
        row.ended_at = now
        says = f"{actor.name} no longer accepts {_what(row)}, which was"
        await _say(session, actor, Action.END_ACCEPTED_FINDING, says, now, row, reason=reason)


async def _standing(session: Session, number: int) -> AcceptedFindingRow:
    row = await findings.get(session, number)
    if row is None or row.ended_at is not None:
        raise NotFoundError("Nobody asked to accept that.")
    return row


async def _severity(session: Session, key: FindingKey, now: datetime) -> str | None:
    plan = await layout(session)
    shown = plan.narrowed(services=[key.service])
    runs = await read_runs(session, shown, now)
    found = await lookup.findings_of(session, {run.release for run in runs.values()})
    return severity_where_it_runs(key, runs.values(), found)


def _what(row: AcceptedFindingRow) -> str:
    place = f" in {row.file}" if row.file else ""
    return f"{row.name}{place} of {row.service_id} ({row.severity})"


async def _say(
    session: Session,
    actor: Actor,
    action: Action,
    says: str,
    now: datetime,
    row: AcceptedFindingRow,
    *,
    reason: str,
) -> None:
    zone = (await landscape.environments(session))[0].zone
    details = {
        "service": row.service_id,
        "finding": row.name,
        "file": row.file,
        "severity": row.severity,
        "until": when(row.until, zone),
    }
    record(
        session, actor, action, f"{says} until {when(row.until, zone)}.", now, reason=reason, details=details
    )
