"""Which addresses may be reached: those the administrator allowed, whatever names mean.

Every connection is made to an address looked at just before, so neither a redirect (none is followed)
nor a DNS answer that changes in between leads anywhere else.
"""

import asyncio
import ipaddress
import socket
from collections.abc import AsyncIterable, AsyncIterator, Iterable, Iterator
from contextlib import contextmanager
from typing import Protocol, cast, runtime_checkable

import httpcore
import httpx

PUBLIC = "public"
_MOST_CONNECTIONS = 100
_MOST_KEPT, _KEPT_SECONDS = 8, 30.0
"""Each connection that is kept is looked at with every request."""
_ERRORS = (
    httpcore.TimeoutException,
    httpcore.NetworkError,
    httpcore.ProtocolError,
    httpcore.UnsupportedProtocol,
)
Address = ipaddress.IPv4Address | ipaddress.IPv6Address


class NotReachableError(httpcore.ConnectError):
    """The address is not one that Dogana may reach."""


class Reachable:
    """The networks that may be reached."""

    def __init__(self, networks: str) -> None:
        """Read a list such as `public, 10.2.0.0/16`.

        Raises:
            ValueError: for what is neither `public` nor a network.
        """
        named = [part.strip() for part in networks.split(",") if part.strip()]
        self._public = PUBLIC in named
        self._networks = [ipaddress.ip_network(name) for name in named if name != PUBLIC]

    def allows(self, address: Address) -> bool:
        """Whether an address may be reached; one that embeds another is as good as that."""
        inside = _embedded(address)
        if inside:
            return all(self.allows(one) for one in inside)
        if self._public and address.is_global and not address.is_multicast:
            return True
        return any(address in network for network in self._networks if network.version == address.version)

    async def address_of(self, host: str, port: int) -> str:
        """An address of a host that may be reached.

        Raises:
            NotReachableError: when any of its addresses may not.
            httpcore.ConnectError: when it has none.
        """
        try:
            loop = asyncio.get_running_loop()
            found = await loop.getaddrinfo(host, port, type=socket.SOCK_STREAM)
        except OSError as exc:
            raise httpcore.ConnectError(f"{host} has no address") from exc
        addresses = [ipaddress.ip_address(str(entry[4][0]).partition("%")[0]) for entry in found]
        if not addresses or not all(self.allows(address) for address in addresses):
            raise NotReachableError(f"{host} is not reachable from here")
        return str(addresses[0])


_TRANSLATED = (ipaddress.IPv6Network("64:ff9b::/96"), ipaddress.IPv6Network("64:ff9b:1::/96"))
"""Prefixes that stand for IPv4 (RFC 6052, 8215)."""
_ISATAP = (0x00005EFE, 0x02005EFE)


def _embedded(address: Address) -> list[ipaddress.IPv4Address]:
    """The IPv4 addresses that an IPv6 address would lead to.

    Mapped and compatible ones (RFC 4291), 6to4 (RFC 3056), Teredo (RFC 4380), ISATAP (RFC 5214), NAT64.
    """
    if isinstance(address, ipaddress.IPv4Address):
        return []
    low = ipaddress.IPv4Address(int(address) & 0xFFFFFFFF)
    if address.ipv4_mapped or address.sixtofour or address.teredo:
        found = [address.ipv4_mapped, address.sixtofour, *(address.teredo or ())]
        return [one for one in found if one is not None]
    if any(address in network for network in _TRANSLATED) or (int(address) >> 32) & 0xFFFFFFFF in _ISATAP:
        return [low]
    return [low] if int(address) >> 32 == 0 and int(address) > 1 else []


class _Network(httpcore.AsyncNetworkBackend):
    """The usual network, but for where it connects to."""

    def __init__(self, reachable: Reachable) -> None:
        self._reachable = reachable
        self._usual = httpcore.AnyIOBackend()

    async def connect_tcp(
        self,
        host: str,
        port: int,
        timeout: float | None = None,
        local_address: str | None = None,
        socket_options: Iterable[httpcore.SOCKET_OPTION] | None = None,
    ) -> httpcore.AsyncNetworkStream:
        address = await self._reachable.address_of(host, port)
        return await self._usual.connect_tcp(address, port, timeout, local_address, socket_options)

    async def sleep(self, seconds: float) -> None:
        await self._usual.sleep(seconds)


@runtime_checkable
class _Closing(Protocol):
    """What is let go of once it was read."""

    async def aclose(self) -> None:
        """Let go of it."""


class _Stream(httpx.AsyncByteStream):
    """The body of an answer, with the transport's errors as those of the client."""

    def __init__(self, body: AsyncIterable[bytes]) -> None:
        self._body = body

    async def __aiter__(self) -> AsyncIterator[bytes]:
        with _as_of_the_client():
            async for part in self._body:
                yield part

    async def aclose(self) -> None:
        if isinstance(self._body, _Closing):
            await self._body.aclose()


class _Transport(httpx.AsyncBaseTransport):
    """Requests over a pool of connections to reachable addresses alone.

    A request keeps the name of its host: by it connections are shared and certificates are checked.
    """

    def __init__(self, reachable: Reachable) -> None:
        self._pool = httpcore.AsyncConnectionPool(
            ssl_context=httpx.create_ssl_context(trust_env=False),
            max_connections=_MOST_CONNECTIONS,
            max_keepalive_connections=_MOST_KEPT,
            keepalive_expiry=_KEPT_SECONDS,
            network_backend=_Network(reachable),
        )

    async def handle_async_request(self, request: httpx.Request) -> httpx.Response:
        url = request.url
        asked = httpcore.Request(
            method=request.method,
            url=httpcore.URL(scheme=url.raw_scheme, host=url.raw_host, port=url.port, target=url.raw_path),
            headers=request.headers.raw,
            content=request.stream,
            extensions=request.extensions,
        )
        with _as_of_the_client():
            answer = await self._pool.handle_async_request(asked)
        body = _Stream(cast(AsyncIterable[bytes], answer.stream))
        return httpx.Response(
            answer.status, headers=answer.headers, stream=body, extensions=answer.extensions
        )

    async def aclose(self) -> None:
        await self._pool.aclose()


@contextmanager
def _as_of_the_client() -> Iterator[None]:
    """Raise the error of the client for one of its pool; they bear the same names."""
    try:
        yield
    except _ERRORS as exc:
        named = (getattr(httpx, one.__name__, None) for one in type(exc).__mro__)
        raise next(one for one in named if one is not None)(str(exc)) from exc


def guarded_client(reachable: Reachable, seconds: float) -> httpx.AsyncClient:
    """A client that follows no redirects, uses no proxy, and connects to reachable addresses alone.

    Certificates are checked against the host's name, as ever: only the connection goes to the address.
    """
    return httpx.AsyncClient(
        transport=_Transport(reachable), timeout=seconds, follow_redirects=False, trust_env=False
    )
