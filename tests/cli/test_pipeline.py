"""The documented pipeline, run as it stands: one commit from the bench to a live environment."""

import asyncio
import os
import sys
from datetime import UTC, datetime
from pathlib import Path

import httpx
import pytest
from starlette.requests import Request
from starlette.responses import JSONResponse, PlainTextResponse, RedirectResponse
from tests.conftest import ROOT
from tests.serving import Outside, served
from tests.sources.test_reports import JUNIT
from tests.world import REVIEWERS, SAMENESS, TICKETS, World

from dogana.demo.cast import ACTORS, PASSWORD
from dogana.demo.past_sources import SimulatedClock
from dogana.jobs.worker import Worker
from dogana.service.secrets import values
from dogana.tasks import end
from dogana_client import Dogana

pytestmark = pytest.mark.thorough

DEPLOY = '''#!{python}
"""Verifies the clearance with a library that is not Dogana's before it touches anything."""
import hashlib, json, os, pathlib, sys, urllib.request
import jwt

environment, artifact, clearance = sys.argv[1:]
token = pathlib.Path(clearance).read_text().strip()
with urllib.request.urlopen(os.environ["DOGANA_URL"] + "/.well-known/jwks.json") as answer:
    keys = jwt.PyJWKSet.from_dict(json.load(answer))
key = keys[jwt.get_unverified_header(token)["kid"]]
claims = jwt.decode(token, key, ["EdDSA"], audience=environment, issuer="dogana")
digest = "sha256:" + hashlib.sha256(pathlib.Path(artifact).read_bytes()).hexdigest()
assert claims["artifacts"] == {{pathlib.Path(artifact).name: digest}}, claims
with open("deployed", "a") as log:
    log.write(f"{{environment}} {{os.environ['QUEUE_PASSWORD']}}\\n")
sys.exit(os.environ.get("FAIL_IN") == environment)
'''
LEGS = ("bench", "rehearsal", "pilot-valley", "live-north")


@pytest.fixture
async def address(world: World, monkeypatch):
    """The world's web application over HTTP with a worker beside it, by the real clock."""
    monkeypatch.setattr(SimulatedClock, "__call__", lambda _: datetime.now(UTC))
    await world.adopt("bench", TICKETS)
    for environment in LEGS[1:]:
        await world.adopt(environment, REVIEWERS, TICKETS, SAMENESS)
    for environment in LEGS:
        await values.keep(
            world.backend, ACTORS["dario"], "taps-portal", environment, "QUEUE_PASSWORD", f"of {environment}"
        )
    outside = Outside()
    async with served(outside, world.app()):
        worker = asyncio.create_task(Worker(world.backend, world.key, "test").run())
        try:
            yield outside.url
        finally:
            await end([worker])


async def approving(address: str, who: str) -> None:
    """Approve whatever waits for somebody, by the API, as long as it runs."""
    async with httpx.AsyncClient(base_url=address, timeout=60) as client:
        credentials = {"email": f"{who}@corvale.example", "password": PASSWORD}
        me = (await client.post("/api/session", json=credentials)).raise_for_status().json()
        client.headers["X-CSRF-Token"] = me["csrf_token"]
        async with client.stream("GET", "/api/events") as events:
            # From the first one on, nothing is missed.
            async for line in events.aiter_lines():
                if line.startswith("event:"):
                    await approve_all(client)


async def approve_all(client: httpx.AsyncClient) -> None:
    rows = (await client.get("/api/desk")).raise_for_status().json()["rows"]
    for number in [row["number"] for row in rows if row["waits_for"] == "you"]:
        file = (await client.get(f"/api/promotions/{number}/dossier")).raise_for_status().json()
        if mine := file["mine"]:
            await client.post(f"/api/promotions/{number}/approve", json={"shown": mine["shown"]})


async def run(folder: Path, address: str, token: str, environment: str, **more: str) -> tuple[int, str]:
    variables = {
        **os.environ,
        "PATH": f"{Path(sys.executable).parent}:{os.environ['PATH']}",
        "DOGANA_URL": address,
        "DOGANA_TOKEN": token,
        "SERVICE": "taps-portal",
        "VERSION": "1.2.0",
        "REVISION": "v1.2.0",
        "ARTIFACT": "portal.tar.gz",
        "REPORTS": str(folder / "reports"),
        "PATIENCE": "100",
        "EVERY": "0.2",
        **more,
    }
    process = await asyncio.create_subprocess_exec(
        ROOT / "docs" / "examples" / "pipeline.sh",
        environment,
        cwd=folder,
        env=variables,
        stdout=asyncio.subprocess.PIPE,
        stderr=asyncio.subprocess.STDOUT,
    )
    said, _ = await asyncio.wait_for(process.communicate(), 120)
    return process.returncode or 0, said.decode()


@pytest.fixture
async def token(world: World) -> str:
    return await world.token(
        ACTORS["dario"], person="pipeline", title="t", scopes=("request", "deploy"), days=1
    )


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    (tmp_path / "reports").mkdir()
    (tmp_path / "reports" / "results.xml").write_bytes(JUNIT)
    (tmp_path / "portal.tar.gz").write_bytes(b"a build")
    deploy = tmp_path / "deploy"
    deploy.write_text(DEPLOY.format(python=sys.executable))
    deploy.chmod(0o755)
    return tmp_path


