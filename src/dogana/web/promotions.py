"""Taking in, reading and deciding on promotions; what deployers report."""

from http import HTTPStatus
from typing import Annotated

from fastapi import APIRouter, Query
from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from dogana.core.decisions import Shown
from dogana.core.document import EnvironmentId, Instant, Slug
from dogana.core.facts import Artifact, Kind, Reading
from dogana.core.patch import CommitPatch
from dogana.core.rollout import Plan
from dogana.service.delivery import acceptance, course
from dogana.service.promotions import comments, decisions, failures, intake, replacing, rescheduling, urgency
from dogana.service.promotions.failures import TroubleView
from dogana.service.views import changes, desk, dossier, timeline
from dogana.service.views.changes import ChangePage
from dogana.service.views.desk import Departure, Desk, PromotionPage, RouteLine
from dogana.service.views.dossier import Dossier
from dogana.service.views.rows import Row
from dogana.service.views.timeline import Timeline
from dogana.store.tables.promotions import State
from dogana.web.access import Commenter, Decider, Deployer, Reader, Requester, RequesterOrDecider, UsesBackend
from dogana.web.problems import documented
from dogana.web.repeat import REPEATABLE, RepeatableRoute

_READ = documented(HTTPStatus.UNAUTHORIZED, HTTPStatus.FORBIDDEN, HTTPStatus.UNPROCESSABLE_ENTITY)
_DECIDE = _READ | documented(HTTPStatus.NOT_FOUND, HTTPStatus.CONFLICT)

router = APIRouter(prefix="/api", tags=["promotions"], responses=_READ, route_class=RepeatableRoute)

Number = Annotated[int, Field(ge=1, lt=2**63)]
Text = Annotated[str, StringConstraints(max_length=2000, pattern=r"^[^\x00]*$")]
Revision = Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{40,64}$")]
VersionText = Annotated[str, StringConstraints(pattern=r"^[0-9A-Za-z][0-9A-Za-z._+-]{0,99}$")]
_Name = Annotated[EnvironmentId | None, Query()]


class Body(BaseModel):
    """A request body; keys it does not know are refused."""

    model_config = ConfigDict(extra="forbid")


class NewPromotion(Body):
    """A release that asks to enter an environment."""

    service: Slug
    version: VersionText
    to: EnvironmentId
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
    route: Slug | None = None
    """The route it takes; the service's standard one when left out."""

    model_config = Body.model_config | {
        "json_schema_extra": {
            "examples": [
                {
                    "service": "taps-portal",
                    "version": "12.4.0",
                    "to": "bench",
                    "revision": "v12.4.0",
                    "artifacts": [
                        {"name": "portal.tar.gz", "digest": "sha256:" + "0" * 64, "size": 18_204_113}
                    ],
                    "note": "Refs TAPS-204",
                },
                {"service": "taps-portal", "version": "12.4.0", "to": "rehearsal"},
            ]
        }
    }

    def asking(self) -> intake.Request:
        """As the use case takes it."""
        return intake.Request(
            service=self.service,
            version=self.version,
            to=self.to,
            repository=self.repository,
            revision=self.revision,
            artifacts=tuple(self.artifacts),
            note=self.note,
            kind=self.kind,
            plan=self.plan,
            route=self.route,
        )


class NewBundle(Body):
    """Releases of several services that cross together or not at all."""

    title: Annotated[str, StringConstraints(min_length=1, max_length=80, pattern=r"^[^\x00]*$")]
    promotions: Annotated[list[NewPromotion], Field(min_length=2, max_length=30)]


class Approval(Body):
    """A word on what one was shown."""

    shown: Shown
    """As the dossier gave it."""
    comment: Text = ""


class Word(Body):
    """A word that needs nothing but, perhaps, a reason."""

    comment: Text = ""


class Start(Body):
    """When something is to go at the earliest."""

    to: Instant | None = None
    """None for as soon as it can."""
    comment: Text = ""


class Exchange(Body):
    """Another release in the place of one that waits."""

    version: VersionText
    comment: Text


class LandingReport(Body):
    """What landed."""

    artifacts: Annotated[list[Artifact], Field(max_length=200)] = []
    """What runs there now, if the deployer read it back."""
    note: Text = ""


@router.get("/desk")
async def read_desk(actor: Reader, backend: UsesBackend) -> Desk:
    """All that is under way, and what ended within the last hour."""
    return await desk.desk(backend, actor)


