"""The API's manners: sent again, changed meanwhile, page by page; files, sources and calendars over HTTP."""

import asyncio
import gzip
from datetime import timedelta

import pytest
from tests.web.test_access import browser, signed_in
from tests.world import TICKETS, World

from dogana.demo.cast import ACTORS
from dogana.service.calendars import files
from dogana.service.sources import scraping
from dogana.sources.calendars import read_calendar

NEW = {
    "service": "taps-portal",
    "version": "1.2.0",
    "to": "bench",
    "revision": "v1.2.0",
    "artifacts": [{"name": "portal.tar.gz", "digest": "sha256:" + "a" * 64, "size": 1234}],
}
ENVIRONMENT = {"title": "Spare", "zone": "Europe/Rome", "departs": "at once"}


async def test_a_request_that_is_sent_again_is_answered_as_before(world: World):
    """Once done, twice answered; another request under the same key is refused; keys are each one's own."""
    client = await signed_in(world, "noor")
    key = {"Idempotency-Key": "build-7"}
    first = await client.post("/api/promotions", json=NEW, headers=key)
    again = await client.post("/api/promotions", json=NEW, headers=key)
    assert (first.status_code, again.status_code) == (201, 201)
    assert first.json() == again.json()
    assert again.headers["idempotency-replayed"] == "true"
    other = await client.post("/api/promotions", json=NEW | {"note": "x"}, headers=key)
    assert other.status_code == 422
    assert (await client.post("/api/promotions", json=NEW)).status_code == 409
    somebody = await signed_in(world, "sam")
    assert (await somebody.post("/api/promotions", json=NEW, headers=key)).status_code == 409
    nobody = browser(world)
    assert (await nobody.post("/api/promotions", json=NEW, headers=key)).status_code == 401


async def test_the_same_request_twice_at_once_is_done_once(world: World):
    """The other is told that it is being worked on, or given the answer."""
    client = await signed_in(world, "noor")
    key = {"Idempotency-Key": "build-8"}
    answers = await asyncio.gather(*(client.post("/api/promotions", json=NEW, headers=key) for _ in range(3)))
    assert {answer.status_code for answer in answers} <= {201, 409}
    assert len((await client.get("/api/promotions")).json()["rows"]) == 1


async def test_what_was_refused_may_be_sent_again(world: World):
    """A key is spent by what was done, not by what was not."""
    client = await signed_in(world, "noor")
    key = {"Idempotency-Key": "build-9"}
    wrong = NEW | {"revision": "nope"}
    assert (await client.post("/api/promotions", json=wrong, headers=key)).status_code == 422
    assert (await client.post("/api/promotions", json=NEW, headers=key)).status_code == 201


async def test_what_somebody_else_changed_is_not_overwritten(world: World):
    """If-Match with the ETag one has seen."""
    client = await signed_in(world, "dario")
    await client.put("/api/environments/spare", json=ENVIRONMENT)
    seen = (await client.get("/api/environments/spare")).headers["etag"]
    mine = {"If-Match": seen}
    path = "/api/environments/spare"
    assert (await client.put(path, json=ENVIRONMENT | {"title": "Other"}, headers=mine)).status_code == 200
    late = await client.put(path, json=ENVIRONMENT, headers=mine)
    assert (late.status_code, late.json()["code"]) == (412, "changed")
    none = await client.put("/api/environments/new", json=ENVIRONMENT, headers=mine)
    assert none.status_code == 412


@pytest.mark.parametrize(
    ("path", "body", "place"),
    [
        ("environments/x", ENVIRONMENT | {"departs": "by timetable"}, "/timetable"),
        ("environments/x", ENVIRONMENT | {"template": {}}, "/departs"),
        ("environments/x", ENVIRONMENT | {"zone": "Mars"}, "/zone"),
        ("travel-routes/x", {"title": "R", "legs": [["bench"], ["nowhere"]]}, "/legs"),
        ("travel-routes/x", {"title": "R", "legs": [["bench"], ["bench"]]}, "/legs"),
        ("services/x", {"title": "S", "repository": "s", "route": "nowhere"}, "/route"),
        (
            "services/x",
            {"title": "S", "repository": "s", "route": "standard", "urgent_route": "standard"},
            "/urgent",
        ),
        (
            "sources/x",
            {"kind": "tickets", "title": "T", "settings": {"address": "http://t/"}},
            "/settings/address",
        ),
        ("sources/x", {"kind": "metrics", "title": "T", "settings": {"adress": "http://t/"}}, "/settings/"),
    ],
)
async def test_settings_that_do_not_go_together_are_refused_by_field(world: World, path, body, place):
    """So that a form can say it beside the field."""
    client = await signed_in(world, "dario")
    answer = await client.put(f"/api/{path}", json=body)
    assert answer.status_code == 422
    assert any(fault["pointer"].startswith(place) for fault in answer.json()["fields"]), answer.text


