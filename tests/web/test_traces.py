"""Traces go out by OpenTelemetry's usual variables, to whatever collector they name."""

import asyncio

import pytest
from starlette.responses import Response
from tests.installation.test_wrong_settings import dogana
from tests.serving import Outside, served
from tests.waiting import comes
from tests.web.test_killed import server
from tests.world import World

from dogana.service.sealing import new_key_line

pytestmark = pytest.mark.thorough


async def test_a_request_is_traced_to_the_collector(world: World, monkeypatch: pytest.MonkeyPatch):
    """With the route as the span's name; a collector that is away keeps nobody from their work."""
    collector, got = Outside(), asyncio.Event()

    async def take(request) -> Response:
        if request.url.path == "/v1/traces" and b"/api/policy-schema" in await request.body():
            got.set()
        return Response(b"", media_type="application/x-protobuf")

    collector.answer = take
    monkeypatch.setenv("OTEL_EXPORTER_OTLP_ENDPOINT", collector.url)
    monkeypatch.setenv("OTEL_BSP_SCHEDULE_DELAY", "100")
    async with server(world) as (_, client):
        # Nobody listens yet.
        assert (await client.get("/api/policy-schema")).status_code == 200
        async with served(collector):

            async def told() -> bool:
                await client.get("/api/policy-schema")
                return got.is_set()

            await comes(told)


def test_a_collector_that_is_none_is_said(urls):
    """At the start, in one sentence."""
    settings = {"DOGANA_DATABASE_URL": urls.application, "DOGANA_SEALING_KEYS": new_key_line()}
    for wrong in ("collector:4318", "grpc://collector:4317"):
        found, said = dogana(settings | {"OTEL_EXPORTER_OTLP_ENDPOINT": wrong}, "serve")
        assert (found, len(said.strip().splitlines())) == (78, 1), said
        assert "OTEL_EXPORTER_OTLP_ENDPOINT" in said
