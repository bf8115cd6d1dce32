"""The use cases that only read: desk, route line, dossier, ledger."""

import json
from datetime import timedelta
from urllib.parse import quote

from dogana.core.change import Change
from dogana.core.errors import NotFoundError
from dogana.core.facts import Reading
from dogana.core.inspect.sheet import Sheet
from dogana.core.policy.document import policy_of
from dogana.core.rollout import AT_ONCE
from dogana.core.time.windows import Calendar
from dogana.service import attention
from dogana.service.access import Actor, Right
from dogana.service.backend import Backend
from dogana.service.gathering import Outside
from dogana.service.grounds import (
    Grounds,
    change_inspected,
    in_force_of_each,
    kept,
    last_said,
    present,
    shared,
)
from dogana.service.inspection import see_inspected
from dogana.service.presenting import (
    checkpoint_view,
    closing_view,
    entry_view,
    finding_view,
    my_part,
    policy_ref,
    question_view,
)
from dogana.service.provenance import rule_origins
from dogana.service.required import found, found_with_facts
from dogana.service.rows import named, row_view, row_views, station
from dogana.service.set_up_views import StandInView
from dogana.service.since import since_approval
from dogana.service.views import (
    ChangePage,
    Counts,
    Desk,
    Dossier,
    FileView,
    LedgerFilters,
    LedgerPage,
    Named,
    PolicyView,
    PromotionPage,
    RouteLine,
    Row,
)
from dogana.store import (
    Session,
    accounts,
    estate,
    exceptions,
    ledger,
    outside,
    policies,
    promotions,
    safekeeping,
    workplace,
)
from dogana.store.ledger import Wanted
from dogana.store.tables import (
    PENDING,
    PolicyRow,
    PromotionRow,
    State,
)

_LATELY = timedelta(hours=1)
_COMMITS, _FILES = 100, 300
"""How much of a change is shown at once."""


async def desk(backend: Backend, actor: Actor) -> Desk:
    """All that is under way, and what ended within the last hour."""
    actor.must(Right.READ)
    now = backend.clock()
    async with backend.database.transaction() as session:
        names = await _names(session)
        rows = await promotions.under_way(session, now - _LATELY)
        asked = await ledger.unanswered(session, actor.id, [row.number for row in rows])
        return Desk(
            at=now,
            rows=await row_views(rows, actor, names, now),
            questions=[question_view(entry) for entry in asked],
            looking=await attention.lookers(backend, session, actor, [row.number for row in rows]),
            filters=await attention.saved_filters(session, actor),
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
        names = await _names(session)
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
        return row_view(await found(session, number), actor, await _names(session), backend.clock())


def taken_in(backend: Backend, actor: Actor, row: PromotionRow) -> Row:
    """The row of a promotion that was taken in just now."""
    return row_view(row, actor, {}, backend.clock())


async def route_lines(backend: Backend, actor: Actor) -> list[RouteLine]:
    """Every route with how many wait, move, and whether a freeze is on."""
    actor.must(Right.READ)
    now = backend.clock()
    async with backend.database.transaction() as session:
        under_way = await promotions.under_way_into(session)
        in_force = in_force_of_each(await policies.in_force_everywhere(session, now))
        calendars = {
            name: Calendar.model_validate(document)
            for name, document in (await exceptions.calendars(session)).items()
        }
        names = await _names(session)
        closed = {one.environment_id: closing_view(one, names) for one in await estate.closings(session, now)}
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
                        calendars,
                        now,
                        closed.get(leg.environment_id),
                        actor,
                    )
                    for leg in route.legs
                ],
            )
            for route in await estate.routes(session)
        ]


async def dossier(backend: Backend, actor: Actor, number: int) -> Dossier:
    """One promotion's whole file; what still waits is inspected as it is read."""
    actor.must(Right.READ)
    while True:
        async with backend.database.transaction() as session:
            promotion = await found_with_facts(session, number)
            if not promotion.unseen:
                return await _dossier(backend, session, actor, promotion)
        await see_inspected(backend, number)


async def _dossier(
    backend: Backend, session: Session, actor: Actor, promotion: promotions.WithFacts
) -> Dossier:
    row, number, now = promotion.row, promotion.row.number, backend.clock()
    common = await shared(session, now)
    names = common.names
    if row.state in PENDING:
        known = last_said(row, promotion.facts)
        grounds = await present(backend, session, row, known, common)
        sheet = grounds.sheet(now)
    elif row.sheet is None:
        at = row.closed_at or now
        unread = Outside.unread(at, "it ended before it was inspected")
        grounds = await present(backend, session, row, unread, common)
        sheet = grounds.sheet(at)
    else:
        grounds = await kept(session, row, row.closed_at or row.departed_at or now)
        sheet = Sheet.model_validate(row.sheet)
    facts, changes = grounds.facts, await workplace.finding_changes(session, number)
    origins = await rule_origins(session, grounds, names)
    course, mine = await ledger.course(session, number), my_part(row, actor, grounds, sheet, changes)
    if mine.lapsed is not None:
        since = await since_approval(session, course, actor, grounds)
        lapsed = mine.lapsed.model_copy(update={"changes": since})
        mine = mine.model_copy(update={"lapsed": lapsed})
    live = await safekeeping.live_clearance(session, number) if row.state == State.MOVING else None
    return Dossier(
        at=now,
        row=row_view(row, actor, names, now, sheet),
        note=row.note,
        plan=(facts.plan or AT_ONCE).in_words(),
        repository=facts.repository,
        change=first_of(facts.change),
        counts=Counts(
            commits=len(facts.change.value.commits) if facts.change.value else 0,
            files=len(facts.change.value.files) if facts.change.value else 0,
        ),
        strangers=list(facts.strangers),
        clearance_live=live is not None and live.used_at is None,
        tickets=facts.tickets,
        origin=facts.origin,
        evidence=list(facts.evidence),
        files=await _files(session, row),
        artifacts=list(facts.artifacts),
        leg_before=list(facts.leg_before),
        authors=[Named(id=p, name=facts.name_of(p)) for p in sorted(facts.author_ids or ())],
        findings=[finding_view(f, row, actor, grounds, changes, origins.get(f.rule)) for f in sheet.findings],
        policy=policy_ref(grounds, names, await _baseline(session, grounds)),
        mine=mine,
        looking=(await attention.lookers(backend, session, actor, [number])).get(number, []),
        not_before=row.not_before,
        course=[entry_view(entry, place) for entry, place in course],
    )


