"""A fleet that serves the releases: for each environment the metrics a monitor would watch, as OpenMetrics.

The figures are made up, but steady: they follow a slow wave of the hour, so that past and present agree.
"""

import argparse
import json
import math
from datetime import UTC, datetime, timedelta
from pathlib import Path

import uvicorn
from fastapi import FastAPI
from fastapi.responses import PlainTextResponse
from prometheus_client import CollectorRegistry, Gauge, generate_latest

METRICS = {
    "telemetry_lag_seconds": ("95th percentile of the age of readings on arrival", 3.2),
    "ingest_error_ratio": ("Share of frames refused", 0.004),
    "valve_ack_seconds": ("95th percentile of the time to a valve's acknowledgement", 0.8),
    "false_alarms_per_hour": ("Leak alarms that proved false", 1.5),
    "portal_error_ratio": ("Share of portal requests that failed", 0.002),
    "bill_mismatch_ratio": ("Share of previewed bills that differ from the last run", 0.0008),
}
_WAVE = timedelta(hours=3)


def value(metric: str, environment: str, at: datetime) -> float:
    """What a metric shows in an environment at an instant."""
    _, usual = METRICS[metric]
    phase = sum(map(ord, metric + environment)) % 60 / 60
    turns = at.timestamp() / _WAVE.total_seconds() + phase
    return round(usual * (1 + 0.15 * math.sin(2 * math.pi * turns)), 5)


def make_fleet(troubles: Path | None = None) -> FastAPI:
    """The application with the metrics.

    Args:
        troubles: a JSON file, read at every scrape, with factors by `metric/environment`, to make a bad hour.
    """
    app = FastAPI(title="Fleet stand-in", openapi_url=None)

    @app.get("/metrics")
    def metrics() -> PlainTextResponse:
        factors = json.loads(troubles.read_text()) if troubles and troubles.exists() else {}
        registry = CollectorRegistry()
        now = datetime.now(UTC)
        for metric, (meaning, _) in METRICS.items():
            gauge = Gauge(metric, meaning, ["environment"], registry=registry)
            for environment in ("bench", "rehearsal", "pilot-valley", "live-north", "live-south"):
                factor = factors.get(f"{metric}/{environment}", 1)
                gauge.labels(environment).set(value(metric, environment, now) * factor)
        return PlainTextResponse(generate_latest(registry))

    return app


def main() -> None:
    """Serve until told to stop."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--port", type=int, required=True)
    parser.add_argument("--troubles", type=Path)
    options = parser.parse_args()
    uvicorn.run(make_fleet(options.troubles), host="127.0.0.1", port=options.port, log_level="warning")


if __name__ == "__main__":
    main()
