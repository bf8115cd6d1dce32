"""How a course is shown: its steps as rungs, what is known of each monitor, and what one may do."""

from datetime import timedelta

from dogana.core.document import Instant
from dogana.core.health.course import Move, Moved, monitors_of
from dogana.core.health.monitor import Known, Verdict
from dogana.core.words import lasting
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.courses.steering import Order, told
from dogana.service.courses.watching import Course
from dogana.service.landscape.deployers import may_deploy
from dogana.service.promotions.authorship import part_in
from dogana.service.promotions.lookup import found
from dogana.service.shapes import View
from dogana.store import courses, people
from dogana.store.tables.courses import LookRow
from dogana.store.tables.promotions import ON_ITS_WAY, State

_DRAWN = 400


class Rung(View):
    """One step."""

    share: int
    hold: str
    """In words; empty where it is not held."""
    by_person: bool
    """Whether somebody has to let it go on from here."""
    stands: str
    """`was`, `is` or `comes`."""
    until: Instant | None = None
    """Of the present one: when its hold is over, once its share is reached."""


class Point(View):
    """What was known of a monitor at a look."""

    at: Instant
    low: float | None
    high: float | None
    value: float | None
    incumbent: float | None


class MonitorView(View):
    """One monitor beside its limit."""

    name: str
    limit: float
    wanted: str
    """Its limit in words."""
    compared: bool
    share: bool
    """Whether its limit is a share of requests."""
    counted: bool
    """Whether requests are counted for it, so that its own figures are shares of them."""
    verdict: Verdict
    says: str
    """What is known, in a sentence."""
    known: Known
    points: list[Point]
    """The latest some hundred looks."""


class CourseView(View):
    """One promotion going in."""

    rungs: list[Rung]
    ordered: int
    reported: int | None
    because: str
    """Why it stands where it does, in a sentence."""
    move: Move | None
    halted: bool
    ended: bool
    on_breach: str
    without_data: str
    incumbent: str | None
    monitors: list[MonitorView]
    orders: list[Order]
    may_decide: bool
    """Whether who looks may halt it and order it back."""
    may_go_on: bool
    """Whether they may let it go on, too: not who asked for it or may have written part of it."""
    may_report: bool
    """Whether who looks may report that what ran before runs again."""


async def course_view(backend: Backend, actor: Actor, number: int) -> CourseView | None:
    """The course of a promotion; None where it goes in all at once."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        row = await found(session, number)
        actor.must_reach(row.service_id, row.environment_id)
        held = await courses.get(session, number)
        if held is None:
            return None
        looks = await courses.looks(session, number)
        orders = await courses.orders(session, number)
        names = await people.names(session)
        deploys = may_deploy(actor, row.environment)
        moving = row.state == State.MOVING and held.ended_at is None
        may_decide = moving and Right.DECIDE in actor.rights
        may_go_on = may_decide and await part_in(session, actor.id, row) is False
    read = Course.of(held)
    moved = Moved.model_validate(held.moved) if held.moved else None
    return CourseView(
        rungs=_rungs(read, ended=not moving, landed=row.state == State.LANDED),
        ordered=orders[-1].share if orders else 0,
        reported=read.state.reported,
        because=moved.because if moved else row.ended or "Nobody has looked at it yet.",
        move=moved.move if moved else None,
        halted=read.state.halted is not None,
        ended=not moving,
        on_breach=read.plan.on_breach,
        without_data=read.plan.without_data,
        incumbent=held.incumbent,
        monitors=_monitors(read, looks),
        orders=[told(one, names) for one in orders],
        may_decide=may_decide,
        may_go_on=may_go_on,
        may_report=deploys and row.state in ON_ITS_WAY,
    )


def _rungs(read: Course, *, ended: bool, landed: bool) -> list[Rung]:
    out = []
    for number, step in enumerate(read.plan.steps):
        present = number == read.state.step and not ended
        stands = "is" if present else "was" if landed or number <= read.state.step else "comes"
        reached = read.state.reached_at if present else None
        out.append(
            Rung(
                share=step.share,
                hold=lasting(step.hold) if step.hold > timedelta(0) else "",
                by_person=step.by == "person",
                stands=stands,
                until=reached + step.hold if reached is not None else None,
            )
        )
    return out


def _monitors(read: Course, looks: list[LookRow]) -> list[MonitorView]:
    drawn = looks[:: max(1, len(looks) // _DRAWN + 1)]
    out, monitors = [], monitors_of(read.watches)
    for watch in read.watches:
        monitor = monitors[watch.name]
        known = monitor.known(read.state.monitors[watch.name])
        out.append(
            MonitorView(
                name=watch.name,
                limit=monitor.limit,
                wanted=watch.in_words(),
                compared=watch.compared,
                share=watch.in_shares,
                counted=watch.counted,
                verdict=known.verdict,
                says=monitor.in_words(known),
                known=known,
                points=[_point(one, watch.name) for one in drawn if watch.name in one.known],
            )
        )
    return out


def _point(look: LookRow, name: str) -> Point:
    known = Known.model_validate(look.known[name])
    return Point(at=look.at, low=known.low, high=known.high, value=known.value, incumbent=known.incumbent)
