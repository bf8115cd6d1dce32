"""What happens by itself: departures at set times, what follows a landing, the end of previews."""

from collections.abc import Awaitable, Callable, Iterable
from datetime import datetime, timedelta
from typing import Any

import structlog

from dogana.core.errors import AwayError, ConflictError, DoganaError
from dogana.core.facts import PromotionKind
from dogana.core.record.actions import Action
from dogana.core.time.timetable import Timetable, departures
from dogana.core.versions import Version
from dogana.core.words import when
from dogana.service.actor import ENGINE, TIMETABLE, Actor
from dogana.service.backend import Backend
from dogana.service.delivery import course
from dogana.service.landscape.stops import skipped, stop_of
from dogana.service.ledger.entries import record
from dogana.service.promotions import failures
from dogana.service.promotions.grounds import last_said
from dogana.service.promotions.inspection import close, hold_to_end
from dogana.service.promotions.intake import Request, take_in
from dogana.service.promotions.lookup import what
from dogana.service.promotions.refreshing import see_inspected
from dogana.store import Session, landscape, promotions, schedule
from dogana.store.tables.landscape import EnvironmentRow
from dogana.store.tables.promotions import PENDING, PromotionRow, State

LATEST = timedelta(minutes=5)
"""How late a departure may still be made; testers count on the time."""

_log = structlog.get_logger("dogana.timetables")


async def depart_on_schedule(backend: Backend) -> None:
    """In every environment whose time has come, let the newest cleared release of each service depart."""
    now = backend.clock()
    async with backend.database.transaction() as session:
        environments = [
            p for p in await landscape.environments(session) if p.departs == "by timetable" and p.timetable
        ]
    await _each(environments, lambda one: _depart(backend, one, now))


async def _each(
    environments: Iterable[EnvironmentRow], work: Callable[[EnvironmentRow], Awaitable[None]]
) -> None:
    """Do something in each of some environments; one in which it fails keeps no other from its turn."""
    for one in environments:
        try:
            await work(one)
        except AwayError:
            raise
        except Exception:  # noqa: BLE001 - one environment stops no other
            _log.exception("not done", environment=one.id)


async def _depart(backend: Backend, environment: EnvironmentRow, now: datetime) -> None:
    since = max(environment.timetable_run_at or now, now - timedelta(days=1))
    slots = departures(Timetable.model_validate(environment.timetable), environment.zone, since, now)
    if environment.timetable_run_at is None:
        await _claim(backend, environment.id, now)
    elif slots and await _claim(backend, environment.id, slots[-1]):
        await _take_in(backend, environment, slots[-1])


async def _claim(backend: Backend, environment: str, slot: datetime) -> bool:
    """Become the one who handles a departure time; whether it can still be kept."""
    async with backend.database.transaction() as session:
        row = await landscape.environment(session, environment, lock=True)
        if row is None or (row.timetable_run_at is not None and row.timetable_run_at >= slot):
            return False
        row.timetable_run_at = slot
        in_time = backend.clock() - slot <= LATEST
        if not in_time:
            says = f"{row.title} took in nothing {when(slot, row.zone)}: nobody was at work then."
            record(session, TIMETABLE, Action.MISS_DEPARTURE, says, backend.clock(), environment=environment)
        return in_time


async def _take_in(backend: Backend, environment: EnvironmentRow, slot: datetime) -> None:
    async with backend.database.transaction() as session:
        rows = await promotions.in_state(session, (State.CLEARED,), into=environment.id)
    by_service: dict[str, list[PromotionRow]] = {}
    for row in rows:
        by_service.setdefault(row.service_id, []).append(row)
    for waiting in by_service.values():
        newest = max(waiting, key=_age)
        async with failures.kept(backend, newest.number):
            try:
                await course.let_go(backend, TIMETABLE, newest.number)
            except ConflictError as exc:
                _log.info("not taken in", promotion=newest.number, slot=slot.isoformat(), detail=exc.detail)
                continue
            for older in waiting:
                if older is not newest and older.bundle_id is None:
                    await _supersede(backend, older.number, newest)


def _age(row: PromotionRow) -> tuple[bool, Any, int]:
    """By version where it is one, else by when it was asked for."""
    try:
        return True, Version(row.release.version), row.number
    except ValueError:
        return False, 0, row.number


