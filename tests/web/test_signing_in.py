"""Signing in: cookies, guessing, sessions of one's own, and streams that end with the right to read them."""

import asyncio
import json
from datetime import timedelta

import httpx
import pytest
from tests.web.test_access import browser, signed_in
from tests.web.test_killed import server
from tests.world import World

from dogana.core.errors import TooOftenError
from dogana.demo.cast import PASSWORD
from dogana.service.hashing import Hashing, hash_password
from dogana.service.people import throttling

ILSE = {"email": "ilse@corvale.example", "password": PASSWORD}


def of_address(world: World, address: str, base: str = "https://dogana") -> httpx.AsyncClient:
    transport = httpx.ASGITransport(world.app(), client=(address, 1234))
    return httpx.AsyncClient(transport=transport, base_url=base)


async def actions(world: World) -> list[str]:
    client = await signed_in(world, "wanjiru")
    page = (await client.get("/api/ledger")).json()
    return [entry["action"] for entry in page["entries"]]


async def test_the_cookie_is_guarded_and_tls_is_asked_for_but_on_this_machine(world: World):
    """HttpOnly and SameSite everywhere; Secure and HSTS wherever the address is another's."""
    for base, guarded in (
        ("https://dogana.corvale.example", True),
        ("http://dogana.corvale.example", True),
        ("http://127.0.0.1:8620", False),
        ("http://localhost", False),
        ("http://[::1]", False),
    ):
        answer = await of_address(world, "10.0.0.1", base).post("/api/session", json=ILSE)
        cookie = answer.headers["set-cookie"].lower()
        assert "httponly" in cookie
        assert "samesite=lax" in cookie
        assert ("secure" in cookie, "strict-transport-security" in answer.headers) == (guarded, guarded), base


async def test_nobody_waits_for_another_who_signs_in_at_the_same_time(world: World):
    """The process that lets in one of them may have a clock that is a little behind the other's."""
    await throttling.begin(world.backend, "ilse@corvale.example", "10.0.0.1")
    world.clock.now -= timedelta(milliseconds=3)
    tried = await throttling.begin(world.backend, "henrik@corvale.example", "10.0.0.1")
    assert tried.waits == timedelta(0)


async def test_signing_in_anew_ends_the_session_there_was(world: World):
    """Nobody can leave a browser with a session that they know."""
    client = await signed_in(world, "ilse")
    before = client.cookies["dogana_session"]
    await client.post("/api/session", json=ILSE)
    assert (await client.get("/api/me")).status_code == 200
    old = browser(world)
    old.cookies.set("dogana_session", before)
    assert (await old.get("/api/me")).status_code == 401


async def test_ones_own_sessions_are_listed_and_ended(world: World):
    """With where and with what they were begun; those of others are nobody's business."""
    first, second, other = [await signed_in(world, who) for who in ("ilse", "ilse", "noor")]
    mine = (await second.get("/api/sessions")).json()
    assert [one["this_one"] for one in mine] == [True, False]
    assert mine[0]["agent"].startswith("python-httpx")
    theirs = (await other.get("/api/sessions")).json()[0]["id"]
    assert (await second.delete(f"/api/sessions/{theirs}")).status_code == 404
    assert (await second.delete(f"/api/sessions/{mine[1]['id']}")).status_code == 204
    assert (await first.get("/api/me")).status_code == 401
    assert (await second.get("/api/me")).status_code == 200


@pytest.mark.thorough
async def test_who_guesses_waits_longer_each_time_and_it_is_on_record(world: World):
    """By account, from wherever; and what was typed stands nowhere."""
    statuses = []
    for n in range(60):
        tried = ILSE | {"password": f"guess number {n}"}
        answer = await of_address(world, f"10.0.{n}.1").post("/api/session", json=tried)
        statuses.append(answer.status_code)
    assert statuses == [401] * 5 + [429] * 55
    assert int(answer.headers["Retry-After"]) >= 1
    right = await of_address(world, "10.9.9.9").post("/api/session", json=ILSE)
    assert right.status_code == 429
    world.clock.now += timedelta(seconds=2)
    assert (await of_address(world, "10.9.9.9").post("/api/session", json=ILSE)).status_code == 200
    again = await of_address(world, "10.9.9.9").post("/api/session", json=ILSE | {"password": "wrong"})
    assert again.status_code == 401
    kinds = await actions(world)
    assert kinds.count("failed sign-in") == 5
    assert kinds.count("sign-in limit") == 1
    assert kinds.count("sign in") == 2
    client = await signed_in(world, "wanjiru")
    assert "guess number" not in (await client.get("/api/ledger/export")).text


