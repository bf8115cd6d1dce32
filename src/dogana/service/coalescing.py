"""Doing together what is asked for at the same time."""

import asyncio
import contextlib
from collections.abc import Awaitable, Callable, Sequence
from typing import Generic, TypeVar

Asked = TypeVar("Asked")

Given = TypeVar("Given")

_MOST = 16

_PATIENCE = 0.025
"""Seconds in which those who came before may come again."""


class Batcher(Generic[Asked, Given]):
    """Whoever comes while some are served waits, and is then served with all others who came.

    One transaction for eight requests costs little more than one for a single request. What fails together
    is done again, each by itself, so nobody is refused for what another one asked. Who sends one request
    after the other comes again right after an answer, so as many as came before are waited for, briefly.
    """

    def __init__(self) -> None:
        self._waiting: list[tuple[Asked, asyncio.Future[Given]]] = []
        self._serving: asyncio.Task[None] | None = None
        self._expected = 1
        self._all_here = asyncio.Event()

    async def ask(
        self, asked: Asked, serve: Callable[[Sequence[Asked]], Awaitable[Sequence[Given]]]
    ) -> Given:
        """What `serve` gives for this one; it gives one for each asked, in their order, or raises for all.

        Raises:
            Exception: what `serve` raises for this one alone.
        """
        future: asyncio.Future[Given] = asyncio.get_running_loop().create_future()
        self._waiting.append((asked, future))
        if len(self._waiting) >= self._expected:
            self._all_here.set()
        if self._serving is None or self._serving.done():
            self._serving = asyncio.create_task(self._serve_all(serve))
        return await future

    async def _serve_all(self, serve: Callable[[Sequence[Asked]], Awaitable[Sequence[Given]]]) -> None:
        while self._waiting:
            with contextlib.suppress(TimeoutError):
                async with asyncio.timeout(_PATIENCE):
                    await self._all_here.wait()
            some, self._waiting = self._waiting[:_MOST], self._waiting[_MOST:]
            self._all_here.clear()
            await _serve([one for one in some if not one[1].done()], serve)
            self._expected = min(len(some) + len(self._waiting), _MOST)
            if len(self._waiting) >= self._expected:
                self._all_here.set()


async def _serve(
    some: Sequence[tuple[Asked, asyncio.Future[Given]]],
    serve: Callable[[Sequence[Asked]], Awaitable[Sequence[Given]]],
) -> None:
    try:
        given = await serve([asked for asked, _ in some])
    except Exception as exc:  # noqa: BLE001 - it is raised again where it was asked
        if len(some) == 1:
            if not some[0][1].done():
                some[0][1].set_exception(exc)
            return
        for alone in some:
            await _serve([alone], serve)
        return
    for (_, future), one in zip(some, given, strict=True):
        if not future.done():
            future.set_result(one)
