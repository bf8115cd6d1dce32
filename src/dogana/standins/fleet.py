"""A fleet that serves the releases: for each environment the metrics a monitor would watch, as OpenMetrics.

Its gauges are made up, but steady: they follow a slow wave of the hour, so that past and present agree. What
goes in step by step is served by share, two releases at a time, with counters and histograms by version; its
page shows who gets what, and lets one make a newcomer bad.
"""

import argparse
import json
import math
import random
import re
import time
from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from html import escape
from pathlib import Path
from typing import Annotated
from urllib.parse import urlencode

import httpx
import uvicorn
from fastapi import FastAPI
from fastapi.responses import HTMLResponse, PlainTextResponse, RedirectResponse
from prometheus_client import CollectorRegistry, Gauge, generate_latest
from prometheus_client.core import CounterMetricFamily, HistogramMetricFamily, Metric
from prometheus_client.registry import Collector
from pydantic import BaseModel, Field

from dogana.standins.running import HEAD, Running

METRICS = {
    "telemetry_lag_seconds": ("95th percentile of the age of readings on arrival", 3.2),
    "ingest_error_ratio": ("Share of frames refused", 0.004),
    "valve_ack_seconds": ("95th percentile of the time to a valve's acknowledgement", 0.8),
    "false_alarms_per_hour": ("Leak alarms that proved false", 1.5),
    "portal_error_ratio": ("Share of portal requests that failed", 0.002),
    "bill_mismatch_ratio": ("Share of previewed bills that differ from the last run", 0.0008),
}
ENVIRONMENTS = ("bench", "rehearsal", "pilot-valley", "live-north", "live-south")
_WAVE = timedelta(hours=3)
_PER_SECOND = 60.0
_FAILS, _TAKES, _SPREAD = 0.003, 0.12, 0.4
_BAD_FAILS, _BAD_TAKES = 0.06, 0.4
_EDGES = (0.05, 0.1, 0.15, 0.2, 0.25, 0.3, 0.4, 0.5, 0.75, 1.0, 2.0)
_LONGEST_SECONDS = 30.0
_NAMED = re.compile(r'environment="([^"]+)"')
_LABELS = ("environment", "service", "version")


def value(metric: str, environment: str, at: datetime) -> float:
    """What a metric shows in an environment at an instant."""
    _, usual = METRICS[metric]
    phase = sum(map(ord, metric + environment)) % 60 / 60
    turns = at.timestamp() / _WAVE.total_seconds() + phase
    return round(usual * (1 + 0.15 * math.sin(2 * math.pi * turns)), 5)


def asked(query: str, at: datetime) -> list[tuple[dict[str, str], float]]:
    """What a query for one metric of one environment gave in the past, in which nothing was ever bad.

    Of what is counted by version each had a tenth of the requests, since the beginning of time.
    """
    metric, found = query.partition("{")[0], _NAMED.search(query)
    if found is None:
        return []
    every = int(at.timestamp() * _PER_SECOND / 10)
    if metric == "service_requests_total":
        return [({}, every)]
    if metric == "service_requests_failed_total":
        return [({}, int(every * _FAILS))]
    if metric == "service_request_seconds_bucket":
        upto = [(str(edge), int(every * _quicker(edge))) for edge in _EDGES]
        return [({"le": edge}, count) for edge, count in [*upto, ("+Inf", every)]]
    return [({"environment": found[1]}, value(metric, found[1], at))] if metric in METRICS else []


def _quicker(edge: float) -> float:
    """Which part of the answers take no longer than that, when all is well."""
    return 0.5 * math.erfc(-math.log(edge / _TAKES) / (_SPREAD * math.sqrt(2)))


class Shares(BaseModel):
    """Which share of a service's requests in an environment goes to a newcomer."""

    environment: Annotated[str, Field(max_length=60)]
    service: Annotated[str, Field(max_length=60)]
    version: Annotated[str, Field(max_length=60)]
    incumbent: Annotated[str, Field(max_length=60)] = ""
    share: Annotated[int, Field(ge=0, le=100)]


@dataclass
class _Counted:
    """One version's counters."""

    all: int = 0
    bad: int = 0
    seconds: float = 0.0
    upto: list[int] = field(default_factory=lambda: [0] * len(_EDGES))


