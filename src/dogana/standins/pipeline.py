"""A delivery pipeline: takes in what is cleared, with its clearance, and reports through the public API.

It verifies each clearance with the published keys before it moves anything, reads the sealed values that the
clearance opens, and tells of the tests it runs after landing with a signed event.
Services named `--by-hand` are left for a person to let go.
"""

import argparse
import json
import os
import sys
import time
import warnings
from datetime import UTC, datetime
from typing import Any, cast

import httpx
from cloudevents.core.v1.event import CloudEvent
from joserfc import jwt
from joserfc.errors import JoseError, SecurityWarning
from joserfc.jwk import KeySet

from dogana.standins.events import Sender, event_of
from dogana_client import Dogana, ProblemError, UnreachableError

_PAUSE = 1.0
_CONFLICT = 409


class WrongClearanceError(Exception):
    """The clearance does not let in what is to be deployed."""


class Pipeline:
    """One pass over everything cleared or moving."""

    def __init__(
        self,
        dogana: Dogana,
        sender: Sender | None,
        takes: dict[str, float],
        by_hand: frozenset[str],
        fleet: httpx.Client | None = None,
    ) -> None:
        self._dogana = dogana
        self._sender = sender
        self._takes = takes
        self._by_hand = by_hand
        self._fleet = fleet
        self._held: set[int] = set()
        self._followed: dict[int, int] = {}
        """The last order that was set, by promotion."""

    def step(self, now: datetime) -> None:
        """Depart what is cleared, take over what a person let go, land what has moved long enough."""
        for row in self._dogana.promotions("cleared"):
            if row["service"]["id"] not in self._by_hand:
                self._deploy(row)
        for row in [*self._dogana.promotions("moving"), *self._dogana.promotions("halted")]:
            if row["state"] == "moving":
                self._deploy(row)
            if self._follows(row) and self._arrived(row, now):
                self._land(row)

    def _deploy(self, row: dict[str, Any]) -> None:
        """Get the clearance, see that it is for this, and read the values that go with it."""
        if row["number"] in self._held:
            return
        try:
            clearance = self._dogana.depart(row["number"])["clearance"]
            verified(clearance, self._dogana.keys(), row)
            self._dogana.values(clearance)
        except ProblemError as exc:
            if exc.status != _CONFLICT:
                raise
        else:
            self._held.add(row["number"])

    def _follows(self, row: dict[str, Any]) -> bool:
        """Set the share that is ordered last, if that is new; whether nothing more is ordered."""
        number = row["number"]
        told = self._dogana.orders(number, after=self._followed.get(number, 0))
        for order in told["orders"][-1:]:
            self._serve(row, order["share"])
            self._followed[number] = order["number"]
            if order["share"] == 0:
                self._dogana.failed(number, order["reason"])
                return False
            self._dogana.set_to(number, order["share"])
        return bool(told["ended"]) and row["state"] == "moving"

    def _serve(self, row: dict[str, Any], share: int) -> None:
        if self._fleet is None:
            return
        course = self._dogana.course(row["number"]) or {}
        wanted = {
            "environment": row["target"]["id"],
            "service": row["service"]["id"],
            "version": row["version"],
            "incumbent": course.get("incumbent") or "",
            "share": share,
        }
        self._fleet.put("/shares", json=wanted).raise_for_status()

    def _arrived(self, row: dict[str, Any], now: datetime) -> bool:
        departed = datetime.fromisoformat(row["departed_at"])
        return (now - departed).total_seconds() >= self._takes.get(row["target"]["id"], 5.0)

    def _land(self, row: dict[str, Any]) -> None:
        try:
            self._dogana.landed(row["number"])
        except ProblemError as exc:
            if exc.status != _CONFLICT:
                raise
        else:
            self._held.discard(row["number"])
            if self._fleet is not None:
                place = f"/version/{row['target']['id']}/{row['service']['id']}"
                self._fleet.put(place, params={"version": row["version"]}).raise_for_status()
            if self._sender is not None:
                self._sender.send(tested(row))


def tested(row: dict[str, Any]) -> CloudEvent:
    """That the tests in an environment passed."""
    environment = row["target"]["id"].replace("/", "-")
    data = {
        "subject": {"id": f"{environment}-{row['number']}", "content": {"outcome": "pass"}},
        "customData": {
            "service": row["service"]["id"],
            "version": row["version"],
            "name": f"smoke-tests-{environment}",
            "passed": 12,
            "failed": 0,
        },
    }
    return event_of("/corvale/pipeline", "dev.cdevents.testsuiterun.finished.0.2.0", data)


def verified(clearance: str, keys: dict[str, Any], row: dict[str, Any]) -> dict[str, Any]:
    """What a clearance says, once its signature is good and it is for this release and environment.

    Raises:
        WrongClearanceError: when it is for something else.
        JoseError: when its signature is not good.
    """
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", SecurityWarning)
        claims: dict[str, Any] = jwt.decode(
            clearance, KeySet.import_key_set(cast("Any", keys)), algorithms=["EdDSA"]
        ).claims
    wanted = (row["service"]["id"], row["version"], row["target"]["id"])
    if (claims["service"], claims["version"], claims["environment"]) != wanted:
        raise WrongClearanceError(f"the clearance is for {claims}")
    return claims


_PASSING = (
    httpx.HTTPError,
    UnreachableError,
    ProblemError,
    JoseError,
    WrongClearanceError,
    OSError,
    ValueError,
    KeyError,
    TypeError,
)
"""What ends a step, and not the pipeline."""


def main() -> None:
    """Run for good, with its secrets from the environment.

    What Dogana refuses or does not answer, a revoked token included, is tried again later.
    """
    parser = argparse.ArgumentParser()
    parser.add_argument("--url", required=True)
    parser.add_argument("--takes", type=json.loads, default={}, help="seconds by environment, JSON")
    parser.add_argument("--by-hand", action="append", default=[])
    parser.add_argument("--fleet", required=True, help="where shares are set")
    options = parser.parse_args()
    token, secret = os.environ["DOGANA_TOKEN"], os.environ["DOGANA_EVENT_SECRET"]
    with (
        Dogana(options.url, token) as dogana,
        httpx.Client(base_url=options.url, timeout=10) as client,
        httpx.Client(base_url=options.fleet, timeout=10) as fleet,
    ):
        sender = Sender(client, "pipeline", secret)
        pipeline = Pipeline(dogana, sender, options.takes, frozenset(options.by_hand), fleet)
        while True:
            try:
                pipeline.step(datetime.now(UTC))
            except _PASSING as exc:
                print(f"not done: {exc}", file=sys.stderr, flush=True)  # noqa: T201 - its log
                time.sleep(_PAUSE)
            time.sleep(_PAUSE)


if __name__ == "__main__":
    main()
