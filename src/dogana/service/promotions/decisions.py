"""What people decide on a promotion that waits."""

from dogana.core.decisions import Decision, Shown, changed_parts
from dogana.core.errors import (
    AlreadyDecidedError,
    ChangedSinceShownError,
    ExcludedError,
    InvalidError,
    NoSeatError,
    RefusedError,
)
from dogana.core.inspect.sheet import Sheet
from dogana.core.record.actions import Action
from dogana.core.rules.base import Rule
from dogana.core.rules.findings import Seat
from dogana.core.words import listed, sentence
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.preconditions import must_say
from dogana.service.promotions.grounds import Grounds
from dogana.service.promotions.inspection import Held, close, record_on, settle
from dogana.service.promotions.lookup import what
from dogana.service.promotions.refreshing import pending
from dogana.store import promotions
from dogana.store.tables.promotions import DecisionRow, State


async def approve(backend: Backend, actor: Actor, number: int, *, shown: Shown, comment: str) -> Sheet:
    """Take a seat, by one's own right or, where one has none open, as a stand-in.

    Args:
        backend: the outside.
        actor: who approves.
        number: the promotion.
        shown: the digests of what the person was shown; an approval holds for exactly that.
        comment: why, if the person says.

    Raises:
        MovedOnError: when it waits no longer.
        ChangedSinceShownError: when it is not any more what the person was shown.
        AlreadyDecidedError: when the person's approval stands already.
        ExcludedError: when the person asked for it or wrote part of it.
        NoSeatError: when no open seat is theirs to take.
    """
    actor.must(Right.DECIDE)
    async with pending(backend, number) as held:
        same_as_shown(held.sheet, shown)
        return await take_seat(held, actor, comment)


async def take_seat(held: Held, actor: Actor, comment: str) -> Sheet:
    """Let somebody approve what they were shown.

    Raises:
        AlreadyDecidedError, ExcludedError, NoSeatError: as for approving.
    """
    if actor.id in {seat.taken_by for seat in held.sheet.seats()}:
        raise AlreadyDecidedError
    decision = an_approval(held.sheet, actor, comment)
    if decision.on_behalf_of is None:
        _must_sit(held.grounds, actor)
    after = await held.said(decision)
    seat = next((s for s in after.sheet.seats() if s.taken_by == actor.id), None)
    if seat is None:
        raise NoSeatError(why_no_seat(held.sheet, held.grounds))
    _must_be_allowed(held.grounds, seat, actor)
    _must_say_why(held.grounds, seat, comment)
    await write(held, decision)
    behalf = f" for {held.grounds.facts.name_of(seat.taken_for)}" if seat.taken_for else ""
    says = f"{actor.name} approved {what(held.row)}{behalf}, seat of {seat.label}."
    await record_on(after, actor, Action.APPROVE, says, reason=comment)
    return await settle(after)


async def retract(backend: Backend, actor: Actor, number: int, *, comment: str) -> Sheet:
    """Take one's approval back, possible until departure.

    Raises:
        MovedOnError: when it waits no longer.
        NoSeatError: when the person's approval does not stand.
    """
    actor.must(Right.DECIDE)
    async with pending(backend, number) as held:
        if actor.id not in {a.person for a in held.grounds.decisions.approvals()}:
            raise NoSeatError("You have not approved this promotion.")
        now, shown = held.sheet.at, held.sheet.shown
        decision = Decision(action="retract", person=actor.id, at=now, comment=comment, shown=shown)
        await write(held, decision)
        after = await held.said(decision)
        says = f"{actor.name} took back the approval of {what(held.row)}."
        await record_on(after, actor, Action.RETRACT, says, reason=comment)
        return await settle(after)


async def turn_back(backend: Backend, actor: Actor, number: int, *, shown: Shown, comment: str) -> None:
    """Say no from a seat: the promotion ends here.

    Raises:
        InvalidError: without a reason.
        MovedOnError, ChangedSinceShownError, ExcludedError, NoSeatError: as for an approval.
    """
    actor.must(Right.DECIDE)
    must_say(comment, "Say why it is turned back.", "/comment")
    async with pending(backend, number) as held:
        same_as_shown(held.sheet, shown)
        await refuse_from_seat(held, actor, comment)


async def refuse_from_seat(held: Held, actor: Actor, comment: str) -> None:
    """Let somebody with a seat turn back what they were shown.

    Raises:
        ExcludedError, NoSeatError: as for an approval.
        RefusedError: where no seat of theirs may be taken by the way that they came.
    """
    before = held.sheet
    given = an_approval(before, actor, comment)
    if given.on_behalf_of is None:
        _must_sit(held.grounds, actor)
    seats = [seat for seat in before.seats() if actor.id == seat.taken_by or seat.open_to(actor.id)]
    if not seats:
        raise NoSeatError(why_no_seat(before, held.grounds))
    if not any(rule_of(held.grounds, seat).may_be_taken(actor.channel) for seat in seats):
        _must_be_allowed(held.grounds, seats[0], actor)
    await end_turned_back(held, actor, given)


