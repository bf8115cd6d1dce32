"""The doors: who may come through which, and in what form a refusal is told."""

import json
from pathlib import Path

import httpx
import pytest
from tests.conftest import ROOT
from tests.world import World, policy

from dogana.demo.cast import PASSWORD
from dogana.demo.simulate import ACTORS
from dogana.service import accounts
from dogana.web.app import make_app

ANY = {"approver", "policy owner", "requester", "auditor", "administrator"}
WHO = {
    "approver": "ilse",
    "policy owner": "marco",
    "requester": "noor",
    "auditor": "wanjiru",
    "administrator": "dario",
}
SHOWN = {"artifacts": "sha256:" + "0" * 64, "policy": "sha256:" + "0" * 64}
NEW = {"service": "nothing", "version": "1", "to": "bench"}
TOKEN = {"person": "pipeline", "title": "t", "scopes": ["read"]}
WAIVER = {"rule": "tickets", "until": "2026-03-11T00:00:00Z", "reason": "r", "shown": SHOWN}
STAND_IN = {"person": "x", "stands_in_for": "y", "start": "2026-01-01T00:00Z", "end": "2026-01-02T00:00Z"}
CALENDAR = {"title": "Feasts", "zone": "Europe/Rome", "windows": []}
REPORT = {
    "name": "scan",
    "kind": "scan",
    "produced_at": "2026-01-01T00:00Z",
    "by": "a scanner",
    "content": {"critical": 0},
}
ENVIRONMENT = {"title": "Spare", "zone": "Europe/Rome", "departs": "at once"}
SOURCE = {"kind": "metrics", "title": "Spare", "settings": {"address": "http://metrics"}}
RELEASE = {
    "version": "1.2.0",
    "revision": "v1.2.0",
    "artifacts": [{"name": "portal.tar.gz", "digest": "sha256:" + "a" * 64, "size": 1234}],
}
PERSON = {
    "name": "Zoe Zander",
    "email": "zoe@corvale.example",
    "roles": ["auditor"],
    "password": "long enough to keep",
}
DOORS = {
    "GET /api/desk": (ANY, None),
    "GET /api/routes": (ANY, None),
    "GET /api/promotions": (ANY, None),
    "POST /api/promotions": ({"approver", "requester"}, NEW),
    "GET /api/promotions/{number}": (ANY, None),
    "GET /api/promotions/{number}/dossier": (ANY, None),
    "POST /api/promotions/{number}/approve": ({"approver"}, {"shown": SHOWN}),
    "POST /api/promotions/{number}/turn-back": ({"approver"}, {"shown": SHOWN, "comment": "no"}),
    "POST /api/promotions/{number}/retract": ({"approver"}, {}),
    "POST /api/promotions/{number}/comments": (ANY - {"auditor"}, {"comment": "Why?"}),
    "POST /api/promotions/{number}/withdraw": (ANY, {}),
    "POST /api/promotions/{number}/reschedule": ({"approver", "requester"}, {}),
    "PUT /api/promotions/{number}/looking": (ANY, None),
    "DELETE /api/promotions/{number}/looking": (ANY, None),
    "PUT /api/filters/mine": (ANY, {"query": "at=bench"}),
    "DELETE /api/filters/mine": (ANY, None),
    "POST /api/promotions/{number}/depart": ({"approver", "requester"}, None),
    "POST /api/promotions/{number}/land": ({"approver", "requester"}, {}),
    "POST /api/promotions/{number}/roll-back": ({"approver", "requester"}, {}),
    "POST /api/promotions/{number}/cancel": ({"approver"}, {}),
    "POST /api/promotions/{number}/accept": ({"approver"}, {}),
    "POST /api/promotions/{number}/urgent": ({"approver"}, {}),
    "POST /api/promotions/{number}/exchange": ({"approver", "requester"}, {"version": "9", "comment": ""}),
    "GET /api/closings": (ANY, None),
    "POST /api/closings": (
        {"approver"},
        {"environment": "bench", "until": "2001-01-01T00:00Z", "reason": "storm"},
    ),
    "POST /api/closings/96/open": ({"approver"}, {"reason": ""}),
    "POST /api/promotions/{number}/waivers": ({"approver"}, WAIVER),
    "POST /api/promotions/{number}/waivers/tickets/grant": ({"approver"}, {}),
    "POST /api/promotions/{number}/waivers/tickets/revoke": ({"approver"}, {}),
    "GET /api/groups": (ANY, None),
    "PUT /api/groups/divers": ({"administrator"}, {"title": "divers"}),
    "PUT /api/people/zoe": ({"administrator"}, PERSON),
    "GET /api/stand-ins": (ANY, None),
    "POST /api/stand-ins": ({"administrator"}, STAND_IN),
    "DELETE /api/stand-ins/98": (ANY, None),
    "GET /api/calendars": (ANY, None),
    "PUT /api/calendars/feasts": ({"policy owner"}, CALENDAR),
    "DELETE /api/calendars/none": ({"policy owner"}, None),
    "POST /api/bundles": ({"approver", "requester"}, {"title": "b", "promotions": [NEW, NEW]}),
    "POST /api/promotions/{number}/prepared": ({"approver", "requester"}, {}),
    "POST /api/promotions/{number}/clearance/revoke": ({"approver"}, {}),
    "GET /api/environments": (ANY, None),
    "GET /api/environments/bench": (ANY, None),
    "PUT /api/environments/spare": ({"administrator"}, ENVIRONMENT),
    "GET /api/travel-routes": (ANY, None),
    "GET /api/travel-routes/standard": (ANY, None),
    "PUT /api/travel-routes/spare": ({"administrator"}, {"title": "Spare", "legs": [["bench"]]}),
    "GET /api/services": (ANY, None),
    "GET /api/services/taps-portal": (ANY, None),
    "PUT /api/services/spare": (
        {"administrator"},
        {"title": "S", "repository": "s", "route": "standard"},
    ),
    "GET /api/services/taps-portal/releases": (ANY, None),
    "POST /api/services/taps-portal/releases": ({"approver", "requester"}, RELEASE),
    "GET /api/services/taps-portal/releases/1.2.0": (ANY, None),
    "POST /api/services/taps-portal/releases/1.2.0/evidence": ({"approver", "requester"}, REPORT),
    "PUT /api/services/taps-portal/releases/1.2.0/evidence/plan?format=plan": (
        {"approver", "requester"},
        {"add": [], "change": [], "destroy": []},
    ),
    "GET /api/services/taps-portal/releases/1.2.0/evidence/plan/file": (ANY, None),
    "GET /api/services/taps-portal/values": ({"administrator"}, None),
    "PUT /api/services/taps-portal/values/KEY": ({"administrator"}, {"value": "v"}),
    "DELETE /api/services/taps-portal/values/NONE": ({"administrator"}, None),
    "POST /api/clearance-keys": ({"administrator"}, None),
    "POST /api/clearances/introspect": (ANY, {"clearance": "x"}),
    "POST /api/clearances/values": ({"approver", "requester"}, {"clearance": "x"}),
    "GET /api/source-kinds": (ANY, None),
    "GET /api/sources": (ANY, None),
    "PUT /api/sources/spare": ({"administrator"}, SOURCE),
    "DELETE /api/sources/none": ({"administrator"}, None),
    "POST /api/source-trials": (
        {"administrator"},
        {"kind": "tickets", "settings": {"address": "http://tracker/tickets/{key}"}, "ask": "TAPS-1"},
    ),
    "PUT /api/calendars/feasts/ics": ({"policy owner"}, None),
    "GET /api/calendars/feasts/ics": (ANY, None),
    "GET /api/environments/bench/ics": (ANY, None),
    "GET /api/promotions/{number}/change": (ANY, None),
    "GET /api/promotions/{number}/commits/" + "0" * 40: (ANY, None),
    "GET /api/senders": (ANY, None),
    "PUT /api/senders/spare": ({"administrator"}, {"title": "S", "person": "pipeline"}),
    "DELETE /api/senders/none": ({"administrator"}, None),
    "GET /api/arrivals": (ANY, None),
    "GET /api/subscribers": (ANY, None),
    "PUT /api/subscribers/spare": ({"administrator"}, {"title": "S", "address": "http://tracker/x"}),
    "DELETE /api/subscribers/none": ({"administrator"}, None),
    "GET /api/deliveries": (ANY, None),
    "POST /api/deliveries/97/resend": ({"administrator"}, None),
    "GET /api/policy-board": (ANY, None),
    "GET /api/people": (ANY, None),
    "GET /api/tokens": ({"administrator"}, None),
    "GET /api/timeline": (ANY, None),
    "GET /api/environments/bench/policies": (ANY, None),
    "GET /api/environments/bench/policies/99/changes": (ANY, None),
    "POST /api/environments/bench/policies/preview": (ANY, {"document": "no"}),
    "POST /api/environments/bench/policies/rehearsal": (ANY, {"document": "no"}),
    "POST /api/environments/bench/policies": ({"policy owner"}, {"document": "no"}),
    "POST /api/environments/bench/policies/99/adopt": ({"policy owner"}, {}),
    "GET /api/ledger": (ANY, None),
    "GET /api/ledger/filters": (ANY, None),
    "GET /api/ledger/export": (ANY, None),
    "POST /api/tokens": ({"administrator"}, TOKEN),
    "DELETE /api/tokens/99": ({"administrator"}, None),
}
OPEN_TO_ALL = {
    "POST /api/session",
    "GET /api/policy-schema",
    "GET /.well-known/jwks.json",
    "POST /api/hooks/{sender}",
    "GET /api/feeds/{token}/{environment}.ics",
}
"""Those that carry a signature or a token of their own are tested with what they are for."""
ELSEWHERE = {"GET /api/me", "DELETE /api/session", "GET /api/events"}


