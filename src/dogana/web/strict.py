"""JSON bodies in which no key stands twice: the second would silently win over the first."""

from collections.abc import Callable, Coroutine
from typing import Any

from fastapi import Request, Response
from fastapi.routing import APIRoute

from dogana.core.errors import InvalidError
from dogana.core.policy.text import UnreadableTextError, refuse_double

Handler = Callable[[Request], Coroutine[Any, Any, Response]]


class _Strict(Request):
    async def json(self) -> Any:
        """The body's JSON.

        Raises:
            InvalidError: where a key stands twice.
        """
        read = await super().json()
        try:
            refuse_double((await self.body()).decode())
        except UnreadableTextError as exc:
            raise InvalidError(f"The request cannot be used: {exc}.") from exc
        return read


class StrictRoute(APIRoute):
    """A route that reads such bodies alone."""

    def get_route_handler(self) -> Handler:
        """The route's handler, given a stricter request."""
        handle = super().get_route_handler()

        async def strictly(request: Request) -> Response:
            return await handle(_Strict(request.scope, request.receive))

        return strictly
