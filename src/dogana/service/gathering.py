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
    Series,
    StandIn,
    Ticket,
)
from dogana.core.policy.document import Policy
from dogana.core.policy.inheritance import inherited
from dogana.core.rollout import Plan
from dogana.core.rules.monitors import Health, Watched
from dogana.core.time.windows import Calendar
from dogana.core.words import listed
from dogana.service.backend import Backend
from dogana.service.places import Stop
from dogana.service.scraping import scraped
from dogana.service.sources import Read, Sources, load
from dogana.sources.git import ticket_keys
from dogana.sources.settings import MetricsSettings, RepositoryAt, ScrapeSettings
from dogana.store import Session, accounts, estate, exceptions, outside, policies, promotions
from dogana.store.tables import EnvironmentRow, PolicyRow, ReleaseRow, ServiceRow

_TRAFFIC_KEPT = timedelta(days=31)
_STAND_INS_KEPT = timedelta(days=31)
_CHANGE_GOOD_FOR = timedelta(minutes=10)
"""How long a change that was read counts while its repository cannot be reached."""


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
    heir = Policy.model_validate_json(row.document)
    if heir.inherits is None:
        return heir
    baseline = await _in_force(session, heir.inherits, at)
    return inherited(Policy.model_validate_json(baseline.document), heir)


