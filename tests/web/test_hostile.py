"""What is huge, doubled, deep, cut or dressed up as something else: refused, and nothing is kept."""

import json
from importlib import import_module
from itertools import product
from pkgutil import iter_modules

import httpx
import pytest
from fastapi.routing import APIRoute
from tests.service.promotions.test_what_clears import OPEN
from tests.web.test_access import signed_in
from tests.web.test_rest import NEW
from tests.world import World, policy

from dogana.web import routes as rooms
from dogana.web.strict import StrictRoute

JSON = {"Content-Type": "application/json"}
ARTIFACT = NEW["artifacts"][0]
REPORT = {
    "name": "scan",
    "kind": "scan",
    "by": "a scanner",
    "produced_at": "2026-03-10T08:00:00Z",
    "content": {"high": 0},
}
DOUBLED = '{"service": "taps-portal", "version": "1.2.0", "to": "bench", "version": "1.3.0"}'


def asked(**changes: object) -> str:
    return json.dumps(NEW | changes)


ASKED = {
    "two artifacts of one name": (asked(artifacts=[ARTIFACT, ARTIFACT]), JSON),
    "two of one name that differ": (
        asked(artifacts=[ARTIFACT, ARTIFACT | {"digest": "sha256:" + "b" * 64}]),
        JSON,
    ),
    "more artifacts than a release has": (
        asked(artifacts=[ARTIFACT | {"name": f"a{n}"} for n in range(5000)]),
        JSON,
    ),
    "an artifact of no size": (asked(artifacts=[ARTIFACT | {"size": -1}]), JSON),
    "one of endless size": (asked(artifacts=[ARTIFACT | {"size": 10**400}]), JSON),
    "one of half a byte": (asked(artifacts=[ARTIFACT | {"size": 0.5}]), JSON),
    "a size that is no number": (asked(artifacts=[ARTIFACT | {"size": float("nan")}]), JSON),
    "a link to a script": (asked(artifacts=[ARTIFACT | {"link": "javascript:alert(1)"}]), JSON),
    "a note without end": (asked(note="x" * 100_000), JSON),
    "a version without end": (asked(version="1." + "0" * 10_000), JSON),
    "a version with a line feed": (asked(version="1.2.0\n9.9.9"), JSON),
    "a version that is a path": (asked(version="../../etc"), JSON),
    "a revision that is an option": (asked(revision="--upload-pack=x"), JSON),
    "a plan without end": (asked(plan={"steps": [{"share": 1, "hold": "PT1M"}] * 10_000}), JSON),
    "urgent, on a route that is not": (asked(kind="urgent"), JSON),
    "an unknown kind": (asked(kind="free"), JSON),
    "into nowhere": (asked(to="nowhere"), JSON),
    "by no route": (asked(route="nowhere"), JSON),
    "of no service": (asked(service="nothing"), JSON),
    "asked for by another": (asked(requester="ilse"), JSON),
    "decided already": (asked(state="cleared"), JSON),
    "under a number of its own": (asked(number=1), JSON),
    "with its approvals": (asked(decisions=[{"action": "approve", "person": "ilse"}]), JSON),
    "with no artifact": (asked(artifacts=[]), JSON),
    "with a digest of another kind": (asked(artifacts=[ARTIFACT | {"digest": "md5:" + "a" * 32}]), JSON),
    "with half a digest": (asked(artifacts=[ARTIFACT | {"digest": "sha256:" + "a" * 32}]), JSON),
    "with a digest in capitals": (asked(artifacts=[ARTIFACT | {"digest": "SHA256:" + "A" * 64}]), JSON),
    "a key that stands twice": (DOUBLED, JSON),
    "one that stands twice, as nothing said": (DOUBLED, {"Content-Type": ""}),
    "one that stands twice, in capitals": (DOUBLED, {"Content-Type": "Application/JSON"}),
    "one that stands twice, of a vendor": (DOUBLED, {"Content-Type": "application/vnd.x+json"}),
    "one that stands twice, in UTF-16": (DOUBLED.encode("utf-16"), JSON),
    "one that stands twice, under another spelling": (
        DOUBLED.replace('"version": "1.3', r'"\u0076ersion": "1.3'),
        JSON,
    ),
    "one that stands twice, after a byte order mark": (b"\xef\xbb\xbf" + DOUBLED.encode(), JSON),
    "half of it": (asked()[:-20], JSON),
    "two of it": (asked() + asked(), JSON),
    "a list of it": (f"[{asked()}]", JSON),
    "deep": ("[" * 100_000, JSON),
    "a form": ("service=taps-portal", {"Content-Type": "application/x-www-form-urlencoded"}),
    "text": (asked(), {"Content-Type": "text/plain"}),
    "nothing": ("", JSON),
    "large": (asked(note=" " * (9 << 20)), JSON),
}


