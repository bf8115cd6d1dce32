"""Makes the scenario: repositories, tickets, people, landscape, policies, history."""

import json
import shutil
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import cache
from itertools import groupby
from pathlib import Path

import httpx
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

from dogana.core.routes import LetsIn, Route
from dogana.core.time.timetable import Timetable
from dogana.core.time.weekly import DAYS
from dogana.core.time.windows import Calendar
from dogana.demo import capacity
from dogana.demo.cast import ACTORS, CAST, GROUPS, PASSWORD
from dogana.demo.connections import send_all, set_exchange, set_sources
from dogana.demo.journeys import SEALED_PROJECT, Journey, journeys
from dogana.demo.landscape import (
    ENVIRONMENTS,
    HOME,
    LIVE,
    OWNERS,
    PREVIEW,
    ROUTE,
    SERVICES,
    URGENT,
    URGENT_LEGS,
)
from dogana.demo.past_sources import PastMetrics, PastRepositories, SimulatedClock
from dogana.demo.repositories import make_repository
from dogana.demo.rules import holidays
from dogana.demo.rules import policies as scenario_policies
from dogana.demo.simulate import Simulation
from dogana.service.backend import Backend
from dogana.service.calendars import shared
from dogana.service.estate import boards, scopes
from dogana.service.hashing import hash_password
from dogana.service.landed import incidents
from dogana.service.landscape import setting_up
from dogana.service.landscape.documents import Environment, Service, Template
from dogana.service.ledger import sequencer
from dogana.service.messages import entries
from dogana.service.people import stand_ins
from dogana.service.policies import drafts
from dogana.service.sealing import Keyring
from dogana.sources.tickets import HttpTracker
from dogana.standins.tracker import Ticket, make_tracker
from dogana.store import Database, messages
from dogana.store.tables.people import GroupRow, MembershipRow, PersonRow

Progress = Callable[[str], None]
LEDGER_NAME = "corvale-water"
DAYS_BACK, _TOLD_EVERY = 36, 6
WORKING_DAYS = DAYS[:5]
_KINDS = ("change", "fault", "task")


@dataclass(frozen=True, kw_only=True)
class Files:
    """Where the scenario's outside lies."""

    folder: Path

    @property
    def repositories(self) -> Path:
        """The git repositories."""
        return self.folder / "repositories"

    @property
    def tickets(self) -> Path:
        """What the stand-in tracker knows."""
        return self.folder / "tickets.json"

    @property
    def builds(self) -> Path:
        """What was built, as the store of artifacts gives it out."""
        return self.folder / "builds"


def make_outside(files: Files, now: datetime) -> None:
    """Make repositories, builds and tickets anew."""
    shutil.rmtree(files.folder, ignore_errors=True)
    files.repositories.mkdir(parents=True)
    files.builds.mkdir()
    plan = sorted(journeys(now), key=lambda journey: journey.build.service.id)
    for service_id, group in groupby(plan, key=lambda journey: journey.build.service.id):
        service = next(service for service in SERVICES if service.id == service_id)
        builds = sorted((journey.build for journey in group), key=lambda build: build.built_at)
        make_repository(files.repositories, service, builds)
        for build in builds:
            for name, body in build.built.items():
                (files.builds / name).write_bytes(body)
    stored = {
        "tickets": {key: ticket.model_dump() for key, ticket in _tickets(plan).items()},
        "unavailable": [SEALED_PROJECT],
    }
    files.tickets.write_text(json.dumps(stored, indent=1, sort_keys=True, ensure_ascii=False))


def _tickets(plan: list[Journey]) -> dict[str, Ticket]:
    out = {}
    for journey in plan:
        work = journey.build.service.work
        for n, key in enumerate(journey.build.tickets):
            number = int(key.split("-")[1])
            out[key] = Ticket(
                title=work[number % len(work)], status=journey.status, kind=_KINDS[(number + n) % len(_KINDS)]
            )
    return out


@cache
def _hashed() -> str:
    """Everybody's password, hashed once: it is the same for all, and printed."""
    return hash_password(PASSWORD)


