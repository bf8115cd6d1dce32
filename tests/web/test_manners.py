"""What HTTP asks for, and what browsers and strangers are given of addresses that are nobody's."""

import asyncio
import base64
import hashlib
import json
import re
from pathlib import Path

import httpx
import pytest
from tests.web.test_access import browser, signed_in
from tests.web.test_nobody_stops_it import RELEASE
from tests.world import World, artifact

from dogana.service.exchange import idempotency
from dogana.service.promotions import intake
from dogana.web.app import make_app
from dogana.web.idempotency import seen

ASKED = {
    "service": "taps-portal",
    "version": "1.2.0",
    "to": "bench",
    "revision": "v1.2.0",
    "note": "Zürich \u2028 \u00e9 <b>",
    "artifacts": [artifact().plain()],
}


@pytest.mark.parametrize(
    ("method", "path"),
    [
        ("GET", "/api"),
        ("GET", "/api/"),
        ("GET", "/api/nothing"),
        ("POST", "/api/nothing"),
        ("PUT", "/api/promotions/1/nothing"),
        ("GET", "/.well-known/nothing"),
        ("GET", "/.well-known/security.txt"),
        ("DELETE", "/.well-known/x"),
        ("GET", "/api/" + "x" * 20_000),
        ("GET", "/api/%00"),
        ("GET", "/api/desk/%00"),
        ("GET", "/api/services/%00"),
        ("GET", "/api/services/a%00b/releases/%ff"),
        ("GET", "/api/promotions/%00/dossier"),
        ("GET", "/api/environments/..%2f..%2fetc"),
    ],
)
async def test_an_address_that_is_none_is_a_problem_not_the_page(world: World, method: str, path: str):
    """With the code of a problem, whoever asks and however."""
    client = await signed_in(world, "ilse")
    answer = await client.request(method, path)
    assert answer.status_code in {404, 422}, answer.text
    assert answer.headers["content-type"] == "application/problem+json"


@pytest.mark.parametrize(
    "path", ["/%00", "/a%00b", "/" + "x" * 5000, "/" + "a/" * 3000, "/%ff%fe", "/..%00/x"]
)
async def test_odd_addresses_open_the_page_and_end_in_no_fault(world: World, tmp_path: Path, path: str):
    """Nothing that comes from outside ends in a 500."""
    folder = tmp_path / "built"
    folder.mkdir()
    (folder / "index.html").write_text("<html>the page</html>")
    settings = world.app().state.settings.model_copy(update={"web_dir": folder})
    transport = httpx.ASGITransport(make_app(settings, world.backend), raise_app_exceptions=False)
    async with httpx.AsyncClient(transport=transport, base_url="https://d") as client:
        answer = await client.get(path)
        assert (answer.status_code, answer.text) == (200, "<html>the page</html>")
        refused = await client.post(path)
        assert (refused.status_code, refused.headers["allow"]) == (405, "GET, HEAD")


async def test_scripts_run_by_their_digest_alone(world: World, tmp_path: Path):
    """Those that stand in the page, and no others; nothing else that is answered may run any."""
    folder = tmp_path / "built"
    folder.mkdir()
    inline = "\n  const a = '<b>' && \"x\";\n"
    (folder / "index.html").write_text(
        f'<script>{inline}</script><script src="/a.js"></script><style>a{{}}</style>'
        '<script type="module">2</script>'
    )
    settings = world.app().state.settings.model_copy(update={"web_dir": folder})
    client = httpx.AsyncClient(
        transport=httpx.ASGITransport(make_app(settings, world.backend)), base_url="https://d"
    )
    rules = dict(
        rule.strip().split(" ", 1)
        for rule in (await client.get("/desk")).headers["content-security-policy"].split(";")
    )
    wanted = [base64.b64encode(hashlib.sha256(text.encode()).digest()).decode() for text in (inline, "2")]
    assert rules["script-src"] == f"'self' 'sha256-{wanted[0]}' 'sha256-{wanted[1]}'"
    assert "unsafe" not in rules["script-src"]
    assert (rules["object-src"], rules["frame-ancestors"]) == ("'none'", "'none'")
    (folder / "index.html").write_text("<script>3</script>")
    other = (await client.get("/desk")).headers["content-security-policy"]
    assert wanted[0] not in other
    assert "script-src 'self';" in (await client.get("/api/policy-schema")).headers["content-security-policy"]


