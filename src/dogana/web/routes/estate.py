"""The estate: what runs where, and what became of it."""

from http import HTTPStatus
from typing import Annotated

from fastapi import Query
from pydantic import Field, StringConstraints

from dogana.core.document import EnvironmentId, Instant, Slug
from dogana.core.facts import Artifact
from dogana.core.findings import FindingKey
from dogana.service.estate import (
    accepting,
    changes,
    charts,
    comparison,
    findings,
    history,
    matrix,
    occurrences,
    page,
    sightings,
    standing,
    where,
)
from dogana.service.estate.changes import EstateChanges
from dogana.service.estate.charts import Beside, Line, MonitorName
from dogana.service.estate.comparison import Comparison
from dogana.service.estate.findings import AcceptedView, Followed
from dogana.service.estate.history import History
from dogana.service.estate.matrix import Estate
from dogana.service.estate.occurrences import Occurrence, Suspect
from dogana.service.estate.sightings import SightingView
from dogana.service.estate.standing import CommitsBehind, Fares
from dogana.service.estate.where import Whereabouts
from dogana.web.access import Decider, Deployer, Reader, UsesBackend
from dogana.web.routing import DECIDED, MISSING, Body, Id, OpenMetrics, Text, VersionText, Word, router_of

router = router_of("estate")
MonitorText = Annotated[str, StringConstraints(min_length=1, max_length=60, pattern=r"^[^\x00]*$")]
FindingText = Annotated[str, StringConstraints(max_length=500, pattern=r"^[^\x00]*$")]
At = Annotated[Instant, Query()]
Skip = Annotated[int, Query(ge=0, le=100_000)]
Words = Annotated[str, StringConstraints(max_length=100, pattern=r"^[^\x00]*$")]


class Running(Body):
    """What a deployer sees running."""

    service: Slug
    environment: EnvironmentId
    version: VersionText
    artifacts: tuple[Artifact, ...] = Field(default=(), max_length=100)
    """What it is made of; compared by name and digest where it is told."""


class NewAcceptance(Body):
    """A finding that is to be accepted."""

    service: Slug
    name: FindingText
    file: FindingText = ""
    """Where it is, without the line, as the list of findings has it."""
    until: Instant
    reason: Text


@router.get("/estate")
async def read_estate(
    actor: Reader,
    backend: UsesBackend,
    at: At | None = None,
    service: Annotated[Slug | None, Query()] = None,
    group: Annotated[Slug | None, Query()] = None,
    environment: Annotated[EnvironmentId | None, Query()] = None,
    words: Annotated[Words | None, Query()] = None,
    skip: Skip = 0,
) -> Estate:
    """What runs where, or ran there `at` an instant; sixty services at a time, after the first `skip`."""
    return await matrix.matrix(
        backend,
        actor,
        at=at,
        services=[service] if service else None,
        group=group,
        environment=environment,
        words=words,
        skip=skip,
    )


@router.get("/estate/changes")
async def compare_estates(
    since: At,
    actor: Reader,
    backend: UsesBackend,
    until: At | None = None,
) -> EstateChanges:
    """What runs otherwise than it did, and what landed or was taken back between; until now if left out."""
    return await changes.changes(backend, actor, since, until)


@router.get("/estate/fares")
async def read_fares(actor: Reader, backend: UsesBackend) -> list[Fares]:
    """How every environment fares now that has monitors; metrics sources are asked."""
    return await standing.fares(backend, actor)


@router.get("/estate/commits-behind")
async def read_commits_behind(
    service: Annotated[list[Slug], Query(min_length=1, max_length=60)], actor: Reader, backend: UsesBackend
) -> list[CommitsBehind]:
    """How many commits some services are behind, wherever they run; repositories are asked."""
    return await standing.commits_behind(backend, actor, service)


@router.get("/estate/history", responses=MISSING)
async def read_history(
    actor: Reader,
    backend: UsesBackend,
    service: Annotated[Slug | None, Query()] = None,
    environment: Annotated[EnvironmentId | None, Query()] = None,
    before: Annotated[int | None, Query(ge=1, lt=2**63)] = None,
    limit: Annotated[int, Query(ge=1, le=100)] = 50,
) -> History:
    """What landed of a service, in an environment, or both; `before` is the `next` of the page before."""
    return await history.read_history(
        backend, actor, service=service, environment=environment, before=before, limit=limit
    )


@router.get("/estate/occurrences", responses=MISSING)
async def read_occurrences(
    environment: EnvironmentId,
    start: At,
    end: At,
    actor: Reader,
    backend: UsesBackend,
    service: Annotated[Slug | None, Query()] = None,
) -> list[Occurrence]:
    """What happened around an environment in a stretch of time, at most 400 days before its end."""
    return await occurrences.occurrences(
        backend, actor, environment=environment, service=service, start=start, end=end
    )


