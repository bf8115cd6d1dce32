"""Taking in promotions, one or a bundle of them."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime

from dogana.core.decisions import Decisions
from dogana.core.errors import (
    DigestMismatchError,
    InvalidError,
    NotNextLegError,
    UnknownNameError,
)
from dogana.core.facts import Artifact, Kind
from dogana.core.rollout import Plan
from dogana.core.routes import LetsIn
from dogana.core.words import lower_first
from dogana.service.access import Actor, Right
from dogana.service.backend import Backend
from dogana.service.gathering import (
    Asked,
    Gathered,
    artifacts_of,
    ask,
    effective,
    gather,
    policy_in_force,
)
from dogana.service.inspection import Grounds, advance, keep_document, record_on, what
from dogana.service.places import Stop, may_enter_next, where
from dogana.service.sources import load
from dogana.service.sources import note as note_sources
from dogana.sources.settings import RepositoryAt
from dogana.store import Session, estate, promotions
from dogana.store.database import announce
from dogana.store.tables import ArtifactRow, BundleRow, PromotionRow, ReleaseRow, ServiceRow, State


@dataclass(frozen=True, kw_only=True)
class Request:
    """What a pipeline or a person asks for."""

    service: str
    version: str
    to: str
    repository: str | None = None
    revision: str | None = None
    artifacts: tuple[Artifact, ...] = ()
    note: str = ""
    kind: Kind = "ordinary"
    plan: Plan | None = None
    route: str | None = None
    """The route it takes; the service's standard one where None."""


@dataclass(frozen=True, kw_only=True)
class _Read:
    """A request whose facts have been read."""

    asked: Asked
    stop: Stop
    gathered: Gathered


async def request(backend: Backend, actor: Actor, asking: Request) -> PromotionRow:
    """Take in a promotion: check it, read its facts, inspect it, record it.

    Raises:
        UnknownNameError: for a service, environment, route or version that is not known.
        RepositoryError: for a repository or revision that cannot be read.
        DigestMismatchError: for an artifact that differs from what is on record for the version.
        NotNextLegError: for an environment the release may not enter next.
        AlreadyRunsError: when it runs there now.
        AlreadyPendingError: when the same is under way already.
    """
    actor.must(Right.REQUEST)
    return (await take_in(backend, actor, actor.id, [asking], None))[0]


async def request_bundle(
    backend: Backend, actor: Actor, askings: Sequence[Request], title: str
) -> list[PromotionRow]:
    """Take in promotions of several services that cross together or not at all.

    Raises:
        InvalidError: for fewer than two, or two of one service into one environment.
        DoganaError: as for one promotion; then none of them is taken in.
    """
    actor.must(Right.REQUEST)
    if len({(asking.service, asking.to) for asking in askings}) != len(askings) or len(askings) < 2:  # noqa: PLR2004
        raise InvalidError(
            "A bundle is of two services or more, each once into an environment.",
            fields=[("/promotions", "two or more, of different services")],
        )
    return await take_in(backend, actor, actor.id, askings, title)


async def take_in(
    backend: Backend, actor: Actor, requester: str, askings: Sequence[Request], bundle: str | None
) -> list[PromotionRow]:
    """Take in some promotions, all of them or none; `requester` is who counts as having asked."""
    now = backend.clock()
    read = [await _read(backend, requester, asking, now) for asking in askings]
    async with backend.database.transaction() as session:
        row = BundleRow(title=bundle) if bundle is not None else None
        if row is not None:
            session.add(row)
            await session.flush()
        taken = [await _write(backend, session, actor, one, row) for one in read]
    # In a transaction of its own: those rows are locked by inspections that wait for locks of this one.
    async with backend.database.transaction() as session:
        for one in taken:
            await promotions.make_due(session, now, environment=one.environment_id, service=one.service_id)
    return taken


async def _read(backend: Backend, requester: str, asking: Request, now: datetime) -> _Read:
    """Check a request and read its facts."""
    async with backend.database.transaction() as session:
        service, stop = await where(session, asking.service, asking.to, asking.route, now)
        known = await estate.release(session, service.id, asking.version)
        sources = await load(backend, session)
        ends = max((leg.position for leg in stop.route.legs), default=0)
        last = [leg.environment for leg in stop.route.legs if leg.position == ends]
        runs = [await estate.running_everywhere(session, one.id) for one in last]
    repository = sources.repository(service.repository)
    revision = await _revision(backend, repository, asking, service, known)
    if stop.route.lets_in is not None:
        origin = await backend.repositories.origin(repository, revision)
        here = [one[service.id] for one in runs if service.id in one]
        _must_be_let_in(stop, asking, sorted(set(here)), origin.value.branches if origin.value else ())
        asking = replace(asking, kind="urgent")
    async with backend.database.transaction() as session:
        service, stop = await where(session, asking.service, asking.to, asking.route, now)
        known = await estate.release(session, service.id, asking.version)
        await may_enter_next(session, service, asking.version, known, stop, asking.kind)
        asked = await ask(
            backend,
            session,
            service,
            known,
            version=asking.version,
            revision=revision,
            artifacts=_artifacts(asking, known),
            stop=stop,
            kind=asking.kind,
            plan=asking.plan,
            requester=requester,
            requested_at=now,
            note=asking.note,
            asked_revision=asking.revision or "",
            at=now,
        )
    return _Read(asked=asked, stop=stop, gathered=await gather(backend, asked))


