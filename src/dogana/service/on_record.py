"""What our own record says of a promotion: the policy, what runs and moves, who may decide."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import cast

from dogana.core.change import Origin
from dogana.core.errors import InvalidError
from dogana.core.facts import (
    Artifact,
    Closed,
    Facts,
    Kind,
    Landing,
    Passage,
    Person,
    Place,
    Prepared,
    Queued,
    Reading,
    Report,
    RouteLimit,
    StandIn,
)
from dogana.core.policy.document import Policy, policy_of
from dogana.core.policy.inheritance import inherited
from dogana.core.rollout import Plan
from dogana.core.routes import LetsIn
from dogana.core.time.windows import Calendar
from dogana.service.backend import Backend
from dogana.service.gathering import Outside
from dogana.service.places import stop_of
from dogana.service.sources import Sources, load
from dogana.store import Session, accounts, estate, exceptions, outside, policies, promotions
from dogana.store.tables import ArtifactRow, EnvironmentRow, PolicyRow, PromotionRow, ReleaseRow, RouteRow

_TRAFFIC_KEPT = timedelta(days=31)
_STAND_INS_KEPT = timedelta(days=31)


async def policy_in_force(session: Session, environment: EnvironmentRow, at: datetime) -> PolicyRow:
    """The policy version in force; that of its template in a preview.

    Raises:
        InvalidError: when the environment has none: nothing is let in where nothing is asked.
    """
    return await _in_force(session, environment.made_from_id or environment.id, at)


async def _in_force(session: Session, environment: str, at: datetime) -> PolicyRow:
    row = await policies.in_force(session, environment, at)
    if row is None:
        raise InvalidError(f"No policy is in force in {environment} yet; nothing can enter it.")
    return row


async def effective(session: Session, row: PolicyRow, at: datetime) -> Policy:
    """A policy version with what its baseline asks for, as it is in force at an instant."""
    heir = policy_of(row.document)
    if heir.inherits is None:
        return heir
    baseline = await _in_force(session, heir.inherits, at)
    return inherited(policy_of(baseline.document), heir)


@dataclass(frozen=True, kw_only=True)
class Shared:
    """What every promotion's facts have in common."""

    sources: Sources
    calendars: dict[str, Calendar]
    stand_ins: tuple[StandIn, ...]
    people: tuple[Person, ...]
    groups: dict[str, str]
    services: dict[str, str]


async def shared(backend: Backend, session: Session) -> Shared:
    """Read that part."""
    since = backend.clock() - _STAND_INS_KEPT
    return Shared(
        sources=await load(backend, session),
        calendars={
            name: Calendar.model_validate(document)
            for name, document in (await exceptions.calendars(session)).items()
        },
        stand_ins=tuple(
            StandIn(
                person=row.person_id, stands_in_for=row.stands_in_for_id, start=row.starts_at, end=row.ends_at
            )
            for row in await exceptions.stand_ins(session, since)
        ),
        people=tuple(
            Person(
                id=p.id,
                name=p.name,
                email=p.email,
                other_emails=tuple(p.other_emails),
                groups=tuple(g.id for g in p.groups),
            )
            for p in await accounts.people(session)
        ),
        groups={group.id: group.title for group in await accounts.groups(session)},
        services={row.id: row.title for row in await estate.services(session)},
    )


async def facts_of(
    session: Session, row: PromotionRow, outside_says: Outside, common: Shared, at: datetime
) -> Facts:
    """All facts about a promotion: what others said when they were asked, and our own record as it is now."""
    service, here = row.release.service, row.environment
    waiting = await promotions.waiting(session, service.id, here.id)
    runs = await estate.running_everywhere(session, here.id)
    traffic = await _traffic(session, here.id, at)
    closed = await estate.closings(session, at, here.id)
    return Facts(
        number=row.number,
        service=service.id,
        version=row.release.version,
        repository=service.repository,
        target=Place(id=here.id, title=here.title, zone=here.zone),
        route=row.route.id,
        kind=cast("Kind", row.kind),
        requester=row.requester_id,
        requested_at=row.requested_at,
        not_before=row.not_before,
        artifacts=artifacts_of(row.release),
        plan=Plan.model_validate(row.plan) if row.plan else None,
        route_limit=await _route_limit(session, row, outside_says.origin),
        closed_now=tuple(
            Closed(since=one.since, until=one.until, reason=one.reason, by=one.by.name) for one in closed
        ),
        prepared=Prepared(at=row.prepared_at, by=_called(row.prepared_by_id, common))
        if row.prepared_at
        else None,
        change=outside_says.change,
        origin=outside_says.origin,
        tickets=outside_says.tickets,
        monitors=outside_says.monitors,
        evidence=await _evidence(session, row.release),
        waiting=tuple(
            Queued(number=other.number, version=other.version, requested_at=other.requested_at)
            for other in waiting
            if other.number != row.number
        ),
        leg_before=await _leg_before(session, row),
        runs=runs,
        services={
            name: common.services[name] for name in {service.id, *runs, *(one.service for one in traffic)}
        },
        traffic=traffic,
        calendars=common.calendars,
        stand_ins=common.stand_ins,
        people=common.people,
        groups=common.groups,
    )


