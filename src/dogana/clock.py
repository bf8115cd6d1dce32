"""Where the present instant comes from; the only place that reads it."""

from collections.abc import Callable
from datetime import UTC, datetime

Clock = Callable[[], datetime]


def system_clock() -> datetime:
    """Now, in UTC."""
    return datetime.now(UTC)