def browser(world: World) -> httpx.AsyncClient:
    return httpx.AsyncClient(transport=httpx.ASGITransport(world.app()), base_url="http://dogana")


async def signed_in(world: World, who: str) -> httpx.AsyncClient:
    client = browser(world)
    credentials = {"email": f"{who.upper()}@corvale.example", "password": PASSWORD}
    answer = await client.post("/api/session", json=credentials)
    client.headers["X-CSRF-Token"] = answer.json()["csrf_token"]
    return client


async def test_every_door_opens_to_whom_it_should(world: World):
    """Each route as each role and as nobody, against one table; refused ones change nothing."""
    number = (await world.waiting()).number
    nobody = browser(world)
    for role, who in WHO.items():
        client = await signed_in(world, who)
        for door, (allowed, body) in DOORS.items():
            method, path = door.replace("{number}", str(number)).split(" ")
            answer = await client.request(method, path, json=body)
            assert answer.status_code < 500, (role, door)
            refused = answer.status_code == 403
            assert refused == (
                role not in allowed or (door.endswith("withdraw") and role not in {"approver", "requester"})
            ), (role, door, answer.text)
            if door.endswith("withdraw") and not refused:
                number = (await world.ask("rehearsal")).number
            assert (await nobody.request(method, path, json=body)).status_code == 401, door


