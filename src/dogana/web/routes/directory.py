"""Signing in at a directory by OpenID Connect: there and back again."""

from typing import Annotated
from urllib.parse import urlsplit

from fastapi import Query, Request
from fastapi.responses import RedirectResponse

from dogana.core.errors import DoganaError
from dogana.service.people import directory
from dogana.service.people.directory import NotLetInError, WaysIn
from dogana.web.access import UsesBackend, behind_tls
from dogana.web.routes.people import caller_of, keep_cookie
from dogana.web.routing import router_of

router = router_of("people")

_ATTEMPT_COOKIE = "dogana_attempt"
_PATH = "/api/sign-in"
_SECONDS = 600
_Said = Annotated[str, Query(max_length=4000)]


@router.get("/sign-in")
async def ways_in(backend: UsesBackend) -> WaysIn:
    """How one signs in here."""
    return directory.ways_in(backend)


@router.get("/sign-in/begin", response_class=RedirectResponse, status_code=303)
async def begin(
    request: Request, backend: UsesBackend, then: _Said = "/desk", *, again: bool = False
) -> RedirectResponse:
    """Go to the directory to sign in there; what goes wrong stands on the page one came from."""
    try:
        url, sealed = await directory.begin(backend, _own_path(then), again=again)
    except DoganaError as exc:
        return _refused(exc)
    answer = RedirectResponse(url, 303)
    answer.set_cookie(
        _ATTEMPT_COOKIE,
        sealed,
        max_age=_SECONDS,
        path=_PATH,
        httponly=True,
        samesite="lax",
        secure=behind_tls(request),
    )
    return answer


@router.get("/sign-in/back", response_class=RedirectResponse, status_code=303)
async def back(
    request: Request, backend: UsesBackend, code: _Said = "", state: _Said = "", error: _Said = ""
) -> RedirectResponse:
    """Come back from the directory, signed in; an attempt is good once."""
    try:
        signed_in, then = await directory.finish(
            backend,
            # With an error there is no code to believe.
            code="" if error else code,
            state=state,
            brought=request.cookies.get(_ATTEMPT_COOKIE, ""),
            caller=caller_of(request),
        )
    except DoganaError as exc:
        answer = _refused(exc)
    else:
        answer = RedirectResponse(then, 303)
        keep_cookie(request, answer, signed_in)
    answer.delete_cookie(_ATTEMPT_COOKIE, path=_PATH)
    return answer


def _refused(exc: DoganaError) -> RedirectResponse:
    """Back to where one signs in; which of the page's own sentences says why stands in the address."""
    why = exc.why if isinstance(exc, NotLetInError) else "away"
    return RedirectResponse(f"/sign-in?refused={why}", 303)


def _own_path(then: str) -> str:
    """A path of ours, and never another address."""
    parts = urlsplit(then)
    own = (
        not parts.scheme and not parts.netloc and then.startswith("/") and not then.startswith(("//", "/\\"))
    )
    return then if own and then.isprintable() else "/desk"
