"""How people sign in here, and from where a request comes."""

from __future__ import annotations

import ipaddress
from collections.abc import Sequence
from dataclasses import dataclass, field

from starlette.datastructures import Headers
from starlette.types import Scope

HOME = "home"  # the setting that holds what the owner is called where nobody signs in
_PLAIN, _SECURE = "ironmark", "__Host-ironmark"


@dataclass(frozen=True)
class Identity:
    """Another directory by which people sign in. issuer: its address; client, secret: what it knows this server by."""

    issuer: str
    client: str
    secret: str = ""


@dataclass(frozen=True)
class Signing:
    """needed: everybody signs in; else who reaches the server is its owner. proxies: the addresses whose word is taken for
    where a request comes from. tls: readers reach it by https. identity: another directory, if any."""

    needed: bool = False
    proxies: tuple[ipaddress.IPv4Network | ipaddress.IPv6Network, ...] = field(default=())
    tls: bool = False
    identity: Identity | None = None

    @property
    def cookie(self) -> str:
        return _SECURE if self.tls else _PLAIN

    @classmethod
    def of(cls, needed: bool, proxies: Sequence[str], tls: bool, identity: Identity | None = None) -> Signing:
        """Raises ValueError for what is no address."""
        return cls(needed, tuple(ipaddress.ip_network(one) for one in proxies), tls, identity)

    def trusts(self, address: str) -> bool:
        try:
            return any(ipaddress.ip_address(address) in one for one in self.proxies)
        except ValueError:
            return False


def address_of(scope: Scope, signing: Signing) -> str:
    """Where a request comes from: past the proxies that are trusted, the nearest that is none of them."""
    client = scope.get("client")
    address = client[0] if client else ""
    if not signing.trusts(address):
        return address
    forwarded = Headers(scope=scope).get("x-forwarded-for", "")
    for one in reversed([part.strip() for part in forwarded.split(",") if part.strip()]):
        address = one
        if not signing.trusts(one):
            break
    return address[:64]