async def test_head_is_answered_where_get_is(world: World):
    """The same headers and no body; of the stream of changes too, which would have no end."""
    client = await signed_in(world, "ilse")
    for path in ("/api/desk", "/api/policy-schema", "/api/environments/bench", "/api/nothing", "/api/events"):
        async with asyncio.timeout(5):
            head = await client.head(path)
        assert head.content == b""
        if path != "/api/events":
            get = await client.get(path)
            assert (head.status_code, head.headers["content-type"]) == (
                get.status_code,
                get.headers["content-type"],
            )


async def test_another_method_is_told_which_there_are(world: World):
    """Also where several routes share an address; and nobody is told how to come in."""
    client = await signed_in(world, "ilse")
    for method, path, allowed in (
        ("PATCH", "/api/desk", "GET, HEAD"),
        ("PATCH", "/api/environments/bench", "DELETE, GET, HEAD, PUT"),
        ("PATCH", "/api/promotions", "GET, HEAD, POST"),
        ("GET", "/api/promotions/1/approve", "POST"),
        ("POST", "/api/filters/mine", "DELETE, PUT"),
    ):
        answer = await client.request(method, path)
        assert (answer.status_code, answer.headers["allow"]) == (405, allowed), path
    answer = await browser(world).get("/api/desk")
    assert (answer.status_code, answer.headers["www-authenticate"]) == (401, 'Bearer realm="Dogana"')


def test_what_was_seen_is_read_from_a_list():
    """RFC 9110, 13.1.1: any of several, strongly compared; `*` for whatever is there."""
    assert seen(None) is None
    for given, version, fits in (
        ('"a"', "a", True),
        ('"a", "b"', "b", True),
        (' "x","b" ', "b", True),
        ('"a", "b"', "c", False),
        ('W/"a"', "a", False),
        ('W/"a", "a"', "a", True),
        ("*", "anything", True),
        ("*", None, False),
        ('"a"', None, False),
        ("", "a", False),
        ("a", "a", False),
    ):
        found = seen(given)
        assert found is not None
        try:
            found.must_be(version)
            ended = True
        except Exception:  # noqa: BLE001
            ended = False
        assert ended is fits, given


@pytest.mark.parametrize(
    "path", ["/api/environments/bench", "/api/travel-routes/standard", "/api/services/taps-portal"]
)
async def test_what_is_changed_is_what_was_seen(world: World, path: str):
    """By its tag, alone or in a list; a star changes what is there and makes nothing."""
    client = await signed_in(world, "dario")
    answer = await client.get(path)
    tag, body = answer.headers["etag"], answer.json()

    async def put(where: str, if_match: str) -> int:
        return (await client.put(where, json=body, headers={"If-Match": if_match})).status_code

    assert await put(path, f'"other", {tag}') == 200
    assert await put(path, '"other"') == 412
    assert await put(path, f"W/{tag}") == 412
    assert await put(path, "*") == 200
    anew = path.rsplit("/", 1)[0] + "/brand-new"
    assert await put(anew, "*") == 412
    assert (await client.get(anew)).status_code == 404


async def test_a_request_that_is_sent_again_is_answered_to_the_letter(world: World):
    """Every byte of it, whatever the order of its keys; another request under the key is refused."""
    client = await signed_in(world, "noor")
    headers = {"Idempotency-Key": "once"}
    first = await client.post("/api/promotions", json=ASKED, headers=headers)
    again = await client.post("/api/promotions", json=ASKED, headers=headers)
    assert (first.status_code, again.status_code) == (201, 201)
    assert again.content == first.content
    assert again.headers["content-type"] == first.headers["content-type"]
    assert again.headers["idempotency-replayed"] == "true"
    other = await client.post("/api/promotions", json=ASKED | {"note": "other"}, headers=headers)
    assert other.status_code == 422


