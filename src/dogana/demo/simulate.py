"""Plays the scenario on a clock of its own, so that history is history.

What is under way goes through the real use cases: it was asked for, inspected, decided and reported, and the
ledger holds the entries they wrote. What is over is inspected and decided all the same, but written in bulk.
"""

import contextlib
import heapq
import itertools
from collections.abc import Awaitable, Callable
from datetime import datetime, timedelta
from functools import partial

from dogana.core.errors import (
    AlreadyDecidedError,
    ChangedSinceShownError,
    ConflictError,
    MovedOnError,
    NoSeatError,
    NotClearedError,
)
from dogana.core.facts import Artifact
from dogana.core.inspect.sheet import Sheet
from dogana.core.time.timetable import Timetable, next_departure
from dogana.demo.cast import ACTORS
from dogana.demo.chronicle import Chronicle
from dogana.demo.journeys import APPROVERS, Journey, Leg
from dogana.demo.past_sources import SimulatedClock
from dogana.service.actor import TIMETABLE
from dogana.service.backend import Backend
from dogana.service.courses import steering, watching
from dogana.service.delivery import automation, course
from dogana.service.landscape import evidence
from dogana.service.promotions import decisions, intake, refreshing, waivers
from dogana.store import promotions, schedule, secrets
from dogana.store.tables.promotions import PENDING, UNDER_WAY, PromotionRow, State

Act = Callable[[], Awaitable[None]]
_MOVES_FOR = timedelta(minutes=14)
_BETWEEN_LOOKS = timedelta(minutes=5)
_FIRST_LOOK = timedelta(minutes=1)
_BETWEEN_READINGS = timedelta(minutes=3)
_WATCHED_FOR = timedelta(days=45)
_BETWEEN_APPROVALS = timedelta(minutes=37)
_WAITS_FOR_TIMETABLE = timedelta(hours=3)
_TAKEN_IN_LATE = timedelta(minutes=1)


