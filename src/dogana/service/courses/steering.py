"""What deployers and people say to a course: shares reported, halt, go on; and the orders they ask for."""

import asyncio
from datetime import datetime

from dogana.core.document import Instant
from dogana.core.errors import ConflictError, ExcludedError, MovedOnError
from dogana.core.health import course
from dogana.core.health.course import CourseState, Move
from dogana.core.record.actions import Action
from dogana.core.words import lower_first, sentence
from dogana.service.actor import ENGINE, Actor, Right
from dogana.service.backend import Backend
from dogana.service.courses.watching import Course, move_by_word
from dogana.service.delivery.course import order_back
from dogana.service.landscape.deployers import must_hold
from dogana.service.ledger.entries import record
from dogana.service.preconditions import must_say
from dogana.service.promotions.authorship import part_in
from dogana.service.promotions.going_in import written
from dogana.service.promotions.lookup import found, found_locked, what
from dogana.service.shapes import View
from dogana.store import Session, courses, people, promotions
from dogana.store.database import announce
from dogana.store.tables.courses import CourseRow, OrderRow
from dogana.store.tables.promotions import ON_ITS_WAY, PromotionRow, State

_LOOK_AGAIN_SECONDS = 0.5


class Order(View):
    """A share that a deployer is to set."""

    number: int
    share: int
    """Percent; 0 takes the newcomer back."""
    reason: str
    by: str
    """Who ordered it, by name."""
    at: Instant


class Orders(View):
    """The orders after one, and whether more can come."""

    orders: list[Order]
    ended: bool
    """Whether the course is over: landed is to be reported, or that what ran before runs again."""
    halted: str | None
    """Why it stands still; there may be orders again."""
    state: str
    """Of the promotion."""


async def orders(backend: Backend, actor: Actor, number: int, *, after: int, patience: float) -> Orders:
    """The orders after one; where there is none yet, the next is waited for.

    Args:
        backend: the outside.
        actor: who asks; may read.
        number: the promotion.
        after: the number of the last order that is known; 0 for all.
        patience: seconds to wait at most.
    """
    actor.must(Right.READ)
    until = asyncio.get_running_loop().time() + patience
    while True:
        async with backend.database.transaction() as session:
            found_now = await _orders(session, actor, number, after)
        if found_now.orders or found_now.ended or asyncio.get_running_loop().time() >= until:
            return found_now
        await asyncio.sleep(_LOOK_AGAIN_SECONDS)


async def _orders(session: Session, actor: Actor, number: int, after: int) -> Orders:
    row = await found(session, number)
    actor.must_reach(row.service_id, row.environment_id)
    held = await courses.get(session, number)
    made = await courses.orders(session, number, after)
    # Whoever waits asks twice a second: nothing more is read than tells whether there is one.
    names = await people.names(session) if made else {}
    return Orders(
        orders=[told(one, names) for one in made],
        ended=row.state not in ON_ITS_WAY or held is None or held.ended_at is not None,
        halted=held.state.get("halted") if held is not None else None,
        state=row.state,
    )


def told(row: OrderRow, names: dict[str, str]) -> Order:
    """An order as it is told."""
    by = names.get(row.by_id, row.by_id) if row.by_id else "Dogana"
    return Order(number=row.number, share=row.share, reason=row.reason, by=by, at=row.at)


async def report_share(backend: Backend, actor: Actor, number: int, share: int) -> None:
    """Report what share the newcomer gets now.

    Raises:
        ForbiddenError: for anybody but the holder of its clearance.
        MovedOnError: when it is over, or never had steps.
        ConflictError: for a share that was not ordered; it is on record.
    """
    actor.must(Right.DEPLOY)
    refused = None
    async with backend.database.transaction() as session:
        row, held = await _moving(session, number)
        await must_hold(session, actor, row)
        now = backend.clock()
        try:
            await _step(backend, session, row, held, share)
            write_share(session, actor, row, held, share, now)
        except ValueError as exc:
            refused, details = sentence(str(exc)), {"share": str(share)}
            says = f"{actor.name} reported {share} % of {what(row)}, which was not ordered."
            record(session, actor, Action.REFUSE_SHARE, says, now, promotion=row, details=details)
    if refused:
        raise ConflictError(refused)


async def _step(backend: Backend, session: Session, row: PromotionRow, held: CourseRow, share: int) -> None:
    """Let a deployer that steps by itself have gone on by a step, where it may.

    Raises:
        ValueError: where it may not, with why.
    """
    was = Course.of(held)
    if was.plan.steps_by is None or share <= was.plan.steps[was.state.step].share:
        return
    next_ = next((one.share for one in was.plan.steps[was.state.step + 1 :]), None)
    if share != next_:
        raise ValueError(f"{share} % is not let in: the next step is {next_} %")
    moved = await move_by_word(backend, session, row, held, was, "its deployer")
    if moved.move is not Move.GO_ON:
        raise ValueError(f"{share} % is not let in yet: {lower_first(moved.because)}")


