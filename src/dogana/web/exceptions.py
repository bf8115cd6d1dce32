"""Waivers, stand-ins and shared calendars."""

from http import HTTPStatus

from fastapi import APIRouter

from dogana.core.decisions import Shown
from dogana.core.document import Instant, Slug
from dogana.core.time.windows import Calendar
from dogana.service.calendars import shared
from dogana.service.people import stand_ins
from dogana.service.people.stand_ins import StandInView
from dogana.service.promotions import waivers
from dogana.service.shapes import Asked
from dogana.service.views import desk
from dogana.service.views.rows import Row
from dogana.web.access import Decider, Oneself, PolicyWriter, Reader, UsesBackend
from dogana.web.problems import documented
from dogana.web.promotions import Body, Number, Text, Word
from dogana.web.strict import StrictRoute

_READ = documented(HTTPStatus.UNAUTHORIZED, HTTPStatus.FORBIDDEN, HTTPStatus.UNPROCESSABLE_ENTITY)
_DECIDE = documented(HTTPStatus.NOT_FOUND, HTTPStatus.CONFLICT)
_FIND = documented(HTTPStatus.NOT_FOUND)

router = APIRouter(prefix="/api", tags=["exceptions"], responses=_READ, route_class=StrictRoute)


class NewWaiver(Body):
    """An exception: one rule, a reason, an end."""

    rule: Slug
    until: Instant
    reason: Text
    shown: Shown
    """As the dossier gave it."""


class NewStandIn(Body):
    """Who may take whose seats, from when until when."""

    person: Slug
    stands_in_for: Slug
    start: Instant
    end: Instant


@router.post("/promotions/{number}/waivers", responses=_DECIDE)
async def ask_waiver(number: Number, new: NewWaiver, actor: Decider, backend: UsesBackend) -> Row:
    """Ask for a waiver; a second person grants it."""
    await waivers.ask_waiver(
        backend, actor, number, new.rule, until=new.until, reason=new.reason, shown=new.shown
    )
    return await desk.promotion(backend, actor, number)


@router.post("/promotions/{number}/waivers/{rule}/grant", responses=_DECIDE)
async def grant_waiver(number: Number, rule: Slug, word: Word, actor: Decider, backend: UsesBackend) -> Row:
    """Grant a waiver that somebody else asked for."""
    await waivers.grant_waiver(backend, actor, number, rule, comment=word.comment)
    return await desk.promotion(backend, actor, number)


@router.post("/promotions/{number}/waivers/{rule}/revoke", responses=_DECIDE)
async def revoke_waiver(number: Number, rule: Slug, word: Word, actor: Decider, backend: UsesBackend) -> Row:
    """End a waiver."""
    await waivers.revoke_waiver(backend, actor, number, rule, comment=word.comment)
    return await desk.promotion(backend, actor, number)


@router.get("/stand-ins")
async def list_stand_ins(actor: Reader, backend: UsesBackend) -> list[StandInView]:
    """Who stands in for whom, now or later."""
    return await stand_ins.stand_ins(backend, actor)


@router.post("/stand-ins", status_code=HTTPStatus.CREATED)
async def name_stand_in(new: NewStandIn, actor: Oneself, backend: UsesBackend) -> StandInView:
    """Let somebody take one's seats for a time."""
    row = await stand_ins.name_stand_in(
        backend, actor, person=new.person, stands_in_for=new.stands_in_for, start=new.start, end=new.end
    )
    return next(one for one in await stand_ins.stand_ins(backend, actor) if one.id == row.id)


@router.delete("/stand-ins/{number}", status_code=HTTPStatus.NO_CONTENT, responses=_FIND)
async def end_stand_in(number: Number, actor: Oneself, backend: UsesBackend) -> None:
    """End it now."""
    await stand_ins.end_stand_in(backend, actor, number)


@router.get("/calendars")
async def list_calendars(actor: Reader, backend: UsesBackend) -> dict[str, Calendar]:
    """The shared calendars by name."""
    return await shared.all_calendars(backend, actor)


@router.put("/calendars/{name}", responses=documented(HTTPStatus.CONFLICT))
async def keep_calendar(name: Slug, calendar: Calendar, actor: PolicyWriter, backend: UsesBackend) -> Asked:
    """Set a shared calendar; one that closes less waits for a second policy owner."""
    return await shared.keep_calendar(backend, actor, name, calendar)


@router.delete("/calendars/{name}", status_code=HTTPStatus.NO_CONTENT, responses=_FIND)
async def drop_calendar(name: Slug, actor: PolicyWriter, backend: UsesBackend) -> None:
    """Take away a calendar that no policy in force names."""
    await shared.drop_calendar(backend, actor, name)
