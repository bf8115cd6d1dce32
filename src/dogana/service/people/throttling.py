"""Guessing passwords: who fails waits, longer each time, by account and by address, whichever process asks.

An account alone is never shut for longer than a minute, or strangers could keep its owner out; an address
may be.
"""

from dataclasses import dataclass
from datetime import datetime, timedelta

from dogana.core.errors import TooOftenError
from dogana.core.words import lasting
from dogana.service.backend import Backend
from dogana.store import people

_FORGOTTEN = timedelta(hours=1)


@dataclass(frozen=True, kw_only=True)
class _Limit:
    free: int
    """How many failures there may be before anybody waits."""
    longest: timedelta

    def wait(self, failures: int) -> timedelta:
        """How long to wait after so many."""
        over = failures - self.free
        return min(timedelta(seconds=2**over), self.longest) if over >= 0 else timedelta(0)


_ACCOUNT = _Limit(free=5, longest=timedelta(minutes=1))

_ADDRESS = _Limit(free=20, longest=timedelta(minutes=15))


@dataclass(frozen=True, kw_only=True)
class Try:
    """A try that was let through, and counts as failed until it is known to be right."""

    whose: tuple[str, ...]
    waits: timedelta
    """How long the next one waits, should this one fail."""


async def begin(backend: Backend, account: str, address: str) -> Try:
    """Count a try before the password is looked at, so that many at once are no way around.

    Args:
        backend: the database and the clock.
        account: what is tried, as it is compared.
        address: from where.

    Raises:
        TooOftenError: while one has to wait.
    """
    now = backend.clock()
    limits = {f"account {account}"[:400]: _ACCOUNT, f"address {address}": _ADDRESS}
    async with backend.database.transaction() as session:
        rows = [await people.attempt(session, whose, now) for whose in sorted(limits)]
        # Only those who failed too often wait; others' clocks may be a little ahead of this one.
        until = max((row.waits_until for row in rows if limits[row.whose].wait(row.failures)), default=now)
        if until > now:
            raise _too_often(until, now)
        for row in rows:
            row.failures = row.failures + 1 if now - row.last_at < _FORGOTTEN else 1
            row.last_at = now
            row.waits_until = now + limits[row.whose].wait(row.failures)
        waits = max(row.waits_until for row in rows) - now
    return Try(whose=tuple(limits), waits=waits)


async def right(backend: Backend, made: Try) -> None:
    """Forget the failures of who turned out to know it."""
    async with backend.database.transaction() as session:
        await people.forget_attempts(session, made.whose, backend.clock() - _FORGOTTEN)


def _too_often(until: datetime, now: datetime) -> TooOftenError:
    seconds = int((until - now).total_seconds()) + 1
    said = lasting(timedelta(seconds=seconds)) if seconds >= 60 else f"{seconds} seconds"  # noqa: PLR2004
    return TooOftenError(f"That was tried too often. Try again in {said}.", seconds=seconds)