@pytest.mark.thorough
async def test_who_guesses_many_accounts_from_one_address_waits_as_well(world: World):
    """And nobody anywhere else does."""
    guesser = of_address(world, "203.0.113.9")
    statuses = [
        (await guesser.post("/api/session", json={"email": f"p{n}@x.example", "password": "x"})).status_code
        for n in range(30)
    ]
    assert statuses == [401] * 20 + [429] * 10
    assert (await guesser.post("/api/session", json=ILSE)).status_code == 429
    assert (await of_address(world, "203.0.113.10").post("/api/session", json=ILSE)).status_code == 200


async def test_waits_grow_to_an_end_and_are_forgotten_after_an_hour(world: World):
    """Twice as long each time; an account is never shut for more than a minute, or strangers could."""
    waits = []
    for _ in range(16):
        tried = await throttling.begin(world.backend, "ilse@corvale.example", f"10.0.0.{len(waits)}")
        waits.append(int(tried.waits.total_seconds()))
        world.clock.now += tried.waits
    assert waits == [0, 0, 0, 0, 1, 2, 4, 8, 16, 32, 60, 60, 60, 60, 60, 60]
    await throttling.begin(world.backend, "ilse@corvale.example", "10.0.0.99")
    with pytest.raises(TooOftenError):
        await throttling.begin(world.backend, "ilse@corvale.example", "10.0.0.98")
    world.clock.now += timedelta(hours=1)
    assert (await throttling.begin(world.backend, "ilse@corvale.example", "10.0.0.1")).waits == timedelta(0)


async def test_many_at_once_are_no_way_around_the_wait(world: World):
    """A try counts before the password is looked at."""

    async def guess(n: int) -> int:
        tried = ILSE | {"password": f"guess {n}"}
        return (await of_address(world, f"10.1.{n}.1").post("/api/session", json=tried)).status_code

    statuses = sorted(await asyncio.gather(*(guess(n) for n in range(30))))
    assert statuses.count(401) == 5


@pytest.mark.thorough
async def test_strangers_who_sign_in_do_not_slow_who_reads():
    """Two hashes at once, twenty wait, the rest are turned away; the loop goes on meanwhile."""
    hashing, kept = Hashing(), hash_password("the right one")
    ticks, longest = 0, 0.0
    done = asyncio.Event()

    async def ticking() -> None:
        nonlocal ticks, longest
        loop = asyncio.get_running_loop()
        while not done.is_set():
            before = loop.time()
            await asyncio.sleep(0.01)
            longest, ticks = max(longest, loop.time() - before), ticks + 1

    beside = asyncio.create_task(ticking())
    tries = [hashing.fits(kept, "the right one" if n == 0 else "a wrong one") for n in range(60)]
    came = await asyncio.gather(*tries, return_exceptions=True)
    done.set()
    await beside
    assert came[0] is True
    assert sum(one is False for one in came) == 19
    assert sum(isinstance(one, TooOftenError) for one in came) == 40
    assert ticks > 10


async def heard(client: httpx.AsyncClient, headers: dict[str, str], then) -> list[str]:
    """The kinds of what a stream tells until it ends, having done something once it had begun."""
    kinds = []
    async with asyncio.timeout(20), client.stream("GET", "/api/events", headers=headers) as stream:
        async for line in stream.aiter_lines():
            if line.startswith("event:"):
                kinds.append(line.split(":")[1].strip())
                if kinds[-1] == "hello":
                    await then()
    return kinds


@pytest.mark.thorough
async def test_a_stream_ends_with_the_right_to_read_it(world: World):
    """Signing out, a session ended from elsewhere, a token revoked: each at once."""
    async with server(world) as (_, client):
        me = (await client.post("/api/session", json=ILSE)).json()
        cookie = {"Cookie": f"dogana_session={client.cookies['dogana_session']}"}
        client.cookies.clear()
        signs = cookie | {"X-CSRF-Token": me["csrf_token"]}
        made = await client.post("/api/tokens", json={"title": "t", "scopes": ["read"]}, headers=signs)
        token, bearer = made.json()["id"], {"Authorization": f"Bearer {made.json()['token']}"}
        said = await heard(client, bearer, lambda: client.delete(f"/api/tokens/{token}", headers=signs))
        assert said[-1] == "ended"
        said = await heard(client, cookie, lambda: client.delete("/api/session", headers=signs))
        assert said[-1] == "ended"
        assert json.loads((await client.get("/api/me", headers=cookie)).text)["code"] == "signed_out"