async def end_turned_back(held: Held, actor: Actor, given: Decision) -> None:
    """End a promotion by the no of somebody with a seat."""
    decision = given.model_copy(update={"action": "turn back"})
    await write(held, decision)
    await close(
        await held.said(decision),
        actor,
        State.TURNED_BACK,
        ended=f"Turned back by {actor.name}: {given.comment}",
        action=Action.TURN_BACK,
        says=f"{actor.name} turned back {what(held.row)}.",
        reason=given.comment,
    )


async def withdraw(backend: Backend, actor: Actor, number: int, *, comment: str) -> None:
    """Take a request back, by who made it or by an approver.

    Raises:
        MovedOnError: when it waits no longer.
        RefusedError: for anybody else.
    """
    actor.must(Right.READ)
    async with pending(backend, number) as held:
        row = held.row
        if row.requester_id != actor.id and Right.DECIDE not in actor.rights:
            raise RefusedError("Only who asked, or an approver, may withdraw it.")
        if row.requester_id == actor.id:
            actor.must(Right.REQUEST)
        await end_withdrawn(held, actor, comment)


async def end_withdrawn(held: Held, actor: Actor, comment: str) -> None:
    """End a promotion because it was taken back."""
    ended = f"Withdrawn by {actor.name}{': ' if comment else ''}{comment}"
    says = f"{actor.name} withdrew {what(held.row)}."
    await close(held, actor, State.WITHDRAWN, ended=ended, action=Action.WITHDRAW, says=says, reason=comment)


def an_approval(sheet: Sheet, actor: Actor, comment: str = "") -> Decision:
    """The approval somebody would give: as oneself where a seat is open for that, else as a stand-in."""
    own = any(actor.id in seat.may_take for seat in sheet.seats())
    others = [other for seat in sheet.seats() for other in seat.through.get(actor.id, ())]
    return Decision(
        action="approve",
        person=actor.id,
        on_behalf_of=others[0] if others and not own else None,
        at=sheet.at,
        comment=comment,
        shown=sheet.shown,
    )


async def write(held: Held, decision: Decision) -> None:
    """Keep one person's word on a promotion; an approval of theirs that stood stands no longer."""
    earlier = any(
        one.action == "approve" and one.person == decision.person for one in held.grounds.decisions.made
    )
    if decision.rule is None and earlier:
        await promotions.end_standing(held.session, held.row.number, decision.person)
    held.session.add(decision_row(held.row.number, decision))


def decision_row(promotion: int, decision: Decision) -> DecisionRow:
    """One person's word as it is kept."""
    return DecisionRow(
        promotion=promotion,
        action=decision.action,
        person_id=decision.person,
        on_behalf_of_id=decision.on_behalf_of,
        comment=decision.comment,
        rule=decision.rule,
        until=decision.until,
        shown=decision.shown.plain(),
        at=decision.at,
        standing=decision.action == "approve",
    )


def same_as_shown(now: Sheet, shown: Shown) -> None:
    """See that somebody decides on what is there now.

    Raises:
        ChangedSinceShownError: saying which parts are different.
    """
    changed = changed_parts(shown, now.shown)
    if changed:
        raise ChangedSinceShownError(
            sentence(f"{listed(changed)} changed since you looked; look again, then decide")
        )


def may_sit(grounds: Grounds, actor: Actor) -> str | None:
    """Why somebody may take no seat of this promotion at all; None when they may."""
    rules = [rule for rule in grounds.policy.rules if rule.asks_people]
    barred = [rule.excluded(grounds.facts) for rule in rules]
    if not rules or any(excluded is not None and actor.id not in excluded for excluded in barred):
        return None
    if None in barred:
        return "The change could not be read, so it is not known who wrote it, and may not decide."
    if grounds.facts.requester == actor.id:
        return "You asked for this promotion, so you may not decide on it."
    return "You wrote part of this change, so you may not decide on it."


def _must_sit(grounds: Grounds, actor: Actor) -> None:
    refused = may_sit(grounds, actor)
    if refused:
        raise ExcludedError(refused)


def _must_be_allowed(grounds: Grounds, seat: Seat, actor: Actor) -> None:
    """See that the seat may be taken by the way that somebody came."""
    if not rule_of(grounds, seat).may_be_taken(actor.channel):
        raise RefusedError(f"The policy does not let this seat be taken by {actor.channel}; open the Desk.")


def rule_of(grounds: Grounds, seat: Seat) -> Rule:
    """The rule that a seat is of."""
    return next(rule for rule in grounds.policy.rules if rule.id == seat.rule)


def _must_say_why(grounds: Grounds, seat: Seat, comment: str) -> None:
    if rule_of(grounds, seat).needs_comment() and not comment.strip():
        raise InvalidError("Say why you approve; this seat asks for it.", fields=[("/comment", "needed")])


def why_no_seat(sheet: Sheet, grounds: Grounds) -> str:
    """Why somebody who is not excluded finds no open seat."""
    seats = sheet.seats()
    vacant = [seat for seat in seats if seat.taken_by is None and not seat.later]
    if not seats:
        return "This policy asks for no reviewers."
    if not vacant:
        names = listed([grounds.facts.name_of(s.taken_by) for s in seats if s.taken_by])
        return f"Every seat is taken, by {names}."
    return f"The open seats are for {listed(list(dict.fromkeys(s.label for s in vacant)), 'and')}."
