"""The estate: what runs where, and what became of it."""

from typing import Annotated

from fastapi import Query
from pydantic import StringConstraints

from dogana.core.document import EnvironmentId, Instant, Slug
from dogana.service.estate import changes, matrix
from dogana.service.estate.changes import EstateChanges
from dogana.service.estate.matrix import Estate
from dogana.web.access import Reader, UsesBackend
from dogana.web.routing import router_of

router = router_of("estate")
Skip = Annotated[int, Query(ge=0, le=100_000)]
Words = Annotated[str, StringConstraints(max_length=100, pattern=r"^[^\x00]*$")]


@router.get("/estate")
async def read_estate(
    actor: Reader,
    backend: UsesBackend,
    at: Annotated[Instant | None, Query()] = None,
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
        service=service,
        group=group,
        environment=environment,
        words=words,
        skip=skip,
    )


@router.get("/estate/changes")
async def compare_estates(
    since: Annotated[Instant, Query()],
    actor: Reader,
    backend: UsesBackend,
    until: Annotated[Instant | None, Query()] = None,
) -> EstateChanges:
    """What runs otherwise than it did, and what landed or was taken back between; until now if left out."""
    return await changes.changes(backend, actor, since, until)
