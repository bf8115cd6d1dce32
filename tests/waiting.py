"""What another process does is waited for: there is nothing to wait on but its answer."""

import asyncio
import operator
from collections.abc import Awaitable, Callable
from typing import TypeVar

import httpx
from tenacity import (
    AsyncRetrying,
    Retrying,
    retry_if_exception_type,
    retry_if_result,
    stop_after_delay,
    wait_fixed,
)

Found = TypeVar("Found")
PATIENCE_SECONDS = 120
"""For a slow machine; who fails waits so long, nobody else does."""
_WAIT = wait_fixed(0.1)
_NOT_YET = retry_if_exception_type(httpx.HTTPError) | retry_if_result(operator.not_)
"""A server that does not answer yet, or not well, has found nothing either."""


def until(happens: Callable[[], Found | None]) -> Found:
    """What it finds in the end.

    Raises:
        tenacity.RetryError: where it finds nothing for two minutes.
    """
    stop = stop_after_delay(PATIENCE_SECONDS)
    return Retrying(stop=stop, wait=_WAIT, retry=_NOT_YET)(happens)


async def comes(happens: Callable[[], Awaitable[Found | None]]) -> Found:
    """The same, of what has to be awaited; one that is never answered is given up as well.

    Raises:
        TimeoutError: where it finds nothing for two minutes.
    """
    async with asyncio.timeout(PATIENCE_SECONDS):
        return await AsyncRetrying(wait=_WAIT, retry=_NOT_YET)(happens)


def answers(url: str) -> httpx.Response:
    """The first good answer of a server that is starting."""
    return until(lambda: httpx.get(url, timeout=PATIENCE_SECONDS).raise_for_status())
