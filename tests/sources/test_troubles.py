"""Every source slow, wrong, lying, too much, elsewhere, down, and back: over real HTTP."""

import ipaddress
import subprocess
from contextlib import asynccontextmanager
from datetime import timedelta

import httpcore
import httpx
import pytest
from starlette.responses import JSONResponse, PlainTextResponse, Response
from tests.serving import Outside, served
from tests.sources.test_sources import SERVICE, Build
from tests.world import NOW

from dogana.core.errors import RepositoryError
from dogana.demo.repositories import make_repository
from dogana.sources.calendars import read_calendar
from dogana.sources.git import GitRepositories
from dogana.sources.http import HttpRequest, UnreadError, read
from dogana.sources.metrics import HttpMetrics
from dogana.sources.reachable import NotReachableError, Reachable, _as_of_the_client, guarded_client
from dogana.sources.settings import Configured, MetricsSettings, RepositoryAt, ScrapeSettings, TrackerSettings
from dogana.sources.tickets import HttpTracker

WINDOW = timedelta(minutes=10)
HERE = Reachable("127.0.0.0/8")
CALENDAR = b"""BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\nBEGIN:VEVENT\r\nUID:1\r\nSUMMARY:feast
DTSTART;VALUE=DATE:20261224\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"""


class Tickets:
    lie = {"status": {"id": 3}}

    async def answer(self, request):
        return JSONResponse({"status": "done", "title": "Work"})

    async def ask(self, client, url, seconds=30):
        settings = TrackerSettings(address=url + "/t/{key}", seconds=seconds)
        tracker = HttpTracker(client, lambda: NOW)
        reading = await tracker.tickets(Configured("t", "tickets", settings, "Bearer s"), ("CW-1",))
        return reading.value and reading.value[0].status, reading.unknown


class Metrics:
    lie = {"status": "success", "data": {"result": [{"values": [["now", 1]]}]}}

    async def answer(self, request):
        asked = request.url.path.rpartition("/")[2]
        found = {"values": [[1, "2.5"]]} if asked == "query_range" else {"value": [1, "1"]}
        return JSONResponse({"status": "success", "data": {"result": [found]}})

    async def ask(self, client, url, seconds=30):
        settings = MetricsSettings(address=url, seconds=seconds)
        reading = await HttpMetrics(client, lambda: NOW).series(
            Configured("m", "metrics", settings), "up", "live", WINDOW
        )
        return reading.value and reading.value.values[0], reading.unknown


class Page:
    lie = "lag{a=b} x\n"

    async def answer(self, request):
        return PlainTextResponse('# TYPE lag gauge\nlag{environment="live"} 2.5\nother 1\n')

    async def ask(self, client, url, seconds=30):
        settings = ScrapeSettings(address=url, names=("lag",), seconds=seconds)
        try:
            (sample,) = await HttpMetrics(client, lambda: NOW).page(Configured("s", "page", settings))
        except UnreadError as exc:
            return None, str(exc)
        return sample.value, None


class Calendars:
    lie = "BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nSUMMARY:x\r\nEND:VEVENT\r\nEND:VCALENDAR"

    async def answer(self, request):
        return Response(CALENDAR, media_type="text/calendar")

    async def ask(self, client, url, seconds=30):
        try:
            body = await read(client, HttpRequest(address=url, seconds=seconds))
            return read_calendar(body, title="t", zone="Europe/Rome").windows[0].name, None
        except (UnreadError, ValueError, Exception) as exc:  # noqa: BLE001 - what is asserted is what it says
            return None, str(exc)


KINDS = {
    "tickets": (Tickets, "done"),
    "metrics": (Metrics, 2.5),
    "page": (Page, 2.5),
    "calendar": (Calendars, "feast"),
}
MOODS = {
    "slow": "did not answer in time",
    "broken": "it answered 500 Internal Server Error",
    "wrong": "",
    "huge": "more than 16 MiB",
    "elsewhere": "it answered 307 Temporary Redirect",
    "in part": "it answered 206 Partial Content",
    "breaking off": "it cannot be reached",
    "lying": "",
}