@router.get("/estate/suspects", responses=MISSING)
async def read_suspects(
    environment: EnvironmentId,
    start: At,
    end: At,
    actor: Reader,
    backend: UsesBackend,
    service: Annotated[Slug | None, Query()] = None,
) -> list[Suspect]:
    """What changed in a stretch of time or just before it, the nearest to its beginning first."""
    return await occurrences.suspects(
        backend, actor, environment=environment, service=service, start=start, end=end
    )


@router.get("/estate/comparison", responses=MISSING)
async def compare_releases(
    service: Slug,
    before: VersionText,
    after: VersionText,
    actor: Reader,
    backend: UsesBackend,
    environment: Annotated[EnvironmentId | None, Query()] = None,
) -> Comparison:
    """What lies between two releases of a service, as its repository, tracker and evidence tell it."""
    return await comparison.compare(
        backend, actor, service=service, before=before, after=after, environment=environment
    )


@router.get("/estate/monitors", responses=MISSING)
async def list_monitors(environment: EnvironmentId, actor: Reader, backend: UsesBackend) -> list[MonitorName]:
    """What can be drawn of an environment: the monitors of its policy, then those of others."""
    return await charts.monitors(backend, actor, environment)


@router.get("/estate/lines", responses=MISSING)
async def read_lines(
    environment: EnvironmentId,
    start: At,
    end: At,
    actor: Reader,
    backend: UsesBackend,
    monitor: Annotated[list[MonitorText] | None, Query(max_length=20)] = None,
    points: Annotated[int, Query(ge=10, le=2000)] = 600,
) -> list[Line]:
    """What monitors showed in a stretch of time; those of the environment's policy where none is named."""
    return await charts.lines(
        backend,
        actor,
        environment=environment,
        names=monitor or [],
        start=start,
        end=end,
        points=points,
    )


@router.get("/estate/beside/{number}", responses=MISSING)
async def read_beside(number: Id, actor: Reader, backend: UsesBackend) -> list[Beside]:
    """The monitors before and after a promotion landed, each with the interval of the difference."""
    return await charts.beside(backend, actor, number)


@router.post("/estate/running", responses=DECIDED)
async def report_running(told: Running, actor: Deployer, backend: UsesBackend) -> SightingView:
    """Say what really runs somewhere, where it is not read there; what is not what landed is drift."""
    return await sightings.report(
        backend,
        actor,
        service=told.service,
        environment=told.environment,
        version=told.version,
        artifacts=told.artifacts,
    )


@router.get("/estate/findings", responses=MISSING)
async def follow_findings(
    actor: Reader,
    backend: UsesBackend,
    service: Annotated[Slug | None, Query()] = None,
    environment: Annotated[EnvironmentId | None, Query()] = None,
) -> Followed:
    """What scans found in what runs now, the gravest first, and what was not scanned."""
    return await findings.followed(backend, actor, service=service, environment=environment)


@router.post("/estate/findings/accepted", responses=DECIDED)
async def accept_finding(new: NewAcceptance, actor: Decider, backend: UsesBackend) -> AcceptedView:
    """Accept a finding until a date; one that is high, critical or unrated waits for a second person."""
    key = FindingKey(new.service, new.name, new.file)
    return await accepting.accept(backend, actor, key, until=new.until, reason=new.reason)


@router.post("/estate/findings/accepted/{number}/grant", responses=DECIDED)
async def grant_acceptance(number: Id, actor: Decider, backend: UsesBackend) -> AcceptedView:
    """Agree to accept a finding, as the second person."""
    return await accepting.grant(backend, actor, number)


@router.post("/estate/findings/accepted/{number}/end", status_code=HTTPStatus.NO_CONTENT, responses=MISSING)
async def end_acceptance(number: Id, word: Word, actor: Decider, backend: UsesBackend) -> None:
    """Accept a finding no longer."""
    await accepting.end(backend, actor, number, reason=word.comment)


@router.get("/estate/where")
async def find_where(
    what: Annotated[str, Query(min_length=1, max_length=200, pattern=r"^[^\x00]*$")],
    actor: Reader,
    backend: UsesBackend,
) -> Whereabouts:
    """Where a ticket, commit, component (`name < version`), artifact's digest or release is."""
    return await where.where(backend, actor, what)


@router.get("/estate/metrics", response_class=OpenMetrics)
async def estate_page(actor: Reader, backend: UsesBackend) -> OpenMetrics:
    """The estate in the OpenMetrics text format."""
    return OpenMetrics(await page.page(backend, actor))
