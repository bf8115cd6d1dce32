"""The doors: who may come through which, and in what form a refusal is told."""

import gzip
import json
from dataclasses import replace
from pathlib import Path
from typing import Any

import httpx
import pytest
from fastapi import APIRouter
from tests.conftest import ROOT
from tests.web.doors import DOORS, OPEN_TO_ALL, RELEASE, ROLES, SCOPES, Door
from tests.world import World, policy

from dogana.demo.cast import ACTORS, PASSWORD
from dogana.service.actor import Actor, Role, rights_of
from dogana.service.people import tokens
from dogana.store import people as store_accounts
from dogana.web.access import say_rights
from dogana.web.app import make_app

WHO = {
    "approver": "ilse",
    "policy owner": "marco",
    "requester": "noor",
    "auditor": "wanjiru",
    "administrator": "dario",
}


def browser(world: World) -> httpx.AsyncClient:
    return httpx.AsyncClient(transport=httpx.ASGITransport(world.app()), base_url="https://dogana")


async def signed_in(world: World, who: str) -> httpx.AsyncClient:
    client = browser(world)
    credentials = {"email": f"{who.upper()}@corvale.example", "password": PASSWORD}
    answer = await client.post("/api/session", json=credentials)
    client.headers["X-CSRF-Token"] = answer.json()["csrf_token"]
    return client


async def knock(client: httpx.AsyncClient, door: Door, number: int) -> tuple[int, str]:
    """What is answered: the status, and the code of a refusal."""
    path = door.path.replace("{number}", str(number))
    answer = await client.request(door.method, path, json=door.body)
    assert answer.status_code < 500, (door.name, answer.text)
    kind = answer.headers["content-type"] if answer.content else ""
    if kind == "application/scim+json":
        return answer.status_code, {401: "signed_out", 403: "forbidden"}.get(answer.status_code, "")
    return answer.status_code, answer.json()["code"] if kind == "application/problem+json" else ""


@pytest.mark.parametrize(
    "role",
    [
        "requester",
        "nobody",
        *(pytest.param(role, marks=pytest.mark.thorough) for role in WHO if role != "requester"),
    ],
)
async def test_every_door_opens_to_whom_it_should(world: World, role: str):
    """Each route as each role and as nobody, against one table written by hand."""
    number = (await world.waiting()).number
    client = await signed_in(world, WHO[role]) if role in WHO else browser(world)
    for door in DOORS:
        status, code = await knock(client, door, number)
        if role == "nobody":
            assert (status, code) == (401, "signed_out"), door.name
        else:
            assert (code == "forbidden") == (role not in ROLES[door.right]), (door.name, status)
        if door.path.endswith("withdraw") and status == 200:
            number = (await world.ask("rehearsal")).number


async def everything(world: World) -> Actor:
    """Somebody with every role, so that nothing but the token holds them back."""
    async with world.backend.database.transaction() as session:
        person = await store_accounts.person(session, "adaeze")
        person.roles = [role.value for role in Role]
    return replace(ACTORS["adaeze"], rights=rights_of([role.value for role in Role]))


async def with_token(world: World, **of: Any) -> httpx.AsyncClient:
    token = await world.token(await everything(world), title="t", days=1, **of)
    client = browser(world)
    client.headers["Authorization"] = f"Bearer {token}"
    return client


@pytest.mark.thorough
@pytest.mark.parametrize("scope", SCOPES)
async def test_a_scope_is_the_whole_of_what_a_token_may(world: World, scope: str):
    """Whatever its owner may besides; what is one's own takes a session."""
    number = (await world.waiting()).number
    client = await with_token(world, scopes=[scope])
    for door in DOORS:
        _, code = await knock(client, door, number)
        assert (code == "forbidden") == (door.right not in SCOPES[scope]), door.name
        if door.path.endswith("withdraw") and code == "":
            number = (await world.ask("rehearsal")).number