def first_of(change: Reading[Change]) -> Reading[Change]:
    """A change as far as it is shown at once."""
    value = change.value
    if value is None or (len(value.commits) <= _COMMITS and len(value.files) <= _FILES):
        return change
    first = {"commits": value.commits[:_COMMITS], "files": value.files[:_FILES]}
    return change.model_copy(update={"value": value.model_copy(update=first)})


async def change_page(
    backend: Backend, actor: Actor, number: int, *, commits_from: int, files_from: int
) -> ChangePage:
    """Some more of a promotion's commits and files, from these places on.

    Raises:
        NotFoundError: when there is no such promotion.
    """
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        row = await found(session, number)
        change = await change_inspected(session, row)
    return ChangePage(
        commits=list(change.commits[commits_from : commits_from + _COMMITS]) if change else [],
        files=list(change.files[files_from : files_from + _FILES]) if change else [],
    )


async def stand_ins(backend: Backend, actor: Actor) -> list[StandInView]:
    """Who stands in for whom, now or later."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        names = await _names(session)
        return [
            StandInView(
                id=row.id,
                person=Named(id=row.person_id, name=names[row.person_id]),
                stands_in_for=Named(id=row.stands_in_for_id, name=names[row.stands_in_for_id]),
                start=row.starts_at,
                end=row.ends_at,
            )
            for row in await exceptions.stand_ins(session, backend.clock())
        ]


async def ledger_page(backend: Backend, actor: Actor, wanted: Wanted, limit: int) -> LedgerPage:
    """A page of the ledger, the latest entry first."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        rows = await ledger.page(session, wanted, limit + 1)
        last = await ledger.last_checkpoint(session)
        return LedgerPage(
            entries=[entry_view(entry, place) for entry, place in rows[:limit]],
            next=rows[limit - 1][0].id if len(rows) > limit else None,
            total=await ledger.size(session),
            checkpoint=checkpoint_view(last) if last else None,
        )


async def ledger_filters(backend: Backend, actor: Actor) -> LedgerFilters:
    """People, environments, services and kinds of decision to choose from."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        routes = await estate.routes(session)
        places = {leg.environment_id: leg.environment.title for route in routes for leg in route.legs}
        return LedgerFilters(
            people=[Named(id=p.id, name=p.name) for p in await accounts.people(session)],
            environments=[Named(id=key, name=title) for key, title in places.items()],
            services=[Named(id=s.id, name=s.title) for s in await estate.services(session)],
            actions=await ledger.actions(session),
        )


async def policy_versions(backend: Backend, actor: Actor, environment: str) -> list[PolicyView]:
    """Every version of an environment's policy, newest first.

    Raises:
        NotFoundError: for an unknown environment.
    """
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        if await estate.environment(session, environment) is None:
            raise NotFoundError(f"There is no environment {environment}.")
        names = await _names(session)
        return [_policy(row, names) for row in await policies.versions(session, environment)]


async def policy_version(backend: Backend, actor: Actor, row: PolicyRow) -> PolicyView:
    """A policy version as readers get it."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        return _policy(row, await _names(session))


def _policy(row: PolicyRow, names: dict[str, str]) -> PolicyView:
    return PolicyView(
        environment=row.environment_id,
        version=row.version,
        digest=row.digest,
        author=named(row.author_id, names),
        drafted_at=row.drafted_at,
        adopter=named(row.adopter_id, names) if row.adopter_id else None,
        in_force_from=row.in_force_from,
        document=json.loads(row.document),
    )


async def _files(session: Session, row: PromotionRow) -> dict[str, FileView]:
    release = row.release
    found = await outside.report_files(session, release.id)
    base = f"/api/services/{release.service_id}/releases/{quote(release.version)}/evidence"
    return {
        name: FileView(name=file.name, size=file.size, digest=file.digest, address=f"{base}/{name}/file")
        for name, file in found.items()
    }


async def _names(session: Session) -> dict[str, str]:
    return {person.id: person.name for person in await accounts.people(session)}


async def _baseline(session: Session, grounds: Grounds) -> str | None:
    name = policy_of(grounds.policy_row.document).inherits
    place = await estate.environment(session, name) if name else None
    return place.title if place else None
