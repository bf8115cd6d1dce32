"""Asking for promotions, and what people decide on them."""

from http import HTTPStatus
from typing import Annotated, Any

from pydantic import BeforeValidator, Field, StringConstraints

from dogana.core.decisions import Shown
from dogana.core.document import EnvironmentId, Instant, Slug
from dogana.core.facts import Artifact, PromotionKind
from dogana.core.policy.text import plain_of
from dogana.core.rollout import Plan
from dogana.service.promotions import (
    checks,
    comments,
    decisions,
    failures,
    intake,
    replacing,
    rescheduling,
    urgency,
    waivers,
)
from dogana.service.promotions.failures import TroubleView
from dogana.service.views import desk
from dogana.service.views.rows import Row
from dogana.web.access import Commenter, Decider, Reader, Requester, RequesterOrDecider, UsesBackend
from dogana.web.idempotency import REPEATABLE
from dogana.web.routing import CONFLICT, DECIDED, MISSING, Body, Id, Text, VersionText, Word, router_of

router = router_of("promotions")
_LONGEST_PLAN = 64 * 1024


def _read_plan(given: Any) -> Any:
    """A plan, or its steps, as YAML or JSON text; a pipeline's client sends what its author wrote."""
    if not isinstance(given, str):
        return given
    if len(given) > _LONGEST_PLAN:
        raise ValueError("a plan has at most 64 KiB")
    plain = plain_of(given)
    # An empty file is no plan; taken for none, all would go in at once.
    return plain if isinstance(plain, dict) else {"steps": plain}


WrittenPlan = BeforeValidator(_read_plan, json_schema_input_type=Plan | str | None)


class NewPromotion(Body):
    """A release that asks to enter an environment."""

    service: Slug
    version: VersionText
    to: EnvironmentId
    repository: Annotated[str, StringConstraints(max_length=200)] | None = None
    """The service's repository, as a check; not needed."""
    revision: Annotated[str, StringConstraints(max_length=200)] | None = None
    """Branch, tag or commit; needed for a version not on record."""
    artifacts: Annotated[list[Artifact], Field(max_length=200, default_factory=list)]
    """What was built; needed for a version not on record."""
    note: Text = ""
    """For the people who decide; ticket keys in it count."""
    kind: PromotionKind = "ordinary"
    """What it is for."""
    plan: Annotated[Plan | None, WrittenPlan] = None
    """By which shares it goes in, as an object or as YAML or JSON text; all at once when left out."""
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


class Start(Body):
    """When something is to go at the earliest."""

    to: Instant | None = None
    """None for as soon as it can."""
    comment: Text = ""


class Exchange(Body):
    """Another release in the place of one that waits."""

    version: VersionText
    comment: Text


@router.get("/troubles")
async def troubles_(actor: Reader, backend: UsesBackend) -> list[TroubleView]:
    """On which promotions work failed, why, and when it is tried again."""
    return await failures.troubles(backend, actor)


@router.post(
    "/promotions",
    status_code=HTTPStatus.CREATED,
    responses=CONFLICT,
    dependencies=REPEATABLE,
)
async def request(new: NewPromotion, actor: Requester, backend: UsesBackend) -> Row:
    """Ask for a promotion; it is inspected within the second."""
    row = await intake.request(backend, actor, new.asking())
    return desk.row_of(backend, actor, row)


@router.post(
    "/bundles",
    status_code=HTTPStatus.CREATED,
    responses=CONFLICT,
    dependencies=REPEATABLE,
)
async def request_bundle(new: NewBundle, actor: Requester, backend: UsesBackend) -> list[Row]:
    """Ask for several promotions that cross together or not at all; all of them are taken in, or none."""
    askings = [one.asking() for one in new.promotions]
    rows = await intake.request_bundle(backend, actor, askings, new.title)
    return [desk.row_of(backend, actor, row) for row in rows]


@router.post("/promotions/{number}/approve", responses=DECIDED)
async def approve(number: Id, word: Approval, actor: Decider, backend: UsesBackend) -> Row:
    """Take a seat."""
    await decisions.approve(backend, actor, number, shown=word.shown, comment=word.comment)
    return await desk.promotion(backend, actor, number)


