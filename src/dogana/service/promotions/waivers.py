"""Waivers: one rule of one promotion let go, with a reason, a second person, and an end."""

from datetime import datetime, timedelta

from dogana.core.decisions import Decision, Said, Shown, Waiver
from dogana.core.errors import ChangedSinceShownError, InvalidError, NotFoundError, RefusedError
from dogana.core.inspect.sheet import Sheet
from dogana.core.record.actions import Action
from dogana.core.rules.base import Rule
from dogana.core.words import sentence, when
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.dual_control import still_stands
from dogana.service.preconditions import must_say
from dogana.service.promotions.decisions import same_as_shown, write
from dogana.service.promotions.grounds import Grounds
from dogana.service.promotions.inspection import Held, record_on, settle
from dogana.service.promotions.lookup import what
from dogana.service.promotions.refreshing import pending
from dogana.service.stepping_up import must_be_fresh

LONGEST = timedelta(days=30)


async def ask_waiver(
    backend: Backend,
    actor: Actor,
    number: int,
    rule: str,
    *,
    until: datetime,
    reason: str,
    shown: Shown,
) -> Sheet:
    """Ask for a waiver of one rule; it holds once a second person, of the rule's own group, has granted it.

    Raises:
        InvalidError: without a reason, with no end within 30 days, for a rule that is never waived.
        NotFoundError: for a rule the policy does not have.
        MovedOnError, ChangedSinceShownError: as for an approval.
    """
    actor.must(Right.DECIDE)
    must_be_fresh(backend, actor)
    must_say(reason, "Say why it is to be waived.", "/reason")
    async with pending(backend, number) as held:
        before = held.sheet
        same_as_shown(before, shown)
        asked = _rule(held, rule)
        if asked.waivable is None:
            raise InvalidError(f"{asked.title} is never waived.", fields=[("/rule", "never waived")])
        if not before.at < until <= before.at + LONGEST:
            raise InvalidError("A waiver ends, within 30 days.", fields=[("/until", "within 30 days")])
        decision = _word("ask waiver", actor, before, rule, reason, until)
        ends = when(until, held.grounds.policy.zone)
        says = f"{actor.name} asked to waive {asked.title} for {what(held.row)} until {ends}."
        return await _spoken(held, decision, actor, says)


async def grant_waiver(
    backend: Backend, actor: Actor, number: int, rule: str, *, asked_at: datetime, comment: str
) -> Sheet:
    """Grant a waiver that somebody else asked for.

    Args:
        backend: the outside.
        actor: the second person.
        number: the promotion.
        rule: which rule it is of.
        asked_at: when the one was asked for that they looked at; its reason and end go with that.
        comment: in words, if anything is to be said.

    Raises:
        NotFoundError: when nobody asked.
        ChangedSinceShownError: when another one was asked for since.
        RefusedError: saying why it would not hold, or that who asked could not any more.
        MovedOnError: when the promotion waits no longer.
    """
    actor.must(Right.DECIDE)
    must_be_fresh(backend, actor)
    async with pending(backend, number) as held:
        asked = _rule(held, rule)
        waiver = _standing(held.grounds, rule)
        if waiver.asked_at != asked_at:
            raise ChangedSinceShownError(
                "Another waiver was asked for since you looked; look again, then decide."
            )
        if not await still_stands(held.session, waiver.asked_by, Right.DECIDE):
            raise RefusedError("Who asked for it could not any more; ask for it yourself.")
        why_not = why_not_grant(held.grounds, held.sheet, asked, waiver, actor.id)
        if why_not is not None:
            raise RefusedError(sentence(f"you cannot grant this waiver: {why_not}"))
        decision = _word("grant waiver", actor, held.sheet, rule, comment, None)
        ends = when(waiver.until, held.grounds.policy.zone)
        says = f"{actor.name} granted the waiver of {asked.title} for {what(held.row)} until {ends}."
        return await _spoken(held, decision, actor, says)


def why_not_grant(grounds: Grounds, sheet: Sheet, rule: Rule, waiver: Waiver, person: str) -> str | None:
    """Why somebody's granting would not make a waiver hold; None when it would."""
    if rule.id in grounds.case(sheet).waivers:
        return "it has been granted already"
    granted = waiver.model_copy(update={"granted_by": person, "granted_at": sheet.at})
    return grounds.case(sheet).why_no_waiver(rule, granted)


async def revoke_waiver(backend: Backend, actor: Actor, number: int, rule: str, *, comment: str) -> Sheet:
    """End a waiver, granted or only asked for; any approver may.

    Raises:
        NotFoundError: when there is none.
        MovedOnError: when the promotion waits no longer.
    """
    actor.must(Right.DECIDE)
    async with pending(backend, number) as held:
        asked = _rule(held, rule)
        _standing(held.grounds, rule)
        decision = _word("revoke waiver", actor, held.sheet, rule, comment, None)
        says = f"{actor.name} revoked the waiver of {asked.title} for {what(held.row)}."
        return await _spoken(held, decision, actor, says)


async def _spoken(held: Held, decision: Decision, actor: Actor, says: str) -> Sheet:
    await write(held, decision)
    after = await held.said(decision)
    await record_on(after, actor, Action(decision.action), says, reason=decision.comment)
    return await settle(after)


def _rule(held: Held, rule: str) -> Rule:
    found = next((one for one in held.grounds.case(held.sheet).rules if one.id == rule), None)
    if found is None:
        raise NotFoundError(f"The policy has no rule {rule}.")
    return found


def _standing(grounds: Grounds, rule: str) -> Waiver:
    found = grounds.decisions.waivers().get(rule)
    if not found:
        raise NotFoundError("Nobody has asked for this waiver.")
    return found[0]


def _word(
    action: Said, actor: Actor, sheet: Sheet, rule: str, comment: str, until: datetime | None
) -> Decision:
    return Decision(
        action=action,
        person=actor.id,
        at=sheet.at,
        comment=comment,
        rule=rule,
        until=until,
        shown=sheet.shown,
    )
