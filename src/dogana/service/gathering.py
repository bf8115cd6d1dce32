"""Gathering facts: what the database knows, then what the outside systems say."""

import asyncio
from dataclasses import dataclass
from datetime import datetime, timedelta

from dogana.core.errors import InvalidError
from dogana.core.facts import (
    Artifact,
    Change,
    Facts,
    Kind,
    Landing,
    Monitor,
    Passage,
    Person,
    Place,
    Queued,
    Reading,
    Report,
    StandIn,
    Ticket,
)
from dogana.core.policy.document import Policy
from dogana.core.policy.inheritance import inherited
from dogana.core.rollout import Plan
from dogana.core.rules.monitors import Health, Watched
from dogana.core.time.windows import Calendar
from dogana.service.backend import Backend
from dogana.sources.git import ticket_keys
from dogana.store import Session, accounts, estate, exceptions, policies, promotions
from dogana.store.tables import PolicyRow, ReleaseRow, ServiceRow

_TRAFFIC_KEPT = timedelta(days=31)
_STAND_INS_KEPT = timedelta(days=31)


async def policy_in_force(session: Session, environment: str, at: datetime) -> PolicyRow:
    """The policy version in force.

    Raises:
        InvalidError: when the environment has none: nothing is let in where nothing is asked.
    """
    row = await policies.in_force(session, environment, at)
    if row is None:
        raise InvalidError(f"No policy is in force in {environment} yet; nothing can enter it.")
    return row


async def effective(session: Session, row: PolicyRow, at: datetime) -> Policy:
    """A policy version with what its baseline asks for, as it is in force at an instant."""
    heir = Policy.model_validate_json(row.document)
    if heir.inherits is None:
        return heir
    baseline = await policy_in_force(session, heir.inherits, at)
    return inherited(Policy.model_validate_json(baseline.document), heir)


@dataclass(frozen=True, kw_only=True)
class Asked:
    """The part of the facts that the database knows: what was asked, and what has landed where."""

    service: ServiceRow
    version: str
    revision: str
    artifacts: tuple[Artifact, ...]
    target: Place
    kind: Kind
    plan: Plan | None
    requester: str
    requested_at: datetime
    note: str
    watched: tuple[Watched, ...]
    origin_matters: bool
    """Whether the policy looks at where the revision stands in its repository."""
    evidence: tuple[Report, ...]
    calendars: dict[str, Calendar]
    waiting: tuple[Queued, ...]
    stand_ins: tuple[StandIn, ...]
    leg_before: tuple[Landing, ...]
    base: str | None
    runs: dict[str, str]
    traffic: tuple[Passage, ...]
    people: tuple[Person, ...]
    groups: dict[str, str]


async def ask(
    session: Session,
    service: ServiceRow,
    release: ReleaseRow | None,
    *,
    version: str,
    revision: str,
    artifacts: tuple[Artifact, ...],
    environment: str,
    kind: Kind,
    plan: Plan | None,
    requester: str,
    requested_at: datetime,
    note: str,
    at: datetime,
    number: int | None = None,
) -> Asked:
    """Read that part; `release` is None for a version not on record yet, `number` for a new promotion."""
    legs = service.route.legs
    leg = next(leg for leg in legs if leg.environment_id == environment)
    landed = await estate.landings(session, release.id) if release else {}
    before = []
    for other in (one for one in legs if one.position == leg.position - 1):
        row = landed.get(other.environment_id)
        before.append(
            Landing(
                environment=other.environment_id,
                title=other.environment.title,
                landed_at=row.landed_at if row else None,
                healthy_since=row.landed_at if row else None,
                replaced_at=await estate.replaced_at(session, service.id, row) if row else None,
                artifacts=tuple(Artifact.model_validate(a) for a in row.artifacts) if row else (),
            )
        )
    policy = await effective(session, await policy_in_force(session, environment, at), at)
    runs_here = await estate.running(session, service.id, environment)
    return Asked(
        service=service,
        version=version,
        revision=revision,
        artifacts=artifacts,
        target=Place(id=environment, title=leg.environment.title, zone=leg.environment.zone),
        kind=kind,
        plan=plan,
        requester=requester,
        requested_at=requested_at,
        note=note,
        watched=_watched(policy, environment, [leg.environment for leg in before]),
        origin_matters=policy.looks_at_origin(),
        evidence=await _evidence(session, release),
        calendars={
            name: Calendar.model_validate(document)
            for name, document in (await exceptions.calendars(session)).items()
        },
        waiting=tuple(
            Queued(number=other.number, version=other.version, requested_at=other.requested_at)
            for other in await promotions.waiting(session, service.id, environment)
            if other.number != number
        ),
        stand_ins=tuple(
            StandIn(
                person=row.person_id, stands_in_for=row.stands_in_for_id, start=row.starts_at, end=row.ends_at
            )
            for row in await exceptions.stand_ins(session, at - _STAND_INS_KEPT)
        ),
        leg_before=tuple(before),
        base=runs_here.revision if runs_here else None,
        runs=await estate.running_everywhere(session, environment),
        traffic=await _traffic(session, environment, at),
        people=tuple(
            Person(id=p.id, name=p.name, email=p.email, groups=tuple(g.id for g in p.groups))
            for p in await accounts.people(session)
        ),
        groups={group.id: group.title for group in await accounts.groups(session)},
    )


