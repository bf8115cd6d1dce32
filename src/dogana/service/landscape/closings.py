"""Closing an environment at once, and opening it again: tightening takes one person, loosening two."""

from collections.abc import Mapping
from datetime import datetime, timedelta

from dogana.core.document import Instant
from dogana.core.errors import ConflictError, InvalidError, NotFoundError, RefusedError
from dogana.core.record.actions import Action
from dogana.core.words import when
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.dual_control import still_stands
from dogana.service.ledger.entries import record
from dogana.service.policies.in_force import in_force
from dogana.service.preconditions import must_say
from dogana.service.shapes import Named, View, named
from dogana.store import Session, landscape, people, promotions, schedule
from dogana.store.database import announce
from dogana.store.tables.landscape import ClosingRow, EnvironmentRow


class ClosingView(View):
    """An environment closed at once."""

    id: int
    environment: str
    since: Instant
    until: Instant
    reason: str
    by: Named
    opening_asked_by: Named | None
    """Who asked to open it before its end."""
    opened_at: Instant | None


LONGEST = timedelta(days=7)
"""For how long at most; what is to be closed longer is a freeze of the policy."""


async def close_now(
    backend: Backend, actor: Actor, environment: str, *, until: datetime, reason: str
) -> ClosingView:
    """Let nothing enter from now until an end.

    Raises:
        InvalidError: without a reason, or without an end within seven days.
        NotFoundError: for an unknown environment.
        RefusedError: for whoever is not of the group that the policy names.
    """
    actor.must(Right.DECIDE)
    now = backend.clock()
    must_say(reason, "Say why it is closed.", "/reason")
    if not now < until <= now + LONGEST:
        raise InvalidError("It is closed to an end, within seven days.", fields=[("/until", "within 7 days")])
    async with backend.database.transaction() as session:
        target, _ = await _may_close(session, actor, environment, now)
        await promotions.lock_environment(session, environment)
        row = ClosingRow(
            environment_id=environment, since=now, until=until, reason=reason.strip(), by_id=actor.id
        )
        session.add(row)
        await session.flush()
        says = f"{actor.name} closed {target.title} until {when(until, target.zone)}."
        record(session, actor, Action.CLOSE_NOW, says, now, environment=environment, reason=reason)
        _looked_at_anew(session, environment, now)
        return closing_view(row, {actor.id: actor.name})


async def open_again(backend: Backend, actor: Actor, closing: int, *, reason: str) -> ClosingView:
    """Ask to open before the end, or, by somebody else of the group once that was asked, open.

    Raises:
        InvalidError: without a reason.
        NotFoundError: when nothing is closed by that any more.
        RefusedError: for whoever is not of the group, and for who asked.
    """
    actor.must(Right.DECIDE)
    now = backend.clock()
    must_say(reason, "Say why it is opened.", "/reason")
    async with backend.database.transaction() as session:
        row = await session.get(ClosingRow, closing, with_for_update={"of": ClosingRow})
        if row is None or row.opened_at is not None or row.until <= now:
            raise NotFoundError("Nothing is closed by that any more.")
        environment, group = await _may_close(session, actor, row.environment_id, now)
        names = await people.names(session)
        asked_by = row.opening_asked_by_id
        if asked_by is None or not await still_stands(session, asked_by, Right.DECIDE, group):
            row.opening_asked_by_id = actor.id
            action, says = Action.ASK_OPENING, f"{actor.name} asked to open {environment.title} again."
        elif asked_by == actor.id:
            raise RefusedError("You asked to open it; a second person has to agree.")
        else:
            row.opened_at = now
            action, says = Action.OPEN_AGAIN, f"{actor.name} opened {environment.title} again."
        record(session, actor, action, says, now, environment=row.environment_id, reason=reason)
        _looked_at_anew(session, row.environment_id, now)
        return closing_view(row, names)


async def closings(backend: Backend, actor: Actor) -> list[ClosingView]:
    """What is closed at once now."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        names = await people.names(session)
        return [closing_view(row, names) for row in await landscape.closings(session, backend.clock())]


async def _may_close(
    session: Session, actor: Actor, environment: str, now: datetime
) -> tuple[EnvironmentRow, str]:
    """The environment, and the group that may close it, to which somebody belongs."""
    target = await landscape.environment(session, environment)
    if target is None or target.removed_at is not None:
        raise NotFoundError(f"There is no environment {environment}.")
    if target.departs == "never":
        raise ConflictError(f"Nothing enters {target.title}; there is nothing to close.")
    policy = (await in_force(session, target, now)).policy
    if policy.closes is None or policy.closes not in actor.groups:
        groups = await people.group_titles(session)
        named = groups.get(policy.closes, policy.closes) if policy.closes else "nobody"
        raise RefusedError(f"The policy of {target.title} lets {named} close it at once.")
    return target, policy.closes


def _looked_at_anew(session: Session, environment: str, now: datetime) -> None:
    """What waits there is inspected within the second."""
    schedule.inspection(session, now, environment=environment)
    announce(session, "landscape")


def closing_view(row: ClosingRow, names: Mapping[str, str]) -> ClosingView:
    """An environment closed at once."""
    asked = row.opening_asked_by_id
    return ClosingView(
        id=row.id,
        environment=row.environment_id,
        since=row.since,
        until=row.until,
        reason=row.reason,
        by=named(row.by_id, names),
        opening_asked_by=named(asked, names) if asked else None,
        opened_at=row.opened_at,
    )
