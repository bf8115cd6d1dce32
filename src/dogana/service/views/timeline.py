"""The calendar: for each environment when it is closed, what starts, what landed."""

import asyncio
from collections.abc import Mapping, Sequence
from datetime import datetime, timedelta

from dogana.core.document import Instant
from dogana.core.policy.eras import Era, closed
from dogana.core.time.forecast import Closing
from dogana.core.time.intervals import Interval
from dogana.core.time.timetable import Timetable, departures
from dogana.core.time.windows import Calendar
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.policies.board import in_order
from dogana.service.policies.in_force import eras_of_each
from dogana.service.shapes import View
from dogana.service.views.rows import Row, Target, row_views
from dogana.store import calendars, landscape, promotions
from dogana.store.tables.landscape import EnvironmentRow
from dogana.store.tables.promotions import PENDING, PromotionRow, State

_MOST = timedelta(days=62)
_MOST_LANDINGS = 2000


class Mark(View):
    """A promotion at an instant."""

    number: int
    name: str
    at: Instant
    badly: bool


class Lane(View):
    """One environment along time."""

    environment: Target
    closings: list[Closing]
    departures_at: list[Instant]
    """Its set times."""
    starts: list[Mark]
    """When time first allows what is pending."""
    landings: list[Mark]


class Timeline(View):
    """Every environment of the routes, in their order; `at` is now."""

    at: Instant
    start: Instant
    end: Instant
    landings_from: Instant | None
    """From when on all that landed is here, where it was too much; None where it all is."""
    lanes: list[Lane]


async def timeline(backend: Backend, actor: Actor, start: datetime, days: int) -> Timeline:
    """What is closed, set, projected and past from an instant on."""
    actor.must(Right.READ)
    now = backend.clock()
    within = Interval(start, start + min(timedelta(days=days), _MOST))
    async with backend.database.transaction() as session:
        environments, _ = in_order(await landscape.routes(session))
        held = await eras_of_each(session, now)
        shared = {
            name: Calendar.model_validate(document)
            for name, document in (await calendars.calendars(session)).items()
        }
        pending = await promotions.in_state(session, PENDING, whole=False)
        landed = await promotions.landed_within(session, within.start, within.end, _MOST_LANDINGS + 1)
    cut, landed = len(landed) > _MOST_LANDINGS, landed[:_MOST_LANDINGS][::-1]
    starts = list(zip(pending, await row_views(pending, actor, {}, now), strict=True))
    lanes = await asyncio.to_thread(
        lambda: [
            _lane(environment, held.get(environment.id, []), shared, starts, landed, within)
            for environment in environments
        ]
    )
    drawn_from = landed[0].landed_at if cut else None
    return Timeline(at=now, start=within.start, end=within.end, lanes=lanes, landings_from=drawn_from)


def _lane(
    environment: EnvironmentRow,
    held: Sequence[Era],
    calendars: Mapping[str, Calendar],
    starts: Sequence[tuple[PromotionRow, Row]],
    landed: Sequence[PromotionRow],
    within: Interval,
) -> Lane:
    """What there is of one environment; long calendars take their time."""
    table = Timetable.model_validate(environment.timetable) if environment.timetable else None
    return Lane(
        environment=Target(id=environment.id, name=environment.title, zone=environment.zone),
        closings=closed(held, calendars, within),
        departures_at=list(departures(table, environment.zone, within.start, within.end)) if table else [],
        starts=[
            _mark(row, at)
            for row, view in starts
            if row.environment_id == environment.id
            and (at := view.first_start) is not None
            and within.start <= at < within.end
        ],
        landings=[
            _mark(row, row.landed_at)
            for row in landed
            if row.environment_id == environment.id and row.landed_at is not None
        ],
    )


def _mark(row: PromotionRow, at: datetime) -> Mark:
    name = f"{row.release.service.title} {row.release.version}"
    return Mark(number=row.number, name=name, at=at, badly=row.state == State.ROLLED_BACK)
