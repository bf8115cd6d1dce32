"""Accepting what landed otherwise than it was cleared: one asks with a reason, a second person lets it be."""

from dogana.core.decisions import Decision, Decisions, Said, Shown
from dogana.core.errors import ExcludedError, MovedOnError, RefusedError
from dogana.core.facts import Artifact
from dogana.core.record.actions import Action
from dogana.core.record.canonical import digest
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.delivery.course import schedule_inspection, write_landing
from dogana.service.ledger.entries import record
from dogana.service.preconditions import must_say
from dogana.service.promotions.decisions import decision_row
from dogana.service.promotions.grounds import kept
from dogana.service.promotions.lookup import found_locked, what
from dogana.service.promotions.waivers import LONGEST
from dogana.store import secrets
from dogana.store.database import announce
from dogana.store.tables.promotions import PromotionRow, State

AS_CLEARED = "as-cleared"
"""What such a waiver is about; it stands in the place of a rule."""


async def accept(backend: Backend, actor: Actor, number: int, *, reason: str) -> PromotionRow:
    """Ask that what landed be accepted as it is, or, by somebody else once that was asked, accept it.

    Raises:
        InvalidError: without a reason.
        MovedOnError: when it is not halted for what landed.
        ExcludedError: for who asked for the promotion or wrote part of it, and where that is not known.
        RefusedError: for who asked for it to be accepted.
    """
    actor.must(Right.DECIDE)
    must_say(reason, "Say why it is to be accepted.", "/comment")
    now = backend.clock()
    async with backend.database.transaction() as session:
        row = (await found_locked(session, number)).row
        if row.state != State.HALTED or row.landed_artifacts is None:
            raise MovedOnError(f"Promotion {number} is not halted for what landed: it is {row.state}.")
        grounds = await kept(session, row, now)
        if grounds.may_have_part(actor.id):
            raise ExcludedError("Who asked for it or may have written part of it does not accept it.")
        landed = tuple(Artifact.model_validate(one) for one in row.landed_artifacts)
        shown = Shown(artifacts=digest([one.identity() for one in landed]), policy=grounds.policy.digest)
        asked_by = _asked_by(grounds.decisions, shown)
        if asked_by == actor.id:
            raise RefusedError("You asked for it to be accepted; a second person has to accept it.")
        until = now + LONGEST if asked_by is None else None
        action: Said = "ask waiver" if asked_by is None else "grant waiver"
        word = Decision(
            action=action,
            person=actor.id,
            at=now,
            comment=reason,
            rule=AS_CLEARED,
            until=until,
            shown=shown,
        )
        session.add(decision_row(number, word))
        if asked_by is None:
            says = f"{actor.name} asked to accept {what(row)} as it landed."
            record(session, actor, Action.ASK_ACCEPTANCE, says, now, promotion=row, reason=reason)
            row.changed_at = now
            announce(session, "promotion", [number])
        else:
            says = f"{actor.name} accepted {what(row)} as it landed, with other bytes than were cleared."
            details = {f"artifact {artifact.name}": artifact.digest for artifact in landed}
            await secrets.use_clearances(session, number, now)
            await write_landing(session, actor, row, now, details, reason, says)
        schedule_inspection(session, row, now)
    return row


def _asked_by(decisions: Decisions, shown: Shown) -> str | None:
    """Who asked for these very bytes to be accepted."""
    words = [one for one in decisions.made if one.rule == AS_CLEARED]
    asked = [one for one in words if one.action == "ask waiver" and one.shown.artifacts == shown.artifacts]
    return asked[-1].person if asked else None
