"""What comes after a landing: who confirms it, and what goes wrong there."""

from datetime import datetime
from typing import Annotated, Any, Literal, Self

from fastapi import Query
from pydantic import BaseModel, Field, StringConstraints, TypeAdapter, ValidationError, model_validator

from dogana.core.document import EnvironmentId, Instant, Slug, with_examples
from dogana.service.landed import alerts, going_back, incidents, sign_offs
from dogana.service.landed.alerts import Alert, Labels, Notice
from dogana.service.landed.going_back import GoingBack, LandingView
from dogana.service.landed.incidents import IncidentView
from dogana.service.landed.sign_offs import SignOffView
from dogana.service.shapes import View
from dogana.web.access import Commenter, Decider, Deployer, Reader, UsesBackend
from dogana.web.idempotency import REPEATABLE
from dogana.web.routing import DECIDED, MISSING, Body, Id, Text, VersionText, Word, router_of

router = router_of("landed")
_MOST_ALERTS, _LONGEST_NAME = 1000, 200
_INSTANT: TypeAdapter[datetime] = TypeAdapter(Instant)
LabelName = Annotated[str, StringConstraints(pattern=r"^[a-zA-Z_][a-zA-Z0-9_]{0,99}$")]


class Issues(Body):
    """What is wrong with what has landed."""

    comment: Text
    ticket: Annotated[str, StringConstraints(max_length=100, pattern=r"^[^\x00]*$")] | None = None


class NewIncident(Body):
    """Something that goes wrong."""

    model_config = with_examples(
        {"service": "taps-portal", "environment": "live-north", "reason": "Bills show twice."}
    )

    service: Slug
    environment: EnvironmentId
    reason: Text
    """What goes wrong, in words."""


class ToldAlert(BaseModel):
    """One alert; what else it says is not looked at."""

    status: Literal["firing", "resolved"]
    labels: dict[str, str]
    annotations: dict[str, str] = {}
    startsAt: Instant  # noqa: N815 - as the alert manager writes it
    endsAt: datetime | None = None  # noqa: N815
    """Of one that is firing it means nothing: the year 1, or when it would be forgotten."""
    fingerprint: Annotated[str, StringConstraints(min_length=1, max_length=100)]

    @model_validator(mode="after")
    def _says_when_it_ended(self) -> Self:
        if self.status == "resolved":
            _INSTANT.validate_python(self.endsAt)
        return self


class ToldAlerts(BaseModel):
    """What an alert manager posts to a webhook, version 4; what else it says is not looked at."""

    version: Literal["4"]
    receiver: str
    groupKey: str = ""  # noqa: N815
    truncatedAlerts: Annotated[int, Field(ge=0)] = 0  # noqa: N815
    commonLabels: dict[str, str] = {}  # noqa: N815
    alerts: list[dict[str, Any]]
    """Each a `ToldAlert`, and looked at by itself: one that is none stops no other."""


class TakenAlerts(View):
    """How many alerts were taken."""

    taken: int


@router.get("/promotions/{number}/sign-off", responses=MISSING)
async def get_sign_off(number: Id, actor: Reader, backend: UsesBackend) -> SignOffView | None:
    """Who confirms it once it has landed, and what they said; null where nobody is asked."""
    return await sign_offs.sign_off(backend, actor, number)


@router.post("/promotions/{number}/confirm", responses=DECIDED)
async def confirm(number: Id, word: Word, actor: Decider, backend: UsesBackend) -> SignOffView:
    """Confirm that what has landed is well."""
    return await sign_offs.confirm(backend, actor, number, comment=word.comment)


@router.post("/promotions/{number}/issues", responses=DECIDED)
async def close_with_issues(number: Id, issues: Issues, actor: Decider, backend: UsesBackend) -> SignOffView:
    """Say what is wrong with what has landed; its soak ends."""
    return await sign_offs.close_with_issues(
        backend, actor, number, issues=issues.comment, ticket=issues.ticket
    )


