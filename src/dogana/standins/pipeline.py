"""A delivery pipeline: takes in what is cleared, and reports landing after a while, through the public API.

Services named `--by-hand` are left for a person to let go.
"""

import argparse
import json
import time
from datetime import UTC, datetime
from typing import Any

import httpx

_PAUSE = 1.0


class Pipeline:
    """One pass over everything cleared or moving."""

    def __init__(self, client: httpx.Client, takes: dict[str, float], by_hand: frozenset[str]) -> None:
        self._client = client
        self._takes = takes
        self._by_hand = by_hand

    def step(self, now: datetime) -> None:
        """Depart what is cleared, land what has moved long enough."""
        for row in self._client.get("/api/desk").raise_for_status().json()["rows"]:
            if row["state"] == "cleared" and row["service"]["id"] not in self._by_hand:
                self._post(row, "depart", None)
            elif row["state"] == "moving" and self._arrived(row, now):
                self._post(row, "land", {})

    def _arrived(self, row: dict[str, Any], now: datetime) -> bool:
        departed = datetime.fromisoformat(row["departed_at"])
        return (now - departed).total_seconds() >= self._takes.get(row["target"]["id"], 5.0)

    def _post(self, row: dict[str, Any], action: str, body: dict[str, Any] | None) -> None:
        answer = self._client.post(f"/api/promotions/{row['number']}/{action}", json=body)
        if answer.status_code not in (httpx.codes.OK, httpx.codes.CONFLICT):
            answer.raise_for_status()


def main() -> None:
    """Run for good; Dogana being away for a moment is waited out."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--url", required=True)
    parser.add_argument("--token", required=True)
    parser.add_argument("--takes", type=json.loads, default={}, help="seconds by environment, JSON")
    parser.add_argument("--by-hand", action="append", default=[])
    options = parser.parse_args()
    headers = {"Authorization": f"Bearer {options.token}"}
    with httpx.Client(base_url=options.url, headers=headers, timeout=10) as client:
        pipeline = Pipeline(client, options.takes, frozenset(options.by_hand))
        while True:
            try:
                pipeline.step(datetime.now(UTC))
            except httpx.HTTPError:
                time.sleep(_PAUSE)
            time.sleep(_PAUSE)


if __name__ == "__main__":
    main()