async def test_promotions_and_releases_page_by_page(world: World):
    """Each once, the latest first, narrowed by what one asks."""
    for n in (1, 2, 3):
        artifact = NEW["artifacts"][0] | {"digest": "sha256:" + str(n) * 64}
        row = await world.ask(
            "bench", f"1.{n}.0", artifacts=(world.builds[0].artifacts()[0].model_copy(update=artifact),)
        )
        await world.land(row.number)
    client = await signed_in(world, "wanjiru")
    for path, key, name in (
        ("/api/promotions", "rows", "version"),
        ("/api/services/taps-portal/releases", "releases", "version"),
    ):
        first = (await client.get(path, params={"limit": 2})).json()
        second = (await client.get(path, params={"limit": 2, "after": first["next"]})).json()
        assert [one[name] for one in first[key] + second[key]] == ["1.3.0", "1.2.0", "1.1.0"]
        assert second["next"] is None
    narrowed = await client.get("/api/promotions", params={"state": "waiting", "environment": "bench"})
    assert narrowed.json()["rows"] == []


async def test_a_report_is_sent_read_and_given_back(world: World):
    """Compressed as it came; too large is refused before it is read."""
    await world.landed("bench")
    client = await signed_in(world, "noor")
    path = "/api/services/taps-portal/releases/1.2.0/evidence/plan"
    body = gzip.compress(b'{"add": ["a"], "change": [], "destroy": ["b"]}')
    sent = await client.put(path, params={"format": "plan", "file": "../p.json.gz"}, content=body)
    assert sent.status_code == 422
    sent = await client.put(path, params={"format": "plan", "file": "p.json.gz"}, content=body)
    assert sent.json()["content"]["to_destroy"] == 1
    given = await client.get(path + "/file")
    assert given.content == body
    assert given.headers["content-disposition"] == 'attachment; filename="p.json.gz"'
    assert given.headers["content-type"] == "application/octet-stream"
    large = await client.put(path, params={"format": "file"}, content=b"x" * ((8 << 20) + 1))
    assert (large.status_code, large.json()["code"]) == (413, "too_large")


async def test_a_source_is_tried_before_it_is_set_up(world: World):
    """What came back is shown, or why nothing did; its secret is never shown again."""
    client = await signed_in(world, "dario")
    settings = {"address": "http://tracker/tickets/{key}", "kind": "/kind"}
    trial = {"kind": "tickets", "settings": settings, "ask": "TAPS-2"}
    answer = (await client.post("/api/source-trials", json=trial)).json()
    assert (answer["works"], answer["lines"][1]) == (True, {"label": "title", "value": "Work 2"})
    wrong = trial | {"settings": settings | {"status": "/fields/status"}}
    answer = (await client.post("/api/source-trials", json=wrong)).json()
    assert answer["works"] is False
    assert "no status at /fields/status" in answer["says"]
    assert (await client.post("/api/source-trials", json=trial | {"ask": ""})).status_code == 422
    source = {"kind": "tickets", "title": "Second", "settings": settings, "secret": "Bearer s3cret"}
    asked = await world.seconded(client.put("/api/sources/second", json=source))
    assert (asked.json()["waits"] is not None, "ETag" in asked.headers) == (True, False)
    shown = await client.get("/api/sources")
    assert next(one for one in shown.json() if one["id"] == "second")["has_secret"]
    assert "s3cret" not in shown.text
    again = await client.put("/api/sources/second", json=source, headers={"If-Match": '"7"'})
    assert again.status_code == 412
    again = await client.put("/api/sources/second", json=source, headers={"If-Match": '"1"'})
    assert (again.json()["waits"], again.headers["ETag"]) == (None, '"2"')


@pytest.mark.thorough
async def test_a_source_that_fails_is_shown_failing_and_what_it_said_last_counts_for_a_while(world: World):
    """Then it is unknown; and once it is back, all is well."""
    row = await world.waiting()
    client = await signed_in(world, "dario")

    async def tickets():
        finding = next(f for f in (await world.refresh(row.number)).findings if f.rule == "tickets")
        state = next(s for s in (await client.get("/api/sources")).json() if s["id"] == "tickets")
        return finding.outcome, state["failing_since"] is not None

    assert await tickets() == ("met", False)
    world.unavailable.add("TAPS")
    world.clock.now += timedelta(seconds=90)
    assert await tickets() == ("met", True)
    world.clock.now += timedelta(seconds=90)
    assert await tickets() == ("unknown", True)
    world.unavailable.clear()
    assert await tickets() == ("met", False)


