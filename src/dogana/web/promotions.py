"""Taking in, reading and deciding on promotions; what deployers report."""

from http import HTTPStatus
from typing import Annotated

from fastapi import APIRouter, Query
from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from dogana.core.decisions import Shown
from dogana.core.document import Slug
from dogana.core.facts import Artifact, Kind
from dogana.core.rollout import Plan
from dogana.service import course, decisions, intake, reading
from dogana.service.views import Desk, Dossier, RouteLine, Row
from dogana.web.access import UsesActor, UsesBackend
from dogana.web.problems import documented

_READ = documented(HTTPStatus.UNAUTHORIZED, HTTPStatus.FORBIDDEN, HTTPStatus.UNPROCESSABLE_ENTITY)
_DECIDE = _READ | documented(HTTPStatus.NOT_FOUND, HTTPStatus.CONFLICT)

router = APIRouter(prefix="/api", tags=["promotions"], responses=_READ)

Number = Annotated[int, Field(ge=1, lt=2**63)]
Text = Annotated[str, StringConstraints(max_length=2000)]


class Body(BaseModel):
    """A request body; keys it does not know are refused."""

    model_config = ConfigDict(extra="forbid")


class NewPromotion(Body):
    """A release that asks to enter an environment."""

    service: Slug
    version: Annotated[str, StringConstraints(pattern=r"^[0-9A-Za-z][0-9A-Za-z._+-]{0,99}$")]
    to: Slug
    repository: Annotated[str, StringConstraints(max_length=200)] | None = None
    """The service's repository, as a check; not needed."""
    revision: Annotated[str, StringConstraints(max_length=200)] | None = None
    """Branch, tag or commit; needed for a version not on record."""
    artifacts: Annotated[list[Artifact], Field(max_length=200)] = []
    """What was built; needed for a version not on record."""
    note: Text = ""
    """For the people who decide; ticket keys in it count."""
    kind: Kind = "ordinary"
    """What it is for."""
    plan: Plan | None = None
    """By which shares it goes in; all at once when left out."""


class Approval(Body):
    """A word on what one was shown."""

    shown: Shown
    """As the dossier gave it."""
    comment: Text = ""


class Word(Body):
    """A word that needs nothing but, perhaps, a reason."""

    comment: Text = ""


class LandingReport(Body):
    """What landed."""

    artifacts: Annotated[list[Artifact], Field(max_length=200)] = []
    """What runs there now, if the deployer read it back."""
    note: Text = ""


@router.get("/desk")
async def desk(actor: UsesActor, backend: UsesBackend) -> Desk:
    """All that is under way, and what ended within the last hour."""
    return await reading.desk(backend, actor)


@router.get("/routes")
async def routes(actor: UsesActor, backend: UsesBackend) -> list[RouteLine]:
    """The routes with their stations."""
    return await reading.route_lines(backend, actor)


@router.get("/promotions")
async def past(
    actor: UsesActor, backend: UsesBackend, limit: Annotated[int, Query(ge=1, le=200)] = 50
) -> Desk:
    """What has ended, the latest first."""
    return await reading.past(backend, actor, limit)


@router.post("/promotions", status_code=HTTPStatus.CREATED, responses=documented(HTTPStatus.CONFLICT))
async def request(new: NewPromotion, actor: UsesActor, backend: UsesBackend) -> Row:
    """Ask for a promotion."""
    asking = intake.Request(
        service=new.service,
        version=new.version,
        to=new.to,
        repository=new.repository,
        revision=new.revision,
        artifacts=tuple(new.artifacts),
        note=new.note,
        kind=new.kind,
        plan=new.plan,
    )
    row = await intake.request(backend, actor, asking)
    return await reading.promotion(backend, actor, row.number)


@router.get("/promotions/{number}", responses=documented(HTTPStatus.NOT_FOUND))
async def promotion(number: Number, actor: UsesActor, backend: UsesBackend) -> Row:
    """One promotion's row."""
    return await reading.promotion(backend, actor, number)


@router.get("/promotions/{number}/dossier", responses=documented(HTTPStatus.NOT_FOUND))
async def dossier(number: Number, actor: UsesActor, backend: UsesBackend) -> Dossier:
    """One promotion's whole file."""
    return await reading.dossier(backend, actor, number)


@router.post("/promotions/{number}/approve", responses=_DECIDE)
async def approve(number: Number, word: Approval, actor: UsesActor, backend: UsesBackend) -> Row:
    """Take a seat."""
    await decisions.approve(backend, actor, number, shown=word.shown, comment=word.comment)
    return await reading.promotion(backend, actor, number)


@router.post("/promotions/{number}/turn-back", responses=_DECIDE)
async def turn_back(number: Number, word: Approval, actor: UsesActor, backend: UsesBackend) -> Row:
    """Say no from a seat, with a reason."""
    await decisions.turn_back(backend, actor, number, shown=word.shown, comment=word.comment)
    return await reading.promotion(backend, actor, number)


@router.post("/promotions/{number}/retract", responses=_DECIDE)
async def retract(number: Number, word: Word, actor: UsesActor, backend: UsesBackend) -> Row:
    """Take one's approval back."""
    await decisions.retract(backend, actor, number, comment=word.comment)
    return await reading.promotion(backend, actor, number)


@router.post("/promotions/{number}/withdraw", responses=_DECIDE)
async def withdraw(number: Number, word: Word, actor: UsesActor, backend: UsesBackend) -> Row:
    """Take the request back."""
    await decisions.withdraw(backend, actor, number, comment=word.comment)
    return await reading.promotion(backend, actor, number)


@router.post("/promotions/{number}/depart", responses=_DECIDE)
async def depart(number: Number, actor: UsesActor, backend: UsesBackend) -> Row:
    """Let a cleared promotion go; it is inspected once more."""
    await course.depart(backend, actor, number)
    return await reading.promotion(backend, actor, number)


@router.post("/promotions/{number}/land", responses=_DECIDE)
async def land(number: Number, report: LandingReport, actor: UsesActor, backend: UsesBackend) -> Row:
    """Report that it landed."""
    await course.land(backend, actor, number, artifacts=tuple(report.artifacts), note=report.note)
    return await reading.promotion(backend, actor, number)


@router.post("/promotions/{number}/roll-back", responses=_DECIDE)
async def roll_back(number: Number, word: Word, actor: UsesActor, backend: UsesBackend) -> Row:
    """Report that it failed and was taken back."""
    await course.roll_back(backend, actor, number, note=word.comment)
    return await reading.promotion(backend, actor, number)
