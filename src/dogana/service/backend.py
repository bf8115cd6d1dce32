"""What every use case is given: a database, the sources, a clock."""

from dataclasses import dataclass

from dogana.clock import Clock
from dogana.sources import Metrics, Repositories, Tracker
from dogana.store import Database


@dataclass(frozen=True, kw_only=True)
class Backend:
    """The outside of the use cases."""

    database: Database
    repositories: Repositories
    tracker: Tracker
    metrics: Metrics
    clock: Clock
    refresh: float = 60.0
    """Seconds after which the facts of what waits are read again."""
