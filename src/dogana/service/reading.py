"""The use cases that only read: desk, route line, dossier, ledger."""

import base64
import json
from collections.abc import Mapping
from datetime import datetime, timedelta
from typing import cast

from dogana.core.errors import NotFoundError
from dogana.core.facts import Kind
from dogana.core.inspect.sheet import Sheet, Verdict
from dogana.core.policy.document import Policy
from dogana.core.rollout import AT_ONCE
from dogana.core.rules.base import Finding, Outcome, Seat
from dogana.core.rules.freeze import Freeze
from dogana.core.rules.reviewers import Reviewers
from dogana.core.time.windows import Calendar
from dogana.core.words import counted, listed, when
from dogana.service.access import Actor, Right
from dogana.service.backend import Backend
from dogana.service.decisions import an_approval, may_sit, why_no_seat
from dogana.service.gathering import effective
from dogana.service.inspection import Grounds, grounds_of, with_decision
from dogana.service.views import (
    CheckpointView,
    Desk,
    Dossier,
    EntryView,
    FindingView,
    LedgerFilters,
    LedgerPage,
    MyPart,
    Named,
    PolicyRef,
    PolicyView,
    RouteLine,
    Row,
    SeatView,
    StandInView,
    Station,
    Target,
    WaitsFor,
    WaiverView,
)
from dogana.store import Session, accounts, estate, exceptions, ledger, policies, promotions
from dogana.store.ledger import Wanted
from dogana.store.tables import (
    PENDING,
    CheckpointRow,
    EntryRow,
    LegRow,
    PolicyRow,
    PromotionRow,
    State,
)

_LATELY = timedelta(hours=1)


async def desk(backend: Backend, actor: Actor) -> Desk:
    """All that is under way, and what ended within the last hour."""
    actor.must(Right.READ)
    now = backend.clock()
    async with backend.database.transaction() as session:
        names = await _names(session)
        rows = await promotions.under_way(session, now - _LATELY)
        return Desk(at=now, rows=[_row(row, actor, names) for row in rows])


async def past(backend: Backend, actor: Actor, limit: int) -> Desk:
    """What has ended, the latest first."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        names = await _names(session)
        rows = await promotions.closed(session, limit)
        return Desk(at=backend.clock(), rows=[_row(row, actor, names) for row in rows])


async def promotion(backend: Backend, actor: Actor, number: int) -> Row:
    """One row of the desk."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        return _row(await _found(session, number), actor, await _names(session))


async def route_lines(backend: Backend, actor: Actor) -> list[RouteLine]:
    """Every route with how many wait, move, and whether a freeze is on."""
    actor.must(Right.READ)
    now = backend.clock()
    async with backend.database.transaction() as session:
        under_way = await promotions.in_state(session, (*PENDING, State.MOVING))
        in_force = {
            environment: await effective(session, row, now)
            for environment, row in (await policies.in_force_everywhere(session, now)).items()
        }
        calendars = {
            name: Calendar.model_validate(document)
            for name, document in (await exceptions.calendars(session)).items()
        }
        return [
            RouteLine(
                id=route.id,
                name=route.title,
                stations=[
                    _station(leg, under_way, in_force.get(leg.environment_id), calendars, now)
                    for leg in route.legs
                ],
            )
            for route in await estate.routes(session)
        ]