@router.get("/landings", responses=MISSING)
async def list_landings(
    service: Slug, environment: EnvironmentId, actor: Reader, backend: UsesBackend
) -> list[LandingView]:
    """What has landed of a service in an environment, the latest first, and what is known against it."""
    return await going_back.landings(backend, actor, service, environment)


@router.get("/landings/going-back", responses=DECIDED)
async def see_going_back(
    service: Slug, environment: EnvironmentId, version: VersionText, actor: Reader, backend: UsesBackend
) -> GoingBack:
    """What going back to a version takes away and brings back, before one asks for it."""
    return await going_back.going_back(backend, actor, service, environment, version)


@router.get("/incidents")
async def list_incidents(
    actor: Reader,
    backend: UsesBackend,
    *,
    closed: bool = False,
    after: Annotated[int | None, Query(ge=1, lt=2**63)] = None,
    service: Annotated[Slug | None, Query()] = None,
    environment: Annotated[EnvironmentId | None, Query()] = None,
) -> list[IncidentView]:
    """What nobody has closed yet, the latest first; with `closed` all of it.

    Two hundred at a time: those told before the one numbered `after` come next.
    """
    return await incidents.latest(
        backend, actor, closed=closed, before=after, service=service, environment=environment
    )


@router.get("/incidents/{incident}", responses=MISSING)
async def get_incident(incident: Id, actor: Reader, backend: UsesBackend) -> IncidentView:
    """One of them, with everything that was written to it."""
    return await incidents.incident(backend, actor, incident)


@router.post("/incidents", dependencies=REPEATABLE)
async def open_incident(new: NewIncident, actor: Commenter, backend: UsesBackend) -> IncidentView:
    """Say that something goes wrong: it restarts the soak, and stops what goes in there as its plan says."""
    return await incidents.open_by_hand(
        backend, actor, service=new.service, environment=new.environment, what=new.reason
    )


@router.post("/incidents/{incident}/acknowledge", responses=DECIDED)
async def acknowledge(incident: Id, actor: Commenter, backend: UsesBackend) -> IncidentView:
    """Say that one is at it."""
    return await incidents.acknowledge(backend, actor, incident)


@router.post("/incidents/{incident}/notes", responses=DECIDED)
async def add_note(incident: Id, word: Word, actor: Commenter, backend: UsesBackend) -> IncidentView:
    """Write something to it."""
    return await incidents.add_note(backend, actor, incident, text=word.comment)


@router.post("/incidents/{incident}/close", responses=DECIDED)
async def close_incident(incident: Id, word: Word, actor: Decider, backend: UsesBackend) -> IncidentView:
    """Say how it ended."""
    return await incidents.close(backend, actor, incident, reason=word.comment)


@router.post("/alerts")
async def take_alerts(
    told: ToldAlerts,
    actor: Deployer,
    backend: UsesBackend,
    service_label: Annotated[LabelName, Query()] = "service",
    environment_label: Annotated[LabelName, Query()] = "environment",
) -> TakenAlerts:
    """Take in what an alert manager posts to a webhook: each alert is an incident."""
    notice = Notice(
        receiver=told.receiver[:_LONGEST_NAME],
        group=told.groupKey[:_LONGEST_NAME],
        cut_off=told.truncatedAlerts + max(len(told.alerts) - _MOST_ALERTS, 0),
        common=told.commonLabels,
        alerts=tuple(map(_alert, told.alerts[:_MOST_ALERTS])),
    )
    labels = Labels(service=service_label, environment=environment_label)
    return TakenAlerts(taken=await alerts.take_alerts(backend, actor, notice, labels))


def _alert(told: dict[str, Any]) -> Alert | str:
    """One alert, or why it is none."""
    try:
        read = ToldAlert.model_validate(told)
    except ValidationError as exc:
        first = exc.errors()[0]
        return f"An alert cannot be read: {'/'.join(map(str, first['loc']))} {first['msg']}."
    return Alert(
        status=read.status,
        labels=read.labels,
        annotations=read.annotations,
        starts_at=read.startsAt,
        ends_at=read.endsAt,
        fingerprint=read.fingerprint,
    )