def refused(answer: httpx.Response, name: str) -> None:
    """By a problem with its reason, and never a fault."""
    assert 400 <= answer.status_code < 500, f"{name}: {answer.text}"
    assert answer.headers["content-type"] == "application/problem+json", name
    assert answer.json()["detail"], name


@pytest.mark.thorough
async def test_what_is_no_request_is_refused_and_leaves_nothing(world: World):
    """With a reason; no promotion, no release, no entry."""
    client = await signed_in(world, "noor")
    before = await world.entries()
    for name, (body, headers) in ASKED.items():
        refused(await client.post("/api/promotions", content=body, headers=headers), name)
        assert await world.entries() == before, name
        assert (await client.get("/api/promotions")).json()["rows"] == [], name
    assert (await client.post("/api/promotions", content=asked(), headers=JSON)).status_code == 201


REPORTS = {
    "dated ahead": REPORT | {"produced_at": "2036-03-10T08:00:00Z"},
    "dated without a zone": REPORT | {"produced_at": "2026-03-10T08:00:00"},
    "dated in no year": REPORT | {"produced_at": "0001-01-01T00:00:00+14:00"},
    "of no kind": REPORT | {"kind": "trust me"},
    "without end": REPORT | {"content": {f"k{n}": n for n in range(100_000)}},
    "deep": REPORT | {"content": {"a": json.loads("[" * 60 + "]" * 60)}},
    "with a number that is none": REPORT | {"content": {"high": float("nan")}},
    "with one without end": REPORT | {"content": {"high": float("inf")}},
    "that says who it is by": REPORT | {"sent_by": "the build server"},
    "of no name": REPORT | {"name": ""},
    "of a name without end": REPORT | {"name": "n" * 5000},
    "with content that is none": REPORT | {"content": [1, 2]},
}


async def test_what_is_no_evidence_is_refused_and_leaves_nothing(world: World):
    """Whatever it claims; the release keeps what it had."""
    await world.landed()
    client = await signed_in(world, "noor")
    before = await world.entries()
    path = "/api/services/taps-portal/releases/1.2.0/evidence"
    for name, report in REPORTS.items():
        refused(await client.post(path, content=json.dumps(report), headers=JSON), name)
        assert await world.entries() == before, name
    good = await client.post(path, json=REPORT)
    assert good.is_success, good.text
    assert await world.entries() == before + 1


CLOSED = {"environment": "bench", "until": "2026-03-10T15:00:00Z", "reason": "ice"}
CLOSINGS = {
    "without a reason": CLOSED | {"reason": "   "},
    "with a reason without end": CLOSED | {"reason": "x" * 100_000},
    "to yesterday": CLOSED | {"until": "2026-03-09T15:00:00Z"},
    "for a year": CLOSED | {"until": "2027-03-10T15:00:00Z"},
    "for good": CLOSED | {"until": "9999-12-31T23:59:59Z"},
    "to no zone's clock": CLOSED | {"until": "2026-03-10T15:00:00"},
    "of no environment": CLOSED | {"environment": "nowhere"},
    "of a template": CLOSED | {"environment": "preview"},
    "of every environment": CLOSED | {"environment": "*"},
    "without an end": {"environment": "bench", "reason": "ice"},
    "to no end": CLOSED | {"until": None},
    "of a list": CLOSED | {"environment": ["bench", "rehearsal"]},
    "by somebody else": CLOSED | {"by": "tomas"},
}


async def test_what_is_no_closing_is_refused(world: World):
    """Even by whom the policy names."""
    await world.adopt_document("bench", {**policy(OPEN), "closes": "control-room"})
    client = await signed_in(world, "adaeze")
    for name, closing in CLOSINGS.items():
        refused(await client.post("/api/closings", json=closing), name)
        assert (await client.get("/api/closings")).json() == [], name
    assert (await client.post("/api/closings", json=CLOSED)).status_code == 201


NUMBERS = ("0", "-1", "1e3", "9" * 30, "1.5", "٣", "1%00", "1%0a")


async def test_what_is_no_number_of_a_promotion_finds_none(world: World):
    """Too large for the database, or written otherwise: not found, never a fault."""
    await world.ask()
    client = await signed_in(world, "ilse")
    for number, path in product(NUMBERS, ("/dossier", "/change", "")):
        answer = await client.get(f"/api/promotions/{number}{path}")
        assert answer.status_code in {404, 422}, (number, path, answer.text)


def test_every_route_with_a_body_looks_for_keys_that_stand_twice():
    """Whoever adds a route gets it, or this fails."""
    parts = [import_module(f"dogana.web.routes.{one.name}") for one in iter_modules(rooms.__path__)]
    routes = [route for part in parts if hasattr(part, "router") for route in part.router.routes]
    taking = [one for one in routes if isinstance(one, APIRoute) and one.body_field]
    assert len(taking) > 30
    assert [one.path for one in taking if not isinstance(one, StrictRoute)] == []