def _watched(policy: Policy, target: str, before: list[str]) -> tuple[Watched, ...]:
    """What the metrics server must be asked for the policy's sake, once each."""
    return tuple(
        dict.fromkeys(
            watched
            for rule in policy.rules
            if isinstance(rule, Health)
            for watched in rule.watched(target, before)
        )
    )


async def _evidence(session: Session, release: ReleaseRow | None) -> tuple[Report, ...]:
    rows = await exceptions.reports(session, release.id) if release else []
    return tuple(
        Report.model_validate(
            {
                "name": row.name,
                "kind": row.kind,
                "produced_at": row.produced_at,
                "by": row.made_by,
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
    return tuple(Artifact(name=a.name, digest=a.digest, size=a.size) for a in release.artifacts)


async def gather(backend: Backend, asked: Asked, known: Facts | None = None) -> Facts:
    """Read the outside systems and put all facts together; takes as long as they take, holds no transaction.

    Args:
        backend: the sources.
        asked: what the database knows.
        known: earlier facts; the change is not read again while its two ends are the same.
    """
    change: Reading[Change]
    if known and known.change.value and known.change.value.base == asked.base:
        change = known.change
    else:
        change = await backend.repositories.change(asked.service.repository, asked.base, asked.revision)
    if change.value is not None:
        named = tuple(sorted({*change.value.ticket_keys, *ticket_keys(asked.note)}))
        change = change.model_copy(update={"value": change.value.model_copy(update={"ticket_keys": named})})
        tickets = await backend.tracker.tickets(named)
    else:
        tickets = Reading[tuple[Ticket, ...]](
            source=change.source, read_at=change.read_at, unknown="the change could not be read"
        )
    monitors = await asyncio.gather(*(_monitor(backend, watched) for watched in asked.watched))
    return Facts(
        service=asked.service.id,
        version=asked.version,
        repository=asked.service.repository,
        target=asked.target,
        route=asked.service.route_id,
        kind=asked.kind,
        requester=asked.requester,
        requested_at=asked.requested_at,
        artifacts=asked.artifacts,
        plan=asked.plan,
        change=change,
        origin=await backend.repositories.origin(asked.service.repository, asked.revision)
        if asked.origin_matters
        else None,
        tickets=tickets,
        evidence=asked.evidence,
        monitors=tuple(monitors),
        calendars=asked.calendars,
        waiting=asked.waiting,
        leg_before=asked.leg_before,
        runs=asked.runs,
        traffic=asked.traffic,
        people=asked.people,
        groups=asked.groups,
        stand_ins=asked.stand_ins,
    )


async def _monitor(backend: Backend, watched: Watched) -> Monitor:
    reading = await backend.metrics.series(watched.query, watched.environment, watched.window)
    return Monitor(
        environment=watched.environment, query=watched.query, window=watched.window, reading=reading
    )
