"""Who sends a request: a signed-in browser or a token; and protection against forged requests.

The session cookie is HttpOnly and SameSite=Lax; whatever changes something must also carry the session's
CSRF token in a header, which a foreign page cannot read.
"""

import secrets
from typing import Annotated

from fastapi import Depends, Request

from dogana.core.errors import ForbiddenError, SignedOutError
from dogana.service import accounts
from dogana.service.access import Actor
from dogana.service.backend import Backend

COOKIE = "dogana_session"
CSRF_HEADER = "X-CSRF-Token"
_SAFE = frozenset({"GET", "HEAD", "OPTIONS"})


async def backend_of(request: Request) -> Backend:
    """The application's backend; a coroutine, as plain functions are called in a thread each time."""
    backend: Backend = request.app.state.backend
    return backend


UsesBackend = Annotated[Backend, Depends(backend_of)]


async def signed_in(request: Request, backend: UsesBackend) -> accounts.SignedIn:
    """The browser session of a request.

    Raises:
        SignedOutError: without one.
        ForbiddenError: when something would change and the CSRF token is missing or wrong.
    """
    session = await accounts.session_of(backend, request.cookies.get(COOKIE, ""))
    sent = request.headers.get(CSRF_HEADER, "")
    if request.method not in _SAFE and not secrets.compare_digest(sent.encode(), session.csrf_token.encode()):
        raise ForbiddenError("The request does not carry this session's CSRF token. Load the page again.")
    return session


async def acting(request: Request, backend: UsesBackend) -> Actor:
    """Who acts: the owner of the bearer token, or of the session."""
    scheme, _, token = request.headers.get("Authorization", "").partition(" ")
    if scheme:
        if scheme.lower() != "bearer":
            raise SignedOutError("Send a bearer token.")
        return await accounts.actor_by_token(backend, token.strip())
    return (await signed_in(request, backend)).actor


UsesActor = Annotated[Actor, Depends(acting)]
UsesSession = Annotated[accounts.SignedIn, Depends(signed_in)]
