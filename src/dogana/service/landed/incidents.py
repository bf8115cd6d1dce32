"""Incidents: told by a system or by a person, acknowledged, noted, closed."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from dogana.core.document import Instant
from dogana.core.errors import ConflictError, ExcludedError, InvalidError, NotFoundError, UnknownNameError
from dogana.core.facts import in_the_future
from dogana.core.record.actions import Action
from dogana.core.words import sentence, when
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.courses.steering import stop_for_incident
from dogana.service.ledger.entries import instant, record
from dogana.service.preconditions import must_say
from dogana.service.promotions.authorship import part_in, parts_in
from dogana.service.shapes import Named, View, named
from dogana.store import Session, incidents, landscape, people, promotions, schedule
from dogana.store.database import announce
from dogana.store.tables.incidents import IncidentRow
from dogana.store.tables.promotions import PromotionRow

BY_HAND = "by hand"
_MOST_NOTES, _NOTES_LISTED = 200, 5
_MOST = 200
_LONGEST = 300


class Note(View):
    """What somebody wrote to an incident."""

    at: Instant
    by: str
    text: str


class IncidentView(View):
    """Something that went wrong with a service in an environment."""

    number: int
    service: Named
    environment: Named
    what: str
    says: str
    """How it stands, as a sentence."""
    since: Instant
    over_at: Instant | None
    """When it was over; absent while it is not."""
    lasted: float | None
    """How long it took until then, in seconds."""
    acknowledged: bool
    closed: bool
    landing: int | None
    """The promotion that had landed there last, or was going in."""
    landing_name: str | None
    notes: list[Note]
    """The last of them, the first of them first; of an incident asked for by itself, all."""
    earlier_notes: int
    """How many more there are."""
    may_close: bool
    """Whether the viewer may say that it is over."""


@dataclass(frozen=True, kw_only=True)
class Told:
    """What somebody tells of an incident."""

    source: str
    """Who calls it so."""
    name: str
    service: str
    environment: str
    what: str
    detected_at: datetime | None = None
    resolved_at: datetime | None = None


async def take(backend: Backend, session: Session, actor: Actor, told: Told) -> IncidentRow:
    """Take in what is told of an incident; what was told before changes nothing.

    That it is over counts no earlier than we heard that it began: whoever tells of it late does not shorten
    what has to be waited for.

    Raises:
        UnknownNameError: for an unknown service or environment.
        InvalidError: for what is dated after now, or is over before it began.
    """
    now = backend.clock()
    actor.must_reach(told.service, told.environment)
    service = await landscape.service(session, told.service)
    if service is None:
        raise UnknownNameError(f"There is no service {told.service}.")
    target = await landscape.environment(session, told.environment)
    if target is None:
        raise UnknownNameError(f"There is no environment {told.environment}.")
    if any(at is not None and in_the_future(at, now) for at in (told.detected_at, told.resolved_at)):
        raise InvalidError("It is dated after now.")
    if told.detected_at and told.resolved_at and told.resolved_at < told.detected_at:
        raise InvalidError("It was over before it began.")
    row = await incidents.named(session, told.source, told.name)
    is_new = row is None
    if row is None:
        row = IncidentRow(
            source=told.source,
            id=told.name,
            service=service,
            environment=target,
            opened_at=now,
            opened_by_id=actor.id,
            landing=await incidents.last_arrival(session, told.service, told.environment),
            notes=[],
        )
        session.add(row)
    elif (row.service_id, row.environment_id) != (told.service, told.environment):
        raise InvalidError(f"{told.name} is known as an incident of something else.")
    said = " ".join(told.what.split())[:_LONGEST]
    row.what = row.what or sentence(said or f"an incident, {told.name}")
    before = row.detected_at, row.resolved_at
    _keep_times(row, told)
    if (row.detected_at, row.resolved_at) != before or is_new:
        await session.flush()
        await _took(session, actor, row, now, began=row.detected_at != before[0])
    return row


def _keep_times(row: IncidentRow, told: Told) -> None:
    """Since when it is and when it was over; what begins once more after that is open again."""
    again = told.detected_at and row.resolved_at and told.detected_at > row.resolved_at
    if again:
        row.resolved_at = row.closed_at = row.closed_by_id = None
    if again or row.detected_at is None:
        row.detected_at = told.detected_at
    over = told.resolved_at
    if over is not None and row.resolved_at is None and (row.detected_at is None or over >= row.detected_at):
        row.resolved_at = max(over, row.opened_at)


async def _took(session: Session, actor: Actor, row: IncidentRow, now: datetime, *, began: bool) -> None:
    over = row.resolved_at is not None
    if began and not over:
        await stop_for_incident(session, row.service_id, row.environment_id, row.what, now)
    action = Action.INCIDENT_RESOLVED if over else Action.INCIDENT_DETECTED
    word = "is over" if over else "began"
    says = f"{actor.name} told of {_where(row)}: an incident {word}."
    _write(session, actor, action, says, now, row, reason=row.what)


def _where(row: IncidentRow) -> str:
    return f"{row.service.title} in {row.environment.title}"


def _write(
    session: Session, actor: Actor, action: Action, says: str, now: datetime, row: IncidentRow, *, reason: str
) -> None:
    details = {"incident": str(row.number), "source": row.source, "name": row.id}
    if row.landing is not None:
        details["landing"] = str(row.landing)
    record(session, actor, action, says, now, environment=row.environment_id, reason=reason, details=details)
    schedule.inspection(session, now, service=row.service_id)
    announce(session, "promotion", [row.landing])


async def open_by_hand(
    backend: Backend, actor: Actor, *, service: str, environment: str, what: str
) -> IncidentView:
    """Say that something goes wrong.

    Raises:
        InvalidError: without saying what.
        UnknownNameError: for an unknown service or environment.
    """
    actor.must(Right.COMMENT)
    must_say(what, "Say what goes wrong.", "/reason")
    now = backend.clock()
    told = Told(
        source=BY_HAND,
        name=f"{actor.id} {instant(now)}",
        service=service,
        environment=environment,
        what=what,
        detected_at=now,
    )
    async with backend.database.transaction() as session:
        row = await take(backend, session, actor, told)
        return await _view_of(session, actor, row)


async def acknowledge(backend: Backend, actor: Actor, number: int) -> IncidentView:
    """Say that one is at it.

    Raises:
        NotFoundError: when there is none.
        ConflictError: when somebody is, or it is closed.
    """
    actor.must(Right.COMMENT)
    now = backend.clock()
    async with backend.database.transaction() as session:
        row = await _open(session, number)
        if row.acknowledged_at is not None:
            raise ConflictError("Somebody is at it already.")
        row.acknowledged_at, row.acknowledged_by_id = now, actor.id
        says = f"{actor.name} is at the incident of {_where(row)}."
        _write(session, actor, Action.ACKNOWLEDGE_INCIDENT, says, now, row, reason="")
        return await _view_of(session, actor, row)


async def add_note(backend: Backend, actor: Actor, number: int, *, text: str) -> IncidentView:
    """Write something to it, closed or not.

    Raises:
        NotFoundError: when there is none.
        ConflictError: once it has two hundred.
    """
    actor.must(Right.COMMENT)
    must_say(text, "Write something.", "/comment")
    now = backend.clock()
    async with backend.database.transaction() as session:
        row = await _found(session, number, lock=True)
        if len(row.notes) >= _MOST_NOTES:
            raise ConflictError("It has two hundred notes; open another.")
        _note(row, actor, text, now)
        says = f"{actor.name} wrote to the incident of {_where(row)}."
        _write(session, actor, Action.NOTE_INCIDENT, says, now, row, reason=text)
        return await _view_of(session, actor, row)


async def close(backend: Backend, actor: Actor, number: int, *, reason: str) -> IncidentView:
    """Say that it is over and done with; the soak counts from then where its source had not said so.

    Raises:
        InvalidError: without saying how it ended.
        NotFoundError: when there is none.
        ConflictError: when it is closed.
        ExcludedError: for who is known to have asked for what it came after, or to have written part of it.
    """
    actor.must(Right.DECIDE)
    must_say(reason, "Say how it ended.", "/comment")
    now = backend.clock()
    async with backend.database.transaction() as session:
        row = await _open(session, number)
        landing = await promotions.get(session, row.landing) if row.landing is not None else None
        if landing is not None and await part_in(session, actor.id, landing):
            raise ExcludedError("Who asked for what it came after, or wrote part of it, does not close it.")
        row.closed_at, row.closed_by_id = now, actor.id
        row.resolved_at = row.resolved_at or now
        _note(row, actor, reason, now)
        says = f"{actor.name} closed the incident of {_where(row)}."
        _write(session, actor, Action.CLOSE_INCIDENT, says, now, row, reason=reason)
        return await _view_of(session, actor, row)


def _note(row: IncidentRow, actor: Actor, text: str, now: datetime) -> None:
    row.notes = [*row.notes, {"at": instant(now), "by": actor.name, "text": text.strip()}]


async def _open(session: Session, number: int) -> IncidentRow:
    row = await _found(session, number, lock=True)
    if row.closed_at is not None:
        raise ConflictError("It is closed.")
    return row


async def _found(session: Session, number: int, *, lock: bool = False) -> IncidentRow:
    row = await incidents.get(session, number, lock=lock)
    if row is None:
        raise NotFoundError(f"There is no incident {number}.")
    return row


async def latest(
    backend: Backend,
    actor: Actor,
    *,
    closed: bool,
    before: int | None = None,
    service: str | None = None,
    environment: str | None = None,
) -> list[IncidentView]:
    """What nobody has closed, or all of it, before a number; the latest first, two hundred at a time."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        rows = await incidents.latest(
            session, _MOST, all_=closed, before=before, service=service, environment=environment
        )
        return await _views(session, actor, rows, await people.names(session))


