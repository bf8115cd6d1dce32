"""Taking in promotions, one or a bundle of them."""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from functools import partial
from http import HTTPStatus

from dogana.core.errors import DigestMismatchError, InvalidError, NotNextLegError, UnknownNameError
from dogana.core.facts import Artifact, PromotionKind
from dogana.core.record.actions import Action
from dogana.core.rollout import Plan
from dogana.core.routes import LetsIn
from dogana.core.words import lower_first
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.coalescing import Batcher
from dogana.service.landscape.releases import artifacts_of, refuse_named_twice
from dogana.service.landscape.stops import Stop, may_enter_next, where
from dogana.service.ledger.entries import append, entry
from dogana.service.policies.in_force import in_force
from dogana.service.promotions.grounds import running_at_end
from dogana.service.promotions.lookup import what
from dogana.service.sources.registry import load
from dogana.sources.http import HttpRequest, UnreadError, ask
from dogana.sources.settings import RepositoryAt
from dogana.store import Session, landscape
from dogana.store.tables.landscape import EnvironmentRow, ReleaseRow, ServiceRow
from dogana.store.tables.ledger import EntryRow
from dogana.store.tables.people import PersonRow
from dogana.store.tables.policies import PolicyRow
from dogana.store.tables.promotions import BundleRow, PromotionRow, State


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
    kind: PromotionKind = "ordinary"
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
    actor.must_reach(asking.service, asking.to)
    await _must_be_there(backend, [asking])
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
    for asking in askings:
        actor.must_reach(asking.service, asking.to)
    if len({(asking.service, asking.to) for asking in askings}) != len(askings) or len(askings) < 2:  # noqa: PLR2004
        raise InvalidError(
            "A bundle is of two services or more, each once into an environment.",
            fields=[("/promotions", "two or more, of different services")],
        )
    await _must_be_there(backend, askings)
    return await take_in(backend, actor, actor.id, askings, title)


async def _must_be_there(backend: Backend, askings: Sequence[Request]) -> None:
    """See that what is gone back to can still be fetched, as far as it is on record from where.

    Where nobody answers it is not known, and the deployer will see; that it is gone has to be said.

    Raises:
        InvalidError: naming the first artifact that is gone.
    """
    for asking in (one for one in askings if one.kind == "rollback"):
        async with backend.database.transaction() as session:
            release = await landscape.release(session, asking.service, asking.version)
        for artifact in artifacts_of(release) if release is not None else ():
            if artifact.link is None:
                continue
            try:
                asked = HttpRequest(address=str(artifact.link), method="HEAD", tries=1)
                status = (await ask(backend.client, asked)).status_code
            except UnreadError:
                continue
            if status in _GONE:
                raise InvalidError(
                    f"{artifact.name} of {asking.service} {asking.version} is gone: "
                    f"{artifact.link} answers {status}.",
                    fields=[("/version", "its artifacts are gone")],
                )


async def take_in(
    backend: Backend, actor: Actor, requester: str, askings: Sequence[Request], bundle: str | None
) -> list[PromotionRow]:
    """Take in some promotions, all of them or none; `requester` is who counts as having asked.

    They are inspected right after, by whoever looks first: a worker, or a reader.
    """
    asked = _Asked(actor=actor, requester=requester, askings=askings, bundle=bundle)
    together: Batcher[_Asked, list[PromotionRow]] = backend.intake
    try:
        return await together.ask(asked, partial(_take_in, backend))
    except _UnreadError:
        revisions = {n: await _revision(backend, asking) for n, asking in enumerate(askings)}
        return await together.ask(replace(asked, revisions=revisions), partial(_take_in, backend))


_GONE = frozenset({HTTPStatus.NOT_FOUND, HTTPStatus.GONE})


class _UnreadError(Exception):
    """Something has to be read from the repository first, outside of the transaction."""


