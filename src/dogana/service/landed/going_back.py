"""The way back from history: what has run somewhere and was good, and what comes back with it."""

from collections.abc import Mapping
from datetime import datetime

from dogana.core.change import Commit
from dogana.core.document import Instant
from dogana.core.errors import ConflictError, NotFoundError
from dogana.core.facts import Report, Ticket
from dogana.core.going_back import ScanFinding, reappearing
from dogana.core.words import lasting, listed, lower_first, when
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.promotions.outside_facts import FactsRequest, gather
from dogana.service.shapes import View
from dogana.service.sources.registry import load
from dogana.store import Session, incidents, landscape, promotions, sign_offs
from dogana.store.tables.incidents import IncidentRow
from dogana.store.tables.landscape import EnvironmentRow, ReleaseRow, ReportRow, ServiceRow
from dogana.store.tables.promotions import PromotionRow
from dogana.store.tables.sign_offs import SignOffRow

_MOST = 50
_MOST_COMMITS = 100


class LandingView(View):
    """A release that has landed somewhere."""

    promotion: int
    version: str
    landed_at: Instant
    replaced_at: Instant | None
    """When the next one took its place; absent while it runs."""
    good: bool
    """Whether nothing is known against it."""
    says: str
    """How long it ran and what is known against it, as a sentence."""


class GoingBack(View):
    """What going back to an earlier release takes away and brings back."""

    version: str
    runs: str
    """The version that runs there now."""
    good: bool
    says: str
    commits: list[Commit]
    """What would not be there any more, the first hundred of it."""
    more_commits: int
    tickets: list[Ticket]
    """What those commits were for."""
    findings: list[ScanFinding]
    """What scans found in the older one, and not in what runs now."""
    unknown: list[str]
    """What could not be read, so that there may be more; sentences."""


async def landings(backend: Backend, actor: Actor, service: str, environment: str) -> list[LandingView]:
    """What has landed of a service in an environment, the latest first; the last fifty.

    Raises:
        NotFoundError: for an unknown service or environment.
    """
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        target = (await _named(session, service, environment))[1]
        return await _landings(session, service, target, backend.clock())


async def going_back(
    backend: Backend, actor: Actor, service: str, environment: str, version: str
) -> GoingBack:
    """What going back to a version would mean; outside systems are asked.

    Raises:
        NotFoundError: for an unknown service or environment, or a version that never landed there.
        ConflictError: when it runs there now.
    """
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        owner, target = await _named(session, service, environment)
        there = await _landings(session, service, target, backend.clock())
        wanted = next((one for one in there if one.version == version), None)
        release = await landscape.release(session, service, version)
        if wanted is None or release is None:
            raise NotFoundError(f"{owner.title} {version} is not among what landed in {target.title} lately.")
        if there[0].version == version:
            raise ConflictError(f"{owner.title} {version} runs in {target.title} now.")
        running = await landscape.release(session, service, there[0].version)
        question = await _question(backend, session, owner, release, running)
        older = await reports_of(session, release)
        newer = await reports_of(session, running) if running else []
    said, back = await gather(backend, question), reappearing(older, newer)
    change, tickets = said.change.value, said.tickets.value
    unread = [
        f"{what} could not be read: {why}."
        for what, why in (("The change", said.change.unknown), ("The tickets", said.tickets.unknown))
        if why
    ]
    commits = list(change.commits) if change else []
    return GoingBack(
        version=version,
        runs=there[0].version,
        good=wanted.good,
        says=wanted.says,
        commits=commits[:_MOST_COMMITS],
        more_commits=max(len(commits) - _MOST_COMMITS, 0),
        tickets=list(tickets or ()),
        findings=list(back.findings),
        unknown=[*unread, *back.unknown],
    )


async def _named(session: Session, service: str, environment: str) -> tuple[ServiceRow, EnvironmentRow]:
    owner, target = (
        await landscape.service(session, service),
        await landscape.environment(session, environment),
    )
    if owner is None or target is None:
        missing = f"service {service}" if owner is None else f"environment {environment}"
        raise NotFoundError(f"There is no {missing}.")
    return owner, target


async def _question(
    backend: Backend,
    session: Session,
    owner: ServiceRow,
    release: ReleaseRow,
    running: ReleaseRow | None,
) -> FactsRequest:
    """What lies between the older one and what runs now."""
    sources = await load(backend, session)
    repository = sources.repository(owner.repository, tuple(owner.paths))
    newer = running.revision if running else release.revision
    return FactsRequest.between(sources, repository, release.revision, newer)


async def reports_of(session: Session, release: ReleaseRow) -> list[Report]:
    """The evidence that came with a release."""
    return [_report(row) for row in await landscape.reports(session, release.id)]


def _report(row: ReportRow) -> Report:
    return Report.model_validate(
        {
            "name": row.name,
            "kind": row.kind,
            "produced_at": row.produced_at,
            "by": row.sent_by,
            "content": row.content,
            "unknown": row.unknown,
        }
    )


async def _landings(
    session: Session, service: str, target: EnvironmentRow, now: datetime
) -> list[LandingView]:
    rows = await promotions.landings(session, service, target.id, _MOST)
    numbers = [row.number for row in rows]
    said, bad = await sign_offs.of(session, numbers), await incidents.of_landings(session, numbers)
    after: list[PromotionRow | None] = [None, *rows][: len(rows)]
    return [_landing(row, next_, said, bad, now) for row, next_ in zip(rows, after, strict=True)]


def _landing(
    row: PromotionRow,
    next_: PromotionRow | None,
    said: Mapping[int, SignOffRow],
    bad: Mapping[int, IncidentRow],
    now: datetime,
) -> LandingView:
    at = row.landed_at or row.changed_at
    until = next_.landed_at if next_ is not None else None
    against = known_against(said.get(row.number), bad.get(row.number))
    ran = f"{'ran' if until else 'runs'} for {lasting((until or now) - at)}"
    known = f", but {listed(against)}" if against else ""
    return LandingView(
        promotion=row.number,
        version=row.release.version,
        landed_at=at,
        replaced_at=until,
        good=not against,
        says=f"Landed {when(at, row.environment.zone)} and {ran}{known}.",
    )


def known_against(said: SignOffRow | None, bad: IncidentRow | None) -> list[str]:
    """What is known against a landing, or not known for it where somebody was asked."""
    out = []
    if said is not None and said.issues is not None:
        out.append(f"it was closed with issues: {said.issues}")
    elif said is not None and said.said_at is None:
        out.append("nobody has confirmed it" if said.lapsed_at is None else "nobody confirmed it")
    if bad is not None:
        out.append(f"there was an incident: {lower_first(bad.what.rstrip('.'))}")
    return out