async def incident(backend: Backend, actor: Actor, number: int) -> IncidentView:
    """One, with all its notes.

    Raises:
        NotFoundError: when there is none.
    """
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        return await _view_of(session, actor, await _found(session, number))


async def on_desk(
    session: Session, actor: Actor, names: Mapping[str, str]
) -> tuple[list[IncidentView], bool]:
    """What nobody has closed, where one may read already, and whether that is all."""
    rows = await incidents.latest(session, _MOST + 1)
    return await _views(session, actor, rows[:_MOST], names), len(rows) <= _MOST


async def _views(
    session: Session,
    actor: Actor,
    rows: Sequence[IncidentRow],
    names: Mapping[str, str],
    notes: int = _NOTES_LISTED,
) -> list[IncidentView]:
    after = {row.landing for row in rows if row.landing is not None}
    landings = await promotions.numbered(session, after) if after else {}
    may = Right.DECIDE in actor.rights
    open_after = {row.landing for row in rows if may and row.closed_at is None}
    parts = await parts_in(session, actor.id, [row for n, row in landings.items() if n in open_after])
    shut = {row.number for row in rows if not may or row.closed_at is not None or parts.get(row.landing or 0)}
    return [_view(row, names, landings, notes, may_close=row.number not in shut) for row in rows]