def _must_be_let_in(stop: Stop, asking: Request, runs: list[str], branches: tuple[str, ...]) -> None:
    against = LetsIn.model_validate(stop.route.lets_in).against(asking.version, runs, branches)
    if against is not None:
        raise NotNextLegError(
            f"{asking.service} {asking.version} may not take the {lower_first(stop.route.title)}: {against}.",
            fields=[("/route", against)],
        )


async def _write(
    backend: Backend, session: Session, actor: Actor, read: _Read, bundle: BundleRow | None
) -> PromotionRow:
    """Write release, promotion and entry; whatever changed while the facts were read is checked again."""
    asked, facts = read.asked, read.gathered.facts
    service, stop = await where(session, asked.service.id, asked.target.id, asked.route, asked.requested_at)
    release = await estate.release(session, service.id, asked.version)
    if release is not None and artifacts_of(release) != asked.artifacts:
        raise DigestMismatchError
    source = await may_enter_next(session, service, asked.version, release, stop, asked.kind)
    if release is None:
        release = ReleaseRow(
            service=service,
            version=asked.version,
            revision=asked.revision,
            created_at=asked.requested_at,
            artifacts=[ArtifactRow(name=a.name, digest=a.digest, size=a.size) for a in asked.artifacts],
        )
        session.add(release)
    policy_row = await policy_in_force(session, stop.environment, asked.requested_at)
    grounds = Grounds(
        policy_row=policy_row,
        policy=await effective(session, policy_row, asked.requested_at),
        facts=facts,
        decisions=Decisions(),
    )
    sheet = grounds.sheet(asked.requested_at)
    row = PromotionRow(
        service_id=service.id,
        release=release,
        environment=stop.environment,
        route=stop.route,
        bundle=bundle,
        source=source,
        state=State.WAITING,
        requester_id=asked.requester,
        requested_at=asked.requested_at,
        note=asked.note,
        asked_revision=asked.asked_revision,
        kind=asked.kind,
        plan=asked.plan.plain() if asked.plan else None,
        facts_digest=await keep_document(session, "facts", facts),
        facts_read_at=asked.requested_at,
        policy_id=policy_row.id,
        sheet=sheet.plain(),
        due_at=asked.requested_at,
        changed_at=asked.requested_at,
    )
    session.add(row)
    await session.flush()
    await session.refresh(row)
    by = f"{actor.name} asked" if actor.id == asked.requester else f"{actor.name} asked, as it follows,"
    way = f" by the {lower_first(row.route.title)}" if row.route.lets_in is not None else ""
    says = f"{by} for {what(row)}{way}."
    await record_on(session, actor, "request", says, row, grounds, sheet, reason=asked.note)
    await note_sources(session, read.gathered.read)
    await announce(session, kind="promotion", promotion=row.number)
    await advance(backend, session, row)
    return row


async def _revision(
    backend: Backend, at: RepositoryAt, asking: Request, service: ServiceRow, known: ReleaseRow | None
) -> str:
    """The full commit id asked for, checked against the repository and the version's record."""
    if asking.repository is not None and asking.repository != service.repository:
        raise InvalidError(
            f"{service.id} is kept in {service.repository}, not in {asking.repository}.",
            fields=[("/repository", "not this service's repository")],
        )
    if asking.revision is None:
        if known is None:
            raise UnknownNameError(
                f"{service.id} {asking.version} is not known; name its revision to take it in.",
                fields=[("/version", "unknown"), ("/revision", "needed for a new version")],
            )
        return known.revision
    revision = await backend.repositories.resolve(at, asking.revision)
    if known is not None and known.revision != revision:
        raise DigestMismatchError(
            f"{service.id} {asking.version} is on record as {known.revision[:10]}, not {revision[:10]}.",
            fields=[("/revision", "differs from the record")],
        )
    return revision


def _artifacts(asking: Request, known: ReleaseRow | None) -> tuple[Artifact, ...]:
    """The artifacts of the release; those named for a known version must be the ones on record."""
    if known is None:
        if not asking.artifacts:
            raise InvalidError(
                f"{asking.service} {asking.version} is new; name at least one artifact.",
                fields=[("/artifacts", "needed for a new version")],
            )
        return tuple(sorted(asking.artifacts, key=lambda artifact: artifact.name))
    on_record = {artifact.name: artifact for artifact in artifacts_of(known)}
    for n, artifact in enumerate(asking.artifacts):
        recorded = on_record.get(artifact.name)
        if recorded is None or recorded.digest != artifact.digest:
            had = recorded.digest if recorded else "no such artifact"
            raise DigestMismatchError(
                f"{artifact.name} of {asking.service} {asking.version} is on record as {had}, "
                f"not {artifact.digest}.",
                fields=[(f"/artifacts/{n}/digest", "differs from the record")],
            )
    return tuple(on_record.values())
