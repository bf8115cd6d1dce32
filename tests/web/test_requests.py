"""Every request has an id, in its answer, its error and the log; and what the log may not hold."""

import json
import re

import pytest
from prometheus_client.openmetrics.parser import text_string_to_metric_families
from structlog.testing import capture_logs
from tests.conftest import ROOT
from tests.web.test_access import browser, signed_in
from tests.world import World

from dogana.core.errors import InvalidError
from dogana.demo.cast import ACTORS
from dogana.service.people import tokens
from dogana.settings import Settings


async def test_the_id_of_a_request_stands_in_its_answer_and_its_error(world: World):
    """One that came with it is kept if it is one; anything else would write lines of its own into the log."""
    async with browser(world) as client:
        for sent, kept in (("proxy-7f3a", "proxy-7f3a"), ("x" * 65, None), ("two words", None), ("", None)):
            answer = await client.get("/api/desk", headers={"X-Request-Id": sent})
            given = answer.headers["X-Request-Id"]
            assert answer.json()["request"] == given
            assert given == kept or (kept is None and re.fullmatch("[0-9a-f]{16}", given))


@pytest.mark.thorough
async def test_secrets_in_addresses_stand_in_no_log(world: World):
    """Tokens of feeds, walls and invitations, passwords and what people wrote."""
    secret = "s3cr3t-of-somebody"
    client = await signed_in(world, "ilse")
    with capture_logs() as lines:
        await client.get(f"/api/feeds/{secret}/bench.ics")
        await client.get(f"/api/walls/{secret}")
        await client.get(f"/wall/{secret}")
        await client.post("/api/invitations", json={"invitation": secret, "password": secret * 2})
        await client.post("/api/session", json={"email": secret, "password": secret})
        row = await world.waiting()
        path = f"/api/promotions/{row.number}/comments"
        await client.post(path, json={"comment": secret})
        await client.get("/api/desk", headers={"Authorization": f"Bearer {secret}"})
    answered = [line for line in lines if line["event"] == "answered"]
    assert len(answered) >= 7
    assert secret not in json.dumps(lines, default=str)
    assert {line["actor"] for line in answered} == {None, "ilse"}


async def test_requests_are_counted_by_their_routes(world: World):
    """Not by their addresses, of which there is no end; whoever may read, reads it."""
    client = await signed_in(world, "wanjiru")
    for number in range(5):
        await client.get(f"/api/promotions/{number + 1}")
    page = (await client.get("/metrics")).text
    counted = next(one for one in text_string_to_metric_families(page) if one.name == "dogana_requests")
    routes = {one.labels["route"]: one for one in counted.samples if one.name.endswith("_total")}
    assert routes["/api/promotions/{number}"].labels["status"] == "4xx"
    assert routes["/api/promotions/{number}"].value == 5
    assert not any(re.search(r"\d", route) for route in routes)


async def test_health_is_asked_of_the_database_once_a_second_however_often_it_is_asked(world: World):
    """It is open to everybody; and what it said is said again meanwhile."""
    async with browser(world) as client:
        assert (await client.get("/health/live")).json() == {"alive": True}
        first = await client.get("/health/ready")
        assert first.status_code == 503
        await world.backend.database.close()
        assert (await client.get("/health/ready")).json() == first.json()


async def test_a_token_that_administers_is_short_lived_and_each_use_is_on_record(world: World):
    """A week at most; whatever comes of it, and reading is no use of it."""
    made = {"title": "set-up", "scopes": ["administer"]}
    with pytest.raises(InvalidError):
        await world.seconded(
            tokens.make_token(world.backend, ACTORS["dario"], tokens.NewToken(**made, days=8))
        )
    token = await world.token(ACTORS["dario"], **made, days=7)
    async with browser(world) as client:
        client.headers["Authorization"] = f"Bearer {token}"
        assert (await client.get("/api/setup")).status_code == 200
        used = await client.put("/api/groups/divers", json={"title": "Divers"})
        refused = await client.put(
            "/api/setup", json={"services": {"x": {"title": "X", "repository": "x", "route": "no"}}}
        )
    assert (used.status_code, refused.status_code) == (204, 422)
    client = await signed_in(world, "wanjiru")
    entries = (await client.get("/api/ledger?action=use token")).json()["entries"]
    assert [one["says"] for one in entries] == [
        "Dario Conti administered with the token \u201cset-up\u201d."
    ] * 2


def test_the_table_of_settings_is_the_one_there_is():
    """Each setting stands in docs/running.md with what it means, and nothing else does."""
    text = (ROOT / "docs" / "running.md").read_text()
    rows = dict(re.findall(r"^\| `DOGANA_([A-Z_]+)` \| .*? \| (.*) \|$", text, re.MULTILINE))
    assert rows == {name.upper(): one.description for name, one in Settings.model_fields.items()}