@pytest.mark.thorough
@pytest.mark.parametrize("limit", [{"services": ["field-app"]}, {"environments": ["live-north"]}])
async def test_a_token_for_other_services_or_environments_opens_nothing(world: World, limit: dict):
    """Nor any list: those are of everything. What its clearance says it is for is told with the clearance."""
    number = (await world.waiting()).number
    client = await with_token(world, scopes=["read", "request", "decide", "deploy"], **limit)
    for door in DOORS:
        status, code = await knock(client, door, number)
        if door.template.startswith("/api/clearances/"):
            assert (status, code) in {(200, ""), (409, "bad_clearance")}
        else:
            assert code == "forbidden", door.name


async def test_a_token_for_a_service_and_environment_does_its_work_there(world: World):
    """It asks, reads what it asked for and adds evidence; the same of others is refused."""
    limit = {"services": ["taps-portal"], "environments": ["bench"]}
    client = await with_token(world, scopes=["request"], **limit)
    asked = {**RELEASE, "service": "taps-portal", "to": "bench"}
    answer = await client.post("/api/promotions", json=asked)
    assert answer.status_code == 201, answer.text
    number = answer.json()["number"]
    assert (await client.get(f"/api/promotions/{number}/dossier")).status_code == 200
    refused = await client.post("/api/promotions", json=asked | {"to": "rehearsal"})
    assert refused.json()["detail"] == "This token is for the environment bench alone."
    bundle = {"title": "b", "promotions": [asked, asked | {"service": "field-app"}]}
    assert (await client.post("/api/bundles", json=bundle)).json()["code"] == "forbidden"
    await world.refresh(number)
    above = await world.ask("rehearsal") if (await world.land(number)) else None
    assert (await client.get(f"/api/promotions/{above.number}")).json()["code"] == "forbidden"


async def test_a_clearance_is_told_to_no_token_for_another_environment(world: World):
    """Neither whether it is good, nor the values that it opens."""
    number = (await world.ask()).number
    clearance = await world.depart(number)
    for scope, path in (("read", "introspect"), ("deploy", "values")):
        client = await with_token(world, scopes=[scope], environments=["live-north"])
        answer = await client.post(f"/api/clearances/{path}", json={"clearance": clearance})
        assert (answer.status_code, answer.json()["code"]) == (403, "forbidden")


def test_the_table_of_doors_is_complete(world_openapi):
    """A route added without saying who may use it fails here, and so does one whose right was changed."""
    described = {
        f"{method.upper()} {path}": " or ".join(item["x-rights"])
        for path, methods in world_openapi["paths"].items()
        for method, item in methods.items()
    }
    known = {door.name: door.right for door in DOORS} | dict.fromkeys(OPEN_TO_ALL, "")
    known |= {"DELETE /api/session": "own", "GET /api/events": "read"}
    assert described == known


def test_a_route_that_names_no_right_ends_the_start():
    """Deny by default: nothing is open because somebody forgot to say who may."""
    router = APIRouter(prefix="/api")

    @router.get("/secrets")
    async def secrets() -> str:
        return "all of them"

    with pytest.raises(RuntimeError, match="/api/secrets does not name the right"):
        say_rights(router.routes)


@pytest.fixture
async def world_openapi(world: World):
    return world.app().openapi()


async def test_the_published_openapi_document_is_the_one_served(world_openapi):
    """`dogana openapi > docs/openapi.json` after changing a route."""
    assert json.loads((ROOT / "docs" / "openapi.json").read_text()) == json.loads(json.dumps(world_openapi))


