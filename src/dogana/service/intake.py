"""Taking in promotions, one or a bundle of them."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

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
from dogana.service.gathering import artifacts_of, policy_in_force
from dogana.service.inspection import what
from dogana.service.places import Stop, may_enter_next, where
from dogana.service.record import record
from dogana.service.sources import load
from dogana.sources.settings import RepositoryAt
from dogana.store import Session, estate
from dogana.store.tables import (
    ArtifactRow,
    BundleRow,
    PersonRow,
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
    repository: str | None = None
    revision: str | None = None
    artifacts: tuple[Artifact, ...] = ()
    note: str = ""
    kind: Kind = "ordinary"
    plan: Plan | None = None
    route: str | None = None
    """The route it takes; the service's standard one where None."""


async def request(backend: Backend, actor: Actor, asking: Request) -> PromotionRow:
    """Take in a promotion: check it against what is on record, and record it; it is inspected right after.

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
    """Take in some promotions, all of them or none; `requester` is who counts as having asked.

    They are inspected right after, by whoever looks first: a worker, or a reader.
    """
    try:
        return await _take_in(backend, actor, requester, askings, bundle, {})
    except _UnreadError:
        revisions = {n: await _revision(backend, asking) for n, asking in enumerate(askings)}
        return await _take_in(backend, actor, requester, askings, bundle, revisions)


class _UnreadError(Exception):
    """Something has to be read from the repository first, outside of the transaction."""


async def _take_in(
    backend: Backend,
    actor: Actor,
    requester: str,
    askings: Sequence[Request],
    bundle: str | None,
    revisions: dict[int, str | None],
) -> list[PromotionRow]:
    now = backend.clock()
    async with backend.database.transaction() as session:
        row = BundleRow(title=bundle) if bundle is not None else None
        if row is not None:
            session.add(row)
            await session.flush()
        taken = []
        for n, asking in enumerate(askings):
            service, stop = await where(session, asking.service, asking.to, asking.route, now)
            revision = revisions.get(n)
            if n not in revisions and (asking.revision or stop.route.lets_in is not None):
                revision = backend.repositories.known(service.repository, asking.revision or "")
                if revision is None or stop.route.lets_in is not None:
                    raise _UnreadError
            taken.append(await _write(session, actor, requester, asking, service, stop, revision, row, now))
    return taken


async def _write(
    session: Session,
    actor: Actor,
    requester: str,
    asking: Request,
    service: ServiceRow,
    stop: Stop,
    revision: str | None,
    bundle: BundleRow | None,
    now: datetime,
) -> PromotionRow:
    """Check a request against what is on record, and write release, promotion and entry."""
    if asking.repository is not None and asking.repository != service.repository:
        raise InvalidError(
            f"{service.id} is kept in {service.repository}, not in {asking.repository}.",
            fields=[("/repository", "not this service's repository")],
        )
    release = await estate.release(session, service.id, asking.version)
    if release is not None and revision not in (None, release.revision):
        raise DigestMismatchError(
            f"{service.id} {asking.version} is on record as {release.revision[:10]}, not {revision[:10]}.",
            fields=[("/revision", "differs from the record")],
        )
    if revision is None and release is None:
        raise UnknownNameError(
            f"{service.id} {asking.version} is not known; name its revision to take it in.",
            fields=[("/version", "unknown"), ("/revision", "needed for a new version")],
        )
    artifacts = _artifacts(asking, release)
    kind: Kind = "urgent" if stop.route.lets_in is not None else asking.kind
    source = await may_enter_next(session, service, asking.version, release, stop, kind)
    policy = await policy_in_force(session, stop.environment, now)
    if release is None:
        assert revision is not None
        release = ReleaseRow(
            service=service,
            version=asking.version,
            revision=revision,
            created_at=now,
            artifacts=[ArtifactRow(name=a.name, digest=a.digest, size=a.size) for a in artifacts],
        )
        session.add(release)
    row = PromotionRow(
        service_id=service.id,
        release=release,
        environment=stop.environment,
        route=stop.route,
        bundle=bundle,
        source=source,
        state=State.WAITING,
        requester=await session.get_one(PersonRow, requester),
        requested_at=now,
        note=asking.note,
        asked_revision=asking.revision or "",
        kind=kind,
        plan=asking.plan.plain() if asking.plan else None,
        facts_read_at=now,
        policy_id=policy.id,
        due_at=now,
        changed_at=now,
    )
    session.add(row)
    await session.flush()
    by = f"{actor.name} asked" if actor.id == requester else f"{actor.name} asked, as it follows,"
    way = f" by the {lower_first(row.route.title)}" if row.route.lets_in is not None else ""
    says = f"{by} for {what(row)}{way}."
    details = {f"artifact {one.name}": one.digest for one in artifacts} | {"revision": release.revision}
    await record(session, actor, "request", says, now, promotion=row, reason=asking.note, details=details)
    return row


async def _revision(backend: Backend, asking: Request) -> str | None:
    """The full commit id of the revision asked for, read from the repository; None where none is named.

    Raises:
        RepositoryError: when the repository has no such commit.
        NotNextLegError: when an urgent route does not let the release in.
    """
    async with backend.database.transaction() as session:
        service, stop = await where(session, asking.service, asking.to, asking.route, backend.clock())
        known = await estate.release(session, service.id, asking.version)
        at = (await load(backend, session)).repository(service.repository)
    revision = await backend.repositories.resolve(at, asking.revision) if asking.revision else None
    if stop.route.lets_in is not None:
        await _must_be_let_in(backend, stop, asking, at, revision or (known.revision if known else ""))
    return revision


async def _must_be_let_in(
    backend: Backend, stop: Stop, asking: Request, at: RepositoryAt, revision: str
) -> None:
    origin = await backend.repositories.origin(at, revision)
    ends = max(leg.position for leg in stop.route.legs)
    async with backend.database.transaction() as session:
        last = [leg.environment_id for leg in stop.route.legs if leg.position == ends]
        there = [await estate.running_everywhere(session, one) for one in last]
    runs = sorted({one[asking.service] for one in there if asking.service in one})
    branches = origin.value.branches if origin.value else ()
    against = LetsIn.model_validate(stop.route.lets_in).against(asking.version, runs, branches)
    if against is not None:
        raise NotNextLegError(
            f"{asking.service} {asking.version} may not take the {lower_first(stop.route.title)}: {against}.",
            fields=[("/route", against)],
        )


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
