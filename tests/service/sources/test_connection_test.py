"""Sources are tried before they are kept: each kind says what it found, or in words why not."""

import httpx
import pytest
from starlette.responses import PlainTextResponse
from tests.serving import Outside, served
from tests.world import World

from dogana.core.errors import ForbiddenError, InvalidError
from dogana.demo.cast import ACTORS
from dogana.service.sources import connection_test
from dogana.sources.metrics import HttpMetrics
from dogana.sources.reachable import Reachable, guarded_client
from dogana.sources.settings import SETTINGS

TRACKER = {"address": "http://tracker/tickets/{key}", "kind": "/kind"}
CALENDAR = (
    "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\nBEGIN:VEVENT\r\nUID:1\r\nSUMMARY:the feast\r\n"
    "DTSTART;VALUE=DATE:20261210\r\nDTEND;VALUE=DATE:20261211\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
)


async def tried(world: World, kind: str, settings: dict, ask: str = "", who: str = "dario"):
    return await connection_test.run(
        world.backend, ACTORS[who], kind=kind, given=settings, secret=None, source=None, asked=ask
    )


async def test_a_tracker_shows_the_ticket_as_rules_will_see_it(world: World):
    found = await tried(world, "tickets", TRACKER, "TAPS-2")
    assert found.works
    shown = {line.label: line.value for line in found.lines}
    assert (shown["title"], shown["status"], shown["open blockers"]) == ("Work 2", "done", "not told")


async def test_a_ticket_that_is_not_there_works_all_the_same(world: World):
    """The tracker answered; it is the key that is wrong."""
    found = await tried(world, "tickets", TRACKER, "TAPS-999")
    assert (found.works, found.lines[0].value) == (True, "it has no such ticket")


async def test_a_tracker_that_fails_says_how(world: World):
    world.unavailable.add("TAPS")
    found = await tried(world, "tickets", TRACKER, "TAPS-2")
    assert (found.works, found.says, found.lines) == (False, "it answered 503 Service Unavailable", [])


@pytest.mark.parametrize("kind", ["tickets", "metrics", "git"])
async def test_what_to_ask_must_be_said(world: World, kind: str):
    settings = {"tickets": TRACKER, "metrics": {"address": "http://m"}, "git": {"address": "http://g/"}}
    with pytest.raises(InvalidError) as refused:
        await tried(world, kind, settings[kind], " ")
    assert refused.value.fields == [("/ask", "needed")]


async def test_a_repository_of_another_place_is_not_asked_for(world: World):
    """Its secret would go where it does not belong."""
    with pytest.raises(InvalidError) as refused:
        await tried(world, "git", {"address": "http://git.corvale.example/"}, "http://elsewhere/app.git")
    assert refused.value.fields == [("/ask", "begins otherwise")]


async def test_a_repository_that_cannot_be_reached_says_so(world: World):
    found = await tried(world, "git", {"address": "http://127.0.0.1:9/"}, "http://127.0.0.1:9/app.git")
    assert not found.works
    assert "127.0.0.1:9" in found.says


async def test_only_administrators_try_sources(world: World):
    with pytest.raises(ForbiddenError):
        await tried(world, "tickets", TRACKER, "TAPS-2", who="ilse")


@pytest.fixture
async def outside(world: World):
    """A system that answers over real HTTP with whatever `answer` says."""
    outside = Outside()
    async with served(outside), guarded_client(Reachable("127.0.0.0/8"), 5) as client:
        object.__setattr__(world.backend, "client", client)
        object.__setattr__(world.backend, "metrics", HttpMetrics(client, world.backend.clock))
        yield outside


def answering(text: str, kind: str = "text/plain"):
    async def answer(request: httpx.Request) -> PlainTextResponse:
        del request
        return PlainTextResponse(text, media_type=kind)

    return answer


async def test_a_calendar_shows_what_is_in_it(world: World, outside: Outside):
    outside.answer = answering(CALENDAR, "text/calendar")
    found = await tried(world, "calendar", {"address": outside.url, "calendar": "feasts"})
    assert found.works, found.says
    assert found.lines[0].label == "the feast"


async def test_what_is_no_calendar_is_named_as_that(world: World, outside: Outside):
    outside.answer = answering("<html>Sign in</html>", "text/html")
    found = await tried(world, "calendar", {"address": outside.url, "calendar": "feasts"})
    assert (found.works, found.says) == (False, "this is no iCalendar file")


async def test_a_page_of_metrics_shows_those_to_keep(world: World, outside: Outside):
    outside.answer = answering('# TYPE lag gauge\nlag{place="live"} 2.5\nother 1\n# EOF\n')
    settings = {"address": outside.url, "names": ["lag"]}
    found = await tried(world, "scrape", settings)
    assert [(line.label, line.value) for line in found.lines] == [("lag place live", "2.5")]
    none = await tried(world, "scrape", settings | {"names": ["nothing"]})
    assert (none.works, none.says) == (False, "it shows none of these metrics")


def test_each_kind_of_source_can_be_tried():
    """One that was forgotten would be taken for another."""
    assert connection_test.ASKED.keys() | connection_test.UNASKED.keys() == SETTINGS.keys()
    assert not connection_test.ASKED.keys() & connection_test.UNASKED.keys()