def test_the_table_of_doors_is_complete(world_openapi):
    """A route added without saying who may use it fails here."""
    doors = {f"{method.upper()} {path}" for path, item in world_openapi["paths"].items() for method in item}
    known = {door.replace("/99", "/{version}" if "policies" in door else "/{token_id}") for door in DOORS}
    for given, name in (
        ("/environments/bench/", "/environments/{environment}/"),
        ("/environments/bench", "/environments/{name}"),
        ("/environments/spare", "/environments/{name}"),
        ("/travel-routes/standard", "/travel-routes/{name}"),
        ("/travel-routes/spare", "/travel-routes/{name}"),
        ("/services/taps-portal/", "/services/{service}/"),
        ("/services/taps-portal", "/services/{name}"),
        ("/services/spare", "/services/{name}"),
        ("/releases/1.2.0", "/releases/{version}"),
        ("/evidence/plan", "/evidence/{name}"),
        ("?format=plan", ""),
        ("/values/KEY", "/values/{name}"),
        ("/values/NONE", "/values/{name}"),
        ("/sources/spare", "/sources/{name}"),
        ("/sources/none", "/sources/{name}"),
        ("/senders/spare", "/senders/{name}"),
        ("/senders/none", "/senders/{name}"),
        ("/subscribers/spare", "/subscribers/{name}"),
        ("/subscribers/none", "/subscribers/{name}"),
        ("/deliveries/97", "/deliveries/{number}"),
        ("/closings/96/", "/closings/{number}/"),
        ("/waivers/tickets/", "/waivers/{rule}/"),
        ("/stand-ins/98", "/stand-ins/{number}"),
        ("/calendars/feasts", "/calendars/{name}"),
        ("/calendars/none", "/calendars/{name}"),
        ("/commits/" + "0" * 40, "/commits/{revision}"),
        ("/filters/mine", "/filters/{name}"),
        ("/groups/divers", "/groups/{name}"),
        ("/people/zoe", "/people/{name}"),
    ):
        known = {door.replace(given, name) for door in known}
    assert doors == known | OPEN_TO_ALL | ELSEWHERE


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
    assert (await client.delete("/api/session")).status_code == 204
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
    row, token = await accounts.make_token(
        world.backend, ACTORS["dario"], person="pipeline", title="ci", scopes=["request"], days=1
    )
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
    await accounts.revoke_token(world.backend, ACTORS["dario"], row.id)
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
        assert any(fault["place"].startswith(place) for fault in problem["fields"])


async def test_an_invalid_policy_is_refused_with_the_path_to_the_error(world: World):
    """From YAML as from JSON, through the door people use."""
    client = await signed_in(world, "marco")
    document = policy({"id": "soak", "kind": "soak", "title": "Soak", "at_least": "a while"})
    for sent in (document, json.dumps(document)):
        answer = await client.post("/api/environments/bench/policies", json={"document": sent})
        assert answer.status_code == 422
        assert answer.json()["fields"][0]["place"] == "/rules/0/at_least"


async def test_files_of_the_front_end_are_served_and_nothing_else(world: World, tmp_path: Path):
    """Every address opens the one page; none reaches out of the folder."""
    folder = tmp_path / "built"
    folder.mkdir()
    (folder / "index.html").write_text("the page")
    (tmp_path / "secret").write_text("secret")
    settings = world.app().state.settings.model_copy(update={"web_dir": folder})
    client = httpx.AsyncClient(
        transport=httpx.ASGITransport(make_app(settings, world.backend)), base_url="http://d"
    )
    for path in ("/", "/promotion/1001", "/..%2fsecret", "/%2e%2e/secret"):
        assert (await client.get(path)).text == "the page"
    assert (await client.get("/")).headers["x-frame-options"] == "DENY"
