"""Whatever is sent, others are answered: bounded in bytes, time and memory, and never in the event loop."""

import asyncio
import gzip
import io
import json
import resource
import time
import zipfile
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

import httpx
import pytest
from sqlalchemy import text
from tests import limits
from tests.web.test_access import signed_in
from tests.web.test_killed import server
from tests.world import World, policy

from dogana.core.errors import AgainError, TooMuchError, TooOftenError
from dogana.core.policy.document import PolicyError, policy_from
from dogana.demo.cast import PASSWORD
from dogana.service.process_pool import BoundedPool
from dogana.service.views import saved_filters

NOOR = {"email": "noor@corvale.example", "password": PASSWORD}
RELEASE = "/api/services/taps-portal/releases/1.2.0/evidence"


def suites(count: int) -> bytes:
    """A report of many cases: large once it is unpacked, small on the way."""
    return b"<testsuites><testsuite>" + b"<testcase/>" * count + b"</testsuite></testsuites>"


def zipped(*parts: bytes) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for n, part in enumerate(parts):
            archive.writestr(f"{n}.xml", part)
    return out.getvalue()


BOMBS: dict[str, tuple[str, Callable[[], bytes]]] = {
    "many cases, packed": ("junit", lambda: gzip.compress(suites(5_000_000))),
    "deep elements": ("junit", lambda: b"<testsuites>" + b"<testsuite>" * 200_000),
    "entities": ("junit", lambda: b'<!DOCTYPE x [<!ENTITY a "aaaa">]><testsuites>&a;</testsuites>'),
    "deep lists": ("sarif", lambda: b"[" * 2_000_000),
    "deep objects": ("cyclonedx", lambda: b'{"a":' * 500_000),
    "many keys": (
        "plan",
        lambda: gzip.compress(b"{" + b",".join(b'"k%d":[]' % n for n in range(3_000_000)) + b"}"),
    ),
    "zeros": ("sarif", lambda: gzip.compress(b"0" * (60 << 20))),
    "a zip in itself": ("junit", lambda: zipped(*[gzip.compress(suites(100_000))] * 20)),
    "a long number": ("plan", lambda: b'{"add": ' + b"9" * 4_000_000 + b"}"),
    "many attributes": (
        "cobertura",
        lambda: b"<coverage " + b" ".join(b'a%d="1"' % n for n in range(300_000)) + b"/>",
    ),
}


@pytest.mark.thorough
@pytest.mark.parametrize("name", BOMBS)
async def test_a_report_that_would_fill_the_memory_is_refused(world: World, name: str):
    """Read in a process of its own; meanwhile somebody else reads, and none of it is kept."""
    await world.landed()
    client, reader = await signed_in(world, "noor"), await signed_in(world, "wanjiru")
    form, made = BOMBS[name]
    body = made()
    assert len(body) < 8 << 20
    sending = asyncio.create_task(client.put(f"{RELEASE}/bomb?format={form}", content=body, timeout=90))
    slowest = 0.0
    while not sending.done():
        began = time.monotonic()
        assert (await reader.get("/api/closings")).status_code == 200
        slowest = max(slowest, time.monotonic() - began)
        await asyncio.sleep(0.02)
    assert sending.result().status_code == 422, sending.result().text
    assert slowest < 2
    kept = (await reader.get("/api/services/taps-portal/releases/1.2.0")).json()["evidence"]
    assert "bomb" not in kept


async def test_work_beside_ends_with_its_time_or_room_and_the_next_is_done():
    """Other work goes on; too much that waits is turned away."""
    beside = BoundedPool(seconds=1, room=1200 << 20)
    try:
        assert await beside.run(limits.room) == 1200 << 20
        with pytest.raises(TooMuchError, match="1200 MiB"):
            await beside.run(limits.fill, 1300 << 20)
        with pytest.raises(TooMuchError, match="1 seconds"):
            await beside.run(limits.sleep, 30)
        assert await beside.run(limits.fill, 1 << 20) == 1 << 20
        asked = [beside.run(limits.sleep, 0.01) for _ in range(60)]
        many = await asyncio.gather(*asked, return_exceptions=True)
        assert sum(isinstance(one, TooOftenError) for one in many) == 20
        assert sum(one is None for one in many) == 40
    finally:
        beside.close()


def test_faults_of_a_policy_are_counted_and_fifty_are_told():
    """The hundredth costs no more than the first."""
    rule = {"id": "x", "kind": "freeze", "title": "X", "zone": "Nowhere", "windows": [{"name": "a"}] * 40}
    with pytest.raises(PolicyError) as refused:
        policy_from(policy(*[rule] * 100))
    assert len(refused.value.faults) == 51
    assert refused.value.faults[-1] == ("", "and 4050 more faults")