async def test_signing_in_and_out(world: World):
    """The cookie is out of scripts' reach; the session ends on the server."""
    client = browser(world)
    for wrong in (
        {"email": "ilse@corvale.example", "password": "x"},
        {"email": "x@y.example", "password": PASSWORD},
    ):
        answer = await client.post("/api/session", json=wrong)
        assert (answer.status_code, answer.json()["detail"]) == (
            401,
            "The mail address or the password is wrong.",
        )
    client = await signed_in(world, "ilse")
    kept = client.cookies["dogana_session"]
    me = (await client.get("/api/me")).json()
    assert (me["name"], me["roles"]) == ("Ilse Brandt", ["approver"])
    assert (await client.delete("/api/session")).json() == {"then": None}
    client.cookies.set("dogana_session", kept)
    assert (await client.get("/api/me")).status_code == 401


async def test_the_session_cookie_is_guarded(world: World):
    """HttpOnly and SameSite, so no script reads it and no foreign form sends it."""
    answer = await browser(world).post(
        "/api/session", json={"email": "ilse@corvale.example", "password": PASSWORD}
    )
    cookie = answer.headers["set-cookie"].lower()
    assert "httponly" in cookie
    assert "samesite=lax" in cookie


async def test_a_forged_request_is_refused(world: World):
    """The cookie alone changes nothing."""
    row = await world.waiting()
    client = await signed_in(world, "ilse")
    shown = (await client.get(f"/api/promotions/{row.number}/dossier")).json()["mine"]["shown"]
    for token in ("", "wrong", "wr\u00f6ng"):
        client.headers["X-CSRF-Token"] = token
        answer = await client.post(f"/api/promotions/{row.number}/approve", json={"shown": shown})
        assert (answer.status_code, answer.json()["code"]) == (403, "forbidden")
    assert "approve" not in await world.actions(row.number)


async def test_a_token_does_what_its_scopes_say_until_revoked(world: World):
    """Within its owner's rights, without a cookie or a CSRF token."""
    token = await world.token(ACTORS["dario"], person="pipeline", title="ci", scopes=("request",), days=1)
    client = browser(world)
    client.headers["Authorization"] = f"Bearer {token}"
    asked = {
        "service": "taps-portal",
        "version": "1.2.0",
        "to": "bench",
        "revision": "v1.2.0",
        "artifacts": [{"name": "a", "digest": "sha256:" + "a" * 64, "size": 1}],
    }
    answer = await client.post("/api/promotions", json=asked)
    assert (answer.status_code, answer.json()["state"]) == (201, "waiting")
    assert (await world.refresh(answer.json()["number"])).row.state == "moving"
    assert (await client.post(f"/api/promotions/{answer.json()['number']}/land", json={})).status_code == 403
    (shown,) = await tokens.tokens(world.backend, ACTORS["dario"])
    await tokens.revoke_token(world.backend, ACTORS["dario"], shown.id)
    assert (await client.get("/api/desk")).status_code == 401


NUL = {"name": "note", "kind": "attestation", "produced_at": "2026-01-01T00:00Z", "by": "x"}


async def test_what_the_database_cannot_keep_is_refused_not_a_fault(world: World):
    """A NUL in text or in JSON, wherever it comes in."""
    await world.landed()
    client = await signed_in(world, "noor")
    for report in (NUL | {"content": {"a": "b\x00"}}, NUL | {"by": "x\x00", "content": {}}):
        answer = await client.post("/api/services/taps-portal/releases/1.2.0/evidence", json=report)
        assert answer.status_code == 422, answer.text


BAD = {
    "no JSON": ("POST", "/api/promotions", "{", 422, ""),
    "a missing field": ("POST", "/api/promotions", '{"service": "a"}', 422, "/version"),
    "an unknown field": (
        "POST",
        "/api/promotions",
        '{"service":"a","version":"1","to":"b","speed":1}',
        422,
        "/speed",
    ),
    "a digest of the wrong shape": (
        "POST",
        "/api/promotions",
        '{"service":"a","version":"1","to":"b","artifacts":[{"name":"x","digest":"md5:1","size":1}]}',
        422,
        "/artifacts/0/digest",
    ),
    "an unknown service": (
        "POST",
        "/api/promotions",
        '{"service":"a","version":"1","to":"b"}',
        422,
        "/service",
    ),
    "an unknown promotion": ("GET", "/api/promotions/999999/dossier", None, 404, None),
    "a number that is none": ("GET", "/api/promotions/x", None, 422, "/path/number"),
    "an unknown address": ("GET", "/api/nothing", None, 404, None),
    "another method": ("PUT", "/api/desk", None, 405, None),
}