async def make_landscape(backend: Backend, *, timetables: bool = True) -> None:
    """Write people and groups, and have the administrator set up environments, routes and services.

    Args:
        backend: the outside.
        timetables: whether environments have their set times, or let what is cleared depart at once.
    """
    hashed = _hashed()
    async with backend.database.transaction() as session:
        session.add_all(GroupRow(id=key, title=title) for key, title in GROUPS.items())
        session.add_all(
            PersonRow(
                id=m.id,
                name=m.name,
                email=m.email,
                password_hash="" if m.machine else hashed,
                roles=list(m.roles),
                machine=m.machine,
            )
            for m in CAST
        )
        await session.flush()
        session.add_all(MembershipRow(person_id=m.id, group_id=group) for m in CAST for group in m.groups)
    dario = ACTORS["dario"]
    for environment in ENVIRONMENTS:
        at_set_times = timetables and environment.at
        wanted = Environment(
            title=environment.title,
            zone=HOME,
            departs=environment.departs if not environment.at or at_set_times else "at once",
            timetable=Timetable(days=WORKING_DAYS, at=environment.at) if at_set_times else None,
        )
        await setting_up.keep_environment(backend, dario, environment.id, wanted, None)
    for (name, title), template in ((LIVE, None), (PREVIEW, Template())):
        kept = Environment(title=title, zone=HOME, departs="never", template=template)
        await setting_up.keep_environment(backend, dario, name, kept, None)
    legs = [[e.id for e in ENVIRONMENTS if e.leg == n] for n in range(ENVIRONMENTS[-1].leg + 1)]
    lets_in = LetsIn(patches_only=True, branches=("main",))
    for (name, title), on_it, rules in ((ROUTE, legs, None), (URGENT, URGENT_LEGS, lets_in)):
        travels = Route.model_validate({"title": title, "legs": on_it, "lets_in": rules})
        await setting_up.keep_route(backend, dario, name, travels, None)
    for service in SERVICES:
        wanted_service = Service(
            title=service.title,
            repository=service.id,
            route=ROUTE[0],
            urgent_route=URGENT[0],
            group=OWNERS.get(service.id),
        )
        await setting_up.keep_service(backend, dario, service.id, wanted_service, None)


async def make_policies(backend: Backend, now: datetime, simulation: Simulation) -> None:
    """Have the policy owners draft and adopt the scenario's policies, each version at its time."""
    marco, chiara = ACTORS["marco"], ACTORS["chiara"]
    adopted = (timedelta(days=DAYS_BACK - 1), timedelta(days=20), timedelta(hours=3, minutes=5))

    async def put_in_force(environment: str, number: int, document: dict[str, object]) -> None:
        await drafts.draft(backend, marco, environment, document)
        reason = _REASONS_APART.get((environment, number), _REASONS[number - 1])
        await drafts.adopt(backend, chiara, environment, number, reason=reason)

    async def set_calendar() -> None:
        calendar = Calendar.model_validate(holidays(now))
        await shared.keep_calendar(backend, marco, "public-holidays", calendar)

    async def away() -> None:
        await stand_ins.name_stand_in(
            backend,
            ACTORS["priya"],
            stand_ins.WantedStandIn(
                person="farida",
                stands_in_for="priya",
                start=now - timedelta(days=1),
                end=now + timedelta(days=9),
            ),
        )

    simulation.plan(now - adopted[0], set_calendar)
    simulation.plan(now - timedelta(days=2), away)
    for environment, versions in scenario_policies(now).items():
        for number, (document, ago) in enumerate(zip(versions, adopted, strict=False), start=1):
            simulation.plan(
                now - _ADOPTED_APART.get((environment, number), ago),
                lambda e=environment, n=number, d=document: put_in_force(e, n, d),  # type: ignore[misc]
            )


_REASONS = (
    "First policy.",
    "Security takes a seat for everything that goes live.",
    "The control room declared storm watch for both shores.",
)


_REASONS_APART = {("rehearsal", 2): "Testers say how it is, within a day of its landing."}
_ADOPTED_APART = {("rehearsal", 2): timedelta(hours=32)}


async def goes_wrong(backend: Backend) -> None:
    """Something that went wrong lately, and somebody is at."""
    adaeze, joel = ACTORS["adaeze"], ACTORS["joel"]
    told = await incidents.open_by_hand(
        backend,
        joel,
        service="meter-intake",
        environment="live-south",
        what="Frames of the meters at the weir arrive twice",
    )
    await incidents.acknowledge(backend, adaeze, told.number)
    note = "The gateway sends them again; the bills are right, duplicates are dropped."
    await incidents.add_note(backend, adaeze, told.number, text=note)


