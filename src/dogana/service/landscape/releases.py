"""Releases: what was built, before anybody asks where it may go."""

from collections.abc import Sequence

from dogana.core.document import Instant
from dogana.core.errors import DigestMismatchError, InvalidError, NotFoundError, UnknownNameError
from dogana.core.facts import Artifact
from dogana.core.record.actions import Action
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.ledger.entries import record
from dogana.service.shapes import Named, View
from dogana.service.sources.registry import load
from dogana.store import Session, landscape
from dogana.store.tables.landscape import ReleaseRow


class ReleaseView(View):
    """One release and what came with it."""

    service: Named
    version: str
    revision: str
    created_at: Instant
    artifacts: list[Artifact]
    evidence: list[str]


class ReleasePage(View):
    """A page of releases, the latest first; `next` continues it."""

    releases: list[ReleaseView]
    next: int | None


async def register(
    backend: Backend,
    actor: Actor,
    service_id: str,
    version: str,
    *,
    revision: str,
    artifacts: tuple[Artifact, ...],
) -> bool:
    """Put a release on record, or add artifacts to one that has asked for nothing yet.

    Returns:
        Whether anything was added.

    Raises:
        UnknownNameError: for an unknown service.
        RepositoryError: for a revision that cannot be read.
        DigestMismatchError: for what differs from the record, or comes after the first promotion.
    """
    actor.must(Right.REQUEST)
    now = backend.clock()
    async with backend.database.transaction() as session:
        service = await landscape.service(session, service_id)
        sources = await load(backend, session)
    if service is None:
        raise UnknownNameError(f"There is no service {service_id}.", fields=[("/service", "unknown")])
    refuse_named_twice(artifacts)
    full = await backend.repositories.resolve(sources.repository(service.repository), revision)
    async with backend.database.transaction() as session:
        row = await landscape.release(session, service_id, version, lock=True)
        if row is not None and row.revision != full:
            raise DigestMismatchError(
                f"{service_id} {version} is on record as {row.revision[:10]}, not {full[:10]}.",
                fields=[("/revision", "differs from the record")],
            )
        known = {one.name: one.digest for one in artifacts_of(row)} if row else {}
        for n, one in enumerate(artifacts):
            if known.get(one.name, one.digest) != one.digest:
                raise DigestMismatchError(fields=[(f"/artifacts/{n}/digest", "differs from the record")])
        added = [one for one in artifacts if one.name not in known]
        if row is not None and added and await landscape.was_asked_for(session, row.id):
            raise DigestMismatchError(f"{service_id} {version} has asked for a promotion; it is what it is.")
        if row is None:
            if not artifacts:
                raise InvalidError("Name at least one artifact.", fields=[("/artifacts", "needed")])
            row = ReleaseRow(
                service_id=service_id, version=version, revision=full, created_at=now, artifacts=[]
            )
            session.add(row)
        elif not added:
            return False
        built = [*artifacts_of(row), *added]
        row.artifacts = [one.plain() for one in sorted(built, key=lambda one: one.name)]
        says = f"{actor.name} put {service.title} {version} on record, with {len(row.artifacts)} artifacts."
        details = {f"artifact {one.name}": one.digest for one in added}
        record(session, actor, Action.RELEASE, says, now, details=details)
    return True


async def release(backend: Backend, actor: Actor, service: str, version: str) -> ReleaseView:
    """One release.

    Raises:
        NotFoundError: when it is not on record.
    """
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        row = await landscape.release(session, service, version)
        if row is None:
            raise NotFoundError(f"{service} {version} is not on record.")
        return await _view(session, row)


async def releases(
    backend: Backend, actor: Actor, service: str, after: int | None, limit: int
) -> tuple[list[ReleaseView], int | None]:
    """Releases of a service, the latest first, and where to go on."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        rows = await landscape.releases(session, service, after, limit + 1)
        more = rows[limit - 1].id if len(rows) > limit else None
        return [await _view(session, row) for row in rows[:limit]], more


async def _view(session: Session, row: ReleaseRow) -> ReleaseView:
    return ReleaseView(
        service=Named(id=row.service_id, name=row.service.title),
        version=row.version,
        revision=row.revision,
        created_at=row.created_at,
        artifacts=list(artifacts_of(row)),
        evidence=[one.name for one in await landscape.reports(session, row.id)],
    )


def refuse_named_twice(artifacts: Sequence[Artifact]) -> None:
    """See that no two artifacts have one name.

    Raises:
        InvalidError: with the place of the second.
    """
    names = [artifact.name for artifact in artifacts]
    twice = next((n for n, name in enumerate(names) if name in names[:n]), None)
    if twice is not None:
        fields = [(f"/artifacts/{twice}/name", "stands twice")]
        raise InvalidError(f"{names[twice]} is named twice.", fields=fields)


def artifacts_of(release: ReleaseRow) -> tuple[Artifact, ...]:
    """A release's artifacts as facts."""
    return tuple(Artifact.model_validate(one) for one in release.artifacts)
