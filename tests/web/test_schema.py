"""Every route of the OpenAPI document, thrown at from all sides, as each role and as nobody."""

import asyncio
import os
import time
from itertools import cycle, islice

import httpx
import pytest
import schemathesis

# Read only when deep in a recursion, with others' garbage about, they end the parser of Python 3.11.
import schemathesis.generation.jsonschema.builder
import schemathesis.specs.openapi.schemas
from hypothesis import HealthCheck, Phase, given, settings
from schemathesis.checks import not_a_server_error
from schemathesis.specs.openapi.checks import (
    content_type_conformance,
    response_schema_conformance,
    status_code_conformance,
)
from tests.limits import THOROUGH
from tests.web.test_access import WHO
from tests.web.test_killed import server
from tests.world import World

from dogana.demo.cast import PASSWORD

CHECKS = [
    not_a_server_error,
    status_code_conformance,
    content_type_conformance,
    response_schema_conformance,
]
NIGHTLY_SECONDS = float(os.environ.get("DOGANA_NIGHTLY_SECONDS", "600"))
LEFT_OUT = {("GET", "/api/events"), ("DELETE", "/api/session"), ("GET", "/health/ready")}
"""One never ends; one would sign out who throws; one says 503 as long as no worker runs, and means it."""


def thrown_at(url: str, identities: list[dict[str, str]]) -> int:
    """Throw at every operation, the same as everybody; how many operations there were."""
    schema = schemathesis.openapi.from_url(f"{url.rstrip('/')}/api/openapi.json")
    many, turns = 0, cycle(identities)
    for found in schema.get_all_operations():
        operation = found.ok()
        if (operation.method.upper(), operation.path) in LEFT_OUT:
            continue
        many += 1

        @settings(
            max_examples=3 if THOROUGH else 2,
            deadline=None,
            database=None,
            phases=[Phase.explicit, Phase.generate],
            suppress_health_check=list(HealthCheck),
        )
        @given(case=operation.as_strategy())
        def throw(case):
            # Each example is seen by three in turn, each operation by everybody where nobody waits for it.
            for headers in islice(turns, 3):
                case.call_and_validate(headers=headers, checks=CHECKS)

        throw()
    return many


async def everybody(client: httpx.AsyncClient) -> dict[str, dict[str, str]]:
    """What each role signs its requests with, and nobody."""
    found: dict[str, dict[str, str]] = {"nobody": {}}
    for role, who in WHO.items():
        client.cookies.clear()
        credentials = {"email": f"{who}@corvale.example", "password": PASSWORD}
        me = (await client.post("/api/session", json=credentials)).json()
        session = client.cookies["dogana_session"]
        found[role] = {"X-CSRF-Token": me["csrf_token"], "Cookie": f"dogana_session={session}"}
    return found


@pytest.mark.nightly
@pytest.mark.timeout(1200)
@pytest.mark.filterwarnings("ignore")
async def test_no_fault_however_requests_follow_each_other(world: World):
    """Requests made from earlier answers, as each role in turn, for ten minutes in all."""
    await world.waiting()
    async with server(world) as (process, client):
        identities = await everybody(client)
        schema = schemathesis.openapi.from_url(f"{str(client.base_url).rstrip('/')}/api/openapi.json")
        schema = schema.exclude(path=["/api/events", "/health/ready"]).exclude(
            path="/api/session", method="DELETE"
        )
        made = 0
        for headers in identities.values():

            class Follows(schema.as_state_machine()):
                def get_call_kwargs(self, case, headers=headers):
                    return {"headers": headers}

                def validate_response(self, response, case, **_):
                    nonlocal made
                    made += 1
                    case.validate_response(response, checks=CHECKS)

            ends = time.monotonic() + NIGHTLY_SECONDS / len(identities)
            while time.monotonic() < ends:
                Follows.run(
                    settings=settings(
                        max_examples=4,
                        stateful_step_count=12,
                        deadline=None,
                        database=None,
                        suppress_health_check=list(HealthCheck),
                    )
                )
        assert process.poll() is None
        assert made > 500
        assert "fault" not in await asyncio.to_thread((world.folder / "server.log").read_text)


@pytest.mark.thorough
@pytest.mark.filterwarnings("ignore")
async def test_no_fault_and_no_undocumented_answer(world: World):
    """Whatever is sent, as whoever, an answer is one that the document speaks of.

    The server is a process of its own, so this one may stop for it.
    """
    await world.waiting()
    async with server(world) as (_, client):
        assert thrown_at(str(client.base_url), list((await everybody(client)).values())) > 60