async def _view_of(session: Session, actor: Actor, row: IncidentRow) -> IncidentView:
    await session.flush()
    return (await _views(session, actor, [row], await people.names(session), _MOST_NOTES))[0]


def _view(
    row: IncidentRow,
    names: Mapping[str, str],
    landings: Mapping[int, PromotionRow],
    notes: int,
    *,
    may_close: bool,
) -> IncidentView:
    environment, landing = row.environment, landings.get(row.landing or 0)
    return IncidentView(
        number=row.number,
        service=Named(id=row.service_id, name=row.service.title),
        environment=Named(id=environment.id, name=environment.title),
        what=row.what,
        says=_says(row, names),
        since=row.detected_at or row.opened_at,
        over_at=row.resolved_at,
        lasted=(row.resolved_at - (row.detected_at or row.opened_at)).total_seconds()
        if row.resolved_at
        else None,
        acknowledged=row.acknowledged_at is not None,
        closed=row.closed_at is not None,
        landing=row.landing,
        landing_name=f"{landing.release.service.title} {landing.release.version}" if landing else None,
        notes=[Note.model_validate(one) for one in row.notes[-notes:]],
        earlier_notes=max(len(row.notes) - notes, 0),
        may_close=may_close,
    )


def _says(row: IncidentRow, names: Mapping[str, str]) -> str:
    zone = row.environment.zone
    if row.closed_at is not None:
        who = named(row.closed_by_id, names).name if row.closed_by_id else "its source"
        return f"Closed by {who}, {when(row.closed_at, zone)}."
    if row.resolved_at is not None:
        return f"Over since {when(row.resolved_at, zone)}, its source says; nobody has closed it yet."
    began = when(row.detected_at or row.opened_at, zone)
    if row.acknowledged_by_id is not None:
        return f"Since {began}; {named(row.acknowledged_by_id, names).name} is at it."
    return f"Since {began}; nobody is at it yet."
