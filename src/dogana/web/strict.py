"""JSON bodies in which no key stands twice: the second would silently win over the first."""

import json
from collections.abc import Callable, Coroutine
from typing import Any

from fastapi import Request, Response
from fastapi.routing import APIRoute

from dogana.core.errors import InvalidError
from dogana.core.policy.text import UnreadableTextError, refuse_double

Handler = Callable[[Request], Coroutine[Any, Any, Response]]


class StrictRoute(APIRoute):
    """A route that takes such bodies alone."""

    def get_route_handler(self) -> Handler:
        """The route's handler, once its body was looked through."""
        handle = super().get_route_handler()

        async def strictly(request: Request) -> Response:
            # A body that does not say what it is, or is in UTF-16, is read as JSON as well.
            if "json" in request.headers.get("content-type", "json").lower():
                body = await request.body()
                try:
                    refuse_double(body.decode(json.detect_encoding(body), errors="replace"))
                except UnreadableTextError as exc:
                    raise InvalidError(f"The request cannot be used: {exc}.") from exc
            return await handle(request)

        return strictly