@router.get("/routes")
async def routes(actor: Reader, backend: UsesBackend) -> list[RouteLine]:
    """The routes with their stations."""
    return await desk.route_lines(backend, actor)


@router.get("/troubles")
async def troubles_(actor: Reader, backend: UsesBackend) -> list[TroubleView]:
    """On which promotions work failed, why, and when it is tried again."""
    return await failures.troubles(backend, actor)


@router.get("/timeline")
async def the_timeline(
    actor: Reader,
    backend: UsesBackend,
    start: Annotated[Instant, Query()],
    days: Annotated[int, Query(ge=1, le=62)] = 14,
) -> Timeline:
    """Every environment along time: closed times, set times, projected starts, landings."""
    return await timeline.timeline(backend, actor, start, days)


@router.get("/promotions")
async def page(
    actor: Reader,
    backend: UsesBackend,
    service: _Name = None,
    environment: _Name = None,
    state: Annotated[State | None, Query()] = None,
    after: Annotated[int | None, Query(ge=1, lt=2**63)] = None,
    limit: Annotated[int, Query(ge=1, le=100)] = 50,
) -> PromotionPage:
    """Promotions, the latest asked for first; `after` is the `next` of the page before."""
    return await desk.page(
        backend, actor, service=service, environment=environment, state=state, after=after, limit=limit
    )


@router.post(
    "/promotions",
    status_code=HTTPStatus.CREATED,
    responses=documented(HTTPStatus.CONFLICT),
    dependencies=REPEATABLE,
)
async def request(new: NewPromotion, actor: Requester, backend: UsesBackend) -> Row:
    """Ask for a promotion; it is inspected within the second."""
    row = await intake.request(backend, actor, new.asking())
    return desk.taken_in(backend, actor, row)


@router.post(
    "/bundles",
    status_code=HTTPStatus.CREATED,
    responses=documented(HTTPStatus.CONFLICT),
    dependencies=REPEATABLE,
)
async def request_bundle(new: NewBundle, actor: Requester, backend: UsesBackend) -> list[Row]:
    """Ask for several promotions that cross together or not at all; all of them are taken in, or none."""
    askings = [one.asking() for one in new.promotions]
    rows = await intake.request_bundle(backend, actor, askings, new.title)
    return [desk.taken_in(backend, actor, row) for row in rows]


@router.get("/promotions/{number}", responses=documented(HTTPStatus.NOT_FOUND))
async def read_promotion(number: Number, actor: Reader, backend: UsesBackend) -> Row:
    """One promotion's row."""
    return await desk.promotion(backend, actor, number)


@router.get("/promotions/{number}/dossier", responses=documented(HTTPStatus.NOT_FOUND))
async def read_dossier(number: Number, actor: Reader, backend: UsesBackend) -> Dossier:
    """One promotion's whole file."""
    return await dossier.dossier(backend, actor, number)


@router.post("/promotions/{number}/approve", responses=_DECIDE)
async def approve(number: Number, word: Approval, actor: Decider, backend: UsesBackend) -> Row:
    """Take a seat."""
    await decisions.approve(backend, actor, number, shown=word.shown, comment=word.comment)
    return await desk.promotion(backend, actor, number)


@router.post("/promotions/{number}/turn-back", responses=_DECIDE)
async def turn_back(number: Number, word: Approval, actor: Decider, backend: UsesBackend) -> Row:
    """Say no from a seat, with a reason."""
    await decisions.turn_back(backend, actor, number, shown=word.shown, comment=word.comment)
    return await desk.promotion(backend, actor, number)


@router.post("/promotions/{number}/retract", responses=_DECIDE)
async def retract(number: Number, word: Word, actor: Decider, backend: UsesBackend) -> Row:
    """Take one's approval back."""
    await decisions.retract(backend, actor, number, comment=word.comment)
    return await desk.promotion(backend, actor, number)


@router.post("/promotions/{number}/withdraw", responses=_DECIDE)
async def withdraw(number: Number, word: Word, actor: RequesterOrDecider, backend: UsesBackend) -> Row:
    """Take the request back."""
    await decisions.withdraw(backend, actor, number, comment=word.comment)
    return await desk.promotion(backend, actor, number)


@router.post("/promotions/{number}/reschedule", responses=_DECIDE)
async def reschedule(number: Number, start: Start, actor: RequesterOrDecider, backend: UsesBackend) -> Row:
    """Put it off until an instant, or let it go as soon as it can again."""
    await rescheduling.reschedule(backend, actor, number, to=start.to, comment=start.comment)
    return await desk.promotion(backend, actor, number)