async def test_one_commit_goes_the_whole_way(world: World, address: str, token: str, folder: Path):
    """Approved by two people at each leg, with a clearance another library verifies, and its sealed value."""
    approvers = [asyncio.create_task(approving(address, who)) for who in ("ilse", "henrik")]
    try:
        for environment in LEGS:
            code, said = await run(folder, address, token, environment)
            assert code == 0, (said, approvers)
    finally:
        await end(approvers)
    assert (folder / "deployed").read_text().splitlines() == [f"{leg} of {leg}" for leg in LEGS]
    async with httpx.AsyncClient(base_url=address, headers={"Authorization": f"Bearer {token}"}) as client:
        row = (await client.get("/api/promotions", params={"environment": "live-north"})).json()["rows"][0]
        file = (await client.get(f"/api/promotions/{row['number']}/dossier")).json()
    assert row["state"] == "landed"
    assert [entry["action"] for entry in file["course"]] == [
        "request",
        "approve",
        "approve",
        "clear",
        "depart",
        "issue clearance",
        "read values",
        "land",
    ]
    assert file["evidence"][0]["content"]["failed"] == 2
    assert file["files"]["test-report"]["name"] == "results.xml"


async def test_a_deployment_that_fails_is_reported_and_a_second_run_asks_anew(
    world: World, address: str, token: str, folder: Path
):
    """What ran before runs again; a step that is run twice otherwise is one promotion."""
    code, said = await run(folder, address, token, "bench", FAIL_IN="bench")
    assert code == 1, said
    again, said = await run(folder, address, token, "bench")
    assert again == 0, said
    async with httpx.AsyncClient(base_url=address, headers={"Authorization": f"Bearer {token}"}) as client:
        landed, row = (await client.get("/api/promotions")).json()["rows"]
    assert (landed["state"], row["state"]) == ("landed", "rolled back")
    assert row["sentence"].endswith("the deployment ended with an error.")


async def test_a_pipeline_that_is_barred_need_not_wait(world: World, address: str, token: str, folder: Path):
    """Its own exit, as somebody has to change something first."""
    world.tickets["TAPS-2"] = world.tickets["TAPS-2"].model_copy(update={"status": "open"})
    code, said = await run(folder, address, token, "bench")
    assert code == 5, said
    assert "TAPS-2 is open" in said


async def test_a_list_of_many_pages_is_read_whole():
    """What moves beyond the first hundred is somebody's deployment too."""
    pages = {None: ([3, 2], 2), "2": ([1], None)}

    async def answer(request: Request) -> JSONResponse:
        rows, after = pages[request.query_params.get("after")]
        return JSONResponse({"rows": [{"number": number} for number in rows], "next": after})

    outside = Outside()
    outside.answer = answer
    async with served(outside):
        with Dogana(outside.url, "token") as dogana:
            found = await asyncio.to_thread(dogana.promotions, "moving")
    assert [row["number"] for row in found] == [3, 2, 1]
    assert {request.query_params["state"] for request in outside.asked} == {"moving"}


ROW = {"number": 7, "state": "waiting", "verdict": "held", "sentence": "It waits."}
ANSWERS = {
    "cleared": (JSONResponse(ROW | {"state": "cleared"}), 0),
    "landed": (JSONResponse(ROW | {"state": "landed"}), 0),
    "turned back": (JSONResponse(ROW | {"state": "turned back"}), 3),
    "halted": (JSONResponse(ROW | {"state": "halted"}), 3),
    "a state of a later version": (JSONResponse(ROW | {"state": "on probation"}), 64),
    "another promotion": (JSONResponse(ROW | {"number": 8, "state": "cleared"}), 4),
    "no promotion": (JSONResponse({"state": "cleared", "status": "ok"}), 4),
    "a list": (JSONResponse([ROW | {"state": "cleared"}]), 4),
    "nothing": (JSONResponse(None), 4),
    "a page to sign in": (PlainTextResponse("<html>Sign in first</html>"), 4),
    "elsewhere": (RedirectResponse("http://127.0.0.1:9/"), 4),
    "down for repairs": (PlainTextResponse("down for repairs", 503), 4),
    "refused": (JSONResponse({"detail": "no"}, 403), 64),
}


@pytest.mark.parametrize("name", ANSWERS)
async def test_only_what_is_known_to_be_cleared_lets_a_pipeline_go_on(name):
    """Whatever else answers, Dogana or something in its place."""
    response, code = ANSWERS[name]

    async def answer(_: Request):
        return response

    outside = Outside()
    outside.answer = answer
    async with served(outside):
        begin = "from dogana_client.commands import main; main()"
        command = (sys.executable, "-c", begin, "wait", "7", "--timeout", "1", "--every", "0.3")
        environment = {**os.environ, "DOGANA_URL": outside.url, "DOGANA_TOKEN": "dgn_x"}
        process = await asyncio.create_subprocess_exec(
            *command, env=environment, stdout=asyncio.subprocess.PIPE, stderr=asyncio.subprocess.STDOUT
        )
        said, _ = await process.communicate()
    assert process.returncode == code, said.decode()
    assert b"Traceback" not in said
