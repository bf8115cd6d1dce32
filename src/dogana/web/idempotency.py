"""Requests that may be sent again: `Idempotency-Key`, and versions to change what one has seen: `ETag`."""

import hashlib
from collections.abc import Awaitable, Callable
from typing import Annotated

from fastapi import Depends, Header, Request, Response

from dogana.core.errors import DoganaError, InvalidError
from dogana.service.exchange import idempotency
from dogana.service.preconditions import Seen
from dogana.web.access import RightNeeded, backend_of, needed
from dogana.web.strict import Handler, StrictRoute

KEY_HEADER = "Idempotency-Key"
_LONGEST = 200


async def _key(
    key: Annotated[
        str | None,
        Header(
            alias=KEY_HEADER,
            description="Sent again under the same key, a request is answered as before and does nothing.",
        ),
    ] = None,
) -> str | None:
    return key


REPEATABLE = [Depends(_key)]
"""For the description of a route whose class is `RepeatableRoute`."""


class RepeatableRoute(StrictRoute):
    """Answers a POST under a key once; what was refused may be sent again."""

    def get_route_handler(self) -> Handler:
        """The route's handler, with earlier answers looked up first."""
        handle = super().get_route_handler()
        needs = needed(self.dependant)
        if self.dependencies != REPEATABLE or needs is None:
            return handle

        async def repeatable(request: Request) -> Response:
            key = request.headers.get(KEY_HEADER)
            return await handle(request) if key is None else await _once(request, key, handle, needs)

        return repeatable


async def _once(
    request: Request, key: str, handle: Callable[[Request], Awaitable[Response]], needs: RightNeeded
) -> Response:
    backend = await backend_of(request)
    # What was answered to one token is told to no other of the same person that could not have asked.
    actor = await needs(request, backend)
    if not 0 < len(key) <= _LONGEST:
        raise InvalidError(f"An {KEY_HEADER} is from 1 to {_LONGEST} characters long.")
    said = request.url.path.encode() + b"\n" + await request.body()
    known = await idempotency.begin(backend, actor.id, key, hashlib.sha256(said).hexdigest())
    if known is not None:
        status, body = known
        return Response(body, status, media_type="application/json", headers={"Idempotency-Replayed": "true"})
    try:
        response = await handle(request)
    except (DoganaError, ValueError):
        await idempotency.drop(backend, actor.id, key)
        raise
    await idempotency.end(backend, actor.id, key, response.status_code, bytes(response.body).decode())
    return response


IfMatch = Annotated[
    str | None,
    Header(
        alias="If-Match",
        description="The ETag of what was seen; another state is refused with 412.",
        max_length=200,
    ),
]


def seen(if_match: str | None) -> Seen | None:
    """What a caller has seen, if they say (RFC 9110, section 13.1.1); weak tags match nothing."""
    if if_match is None:
        return None
    tags = [one.strip() for one in if_match.split(",")]
    return Seen(
        anything="*" in tags, versions=frozenset(one.strip('"') for one in tags if one.startswith('"'))
    )


def tag(response: Response, version: str) -> None:
    """Say which version an answer shows."""
    response.headers["ETag"] = f'"{version}"'
