"""The metrics server: what it shows, and every way in which it can fail to."""

import json
from datetime import UTC, datetime, timedelta

import httpx
import pytest
from tests.conftest import Live
from tests.core.cases import facts, policy
from tests.world import NOW

from dogana.core.decisions import Decisions
from dogana.core.inspect.engine import inspect
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


def vector(*stamps):
    result = [{"metric": {}, "value": [NOW.timestamp(), str(stamp)]} for stamp in stamps]
    return {"status": "success", "data": {"resultType": "vector", "result": result}}


AT = NOW.timestamp()


def answering(*series, stamps=(AT,), seen=None, **more):
    def answer(request: httpx.Request) -> httpx.Response:
        if seen is not None and "start" in request.url.params:
            seen.update(request.url.params)
        found = matrix(*series) if request.url.path.endswith("query_range") else vector(*stamps)
        return httpx.Response(200, json=found | more)

    return answer


async def test_the_values_of_a_window_oldest_first():
    """Of all its series; what is no number is left out, and the environment is filled in."""
    seen = {}
    reading = await asked(answering([[1, "2.5"], [3, "NaN"]], [[2, "0.123456"]], seen=seen))
    assert reading.value is not None
    assert reading.value.values == (2.5, 0.123456)
    assert seen["query"] == 'lag{environment="live"}'
    assert float(seen["end"]) - float(seen["start"]) == WINDOW.total_seconds()


WATCH = {"name": "lag", "query": QUERY, "least_data": 1, "window": "PT10M"}


@pytest.mark.parametrize(
    ("series", "stamps", "limits", "outcome"),
    [
        ([[[AT, "0.00004"]]], (AT,), {"at_most": 0}, "unmet"),
        ([[[AT, "0.00004"]]], (AT,), {"at_most": 0, "judged": "mean"}, "unmet"),
        ([[[AT, "+Inf"]]], (AT,), {"at_most": 1e9}, "unmet"),
        ([[[AT - 60, "1"], [AT, "+Inf"]]], (AT,), {"at_most": 1e9, "judged": "mean"}, "unmet"),
        ([[[AT, "-Inf"]]], (AT,), {"at_least": 0}, "unmet"),
        ([[[AT, "NaN"]]], (AT,), {"at_most": 5}, "unknown"),
        ([[[AT, "9"]], [[AT, "10"]]], (AT, AT), {"at_most": 9, "judged": "last"}, "unmet"),
        ([[[AT, "10"]], [[AT, "9"]]], (AT, AT), {"at_most": 9, "judged": "last"}, "unmet"),
        ([[[AT, "1"]], [[AT - 400, "1"]]], (AT,), {"at_most": 9, "judged": "last"}, "unknown"),
        ([[[AT - 400, "1"]]], (), {"at_most": 9}, "unknown"),
        ([[[AT, "1"]]], (AT - 310,), {"at_most": 9}, "unknown"),
        ([[[AT, "1"]]], (AT - 200,), {"at_most": 9}, "met"),
        ([[[AT + 400, "1"]]], (AT + 400,), {"at_most": 9}, "unknown"),
        ([[[AT, "abc"]]], (AT,), {"at_most": 9}, "unknown"),
        ([[[AT - n / 10, "1"] for n in range(2001)]], (AT,), {"at_most": 9}, "unknown"),
        ([], (), {"at_most": 9}, "unknown"),
    ],
)
async def test_what_a_server_shows_clears_only_what_it_shows(series, stamps, limits, outcome):
    """The infinite, the tiny, the last of several, what has ended, what lies ahead, too much of it."""
    reading = await asked(answering(*series, stamps=stamps))
    rule = {"kind": "monitors", "watch": [{**WATCH, **limits}]}
    monitor = {"environment": "live", "query": QUERY, "window": WINDOW, "reading": reading.model_dump()}
    known = facts(monitors=(monitor,))
    made = policy(rule)
    assert inspect(made, known, Decisions(), NOW).findings[0].outcome == outcome


async def test_an_answer_that_is_not_whole_is_none():
    """With warnings of a server that asked others, or without saying that it went well, or told twice."""
    twice = json.dumps(matrix([[AT, "9"]]))[:-1] + ', "data": {"result": []}}'
    assert (await asked(lambda _: httpx.Response(200, text=twice))).unknown is not None
    parts = {"warnings": ["a store timed out"]}, {"isPartial": True}
    for more in (*parts, {"status": "error"}, {"status": None}):
        reading = await asked(answering([[AT, "1"]], **more))
        assert reading.value is None


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
        lag, frames = samples_in(body, ("lag", "frames_total"))
        assert lag[:3] == ("lag", {"environment": "live"}, 2.5)
        assert frames == ("frames_total", {"collector": "a"}, 7, None)
    assert samples_in(OPEN, ("lag",))[0].measured_at == datetime(2023, 11, 14, 22, 13, 20, tzinfo=UTC)
    with pytest.raises(UnreadError, match="OpenMetrics"):
        samples_in(b"<html>\n# EOF", ("lag",))


def test_scraped_values_are_asked_for_by_name_and_labels():
    """And by nothing else, which is said."""
    assert selector('lag{environment="live", zone="a"}') == ("lag", {"environment": "live", "zone": "a"})
    assert selector(" lag ") == ("lag", {})
    for query in ("rate(lag[5m])", 'lag{environment=~"l.*"}', "lag + lag", 'lag{a="b"'):
        with pytest.raises(ValueError, match="labels"):
            selector(query)


@pytest.mark.thorough
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