@router.post("/promotions/{number}/urgent", responses=_DECIDE)
async def urgent(number: Number, word: Word, actor: Decider, backend: UsesBackend) -> Row:
    """Declare it urgent, by whom the policy names, with a reason."""
    await urgency.declare_urgent(backend, actor, number, reason=word.comment)
    return await desk.promotion(backend, actor, number)


@router.post("/promotions/{number}/exchange", responses=_DECIDE)
async def exchange(number: Number, other: Exchange, actor: Requester, backend: UsesBackend) -> Row:
    """Put another release of the service in its place; approvals lapse."""
    await replacing.exchange(backend, actor, number, version=other.version, reason=other.comment)
    return await desk.promotion(backend, actor, number)


@router.post("/promotions/{number}/cancel", responses=_DECIDE)
async def cancel(number: Number, word: Word, actor: Decider, backend: UsesBackend) -> Row:
    """Order what moves back; its clearance is revoked for good."""
    await course.cancel(backend, actor, number, reason=word.comment)
    return await desk.promotion(backend, actor, number)


@router.post("/promotions/{number}/accept", responses=_DECIDE)
async def accept(number: Number, word: Word, actor: Decider, backend: UsesBackend) -> Row:
    """Ask to accept what landed otherwise than it was cleared or, as a second person, accept it."""
    await acceptance.accept(backend, actor, number, reason=word.comment)
    return await desk.promotion(backend, actor, number)


@router.get("/promotions/{number}/commits/{revision}", responses=documented(HTTPStatus.NOT_FOUND))
async def commit(
    number: Number, revision: Revision, actor: Reader, backend: UsesBackend
) -> Reading[CommitPatch]:
    """One commit that it brings, read in its repository now."""
    return await changes.patch(backend, actor, number, revision)


@router.get("/promotions/{number}/change", responses=documented(HTTPStatus.NOT_FOUND))
async def change(
    number: Number,
    actor: Reader,
    backend: UsesBackend,
    commits_from: Annotated[int, Query(ge=0, le=10**6)] = 0,
    files_from: Annotated[int, Query(ge=0, le=10**6)] = 0,
) -> ChangePage:
    """Some more of the commits and files of a large change."""
    return await changes.change_page(backend, actor, number, commits_from=commits_from, files_from=files_from)


@router.post(
    "/promotions/{number}/comments",
    status_code=HTTPStatus.NO_CONTENT,
    responses=documented(HTTPStatus.NOT_FOUND),
)
async def comment(number: Number, word: Word, actor: Commenter, backend: UsesBackend) -> None:
    """Write something about it; `@` and a name asks somebody."""
    await comments.comment(backend, actor, number, word.comment)


@router.post("/promotions/{number}/depart", responses=_DECIDE | documented(HTTPStatus.SERVICE_UNAVAILABLE))
async def depart(number: Number, actor: Deployer, backend: UsesBackend) -> Departure:
    """Let a cleared promotion go, inspected once more, or take over one that went; gives its clearance."""
    clearance = await course.depart(backend, actor, number)
    return Departure(promotion=await desk.promotion(backend, actor, number), clearance=clearance)


@router.post("/promotions/{number}/prepared", responses=_DECIDE, dependencies=REPEATABLE)
async def prepared(number: Number, word: Word, actor: Deployer, backend: UsesBackend) -> Row:
    """Report that everything is ready for a quick departure."""
    await course.prepared(backend, actor, number, note=word.comment)
    return await desk.promotion(backend, actor, number)


@router.post("/promotions/{number}/land", responses=_DECIDE, dependencies=REPEATABLE)
async def land(number: Number, report: LandingReport, actor: Deployer, backend: UsesBackend) -> Row:
    """Report what landed; other bytes than were cleared halt it."""
    await course.land(backend, actor, number, artifacts=tuple(report.artifacts), note=report.note)
    return await desk.promotion(backend, actor, number)


@router.post("/promotions/{number}/roll-back", responses=_DECIDE, dependencies=REPEATABLE)
async def roll_back(number: Number, word: Word, actor: Deployer, backend: UsesBackend) -> Row:
    """Report that it failed and was taken back."""
    await course.roll_back(backend, actor, number, note=word.comment)
    return await desk.promotion(backend, actor, number)
