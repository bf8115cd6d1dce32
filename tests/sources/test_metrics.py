"""The metrics server: what it shows, and every way in which it can fail to."""

from datetime import timedelta

import httpx
import pytest
from tests.conftest import Live
from tests.world import NOW

from dogana.sources.http import UnreadError
from dogana.sources.metrics import HttpMetrics, samples_in, selector
from dogana.sources.settings import Configured, MetricsSettings

WINDOW = timedelta(minutes=10)
QUERY = 'lag{environment="$environment"}'


def asked(answer):
    client = httpx.AsyncClient(transport=httpx.MockTransport(answer))
    server = Configured("m", "metrics", MetricsSettings(address="http://metrics/"))
    return HttpMetrics(client, lambda: NOW).series(server, QUERY, "live", WINDOW)


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


async def test_a_query_that_makes_no_sense_is_told_in_the_servers_words():
    """Whoever wrote the monitor can mend it."""
    answer = {"status": "error", "error": "parse error: unexpected end of input"}
    reading = await asked(lambda _: httpx.Response(400, json=answer))
    assert "unexpected end of input" in reading.unknown


OPEN = b"""# TYPE lag gauge
lag{environment="live"} 2.5 1700000000
lag{environment="pilot"} NaN
# TYPE frames counter
frames_total{collector="a"} 7
# EOF
"""


def test_a_page_of_metrics_in_both_formats():
    """The metrics wanted, with their labels; what is no number is left out."""
    for body in (OPEN, OPEN.replace(b"# EOF\n", b"")):
        assert samples_in(body, ("lag", "frames_total")) == [
            ("lag", {"environment": "live"}, 2.5),
            ("frames_total", {"collector": "a"}, 7),
        ]
    with pytest.raises(UnreadError, match="OpenMetrics"):
        samples_in(b"<html>\n# EOF", ("lag",))


def test_scraped_values_are_asked_for_by_name_and_labels():
    """And by nothing else, which is said."""
    assert selector('lag{environment="live", zone="a"}') == ("lag", {"environment": "live", "zone": "a"})
    assert selector(" lag ") == ("lag", {})
    for query in ("rate(lag[5m])", 'lag{environment=~"l.*"}', "lag + lag", 'lag{a="b"'):
        with pytest.raises(ValueError, match="labels"):
            selector(query)


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