@pytest.mark.parametrize("name", BAD)
async def test_every_error_is_a_problem_with_its_place(world: World, name: str):
    """RFC 9457, with the reason and, where there is one, the field."""
    method, path, body, status, place = BAD[name]
    client = await signed_in(world, "ilse")
    headers = {"Content-Type": "application/json"} if body else {}
    answer = await client.request(method, path, content=body, headers=headers)
    problem = answer.json()
    assert answer.headers["content-type"] == "application/problem+json"
    assert (answer.status_code, problem["status"]) == (status, status)
    assert problem["detail"]
    if place is not None:
        assert any(fault["pointer"].startswith(place) for fault in problem["fields"])


async def test_an_invalid_policy_is_refused_with_the_path_to_the_error(world: World):
    """From YAML as from JSON, through the door people use."""
    client = await signed_in(world, "marco")
    document = policy({"id": "soak", "kind": "soak", "title": "Soak", "at_least": "a while"})
    for sent in (document, json.dumps(document)):
        answer = await client.post("/api/environments/bench/policies", json={"document": sent})
        assert answer.status_code == 422
        assert answer.json()["fields"][0]["pointer"] == "/rules/0/at_least"


async def test_files_of_the_front_end_are_served_and_nothing_else(world: World, tmp_path: Path):
    """Every address opens the one page; none reaches out of the folder."""
    folder = tmp_path / "built"
    folder.mkdir()
    (folder / "index.html").write_text("the page")
    (tmp_path / "secret").write_text("secret")
    settings = world.app().state.settings.model_copy(update={"web_dir": folder})
    client = httpx.AsyncClient(
        transport=httpx.ASGITransport(make_app(settings, world.backend)), base_url="https://d"
    )
    for path in ("/", "/promotion/1001", "/..%2fsecret", "/%2e%2e/secret"):
        assert (await client.get(path)).text == "the page"
    assert (await client.get("/")).headers["x-frame-options"] == "DENY"


async def test_a_file_comes_packed_as_the_browser_takes_it_and_only_once(world: World, tmp_path: Path):
    """The smallest that was asked for; never as the page of its kind; unchanged, it is not sent again."""
    (tmp_path / "index.html").write_text("the page")
    (tmp_path / "a.js").write_text("plain")
    (tmp_path / "a.js.gz").write_bytes(gzip.compress(b"gzipped"))
    (tmp_path / "a.js.br").write_bytes(b"brotli")
    settings = world.app().state.settings.model_copy(update={"web_dir": tmp_path})
    client = httpx.AsyncClient(
        transport=httpx.ASGITransport(make_app(settings, world.backend)), base_url="https://d"
    )
    taken = {"gzip, deflate, br": "br", "gzip;q=0.5": "gzip", "identity": None, "brotlike": None}
    for accepted, packed in taken.items():
        async with client.stream("GET", "/a.js", headers={"Accept-Encoding": accepted}) as answer:
            assert answer.headers.get("content-encoding") == packed
            assert (answer.headers["content-type"], answer.headers["vary"]) == (
                "text/javascript",
                "Accept-Encoding",
            )
    first = await client.get("/a.js", headers={"Accept-Encoding": "identity"})
    assert first.text == "plain"
    again = {"Accept-Encoding": "identity", "If-None-Match": first.headers["etag"]}
    assert (await client.get("/a.js", headers=again)).status_code == 304
    assert (await client.post("/a.js")).status_code == 405
    (tmp_path / "a.js").write_text("changed, and longer")
    assert (await client.get("/a.js", headers=again)).text == "changed, and longer"
