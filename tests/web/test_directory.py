"""Signing in at a directory, a real provider in a process of its own; who may not come in is told why."""

import json
import subprocess
import sys
import time
from collections.abc import Iterator
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from urllib.parse import parse_qs, urlsplit

import httpx
import pytest
from tests.waiting import answers
from tests.web.test_access import browser, signed_in
from tests.world import World

from dogana.core.errors import SignedOutError
from dogana.demo.cast import ACTORS, PASSWORD
from dogana.demo.cluster import free_port
from dogana.demo.past_sources import SimulatedClock
from dogana.service.actor import SignIn
from dogana.service.backend import Granted, Passwords, StepUp
from dogana.service.people import leaving, sessions, tokens
from dogana.service.people.sessions import Caller
from dogana.service.views import ledger as ledger_pages
from dogana.sources.directory import OidcDirectory
from dogana.store.ledger import EntryFilter

pytestmark = pytest.mark.thorough

OURS = "https://dogana"


@pytest.fixture(scope="module")
def provider() -> Iterator[str]:
    port = free_port()
    command = [sys.executable, "-W", "ignore", "-m", "oidc_provider_mock", "--port", str(port)]
    with subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL) as process:
        yield answers(f"http://127.0.0.1:{port}/.well-known/openid-configuration").json()["issuer"]
        process.kill()


@pytest.fixture
async def directory(world: World, provider: str):
    async with httpx.AsyncClient() as client:
        at = OidcDirectory(
            client,
            lambda: datetime.now(UTC),
            issuer=provider,
            client_id="dogana",
            client_secret="a secret",
            name="Corvale directory",
            groups_claim="groups",
        )
        world.backend = replace(world.backend, directory=at, source=OURS)
        yield provider


def is_there(provider: str, subject: str, **claims) -> None:
    httpx.put(f"{provider}/users/{subject}", json=claims).raise_for_status()


def ilse(provider: str, **claims) -> None:
    is_there(provider, "u-1", email="Ilse@corvale.example", email_verified=True, **claims)


async def there(
    client: httpx.AsyncClient, subject: str = "u-1", then: str = "/ledger", *, again: bool = False
) -> str:
    """Where the provider sends a browser back to, once somebody has signed in there."""
    began = await client.get("/api/sign-in/begin", params={"then": then, "again": again})
    assert began.status_code == 303, began.text
    async with httpx.AsyncClient() as outside:
        answer = await outside.post(began.headers["Location"], data={"sub": subject})
    assert answer.status_code in {302, 303}, answer.text
    return answer.headers["Location"].removeprefix(OURS)


async def come_in(client: httpx.AsyncClient, **how) -> str:
    """Where one ends up."""
    return (await client.get(await there(client, **how))).headers["Location"]


async def entries(world: World, action: str) -> list[str]:
    page = await ledger_pages.ledger_page(world.backend, ACTORS["wanjiru"], EntryFilter(action=action), 20)
    return [f"{one.says} {one.reason}".strip() for one in page.entries]


async def test_one_comes_in_with_the_account_one_has(world: World, directory: str):
    """By the address the first time, and by what names one there for good from then on; all on record."""
    ilse(directory)
    client = browser(world)
    assert (await client.get("/api/sign-in")).json() == {"directory": "Corvale directory", "passwords": True}
    assert await come_in(client) == "/ledger"
    assert (await client.get("/api/me")).json()["name"] == "Ilse Brandt"
    assert await entries(world, "link account") == ["Ilse Brandt signs in at the directory from now on."]
    assert "Ilse Brandt signed in at Corvale directory." in await entries(world, "sign in")
    is_there(directory, "u-1", email="married@corvale.example", email_verified=True)
    assert await come_in(browser(world)) == "/ledger"
    is_there(directory, "u-2", email="ilse@corvale.example", email_verified=True)
    assert await come_in(browser(world), subject="u-2") == "/sign-in?refused=unknown"


@pytest.mark.parametrize(
    ("claims", "why"),
    [
        ({"email": "nobody@corvale.example", "email_verified": True}, "unknown"),
        ({"email": "ilse@corvale.example", "email_verified": False}, "unknown"),
        ({"email": "ilse@corvale.example"}, "unknown"),
        ({"email": "pipeline@corvale.example", "email_verified": True}, "unknown"),
        ({}, "unknown"),
    ],
)
async def test_who_is_nobody_here_is_not_let_in(world: World, directory: str, claims: dict, why: str):
    """Nor is a machine, nor whoever typed somebody's address there; it is on record."""
    is_there(directory, "u-3", **claims)
    client = browser(world)
    assert await come_in(client, subject="u-3") == f"/sign-in?refused={why}"
    assert (await client.get("/api/me")).status_code == 401
    assert await entries(world, "failed sign-in") == [
        "Somebody who came from Corvale directory was not let in. Nobody here has that account."
    ]


