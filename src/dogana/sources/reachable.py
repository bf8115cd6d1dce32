"""Which addresses may be reached: those the administrator allowed, whatever names mean.

Every connection is made to an address looked at just before, so neither a redirect (none is followed)
nor a DNS answer that changes in between leads anywhere else.
"""

import asyncio
import ipaddress
import socket
from collections.abc import Iterable

import httpcore
import httpx

PUBLIC = "public"
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


def guarded_client(reachable: Reachable, seconds: float) -> httpx.AsyncClient:
    """A client that follows no redirects, uses no proxy, and connects to reachable addresses alone.

    Certificates are checked against the host's name, as ever: only the connection goes to the address.
    """
    transport = httpx.AsyncHTTPTransport(trust_env=False)
    # httpx has no argument for the network its pool connects through.
    transport._pool = httpcore.AsyncConnectionPool(  # noqa: SLF001
        ssl_context=httpx.create_ssl_context(trust_env=False),
        max_connections=40,
        network_backend=_Network(reachable),
    )
    return httpx.AsyncClient(transport=transport, timeout=seconds, follow_redirects=False, trust_env=False)