@pytest.mark.thorough
@pytest.mark.parametrize("kind", KINDS)
async def test_a_source_in_trouble_says_so_and_is_well_again_after(kind):
    """Never a pass, never a crash, never another address; and nothing sticks once it is back."""
    made, expected = KINDS[kind]
    source, outside = made(), Outside()
    outside.answer = source.answer
    async with guarded_client(HERE, 5) as client:
        value, reason = await source.ask(client, outside.url)
        assert (value, reason) == (None, "it cannot be reached")
        async with served(outside):
            for mood, words in MOODS.items():
                outside.mood = mood
                if mood == "lying":
                    outside.mood, outside.answer = "well", lies(source.lie)
                # What is not slow has the time for it, however busy the machine.
                patience = 1 if mood == "slow" else 30
                value, reason = await source.ask(client, outside.url, patience)
                assert value is None, (kind, mood)
                assert reason, (kind, mood)
                assert words in reason, (kind, mood, reason)
            outside.mood, outside.answer = "well", source.answer
            assert await source.ask(client, outside.url) == (expected, None)


def lies(what):
    async def answer(request):
        return PlainTextResponse(what) if isinstance(what, str) else JSONResponse(what)

    return answer


async def test_nothing_is_asked_for_compressed():
    """Compressed text that was cut is opened as far as it goes; plain text that was cut is noticed."""
    outside = Outside()

    async def answer(request):
        return PlainTextResponse(request.headers["accept-encoding"])

    outside.answer = answer
    async with served(outside), guarded_client(HERE, 5) as client:
        assert await read(client, HttpRequest(address=outside.url)) == b"identity"
        own = HttpRequest(address=outside.url, headers={"Accept": "text/plain"})
        assert await read(client, own) == b"identity"


async def test_a_passing_trouble_is_tried_again():
    """A 503 that is gone the next moment is not told to anybody."""
    outside = Outside()

    async def answer(request):
        return PlainTextResponse("busy", 503) if len(outside.asked) == 1 else PlainTextResponse("well")

    outside.answer = answer
    async with served(outside), guarded_client(HERE, 5) as client:
        assert await read(client, HttpRequest(address=outside.url)) == b"well"
    assert len(outside.asked) == 2


@pytest.mark.parametrize(
    ("networks", "address"),
    [
        ("public", "http://127.0.0.1:1/"),
        ("public", "http://localhost:1/"),
        ("public", "http://[::1]:1/"),
        ("public", "http://[::ffff:127.0.0.1]:1/"),
        ("public", "http://169.254.169.254/latest"),
        ("public", "http://10.1.2.3/"),
        ("public", "http://0.0.0.0:1/"),
        ("127.0.0.0/8", "http://10.1.2.3/"),
        ("", "http://127.0.0.1:1/"),
    ],
)
async def test_no_address_is_reached_that_was_not_allowed(networks, address):
    """Whatever it is called."""
    async with guarded_client(Reachable(networks), 2) as client:
        with pytest.raises(UnreadError, match="not one that may be reached"):
            await read(client, HttpRequest(address=address, seconds=2))


@pytest.mark.parametrize("inside", ["127.0.0.1", "10.1.2.3", "169.254.169.254", "192.168.0.9"])
@pytest.mark.parametrize(
    "form", ["mapped", "compatible", "6to4", "teredo", "teredo server", "nat64", "local nat64", "isatap"]
)
def test_an_address_that_embeds_another_is_as_good_as_that(form, inside):
    """However it is wrapped, a private one is not reached by way of a public-looking one."""
    low = int(ipaddress.IPv4Address(inside))
    public = int(ipaddress.IPv4Address("93.184.216.34"))

    def wrapped(v4: int) -> ipaddress.IPv6Address:
        teredo = 0x20010000 << 96
        whole = {
            "mapped": (0xFFFF << 32) | v4,
            "compatible": v4,
            "6to4": (0x2002 << 112) | (v4 << 80),
            "teredo": teredo | (public << 64) | (v4 ^ 0xFFFFFFFF),
            "teredo server": teredo | (v4 << 64) | (public ^ 0xFFFFFFFF),
            "nat64": (0x64FF9B << 96) | v4,
            "local nat64": (0x64FF9B0001 << 80) | v4,
            "isatap": (0x20010DB8 << 96) | (0x00005EFE << 32) | v4,
        }
        return ipaddress.IPv6Address(whole[form])

    assert not Reachable("public").allows(wrapped(low))
    assert Reachable("public").allows(wrapped(public))
    assert Reachable(f"{inside}/32").allows(wrapped(low)) is ("teredo" not in form)


