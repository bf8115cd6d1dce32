"""Routes whose bodies are JSON, bounded, with each key once; what the database asks for anew is done anew."""

import asyncio
import json
import random
from collections.abc import Callable, Coroutine
from typing import Any

from fastapi import Request, Response
from fastapi.routing import APIRoute

from dogana.core.errors import AgainError, InvalidError
from dogana.core.policy.text import UnreadableTextError, refuse_double
from dogana.web.bodies import LARGEST_JSON, bounded

Handler = Callable[[Request], Coroutine[Any, Any, Response]]
_TRIES = 5
_LOOKED_THROUGH_HERE = 16 << 10
"""Bytes of a body that are looked through in the event loop; longer ones in a thread."""


class FileRoute(APIRoute):
    """A route that takes a file, and bounds it itself."""

    def get_route_handler(self) -> Handler:
        """The route's handler, tried again where PostgreSQL asks for that."""
        handle = super().get_route_handler()

        async def again(request: Request) -> Response:
            for n in range(_TRIES - 1):
                try:
                    return await handle(request)
                except AgainError:
                    # The transaction was rolled back whole; whoever held it up goes first.
                    await asyncio.sleep(random.uniform(0, 0.02 * 2**n))  # noqa: S311 - no secret
            return await handle(request)

        return again


class StrictRoute(FileRoute):
    """A route that takes JSON in which no key stands twice: the second would silently win over the first."""

    def get_route_handler(self) -> Handler:
        """The route's handler, once its body was looked through."""
        handle = super().get_route_handler()

        async def strictly(request: Request) -> Response:
            body = await bounded(request, LARGEST_JSON)
            # A body that does not say what it is, or is in UTF-16, is read as JSON as well.
            if body and "json" in request.headers.get("content-type", "json").lower():
                try:
                    if len(body) <= _LOOKED_THROUGH_HERE:
                        _look_through(body)
                    else:
                        await asyncio.to_thread(_look_through, body)
                except UnreadableTextError as exc:
                    raise InvalidError(f"The request cannot be used: {exc}.") from exc
            return await handle(request)

        return strictly


def _look_through(body: bytes) -> None:
    try:
        text = body.decode(json.detect_encoding(body))
    except UnicodeDecodeError as exc:
        raise UnreadableTextError("its body is no text") from exc
    refuse_double(text)
