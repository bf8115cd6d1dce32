"""The metrics server: what it shows, and every way in which it can fail to."""

from datetime import timedelta

import httpx
import pytest
from tests.conftest import Live
from tests.world import NOW

from dogana.sources.metrics import PrometheusMetrics

WINDOW = timedelta(minutes=10)
QUERY = 'lag{environment="$environment"}'


def asked(answer, base: str = "http://metrics"):
    client = httpx.AsyncClient(transport=httpx.MockTransport(answer))
    return PrometheusMetrics(client, base, lambda: NOW).series(
        'lag{environment="$environment"}', "live", WINDOW
    )


def matrix(*series):
    return {
        "status": "success",
        "data": {"resultType": "matrix", "result": [{"values": one} for one in series]},
    }


async def test_the_values_of_a_window_oldest_first():
    """Of all its series; what is no number is left out, and the environment is filled in."""
    seen = {}

    def answer(request: httpx.Request) -> httpx.Response:
        seen.update(request.url.params)
        return httpx.Response(200, json=matrix([[1, "2.5"], [3, "NaN"]], [[2, "0.123456"]]))

    reading = await asked(answer)
    assert reading.value is not None
    assert reading.value.values == (2.5, 0.1235)
    assert seen["query"] == 'lag{environment="live"}'
    assert float(seen["end"]) - float(seen["start"]) == WINDOW.total_seconds()


@pytest.mark.parametrize(
    ("answer", "why"),
    [
        (lambda _: httpx.Response(503), "it answered 503"),
        (lambda _: httpx.Response(200, text="<html>"), "cannot be understood"),
        (
            lambda _: httpx.Response(200, json={"data": {"result": [{"values": [["x", 1]]}]}}),
            "cannot be understood",
        ),
        (lambda _: (_ for _ in ()).throw(httpx.ReadTimeout("slow")), "did not answer in time"),
        (lambda _: (_ for _ in ()).throw(httpx.ConnectError("down")), "cannot be reached"),
    ],
)
async def test_a_server_that_fails_says_why(answer, why):
    """Never a pass, never a traceback."""
    reading = await asked(answer)
    assert reading.value is None
    assert why in (reading.unknown or "")


async def test_without_a_server_nothing_is_known():
    """And nobody is asked."""
    reading = await asked(lambda _: pytest.fail("asked"), base="")
    assert reading.unknown == "no metrics server is set up"


def test_the_real_server_is_asked_about_the_real_fleet(live: Live):
    """The health of a live environment, as its dossier shows it."""
    headers = {"Authorization": f"Bearer {live.running.requester_token}"}
    with httpx.Client(base_url=live.running.url, headers=headers, timeout=20) as client:
        rows = client.get("/api/desk").json()["rows"]
        number = next(row["number"] for row in rows if row["target"]["id"] == "live-north")
        findings = client.get(f"/api/promotions/{number}/dossier").json()["findings"]
    health = next(finding for finding in findings if finding["rule"] == "health")
    assert health["outcome"] == "met", health
    assert any("telemetry lag" in line["label"] for line in health["evidence"])
