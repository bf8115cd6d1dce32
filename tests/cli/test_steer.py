"""`dogana steer` as a real process, with a real Prometheus that scrapes the fleet whose shares it sets."""

import asyncio
import json
import os
import shutil
import sys
from contextlib import asynccontextmanager
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path

import httpx
import pytest
from tests.cli.test_offline import dogana
from tests.core.health.drawn import counts, look, requests
from tests.serving import Outside, served
from tests.waiting import answers
from tests.world import TICKETS, World

from dogana.core.rollout import Plan
from dogana.demo.cast import ACTORS
from dogana.demo.cluster import free_port
from dogana.demo.connections import set_sources
from dogana.demo.past_sources import SimulatedClock
from dogana.jobs.worker import Worker
from dogana.service.courses import steering
from dogana.sources.metrics import HttpMetrics
from dogana.tasks import end

pytestmark = pytest.mark.thorough

SET_SHARE = """#!{python}
import os
import httpx
names = ("environment", "service", "version", "incumbent")
wanted = {{name: os.environ["DOGANA_" + name.upper()] for name in names}}
httpx.put("{fleet}/shares", json=wanted | {{"share": int(os.environ["DOGANA_SHARE"])}}).raise_for_status()
"""
OF_IT = '{environment="$environment",service="$service",version="$version"}'
PLAN = Plan.model_validate(
    {"steps": [{"share": 50}, {"share": 100}], "watch": ["errors"], "on_breach": "roll back"}
)


def rollout(at_most: float) -> dict:
    errors = {
        "name": "errors",
        "kind": "share",
        "bad": f"service_requests_failed_total{OF_IT}",
        "all": f"service_requests_total{OF_IT}",
        "at_most": at_most,
        "every": "PT1S",
    }
    return {
        "id": "rollout",
        "kind": "rollout",
        "title": "Watched",
        "watch": [errors],
        "on_breach": "roll back",
    }


@asynccontextmanager
async def process(*command: str, **variables: str):
    started = await asyncio.create_subprocess_exec(
        *command,
        env=os.environ | variables,
        stdout=asyncio.subprocess.PIPE,
        stderr=asyncio.subprocess.STDOUT,
    )
    try:
        yield started
    finally:
        if started.returncode is None:
            started.kill()
        await started.communicate()


@asynccontextmanager
async def watched_fleet(folder: Path):
    """The fleet and a Prometheus that scrapes it; gives the addresses of both."""
    fleet, metrics = free_port(), free_port()
    config = folder / "prometheus.yml"
    scrape = {"job_name": "fleet", "static_configs": [{"targets": [f"127.0.0.1:{fleet}"]}]}
    config.write_text(json.dumps({"global": {"scrape_interval": "1s"}, "scrape_configs": [scrape]}))
    program = shutil.which("prometheus")
    assert program is not None
    asked = [f"--config.file={config}", f"--storage.tsdb.path={folder / 'data'}"]
    async with (
        process(sys.executable, "-m", "dogana.standins.fleet", "--port", str(fleet)),
        process(program, *asked, f"--web.listen-address=127.0.0.1:{metrics}", "--log.level=error"),
    ):
        addresses = f"http://127.0.0.1:{fleet}", f"http://127.0.0.1:{metrics}"
        for address in (f"{addresses[0]}/shares", f"{addresses[1]}/-/ready"):
            await asyncio.to_thread(answers, address)
        yield addresses


