"""Ending tasks for certain."""

import asyncio
from collections.abc import Iterable
from typing import Any


async def end(tasks: Iterable[asyncio.Task[Any]]) -> None:
    """Cancel tasks and wait until they have ended.

    Before Python 3.12 a wait with a limit, in the database driver for one, may swallow a cancellation that
    comes just as it ends; so it is asked for until it is heard.
    """
    while going := [task for task in tasks if not task.done()]:
        for task in going:
            task.cancel()
        await asyncio.wait(going, timeout=1)
