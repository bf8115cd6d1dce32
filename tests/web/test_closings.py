"""Closing at once over HTTP: who sees it, who opens it, what stands on the record."""

from datetime import timedelta

from tests.service.promotions.test_what_clears import OPEN
from tests.web.test_access import browser, signed_in
from tests.world import NOW, World, policy

CLOSED = {"environment": "bench", "until": (NOW + timedelta(hours=3)).isoformat(), "reason": "ice"}


async def test_closed_by_one_seen_by_all_opened_by_two(world: World):
    """And each word of it stands in the ledger."""
    await world.adopt_document("bench", {**policy(OPEN), "closes": "control-room"})
    first, second, reader = [await signed_in(world, who) for who in ("adaeze", "tomas", "noor")]
    assert (await browser(world).post("/api/closings", json=CLOSED)).status_code == 401
    assert (await reader.post("/api/closings", json=CLOSED)).status_code == 403
    made = await first.post("/api/closings", json=CLOSED)
    assert made.status_code == 201, made.text
    path = f"/api/closings/{made.json()['id']}/open"
    (seen,) = (await reader.get("/api/closings")).json()
    assert (seen["reason"], seen["by"]["name"]) == ("ice", "Adaeze Nwosu")
    assert (await reader.post(path, json={"reason": "thaw"})).status_code == 403
    asked = await first.post(path, json={"reason": "thaw"})
    assert (asked.status_code, asked.json()["opened_at"]) == (200, None)
    assert asked.json()["opening_asked_by"]["name"] == "Adaeze Nwosu"
    again = await first.post(path, json={"reason": "thaw"})
    assert 400 <= again.status_code < 500
    assert len((await reader.get("/api/closings")).json()) == 1
    done = await second.post(path, json={"reason": "thaw indeed"})
    assert (done.status_code, done.json()["opened_at"] is not None) == (200, True)
    assert (await reader.get("/api/closings")).json() == []
    assert (await second.post(path, json={"reason": "once more"})).status_code == 404
    await world.sequence()
    entries = (await first.get("/api/ledger", params={"environment": "bench"})).json()["entries"]
    (closed,) = [one for one in entries if "closed Bench until" in one["says"]]
    assert "ice" in str(closed)
    assert sum("thaw" in str(one) for one in entries) == 2


async def test_without_anybody_named_nobody_closes(world: World):
    """Who may close is what the policy in force says, at that instant."""
    client = await signed_in(world, "adaeze")
    assert (await client.post("/api/closings", json=CLOSED)).status_code in {403, 409, 422}
    await world.adopt_document("bench", {**policy(OPEN), "closes": "control-room"})
    assert (await client.post("/api/closings", json=CLOSED)).status_code == 201
    await world.adopt_document("bench", {**policy(OPEN), "closes": "release-desk"})
    other = CLOSED | {"reason": "snow"}
    assert (await client.post("/api/closings", json=other)).status_code in {403, 409, 422}
    assert len((await client.get("/api/closings")).json()) == 1, "what was closed stays closed"
