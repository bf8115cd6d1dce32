"""Sources, calendars as iCalendar, events from and to other systems."""

from functools import lru_cache
from http import HTTPStatus
from typing import Annotated, Any

from fastapi import APIRouter, Query, Request, Response
from pydantic import Field, StringConstraints

from dogana.core.document import Slug, with_examples
from dogana.core.time.windows import Calendar, Zone
from dogana.service.calendars import files
from dogana.service.exchange import inbound, outbound
from dogana.service.exchange.inbound import ArrivalView, SenderView
from dogana.service.exchange.outbound import DeliveryView, SubscriberView
from dogana.service.people import tokens
from dogana.service.shapes import Asked, View
from dogana.service.sources import registry, trials
from dogana.service.sources.registry import SourceView
from dogana.service.sources.trials import Trial
from dogana.sources.calendars import LARGEST, Transparent
from dogana.sources.settings import SETTINGS, Address, Kind
from dogana.web.access import Administrator, PolicyWriter, Reader, Subscriber, UsesBackend
from dogana.web.bodies import bounded
from dogana.web.problems import documented
from dogana.web.promotions import Body, Number
from dogana.web.repeat import IfMatch, seen, tag
from dogana.web.strict import FileRoute, StrictRoute

_READ = documented(HTTPStatus.UNAUTHORIZED, HTTPStatus.FORBIDDEN, HTTPStatus.UNPROCESSABLE_ENTITY)
_FIND = documented(HTTPStatus.NOT_FOUND)
_LARGE = documented(HTTPStatus.REQUEST_ENTITY_TOO_LARGE)
_SEAL = documented(HTTPStatus.SERVICE_UNAVAILABLE)
_ICALENDAR: dict[int | str, dict[str, Any]] = {
    200: {"content": {"text/calendar": {}}, "description": "iCalendar"}
}

router = APIRouter(prefix="/api", tags=["outside"], responses=_READ, route_class=StrictRoute)
uploads = APIRouter(prefix="/api", tags=["outside"], responses=_READ, route_class=FileRoute)
Title = Annotated[str, StringConstraints(min_length=1, max_length=80, pattern=r"^[^\x00]*$")]
Secret = Annotated[str, StringConstraints(max_length=2000, pattern=r"^[\x20-\x7e]*$")]
Limit = Annotated[int, Query(ge=1, le=200)]


class SourceSetting(Body):
    """A source as it is to be."""

    model_config = with_examples(
        {
            "kind": "tickets",
            "title": "the ticket tracker",
            "settings": {
                "address": "https://tickets.example/rest/issue/{key}",
                "status": "/fields/status/name",
                "title": "/fields/summary",
            },
            "secret": "Bearer ...",
        }
    )

    kind: Kind
    title: Title
    settings: dict[str, Any]
    """Those of its kind; see `GET /api/source-kinds`."""
    secret: Secret | None = None
    """Sent whole in the header that the settings name; the one kept when left out, none when empty."""


class SourceTrial(Body):
    """A source to be tried before it is set up."""

    kind: Kind
    settings: dict[str, Any]
    secret: Secret | None = None
    source: Slug | None = None
    """Whose secret is used when none is given."""
    ask: Annotated[str, StringConstraints(max_length=500)] = ""
    """What to ask it: a ticket's key, a query, a repository's address."""


class NewSender(Body):
    """A system that sends events, and as whom."""

    title: Title
    person: Slug
    binary: bool = False
    """Take events in binary mode too, whose attributes stand in headers that the signature does not cover."""


class NewSubscriber(Body):
    """A system that is told of what happens."""

    model_config = with_examples(
        {"title": "Change board", "address": "https://board.example/events", "actions": ["clear", "land"]}
    )

    title: Title
    address: Address
    actions: Annotated[list[Title], Field(max_length=100, default_factory=list)]
    """The kinds of entry it is told of; all when empty."""