@router.post("/promotions/{number}/turn-back", responses=DECIDED)
async def turn_back(number: Id, word: Approval, actor: Decider, backend: UsesBackend) -> Row:
    """Say no from a seat, with a reason."""
    await decisions.turn_back(backend, actor, number, shown=word.shown, comment=word.comment)
    return await desk.promotion(backend, actor, number)


@router.post("/promotions/{number}/retract", responses=DECIDED)
async def retract(number: Id, word: Word, actor: Decider, backend: UsesBackend) -> Row:
    """Take one's approval back."""
    await decisions.retract(backend, actor, number, comment=word.comment)
    return await desk.promotion(backend, actor, number)


@router.post("/promotions/{number}/withdraw", responses=DECIDED)
async def withdraw(number: Id, word: Word, actor: RequesterOrDecider, backend: UsesBackend) -> Row:
    """Take the request back."""
    await decisions.withdraw(backend, actor, number, comment=word.comment)
    return await desk.promotion(backend, actor, number)


@router.post("/promotions/{number}/reschedule", responses=DECIDED)
async def reschedule(number: Id, start: Start, actor: RequesterOrDecider, backend: UsesBackend) -> Row:
    """Put it off until an instant, or let it go as soon as it can again."""
    await rescheduling.reschedule(backend, actor, number, to=start.to, comment=start.comment)
    return await desk.promotion(backend, actor, number)


@router.post("/promotions/{number}/urgent", responses=DECIDED)
async def urgent(number: Id, word: Word, actor: Decider, backend: UsesBackend) -> Row:
    """Declare it urgent, by whom the policy names, with a reason."""
    await urgency.declare_urgent(backend, actor, number, reason=word.comment)
    return await desk.promotion(backend, actor, number)


@router.post("/promotions/{number}/exchange", responses=DECIDED)
async def exchange(number: Id, other: Exchange, actor: Requester, backend: UsesBackend) -> Row:
    """Put another release of the service in its place; approvals lapse."""
    await replacing.exchange(backend, actor, number, version=other.version, reason=other.comment)
    return await desk.promotion(backend, actor, number)


@router.post(
    "/promotions/{number}/comments",
    status_code=HTTPStatus.NO_CONTENT,
    responses=MISSING,
)
async def comment(number: Id, word: Word, actor: Commenter, backend: UsesBackend) -> None:
    """Write something about it; `@` and a name asks somebody."""
    await comments.comment(backend, actor, number, word.comment)


@router.post("/promotions/{number}/checks/{check}/ask", responses=DECIDED)
async def ask_again(number: Id, check: Slug, actor: Commenter, backend: UsesBackend) -> Row:
    """Have an outside check asked again about it."""
    await checks.ask_again(backend, actor, number, check)
    return await desk.promotion(backend, actor, number)


class NewWaiver(Body):
    """An exception: one rule, a reason, an end."""

    rule: Slug
    until: Instant
    reason: Text
    shown: Shown
    """As the dossier gave it."""


@router.post("/promotions/{number}/waivers", responses=DECIDED)
async def ask_waiver(number: Id, new: NewWaiver, actor: Decider, backend: UsesBackend) -> Row:
    """Ask for a waiver; a second person grants it."""
    await waivers.ask_waiver(
        backend, actor, number, new.rule, until=new.until, reason=new.reason, shown=new.shown
    )
    return await desk.promotion(backend, actor, number)


class Granting(Word):
    """A word on the waiver that one was shown."""

    asked_at: Instant
    """As the dossier gave it; whoever asked for another one since asked for something else."""


@router.post("/promotions/{number}/waivers/{rule}/grant", responses=DECIDED)
async def grant_waiver(number: Id, rule: Slug, word: Granting, actor: Decider, backend: UsesBackend) -> Row:
    """Grant a waiver that somebody else asked for."""
    await waivers.grant_waiver(backend, actor, number, rule, asked_at=word.asked_at, comment=word.comment)
    return await desk.promotion(backend, actor, number)


@router.post("/promotions/{number}/waivers/{rule}/revoke", responses=DECIDED)
async def revoke_waiver(number: Id, rule: Slug, word: Word, actor: Decider, backend: UsesBackend) -> Row:
    """End a waiver."""
    await waivers.revoke_waiver(backend, actor, number, rule, comment=word.comment)
    return await desk.promotion(backend, actor, number)
