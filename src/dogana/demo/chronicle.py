"""Promotions that are over, decided as they were but written in bulk.

The rules, the words and the rows are those of the use cases; what is left out is looking up again, for every
step, what was written a step before. Everything under way is kept at hand between two commits instead.
"""

from collections import defaultdict
from contextlib import AsyncExitStack
from dataclasses import dataclass, field
from datetime import datetime, timedelta

from dogana.core.decisions import Decision
from dogana.core.errors import OccupiedError
from dogana.core.facts import Artifact, Facts, Report
from dogana.core.health import course as health
from dogana.core.inspect.sheet import Sheet
from dogana.core.traffic import Deployment, Queued
from dogana.demo.cast import ACTORS
from dogana.demo.journeys import Journey, Leg
from dogana.demo.past_courses import PastRequests
from dogana.service.actor import Actor
from dogana.service.backend import Backend
from dogana.service.courses import steering
from dogana.service.courses.watching import Course, Made, write
from dogana.service.delivery import course
from dogana.service.landscape import evidence
from dogana.service.landscape.releases import artifacts_of
from dogana.service.landscape.stops import stop_of
from dogana.service.ledger.entries import append
from dogana.service.policies.in_force import InForce, in_force
from dogana.service.promotions import decisions
from dogana.service.promotions.grounds import facts_of, grounds_on
from dogana.service.promotions.inspection import Held, held_on, settle
from dogana.service.promotions.intake import asked_entry
from dogana.service.promotions.outside_facts import Outside, gather
from dogana.service.promotions.own_record import Landed, Record, Shared, There, shared
from dogana.service.promotions.refreshing import question_about
from dogana.service.secrets import clearances
from dogana.service.sources.registry import Sources, load
from dogana.store import Session, courses, landscape, promotions
from dogana.store.tables.landscape import EnvironmentRow, ReleaseRow, RouteRow, ServiceRow
from dogana.store.tables.people import PersonRow
from dogana.store.tables.promotions import ON_ITS_WAY, PENDING, PromotionRow, State

_TRAFFIC_KEPT = timedelta(days=31)


@dataclass
class _Book:
    """What is at hand between two commits."""

    session: Session
    common: Shared
    sources: Sources
    rows: dict[int, PromotionRow]
    policies: dict[str, InForce] = field(default_factory=dict)