class MadeSender(View):
    """A sender, with the secret that signs its events, shown once."""

    sender: SenderView
    secret: str


class MadeSubscriber(View):
    """A subscriber, with the secret that signs what it is sent, shown once."""

    subscriber: SubscriberView
    secret: str


class ImportedCalendar(View):
    """A calendar as it was read from a file, and whether it waits for a second person."""

    calendar: Calendar
    asked: Asked


@router.get("/source-kinds")
async def kinds(_: Reader) -> dict[Kind, dict[str, Any]]:
    """The JSON Schema of each kind of source's settings."""
    return _schemas()


@lru_cache(maxsize=1)
def _schemas() -> dict[Kind, dict[str, Any]]:
    return {kind: model.model_json_schema() for kind, model in SETTINGS.items()}


@router.get("/sources")
async def list_sources(actor: Reader, backend: UsesBackend) -> list[SourceView]:
    """Every source with its state."""
    return await registry.all_sources(backend, actor)


@router.put("/sources/{name}", responses=_SEAL | documented(HTTPStatus.PRECONDITION_FAILED))
async def keep_source(
    name: Slug,
    wanted: SourceSetting,
    response: Response,
    actor: Administrator,
    backend: UsesBackend,
    if_match: IfMatch = None,
) -> SourceView:
    """Set up a source, or change it."""
    expected = seen(if_match)
    kept = await registry.keep(
        backend,
        actor,
        name,
        kind=wanted.kind,
        title=wanted.title,
        settings=wanted.settings,
        secret=wanted.secret,
        expected=expected,
    )
    tag(response, str(kept.version))
    return kept


@router.delete("/sources/{name}", status_code=HTTPStatus.NO_CONTENT, responses=_FIND)
async def drop_source(name: Slug, actor: Administrator, backend: UsesBackend) -> None:
    """Take a source away."""
    await registry.drop(backend, actor, name)


@router.post("/source-trials", responses=_SEAL)
async def try_source(trial: SourceTrial, actor: Administrator, backend: UsesBackend) -> Trial:
    """Ask a source something and show what came back; nothing is kept."""
    return await trials.run(
        backend,
        actor,
        kind=trial.kind,
        given=trial.settings,
        secret=trial.secret,
        source=trial.source,
        asked=trial.ask,
    )


@uploads.put(
    "/calendars/{name}/ics",
    responses=_LARGE,
    openapi_extra={
        "requestBody": {"content": {"text/calendar": {"schema": {"type": "string"}}}, "required": True}
    },
)
async def import_calendar(
    name: Slug,
    request: Request,
    actor: PolicyWriter,
    backend: UsesBackend,
    title: Title = "Calendar",
    zone: Zone = "Etc/UTC",
    transparent: Transparent = "refuse",
) -> ImportedCalendar:
    """Set a shared calendar from an iCalendar file (RFC 5545); one that closes less waits for another."""
    body = await bounded(request, LARGEST)
    calendar, asked = await files.import_file(
        backend, actor, name, body, title=title, zone=zone, transparent=transparent
    )
    return ImportedCalendar(calendar=calendar, asked=asked)


@router.get("/calendars/{name}/ics", response_class=Response, responses=_FIND | _ICALENDAR)
async def export_calendar(name: Slug, actor: Reader, backend: UsesBackend) -> Response:
    """A shared calendar as an iCalendar file."""
    body = await files.export_file(backend, actor, name)
    headers = {"Content-Disposition": f'attachment; filename="{name}.ics"'}
    return Response(body, media_type="text/calendar", headers=headers)


@router.get("/environments/{environment}/ics", response_class=Response, responses=_FIND | _ICALENDAR)
async def export_closed_times(environment: Slug, actor: Subscriber, backend: UsesBackend) -> Response:
    """The closed times of an environment as an iCalendar file."""
    body = await files.feed(backend, actor, environment)
    headers = {"Content-Disposition": f'attachment; filename="{environment}.ics"'}
    return Response(body, media_type="text/calendar", headers=headers)