@pytest.mark.parametrize("kind", ["text", "values"])
async def test_a_policy_with_many_faults_holds_nobody_up(world: World, kind: str):
    """As an auditor looks at one: refused with the first fifty."""
    client = await signed_in(world, "wanjiru")
    document = policy(*[{"id": f"r{n}", "kind": "soak", "title": "S", "at_least": "x"} for n in range(400)])
    sent = json.dumps(document) if kind == "text" else document
    answer = await client.post("/api/environments/bench/policies/preview", json={"document": sent})
    assert (answer.status_code, answer.json()["code"]) == (422, "invalid_policy")
    assert 1 <= len(answer.json()["fields"]) <= 51


async def chunks(size: int):
    for _ in range(size // 65536):
        yield b" " * 65536


@pytest.mark.parametrize(
    ("method", "path", "size"),
    [
        ("POST", "/api/session", 2 << 20),
        ("POST", "/api/invitations", 2 << 20),
        ("POST", "/api/promotions", 2 << 20),
        ("POST", "/api/environments/bench/policies/preview", 2 << 20),
        ("PUT", f"{RELEASE}/scan?format=sarif", 9 << 20),
        ("PUT", "/api/calendars/feasts/ics", 3 << 20),
        ("POST", "/api/hooks/pipeline", 2 << 20),
        ("DELETE", "/api/filters/mine", 2 << 20),
    ],
)
@pytest.mark.parametrize("said", [True, False])
async def test_a_body_is_bounded_before_it_is_read(
    world: World, method: str, path: str, size: int, said: bool
):
    """Whether it says how long it is or comes in pieces; signing in included."""
    who = "marco" if "calendars" in path or "preview" in path else "noor"
    client = await signed_in(world, who)
    content = b" " * size if said else chunks(size)
    answer = await client.request(method, path, content=content, headers={"Content-Type": "application/json"})
    assert (answer.status_code, answer.json()["code"]) == (413, "too_large"), answer.text


@pytest.mark.thorough
async def test_an_upload_that_breaks_off_is_no_fault(world: World):
    """The connection ends in the middle of a body: nothing is logged as ours, and the next is answered."""
    async with server(world) as (process, client):
        me = (await client.post("/api/session", json=NOOR)).json()
        url = client.base_url
        cookie = client.cookies["dogana_session"]
        for method, path in (("PUT", f"{RELEASE}/x?format=file"), ("POST", "/api/promotions")):
            _, writing = await asyncio.open_connection(url.host, url.port)
            head = (
                f"{method} {path} HTTP/1.1\r\nHost: {url.host}\r\n"
                f"Cookie: dogana_session={cookie}\r\nX-CSRF-Token: {me['csrf_token']}\r\n"
                f"Content-Type: application/json\r\nContent-Length: 100000\r\n\r\n"
            )
            writing.write(head.encode() + b"{" * 1000)
            await writing.drain()
            writing.close()
            with suppress(ConnectionError):
                await writing.wait_closed()
        assert (await client.get("/api/closings")).status_code == 200
        assert process.poll() is None
    said = await asyncio.to_thread((world.folder / "server.log").read_text)
    assert "fault" not in said


async def test_what_the_database_asks_for_anew_is_done_anew(world: World, monkeypatch: pytest.MonkeyPatch):
    """A broken deadlock costs whoever came second another try, and is told to nobody."""
    client, first, second = await signed_in(world, "noor"), asyncio.Event(), asyncio.Event()
    tries = 0

    async def lock(one: str, other: str, mine: asyncio.Event, theirs: asyncio.Event) -> None:
        async with world.backend.database.transaction() as session:
            take = text("SELECT id FROM environments WHERE id = :id FOR UPDATE")
            await session.execute(take, {"id": one})
            mine.set()
            await theirs.wait()
            await session.execute(take, {"id": other})

    ended = await asyncio.gather(
        lock("bench", "rehearsal", first, second),
        lock("rehearsal", "bench", second, first),
        return_exceptions=True,
    )
    assert sorted(type(one).__name__ for one in ended) == ["AgainError", "NoneType"]

    keep = saved_filters.save_filter

    async def twice_in_vain(*args: object) -> None:
        nonlocal tries
        tries += 1
        if tries < 3:
            raise AgainError
        await keep(*args)

    monkeypatch.setattr(saved_filters, "save_filter", twice_in_vain)
    answer = await client.put("/api/filters/mine", json={"query": "at=bench"})
    assert (answer.status_code, tries) == (204, 3)

    async def in_vain(*_: object) -> None:
        raise AgainError

    monkeypatch.setattr(saved_filters, "save_filter", in_vain)
    answer = await client.put("/api/filters/mine", json={"query": "at=bench"})
    assert (answer.status_code, answer.json()["code"]) == (503, "again")


@pytest.mark.thorough
async def test_everybody_at_once_and_nobody_waits_for_long(world: World):
    """Sixteen clients: bombs, guesses, faulty policies and large bodies beside those who just read."""
    await world.landed()
    async with server(world) as (process, client):
        readers = []
        for who in ("wanjiru", "ilse", "marco"):
            one = httpx.AsyncClient(base_url=client.base_url, timeout=60)
            credentials = {"email": f"{who}@corvale.example", "password": PASSWORD}
            me = (await one.post("/api/session", json=credentials)).json()
            one.headers["X-CSRF-Token"] = me["csrf_token"]
            readers.append(one)
        sender = httpx.AsyncClient(base_url=client.base_url, timeout=60)
        me = (await sender.post("/api/session", json=NOOR)).json()
        sender.headers["X-CSRF-Token"] = me["csrf_token"]
        slowest = 0.0
        form, made = BOMBS["many cases, packed"]
        bomb = made()
        faulty = {"document": policy(*[{"id": f"r{n}", "kind": "soak", "title": "S"} for n in range(400)])}

        async def again_and_again(ask) -> None:
            while time.monotonic() < ends:
                await ask()

        async def read(one: httpx.AsyncClient) -> None:
            nonlocal slowest
            for path in ("/api/desk", "/api/closings", "/api/ledger"):
                began = time.monotonic()
                assert (await one.get(path)).status_code == 200
                slowest = max(slowest, time.monotonic() - began)

        async def guess() -> None:
            tried = {"email": "joel@corvale.example", "password": "no"}
            assert (await client.post("/api/session", json=tried)).status_code in {401, 429}

        async def preview() -> None:
            path = "/api/environments/bench/policies/preview"
            assert (await readers[0].post(path, json=faulty)).status_code == 422

        async def send() -> None:
            answer = await sender.put(f"{RELEASE}/bomb?format={form}", content=bomb)
            assert answer.status_code in {422, 429}

        # How long a reader waits whom nobody disturbs says how fast the machine is just now.
        ends = time.monotonic() + 1
        await asyncio.gather(*(again_and_again(lambda one=one: read(one)) for one in readers))
        alone, slowest = slowest, 0.0
        ends = time.monotonic() + 3
        work = [lambda one=one: read(one) for one in readers] * 2
        work += [guess] * 4 + [preview] * 3 + [send] * 3
        assert len(work) == 16
        await asyncio.gather(*(again_and_again(ask) for ask in work))
        for one in (*readers, sender):
            await one.aclose()
        pages = await asyncio.to_thread(Path(f"/proc/{process.pid}/statm").read_text)
        memory = int(pages.split()[1]) * resource.getpagesize()
        assert slowest < max(2, 20 * alone)
        assert memory < 400 << 20


SET_UP = {
    "/api/services/new-one": {"title": "New", "repository": "taps-portal", "route": "standard"},
    "/api/environments/new-one": {"title": "New", "zone": "Europe/Rome", "departs": "at once"},
    "/api/travel-routes/new-one": {"title": "New", "legs": [["bench"]]},
    "/api/groups/new-one": {"title": "New"},
    "/api/subscribers/new-one": {"title": "New", "address": "https://x.example/", "actions": []},
    "/api/filters/new-one": {"query": "at=bench"},
}


@pytest.mark.thorough
@pytest.mark.parametrize("path", SET_UP)
async def test_several_who_set_up_the_same_at_once_all_do(world: World, path: str):
    """Each finds that it is not there yet; whoever comes second finds it there after all."""
    client = await signed_in(world, "dario")
    answers = await asyncio.gather(*(client.put(path, json=SET_UP[path]) for _ in range(5)))
    assert {answer.status_code // 100 for answer in answers} == {2}, [answer.text for answer in answers]


async def test_of_several_who_ask_for_a_key_of_a_machine_at_once_one_waits(world: World):
    """The others are told so: each would be another key, and the one who confirms sees one."""
    client = await signed_in(world, "dario")
    sender = {"title": "New", "person": "pipeline"}
    token = {"title": "ci", "person": "pipeline", "scopes": ["deploy"]}
    asked = [client.put("/api/senders/new-one", json=sender) for _ in range(4)]
    asked += [client.post("/api/tokens", json=token) for _ in range(4)]
    answers = await asyncio.gather(*asked)
    for some, made in ((answers[:4], 200), (answers[4:], 201)):
        assert sorted(answer.status_code for answer in some) == [made, 409, 409, 409]
    waiting = (await client.get("/api/proposals")).json()
    assert sorted(one["kind"] for one in waiting) == ["sender", "token"]


@pytest.mark.parametrize("path", list(SET_UP)[:3])
async def test_of_several_who_change_what_they_saw_at_once_one_does(world: World, path: str):
    """The others are told that it is not what they saw any more."""
    client = await signed_in(world, "dario")
    made = await client.put(path, json=SET_UP[path])
    seen = {"If-Match": made.headers["ETag"]}
    changed = [SET_UP[path] | {"title": f"Changed {n}"} for n in range(4)]
    answers = await asyncio.gather(*(client.put(path, json=one, headers=seen) for one in changed))
    assert sorted(answer.status_code for answer in answers) == [200, 412, 412, 412]