class Chronicle:
    """Writes down what past promotions went through; one step at a time, in the order of time."""

    def __init__(self, backend: Backend, until: datetime, store: str) -> None:
        self._backend = backend
        self._until = until
        self._store = store
        self._open = AsyncExitStack()
        self._book: _Book | None = None
        self._outside: dict[int, Outside] = {}
        self._decisions: defaultdict[int, list[Decision]] = defaultdict(list)
        self._evidence: defaultdict[int, list[Report]] = defaultdict(list)
        self._requests: dict[int, PastRequests] = {}
        """Of what went in step by step and was watched."""

    async def commit(self) -> None:
        """Keep what was written, before anything else is done; it is read anew after that."""
        self._book = None
        await self._open.aclose()

    async def ask(self, journey: Journey, leg: Leg) -> int:
        """Take a promotion in, with what its build brought along, and inspect it; gives its number."""
        book, now = await self._at_hand(), self._backend.clock()
        session, actor = book.session, ACTORS[leg.requester]
        release = await self._release(session, journey)
        service = release.service
        row = PromotionRow(
            number=await promotions.next_number(session),
            service_id=service.id,
            release=release,
            environment=await session.get_one(EnvironmentRow, leg.environment),
            route=await session.get_one(RouteRow, service.route_id),
            requester=await session.get_one(PersonRow, leg.requester),
            state=State.WAITING,
            requested_at=now,
            note="",
            asked_revision=journey.build.tag,
            kind="ordinary",
            plan=leg.plan.plain() if leg.plan else None,
            facts_read_at=now,
            inspect_at=now,
            changed_at=now,
        )
        row.environment_id, row.route_id = row.environment.id, row.route.id
        row.requester_id, row.release_id = row.requester.id, release.id
        before = [environment.title for environment in stop_of(row).before()]
        row.source = before[0] if before else None
        row.policy_id = (await self._policy(book, row)).row.id
        session.add(row)
        book.rows[row.number] = row
        append(session, [asked_entry(actor, row, now)])
        if not self._evidence[release.id]:
            await self._attach(session, journey, release)
        await self.inspect(row.number)
        return row.number

    async def inspect(self, number: int) -> tuple[PromotionRow, Sheet | None]:
        """Ask the outside systems and inspect, unless that was done now; no sheet of what waits no longer."""
        book, now = await self._at_hand(), self._backend.clock()
        row = book.rows[number]
        if row.state not in PENDING:
            return row, None
        if row.sheet is not None and row.facts_read_at == now:
            return row, Sheet.model_validate(row.sheet)
        policy = (await self._policy(book, row)).policy
        runs_here = self._running(book, row).get(row.service_id)
        base = runs_here.release.revision if runs_here else None
        known = self._facts(book, row) if number in self._outside else None
        question = question_about(row, book.sources, policy, base)
        self._outside[number] = await gather(self._backend, question, known)
        row.facts_read_at = now
        sheet = await settle(await self._held(row))
        row.inspect_at = self._until
        return row, sheet

    async def approve(self, who: str, number: int) -> None:
        """Take a seat that is open to somebody, if there is one."""
        row, _ = await self.inspect(number)
        if row.state not in PENDING:
            return
        held = await self._held(row)
        if any(seat.open_to(who) for seat in held.sheet.seats()):
            given = decisions.an_approval(held.sheet, ACTORS[who])
            await decisions.take_seat(held, ACTORS[who], given.comment)
            self._decisions[number].append(given)
            row.inspect_at = self._until

    async def let_go(self, actor: Actor, number: int) -> bool:
        """Let something depart if it is cleared now; whether it did."""
        row, _ = await self.inspect(number)
        if row.state == State.CLEARED:
            try:
                await course.go(await self._held(row), actor)
            except OccupiedError:
                return False
        return row.state == State.MOVING

    async def look(self, number: int, leg: Leg) -> bool:
        """Have what goes in step by step set to what is ordered, and looked at; whether it is over."""
        book, now, actor = await self._at_hand(), self._backend.clock(), ACTORS["pipeline"]
        session, row = book.session, book.rows[number]
        held = await courses.get(session, number)
        if held is None or held.ended_at is not None:
            return True
        if number not in self._requests:
            await clearances.issue(self._backend, session, actor, row)
            badly = leg.ends == "rolls back"
            self._requests[number] = PastRequests(number, row.environment_id, badly=badly)
        was = Course.of(held)
        share = was.plan.steps[was.state.step].share
        if was.state.reported != share:
            steering.write_share(session, actor, row, held, share, now)
            was = Course.of(held)
        looks = tuple(self._requests[number].looks(was.watches, now, share))
        state = health.seen(was.watches, was.state, looks)
        moved = health.move(was.plan, was.watches, state, now)
        made = Made(was=was, state=state, moved=moved, at=now, looks=looks)
        await write(session, row, held, made)
        return held.ended_at is not None

    async def report(self, number: int, leg: Leg) -> None:
        """Have the deployer take the clearance, and say how it went."""
        book, now, actor = await self._at_hand(), self._backend.clock(), ACTORS["pipeline"]
        row = book.rows[number]
        if number not in self._requests:
            await clearances.issue(self._backend, book.session, actor, row)
        if leg.ends == "rolls back":
            await course.write_roll_back(book.session, actor, row, now, leg.reason)
        else:
            landed = artifacts_of(row.release)
            await course.write_what_landed(book.session, actor, row, now, landed, "")
            row.followed_at = now

    async def end(self, number: int, leg: Leg, who: str) -> None:
        """End what never departs."""
        row = (await self._at_hand()).rows[number]
        held = await self._held(row)
        if leg.ends == "is withdrawn":
            await decisions.end_withdrawn(held, ACTORS[who], leg.reason)
        else:
            given = decisions.an_approval(held.sheet, ACTORS[who], leg.reason)
            await decisions.end_turned_back(held, ACTORS[who], given)

    async def _at_hand(self) -> _Book:
        if self._book is None:
            session = await self._open.enter_async_context(self._backend.database.transaction())
            rows = {row.number: row for row in await promotions.every(session)}
            common = await shared(session, self._backend.clock())
            sources = await load(self._backend, session)
            self._book = _Book(session=session, common=common, sources=sources, rows=rows)
        return self._book

    async def _policy(self, book: _Book, row: PromotionRow) -> InForce:
        if row.environment_id not in book.policies:
            now = self._backend.clock()
            book.policies[row.environment_id] = await in_force(book.session, row.environment, now)
        return book.policies[row.environment_id]

    async def _held(self, row: PromotionRow) -> Held:
        """Inspected on what is at hand."""
        book = await self._at_hand()
        made = tuple(self._decisions[row.number])
        grounds = await grounds_on(book.session, await self._policy(book, row), self._facts(book, row), made)
        return held_on(self._backend, book.session, row, grounds)

    def _facts(self, book: _Book, row: PromotionRow) -> Facts:
        there, record = self._there(book, row), self._record(book, row)
        return facts_of(row, self._outside[row.number], book.common, there, record)

    def _there(self, book: _Book, row: PromotionRow) -> There:
        """What the record says of where one goes; in these times nothing was closed."""
        since = self._backend.clock() - _TRAFFIC_KEPT
        here = [one for one in book.rows.values() if one.environment_id == row.environment_id]
        gone = [one for one in here if one.departed_at is not None]
        return There(
            turns=0,
            runs={name: one.release.version for name, one in sorted(self._running(book, row).items())},
            traffic=tuple(
                Deployment(
                    service=one.service_id,
                    version=one.release.version,
                    departed_at=one.departed_at,
                    arrived_at=one.closed_at,
                )
                for one in sorted(gone, key=lambda one: (one.departed_at, one.number))
                if one.departed_at is not None and (one.departed_at >= since or one.state in ON_ITS_WAY)
            ),
            closed_now=(),
        )

    def _record(self, book: _Book, row: PromotionRow) -> Record:
        """What the record says of one promotion; in these times nothing went wrong."""
        here = [one for one in book.rows.values() if one.environment_id == row.environment_id]
        return Record(
            waiting=tuple(
                Queued(number=one.number, version=one.release.version, requested_at=one.requested_at)
                for one in sorted(here, key=lambda one: (one.requested_at, one.number))
                if one.service_id == row.service_id and one.state in PENDING
            ),
            evidence=tuple(sorted(self._evidence[row.release_id], key=lambda one: one.name)),
            landings=tuple(self._landings(book, row)),
            troubles=(),
            decisions=(),
        )

    def _running(self, book: _Book, row: PromotionRow) -> dict[str, PromotionRow]:
        """What brought what runs where a promotion goes, by service."""
        landed = [
            one
            for one in book.rows.values()
            if one.environment_id == row.environment_id and one.state == State.LANDED
        ]
        return {one.service_id: one for one in sorted(landed, key=lambda one: str(one.landed_at))}

    def _landings(self, book: _Book, row: PromotionRow) -> list[Landed]:
        landed = [one for one in book.rows.values() if one.service_id == row.service_id and one.landed_at]
        return [
            Landed(
                environment=one.environment_id,
                landed_at=one.landed_at,
                artifacts=tuple(Artifact.model_validate(made) for made in one.landed_artifacts or ()),
                replaced_at=min(
                    (
                        other.landed_at
                        for other in landed
                        if other.environment_id == one.environment_id
                        and other.landed_at is not None
                        and other.landed_at > one.landed_at
                    ),
                    default=None,
                ),
                confirmed_at=None,
                issues=None,
            )
            for one in landed
            if one.release_id == row.release_id and one.landed_at is not None
        ]

    async def _release(self, session: Session, journey: Journey) -> ReleaseRow:
        build = journey.build
        row = await landscape.release(session, build.service.id, build.version)
        if row is None:
            service = await session.get_one(ServiceRow, build.service.id)
            repository = (await self._at_hand()).sources.repository(service.repository)
            row = ReleaseRow(
                service=service,
                version=build.version,
                revision=await self._backend.repositories.resolve(repository, build.tag),
                created_at=self._backend.clock(),
                artifacts=[one.plain() for one in sorted(build.artifacts(self._store), key=lambda a: a.name)],
            )
            session.add(row)
            await session.flush()
        return row

    async def _attach(self, session: Session, journey: Journey, release: ReleaseRow) -> None:
        now, actor = self._backend.clock(), ACTORS["pipeline"]
        for sent in journey.build.reports():
            report = await evidence.read_report(self._backend, actor, sent)
            await evidence.write_report(session, actor, release, report, sent.file, now)
            self._evidence[release.id].append(report)
