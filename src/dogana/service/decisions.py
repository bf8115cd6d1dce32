"""What people decide on a promotion that waits."""

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager

from dogana.core.decisions import Decision, Shown, changed_parts
from dogana.core.errors import (
    AlreadyDecidedError,
    ChangedSinceShownError,
    ExcludedError,
    InvalidError,
    MovedOnError,
    NoSeatError,
    RefusedError,
)
from dogana.core.inspect.sheet import Sheet
from dogana.core.rules.base import Seat
from dogana.core.rules.reviewers import Reviewers
from dogana.core.words import listed, sentence
from dogana.service.access import Actor, Right
from dogana.service.backend import Backend
from dogana.service.inspection import (
    Grounds,
    advance,
    close,
    grounds_of,
    record_on,
    see_inspected,
    what,
    with_decision,
)
from dogana.service.required import found, must_say
from dogana.store import Session, promotions
from dogana.store.tables import PENDING, DecisionRow, PromotionRow, State


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
    async with pending(backend, number) as (session, row):
        grounds = await grounds_of(session, row, backend.clock())
        before = grounds.sheet(backend.clock())
        same_as_shown(before, shown)
        standing = {s.taken_by for s in before.seats()}
        if actor.id in standing:
            raise AlreadyDecidedError
        decision = an_approval(before, actor, comment)
        if decision.on_behalf_of is None:
            _must_sit(grounds, actor)
        after = with_decision(grounds, decision).sheet(before.at)
        seat = next((s for s in after.seats() if s.taken_by == actor.id), None)
        if seat is None:
            raise NoSeatError(why_no_seat(before, grounds))
        _must_say_why(grounds, seat, comment)
        await write(session, row, decision)
        behalf = f" for {grounds.facts.name_of(seat.taken_for)}" if seat.taken_for else ""
        says = f"{actor.name} approved {what(row)}{behalf}, seat of {seat.label}."
        await record_on(
            session, actor, "approve", says, row, with_decision(grounds, decision), after, reason=comment
        )
        return await advance(backend, session, row)


async def retract(backend: Backend, actor: Actor, number: int, *, comment: str) -> Sheet:
    """Take one's approval back, possible until departure.

    Raises:
        MovedOnError: when it waits no longer.
        NoSeatError: when the person's approval does not stand.
    """
    actor.must(Right.DECIDE)
    async with pending(backend, number) as (session, row):
        grounds = await grounds_of(session, row, backend.clock())
        before = grounds.sheet(backend.clock())
        if actor.id not in {a.person for a in grounds.decisions.approvals()}:
            raise NoSeatError("You have not approved this promotion.")
        decision = Decision(
            action="retract", person=actor.id, at=before.at, comment=comment, shown=before.shown
        )
        await write(session, row, decision)
        grounds = with_decision(grounds, decision)
        says = f"{actor.name} took back the approval of {what(row)}."
        await record_on(
            session, actor, "retract", says, row, grounds, grounds.sheet(before.at), reason=comment
        )
        return await advance(backend, session, row)


async def turn_back(backend: Backend, actor: Actor, number: int, *, shown: Shown, comment: str) -> None:
    """Say no from a seat: the promotion ends here.

    Raises:
        InvalidError: without a reason.
        MovedOnError, ChangedSinceShownError, ExcludedError, NoSeatError: as for an approval.
    """
    actor.must(Right.DECIDE)
    must_say(comment, "Say why it is turned back.", "/comment")
    async with pending(backend, number) as (session, row):
        grounds = await grounds_of(session, row, backend.clock())
        before = grounds.sheet(backend.clock())
        same_as_shown(before, shown)
        given = an_approval(before, actor, comment)
        if given.on_behalf_of is None:
            _must_sit(grounds, actor)
        if not any(actor.id == seat.taken_by or seat.open_to(actor.id) for seat in before.seats()):
            raise NoSeatError(why_no_seat(before, grounds))
        decision = given.model_copy(update={"action": "turn back"})
        await write(session, row, decision)
        await close(
            session,
            actor,
            row,
            State.TURNED_BACK,
            with_decision(grounds, decision),
            before,
            ended=f"Turned back by {actor.name}: {comment}",
            action="turn back",
            says=f"{actor.name} turned back {what(row)}.",
            reason=comment,
        )


async def withdraw(backend: Backend, actor: Actor, number: int, *, comment: str) -> None:
    """Take a request back, by who made it or by an approver.

    Raises:
        MovedOnError: when it waits no longer.
        RefusedError: for anybody else.
    """
    actor.must(Right.READ)
    async with pending(backend, number) as (session, row):
        if row.requester_id != actor.id and Right.DECIDE not in actor.rights:
            raise RefusedError("Only who asked, or an approver, may withdraw it.")
        if row.requester_id == actor.id:
            actor.must(Right.REQUEST)
        grounds = await grounds_of(session, row, backend.clock())
        sheet = grounds.sheet(backend.clock())
        ended = f"Withdrawn by {actor.name}{': ' if comment else ''}{comment}"
        says = f"{actor.name} withdrew {what(row)}."
        await close(
            session,
            actor,
            row,
            State.WITHDRAWN,
            grounds,
            sheet,
            ended=ended,
            action="withdraw",
            says=says,
            reason=comment,
        )


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


@asynccontextmanager
async def pending(backend: Backend, number: int) -> AsyncIterator[tuple[Session, PromotionRow]]:
    """A transaction that holds one pending promotion alone, once it has been inspected."""
    await see_inspected(backend, number)
    async with backend.database.transaction() as session:
        row = await found(session, number, lock=True)
        if row.state not in PENDING:
            raise MovedOnError(f"Promotion {number} waits no longer: it is {row.state}.")
        yield session, row


async def write(session: Session, row: PromotionRow, decision: Decision) -> None:
    """Keep one person's word."""
    if decision.rule is None:
        await promotions.end_standing(session, row.number, decision.person)
    session.add(
        DecisionRow(
            promotion=row.number,
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
    )
    await session.flush()


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
    rules = [rule for rule in grounds.policy.rules if isinstance(rule, Reviewers)]
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


def _must_say_why(grounds: Grounds, seat: Seat, comment: str) -> None:
    rule = next(rule for rule in grounds.policy.rules if rule.id == seat.rule)
    if isinstance(rule, Reviewers) and rule.comment == "required" and not comment.strip():
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
