"""Shared calendars: as they are kept, and as iCalendar."""

from http import HTTPStatus
from typing import Annotated, Any

from fastapi import Request, Response
from pydantic import StringConstraints

from dogana.core.document import Slug
from dogana.core.time.windows import Calendar, Zone
from dogana.service.calendars import files, shared
from dogana.service.people import tokens
from dogana.service.shapes import ChangeOutcome, View
from dogana.sources.calendars import LARGEST, Transparent
from dogana.web.access import PolicyWriter, Reader, Subscriber, UsesBackend
from dogana.web.bodies import bounded
from dogana.web.routing import CONFLICT, MISSING, TOO_LARGE, Title, router_of
from dogana.web.strict import FileRoute

router = router_of("calendars")
uploads = router_of("calendars", route_class=FileRoute)


@router.get("/calendars")
async def list_calendars(actor: Reader, backend: UsesBackend) -> dict[str, Calendar]:
    """The shared calendars by name."""
    return await shared.all_calendars(backend, actor)


@router.put("/calendars/{name}", responses=CONFLICT)
async def keep_calendar(
    name: Slug, calendar: Calendar, actor: PolicyWriter, backend: UsesBackend
) -> ChangeOutcome:
    """Set a shared calendar; one that closes less waits for a second policy owner."""
    return await shared.keep_calendar(backend, actor, name, calendar)


@router.delete("/calendars/{name}", status_code=HTTPStatus.NO_CONTENT, responses=MISSING)
async def drop_calendar(name: Slug, actor: PolicyWriter, backend: UsesBackend) -> None:
    """Take away a calendar that no policy in force names."""
    await shared.drop_calendar(backend, actor, name)


_ICALENDAR: dict[int | str, dict[str, Any]] = {
    200: {"content": {"text/calendar": {}}, "description": "iCalendar"}
}


class ImportedCalendar(View):
    """A calendar as it was read from a file, and whether it waits for a second person."""

    calendar: Calendar
    asked: ChangeOutcome


@uploads.put(
    "/calendars/{name}/ics",
    responses=TOO_LARGE,
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


@router.get("/calendars/{name}/ics", response_class=Response, responses=MISSING | _ICALENDAR)
async def export_calendar(name: Slug, actor: Reader, backend: UsesBackend) -> Response:
    """A shared calendar as an iCalendar file."""
    body = await files.export_file(backend, actor, name)
    headers = {"Content-Disposition": f'attachment; filename="{name}.ics"'}
    return Response(body, media_type="text/calendar", headers=headers)


@router.get("/environments/{environment}/ics", response_class=Response, responses=MISSING | _ICALENDAR)
async def export_closed_times(environment: Slug, actor: Subscriber, backend: UsesBackend) -> Response:
    """The closed times of an environment as an iCalendar file."""
    body = await files.feed(backend, actor, environment)
    headers = {"Content-Disposition": f'attachment; filename="{environment}.ics"'}
    return Response(body, media_type="text/calendar", headers=headers)


@router.get("/feeds/{token}/{environment}.ics", response_class=Response, responses=MISSING | _ICALENDAR)
async def feed(
    token: Annotated[str, StringConstraints(max_length=200)], environment: Slug, backend: UsesBackend
) -> Response:
    """The closed times of an environment, to subscribe to with a token of the scope `feed`."""
    actor = await tokens.actor_by_token(backend, token)
    return Response(await files.feed(backend, actor, environment), media_type="text/calendar")
