"""The worker's part: courses begin, are looked at when they are due, and are moved on, once for each look."""

import asyncio
import json
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any, Literal

from dogana.core.health import course
from dogana.core.health.course import CourseState, Move, Moved
from dogana.core.health.readings import Look
from dogana.core.health.watches import WATCHES, Watch
from dogana.core.inspect.engine import inspect, look_ahead
from dogana.core.record.actions import Action
from dogana.core.record.canonical import digest_bytes
from dogana.core.rollout import Plan
from dogana.core.rules.findings import Outcome
from dogana.core.words import listed, lower_first, when
from dogana.service.actor import ENGINE
from dogana.service.backend import Backend
from dogana.service.courses.looking import Subject, look_at
from dogana.service.delivery.course import order_back
from dogana.service.ledger.entries import record
from dogana.service.promotions import failures
from dogana.service.promotions.going_in import written
from dogana.service.promotions.grounds import facts_text, last_said, present
from dogana.service.promotions.lookup import what
from dogana.service.sources.registry import load
from dogana.service.sources.registry import note as note_sources
from dogana.store import Session, courses, documents, promotions
from dogana.store.database import announce
from dogana.store.tables.courses import CourseRow
from dogana.store.tables.promotions import PromotionRow
from dogana.tasks import end

_AT_ONCE = 50
_SOONEST = timedelta(seconds=1)
_NEARLY = 0.9
"""A monitor is due a little before its interval is over, so that one that is late does not skip a round."""


@dataclass(frozen=True, kw_only=True)
class Course:
    """One course as it was read."""

    plan: Plan
    watches: tuple[Watch, ...]
    state: CourseState
    turn: int

    @classmethod
    def of(cls, row: CourseRow) -> "Course":
        """From its row."""
        return cls(
            plan=Plan.model_validate(row.plan),
            watches=WATCHES.validate_python(row.watches),
            state=CourseState.model_validate(row.state),
            turn=row.turn,
        )

    def due(self, at: datetime) -> list[Watch]:
        """What is to be looked at."""
        looked = {name: one.at for name, one in self.state.monitors.items()}
        return [
            one
            for one in self.watches
            if (last := looked.get(one.name)) is None or at - last >= _NEARLY * (one.every or course.EVERY)
        ]


async def look_due(backend: Backend) -> None:
    """Look at every course that is due, many at once; one whose source is slow holds up no other."""
    going: dict[int, asyncio.Task[None]] = {}
    try:
        while True:
            async with backend.database.transaction() as session:
                now = backend.clock()
                due = await courses.take_due(session, now, now + course.EVERY, going, _AT_ONCE - len(going))
            for number in due:
                going[number] = asyncio.create_task(_look_kept(backend, number))
            if not going:
                return
            await asyncio.wait(
                going.values(), return_when=asyncio.FIRST_COMPLETED, timeout=_SOONEST.total_seconds()
            )
            for number in [number for number, task in going.items() if task.done()]:
                going.pop(number).result()
    finally:
        await end(going.values())


async def _look_kept(backend: Backend, number: int) -> None:
    async with failures.kept(backend, number):
        await look(backend, number)


async def look(backend: Backend, number: int) -> None:
    """Look at one course, and do what that comes to.

    Others are asked in between. Where the course has changed meanwhile, by a report, a word or another
    worker, the look is let go of: the next one sees what there is then.
    """
    async with backend.database.transaction() as session:
        row, read = await promotions.get(session, number), await courses.get(session, number)
        if row is None or read is None or read.ended_at is not None:
            return
        seen, sources = Course.of(read), await load(backend, session)
        subject = Subject(
            environment=row.environment_id,
            service=row.service_id,
            version=row.release.version,
            incumbent=read.incumbent,
        )
    asked_at = backend.clock()
    looked = await look_at(backend, sources, subject, seen.due(asked_at), asked_at)
    async with backend.database.transaction() as session:
        locked = await promotions.lock(session, number)
        held = await courses.get(session, number, lock=True)
        if locked is None or held is None or held.ended_at is not None or held.turn != seen.turn:
            return
        # Its turn is the same, so what was read then is what it is.
        await _move_on(backend, session, locked.row, held, seen, looked.looks)
        # Last, as others wait for it.
        await note_sources(session, list(looked.read))


async def _move_on(
    backend: Backend,
    session: Session,
    row: PromotionRow,
    held: CourseRow,
    was: Course,
    looks: Sequence[Look],
) -> None:
    """Take what was seen into the course, and write down the one move it comes to."""
    now = backend.clock()
    state = course.seen(was.watches, was.state, looks)
    moved, barred = course.move(was.plan, was.watches, state, now), None
    could = (
        moved if was.plan.steps_by is None else course.move(was.plan, was.watches, state, now, stepping=True)
    )
    if could.move is Move.GO_ON and (barred := await _closed(backend, session, row)):
        moved = course.move(was.plan, was.watches, state, now, held=barred)
    made = Made(was=was, state=state, moved=moved, at=now, looks=tuple(looks), barred=barred)
    await write(session, row, held, made)