async def test_who_left_is_not_let_in(world: World, directory: str):
    """Though the directory still has them."""
    ilse(directory)
    assert await come_in(browser(world)) == "/ledger"
    await leaving.remove_person(world.backend, ACTORS["dario"], "ilse")
    assert await come_in(browser(world)) == "/sign-in?refused=disabled"


async def test_an_answer_is_good_for_the_browser_that_asked_once_and_for_ten_minutes(
    world: World, directory: str
):
    """Neither in another's browser, nor a second time, nor late, nor with another state."""
    ilse(directory)
    mine = browser(world)
    answer = await there(mine)
    assert (await browser(world).get(answer)).headers["Location"] == "/sign-in?refused=other"
    other = browser(world)
    await there(other)
    assert (await other.get(answer)).headers["Location"] == "/sign-in?refused=other"
    assert (await mine.get(answer)).headers["Location"] == "/ledger"
    assert (await mine.get(answer)).headers["Location"] == "/sign-in?refused=other"
    late = browser(world)
    answer = await there(late)
    world.clock.now += timedelta(minutes=11)
    assert (await late.get(answer)).headers["Location"] == "/sign-in?refused=late"
    denied = browser(world)
    state = parse_qs(urlsplit(await there(denied)).query)["state"][0]
    gone = await denied.get(
        "/api/sign-in/back", params={"error": "access_denied", "state": state, "code": "x"}
    )
    assert gone.headers["Location"] == "/sign-in?refused=unbelieved"


@pytest.mark.parametrize(
    "then",
    ["https://elsewhere.example/", "//elsewhere.example", "/\\elsewhere.example", "desk", "/a\r\nb", ""],
)
async def test_one_is_sent_nowhere_else(world: World, directory: str, then: str):
    """What follows is a path of ours."""
    ilse(directory)
    assert await come_in(browser(world), then=then) == "/desk"


async def test_what_one_is_there_is_what_one_may_here(world: World, directory: str):
    """Roles and groups follow the directory with each coming in, on record; nothing there is nothing here."""
    mapping = {
        "desk": Granted(roles=("approver",), groups=("release-desk",)),
        "owners": Granted(roles=("policy owner",)),
        "ghosts": Granted(roles=("approver",), groups=("ghosts",)),
    }
    world.backend = replace(world.backend, mapping=mapping)
    ilse(directory, groups=["desk", "owners", "unheard of"])
    client = browser(world)
    assert await come_in(client) == "/ledger"
    me = (await client.get("/api/me")).json()
    assert (me["roles"], [one["id"] for one in me["groups"]]) == (
        ["approver", "policy owner"],
        ["release-desk"],
    )
    assert any("The directory says so." in one for one in await entries(world, "set up"))
    ilse(directory, groups=["owners"])
    again = browser(world)
    assert await come_in(again) == "/ledger"
    assert (await again.get("/api/me")).json()["roles"] == ["policy owner"]
    assert (await client.get("/api/me")).status_code == 401, "what one had signed in with has ended"
    for groups, why in (([], "nothing"), (None, "nothing"), (["ghosts"], "impossible")):
        ilse(directory, **({} if groups is None else {"groups": groups}))
        assert await come_in(browser(world)) == f"/sign-in?refused={why}"


async def test_the_directory_does_not_take_the_last_administrator_away(world: World, directory: str):
    """Somebody has to be able to set it right."""
    world.backend = replace(world.backend, mapping={"desk": Granted(roles=("approver",))})
    is_there(directory, "u-9", email="dario@corvale.example", email_verified=True, groups=["desk"])
    assert await come_in(browser(world), subject="u-9") == "/sign-in?refused=impossible"
    actor = (
        await sessions.sign_in(world.backend, "dario@corvale.example", PASSWORD, Caller(address="a"))
    ).actor
    assert "administer" in actor.rights


async def test_passwords_are_closed_but_for_one_whose_use_alarms(world: World, directory: str):
    """In the same words and after the same work as for nobody; each use of the one is an entry of its own."""
    closed = Passwords(closed=True, break_glass="dario")
    world.backend = replace(world.backend, passwords=closed)
    caller = Caller(address="10.0.0.9")
    for email in ("ilse@corvale.example", "nobody@corvale.example"):
        with pytest.raises(SignedOutError, match=r"The mail address or the password is wrong\."):
            await sessions.sign_in(world.backend, email, PASSWORD, caller)
    assert await entries(world, "break glass") == []
    await sessions.sign_in(world.backend, "dario@corvale.example", PASSWORD, caller)
    assert await entries(world, "break glass") == [
        "Dario Conti signed in by a password, though those are closed."
    ]
    assert (await browser(world).get("/api/sign-in")).json()["passwords"] is False


