"""The processes of an installation: each tells every few seconds that it runs, and how it fares."""

import asyncio
import os
import secrets
import socket
from collections.abc import Awaitable, Callable, Collection
from contextlib import suppress
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Literal

import structlog

from dogana import __version__
from dogana.clock import system_clock
from dogana.core.errors import AwayError
from dogana.service.backend import Backend
from dogana.service.counting import Sample, samples
from dogana.store import house
from dogana.store.tables.processes import ProcessRow

ProcessKind = Literal["web", "worker"]

SILENT = timedelta(seconds=10)
"""Who was not heard of for longer runs no more, as far as anybody can tell."""
_BEAT_SECONDS = 3.0
_FORGOTTEN = timedelta(days=1)
_SKEW = timedelta(seconds=5)
_log = structlog.get_logger("dogana.house")


@dataclass(frozen=True, kw_only=True)
class Running:
    """One process, as it told last."""

    id: str
    kind: ProcessKind
    version: str
    host: str
    pid: int
    began_at: datetime
    silent_for: timedelta
    """Since it was last heard of, by the database's clock."""
    lacks: tuple[str, ...]
    samples: tuple[Sample, ...]

    @property
    def alive(self) -> bool:
        """Whether it was heard of lately."""
        return self.silent_for <= SILENT


@dataclass
class Beat:
    """Tells the others, by the database, that this process runs."""

    backend: Backend
    kind: ProcessKind
    lacks: Collection[str] = ()
    """What it found wrong with its own settings, each a sentence."""
    at: str = ""
    """The address it listens at, for its log."""
    id: str = field(default_factory=lambda: secrets.token_hex(8))
    began_at: datetime | None = None

    async def tell(self) -> None:
        """Tell once.

        Raises:
            AwayError: while the database is away.
        """
        async with self.backend.database.transaction() as session:
            now = await house.now(session)
            self.began_at = self.began_at or now
            await house.seen(
                session,
                ProcessRow(
                    id=self.id,
                    kind=self.kind,
                    version=__version__,
                    host=socket.gethostname(),
                    pid=os.getpid(),
                    began_at=self.began_at,
                    seen_at=now,
                    lacks=[*self.lacks, *self._skew(now)],
                    counts={"samples": samples()},
                ),
            )
            await house.gone(session, before=now - _FORGOTTEN)

    async def end(self) -> None:
        """Say that it has ended, so that nobody takes it for one that died."""
        with suppress(AwayError):
            async with self.backend.database.transaction() as session:
                await house.gone(session, process=self.id)

    async def go_on(self) -> None:
        """Tell for good; a database that is away is told once it is back."""
        while True:
            with suppress(AwayError):
                await self.tell()
            await asyncio.sleep(_BEAT_SECONDS)

    def _skew(self, now: datetime) -> list[str]:
        """A clock that goes wrong opens and closes at the wrong time."""
        if self.backend.clock is not system_clock:
            return []
        off = (self.backend.clock() - now).total_seconds()
        if abs(off) <= _SKEW.total_seconds():
            return []
        way = "ahead of" if off > 0 else "behind"
        return [f"The clock of {socket.gethostname()} is {abs(off):.0f} s {way} the database's."]


async def while_telling(beat: Beat, work: Callable[[], Awaitable[None]]) -> None:
    """Do the work of a process, telling all the while that it runs."""
    _log.info("started", kind=beat.kind, version=__version__, at=beat.at, pid=os.getpid(), process=beat.id)
    telling = asyncio.create_task(beat.go_on())
    try:
        await work()
    finally:
        telling.cancel()
        with suppress(asyncio.CancelledError):
            await telling
        await beat.end()
        _log.info("stopped", kind=beat.kind, process=beat.id)


async def running(backend: Backend) -> list[Running]:
    """Every process on record.

    Raises:
        AwayError: while the database is away.
    """
    async with backend.database.transaction() as session:
        now = await house.now(session)
        return [
            Running(
                id=row.id,
                kind="worker" if row.kind == "worker" else "web",
                version=row.version,
                host=row.host,
                pid=row.pid,
                began_at=row.began_at,
                silent_for=max(now - row.seen_at, timedelta()),
                lacks=tuple(row.lacks),
                samples=tuple((name, labels, value) for name, labels, value in row.counts["samples"]),
            )
            for row in await house.processes(session)
        ]
