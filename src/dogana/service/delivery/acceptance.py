"""Accepting what landed otherwise than it was cleared: one asks with a reason, a second person lets it be."""

from dataclasses import dataclass

from dogana.core.decisions import Decision, Decisions, Said, Shown
from dogana.core.errors import ChangedSinceShownError, ExcludedError, MovedOnError, RefusedError
from dogana.core.facts import Artifact
from dogana.core.record.actions import Action
from dogana.core.record.canonical import digest
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.delivery.course import schedule_inspection, write_landing
from dogana.service.dual_control import still_stands
from dogana.service.ledger.entries import record
from dogana.service.preconditions import must_say
from dogana.service.promotions.decisions import decision_row
from dogana.service.promotions.grounds import kept
from dogana.service.promotions.lookup import found_locked, what
from dogana.service.promotions.waivers import LONGEST
from dogana.service.stepping_up import must_be_fresh
from dogana.store import secrets
from dogana.store.database import announce
from dogana.store.tables.promotions import PromotionRow, State

AS_CLEARED = "as-cleared"
"""What such a waiver is about; it stands in the place of a rule."""


@dataclass(frozen=True, kw_only=True)
class LandedOtherwise:
    """What landed in the place of what was cleared."""

    artifacts: tuple[Artifact, ...]
    digest: str
    """Of all of them: who accepts it accepts these very bytes."""
    asked: Decision | None
    """The word of who asked for them to be accepted."""


def landed_otherwise(row: PromotionRow, decisions: Decisions) -> LandedOtherwise | None:
    """What a promotion is halted for; None where it is not halted, or was ordered back."""
    if row.state != State.HALTED or row.landed_artifacts is None:
        return None
    landed = tuple(Artifact.model_validate(one) for one in row.landed_artifacts)
    found = digest([one.identity() for one in landed])
    words = [one for one in decisions.made if one.rule == AS_CLEARED and one.action == "ask waiver"]
    asked = [one for one in words if one.shown.artifacts == found]
    return LandedOtherwise(artifacts=landed, digest=found, asked=asked[-1] if asked else None)


async def accept(backend: Backend, actor: Actor, number: int, *, landed: str, reason: str) -> PromotionRow:
    """Ask that what landed be accepted as it is, or, by somebody else once that was asked, accept it.

    Args:
        backend: the outside.
        actor: who asks for it, or agrees.
        number: the promotion.
        landed: the digest of what they saw had landed.
        reason: why.

    Raises:
        InvalidError: without a reason.
        MovedOnError: when it is not halted for what landed.
        ChangedSinceShownError: when something else was reported since.
        ExcludedError: for who asked for the promotion or wrote part of it, and where that is not known.
        RefusedError: for who asked for it to be accepted.
        StepUpError: for whose sign-in is too old.
    """
    actor.must(Right.DECIDE)
    must_be_fresh(backend, actor)
    must_say(reason, "Say why it is to be accepted.", "/comment")
    now = backend.clock()
    async with backend.database.transaction() as session:
        row = (await found_locked(session, number)).row
        grounds = await kept(session, row, now)
        found = landed_otherwise(row, grounds.decisions)
        if found is None:
            raise MovedOnError(f"Promotion {number} is not halted for what landed: it is {row.state}.")
        if found.digest != landed:
            raise ChangedSinceShownError("What landed was reported anew since you looked; look again first.")
        if grounds.may_have_part(actor.id):
            raise ExcludedError("Who asked for it or may have written part of it does not accept it.")
        asked = found.asked
        if asked is not None and not await still_stands(session, asked.person, Right.DECIDE):
            asked = None
        if asked is not None and asked.person == actor.id:
            raise RefusedError("You asked for it to be accepted; a second person has to accept it.")
        until = now + LONGEST if asked is None else None
        action: Said = "ask waiver" if asked is None else "grant waiver"
        word = Decision(
            action=action,
            person=actor.id,
            at=now,
            comment=reason,
            rule=AS_CLEARED,
            until=until,
            shown=Shown(artifacts=found.digest, policy=grounds.policy.digest),
        )
        session.add(decision_row(number, word))
        if asked is None:
            says = f"{actor.name} asked to accept {what(row)} as it landed."
            record(session, actor, Action.ASK_ACCEPTANCE, says, now, promotion=row, reason=reason)
            row.changed_at = now
            announce(session, "promotion", [number])
        else:
            says = f"{actor.name} accepted {what(row)} as it landed, with other bytes than were cleared."
            details = {f"artifact {artifact.name}": artifact.digest for artifact in found.artifacts}
            await secrets.use_clearances(session, number, now)
            await write_landing(session, actor, row, now, details, reason, says)
        schedule_inspection(session, row, now)
    return row