class Simulation:
    """Everything that happens, in the order in which it happened."""

    def __init__(self, backend: Backend, clock: SimulatedClock, until: datetime, store: str) -> None:
        self._backend = backend
        self._clock = clock
        self._until = until
        self._store = store
        self._acts: list[tuple[datetime, int, Act]] = []
        self._chronicle = Chronicle(backend, until, store)
        self._order = itertools.count()
        self._written: set[Act] = set()
        """What is written in bulk."""
        self._backfills: set[int] = set()

    def plan(self, at: datetime, act: Act) -> None:
        """Have something happen; what lies beyond the end never does."""
        if at < self._until:
            heapq.heappush(self._acts, (max(at, self._clock.now), next(self._order), act))

    def plan_journey(self, journey: Journey) -> None:
        """Have a release begin its journey."""
        self._plan_leg(journey, 0, journey.legs[0].at)

    async def run(self, progress: Callable[[datetime], None]) -> None:
        """Play to the end."""
        while self._acts:
            at, _, act = heapq.heappop(self._acts)
            if act not in self._written:
                await self._chronicle.commit()
                await self._inspect_until(at)
            self._clock.now = max(at, self._clock.now)
            await act()
            progress(self._clock.now)
        await self._chronicle.commit()
        await self._inspect_until(self._until)
        self._clock.now = self._until
        async with self._backend.database.transaction() as session:
            pending = await promotions.in_state(session, PENDING)
        for row in pending:
            await refreshing.refresh(self._backend, row.number)

    async def _inspect_until(self, at: datetime) -> None:
        """Inspect what became due before an instant, each at its own time."""
        while True:
            async with self._backend.database.transaction() as session:
                due = await schedule.next_due(session)
                numbers = await schedule.due(session, due, 50) if due and due <= at else []
            if not numbers or due is None:
                return
            self._clock.now = max(due, self._clock.now)
            for number in numbers:
                await refreshing.refresh(self._backend, number)

    def _plan_leg(self, journey: Journey, n: int, at: datetime) -> None:
        if journey.legs[n].is_over:
            self._write(at, lambda: self._write_leg(journey, n))
        else:
            self.plan(at, lambda: self._ask(journey, n))

    def _write(self, at: datetime, act: Act) -> None:
        self._written.add(act)
        self.plan(at, act)

    async def _write_leg(self, journey: Journey, n: int) -> None:
        """What is over: asked for, approved, and ended or let go."""
        leg = journey.legs[n]
        number, at = await self._chronicle.ask(journey, leg), self._clock.now
        for approver in leg.approvers:
            at += _BETWEEN_APPROVALS
            self._write(at, partial(self._chronicle.approve, approver, number))
        if leg.ends == "is turned back":
            self._write(at + _BETWEEN_APPROVALS, partial(self._chronicle.end, number, leg, "tomas"))
        elif leg.ends == "is withdrawn":
            self._write(at + _BETWEEN_APPROVALS, partial(self._chronicle.end, number, leg, "pipeline"))
        else:
            self._write(at, lambda: self._write_departure(journey, n, number))

    async def _write_departure(self, journey: Journey, n: int, number: int) -> None:
        """By its deployer, its timetable, or by hand where that would be too late; else tried again later."""
        row, sheet = await self._chronicle.inspect(number)
        for who in journey.legs[n].approvers:
            if sheet is not None and any(seat.open_to(who) for seat in sheet.seats()):
                await self._chronicle.approve(who, number)
        actor, later = ACTORS["pipeline"], None
        if row.environment.timetable is not None and row.state == State.CLEARED:
            table = Timetable.model_validate(row.environment.timetable)
            at = next_departure(table, row.environment.zone, self._clock.now - _TAKEN_IN_LATE)
            actor = TIMETABLE if at <= self._clock.now else ACTORS["ilse"]
            later = at if self._clock.now < at < self._clock.now + _WAITS_FOR_TIMETABLE else None
        if later is None and await self._chronicle.let_go(actor, number):
            if self._is_watched(journey.legs[n]):
                self._write(self._clock.now + _FIRST_LOOK, lambda: self._write_look(journey, n, number))
            else:
                self._write(self._clock.now + _MOVES_FOR, lambda: self._write_report(journey, n, number))
        elif row.state in PENDING and sheet is not None:
            opens = sheet.forecast.first_start or self._clock.now + timedelta(days=1)
            later = later or max(opens, self._clock.now + timedelta(minutes=20))
            self._write(later, lambda: self._write_departure(journey, n, number))

    def _is_watched(self, leg: Leg) -> bool:
        """Whether it was looked at while it went in: what did lately, and what went badly."""
        lately = self._clock.now > self._until - _WATCHED_FOR
        return leg.plan is not None and (lately or leg.ends == "rolls back")

    async def _write_look(self, journey: Journey, n: int, number: int) -> None:
        if await self._chronicle.look(number, journey.legs[n]):
            self._write(self._clock.now + _FIRST_LOOK, lambda: self._write_report(journey, n, number))
        else:
            self._write(self._clock.now + _BETWEEN_READINGS, lambda: self._write_look(journey, n, number))

    async def _write_report(self, journey: Journey, n: int, number: int) -> None:
        await self._chronicle.report(number, journey.legs[n])
        self._plan_next(journey, n)

    def _plan_next(self, journey: Journey, n: int) -> None:
        if n + 1 < len(journey.legs):
            following = max(journey.legs[n + 1].at, self._clock.now + timedelta(minutes=20))
            self._plan_leg(journey, n + 1, following)

    async def _ask(self, journey: Journey, n: int) -> None:
        leg, build = journey.legs[n], journey.build
        asking = intake.Request(
            service=build.service.id,
            version=build.version,
            to=leg.environment,
            repository=None,
            revision=build.tag,
            artifacts=build.artifacts(self._store),
            note="",
            plan=leg.plan,
            route=leg.route,
        )
        row = await intake.request(self._backend, ACTORS[leg.requester], asking)
        at = self._clock.now
        if n == 0:
            for sent in build.reports():
                who = ACTORS["pipeline"]
                await evidence.upload(self._backend, who, build.service.id, build.version, sent)
        await refreshing.refresh(self._backend, row.number)
        if leg.waiver is not None:
            self.plan(at + timedelta(hours=3), lambda: self._ask_waiver(leg, row.number))
        for approver in leg.approvers:
            at += _BETWEEN_APPROVALS
            self.plan(at, lambda who=approver: self._approve(who, row.number))  # type: ignore[misc]
        if leg.ends in {"is turned back", "is withdrawn"}:
            self.plan(at + _BETWEEN_APPROVALS, lambda: self._end(leg, row.number))
        if leg.ends == "stays" and n + 1 < len(journey.legs):
            self._plan_leg(journey, n + 1, journey.legs[n + 1].at)
        if leg.ends == "moves":
            # So late that its first order is still fresh when the pipeline starts.
            self.plan(self._until - timedelta(seconds=30), lambda: self._depart(row.number))
        elif leg.ends in {"lands", "rolls back"}:
            self.plan(at, lambda: self._watch(journey, n, row.number))

    async def _approve(self, who: str, number: int) -> None:
        """As somebody does who looks at what was inspected last, and looks again where it has changed."""
        try:
            await self._take_seat(who, number, await self._shown(number))
        except (ChangedSinceShownError, AlreadyDecidedError, MovedOnError, NoSeatError):
            await self._take_seat(who, number, await self._sheet(number))

    async def _take_seat(self, who: str, number: int, sheet: Sheet) -> None:
        if any(seat.open_to(who) for seat in sheet.seats()):
            await decisions.approve(self._backend, ACTORS[who], number, shown=sheet.shown, comment="")

    async def _ask_waiver(self, leg: Leg, number: int) -> None:
        if leg.waiver is None:
            return
        who, rule, reason = leg.waiver
        sheet = await self._sheet(number)
        until = self._clock.now + timedelta(days=2)
        await waivers.ask_waiver(
            self._backend, ACTORS[who], number, rule, until=until, reason=reason, shown=sheet.shown
        )

    async def _depart(self, number: int) -> None:
        await refreshing.refresh(self._backend, number)
        await course.depart(self._backend, ACTORS["pipeline"], number)

    async def _end(self, leg: Leg, number: int) -> None:
        if leg.ends == "is withdrawn":
            await decisions.withdraw(self._backend, ACTORS["pipeline"], number, comment=leg.reason)
            return
        sheet = await self._sheet(number)
        actor = ACTORS["tomas"]
        await decisions.turn_back(self._backend, actor, number, shown=sheet.shown, comment=leg.reason)

    async def _watch(self, journey: Journey, n: int, number: int) -> None:
        """The deployer: takes in what is cleared and reports after a while; else looks again later.

        Whose approval lapsed meanwhile, because the policy changed, approves again.
        """
        sheet = await self._shown(number)
        for who in journey.legs[n].approvers:
            if any(seat.open_to(who) for seat in sheet.seats()):
                await self._approve(who, number)
        row = await self._row(number)
        if row.state == State.CLEARED:
            await self._let_go(row)
            row = await self._row(number)
        if row.state not in UNDER_WAY:
            return
        if row.state == State.MOVING:
            self.plan(self._clock.now + _MOVES_FOR, lambda: self._report(journey, n, number))
        else:
            soon = self._clock.now + timedelta(minutes=20)
            opens = (await self._sheet(number)).forecast.first_start
            again = max(soon, opens or self._clock.now + timedelta(days=1))
            self.plan(again, lambda: self._watch(journey, n, number))

    async def _let_go(self, row: PromotionRow) -> None:
        """By its deployer; at a set time by the timetable, or by hand where that would be too late."""
        environment = row.environment
        if environment.timetable is None:
            await refreshing.refresh(self._backend, row.number)
            with contextlib.suppress(ConflictError):
                await course.depart(self._backend, ACTORS["pipeline"], row.number)
            return
        at = next_departure(
            Timetable.model_validate(environment.timetable), environment.zone, self._clock.now
        )
        if at - self._clock.now < _WAITS_FOR_TIMETABLE:
            self.plan(at, self._take_in)
            return
        await refreshing.refresh(self._backend, row.number)
        with contextlib.suppress(NotClearedError):
            await course.let_go(self._backend, ACTORS["ilse"], row.number)

    async def _take_in(self) -> None:
        async with self._backend.database.transaction() as session:
            cleared = await promotions.in_state(session, (State.CLEARED,))
        for row in cleared:
            await refreshing.refresh(self._backend, row.number)
        await automation.depart_on_schedule(self._backend)

    async def _row(self, number: int) -> PromotionRow:
        async with self._backend.database.transaction() as session:
            row = await promotions.get(session, number)
        if row is None:
            raise LookupError(f"there is no promotion {number}")
        return row

    async def _report(self, journey: Journey, n: int, number: int) -> None:
        leg = journey.legs[n]
        actor = ACTORS["pipeline"]
        async with self._backend.database.transaction() as session:
            held = await secrets.last_clearance(session, number)
        if held is None:
            await course.depart(self._backend, actor, number)
        if not await self._all_in(number):
            self.plan(self._clock.now + _BETWEEN_LOOKS, lambda: self._report(journey, n, number))
            return
        if leg.ends == "rolls back":
            await course.roll_back(self._backend, actor, number, note=leg.reason)
        else:
            landed = _other_bytes(journey) if leg.other_bytes else ()
            await course.land(self._backend, actor, number, artifacts=landed, note="")
            await automation.follow(self._backend)
            await self._watch_backfills(journey)
        self._plan_next(journey, n)

    async def _all_in(self, number: int) -> bool:
        """Set what is ordered, and have it looked at; whether all steps are over, if there are any."""
        told = await steering.orders(self._backend, ACTORS["wanjiru"], number, after=0, patience=0)
        if not told.ended:
            share = told.orders[-1].share
            await steering.report_share(self._backend, ACTORS["pipeline"], number, share)
            await watching.look(self._backend, number)
        return told.ended

    async def _watch_backfills(self, journey: Journey) -> None:
        """What an urgent fix skipped is decided on like anything else."""
        async with self._backend.database.transaction() as session:
            pending = await promotions.in_state(session, UNDER_WAY)
        for row in pending:
            if row.kind == "backfill" and row.number not in self._backfills:
                self._backfills.add(row.number)
                leg = Leg(
                    environment=row.environment_id,
                    at=self._clock.now,
                    approvers=APPROVERS[row.environment_id],
                )
                own = Journey(build=journey.build, legs=(leg,))
                at = self._clock.now + _BETWEEN_APPROVALS
                self.plan(at, lambda one=own, number=row.number: self._watch(one, 0, number))  # type: ignore[misc]

    async def _sheet(self, number: int) -> Sheet:
        """What somebody who looks now is shown, from facts read now."""
        await refreshing.refresh(self._backend, number)
        return await self._shown(number)

    async def _shown(self, number: int) -> Sheet:
        """What somebody is shown who looks at what was inspected last."""
        return Sheet.model_validate((await self._row(number)).sheet)


def _other_bytes(journey: Journey) -> tuple[Artifact, ...]:
    first, *rest = journey.build.artifacts()
    return (*rest, first.model_copy(update={"digest": first.digest[:-4] + "0bad"}))
