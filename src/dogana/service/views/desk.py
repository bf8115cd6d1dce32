"""The Desk: what waits, for whom, until when; and the route lines beside it."""

from datetime import timedelta

from dogana.core.document import Instant
from dogana.core.time.windows import Calendar
from dogana.core.words import sentence
from dogana.service import dual_control
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.dual_control import ChangeKind, ProposedChange
from dogana.service.landed import incidents, sign_offs
from dogana.service.landed.incidents import IncidentView
from dogana.service.landed.sign_offs import SignOffView
from dogana.service.landscape.closings import closing_view
from dogana.service.policies.in_force import in_force_of_each
from dogana.service.promotions.lookup import found
from dogana.service.shapes import Named, View, named
from dogana.service.views import presence, saved_filters
from dogana.service.views.going import with_courses
from dogana.service.views.ledger import entry_view
from dogana.service.views.rows import Row, Station, row_view, row_views, station
from dogana.service.views.saved_filters import SavedFilter
from dogana.store import calendars, landscape, ledger, people, policies, promotions, sightings
from dogana.store.tables.ledger import EntryRow
from dogana.store.tables.promotions import PromotionRow, State


class Question(View):
    """A comment that names the reader, who has not answered."""

    promotion: int
    by: Named
    text: str


class Drift(View):
    """A place where something else is seen to run than landed there."""

    service: Named
    environment: Named
    says: str
    since: Instant


class WaitingDraft(View):
    """A version of a policy that the reader may adopt."""

    environment: Named
    version: int
    by: Named
    drafted_at: Instant


class WaitingChange(View):
    """A change of the set-up that the reader may confirm."""

    id: int
    kind: ChangeKind
    title: str
    """To go on after *asked for*."""
    by: Named
    asked_at: Instant


class Desk(View):
    """Everything under way, and what ended lately; `at` is the start of the time axis."""

    at: Instant
    rows: list[Row]
    questions: list[Question]
    looking: dict[int, list[Named]]
    """Who else has which promotion open."""
    filters: list["SavedFilter"]
    sign_offs: list[SignOffView]
    """What has landed and nobody has confirmed yet, where somebody is asked."""
    incidents: list[IncidentView]
    """What goes wrong, or did and nobody has closed."""
    drifts: list[Drift]
    """Where something else is seen to run than landed, the latest first."""
    drafts: list[WaitingDraft]
    """Policies that somebody else wrote and the reader may adopt."""
    changes: list[WaitingChange]
    """What somebody else asked for and the reader may confirm, the oldest first."""
    landed_is_whole: bool
    """Whether those two are all; two hundred of each are shown."""


class PromotionPage(View):
    """A page of promotions, the latest asked for first; `next` continues it."""

    at: Instant
    rows: list[Row]
    next: int | None


class Departure(View):
    """A promotion that departed, and what its deployer must hold."""

    promotion: Row
    clearance: str | None
    """A JWS; None for a person at the desk, whose deployer asks for it."""


class RouteLine(View):
    """A route with its stations in order."""

    id: str
    name: str
    urgent: bool
    stations: list[Station]


def question_view(row: EntryRow) -> Question:
    """A comment that names somebody, as they see it on their Desk."""
    entry = entry_view(row, None)
    if row.promotion is None:
        raise TypeError("comments are on promotions")
    return Question(promotion=row.promotion, by=entry.actor, text=entry.reason)


_LATELY = timedelta(hours=1)

_MOST_DRIFTS = 200


async def desk(backend: Backend, actor: Actor) -> Desk:
    """All that is under way, and what ended within the last hour."""
    actor.must(Right.READ)
    now = backend.clock()
    async with backend.database.transaction() as session:
        names = await people.names(session)
        rows = await promotions.under_way(session, now - _LATELY)
        asked = await ledger.unanswered(session, actor.id, [row.number for row in rows])
        said, all_said = await sign_offs.on_desk(session, actor, names, now)
        wrong, all_wrong = await incidents.on_desk(session, actor, names)
        return Desk(
            at=now,
            rows=await with_courses(session, await row_views(rows, actor, names, now), names, now),
            questions=[question_view(entry) for entry in asked],
            looking=await presence.lookers(backend, session, actor, [row.number for row in rows]),
            filters=await saved_filters.saved_filters(session, actor),
            sign_offs=said,
            incidents=wrong,
            drifts=[
                Drift(
                    service=Named(id=one.service, name=one.service_title),
                    environment=Named(id=one.environment, name=one.environment_title),
                    says=sentence(one.differs),
                    since=one.since,
                )
                for one in await sightings.differing(session, _MOST_DRIFTS)
            ],
            drafts=[
                WaitingDraft(
                    environment=Named(id=one.environment, name=one.title),
                    version=one.version,
                    by=named(one.author, names),
                    drafted_at=one.drafted_at,
                )
                for one in (await policies.drafts(session) if Right.ADOPT_POLICY in actor.rights else ())
                if one.author != actor.id
            ],
            changes=[
                WaitingChange(
                    id=row.id,
                    kind=ProposedChange.of(row).kind,
                    title=row.title,
                    by=Named(id=asker.id, name=asker.name),
                    asked_at=row.asked_at,
                )
                for row, asker in await dual_control.to_confirm(session, actor)
            ],
            landed_is_whole=all_said and all_wrong,
        )


async def page(
    backend: Backend,
    actor: Actor,
    *,
    service: str | None,
    environment: str | None,
    state: State | None,
    after: int | None,
    limit: int,
) -> PromotionPage:
    """Promotions that fit, the latest asked for first."""
    actor.must(Right.READ)
    now = backend.clock()
    async with backend.database.transaction() as session:
        names = await people.names(session)
        rows = await promotions.page(
            session, service=service, environment=environment, state=state, before=after, limit=limit + 1
        )
        return PromotionPage(
            at=now,
            rows=await row_views(rows[:limit], actor, names, now),
            next=rows[limit - 1].number if len(rows) > limit else None,
        )


async def promotion(backend: Backend, actor: Actor, number: int) -> Row:
    """One row of the desk."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        names, now = await people.names(session), backend.clock()
        row = row_view(await found(session, number), actor, names, now)
        return (await with_courses(session, [row], names, now))[0]


def row_of(backend: Backend, actor: Actor, row: PromotionRow) -> Row:
    """The row of a promotion that was taken in just now."""
    return row_view(row, actor, {}, backend.clock())


async def route_lines(backend: Backend, actor: Actor) -> list[RouteLine]:
    """Every route with how many wait, move, and whether a freeze is on."""
    actor.must(Right.READ)
    now = backend.clock()
    async with backend.database.transaction() as session:
        under_way = await promotions.under_way_into(session)
        in_force = in_force_of_each(await policies.in_force_everywhere(session, now))
        shared = {
            name: Calendar.model_validate(document)
            for name, document in (await calendars.calendars(session)).items()
        }
        names = await people.names(session)
        closed = {
            one.environment_id: closing_view(one, names) for one in await landscape.closings(session, now)
        }
        return [
            RouteLine(
                id=route.id,
                name=route.title,
                urgent=route.lets_in is not None,
                stations=[
                    station(
                        leg,
                        under_way[leg.environment_id],
                        in_force.get(leg.environment_id),
                        shared,
                        now,
                        closed.get(leg.environment_id),
                        actor,
                    )
                    for leg in route.legs
                ],
            )
            for route in await landscape.routes(session)
        ]
