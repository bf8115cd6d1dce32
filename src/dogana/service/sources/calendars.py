"""Fetching a calendar from the address that it follows."""

from dogana.core.time.windows import Calendar
from dogana.service.backend import Backend
from dogana.sources.calendars import read_calendar
from dogana.sources.http import HttpRequest, read
from dogana.sources.settings import CalendarSettings, Configured


async def fetched(backend: Backend, at: Configured[CalendarSettings]) -> Calendar:
    """What is published at an address now.

    Raises:
        UnreadError: when it cannot be read.
        InvalidError: when it cannot be carried over.
    """
    question = HttpRequest(address=at.settings.address, headers=at.headers(), seconds=at.settings.seconds)
    body = await read(backend.client, question)
    settings = at.settings
    return await backend.pool.run(
        read_calendar, body, title=at.title, zone=settings.zone, transparent=settings.transparent
    )
