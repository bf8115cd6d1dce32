"""Work on what somebody else sent, in processes of its own with a limit of time and memory.

Whatever is in it, the web process goes on answering: what takes too long or too much is ended and refused.
"""

import asyncio
import gc
import resource
from collections.abc import Callable
from concurrent.futures import BrokenExecutor
from concurrent.futures import TimeoutError as TookTooLongError
from multiprocessing import get_context
from typing import ParamSpec, TypeVar

from pebble import ProcessExpired, ProcessPool

from dogana.core.errors import TooMuchError, TooOftenError

_Given = ParamSpec("_Given")

_Found = TypeVar("_Found")

_SECONDS = 15.0

_BYTES = 1 << 30

_WORKERS, _MOST_WAITING, _TASKS_EACH = 2, 40, 200


class BoundedPool:
    """A few processes that start with the first piece of work; several may share one."""

    def __init__(self, *, seconds: float = _SECONDS, room: int = _BYTES) -> None:
        self._seconds, self._room = seconds, room
        self._pool: ProcessPool | None = None
        self._waiting = 0

    async def run(
        self, work: Callable[_Given, _Found], *args: _Given.args, **kwargs: _Given.kwargs
    ) -> _Found:
        """What some work gives; what it raises is raised here.

        Args:
            work: a function of a module; it and all it takes and gives are sent between processes.
            args: what it takes.
            kwargs: the same by name.

        Raises:
            TooMuchError: when it takes longer, or more memory, than there is for it.
            TooOftenError: while too much waits.
        """
        if self._waiting >= _MOST_WAITING:
            raise TooOftenError("Too much is being read just now. Try again in a moment.", seconds=2)
        self._waiting += 1
        try:
            future = self._started().schedule(
                work, args=list(args), kwargs=dict(kwargs), timeout=self._seconds
            )
            return await asyncio.wrap_future(future)
        except TookTooLongError as exc:
            raise TooMuchError(f"It takes longer than {self._seconds:g} seconds to read.") from exc
        except (MemoryError, ProcessExpired, BrokenExecutor) as exc:
            raise TooMuchError(f"It takes more than {self._room >> 20} MiB to read.") from exc
        finally:
            self._waiting -= 1

    def _started(self) -> ProcessPool:
        if self._pool is None or not self._pool.active:
            self._pool = ProcessPool(
                max_workers=_WORKERS,
                max_tasks=_TASKS_EACH,
                initializer=_begin,
                initargs=[self._room],
                context=get_context("spawn"),
            )
        return self._pool

    def start(self) -> None:
        """Have them start now, so that who comes first need not wait for that."""
        self._started().schedule(int)

    def close(self) -> None:
        """End what is at work."""
        if self._pool is not None:
            self._pool.stop()  # type: ignore[no-untyped-call]
            self._pool.join()


def _begin(room: int) -> None:
    resource.setrlimit(resource.RLIMIT_AS, (room, room))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    gc.freeze()
