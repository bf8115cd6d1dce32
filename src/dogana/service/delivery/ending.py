"""What moves and whose deployer is silent: said once it takes too long, and ended by an approver."""

from datetime import timedelta
from typing import Literal

from dogana.core.errors import ConflictError, ExcludedError, MovedOnError
from dogana.core.record.actions import Action
from dogana.core.words import lasting
from dogana.service.actor import ENGINE, Actor, Right
from dogana.service.backend import Backend
from dogana.service.delivery.course import schedule_inspection, write_landing, write_roll_back
from dogana.service.landscape.releases import artifacts_of
from dogana.service.ledger.entries import record
from dogana.service.preconditions import must_say
from dogana.service.promotions.grounds import kept
from dogana.service.promotions.lookup import found_locked, what
from dogana.store import courses, ledger, schedule, secrets
from dogana.store.database import announce
from dogana.store.tables.promotions import PromotionRow, State

EndedAs = Literal["landed", "failed"]

SILENT_AFTER = timedelta(minutes=15)
"""How long a deployer may say nothing before somebody else may speak for it."""


async def end(backend: Backend, actor: Actor, number: int, *, how: EndedAs, reason: str) -> PromotionRow:
    """End what moves in the place of a deployer that is silent, by an approver who looked.

    Raises:
        InvalidError: without a reason.
        MovedOnError: when it does not move.
        ConflictError: while its deployer was heard of lately; as landed, while steps of its plan are left.
        ExcludedError: as landed, for who asked for it or may have written part of it.
    """
    actor.must(Right.DECIDE)
    must_say(reason, "Say how you know.", "/comment")
    now = backend.clock()
    async with backend.database.transaction() as session:
        row = (await found_locked(session, number)).row
        if row.state != State.MOVING or row.departed_at is None:
            raise MovedOnError(f"Promotion {number} is not moving: it is {row.state}.")
        said = (await ledger.last_words(session, [number])).get(number)
        heard = said.at if said is not None else row.departed_at
        if now - heard < SILENT_AFTER:
            wait = lasting(SILENT_AFTER - (now - heard))
            raise ConflictError(f"Its deployer was heard of {lasting(now - heard)} ago; give it {wait} more.")
        details = {"ended by": actor.id, "silent since": heard.isoformat()}
        if how == "failed":
            await write_roll_back(session, actor, row, now, reason)
        else:
            grounds = await kept(session, row, now)
            if grounds.may_have_part(actor.id):
                raise ExcludedError(
                    "Who asked for it or may have written part of it does not say that it landed."
                )
            held = await courses.get(session, number)
            if held is not None and held.ended_at is None:
                raise ConflictError("It has not landed before all steps of its plan are over.")
            row.landed_artifacts = [one.plain() for one in artifacts_of(row.release)]
            await courses.close(session, number, now)
            await secrets.use_clearances(session, number, now)
            says = f"{actor.name} said in the place of its deployer that {what(row)} landed."
            await write_landing(session, actor, row, now, details, reason, says)
        schedule_inspection(session, row, now)
    return row


async def say_overdue(backend: Backend) -> None:
    """Put on record, once, what takes longer to go in than its environment allows."""
    now = backend.clock()
    async with backend.database.transaction() as session:
        for row in await schedule.overdue(session, now):
            row.overdue_at = row.changed_at = now
            limit = row.environment.time_limit
            says = f"{what(row)} has been on its way in for longer than {lasting(limit or timedelta())}."
            record(session, ENGINE, Action.OVERDUE, says, now, promotion=row)
            announce(session, "promotion", [row.number])