async def dossier(backend: Backend, actor: Actor, number: int) -> Dossier:
    """One promotion's whole file; what still waits is inspected as it is read."""
    actor.must(Right.READ)
    now = backend.clock()
    async with backend.database.transaction() as session:
        row = await _found(session, number)
        names = await _names(session)
        at = now if row.state in PENDING else row.closed_at or row.departed_at or now
        grounds = await grounds_of(session, row, at)
        sheet = grounds.sheet(at) if row.state in PENDING else Sheet.model_validate(row.sheet)
        facts = grounds.facts
        return Dossier(
            at=now,
            row=_row(row, actor, names, sheet),
            note=row.note,
            plan=(facts.plan or AT_ONCE).in_words(),
            repository=facts.repository,
            change=facts.change,
            tickets=facts.tickets,
            origin=facts.origin,
            evidence=list(facts.evidence),
            artifacts=list(facts.artifacts),
            leg_before=list(facts.leg_before),
            authors=[Named(id=p, name=facts.name_of(p)) for p in sorted(facts.author_ids)],
            findings=[_finding(f, row, actor, grounds) for f in sheet.findings],
            policy=_policy_ref(grounds, names, await _baseline(session, grounds)),
            mine=_my_part(row, actor, grounds, sheet),
            course=[_entry(entry, place) for entry, place in await ledger.course(session, number)],
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
            entries=[_entry(entry, place) for entry, place in rows[:limit]],
            next=rows[limit - 1][0].id if len(rows) > limit else None,
            total=await ledger.size(session),
            checkpoint=_checkpoint(last) if last else None,
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
        return [policy_view(row) for row in await policies.versions(session, environment)]


def policy_view(row: PolicyRow) -> PolicyView:
    """A policy version as readers get it."""
    return PolicyView(
        environment=row.environment_id,
        version=row.version,
        digest=row.digest,
        author=row.author_id,
        drafted_at=row.drafted_at,
        adopter=row.adopter_id,
        in_force_from=row.in_force_from,
        document=json.loads(row.document),
    )


async def _found(session: Session, number: int) -> PromotionRow:
    row = await promotions.get(session, number)
    if row is None:
        raise NotFoundError(f"There is no promotion {number}.")
    return row


async def _names(session: Session) -> dict[str, str]:
    return {person.id: person.name for person in await accounts.people(session)}


def _row(row: PromotionRow, actor: Actor, names: dict[str, str], sheet: Sheet | None = None) -> Row:
    sheet = sheet or Sheet.model_validate(row.sheet)
    service = row.release.service
    pending = row.state in PENDING
    return Row(
        number=row.number,
        service=Named(id=service.id, name=service.title),
        version=row.release.version,
        kind=cast("Kind", row.kind),
        source=row.source,
        target=Target(id=row.environment_id, name=row.environment.title, zone=row.environment.zone),
        state=row.state,
        verdict=sheet.verdict,
        sentence=_sentence(row, sheet, actor),
        waits_for=_waits_for(row, sheet, actor),
        seats=[_seat(seat, actor, names) for seat in sheet.seats()],
        closings=list(sheet.forecast.closings) if pending else [],
        first_start=sheet.forecast.first_start if pending and sheet.verdict is not Verdict.BARRED else None,
        requested_by=Named(id=row.requester_id, name=row.requester.name),
        requested_at=row.requested_at,
        changed_at=row.changed_at,
        departed_at=row.departed_at,
        closed_at=row.closed_at,
    )


def _sentence(row: PromotionRow, sheet: Sheet, actor: Actor) -> str:
    if row.ended:
        return row.ended
    asked = [f.title for f in sheet.findings if actor.id in f.may_grant and Right.DECIDE in actor.rights]
    if row.state in PENDING and asked:
        return f"You are asked to waive \u201c{listed(asked)}\u201d. {sheet.sentence}"
    if row.state == State.MOVING and row.departed_at:
        return f"On its way in since {when(row.departed_at, row.environment.zone)}."
    if row.state == State.CLEARED and row.environment.departs == "by deployer":
        return "Cleared. Departs when its deployer says so."
    return sheet.sentence


def _waits_for(row: PromotionRow, sheet: Sheet, actor: Actor) -> WaitsFor:
    if row.state not in PENDING:
        return "moving" if row.state == State.MOVING else "ended"
    if row.state == State.CLEARED:
        return "nothing"
    decides = Right.DECIDE in actor.rights
    by_facts = any(f.settled_by == "facts" for f in sheet.findings)
    vacant = [seat for seat in sheet.seats() if seat.taken_by is None]
    to_grant = any(actor.id in f.may_grant for f in sheet.findings)
    to_sit = not by_facts and any(seat.open_to(actor.id) for seat in vacant)
    if decides and (to_grant or to_sit):
        return "you"
    if by_facts:
        return "facts"
    return "others" if vacant else "time"


def _seat(seat: Seat, actor: Actor, names: dict[str, str]) -> SeatView:
    taken = seat.taken_by
    return SeatView(
        rule=seat.rule,
        label=seat.label,
        taken_by=Named(id=taken, name=names.get(taken, taken)) if taken else None,
        taken_for=Named(id=seat.taken_for, name=names.get(seat.taken_for, seat.taken_for))
        if seat.taken_for
        else None,
        taken_at=seat.taken_at,
        later=seat.later,
        yours=taken == actor.id or (Right.DECIDE in actor.rights and seat.open_to(actor.id)),
    )


def _station(
    leg: LegRow,
    under_way: list[PromotionRow],
    policy: Policy | None,
    calendars: Mapping[str, Calendar],
    now: datetime,
) -> Station:
    environment = leg.environment
    here = [row for row in under_way if row.environment_id == environment.id]
    closed_by, until = _closed_now(policy, calendars, now) if policy else (None, None)
    return Station(
        id=environment.id,
        name=environment.title,
        leg=leg.position,
        waiting=sum(row.state in PENDING for row in here),
        moving=sum(row.state == State.MOVING for row in here),
        closed_by=closed_by,
        closed_until=until,
    )


def _closed_now(
    policy: Policy, calendars: Mapping[str, Calendar], now: datetime
) -> tuple[str | None, datetime | None]:
    for rule in policy.rules:
        if isinstance(rule, Freeze):
            names, until = rule.closed_at(now, calendars)
            if names:
                return listed(names), until
    return None, None


async def _baseline(session: Session, grounds: Grounds) -> str | None:
    name = Policy.model_validate_json(grounds.policy_row.document).inherits
    place = await estate.environment(session, name) if name else None
    return place.title if place else None


def _policy_ref(grounds: Grounds, names: dict[str, str], baseline: str | None) -> PolicyRef:
    row = grounds.policy_row
    adopter = row.adopter_id
    return PolicyRef(
        environment=row.environment_id,
        version=row.version,
        title=grounds.policy.title,
        digest=row.digest,
        baseline=baseline,
        adopted_by=Named(id=adopter, name=names.get(adopter, adopter)) if adopter else None,
        in_force_from=row.in_force_from,
    )


def _my_part(row: PromotionRow, actor: Actor, grounds: Grounds, sheet: Sheet) -> MyPart:
    pending = row.state in PENDING
    decides = Right.DECIDE in actor.rights
    mine = [s for s in sheet.seats() if s.taken_by == actor.id]
    given = an_approval(sheet, actor)
    refused = may_sit(grounds, actor) if given.on_behalf_of is None else None
    seated = bool(mine) or any(s.open_to(actor.id) for s in sheet.seats() if s.taken_by is None)
    why_not: str | None = None
    if not pending:
        why_not = f"It waits no longer: it is {row.state}."
    elif not decides:
        why_not = "Only approvers decide on promotions."
    elif mine:
        why_not = f"You have taken the seat of {mine[0].label}."
    elif refused:
        why_not = refused
    elif not seated:
        why_not = why_no_seat(sheet, grounds)
    return MyPart(
        shown=sheet.shown,
        may_approve=why_not is None,
        why_not=why_not,
        sits_for=Named(id=given.on_behalf_of, name=grounds.facts.name_of(given.on_behalf_of))
        if given.on_behalf_of and why_not is None
        else None,
        effect=_effect(row, actor, grounds, sheet) if why_not is None else None,
        comment_needed=any(
            isinstance(rule, Reviewers) and rule.comment == "required" for rule in grounds.policy.rules
        ),
        may_turn_back=pending and decides and refused is None and seated,
        may_retract=pending and decides and bool(mine),
        may_withdraw=pending
        and (decides or (row.requester_id == actor.id and Right.REQUEST in actor.rights)),
        may_depart=row.state == State.CLEARED and Right.DEPLOY in actor.rights,
    )


def _effect(row: PromotionRow, actor: Actor, grounds: Grounds, sheet: Sheet) -> str:
    """What an approval by the actor would bring about, found by inspecting as if it had been given."""
    after = with_decision(grounds, an_approval(sheet, actor)).sheet(sheet.at)
    if after.verdict is Verdict.CLEARED:
        departs = "departs at once" if row.environment.departs == "at once" else "its deployer may take it in"
        return f"Yours is the last word it waits for: it clears and {departs}."
    vacant = [seat for seat in after.seats() if seat.taken_by is None]
    remains = counted(len(vacant), "seat")
    first = f"After yours {remains} {'remains' if len(vacant) == 1 else 'remain'} open"
    if any(f.settled_by == "facts" for f in after.findings):
        return f"{first}; a fact still stands in its way."
    start = after.forecast.first_start
    if start is None:
        return f"{first}; it stays closed for the next 14 days."
    if start == sheet.at:
        return f"{first}; time allows it now."
    return f"{first}; first start {when(start, grounds.policy.zone)}."


def _finding(finding: Finding, row: PromotionRow, actor: Actor, grounds: Grounds) -> FindingView:
    facts, waiver = grounds.facts, finding.waiver
    rule = next((rule for rule in grounds.policy.rules if rule.id == finding.rule), None)
    group = rule.waivable if rule else None
    decides = row.state in PENDING and Right.DECIDE in actor.rights
    in_the_way = finding.outcome in (Outcome.UNMET, Outcome.PENDING, Outcome.UNKNOWN)
    return FindingView(
        rule=finding.rule,
        kind=finding.kind,
        title=finding.title,
        outcome=finding.outcome,
        because=finding.because,
        settled_by=finding.settled_by,
        clears_at=finding.clears_at,
        evidence=list(finding.evidence),
        waivable_by=facts.groups.get(group, group) if group else None,
        waiver=WaiverView(
            asked_by=Named(id=waiver.asked_by, name=facts.name_of(waiver.asked_by)),
            granted_by=Named(id=waiver.granted_by, name=facts.name_of(waiver.granted_by))
            if waiver.granted_by
            else None,
            reason=waiver.reason,
            until=waiver.until,
        )
        if waiver
        else None,
        may_ask=decides and group is not None and waiver is None and in_the_way,
        may_grant=decides and actor.id in finding.may_grant,
        may_revoke=decides and waiver is not None,
    )


def _entry(row: EntryRow, place: int | None) -> EntryView:
    body = json.loads(row.body)
    return EntryView(
        id=row.id,
        place=place,
        at=row.at,
        action=row.action,
        actor=Named(id=body["actor"]["id"], name=body["actor"]["name"]),
        way=body["actor"]["way"],
        says=body["says"],
        reason=body.get("reason", ""),
        promotion=row.promotion,
        environment=row.environment_id,
        service=row.service_id,
        version=body.get("version"),
        on=body.get("on", {}),
        details=body.get("details", {}),
    )


def _checkpoint(row: CheckpointRow) -> CheckpointView:
    lines = row.note.split("\n")
    return CheckpointView(
        size=row.size,
        root=base64.b64decode(lines[2]).hex(),
        signed_at=datetime.fromisoformat(lines[3]),
        note=row.note,
    )