@router.get("/feeds/{token}/{environment}.ics", response_class=Response, responses=_FIND | _ICALENDAR)
async def feed(
    token: Annotated[str, StringConstraints(max_length=200)], environment: Slug, backend: UsesBackend
) -> Response:
    """The closed times of an environment, to subscribe to with a token of the scope `feed`."""
    actor = await tokens.actor_by_token(backend, token)
    return Response(await files.feed(backend, actor, environment), media_type="text/calendar")


@router.get("/senders")
async def list_senders(actor: Reader, backend: UsesBackend) -> list[SenderView]:
    """Who may send events."""
    return await inbound.senders(backend, actor)


@router.put("/senders/{name}", responses=_SEAL)
async def set_sender(name: Slug, new: NewSender, actor: Administrator, backend: UsesBackend) -> MadeSender:
    """Let a system send events as somebody; its secret is made anew."""
    sender, secret = await inbound.set_sender(
        backend, actor, name, title=new.title, person=new.person, binary=new.binary
    )
    return MadeSender(sender=sender, secret=secret)


@router.delete("/senders/{name}", status_code=HTTPStatus.NO_CONTENT, responses=_FIND)
async def drop_sender(name: Slug, actor: Administrator, backend: UsesBackend) -> None:
    """Take no more events of a system."""
    await inbound.drop_sender(backend, actor, name)


@router.get("/arrivals")
async def arrivals(actor: Reader, backend: UsesBackend, limit: Limit = 50) -> list[ArrivalView]:
    """The events that came, the latest first, and what followed from each."""
    return await inbound.arrivals(backend, actor, limit)


@uploads.post(
    "/hooks/{sender}",
    status_code=HTTPStatus.ACCEPTED,
    responses=_LARGE,
    openapi_extra={
        "requestBody": {
            "content": {"application/cloudevents+json": {"schema": {"type": "object"}}},
            "required": True,
        }
    },
)
async def take_event(sender: Slug, request: Request, backend: UsesBackend) -> ArrivalView:
    """Take in a CloudEvent, structured or binary, signed as Standard Webhooks have it."""
    return await inbound.take(backend, sender, dict(request.headers), await bounded(request, inbound.LARGEST))


@router.get("/subscribers")
async def list_subscribers(actor: Reader, backend: UsesBackend) -> list[SubscriberView]:
    """Who is told of what happens."""
    return await outbound.subscribers(backend, actor)


@router.put("/subscribers/{name}", responses=_SEAL)
async def set_subscriber(
    name: Slug, new: NewSubscriber, actor: Administrator, backend: UsesBackend
) -> MadeSubscriber:
    """Have a system told of what happens; its secret is made anew."""
    subscriber, secret = await outbound.set_subscriber(
        backend, actor, name, title=new.title, address=new.address, actions=new.actions
    )
    return MadeSubscriber(subscriber=subscriber, secret=secret)


@router.delete("/subscribers/{name}", status_code=HTTPStatus.NO_CONTENT, responses=_FIND)
async def drop_subscriber(name: Slug, actor: Administrator, backend: UsesBackend) -> None:
    """Tell a system no more."""
    await outbound.drop_subscriber(backend, actor, name)


@router.get("/deliveries")
async def deliveries(
    actor: Reader, backend: UsesBackend, *, dead: bool = True, limit: Limit = 50
) -> list[DeliveryView]:
    """What could not be told and was given up; or what is still to be told."""
    return await outbound.deliveries(backend, actor, dead=dead, limit=limit)


@router.post("/deliveries/{number}/resend", status_code=HTTPStatus.NO_CONTENT, responses=_FIND)
async def resend(number: Number, actor: Administrator, backend: UsesBackend) -> None:
    """Try it again from the start."""
    await outbound.resend(backend, actor, number)
