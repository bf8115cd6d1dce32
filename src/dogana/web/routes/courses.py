"""What goes in step by step: orders asked for, shares reported, and what people say to it."""

from typing import Annotated

from fastapi import Query
from pydantic import Field

from dogana.core.rollout import ALL
from dogana.service.courses import steering
from dogana.service.courses.steering import Orders
from dogana.service.courses.view import CourseView, course_view
from dogana.web.access import Decider, Deployer, Reader, UsesBackend
from dogana.web.idempotency import REPEATABLE
from dogana.web.routing import DECIDED, MISSING, Body, Id, Word, router_of

router = router_of("courses")
_LONGEST_POLL = 30.0


class ShareReport(Body):
    """What share of the requests the newcomer gets."""

    share: Annotated[int, Field(ge=0, le=ALL)]
    """Percent."""


@router.get("/promotions/{number}/course", responses=MISSING)
async def get_course(number: Id, actor: Reader, backend: UsesBackend) -> CourseView | None:
    """How it goes in, step by step; null where it goes in all at once."""
    return await course_view(backend, actor, number)


@router.get("/promotions/{number}/orders", responses=MISSING)
async def get_orders(
    number: Id,
    actor: Reader,
    backend: UsesBackend,
    after: Annotated[int, Query(ge=0, le=2**31 - 1)] = 0,
    wait: Annotated[float, Query(ge=0, le=_LONGEST_POLL)] = 0.0,
) -> Orders:
    """The orders after one; with `wait`, the next is waited for that many seconds."""
    return await steering.orders(backend, actor, number, after=after, patience=wait)


@router.post("/promotions/{number}/shares", responses=DECIDED, dependencies=REPEATABLE)
async def report_share(
    number: Id, report: ShareReport, actor: Deployer, backend: UsesBackend
) -> CourseView | None:
    """Report what share it gets now; one that was not ordered is refused, and on record."""
    await steering.report_share(backend, actor, number, report.share)
    return await course_view(backend, actor, number)


@router.post("/promotions/{number}/halt", responses=DECIDED)
async def halt(number: Id, word: Word, actor: Decider, backend: UsesBackend) -> CourseView | None:
    """Let it stand still until somebody lets it go on or orders it back."""
    await steering.halt(backend, actor, number, reason=word.comment)
    return await course_view(backend, actor, number)


@router.post("/promotions/{number}/go-on", responses=DECIDED)
async def go_on(number: Id, word: Word, actor: Decider, backend: UsesBackend) -> CourseView | None:
    """Let it go on: from where it was halted, or now though not all is known; never past a breach."""
    await steering.go_on(backend, actor, number, reason=word.comment)
    return await course_view(backend, actor, number)