@dataclass(frozen=True, kw_only=True)
class Asked:
    """The part of the facts that the database knows: what was asked, and what has landed where."""

    service: ServiceRow
    version: str
    revision: str
    artifacts: tuple[Artifact, ...]
    route: str
    target: Place
    kind: Kind
    plan: Plan | None
    requester: str
    requested_at: datetime
    note: str
    asked_revision: str
    """The branch, tag or commit as it was asked for."""
    sources: Sources
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
    backend: Backend,
    session: Session,
    service: ServiceRow,
    release: ReleaseRow | None,
    *,
    version: str,
    revision: str,
    artifacts: tuple[Artifact, ...],
    stop: Stop,
    kind: Kind,
    plan: Plan | None,
    requester: str,
    requested_at: datetime,
    note: str,
    asked_revision: str,
    at: datetime,
    number: int | None = None,
) -> Asked:
    """Read that part; `release` is None for a version not on record yet, `number` for a new promotion."""
    here, environment = stop.environment, stop.environment.id
    landed = await estate.landings(session, release.id) if release else {}
    before = []
    for other in stop.before():
        row = landed.get(other.id)
        before.append(
            Landing(
                environment=other.id,
                title=other.title,
                landed_at=row.landed_at if row else None,
                healthy_since=await _healthy_since(session, service.id, row) if row else None,
                replaced_at=await estate.replaced_at(session, service.id, row) if row else None,
                artifacts=tuple(Artifact.model_validate(a) for a in row.artifacts) if row else (),
            )
        )
    policy = await effective(session, await policy_in_force(session, here, at), at)
    runs_here = await estate.running(session, service.id, here)
    return Asked(
        service=service,
        version=version,
        revision=revision,
        artifacts=artifacts,
        route=stop.route.id,
        target=Place(id=environment, title=here.title, zone=here.zone),
        kind=kind,
        plan=plan,
        requester=requester,
        requested_at=requested_at,
        note=note,
        asked_revision=asked_revision,
        sources=await load(backend, session),
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


async def _healthy_since(session: Session, service: str, landing: estate.Landed) -> datetime | None:
    """Since when nothing is known to have gone wrong where it landed; None while something does."""
    since = landing.landed_at
    for incident in await estate.incidents(session, service, landing.environment_id):
        if incident.resolved_at is None:
            return None
        since = max(since, incident.resolved_at)
    return since


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
    rows = await outside.reports(session, release.id) if release else []
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


@dataclass(frozen=True, kw_only=True)
class Gathered:
    """Facts, and how reading each source came out."""

    facts: Facts
    read: tuple[Read, ...]


async def gather(backend: Backend, asked: Asked, known: Facts | None = None) -> Gathered:
    """Read the outside systems and put all facts together; takes as long as they take, holds no transaction.

    Args:
        backend: the sources.
        asked: what the database knows.
        known: earlier facts. What they say of the change holds while its two ends are the same and the
            repository still has them; what they say of tickets holds for a while when a tracker fails.
    """
    at = asked.sources.repository(asked.service.repository)
    change = await _change(backend, asked, at, known)
    read: list[Read] = []
    if change.value is not None:
        also = ticket_keys(f"{asked.note} {asked.asked_revision}")
        named = tuple(sorted({*change.value.ticket_keys, *also}))
        change = change.model_copy(update={"value": change.value.model_copy(update={"ticket_keys": named})})
        tickets = await _tickets(backend, asked, named, known, read)
    else:
        tickets = Reading[tuple[Ticket, ...]](
            source=change.source, read_at=change.read_at, unknown="the change could not be read"
        )
    monitors = await asyncio.gather(*(_monitor(backend, asked, watched, read) for watched in asked.watched))
    facts = Facts(
        service=asked.service.id,
        version=asked.version,
        repository=asked.service.repository,
        target=asked.target,
        route=asked.route,
        kind=asked.kind,
        requester=asked.requester,
        requested_at=asked.requested_at,
        artifacts=asked.artifacts,
        plan=asked.plan,
        change=change,
        origin=await backend.repositories.origin(at, asked.revision) if asked.origin_matters else None,
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
    return Gathered(facts=facts, read=tuple(read))


async def _change(backend: Backend, asked: Asked, at: RepositoryAt, known: Facts | None) -> Reading[Change]:
    if known is None or known.change.value is None or known.change.value.base != asked.base:
        return await backend.repositories.change(at, asked.base, asked.revision)
    still = await backend.repositories.check(at, asked.revision)
    if still.value:
        return known.change.model_copy(update={"read_at": still.read_at})
    if still.value is None and still.read_at - known.change.read_at <= _CHANGE_GOOD_FOR:
        return known.change
    return await backend.repositories.change(at, asked.base, asked.revision)


async def _tickets(
    backend: Backend, asked: Asked, keys: tuple[str, ...], known: Facts | None, read: list[Read]
) -> Reading[tuple[Ticket, ...]]:
    """The tickets of every tracker; one that fails is what is said, unless what it said last still counts."""
    now = backend.clock()
    by_tracker: dict[str, list[str]] = {}
    for key in keys:
        tracker = asked.sources.tracker_of(key)
        if tracker is None:
            return Reading(source="the ticket tracker", read_at=now, unknown=f"none is set up for {key}")
        by_tracker.setdefault(tracker.id, []).append(key)
    asking = [one for one in asked.sources.trackers if one.id in by_tracker]
    answers = await asyncio.gather(
        *(backend.tracker.tickets(one, tuple(by_tracker[one.id])) for one in asking)
    )
    read += [
        Read(source=one.id, at=said.read_at, reason=said.unknown)
        for one, said in zip(asking, answers, strict=True)
    ]
    failed = next((n for n, said in enumerate(answers) if said.value is None), None)
    if failed is not None:
        last = known.tickets if known else None
        usable = last and last.value is not None and {one.key for one in last.value} == set(keys)
        if last and usable and now - last.read_at <= asking[failed].settings.good_for:
            return last
        return answers[failed]
    found = sorted((one for said in answers for one in said.value or ()), key=lambda one: one.key)
    source = listed([one.title for one in asking]) or "the ticket tracker"
    return Reading(
        source=source,
        read_at=min((said.read_at for said in answers), default=now),
        value=tuple(found),
    )


async def _monitor(backend: Backend, asked: Asked, watched: Watched, read: list[Read]) -> Monitor:
    meter = asked.sources.meter(watched.source)
    if meter is None:
        called = f"no source {watched.source}" if watched.source else "no source of metrics"
        reading: Reading[Series] = Reading(
            source="the metrics source", read_at=backend.clock(), unknown=f"{called} is set up"
        )
    elif isinstance(meter.settings, ScrapeSettings):
        page = meter.of(ScrapeSettings)
        reading = await scraped(backend, page, watched.query, watched.environment, watched.window)
    else:
        server = meter.of(MetricsSettings)
        reading = await backend.metrics.series(server, watched.query, watched.environment, watched.window)
        read.append(Read(source=meter.id, at=reading.read_at, reason=reading.unknown))
    return Monitor(
        environment=watched.environment,
        query=watched.query,
        window=watched.window,
        source=watched.source,
        reading=reading,
    )