@dataclass(frozen=True, kw_only=True)
class _Asked:
    """What is taken in whole or not at all."""

    actor: Actor
    requester: str
    askings: Sequence[Request]
    bundle: str | None
    revisions: dict[int, str | None] = field(default_factory=dict)
    """What had to be read from the repositories, by the asking's place."""


@dataclass(frozen=True, kw_only=True)
class _Checked:
    """An asking that may be taken in."""

    asked: _Asked
    asking: Request
    stop: Stop
    release: ReleaseRow
    source: str | None
    kind: PromotionKind
    policy: PolicyRow


async def _take_in(backend: Backend, together: Sequence[_Asked]) -> list[list[PromotionRow]]:
    """Check all against what is on record before anything is written, then write all at once."""
    now = backend.clock()
    async with backend.database.transaction() as session:
        named = {(asking.service, asking.version) for asked in together for asking in asked.askings}
        check = _Check(backend, session, now, await landscape.releases_named(session, named))
        checked = [
            [await check.one(asked, n, asking) for n, asking in enumerate(asked.askings)]
            for asked in together
        ]
        rows = [
            await _write(session, asked, ones, now) for asked, ones in zip(together, checked, strict=True)
        ]
        await session.flush()
        append(
            session,
            [
                asked_entry(one.asked.actor, row, now)
                for ones, own in zip(checked, rows, strict=True)
                for one, row in zip(ones, own, strict=True)
            ],
        )
    return rows


class _Check:
    """Checks askings against what is on record; what several have in common is looked up once."""

    def __init__(
        self, backend: Backend, session: Session, now: datetime, known: dict[tuple[str, str], ReleaseRow]
    ) -> None:
        self._backend = backend
        self._session = session
        self._now = now
        self._known = known
        self._policies: dict[str, PolicyRow] = {}
        self._places: dict[tuple[str, str, str | None], tuple[ServiceRow, Stop]] = {}

    async def one(self, asked: _Asked, n: int, asking: Request) -> _Checked:
        """Check one."""
        service, stop = await self._where(asking)
        if asking.repository is not None and asking.repository != service.repository:
            raise InvalidError(
                f"{service.id} is kept in {service.repository}, not in {asking.repository}.",
                fields=[("/repository", "not this service's repository")],
            )
        revision = self._revision(asked, n, service, stop)
        known = self._known.get((service.id, asking.version))
        artifacts = _artifacts(asking, known)
        kind: PromotionKind = (
            "urgent" if stop.route.lets_in is not None and asking.kind == "ordinary" else asking.kind
        )
        if kind == "urgent" and stop.route.lets_in is None:
            raise InvalidError(
                "Urgent is what takes an urgent route, or what somebody declares so whom the policy names.",
                fields=[("/kind", "not for who asks to say")],
            )
        return _Checked(
            asked=asked,
            asking=asking,
            stop=stop,
            release=self._release(asking, service, known, revision, artifacts),
            source=await may_enter_next(self._session, service, asking.version, known, stop, kind),
            kind=kind,
            policy=await self._policy(stop.environment),
        )

    async def _where(self, asking: Request) -> tuple[ServiceRow, Stop]:
        named = asking.service, asking.to, asking.route
        if named not in self._places:
            self._places[named] = await where(self._session, *named, self._now)
        return self._places[named]

    def _revision(self, asked: _Asked, n: int, service: ServiceRow, stop: Stop) -> str | None:
        asking = asked.askings[n]
        if n in asked.revisions:
            return asked.revisions[n]
        if stop.route.lets_in is not None:
            raise _UnreadError
        if not asking.revision:
            return None
        revision = self._backend.repositories.known(service.repository, asking.revision)
        if revision is None:
            raise _UnreadError
        return revision

    def _release(
        self,
        asking: Request,
        service: ServiceRow,
        known: ReleaseRow | None,
        revision: str | None,
        artifacts: tuple[Artifact, ...],
    ) -> ReleaseRow:
        if known is not None:
            if revision not in (None, known.revision):
                raise DigestMismatchError(
                    f"{service.id} {asking.version} is on record as {known.revision[:10]}, "
                    f"not {revision[:10]}.",
                    fields=[("/revision", "differs from the record")],
                )
            return known
        if revision is None:
            raise UnknownNameError(
                f"{service.id} {asking.version} is not known; name its revision to take it in.",
                fields=[("/version", "unknown"), ("/revision", "needed for a new version")],
            )
        release = ReleaseRow(
            service=service,
            version=asking.version,
            revision=revision,
            created_at=self._now,
            artifacts=[artifact.plain() for artifact in artifacts],
        )
        self._known[service.id, asking.version] = release
        return release

    async def _policy(self, environment: EnvironmentRow) -> PolicyRow:
        if environment.id not in self._policies:
            self._policies[environment.id] = (await in_force(self._session, environment, self._now)).row
        return self._policies[environment.id]


