"""Who sends a request: a signed-in browser or a token; and protection against forged requests.

The session cookie is HttpOnly and SameSite=Lax; whatever changes something must also carry the session's
CSRF token in a header, which a foreign page cannot read.
"""

import secrets
from collections.abc import Iterable
from typing import Annotated

from fastapi import Depends, Request
from fastapi.dependencies.models import Dependant
from fastapi.routing import APIRoute
from starlette.requests import HTTPConnection
from starlette.routing import BaseRoute

from dogana.core.errors import ForbiddenError, SignedOutError
from dogana.service.actor import TOKENS_MAY_NOT, Actor, Right
from dogana.service.backend import Backend
from dogana.service.people import sessions, tokens
from dogana.service.promotions import lookup
from dogana.settings import Settings

COOKIE = "dogana_session"
CSRF_HEADER = "X-CSRF-Token"
_SAFE = frozenset({"GET", "HEAD", "OPTIONS"})


async def backend_of(request: Request) -> Backend:
    """The application's backend; a coroutine, as plain functions are called in a thread each time."""
    backend: Backend = request.app.state.backend
    return backend


UsesBackend = Annotated[Backend, Depends(backend_of)]


def address_of(request: Request) -> str:
    """From where a request comes; behind a proxy on this machine, as that says."""
    return request.client.host if request.client else "unknown"


def behind_tls(request: HTTPConnection) -> bool:
    """Whether browsers are to use TLS alone: as it was set, else where the address is not this machine's."""
    settings: Settings = request.app.state.settings
    if settings.secure_cookies is not None:
        return settings.secure_cookies
    host = request.url.hostname or ""
    return host != "localhost" and not host.startswith("127.") and host != "::1"


async def signed_in(request: Request, backend: UsesBackend) -> sessions.SignedIn:
    """The browser session of a request.

    Raises:
        SignedOutError: without one.
        ForbiddenError: when something would change and the CSRF token is missing or wrong; for a token.
    """
    if "Authorization" in request.headers:
        raise ForbiddenError(TOKENS_MAY_NOT)
    session = await sessions.session_of(backend, request.cookies.get(COOKIE, ""))
    sent = request.headers.get(CSRF_HEADER, "")
    if request.method not in _SAFE and not secrets.compare_digest(sent.encode(), session.csrf_token.encode()):
        raise ForbiddenError("The request does not carry this session's CSRF token. Load the page again.")
    request.state.actor = session.actor.id
    return session


async def acting(request: Request, backend: UsesBackend) -> Actor:
    """Who acts: the owner of the bearer token, or of the session."""
    scheme, _, token = request.headers.get("Authorization", "").partition(" ")
    if not scheme:
        return (await signed_in(request, backend)).actor
    if scheme.lower() != "bearer":
        raise SignedOutError("Send a bearer token.")
    actor = await tokens.actor_by_token(backend, token.strip())
    request.state.actor = actor.id
    return actor


class RightNeeded:
    """Who acts, once they have one of some rights: what every route that is not open to all names."""

    def __init__(self, *rights: Right) -> None:
        self.rights = rights

    async def __call__(self, request: Request, backend: UsesBackend) -> Actor:
        """The actor of a request.

        Raises:
            SignedOutError: for nobody.
            ForbiddenError: for somebody without the right, or with a token that reaches no further than it is
                for.
        """
        actor = await acting(request, backend)
        if not actor.rights & {*self.rights}:
            actor.must(self.rights[0])
        await _see_reach(request, backend, actor)
        if self.rights == (Right.ADMINISTER,) and request.method not in _SAFE:
            await tokens.note_use(backend, actor, f"{request.method} {request.url.path}")
        return actor


async def _see_reach(request: Request, backend: Backend, actor: Actor) -> None:
    """See that a token for some services or environments goes no further, as far as the address tells.

    Routes whose address names neither are closed to it, but for those that see to it themselves.
    """
    if not actor.limited:
        return
    named, route = request.path_params, request.scope["route"].path
    if "/promotions/{number}" in route:
        await lookup.of_promotion(backend, actor, int(named["number"]))
    elif "/services/{" in route:
        actor.must_reach(service=named.get("service", named.get("name")))
    elif "/environments/{" in route:
        actor.must_reach(environment=named.get("environment", named.get("name")))
    elif (request.method, route) not in _SEE_TO_IT:
        actor.must_reach()


