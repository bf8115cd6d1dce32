"""What `dogana steer` does: the deployer's own command sets each share ordered, until the course ends."""

import os
import subprocess
import time
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import click

from dogana_client.api import Dogana, ProblemError, UnreachableError

LANDED, NOT_SET, ROLLED_BACK, HALTED = 0, 1, 3, 4
_WAIT_SECONDS = 20.0
_TRIES = 3
_CONFLICT = 409
MOVING = "moving"
UNDER_WAY = (MOVING, "halted")


@dataclass
class Steering:
    """One course that is followed."""

    dogana: Dogana
    promotion: int
    command: Sequence[str]
    about: dict[str, str]
    known: int = 0
    """The number of the last order that was followed."""
    reason: str = ""
    """Of that order."""

    def follow(self, patience: float) -> int:
        """Until the course ends; how it did."""
        stands_since: float | None = None
        while True:
            told = self._told()
            for order in told["orders"][-1:]:
                if not self._set(order):
                    return NOT_SET
                self.known, self.reason = order["number"], order["reason"]
                if order["share"] == 0:
                    return ROLLED_BACK
            if told["ended"] and not told["orders"]:
                return LANDED if told["state"] in (MOVING, "landed") else ROLLED_BACK
            stands_since = (stands_since or time.monotonic()) if told["halted"] else None
            if stands_since is not None and time.monotonic() - stands_since > patience:
                click.echo(f"It still stands: {told['halted']}", err=True)
                return HALTED

    def _told(self) -> dict[str, Any]:
        """The next orders; Dogana being away is waited out."""
        while True:
            try:
                return self.dogana.orders(self.promotion, after=self.known, wait=_WAIT_SECONDS)
            except (UnreachableError, ProblemError) as exc:
                if isinstance(exc, ProblemError) and not exc.may_pass:
                    raise
                time.sleep(1)

    def _set(self, order: dict[str, Any]) -> bool:
        """Set a share and report it; whether the command could, tried a few times."""
        share = str(order["share"])
        click.echo(f"{share} %: {order['reason']}")
        for attempt in range(1, _TRIES + 1):
            done = subprocess.run(
                self.command, env={**os.environ, **self.about, "DOGANA_SHARE": share}, check=False
            )
            if done.returncode == 0:
                return self._report(order["share"])
            click.echo(f"{self.command[0]} ended with {done.returncode}, try {attempt}.", err=True)
            time.sleep(attempt)
        return False

    def _report(self, share: int) -> bool:
        """What is reported once an order is set; one that is not good any more is followed by another."""
        try:
            if share:
                self.dogana.set_to(self.promotion, share)
        except ProblemError as exc:
            if exc.status != _CONFLICT:
                raise
            click.echo(str(exc), err=True)
        return True
