"""Seeing what really runs, and telling where it is not what landed there."""

import asyncio
from datetime import datetime, timedelta

import structlog
from pydantic import TypeAdapter

from dogana.core.document import Instant
from dogana.core.drift import (
    FromAddress,
    NonsenseError,
    Seen,
    VersionFrom,
    address_of,
    drift,
    read_answer,
    read_labels,
)
from dogana.core.errors import ConflictError, InvalidError, NotFoundError
from dogana.core.facts import Artifact
from dogana.core.record.actions import Action
from dogana.service.actor import ENGINE, Actor, Right
from dogana.service.backend import Backend
from dogana.service.landscape.deployers import must_deploy
from dogana.service.ledger.entries import record
from dogana.service.promotions.lookup import found
from dogana.service.shapes import View
from dogana.service.sources.registry import Sources, load
from dogana.sources.http import HttpRequest, UnreadError, read
from dogana.sources.settings import MetricsSettings
from dogana.store import Session, landscape, promotions, schedule, sightings
from dogana.store.database import announce
from dogana.store.tables.estate import SightingRow
from dogana.store.tables.landscape import EnvironmentRow

_SETTLES = timedelta(seconds=30)
"""After a landing, before anything is said of what runs."""
_AT_ONCE, _A_ROUND, _SECONDS = 8, 100, 3.0
_FROM: TypeAdapter[VersionFrom] = TypeAdapter(VersionFrom)
_log = structlog.get_logger("dogana.worker")


class SightingView(View):
    """What is seen to run somewhere."""

    service: str
    environment: str
    read_at: Instant
    told_by: str
    version: str | None
    unknown: str | None
    differs: str | None
    differs_since: Instant | None


async def look_due(backend: Backend) -> None:
    """Read what runs wherever it is to be read and was not lately; one that fails stops no other."""
    async with backend.database.transaction() as session:
        places = await sightings.due(session, backend.clock() - timedelta(seconds=backend.refresh), _A_ROUND)
        sources = await load(backend, session)
    few = asyncio.Semaphore(_AT_ONCE)

    async def look(place: sightings.ToSee) -> None:
        if backend.clock() - place.landed_at < _SETTLES:
            return
        async with few:
            try:
                await _look(backend, sources, place.environment, place.service)
            except Exception:  # noqa: BLE001 - one place stops no other
                _log.exception("not seen", service=place.service, environment=place.environment.id)

    await asyncio.gather(*map(look, places))


async def report(
    backend: Backend,
    actor: Actor,
    *,
    service: str,
    environment: str,
    version: str,
    artifacts: tuple[Artifact, ...],
) -> SightingView:
    """Take in what a deployer says that runs, where nothing else is read.

    Raises:
        NotFoundError: for an unknown service or environment, or where nothing has landed.
        ConflictError: where it is read by ourselves.
        ForbiddenError: for who does not deploy there.
    """
    actor.must(Right.DEPLOY)
    digests = {one.name: one.digest for one in artifacts}
    if len(digests) != len(artifacts):
        raise InvalidError("One name stands for several artifacts.", fields=[("/artifacts", "a name twice")])
    async with backend.database.transaction() as session:
        target = await landscape.environment(session, environment)
        if target is None or await landscape.service(session, service) is None:
            raise NotFoundError(f"There is no {service} in {environment}.")
        must_deploy(actor, target)
        if target.version_from is not None:
            raise ConflictError(f"What runs in {target.title} is read there; nobody needs to tell it.")
    seen = Seen(version=version, digests=digests)
    row = await _keep(backend, target, service, seen, None, actor.name, backend.clock())
    if row is None:
        raise NotFoundError(f"Nothing of {service} has landed in {target.title}.")
    return sighting_view(row)


def sighting_view(row: SightingRow) -> SightingView:
    """What is seen, as readers get it."""
    return SightingView(
        service=row.service_id,
        environment=row.environment_id,
        read_at=row.read_at,
        told_by=row.told_by,
        version=row.version,
        unknown=row.unknown,
        differs=row.differs,
        differs_since=row.differs_since,
    )


async def _look(backend: Backend, sources: Sources, environment: EnvironmentRow, service: str) -> None:
    wanted = _FROM.validate_python(environment.version_from)
    at = backend.clock()
    seen: Seen | None = None
    unknown: str | None = None
    told_by = "its version address" if isinstance(wanted, FromAddress) else "its metrics"
    try:
        seen = await _read(backend, sources, environment.id, service, wanted)
    except (UnreadError, NonsenseError) as exc:
        unknown = f"{told_by}: {exc}"
    await _keep(backend, environment, service, seen, unknown, told_by, at)


async def _read(
    backend: Backend, sources: Sources, environment: str, service: str, wanted: VersionFrom
) -> Seen:
    if isinstance(wanted, FromAddress):
        address = address_of(wanted.address, service, "")
        body = await read(backend.client, HttpRequest(address=address, seconds=_SECONDS))
        return read_answer(body, wanted)
    meter = sources.meter(wanted.source)
    if meter is None or not isinstance(meter.settings, MetricsSettings):
        raise UnreadError("no metrics server is set up")
    query = wanted.query.replace("$environment", environment).replace("$service", service)
    said = await backend.metrics.vector(meter.of(MetricsSettings), query, backend.clock())
    if said.value is None:
        raise UnreadError(said.unknown or "it gave nothing")
    return read_labels([one.metric for one in said.value], wanted)


async def _keep(
    backend: Backend,
    environment: EnvironmentRow,
    service: str,
    seen: Seen | None,
    unknown: str | None,
    told_by: str,
    at: datetime,
) -> SightingRow | None:
    """Keep what was seen; None where nothing has landed, so that nothing can be said of it."""
    async with backend.database.transaction() as session:
        landed = await landscape.running(session, service, environment)
        if landed is None:
            return None
        row = await sightings.lock(session, service, environment.id)
        if row is None:
            row = SightingRow(service_id=service, environment_id=environment.id, digests=[])
            session.add(row)
        elif row.read_at > at:
            return row
        row.read_at, row.told_by, row.unknown = at, told_by, unknown
        row.version = seen.version if seen is not None else None
        row.digests = [{"name": name, "digest": one} for name, one in seen.digests.items()] if seen else []
        if seen is not None and landed.landed_at <= at:
            await _judge(session, backend, row, environment, seen, landed)
    return row


async def _judge(
    session: Session,
    backend: Backend,
    row: SightingRow,
    environment: EnvironmentRow,
    seen: Seen,
    landed: landscape.Landed,
) -> None:
    """Hold what is seen against what landed; what could not be read changes nothing of the last word."""
    now = backend.clock()
    release = await landscape.release_numbered(session, landed.release_id)
    differs = drift(seen, release.version, landed.artifacts)
    going = await promotions.moving(session, row.service_id, environment.id)
    if differs is not None and going is not None:
        # While one goes in, either that or what it takes the place of may answer.
        newcomer = (await found(session, going)).release
        differs = differs if drift(seen, newcomer.version, newcomer.artifacts) else None
    if differs == row.differs:
        return
    where = f"{release.service.title} in {environment.title}"
    if differs is None:
        row.differs_since = None
        says, action = f"What landed runs again: {where}.", Action.DRIFT_OVER
    else:
        row.differs_since = row.differs_since or now
        says, action = f"Something else runs than landed, {where}: {differs}.", Action.DRIFT
    row.differs = differs
    details = {"service": row.service_id, "landed": str(landed.number), "told by": row.told_by}
    record(session, ENGINE, action, says, now, environment=environment.id, details=details)
    schedule.inspection(session, now, service=row.service_id)
    announce(session, "promotion", [landed.number])
