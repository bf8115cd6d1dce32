"""What deployers report, and what people say of it."""

from typing import Annotated

from pydantic import Field

from dogana.core.document import Digest
from dogana.core.facts import Artifact
from dogana.service.delivery import acceptance, course, ending
from dogana.service.delivery.ending import EndedAs
from dogana.service.views import desk
from dogana.service.views.desk import Departure
from dogana.service.views.rows import Row
from dogana.web.access import Decider, Deployer, UsesBackend
from dogana.web.idempotency import REPEATABLE
from dogana.web.routing import DECIDED, UNSEALED, Body, Id, Text, Word, router_of

router = router_of("delivery")


class LandingReport(Body):
    """What landed."""

    artifacts: Annotated[list[Artifact], Field(max_length=200, default_factory=list)]
    """What runs there now, if the deployer read it back."""
    note: Text = ""


@router.post("/promotions/{number}/cancel", responses=DECIDED)
async def cancel(number: Id, word: Word, actor: Decider, backend: UsesBackend) -> Row:
    """Order what moves back; its clearance is revoked for good."""
    await course.cancel(backend, actor, number, reason=word.comment)
    return await desk.promotion(backend, actor, number)


class Ending(Body):
    """How what moved ended, and how one knows."""

    how: EndedAs
    comment: Text


@router.post("/promotions/{number}/end", responses=DECIDED)
async def end(number: Id, ending_: Ending, actor: Decider, backend: UsesBackend) -> Row:
    """End what moves in the place of a deployer that has been silent for a quarter of an hour."""
    await ending.end(backend, actor, number, how=ending_.how, reason=ending_.comment)
    return await desk.promotion(backend, actor, number)


class Acceptance(Word):
    """A word on what one saw had landed."""

    landed: Digest
    """As the dossier gave it; what was reported since is something else."""


@router.post("/promotions/{number}/accept", responses=DECIDED)
async def accept(number: Id, word: Acceptance, actor: Decider, backend: UsesBackend) -> Row:
    """Ask to accept what landed otherwise than it was cleared or, as a second person, accept it."""
    await acceptance.accept(backend, actor, number, landed=word.landed, reason=word.comment)
    return await desk.promotion(backend, actor, number)


@router.post("/promotions/{number}/depart", responses=DECIDED | UNSEALED)
async def depart(number: Id, actor: Deployer, backend: UsesBackend) -> Departure:
    """Let a cleared promotion go, inspected once more, or take over one that went; gives its clearance."""
    clearance = await course.depart(backend, actor, number)
    return Departure(promotion=await desk.promotion(backend, actor, number), clearance=clearance)


@router.post("/promotions/{number}/prepared", responses=DECIDED, dependencies=REPEATABLE)
async def prepared(number: Id, word: Word, actor: Deployer, backend: UsesBackend) -> Row:
    """Report that everything is ready for a quick departure."""
    await course.prepared(backend, actor, number, note=word.comment)
    return await desk.promotion(backend, actor, number)


@router.post("/promotions/{number}/land", responses=DECIDED, dependencies=REPEATABLE)
async def land(number: Id, report: LandingReport, actor: Deployer, backend: UsesBackend) -> Row:
    """Report what landed; other bytes than were cleared halt it."""
    await course.land(backend, actor, number, artifacts=tuple(report.artifacts), note=report.note)
    return await desk.promotion(backend, actor, number)


@router.post("/promotions/{number}/roll-back", responses=DECIDED, dependencies=REPEATABLE)
async def roll_back(number: Id, word: Word, actor: Deployer, backend: UsesBackend) -> Row:
    """Report that it failed and was taken back."""
    await course.roll_back(backend, actor, number, note=word.comment)
    return await desk.promotion(backend, actor, number)