_SEE_TO_IT = frozenset(
    {
        ("POST", "/api/promotions"),
        ("POST", "/api/bundles"),
        ("POST", "/api/alerts"),
        ("POST", "/api/clearances/introspect"),
        ("POST", "/api/clearances/values"),
    }
)
"""What they are about stands in the body."""

OPEN = frozenset(
    {
        ("POST", "/api/session"),
        ("GET", "/api/sign-in"),
        ("GET", "/api/sign-in/begin"),
        ("GET", "/api/sign-in/back"),
        ("POST", "/api/invitations"),
        ("POST", "/api/hooks/{sender}"),
        ("POST", "/api/answers/look"),
        ("POST", "/api/answers"),
        ("POST", "/api/status"),
        ("POST", "/api/unsubscribe/{token}"),
        ("GET", "/api/feeds/{token}/{environment}.ics"),
        ("GET", "/api/feeds/{token}/landings.atom"),
        ("GET", "/api/feeds/{token}/commit/{service}/{revision}.json"),
        ("GET", "/api/feeds/{token}/commit/{service}/{revision}.svg"),
        ("GET", "/api/feeds/{token}/badge/{service}/{environment}.svg"),
        ("GET", "/api/walls/{secret}"),
        ("GET", "/api/policy-schema"),
        ("GET", "/.well-known/jwks.json"),
        ("GET", "/health/live"),
        ("GET", "/health/ready"),
    }
)
"""Routes that take nobody signed in: those that bring a secret or a signature, and what is public."""

Reader = Annotated[Actor, Depends(RightNeeded(Right.READ))]
Oneself = Annotated[Actor, Depends(RightNeeded(Right.OWN))]
Commenter = Annotated[Actor, Depends(RightNeeded(Right.COMMENT))]
Requester = Annotated[Actor, Depends(RightNeeded(Right.REQUEST))]
Decider = Annotated[Actor, Depends(RightNeeded(Right.DECIDE))]
RequesterOrDecider = Annotated[Actor, Depends(RightNeeded(Right.REQUEST, Right.DECIDE))]
Deployer = Annotated[Actor, Depends(RightNeeded(Right.DEPLOY))]
PolicyWriter = Annotated[Actor, Depends(RightNeeded(Right.WRITE_POLICY))]
PolicyAdopter = Annotated[Actor, Depends(RightNeeded(Right.ADOPT_POLICY))]
Administrator = Annotated[Actor, Depends(RightNeeded(Right.ADMINISTER))]
Subscriber = Annotated[Actor, Depends(RightNeeded(Right.SUBSCRIBE))]
UsesSession = Annotated[sessions.SignedIn, Depends(signed_in)]


def needed(dependant: Dependant) -> RightNeeded | None:
    """What a route needs of who asks; None where it is open to all."""
    for inner in dependant.dependencies:
        if isinstance(inner.call, RightNeeded):
            return inner.call
        if inner.call is signed_in:
            return _OWN
    return None


_OWN = RightNeeded(Right.OWN)
"""Of routes that take the session itself."""


def say_rights(routes: Iterable[BaseRoute]) -> None:
    """Have each route's description name the right it needs, and let none be open that is not meant to be.

    Raises:
        RuntimeError: for a route that names no right and is not among the few that are open.
    """
    for route in routes:
        if not isinstance(route, APIRoute) or not route.include_in_schema:
            continue
        needs = needed(route.dependant)
        if needs is None and (min(route.methods or {""}), route.path) not in OPEN:
            raise RuntimeError(f"{route.path} does not name the right it needs")
        rights = [] if needs is None else [right.value for right in needs.rights]
        route.openapi_extra = (route.openapi_extra or {}) | {"x-rights": rights}
