"""Looks at what watches a course: what the newcomer answers its own probe, and whom that may hide."""

from dataclasses import replace
from typing import Any

import httpx
import pytest
from pydantic import TypeAdapter
from tests.service.courses.moving import ROLLOUT, Figures
from tests.world import World

from dogana.core.health.readings import Look
from dogana.core.health.watches import Watch
from dogana.service.courses.looking import Subject, look_at
from dogana.service.sources import registry
from dogana.sources.reachable import Reachable, guarded_client

PROBE = {"name": "page", "kind": "probe", "address": "http://bench.example/health"}
SUBJECT = Subject(environment="bench", service="taps-portal", version="1.2.0", incumbent="1.1.0")


async def looked(
    world: World, probe: dict[str, Any], answer: httpx.Response | httpx.AsyncClient
) -> dict[str, Look]:
    """A look at a probe that is answered so, and at the monitor of a rollout beside it."""
    if isinstance(answer, httpx.Response):
        said = answer
        answer = httpx.AsyncClient(transport=httpx.MockTransport(lambda _: said))
    backend = replace(
        world.backend,
        client=answer,
        metrics=Figures(bad=1, all=100),
    )
    watches = TypeAdapter(list[Watch]).validate_python([PROBE | probe, *ROLLOUT["watch"]])
    async with backend.database.transaction() as session:
        sources = await registry.load(backend, session)
    found = await look_at(backend, sources, SUBJECT, watches, backend.clock())
    return {one.monitor: one for one in found.looks}


def answered(content: bytes, media: str = "application/json") -> httpx.Response:
    return httpx.Response(200, headers={"Content-Type": media}, content=content)


@pytest.mark.parametrize(
    ("probe", "content", "failed"),
    [
        ({}, b"", ""),
        ({"status": 204}, b"", "status 200 instead of 204"),
        ({"holds": "well"}, b"all is well", ""),
        ({"holds": "well"}, b"", "the answer does not hold 'well'"),
        ({"pointer": "/state", "holds": "up"}, b'{"state": "up"}', ""),
        ({"pointer": "/state", "holds": "up"}, b'{"state": "down"}', "/state is down"),
        ({"pointer": "/state", "holds": "true"}, b'{"state": true}', ""),
        ({"pointer": "/state", "holds": "up"}, b'{"state": "down", "state": "up"}', "nothing at /state"),
        ({"pointer": "/state"}, b"{}", "nothing at /state"),
        ({"pointer": "/state"}, b"[" * 100_000, "nothing at /state"),
        ({"pointer": "/parts/-"}, b'{"parts": []}', "nothing at /parts/-"),
    ],
)
async def test_a_probe_passes_by_what_was_asked_for_alone(
    world: World, probe: dict[str, Any], content: bytes, failed: str
):
    page = (await looked(world, probe, answered(content)))["page"]
    assert page.unknown in ("", None)
    assert failed in page.failed if failed else page.failed == ""


@pytest.mark.parametrize(
    ("address", "failed", "unknown"),
    [
        ("http://127.0.0.1:9/", "it cannot be reached", None),
        ("http://10.1.2.3/", "", "its address is not one that may be reached from here"),
        ("http://[::1/", "", "its address is none"),
    ],
)
async def test_the_newcomer_is_not_to_blame_for_an_address_that_cannot_be_asked(
    world: World, address: str, failed: str, unknown: str | None
):
    """One that nobody answers at has failed."""
    async with guarded_client(Reachable("127.0.0.0/8"), 3) as client:
        page = (await looked(world, {"address": address}, client))["page"]
    assert (page.failed or "", page.unknown or None) == (failed, unknown)


@pytest.mark.parametrize("charset", ["hex", "rot13", "utf-16", "idna", "undefined", "zlib"])
async def test_no_answer_of_the_newcomer_hides_what_is_counted_of_it(world: World, charset: str):
    """It says of its answer that nobody can read it, while its errors stand beside that."""
    looks = await looked(world, {"holds": "well"}, answered(b"all is well", f"text/plain; charset={charset}"))
    assert looks["errors"].candidate.all[0].value[1] == "100"
    assert looks["page"].failed == ""
