"""What another process does is waited for: there is nothing to wait on but its answer."""

import asyncio
import time
from collections.abc import Awaitable, Callable
from typing import TypeVar

import httpx

Found = TypeVar("Found")
PATIENCE_SECONDS = 120
"""For a slow machine; who fails waits so long, nobody else does."""
_EVERY_SECONDS = 0.1
_TOO_LATE = "it did not happen"


def until(happens: Callable[[], Found | None]) -> Found:
    """What it finds in the end; a server that does not answer yet, or not well, has not found it."""
    ends = time.monotonic() + PATIENCE_SECONDS
    while time.monotonic() < ends:
        try:
            if found := happens():
                return found
        except httpx.HTTPError:
            pass
        time.sleep(_EVERY_SECONDS)
    raise AssertionError(_TOO_LATE)


async def comes(happens: Callable[[], Awaitable[Found | None]]) -> Found:
    """The same, of what has to be awaited."""
    async with asyncio.timeout(PATIENCE_SECONDS):
        while True:
            try:
                if found := await happens():
                    return found
            except httpx.HTTPError:
                pass
            await asyncio.sleep(_EVERY_SECONDS)


def answers(url: str) -> httpx.Response:
    """The first good answer of a server that is starting."""
    return until(lambda: httpx.get(url, timeout=PATIENCE_SECONDS).raise_for_status())