async def _leg_before(session: Session, promotion: PromotionRow) -> tuple[Landing, ...]:
    """What happened to the release in each environment of the leg before."""
    before = stop_of(promotion).before()
    landed = await estate.landings(session, promotion.release_id) if before else {}
    here = promotion.environment
    if promotion.kind == "rollback" and before and not any(one.id in landed for one in before):
        # What came by an urgent route never was in the leg before; it goes back to where it has run itself.
        before = [here]
    service = promotion.service_id
    landings = []
    for other in before:
        row = landed.get(other.id)
        landings.append(
            Landing(
                environment=other.id,
                title=other.title,
                landed_at=row.landed_at if row else None,
                healthy_since=await _healthy_since(session, service, row) if row else None,
                replaced_at=await estate.replaced_at(session, service, row) if row else None,
                artifacts=tuple(Artifact.model_validate(a) for a in row.artifacts) if row else (),
            )
        )
    return tuple(landings)


async def _route_limit(
    session: Session, row: PromotionRow, origin: Reading[Origin] | None
) -> RouteLimit | None:
    """What an urgent route says of a release now; nothing of one that goes back."""
    if row.route.lets_in is None or row.kind == "rollback":
        return None
    lets_in = LetsIn.model_validate(row.route.lets_in)
    read = origin.value if origin is not None else None
    unknown = None
    if lets_in.branches and read is None:
        unknown = (origin.unknown if origin is not None else None) or "its branches were not read"
    runs = await running_at_end(session, row.route, row.service_id)
    against = lets_in.against(
        row.release.version, runs, read.branches if read else (), known=read is not None
    )
    return RouteLimit(
        route=row.route.title,
        against=against,
        unknown=None if against else unknown,
        waivable=lets_in.waivable,
    )


async def running_at_end(session: Session, route: RouteRow, service: str) -> list[str]:
    """Which versions of a service run where a route ends."""
    ends = max(leg.position for leg in route.legs)
    last = [leg.environment_id for leg in route.legs if leg.position == ends]
    there = [await estate.running_everywhere(session, one) for one in last]
    return sorted({one[service] for one in there if service in one})


def _called(person: str | None, common: Shared) -> str:
    return next((one.name for one in common.people if one.id == person), person or "its deployer")


async def _healthy_since(session: Session, service: str, landing: estate.Landed) -> datetime | None:
    """Since when nothing is known to have gone wrong where it landed; None while something does."""
    since = landing.landed_at
    for incident in await estate.incidents(session, service, landing.environment_id):
        if incident.resolved_at is None:
            return None
        since = max(since, incident.resolved_at)
    return since


async def _evidence(session: Session, release: ReleaseRow) -> tuple[Report, ...]:
    rows = await outside.reports(session, release.id)
    return tuple(
        Report.model_validate(
            {
                "name": row.name,
                "kind": row.kind,
                "produced_at": row.produced_at,
                "by": row.sent_by,
                "maker": row.made_by,
                "unknown": row.unknown,
                "content": row.content,
                "link": row.link,
            }
        )
        for row in rows
    )


async def _traffic(session: Session, environment: str, at: datetime) -> tuple[Passage, ...]:
    latest = await estate.departures(session, environment, at - _TRAFFIC_KEPT)
    return tuple(
        Passage(
            service=one.service_id,
            version=one.version,
            departed_at=one.departed_at,
            arrived_at=one.closed_at,
        )
        for one in latest
    )


def artifacts_of(release: ReleaseRow) -> tuple[Artifact, ...]:
    """A release's artifacts as facts."""
    return tuple(Artifact(name=a.name, digest=a.digest, size=a.size, link=a.link) for a in release.artifacts)


def artifact_row(artifact: Artifact) -> ArtifactRow:
    """An artifact as it is kept with its release."""
    return ArtifactRow(name=artifact.name, digest=artifact.digest, size=artifact.size, link=artifact.link)
