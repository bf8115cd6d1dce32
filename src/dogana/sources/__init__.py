"""One adapter per kind of outside system, behind one small protocol each.

An adapter never raises for a system that is down or wrong: it answers with a reading that says why.
"""

from datetime import timedelta
from typing import Protocol

from dogana.core.facts import Change, Origin, Reading, Series, Ticket


class Repositories(Protocol):
    """Where the source of services lies."""

    async def change(self, repository: str, base: str | None, revision: str) -> Reading[Change]:
        """Commits and files from what runs to what is asked for."""

    async def origin(self, repository: str, revision: str) -> Reading[Origin]:
        """The branches that hold a revision, and the tags on it."""

    async def resolve(self, repository: str, revision: str) -> str:
        """The full commit id of a revision.

        Raises:
            RepositoryError: when there is no such repository or revision.
        """


class Tracker(Protocol):
    """Where tickets are kept."""

    async def tickets(self, keys: tuple[str, ...]) -> Reading[tuple[Ticket, ...]]:
        """The present state of some tickets."""


class Metrics(Protocol):
    """What watches over the health of environments."""

    async def series(self, query: str, environment: str, window: timedelta) -> Reading[Series]:
        """What a query shows of an environment over a window up to now."""
