"""Services by environments: what runs where now or ran there, and what needs attention."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from dogana.core.document import Instant
from dogana.core.estate import Place
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.estate.layout import Column, Layout, layout
from dogana.service.shapes import Named, View
from dogana.store import Session, estate, sightings
from dogana.store.estate import Moves, Runs
from dogana.store.sightings import Glance
from dogana.store.tables.promotions import State

_AT_ONCE = 60


class Arriving(View):
    """What waits for a place or moves into it."""

    promotion: int
    version: str
    state: State


class EstateCell(View):
    """One service in one environment."""

    environment: str
    promotion: int | None
    """The one that brought what runs there; absent where nothing does."""
    version: str | None
    since: Instant | None
    rollback: bool
    """Whether it went back to an earlier release."""
    let_in_by: list[str]
    """Who approved it; where nobody had to, nobody."""
    behind: int
    """How many releases the leg before is ahead."""
    behind_since: Instant | None
    """When the oldest of them landed there."""
    arriving: list[Arriving]
    incidents: int
    unconfirmed: bool
    """Whether a group is asked how it is and has not said."""
    overdue: bool
    """Whether its time to say so is over."""
    drift: str | None
    """In what that which is seen to run is not what landed last, in words."""
    unseen: str | None
    """Why it is not known what really runs; absent where it is, or nobody is to look."""


class EstateRow(View):
    """One service wherever it runs."""

    service: Named
    group: Named | None
    """Whose it is."""
    cells: list[EstateCell]


class Estate(View):
    """What ran where at an instant; of the rows a page, those that need attention first."""

    at: Instant
    past: bool
    """Whether that is over; of the past it is not told what waited, went wrong or was confirmed."""
    begins: Instant | None
    """The first landing on record; before it nothing is known."""
    columns: list[Column]
    groups: list[Named]
    """Whose services there are."""
    rows: list[EstateRow]
    total: int
    next: int | None
    """How many rows to skip for the next page."""


@dataclass(frozen=True, kw_only=True)
class Present:
    """What is known of the present alone."""

    arriving: Mapping[Place, Sequence[Moves]]
    incidents: Mapping[Place, int]
    unconfirmed: Mapping[int, datetime | None]
    seen: Mapping[Place, Glance]

    @classmethod
    def none(cls) -> "Present":
        """Of the past nothing of it is told."""
        return cls(arriving={}, incidents={}, unconfirmed={}, seen={})

    @classmethod
    async def read(cls, session: Session) -> "Present":
        """As it is now."""
        arriving: dict[Place, list[Moves]] = {}
        for one in await estate.under_way(session):
            arriving.setdefault((one.service, one.environment), []).append(one)
        return cls(
            arriving=arriving,
            incidents=await estate.open_incidents(session),
            unconfirmed=await estate.unconfirmed(session),
            seen=await sightings.everywhere(session),
        )


async def matrix(
    backend: Backend,
    actor: Actor,
    *,
    at: datetime | None,
    services: Collection[str] | None,
    group: str | None,
    environment: str | None,
    words: str | None,
    skip: int,
) -> Estate:
    """The estate at an instant, or now; a page of sixty services."""
    actor.must(Right.READ)
    now = backend.clock()
    past = at is not None and at < now
    instant = at if at is not None and past else now
    async with backend.database.transaction() as session:
        plan = await layout(session)
        shown = plan.narrowed(services=services, group=group, environment=environment, words=words)
        runs = await read_runs(session, shown, instant)
        present = Present.none() if past else await Present.read(session)
        order = sorted(shown.services, key=lambda one: (_calm(one.id, shown, runs, present), one.title))
        page = order[skip : skip + _AT_ONCE]
        promotions = [
            runs[one.id, column.id].promotion
            for one in page
            for column in shown.columns
            if (one.id, column.id) in runs
        ]
        let_in = await estate.let_in_by(session, promotions)
        begins = await estate.began(session)
    rows = [
        EstateRow(
            service=Named(id=one.id, name=one.title),
            group=plan.group_of(one),
            cells=[
                _cell((one.id, column.id), runs, present, let_in, instant)
                for column in shown.columns
                if (one.id, column.id) in runs or present.arriving.get((one.id, column.id))
            ],
        )
        for one in page
    ]
    more = skip + len(page)
    return Estate(
        at=instant,
        past=past,
        begins=begins,
        columns=list(shown.columns),
        groups=plan.groups(),
        rows=rows,
        total=len(order),
        next=more if more < len(order) else None,
    )


async def read_runs(session: Session, shown: Layout, at: datetime) -> dict[Place, Runs]:
    """What ran at an instant, by place."""
    found: dict[Place, Runs] = {}
    for before, services in shown.by_route():
        for one in await estate.runs_at(session, services, before, at):
            found[one.service, one.environment] = one
    return found


def _calm(
    service: str, shown: Layout, runs: Mapping[Place, Runs], present: Present
) -> tuple[int, int, int, int]:
    """What sorts those first where something goes wrong, is asked, moves, or is behind; in this order."""
    places = [(service, column.id) for column in shown.columns]
    there = [runs[place] for place in places if place in runs]
    arriving = [one for place in places for one in present.arriving.get(place, ())]
    return (
        -sum(present.incidents.get(place, 0) for place in places)
        - sum(one.state == State.HALTED for one in arriving)
        - sum(one.differs is not None for place in places if (one := present.seen.get(place))),
        -sum(one.promotion in present.unconfirmed for one in there),
        -len(arriving),
        -sum(one.newer for one in there),
    )


def _cell(
    place: Place,
    runs: Mapping[Place, Runs],
    present: Present,
    let_in: Mapping[int, list[str]],
    at: datetime,
) -> EstateCell:
    run = runs.get(place)
    asked = run is not None and run.promotion in present.unconfirmed
    due = present.unconfirmed[run.promotion] if run is not None and asked else None
    seen = present.seen.get(place)
    return EstateCell(
        environment=place[1],
        promotion=run.promotion if run else None,
        version=run.version if run else None,
        since=run.since if run else None,
        rollback=run is not None and run.kind == "rollback",
        let_in_by=let_in.get(run.promotion, []) if run else [],
        behind=run.newer if run else 0,
        behind_since=run.newer_since if run and run.newer else None,
        arriving=[
            Arriving(promotion=one.promotion, version=one.version, state=State(one.state))
            for one in present.arriving.get(place, ())
        ],
        incidents=present.incidents.get(place, 0),
        unconfirmed=asked,
        overdue=due is not None and due < at,
        drift=seen.differs if seen else None,
        unseen=seen.unknown if seen else None,
    )