async def _supersede(backend: Backend, number: int, newer: PromotionRow) -> None:
    async with backend.database.transaction() as session:
        locked = await promotions.lock(session, number)
        if locked is None or locked.row.state not in PENDING:
            return
        row, known = locked.row, last_said(locked.row, locked.facts)
        await close(
            await hold_to_end(backend, session, row, known),
            TIMETABLE,
            State.SUPERSEDED,
            ended=f"superseded by {newer.release.version}, which the timetable took in",
            action=Action.SUPERSEDE,
            says=f"{newer.release.version} superseded {what(row)}.",
        )


async def depart_bundles(backend: Backend) -> None:
    """Let every bundle go whose promotions are all cleared for environments that wait for nobody."""
    async with backend.database.transaction() as session:
        ready = await promotions.bundles_ready(session)
    for number in ready:
        async with failures.kept(backend, number):
            try:
                await course.let_go(backend, ENGINE, number)
            except ConflictError as exc:
                _log.info("bundle held", promotion=number, detail=exc.detail)


async def follow(backend: Backend) -> None:
    """Ask for what follows from each landing: backfills of an urgent fix, and what timetables ask for."""
    tried_before = backend.clock() - timedelta(seconds=backend.refresh)
    async with backend.database.transaction() as session:
        rows = await schedule.to_follow(session, tried_before, 50)
    for row in rows:
        async with failures.kept(backend, row.number):
            await _follow(backend, row)
            async with backend.database.transaction() as session:
                await schedule.followed(session, row.number, backend.clock())


async def _follow(backend: Backend, row: PromotionRow) -> None:
    async with backend.database.transaction() as session:
        left_out = await skipped(session, row)
    for environment in left_out:
        note = f"The urgent fix skipped {environment.title}."
        await _ask(backend, ENGINE, row, environment.id, "backfill", note, None)
    stop = stop_of(row)
    for leg in row.route.legs:
        table = leg.environment.timetable
        if leg.position == stop.position + 1 and table and Timetable.model_validate(table).asks:
            note = f"Landed in {row.environment.title}; asked for by the timetable."
            await _ask(backend, TIMETABLE, row, leg.environment_id, "ordinary", note, row.route_id)


async def _ask(
    backend: Backend,
    actor: Actor,
    row: PromotionRow,
    to: str,
    kind: PromotionKind,
    note: str,
    route: str | None,
) -> None:
    asking = Request(
        service=row.service_id, version=row.release.version, to=to, kind=kind, note=note, route=route
    )
    try:
        await take_in(backend, actor, row.requester_id, [asking], None)
    except AwayError:
        raise
    except DoganaError as exc:
        _log.info("not asked for", promotion=row.number, to=to, code=exc.code, detail=exc.detail)


async def end_previews(backend: Backend) -> None:
    """Remove the previews whose end has come; their history stays."""
    now = backend.clock()
    async with backend.database.transaction() as session:
        over = await landscape.previews_over(session, now)
    await _each(over, lambda one: _end_preview(backend, one.id, now))


async def _end_preview(backend: Backend, name: str, now: datetime) -> None:
    async with backend.database.transaction() as session:
        waiting = await promotions.in_state(session, PENDING, into=name)
    for row in waiting:
        await see_inspected(backend, row.number)
    async with backend.database.transaction() as session:
        environment = await landscape.environment(session, name, lock=True)
        if environment is None or environment.removed_at is not None:
            return
        environment.removed_at = now
        says = f"{environment.title} came to its end and was removed."
        record(session, ENGINE, Action.REMOVE_PREVIEW, says, now, environment=environment.id)
        await _withdraw_all(backend, session, environment)


async def _withdraw_all(backend: Backend, session: Session, environment: EnvironmentRow) -> None:
    waiting = await promotions.in_state(session, PENDING, into=environment.id)
    for number in [row.number for row in waiting]:
        locked = await promotions.lock(session, number)
        if locked is None or locked.row.state not in PENDING:
            continue
        row, known = locked.row, last_said(locked.row, locked.facts)
        await close(
            await hold_to_end(backend, session, row, known),
            ENGINE,
            State.WITHDRAWN,
            ended="withdrawn: the preview came to its end",
            action=Action.WITHDRAW,
            says=f"Withdrew {what(row)}: the preview came to its end.",
        )