async def test_of_several_at_once_the_others_wait_for_its_answer(
    world: World, monkeypatch: pytest.MonkeyPatch
):
    """One is taken in, and all are told of it in the same words."""
    client, taken, begin = await signed_in(world, "noor"), intake.request, idempotency.begin
    many, begun, everybody = 0, 0, asyncio.Event()

    async def beginning(*args):
        nonlocal begun
        begun += 1
        if begun == 5:
            everybody.set()
        return await begin(*args)

    async def once_everybody_waits(*args):
        nonlocal many
        many += 1
        await everybody.wait()
        return await taken(*args)

    monkeypatch.setattr(idempotency, "begin", beginning)
    monkeypatch.setattr(intake, "request", once_everybody_waits)
    headers = {"Idempotency-Key": "at once"}
    answers = await asyncio.gather(
        *(client.post("/api/promotions", json=ASKED, headers=headers) for _ in range(5))
    )
    assert {answer.status_code for answer in answers} == {201}
    assert len({answer.content for answer in answers}) == 1
    assert many == 1


async def test_what_was_refused_may_be_sent_again(world: World):
    """Under the same key, mended or not."""
    client = await signed_in(world, "noor")
    headers = {"Idempotency-Key": "wrong"}
    for _ in range(2):
        answer = await client.post("/api/promotions", json=ASKED | {"to": "nowhere"}, headers=headers)
        assert answer.status_code == 422
    assert (await client.post("/api/promotions", json=ASKED, headers=headers)).status_code == 201


@pytest.mark.parametrize(
    "link",
    [
        "javascript:alert(1)",
        "JaVaScRiPt:alert(1)",
        "data:text/html,<script>1</script>",
        "//evil.example/x",
        "file:///etc/passwd",
        " https://x.example",
        "https://x.example/\u0000",
        "vbscript:x",
        "ftp://x.example/",
        "https:/x",
    ],
)
async def test_a_link_opens_a_web_address_or_there_is_none(world: World, link: str):
    """Of evidence and of artifacts: a browser would run the others."""
    await world.landed()
    client = await signed_in(world, "noor")
    report = {
        "name": "note",
        "kind": "link",
        "produced_at": "2026-01-01T00:00Z",
        "by": "x",
        "content": {},
        "link": link,
    }
    assert (await client.post(RELEASE, json=report)).status_code == 422
    asked = ASKED | {"version": "1.3.0", "revision": "v1.3.0"}
    asked["artifacts"] = [artifact().plain() | {"link": link}]
    assert (await client.post("/api/promotions", json=asked)).status_code == 422


@pytest.mark.thorough
@pytest.mark.parametrize(
    ("name", "body"),
    [
        ("r.svg", b'<svg xmlns="http://www.w3.org/2000/svg"><script>alert(1)</script></svg>'),
        ("r.html", b"<script>alert(1)</script>"),
        ('r".html', b"<script>alert(1)</script>"),
        ("r.xhtml", b"<html xmlns='http://www.w3.org/1999/xhtml'/>"),
    ],
)
async def test_a_report_comes_back_as_a_download(world: World, name: str, body: bytes):
    """Byte for byte, of no type that a browser would open, under a harmless name."""
    await world.landed()
    client = await signed_in(world, "noor")
    sent = await client.put(
        f"{RELEASE}/page",
        params={"format": "file", "file": name},
        content=body,
        headers={"Content-Type": "text/html"},
    )
    assert sent.status_code == 200, sent.text
    back = await client.get(f"{RELEASE}/page/file")
    assert back.content == body
    assert back.headers["content-type"] == "application/octet-stream"
    assert back.headers["x-content-type-options"] == "nosniff"
    assert re.fullmatch(r'attachment; filename="[A-Za-z0-9._-]+"', back.headers["content-disposition"])


@pytest.mark.parametrize("text", ["\ud800", "a\udfffb", "\u0000", "\ufffe"])
async def test_lone_halves_of_characters_end_in_no_fault(world: World, text: str):
    """In a policy that is previewed, a comment, a filter, a search, an address that signs in."""
    client = await signed_in(world, "marco")
    number = (await world.waiting()).number
    escaped = json.dumps(text)
    for method, path, body in (
        ("POST", "/api/environments/bench/policies/preview", f'{{"document": {escaped}}}'),
        ("POST", "/api/environments/bench/policies/preview", f'{{"document": {{"title": {escaped}}}}}'),
        ("POST", f"/api/promotions/{number}/comments", f'{{"comment": {escaped}}}'),
        ("PUT", "/api/filters/mine", f'{{"query": {escaped}}}'),
        ("POST", "/api/session", f'{{"email": {escaped}, "password": {escaped}}}'),
    ):
        answer = await client.request(
            method, path, content=body.encode(), headers={"Content-Type": "application/json"}
        )
        assert answer.status_code < 500, (path, answer.text)