async def _write(
    session: Session, asked: _Asked, checked: Sequence[_Checked], now: datetime
) -> list[PromotionRow]:
    """Release and promotion of each."""
    bundle = BundleRow(title=asked.bundle) if asked.bundle is not None else None
    requester = await session.get_one(PersonRow, asked.requester)
    rows = [
        PromotionRow(
            service_id=one.release.service.id,
            release=one.release,
            environment=one.stop.environment,
            route=one.stop.route,
            bundle=bundle,
            source=one.source,
            state=State.WAITING,
            requester=requester,
            requested_at=now,
            note=one.asking.note,
            asked_revision=one.asking.revision or "",
            kind=one.kind,
            plan=one.asking.plan.plain() if one.asking.plan else None,
            facts_read_at=now,
            policy_id=one.policy.id,
            inspect_at=now,
            changed_at=now,
        )
        for one in checked
    ]
    session.add_all(rows)
    return rows


def asked_entry(actor: Actor, row: PromotionRow, now: datetime) -> EntryRow:
    """That a promotion was asked for, for the record."""
    by = f"{actor.name} asked" if actor.id == row.requester_id else f"{actor.name} asked, as it follows,"
    way = f" by the {lower_first(row.route.title)}" if row.route.lets_in is not None else ""
    details = {f"artifact {made.name}": made.digest for made in artifacts_of(row.release)}
    return entry(
        actor,
        Action.REQUEST,
        f"{by} for {what(row)}{way}.",
        now,
        promotion=row,
        reason=row.note,
        details=details | {"revision": row.release.revision},
    )


async def _revision(backend: Backend, asking: Request) -> str | None:
    """The full commit id of the revision asked for, read from the repository; None where none is named.

    Raises:
        RepositoryError: when the repository has no such commit.
        NotNextLegError: when an urgent route does not let the release in.
    """
    async with backend.database.transaction() as session:
        service, stop = await where(session, asking.service, asking.to, asking.route, backend.clock())
        known = await landscape.release(session, service.id, asking.version)
        at = (await load(backend, session)).repository(service.repository)
    revision = await backend.repositories.resolve(at, asking.revision) if asking.revision else None
    if stop.route.lets_in is not None and asking.kind != "rollback":
        await _must_be_let_in(backend, stop, asking, at, revision or (known.revision if known else ""))
    return revision


async def _must_be_let_in(
    backend: Backend, stop: Stop, asking: Request, at: RepositoryAt, revision: str
) -> None:
    lets_in = LetsIn.model_validate(stop.route.lets_in)
    if lets_in.waivable is not None:
        return  # It is taken in, and held until a waiver lets it pass.
    origin = await backend.repositories.origin(at, revision) if lets_in.branches else None
    async with backend.database.transaction() as session:
        runs = await running_at_end(session, stop.route, asking.service)
    branches = origin.value.branches if origin is not None and origin.value else ()
    against = lets_in.against(asking.version, runs, branches)
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
        refuse_named_twice(asking.artifacts)
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
