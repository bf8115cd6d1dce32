"""Live updates: one listener on the database for each process, fanned out as server-sent events."""

import asyncio
import contextlib
import json
from collections.abc import AsyncIterator, Awaitable, Callable
from functools import partial
from http import HTTPStatus
from typing import Any

import structlog
from fastapi import APIRouter, Request
from sse_starlette import EventSourceResponse, ServerSentEvent

from dogana.core.errors import AwayError, SignedOutError
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.tasks import end
from dogana.web.access import Reader, UsesBackend, acting
from dogana.web.problems import documented

router = APIRouter(prefix="/api", tags=["live"])
_log = structlog.get_logger("dogana.web")
_RETRY_SECONDS = 1.0
_BEHIND = 1000
_BEAT_SECONDS = 5.0
"""A browser that hears nothing for longer than twice this takes the line for lost."""


class Fanout:
    """Hands each notice to every open stream."""

    def __init__(self) -> None:
        self._streams: set[asyncio.Queue[dict[str, Any]]] = set()
        self._hears = asyncio.Event()

    async def run(self, backend: Backend) -> None:
        """Listen for good; after a lost connection, tell every stream to read anew."""
        while True:
            try:
                async for notice in backend.database.listen():
                    self._hears.set()
                    if notice is not None:
                        self._send(notice)
            except AwayError as exc:
                self._hears.clear()
                _log.warning("listener lost", detail=exc.detail)
            await asyncio.sleep(_RETRY_SECONDS)
            self._send({"kind": "anew"})

    def _send(self, notice: dict[str, Any]) -> None:
        for queue in self._streams:
            if queue.full():
                queue.get_nowait()
            queue.put_nowait(notice)

    async def stream(self, still: Callable[[], Awaitable[Actor]]) -> AsyncIterator[ServerSentEvent]:
        """What one browser gets, until it may not any more.

        Args:
            still: who reads, asked again whenever somebody's access ended; fails once it was theirs.
        """
        queue: asyncio.Queue[dict[str, Any]] = asyncio.Queue(_BEHIND)
        self._streams.add(queue)
        try:
            # Whoever was greeted is told of every change from then on.
            while not self._hears.is_set():
                yield ServerSentEvent(data="{}", event="beat", retry=2000)
                with contextlib.suppress(TimeoutError):
                    await asyncio.wait_for(self._hears.wait(), _BEAT_SECONDS)
            yield ServerSentEvent(data="{}", event="hello", retry=2000)
            while True:
                try:
                    async with asyncio.timeout(_BEAT_SECONDS):
                        notice = await queue.get()
                except TimeoutError:
                    yield ServerSentEvent(data="{}", event="beat")
                    continue
                if notice["kind"] in {"access", "anew"} and not await _may_still(still):
                    yield ServerSentEvent(data="{}", event="ended")
                    return
                yield ServerSentEvent(data=json.dumps(notice), event="change")
        finally:
            self._streams.discard(queue)


@router.get(
    "/events",
    response_class=EventSourceResponse,
    responses=documented(HTTPStatus.UNAUTHORIZED, HTTPStatus.FORBIDDEN)
    | {200: {"content": {"text/event-stream": {}}, "description": "Changes as they happen"}},
)
async def events(request: Request, _: Reader, backend: UsesBackend) -> EventSourceResponse:
    """Changes as they happen: `change` events with `kind` and, where it concerns one, `promotion`.

    Nothing is missed from a `hello` on; `beat` says no more than that the line holds.
    An `ended` one is the last: who reads has signed out, or may not read any more.
    """
    fanout: Fanout = request.app.state.fanout
    return EventSourceResponse(fanout.stream(partial(acting, request, backend)), ping=3600)


async def _may_still(still: Callable[[], Awaitable[Actor]]) -> bool:
    try:
        return Right.READ in (await still()).rights
    except SignedOutError:
        return False
    except AwayError:
        return True


@contextlib.asynccontextmanager
async def listening(fanout: Fanout, backend: Backend) -> AsyncIterator[None]:
    """Run the listener while the block lasts."""
    task = asyncio.create_task(fanout.run(backend))
    try:
        yield
    finally:
        await end([task])