def write_share(
    session: Session, actor: Actor, row: PromotionRow, held: CourseRow, share: int, now: datetime
) -> None:
    """Write down what share a course that is locked has.

    Raises:
        ValueError: for a share that was not ordered.
    """
    was, details = Course.of(held), {"share": str(share)}
    state = course.reported(was.plan, was.state, share, now)
    if was.state.reported != share:
        says = f"{share} % of the requests go to {what(row)}."
        record(session, actor, Action.REPORT_SHARE, says, now, promotion=row, details=details)
    held.state, held.turn, held.look_at = written(state), held.turn + 1, now
    announce(session, "promotion", [row.number])


async def halt(backend: Backend, actor: Actor, number: int, *, reason: str) -> None:
    """Let it stand still until a person says otherwise.

    Raises:
        InvalidError: without a reason.
        MovedOnError: when it is over, or never had steps.
        ConflictError: when it stands still already.
    """
    actor.must(Right.DECIDE)
    must_say(reason, "Say why it is to stand still.", "/comment")
    async with backend.database.transaction() as session:
        row, held = await _moving(session, number)
        was, now = Course.of(held), backend.clock()
        if was.state.halted:
            raise ConflictError(f"It stands still already: {was.state.halted}")
        halted = f"{actor.name} halted it: {reason}"
        _set(session, row, held, was, was.state.model_copy(update={"halted": halted}), now)
        says = f"{actor.name} halted {what(row)}."
        record(session, actor, Action.HALT, says, now, promotion=row, reason=reason)


async def go_on(backend: Backend, actor: Actor, number: int, *, reason: str) -> None:
    """Let what stands still go on, or go on now though not all is known; never past a breach or a hold.

    Raises:
        InvalidError: without a reason.
        MovedOnError: when it is over, or never had steps.
        ConflictError: when something is in the way that no word overrules, with what.
        ExcludedError: for who asked for it or may have written part of it; anybody may let it stand still.
    """
    actor.must(Right.DECIDE)
    must_say(reason, "Say why it may go on.", "/comment")
    async with backend.database.transaction() as session:
        row, held = await _moving(session, number)
        was, now = Course.of(held), backend.clock()
        if await part_in(session, actor.id, row) is not False:
            raise ExcludedError("Who asked for it or may have written part of it does not let it go on.")
        says = f"{actor.name} let {what(row)} go on."
        if was.state.halted:
            _set(session, row, held, was, course.released(was.state, was.watches, now), now)
        else:
            moved = await move_by_word(backend, session, row, held, was, "a person")
            if moved.move is not Move.GO_ON:
                raise ConflictError(moved.because)
        record(session, actor, Action.LET_GO_ON, says, now, promotion=row, reason=reason)


async def stop_for_incident(
    session: Session, service: str, environment: str, what_happened: str, now: datetime
) -> None:
    """Do what the plan of whatever goes in there step by step says of an incident."""
    number = await promotions.moving(session, service, environment)
    if number is None:
        return
    row = (await found_locked(session, number)).row
    held = await courses.get(session, number, lock=True)
    if row.state != State.MOVING or held is None or held.ended_at is not None:
        return
    was = Course.of(held)
    does, because = was.plan.on_incident or "halt", f"there is an incident: {what_happened}"
    if does == "roll back":
        await order_back(session, ENGINE, row, now, because)
    elif does == "halt" and not was.state.halted:
        _set(session, row, held, was, was.state.model_copy(update={"halted": because}), now)
        says = f"{what(row)} stands still."
        record(session, ENGINE, Action.HALT, says, now, promotion=row, reason=because)


def _set(
    session: Session, row: PromotionRow, held: CourseRow, was: Course, state: CourseState, now: datetime
) -> None:
    moved = course.move(was.plan, was.watches, state, now)
    held.state, held.turn, held.look_at, held.moved = written(state), held.turn + 1, now, moved.plain()
    row.changed_at = now
    announce(session, "promotion", [row.number])


async def _moving(session: Session, number: int) -> tuple[PromotionRow, CourseRow]:
    row = (await found_locked(session, number)).row
    held = await courses.get(session, number, lock=True)
    if row.state != State.MOVING or held is None:
        why = row.state if row.state != State.MOVING else "moving all at once"
        raise MovedOnError(f"Promotion {number} is not going in step by step: it is {why}.")
    if held.ended_at is not None:
        raise MovedOnError(f"All steps of promotion {number} are over.")
    return row, held
