"""What runs where: from what has landed, at any instant, and what changed between two."""

import json
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime

from dogana.core.record.actions import Action
from dogana.core.words import counted, listed, sentence

Place = tuple[str, str]
"""A service and an environment, by their ids."""


@dataclass(frozen=True, kw_only=True, slots=True)
class Landing:
    """That a release landed somewhere."""

    promotion: int
    service: str
    environment: str
    version: str
    at: datetime

    @property
    def place(self) -> Place:
        """Where it landed."""
        return self.service, self.environment

    @property
    def order(self) -> tuple[datetime, int]:
        """Of two in one place the greater one runs."""
        return self.at, self.promotion


def estate_at(landings: Iterable[Landing], at: datetime) -> dict[Place, Landing]:
    """What ran at an instant: in each place the last that had landed there, if anything had."""
    found: dict[Place, Landing] = {}
    for one in landings:
        before = found.get(one.place)
        if one.at <= at and (before is None or one.order > before.order):
            found[one.place] = one
    return found


def landing_of(body: str) -> Landing | None:
    """What an entry of the ledger says has landed; None for every other entry."""
    said = json.loads(body)
    if said.get("action") != Action.LAND:
        return None
    return Landing(
        promotion=said["promotion"],
        service=said["service"],
        environment=said["environment"],
        version=said["version"],
        at=datetime.fromisoformat(said["at"]),
    )


@dataclass(frozen=True, kw_only=True)
class Happened:
    """How many of what happened to the estate between two instants."""

    landed: int
    """What landed, but for rollbacks."""
    rolled_back: int
    """What was taken back while it went in, and what went back to an earlier release."""
    places: int
    """Where something else runs than before."""

    def in_words(self) -> str:
        """`Four releases landed; something else runs in three places`, as a sentence."""
        if not self.landed and not self.rolled_back:
            return "Nothing has landed."
        was = "was" if self.rolled_back == 1 else "were"
        said = [f"{counted(self.landed, 'release')} landed"] if self.landed else []
        said += [f"{counted(self.rolled_back, 'release')} {was} rolled back"] if self.rolled_back else []
        if not self.places:
            return sentence(f"{listed(said)}; the same runs everywhere")
        return sentence(f"{listed(said)}; something else runs in {counted(self.places, 'place')}")


def legs_before(routes: Iterable[Sequence[Sequence[str]]]) -> dict[str, list[str]]:
    """For each environment those of the leg before, by the first route that it stands on.

    Args:
        routes: each as its legs in order, each leg as its environments.
    """
    found: dict[str, list[str]] = {}
    for legs in routes:
        for n, leg in enumerate(legs):
            for environment in leg:
                found.setdefault(environment, list(legs[n - 1]) if n else [])
    return found
