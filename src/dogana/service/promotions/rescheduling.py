"""Putting a promotion off to a start that a person sets, and letting it go as soon as it can again."""

from datetime import datetime, timedelta

from dogana.core.errors import ExcludedError, InvalidError, RefusedError
from dogana.core.inspect.sheet import Sheet
from dogana.core.record.actions import Action
from dogana.core.words import when
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.promotions.grounds import Grounds
from dogana.service.promotions.inspection import record_on, settle
from dogana.service.promotions.lookup import what
from dogana.service.promotions.refreshing import pending
from dogana.store.tables.promotions import PromotionRow

FURTHEST = timedelta(days=90)


def may_let_go_earlier(row: PromotionRow, actor: Actor, grounds: Grounds, now: datetime) -> bool:
    """Whether somebody who may set a start may set one before that which stands, or none.

    What an approver put off is let go by who could have approved it; they themselves always may.
    """
    put_off = row.put_off_by_id is not None and row.not_before is not None and now < row.not_before
    decides = Right.DECIDE in actor.rights and not grounds.may_have_part(actor.id)
    return not put_off or decides or row.put_off_by_id == actor.id


async def reschedule(
    backend: Backend, actor: Actor, number: int, *, to: datetime | None, comment: str
) -> Sheet:
    """Set the start of a promotion, by who asked for it or by an approver; approvals stand.

    Args:
        backend: the outside.
        actor: who sets it.
        number: the promotion.
        to: the instant before which it does not go; None to let it go as soon as it can.
        comment: why; needed to put it off.

    Raises:
        InvalidError: without a reason, or for an instant that has passed or is more than 90 days ahead.
        MovedOnError: when it waits no longer.
        RefusedError: for anybody else.
        ExcludedError: for an earlier start than another approver set, by who asked for it or may have written
            part of it, or decides nothing.
    """
    actor.must(Right.READ)
    now = backend.clock()
    if to is not None and not now < to <= now + FURTHEST:
        raise InvalidError("A start is ahead, within 90 days.", fields=[("/to", "within 90 days")])
    if to is not None and not comment.strip():
        raise InvalidError("Say why it is put off.", fields=[("/comment", "needed")])
    async with pending(backend, number) as held:
        row = held.row
        asked_by_them = row.requester_id == actor.id and Right.REQUEST in actor.rights
        if not asked_by_them and Right.DECIDE not in actor.rights:
            raise RefusedError("Only who asked, or an approver, may set its start.")
        if to is None or (row.not_before is not None and to < row.not_before):
            if not may_let_go_earlier(row, actor, held.grounds, now):
                who = held.grounds.facts.name_of(row.put_off_by_id or "")
                raise ExcludedError(f"{who} put it off; an approver with no hand in it lets it go earlier.")
            row.put_off_by_id = None
        if to is not None and Right.DECIDE in actor.rights and not held.grounds.facts.has_part(actor.id):
            row.put_off_by_id = actor.id
        row.not_before = to
        until = f"put off {what(row)} until {when(to, row.environment.zone)}" if to else None
        says = f"{actor.name} {until or f'let {what(row)} go as soon as it can'}."
        after = await held.anew()
        await record_on(after, actor, Action.RESCHEDULE, says, reason=comment)
        return await settle(after)
