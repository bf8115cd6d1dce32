"""One way to ask another system over HTTP: with time and size limits, retries, and failures in words."""

import asyncio
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import urlsplit

import httpx
from tenacity import (
    AsyncRetrying,
    retry_if_exception,
    stop_after_attempt,
    stop_after_delay,
    wait_random_exponential,
)

from dogana.core.policy.text import json_of
from dogana.sources.reachable import NotReachableError

_ATTEMPTS = 3
_PASSING = frozenset({429, 502, 503, 504})
_LARGEST = 16 << 20
_READ_BESIDE = 128 << 10
"""Bytes; what is longer is read beside the event loop."""
_HERE = frozenset({"localhost", "127.0.0.1", "::1"})
_PLAIN = {"Accept-Encoding": "identity"}
"""Compressed text that was cut is opened as far as it goes, without a word."""


class UnreadError(Exception):
    """The other system gave no usable answer; the text says why, to go after `it `."""


class NotAskedError(UnreadError):
    """Nobody was asked, which says nothing of who is there: the address is none, or may not be reached."""


@dataclass(frozen=True, kw_only=True)
class HttpRequest:
    """One request to another system."""

    address: str
    method: str = "GET"
    headers: dict[str, str] = field(default_factory=dict)
    params: dict[str, str | float] = field(default_factory=dict)
    body: bytes | None = None
    seconds: float = 3.0
    """For everything together, retries included."""
    tries: int = _ATTEMPTS


async def ask(client: httpx.AsyncClient, asked: HttpRequest) -> httpx.Response:
    """Ask, again after a while where the trouble may pass; the answer has been read whole.

    Raises:
        UnreadError: when nothing came, too late or too much; statuses are left to the caller.
    """
    retrying = AsyncRetrying(
        stop=stop_after_attempt(asked.tries) | stop_after_delay(asked.seconds),
        wait=wait_random_exponential(multiplier=0.05, max=0.5),
        retry=retry_if_exception(_may_pass),
        reraise=True,
    )
    try:
        async with asyncio.timeout(asked.seconds):
            return await retrying(_once, client, asked)
    except (httpx.TimeoutException, TimeoutError) as exc:
        raise UnreadError("it did not answer in time") from exc
    except _PassingError as exc:
        return exc.response
    except httpx.HTTPError as exc:
        if isinstance(exc.__cause__, NotReachableError):
            raise NotAskedError("its address is not one that may be reached from here") from exc
        raise UnreadError("it cannot be reached") from exc
    except httpx.InvalidURL as exc:
        raise NotAskedError("its address is none") from exc


async def answer(client: httpx.AsyncClient, asked: HttpRequest) -> httpx.Response:
    """What a system answers with a status of success, whole.

    Raises:
        UnreadError: for every other status as well.
    """
    response = await ask(client, asked)
    if not response.is_success:
        raise UnreadError(answered(response))
    return response


async def read(client: httpx.AsyncClient, asked: HttpRequest) -> bytes:
    """The bytes of an answer with a status of success.

    Raises:
        UnreadError: for every other status as well.
    """
    return (await answer(client, asked)).content


async def plain_json(response: httpx.Response) -> Any:
    """The JSON of an answer, in which no key stands twice.

    Raises:
        ValueError: for what is none, or is nested deeper than anybody means.
    """
    if len(response.content) > _READ_BESIDE:
        return await asyncio.to_thread(_plain, response.content)
    return _plain(response.content)


def _plain(content: bytes) -> Any:
    return json_of(content.decode("utf-8-sig"))


def is_guarded(address: str) -> bool:
    """Whether nobody on the way can listen: over https, or on this machine itself."""
    parts = urlsplit(address)
    return parts.scheme == "https" or (parts.scheme == "http" and parts.hostname in _HERE)


def answered(response: httpx.Response) -> str:
    """`it answered 503 Service Unavailable`."""
    return f"it answered {response.status_code} {response.reason_phrase}".strip()


class _PassingError(Exception):
    def __init__(self, response: httpx.Response) -> None:
        self.response = response
        super().__init__()


def _may_pass(exc: BaseException) -> bool:
    refused = isinstance(exc.__cause__, NotReachableError)
    return isinstance(exc, _PassingError) or (isinstance(exc, httpx.ConnectError) and not refused)


async def _once(client: httpx.AsyncClient, asked: HttpRequest) -> httpx.Response:
    request = client.build_request(
        asked.method,
        asked.address,
        headers=_PLAIN | asked.headers,
        params=asked.params or None,
        content=asked.body,
        # All of it is bounded above; a shorter limit of the client's own would end a long wait.
        timeout=asked.seconds,
    )
    response = await client.send(request, stream=True)
    try:
        parts, size = [], 0
        async for part in response.aiter_bytes():
            size += len(part)
            if size > _LARGEST:
                raise UnreadError(f"it answered more than {_LARGEST >> 20} MiB")
            parts.append(part)
    finally:
        await response.aclose()
    whole = httpx.Response(
        response.status_code,
        headers={name: response.headers.get(name, "") for name in ("Content-Type", "Link")},
        content=b"".join(parts),
        extensions=response.extensions,
        request=request,
    )
    if whole.status_code == httpx.codes.PARTIAL_CONTENT:
        raise UnreadError(answered(whole))
    if whole.status_code in _PASSING:
        raise _PassingError(whole)
    return whole