async def move_by_word(
    backend: Backend,
    session: Session,
    row: PromotionRow,
    held: CourseRow,
    was: Course,
    of: Literal["a person", "its deployer"],
) -> Moved:
    """The move that a person, or a deployer that steps by itself, asks for, of a course that is locked.

    Written where it goes on. What is not known holds a deployer, and nobody overrules a breach.
    """
    now, by_person = backend.clock(), of == "a person"
    barred = await _closed(backend, session, row)
    moved = course.move(
        was.plan, was.watches, was.state, now, held=barred, let_go_on=by_person, stepping=not by_person
    )
    if moved.move is Move.GO_ON:
        made = Made(
            was=was,
            state=was.state,
            moved=moved,
            at=now,
            barred=barred,
            word=by_person,
            stepping=not by_person,
        )
        await write(session, row, held, made)
    return moved


@dataclass(frozen=True, kw_only=True)
class Made:
    """A move, and what it was made on."""

    was: Course
    state: CourseState
    moved: Moved
    at: datetime
    looks: tuple[Look, ...] = ()
    barred: str | None = None
    word: bool = False
    """Whether a person said to go on."""
    stepping: bool = False
    """Whether its deployer did, who steps by itself."""


async def write(session: Session, row: PromotionRow, held: CourseRow, made: Made) -> None:
    """Write down one move of a course that is locked, with everything it was made on."""
    was, moved, state, now = made.was, made.moved, made.state, made.at
    before = Moved.model_validate(held.moved) if held.moved else None
    if moved.move is not Move.WAIT:
        on = await _kept(session, made)
        state = await _done(session, row, held, made, on)
    held.state, held.moved, held.turn = written(state), moved.plain(), held.turn + 1
    held.look_at = _next(was.plan, was.watches, state, now)
    told = before is None or _gist(before) != _gist(moved)
    known = {name: one.plain() for name, one in moved.known.items()}
    at = now if told else now.replace(second=0, microsecond=0)
    readings = {look.monitor: look.plain() for look in made.looks}
    await courses.note(session, row.number, at, moved.share, known, readings)
    announce(session, "promotion" if told else "course", [row.number])


async def _done(
    session: Session, row: PromotionRow, held: CourseRow, made: Made, on: dict[str, str]
) -> CourseState:
    """Order, halt, take back or end, each an entry on what it was decided on."""
    moved, now = made.moved, made.at
    if moved.move is Move.ROLL_BACK:
        await order_back(session, ENGINE, row, now, moved.because, on)
        return made.state
    action, says = Action.HALT, f"{what(row)} stands still at {moved.share} %."
    update: dict[str, Any] = {"halted": moved.because}
    if moved.move is Move.GO_ON:
        await courses.order(session, row.number, moved.share, moved.because, None, now)
        action, says = Action.ORDER_SHARE, f"{what(row)} goes on to {moved.share} %."
        update = {"step": made.state.step + 1, "ordered_at": now, "reached_at": None}
    elif moved.move is Move.DONE:
        held.ended_at = now
        action, says, update = Action.END_COURSE, f"All steps of {what(row)} are over.", {}
    row.changed_at = now
    details = {"share": str(moved.share)}
    record(session, ENGINE, action, says, now, promotion=row, reason=moved.because, on=on, details=details)
    return made.state.model_copy(update=update)


async def _kept(session: Session, made: Made) -> dict[str, str]:
    """Everything a move was made on, stored under its digest, so that it can be made again."""
    was = made.was
    document = {
        "format": "dogana.move/2",
        "at": made.at.isoformat(),
        "plan": was.plan.plain(),
        "watches": [watch.plain() for watch in was.watches],
        "state": written(was.state),
        "looks": [one.plain() for one in made.looks],
        "held": made.barred,
        "let_go_on": made.word,
        **({"stepping": True} if made.stepping else {}),
        "moved": made.moved.plain(),
    }
    body = json.dumps(document, sort_keys=True, separators=(",", ":"), ensure_ascii=False)
    digest = digest_bytes(body.encode())
    await documents.keep(session, [(digest, "move", body)])
    return {"move": digest}


def _next(plan: Plan, watches: Sequence[Watch], state: CourseState, now: datetime) -> datetime:
    """When it is to be looked at again: with its quickest monitor, or when a hold is over."""
    at = now + min((one.every or course.EVERY for one in watches), default=course.EVERY)
    if state.reached_at is not None:
        over = state.reached_at + plan.steps[state.step].hold
        at = min(at, over) if over > now else at
    return max(at, now + _SOONEST)


def _gist(moved: Moved) -> object:
    return moved.move, moved.share, {name: one.verdict for name, one in moved.known.items()}


async def _closed(backend: Backend, session: Session, row: PromotionRow) -> str | None:
    """What holds a step now though the release has departed, by the policy in force, in words."""
    grounds = await present(backend, session, row, last_said(row, await facts_text(session, row)))
    now = backend.clock()
    lets_go_on = {rule.id for rule in grounds.policy.rules if not rule.holds_next_step()}
    by_calendars = {rule.id for rule in grounds.policy.rules if rule.calendar_names()} - lets_go_on
    if by_calendars:
        sheet = inspect(grounds.policy, grounds.facts, grounds.decisions, now)
        unknown = (one for one in sheet.findings if one.outcome is Outcome.UNKNOWN)
        if because := next((one.because for one in unknown if one.rule in by_calendars), None):
            return lower_first(because).rstrip(".")
    ahead = look_ahead(grounds.policy, grounds.facts, grounds.decisions, now, horizon=timedelta(days=1))
    now_closed = [one for one in ahead.closings if one.start <= now < one.end and one.rule not in lets_go_on]
    if not now_closed:
        return None
    until = max(one.end for one in now_closed)
    names = listed(list(dict.fromkeys(one.name for one in now_closed)))
    return f"{names} until {when(until, row.environment.zone)}"