async def test_a_scraped_page_is_kept_as_series(world: World):
    """As often as it is to be read, no longer than it is to be kept; a policy names it."""
    client = await signed_in(world, "dario")
    settings = {"address": "http://metrics/page", "names": ["portal_error_ratio"], "every": "PT30S"}
    await world.seconded(
        client.put("/api/sources/page", json={"kind": "scrape", "title": "the page", "settings": settings})
    )
    watch = {"name": "errors", "query": 'portal_error_ratio{environment="$environment"}', "at_most": 0.5}
    rule = {"id": "health", "kind": "monitors", "title": "Well", "watch": [watch | {"source": "page"}]}
    await world.adopt("bench", TICKETS, rule)
    row = await world.ask("bench")
    assert row.state == "waiting"
    for _ in range(4):
        await scraping.scrape_due(world.backend)
        await scraping.scrape_due(world.backend)
        world.clock.now += timedelta(seconds=31)
    file = await world.refresh(row.number)
    health = next(f for f in file.findings if f.rule == "health")
    assert (health.outcome, file.row.state) == ("met", "moving"), health
    gone = await client.delete("/api/sources/page")
    assert gone.status_code == 204


async def test_calendars_come_in_and_go_out(world: World):
    """As a file, back as a file, and an environment's closed times as a feed with a token of its own."""
    owner = await signed_in(world, "marco")
    body = (
        b"BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\nBEGIN:VEVENT\r\nUID:1\r\nSUMMARY:storm\r\n"
        b"DTSTART:20260311T120000Z\r\nDTEND:20260311T180000Z\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
    )
    path = "/api/calendars/storms/ics"
    sent = await owner.put(path, params={"title": "Storms", "zone": "Europe/Rome"}, content=body)
    assert sent.json()["calendar"]["windows"][0]["from"] == "2026-03-11T13:00:00"
    out = await owner.get(path)
    assert read_calendar(out.content, title="", zone="Europe/Rome").windows[0].name == "storm"
    assert (await owner.put(path, content=b"no")).status_code == 422
    freeze = {
        "id": "storms",
        "kind": "freeze",
        "title": "Storms",
        "zone": "Europe/Rome",
        "calendars": ["storms"],
    }
    await world.adopt("bench", TICKETS, freeze)
    token = await world.token(ACTORS["adaeze"], title="feed", scopes=("feed",), days=9)
    nobody = browser(world)
    feed = await nobody.get(f"/api/feeds/{token}/bench.ics")
    assert b"SUMMARY:storm" in feed.content
    exported = await owner.get("/api/environments/bench/ics")
    assert b"SUMMARY:storm" in exported.content
    assert exported.headers["content-disposition"] == 'attachment; filename="bench.ics"'
    assert (await owner.get("/api/environments/moon/ics")).status_code == 404
    assert (await nobody.get("/api/feeds/dgn_wrong/bench.ics")).status_code == 401
    bearer = {"Authorization": f"Bearer {token}"}
    assert (await nobody.get("/api/desk", headers=bearer)).status_code == 403


async def test_a_followed_calendar_is_set_like_its_address(world: World):
    """Only when it differs; while it cannot be read it stays, and why is shown."""
    client = await signed_in(world, "dario")
    settings = {"address": "http://tracker/tickets/TAPS-1", "calendar": "regional"}
    await world.seconded(
        client.put("/api/sources/feasts", json={"kind": "calendar", "title": "Feasts", "settings": settings})
    )
    await files.follow_addresses(world.backend)
    (source,) = [s for s in (await client.get("/api/sources")).json() if s["id"] == "feasts"]
    assert source["reason"] == "This is no iCalendar file."


async def test_a_key_that_stands_twice_is_refused_with_its_place(world: World):
    """Whichever of both were read, somebody would have meant the other."""
    client = await signed_in(world, "noor")
    body = '{"service": "taps-portal",\n "version": "1.2.0", "to": "bench", "version": "1.3.0"}'
    headers = {"Content-Type": "application/json"}
    answer = await client.post("/api/promotions", content=body, headers=headers)
    assert (answer.status_code, answer.json()["code"]) == (422, "invalid")
    assert "version stands twice (line 2, column 37)" in answer.json()["detail"]