async def test_a_name_counts_by_all_it_resolves_to(monkeypatch):
    """One that also resolves to a private address is not reached, and no second answer is asked for."""
    answers = [[("93.184.216.34", 80), ("10.0.0.1", 80)]]

    async def resolve(self, host, port, **_):
        return [(2, 1, 6, "", one) for one in answers.pop()]

    monkeypatch.setattr("asyncio.base_events.BaseEventLoop.getaddrinfo", resolve)
    async with guarded_client(Reachable("public"), 2) as client:
        with pytest.raises(UnreadError, match="not one that may be reached"):
            await read(client, HttpRequest(address="http://rebound.example/", seconds=2))
    assert answers == []


def test_networks_are_read_or_refused():
    """A mistyped network is not taken for none."""
    with pytest.raises(ValueError, match="everything"):
        Reachable("everything")
    assert Reachable("public, 10.0.0.0/8")


@asynccontextmanager
async def remote(tmp_path):
    """A repository that is served as files, as git can read it."""
    builds = [Build(service=SERVICE, version=f"1.{n}", built_at=NOW, tickets=()) for n in range(2)]
    make_repository(tmp_path, SERVICE, builds)
    folder = tmp_path / SERVICE.id
    outside = Outside()

    def publish():
        subprocess.run(["git", "-C", str(folder), "update-server-info"], check=True)

    async def answer(request):
        file = folder / request.url.path.lstrip("/")
        return Response(file.read_bytes()) if file.is_file() else PlainTextResponse("no", 404)

    outside.answer = answer
    publish()
    async with served(outside):
        yield outside, folder, publish


async def test_a_repository_at_an_address(tmp_path, monkeypatch):
    """Mirrored, brought up to date, its secret sent; a revision that history lost is said to be lost."""
    monkeypatch.setattr("dogana.sources.git._FRESH_SECONDS", 0.0)
    async with remote(tmp_path / "there") as (outside, folder, publish):
        repositories = GitRepositories(tmp_path, lambda: NOW, tmp_path / "mirrors", HERE)
        at = RepositoryAt(outside.url, (("Authorization", "Basic c2VjcmV0"),))
        old = await repositories.resolve(at, "v1.1")
        assert outside.asked[0].headers["authorization"] == "Basic c2VjcmV0"
        reading = await repositories.change(at, None, old)
        assert reading.value is not None
        assert (await repositories.check(at, old)).value is True
        for command in (["tag", "-d", "v1.1"], ["update-ref", "refs/heads/main", "v1.0"]):
            subprocess.run(["git", "-C", str(folder), *command], check=True, capture_output=True)
        publish()
        assert (await repositories.check(at, old)).value is False
        assert "history was rewritten" in (await repositories.change(at, None, old)).unknown
        gone = await repositories.change(at, "0" * 40, await repositories.resolve(at, "main"))
        assert "runs in the target, is not in the repository" in gone.unknown


async def test_a_repository_in_trouble_or_not_to_be_reached(tmp_path):
    """A reason, in time; git follows no redirect and asks for no password."""
    async with remote(tmp_path / "there") as (outside, _, _):
        for mood in ("broken", "wrong", "elsewhere"):
            outside.mood = mood
            repositories = GitRepositories(tmp_path, lambda: NOW, tmp_path / mood, HERE)
            reading = await repositories.check(RepositoryAt(outside.url), "0" * 40)
            assert reading.unknown, mood
        guarded = GitRepositories(tmp_path, lambda: NOW, tmp_path / "guarded", Reachable("public"))
        with pytest.raises(RepositoryError, match="not one that may be reached"):
            await guarded.resolve(RepositoryAt(outside.url), "main")
    gone = GitRepositories(tmp_path, lambda: NOW, tmp_path / "gone", HERE)
    assert (await gone.check(RepositoryAt(outside.url), "0" * 40)).unknown


POOLED = [
    one
    for one in vars(httpcore).values()
    if isinstance(one, type)
    and issubclass(one, Exception)
    and one not in (httpcore.ConnectionNotAvailable, httpcore.ProxyError)
]


@pytest.mark.parametrize("kind", POOLED, ids=lambda one: one.__name__)
def test_whatever_a_connection_raises_is_the_clients_error(kind):
    """So that nobody above has to know of two kinds of trouble."""
    with pytest.raises(httpx.TransportError) as told, _as_of_the_client():
        raise kind("it broke")
    assert type(told.value).__name__ == kind.__name__


def test_what_may_not_be_reached_stays_known_as_that():
    with pytest.raises(httpx.ConnectError) as told, _as_of_the_client():
        raise NotReachableError("elsewhere")
    assert isinstance(told.value.__cause__, NotReachableError)
