"""Taking in a promotion."""

from dataclasses import dataclass

from dogana.core.decisions import Decisions
from dogana.core.errors import (
    AlreadyRunsError,
    DigestMismatchError,
    InvalidError,
    NotNextLegError,
    UnknownNameError,
)
from dogana.core.facts import Artifact, Facts, Kind
from dogana.core.rollout import Plan
from dogana.core.words import listed
from dogana.service.access import Actor, Right
from dogana.service.backend import Backend
from dogana.service.gathering import Asked, artifacts_of, ask, effective, gather, policy_in_force
from dogana.service.inspection import Grounds, advance, keep_document, record_on, what
from dogana.store import Session, estate, promotions
from dogana.store.database import announce
from dogana.store.tables import (
    ArtifactRow,
    LegRow,
    PromotionRow,
    ReleaseRow,
    ServiceRow,
    State,
)


@dataclass(frozen=True, kw_only=True)
class Request:
    """What a pipeline or a person asks for."""

    service: str
    version: str
    to: str
    repository: str | None
    revision: str | None
    artifacts: tuple[Artifact, ...]
    note: str
    kind: Kind = "ordinary"
    plan: Plan | None = None


async def request(backend: Backend, actor: Actor, asking: Request) -> PromotionRow:
    """Take in a promotion: check it, read its facts, inspect it, record it.

    Raises:
        UnknownNameError: for a service, environment or version that is not known.
        RepositoryError: for a repository or revision that cannot be read.
        DigestMismatchError: for an artifact that differs from what is on record for the version.
        NotNextLegError: for an environment the release may not enter next.
        AlreadyRunsError: when it runs there now.
        AlreadyPendingError: when the same is under way already.
    """
    actor.must(Right.REQUEST)
    now = backend.clock()
    async with backend.database.transaction() as session:
        service, leg = await _where(session, asking.service, asking.to)
        known = await estate.release(session, service.id, asking.version)
    revision = await _revision(backend, asking, service, known)
    async with backend.database.transaction() as session:
        await _may_enter_next(session, service, asking.version, known, leg)
        await policy_in_force(session, leg.environment_id, now)
        asked = await ask(
            session,
            service,
            known,
            version=asking.version,
            revision=revision,
            artifacts=_artifacts(asking, known),
            environment=leg.environment_id,
            kind=asking.kind,
            plan=asking.plan,
            requester=actor.id,
            requested_at=now,
            note=asking.note,
            at=now,
        )
    facts = await gather(backend, asked)
    async with backend.database.transaction() as session:
        return await _take_in(backend, session, actor, asked, facts)


async def _take_in(
    backend: Backend, session: Session, actor: Actor, asked: Asked, facts: Facts
) -> PromotionRow:
    """Write release, promotion and entry; whatever changed while the facts were read is checked again."""
    service, leg = await _where(session, asked.service.id, asked.target.id)
    release = await estate.release(session, service.id, asked.version)
    if release is not None and artifacts_of(release) != asked.artifacts:
        raise DigestMismatchError
    source = await _may_enter_next(session, service, asked.version, release, leg)
    if release is None:
        release = ReleaseRow(
            service=service,
            version=asked.version,
            revision=asked.revision,
            created_at=asked.requested_at,
            artifacts=[ArtifactRow(name=a.name, digest=a.digest, size=a.size) for a in asked.artifacts],
        )
        session.add(release)
    policy_row = await policy_in_force(session, leg.environment_id, asked.requested_at)
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
        environment=leg.environment,
        source=source,
        state=State.WAITING,
        requester_id=actor.id,
        requested_at=asked.requested_at,
        note=asked.note,
        kind=asked.kind,
        plan=asked.plan.plain() if asked.plan else None,
        facts_digest=await keep_document(session, "facts", facts),
        facts_read_at=facts.tickets.read_at,
        policy_id=policy_row.id,
        sheet=sheet.plain(),
        due_at=asked.requested_at,
        changed_at=asked.requested_at,
    )
    session.add(row)
    await session.flush()
    await session.refresh(row)
    says = f"{actor.name} asked for {what(row)}."
    await record_on(session, actor, "request", says, row, grounds, sheet, reason=asked.note)
    await announce(session, kind="promotion", promotion=row.number)
    await advance(backend, session, row)
    await promotions.make_due(session, asked.requested_at, environment=leg.environment_id, service=service.id)
    return row


async def _where(session: Session, service_id: str, to: str) -> tuple[ServiceRow, LegRow]:
    service = await estate.service(session, service_id)
    if service is None:
        raise UnknownNameError(f"There is no service {service_id}.", fields=[("/service", "unknown")])
    if await estate.environment(session, to) is None:
        raise UnknownNameError(f"There is no environment {to}.", fields=[("/to", "unknown")])
    leg = next((leg for leg in service.route.legs if leg.environment_id == to), None)
    if leg is None:
        raise NotNextLegError(
            f"{to} is not on the route of {service.id}.", fields=[("/to", "not on the route")]
        )
    return service, leg


async def _revision(backend: Backend, asking: Request, service: ServiceRow, known: ReleaseRow | None) -> str:
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
    revision = await backend.repositories.resolve(service.repository, asking.revision)
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


async def _may_enter_next(
    session: Session, service: ServiceRow, version: str, release: ReleaseRow | None, leg: LegRow
) -> str | None:
    """Where the release comes from, in words, if the leg is its next one.

    Its next leg is the one after the furthest it has landed in, or a lane of that one it has not entered.
    """
    legs = service.route.legs
    landed = await estate.landings(session, release.id) if release else {}
    running = await estate.running(session, service.id, leg.environment_id)
    if running is not None and release is not None and running.release_id == release.id:
        raise AlreadyRunsError(
            f"{service.id} {version} already runs in {leg.environment.title}.",
            fields=[("/to", "already runs there")],
        )
    furthest = max((one.position for one in legs if one.environment_id in landed), default=-1)
    entered = leg.environment_id in landed
    if leg.position == furthest + 1 or (leg.position == furthest and not entered):
        before = [one for one in legs if one.position == leg.position - 1 and one.environment_id in landed]
        return listed([one.environment.title for one in before]) or None
    following = [one.environment.title for one in legs if one.position == furthest + 1]
    detail = f"{service.id} {version} is at the end of its route."
    if following:
        detail = (
            f"{service.id} {version} goes to {listed(following, 'or')} next, not to {leg.environment.title}."
        )
    raise NotNextLegError(detail, fields=[("/to", "not the next leg")])