class Traffic(Collector):
    """Requests to what goes in step by step, counted whenever somebody looks."""

    def __init__(self) -> None:
        self.served: dict[tuple[str, str], Shares] = {}
        self.bad: set[tuple[str, str]] = set()
        """Services, by environment, whose newcomer is bad."""
        self._counted: dict[tuple[str, str, str], _Counted] = {}
        self._at = time.monotonic()
        self._made = random.Random()  # noqa: S311 - traffic

    def serve(self, wanted: Shares) -> None:
        """Give a newcomer its share; one that has none, or all, is well again the next time."""
        self._pass()
        place = (wanted.environment, wanted.service)
        self.served[place] = wanted
        if wanted.share == 0:
            self.bad.discard(place)

    def _pass(self) -> None:
        """Let the requests come that came since."""
        now = time.monotonic()
        elapsed, self._at = min(now - self._at, _LONGEST_SECONDS), now
        for place, shares in self.served.items():
            requests = int(elapsed * _PER_SECOND + self._made.random())
            here = sum(self._made.random() * 100 < shares.share for _ in range(requests))
            self._count((*place, shares.version), here, bad=place in self.bad)
            if shares.incumbent:
                self._count((*place, shares.incumbent), requests - here, bad=False)

    def _count(self, name: tuple[str, str, str], requests: int, *, bad: bool) -> None:
        counted = self._counted.setdefault(name, _Counted())
        fails, takes = (_BAD_FAILS, _BAD_TAKES) if bad else (_FAILS, _TAKES)
        for _ in range(requests):
            took = self._made.lognormvariate(math.log(takes), _SPREAD)
            counted.all += 1
            counted.bad += self._made.random() < fails
            counted.seconds += took
            for n, edge in enumerate(_EDGES):
                counted.upto[n] += took <= edge

    def collect(self) -> Iterator[Metric]:
        """The counters and histograms by version."""
        self._pass()
        every = CounterMetricFamily("service_requests", "Requests answered", labels=_LABELS)
        failed = CounterMetricFamily("service_requests_failed", "Requests that failed", labels=_LABELS)
        took = HistogramMetricFamily("service_request_seconds", "Time to answer", labels=_LABELS)
        for name, counted in self._counted.items():
            every.add_metric(name, counted.all)
            failed.add_metric(name, counted.bad)
            buckets = [(str(edge), n) for edge, n in zip(_EDGES, counted.upto, strict=True)]
            took.add_metric(name, [*buckets, ("+Inf", counted.all)], counted.seconds)
        return iter((every, failed, took))


def make_bad(fleet: str, service: str) -> None:
    """Make the newcomer of a service bad wherever it goes in.

    Args:
        fleet: the address of one that runs.
        service: by its id.

    Raises:
        httpx.HTTPError: when it does not answer.
    """
    for environment in ENVIRONMENTS:
        asks = {"environment": environment, "service": service, "bad": "true"}
        httpx.post(f"{fleet}/mood", params=asks, timeout=5)


def make_fleet(troubles: Path | None = None, runs: Path | None = None) -> FastAPI:
    """The application with the metrics.

    Args:
        troubles: a JSON file, read at every scrape, with factors by `metric/environment`, to make a bad hour.
        runs: a JSON file with the version of each `environment/service`, where that is kept.
    """
    app = FastAPI(title="Fleet stand-in", openapi_url=None)
    traffic, running = Traffic(), Running(runs)

    app.include_router(running.routes())

    @app.get("/metrics")
    def metrics() -> PlainTextResponse:
        factors = json.loads(troubles.read_text()) if troubles and troubles.exists() else {}
        registry = CollectorRegistry()
        registry.register(traffic)
        now = datetime.now(UTC)
        for metric, (meaning, _) in METRICS.items():
            gauge = Gauge(metric, meaning, ["environment"], registry=registry)
            for environment in ENVIRONMENTS:
                factor = factors.get(f"{metric}/{environment}", 1)
                gauge.labels(environment).set(value(metric, environment, now) * factor)
        return PlainTextResponse(generate_latest(registry))

    @app.get("/shares")
    def shares() -> list[Shares]:
        """Who gets what."""
        return list(traffic.served.values())

    @app.put("/shares")
    def serve(wanted: Shares) -> Shares:
        """Give a newcomer its share."""
        traffic.serve(wanted)
        return wanted

    @app.post("/mood")
    def mood(environment: str, service: str, *, bad: bool) -> RedirectResponse:
        """Make the newcomer of a service bad, or well again."""
        (traffic.bad.add if bad else traffic.bad.discard)((environment, service))
        return RedirectResponse("/", status_code=303)

    @app.get("/")
    def page() -> HTMLResponse:
        return HTMLResponse(_page(traffic, running))

    return app


def _page(traffic: Traffic, running: Running) -> str:
    rows = []
    for place, shares in sorted(traffic.served.items()):
        environment, service = map(escape, place)
        bad = place in traffic.bad
        asks = urlencode({"environment": place[0], "service": place[1], "bad": not bad})
        rows.append(
            f"<tr><td>{service}<td>{environment}<td>{escape(shares.version)} <b>{shares.share} %</b>"
            f"<td>{escape(shares.incumbent) or 'nothing'} <b>{100 - shares.share} %</b>"
            f'<td>{"bad" if bad else "well"}<td><form method=post action="/mood?{escape(asks)}">'
            f"<button>{'Make it well' if bad else 'Make it bad'}</button></form>"
        )
    body = "".join(rows) or "<tr><td colspan=6>Nothing goes in step by step just now."
    return (
        f"{HEAD}<h1>The fleet</h1><p>What serves the valley, and the share of requests that each newcomer"
        " gets."
        f"<table><tr><th>Service<th>Environment<th>Newcomer<th>Incumbent<th>Mood<th>{body}</table>"
        f"<h2>What runs</h2><table><tr><th>Service<th>Environment<th>Version<th>{running.rows()}</table>"
    )


def main() -> None:
    """Serve until told to stop."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--port", type=int, required=True)
    parser.add_argument("--troubles", type=Path)
    parser.add_argument("--runs", type=Path)
    options = parser.parse_args()
    uvicorn.run(
        make_fleet(options.troubles, options.runs), host="127.0.0.1", port=options.port, log_level="warning"
    )


if __name__ == "__main__":
    main()