@pytest.mark.parametrize("bad", [False, True], ids=["well", "bad"])
async def test_a_newcomer_is_watched_in_or_taken_back(world: World, tmp_path: Path, monkeypatch, bad: bool):
    """Real shares, real counters, a real server; nobody touches anything."""
    monkeypatch.setattr(SimulatedClock, "__call__", lambda _: datetime.now(UTC))
    await world.adopt("bench", TICKETS, rollout(0.02 if bad else 0.1))
    async with watched_fleet(tmp_path) as (fleet, metrics), httpx.AsyncClient() as client:
        world.backend = replace(world.backend, metrics=HttpMetrics(client, world.backend.clock))
        await set_sources(world.backend, "http://tracker", metrics)
        if bad:
            mood = {"environment": "bench", "service": "taps-portal", "bad": "true"}
            await client.post(f"{fleet}/mood", params=mood)
        row = await world.ask("bench", plan=PLAN)
        await world.depart(row.number)
        token = await world.token(
            ACTORS["dario"], person="pipeline", title="t", scopes=("read", "deploy"), days=1
        )
        script = tmp_path / "set-share"
        script.write_text(SET_SHARE.format(python=sys.executable, fleet=fleet))
        script.chmod(0o755)
        outside = Outside()
        async with served(outside, world.app()):
            worker = asyncio.create_task(Worker(world.backend, world.key, "test").run())
            steer = [sys.executable, "-m", "dogana", "steer", str(row.number), "--", str(script)]
            try:
                async with process(*steer, DOGANA_URL=outside.url, DOGANA_TOKEN=token) as steering_it:
                    said, _ = await asyncio.wait_for(steering_it.communicate(), 90)
            finally:
                await end([worker])
        told = await steering.orders(world.backend, ACTORS["pipeline"], row.number, after=0, patience=0)
        shares = (await client.get(f"{fleet}/shares")).json()
    assert steering_it.returncode == (3 if bad else 0), said.decode()
    assert [one.share for one in told.orders] == ([50, 0] if bad else [50, 100])
    assert told.state == ("rolled back" if bad else "landed")
    assert [one["share"] for one in shares] == [0 if bad else 100]
    assert not bad or "errors left its limit" in said.decode().lower().splitlines()[-1]


POLICY = {
    "format": "dogana.policy/1",
    "title": "Live",
    "zone": "Europe/Rome",
    "rules": [
        {
            "id": "rollout",
            "kind": "rollout",
            "title": "A tenth first",
            "first_share": 10,
            "least_hold": "PT5M",
            "watch": [{"name": "errors", "kind": "share", "bad": "b", "all": "a", "at_most": 0.01}],
            "on_breach": "roll back",
        }
    ],
}


def held_against(*asked: str) -> tuple[int, str]:
    done = dogana(*asked)
    return done.exit_code, done.output


def recorded(folder: Path, looks: list, policy: dict = POLICY) -> list[str]:
    (folder / "policy.json").write_text(json.dumps(policy))
    (folder / "looks.jsonl").write_text(
        "".join(f"{one.model_dump_json(exclude_none=True)}\n" for one in looks)
    )
    return ["watch", "--policy", str(folder / "policy.json"), "--readings", str(folder / "looks.jsonl")]


def test_a_recorded_course_is_held_against_a_policy(tmp_path: Path):
    """Look by look, offline, with the exit that says how it came out."""
    shared = [one.model_copy(update={"share": 10}) for one in requests(0.0, 100, 20)]
    code, said = held_against(*recorded(tmp_path, shared))
    assert code == 1, said
    assert "errors within: At most 1 %, after " in said
    bad = [one.model_copy(update={"share": 10}) for one in requests(0.2, 100, 20)]
    code, said = held_against(*recorded(tmp_path, bad))
    assert code == 3, said
    assert "roll back, 0 %: Errors left its limit; it is taken back." in said
    code, said = held_against(*recorded(tmp_path, bad), "--json")
    assert [json.loads(line)["move"] for line in said.splitlines()][-1] == "roll back"


@pytest.mark.parametrize(
    ("line", "why"),
    [
        ("{", "looks.jsonl:2"),
        ('{"at": "2026-11-27T08:00:00Z"}', "looks.jsonl:2: monitor"),
        ('{"at": "2026-11-27T08:00:00Z", "monitor": "errors", "monitor": "x"}', "looks.jsonl:2"),
        ('{"at": "2026-11-27T08:00:00Z", "monitor": "errors", "share": 200}', "looks.jsonl:2: share"),
        ("x" * (1 << 20), "longer than a mebibyte"),
    ],
)
def test_a_line_that_is_no_look_is_named(tmp_path: Path, line: str, why: str):
    """With its number; nothing is guessed."""
    asked = recorded(tmp_path, [look(0, counts(0, 0))])
    with (tmp_path / "looks.jsonl").open("a") as file:
        file.write(line + "\n")
    code, said = held_against(*asked)
    assert (code, why in said) == (64, True), said


def test_a_policy_that_watches_nothing_is_said(tmp_path: Path):
    """And so is a file without a look."""
    code, said = held_against(
        *recorded(
            tmp_path, [look(0, counts(0, 0))], {**POLICY, "rules": [{**POLICY["rules"][0], "watch": []}]}
        )
    )
    assert (code, "no rule watches a release" in said) == (64, True), said
    code, said = held_against(*recorded(tmp_path, []))
    assert (code, "there is no look in it" in said) == (64, True), said