async def test_without_a_directory_nobody_comes_from_one(world: World):
    """And one that is away is said."""
    client = browser(world)
    assert (await client.get("/api/sign-in")).json() == {"directory": None, "passwords": True}
    assert (await client.get("/api/sign-in/begin")).headers["Location"] == "/sign-in?refused=away"
    sent = json.dumps({"state": "s"})
    refused = await client.get("/api/sign-in/back", params={"code": sent, "state": sent})
    assert refused.headers["Location"] == "/sign-in?refused=away"


async def test_what_weighs_most_takes_a_sign_in_of_just_now(world: World, directory: str, monkeypatch):
    """One that is older, of another class, or by a token will not do; what weighs less goes on."""
    ilse(directory)
    step_up = StepUp(within=timedelta(minutes=15), acr="strong")
    world.backend = replace(world.backend, step_up=step_up)
    monkeypatch.setattr(SimulatedClock, "__call__", lambda _: datetime.now(UTC))
    number = (await world.waiting()).number
    client = await signed_in(world, "ilse")
    told = {"auth_time": int(time.time())}

    async def asks(who: httpx.AsyncClient) -> str:
        shown = (await who.get(f"/api/promotions/{number}/dossier")).json()["mine"]["shown"]
        until = (datetime.now(UTC) + timedelta(hours=1)).isoformat()
        body = {"rule": "tickets", "reason": "r", "until": until, "shown": shown}
        return (await who.post(f"/api/promotions/{number}/waivers", json=body)).json().get("code", "")

    assert await asks(client) != "step_up", "a password of just now will do"
    text = (
        await tokens.make_token(
            world.backend,
            replace(ACTORS["ilse"], sign_in=SignIn(at=datetime.now(UTC))),
            tokens.NewToken(title="t", scopes=("decide",), days=1),
        )
    ).token
    by_token = browser(world)
    by_token.headers["Authorization"] = f"Bearer {text}"
    assert await asks(by_token) == "step_up"
    landed = {"landed": "sha256:" + "0" * 64, "comment": "r"}
    for who, code in ((client, "moved_on"), (by_token, "step_up")):
        answer = await who.post(f"/api/promotions/{number}/accept", json=landed)
        assert answer.json()["code"] == code
    for claims, lets in (
        ({}, False),
        ({"auth_time": int(time.time()) - 3600, "acr": "strong"}, False),
        ({**told, "acr": "weak"}, False),
        ({"auth_time": int(time.time()) + 3600, "acr": "strong"}, False),
        ({"auth_time": str(int(time.time())), "acr": "strong"}, False),
        ({**told, "acr": "strong"}, True),
    ):
        ilse(directory, **claims)
        theirs = browser(world)
        assert await come_in(theirs) == "/ledger"
        theirs.headers["X-CSRF-Token"] = (await theirs.get("/api/me")).json()["csrf_token"]
        assert (await asks(theirs) != "step_up") == lets, claims
        again = await come_in(browser(world), again=True)
        assert again == ("/ledger" if lets else "/sign-in?refused=weak"), claims


async def test_a_fresh_sign_in_is_asked_of_the_directory(world: World, directory: str):
    world.backend = replace(world.backend, step_up=StepUp(within=timedelta(minutes=15), acr="strong"))
    for again, asked in (({}, (None, None)), ({"again": True}, (["900"], ["strong"]))):
        began = await browser(world).get("/api/sign-in/begin", params=again)
        query = parse_qs(urlsplit(began.headers["Location"]).query)
        assert (query.get("max_age"), query.get("acr_values")) == asked


async def test_who_signed_in_at_the_directory_signs_out_of_it_too(world: World, directory: str):
    """Who came in by a password does not; nor does anybody where the directory has no such thing."""
    ilse(directory)
    at = world.backend.directory
    for ends, then in (
        (f"{directory}/oauth2/end_session", True),
        ("http://elsewhere/end", False),
        (None, False),
    ):
        theirs = browser(world)
        await come_in(theirs)
        theirs.headers["X-CSRF-Token"] = (await theirs.get("/api/me")).json()["csrf_token"]
        at._known = {**at._known, "end_session_endpoint": ends}
        where = (await theirs.delete("/api/session")).json()["then"]
        assert (where is not None) == then
        if where:
            query = parse_qs(urlsplit(where).query)
            assert query == {"client_id": ["dogana"], "post_logout_redirect_uri": [f"{OURS}/sign-in"]}
        assert (await theirs.get("/api/me")).status_code == 401
    by_password = await signed_in(world, "ilse")
    assert (await by_password.delete("/api/session")).json() == {"then": None}