async def make_history(
    database: Database,
    files: Files,
    key: Ed25519PrivateKey,
    keyring: Keyring,
    now: datetime,
    say: Progress,
    *,
    store: str,
    past: bool = True,
) -> None:
    """Play the scenario up to now, and sign a checkpoint over it; artifacts are fetched below `store`."""
    clock = SimulatedClock(now - timedelta(days=DAYS_BACK))
    tickets = {
        k: Ticket.model_validate(v) for k, v in json.loads(files.tickets.read_text())["tickets"].items()
    }
    tracker = make_tracker(tickets, frozenset({SEALED_PROJECT}))
    async with httpx.AsyncClient(transport=httpx.ASGITransport(tracker)) as client:
        backend = Backend(
            database=database,
            repositories=PastRepositories(files.repositories, clock, files.folder / "mirrors"),
            tracker=HttpTracker(client, clock),
            metrics=PastMetrics(clock),
            client=client,
            clock=clock,
            keyring=keyring,
            refresh=timedelta(days=1).total_seconds(),
        )
        await make_landscape(backend)
        await set_sources(backend, "http://tracker", "http://metrics")
        await set_exchange(backend)
        simulation = Simulation(backend, clock, now, store)
        for day in range(DAYS_BACK, 0, -_TOLD_EVERY):
            simulation.plan(now - timedelta(days=day), lambda: send_all(backend))
        await make_policies(backend, now, simulation)
        simulation.plan(now - timedelta(hours=5, minutes=20), lambda: goes_wrong(backend))
        simulation.plan(now - timedelta(days=2), lambda: make_scope(backend, now))
        simulation.plan(now - timedelta(hours=4), lambda: comes_late(backend))
        for journey in journeys(now, past=past):
            simulation.plan_journey(journey)
            for leg in journey.legs:
                if leg.environment.startswith("live") and not leg.is_over:
                    simulation.plan(leg.at + timedelta(minutes=1), lambda: capacity.answer_all(backend))
        last = ""

        def progress(at: datetime) -> None:
            nonlocal last
            if f"{at:%d %b}" != last:
                last = f"{at:%d %b}"
                gone = 1 - (now - at) / timedelta(days=DAYS_BACK)
                say(f"playing history: {last}, {gone:.0%}")

        await simulation.run(progress)
        await boards.keep(backend, ACTORS["ilse"], None, BOARD)
        async with database.transaction() as session:
            await messages.forget_untold(session, now - timedelta(days=1))
        while await entries.tell_of_entries(backend):
            continue
        say("signing the ledger")
        while await sequencer.sequence(backend, key, LEDGER_NAME):
            continue
        backend.pool.close()


_LATE = "FIELD-901"
_BEFORE_WINTER = {
    ("leak-watch", "4.3.0"),
    ("tariff-engine", "3.9.0"),
    ("valve-command", "2.5.0"),
    ("taps-portal", "12.2.0"),
}
BOARD = boards.EstateBoard(
    title="Valves and meters",
    services=("valve-command", "meter-intake"),
    charts=(
        boards.Chart(environment="rehearsal", monitor="valve acknowledgement, s"),
        boards.Chart(environment="live-north", monitor="telemetry lag, s"),
    ),
    hours=168,
)


async def make_scope(backend: Backend, now: datetime) -> None:
    """What is to be out before the winter, and who agreed on it."""
    builds = [one.build for one in journeys(now, past=False)]
    wanted = scopes.Scope(
        title="Before the winter",
        due=now + timedelta(days=12),
        themes=("frost", "clear bills"),
        tickets=tuple(
            ticket
            for build in builds
            if (build.service.id, build.version) in _BEFORE_WINTER
            for ticket in build.tickets
        ),
    )
    made = await scopes.keep(backend, ACTORS["noor"], None, wanted)
    await scopes.agree(backend, ACTORS["ilse"], made.number, wanted.tickets)


async def comes_late(backend: Backend) -> None:
    """Something comes into it that nobody had agreed on."""
    noor = ACTORS["noor"]
    (scope,) = await scopes.every(backend, noor)
    known = (await scopes.view(backend, noor, scope.number)).scope
    late = known.model_copy(update={"tickets": (*known.tickets, _LATE)})
    await scopes.keep(backend, noor, scope.number, late)
