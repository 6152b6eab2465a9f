"""Tables at an address: fetched from hosts that may be asked, within bounds, and with a token that goes nowhere else."""

from __future__ import annotations

import ipaddress
import time
from collections.abc import Collection
from pathlib import Path, PurePosixPath
from typing import Any
from urllib.parse import unquote, urljoin, urlsplit

import httpx

from ironmark.tables.connections import LiveProblem, Wrong

MOST_BYTES = 1024 * 1024 * 1024
CONNECT_S, READ_S, WHOLE_S = 10.0, 60.0, 1800.0
_MOST_REDIRECTS = 5


def allowed(url: str, hosts: Collection[str], option: str = "--fetch-from") -> None:
    """Raises Wrong for an address that may not be asked. hosts: names, each alone or with a port; option: by which they are named
    when the server is started."""
    try:
        parts = urlsplit(url)
        host, port = parts.hostname or "", parts.port
    except ValueError:
        host, port, parts = "", None, urlsplit("")
    if parts.scheme not in ("http", "https") or not host:
        raise Wrong("An address begins with https:// or http:// and names a host.")
    if parts.username or parts.password:
        raise Wrong("Leave the name and the password out of the address; what a server asks for is typed as the token.")
    if not hosts:
        raise Wrong(f"No address may be asked. Start the server with {option} and the name of a host.")
    usual = 443 if parts.scheme == "https" else 80
    if host not in hosts and f"{host}:{port or usual}" not in hosts:
        raise Wrong(
            f"“{host}{f':{port}' if port else ''}” is not one of the hosts that may be asked. Start the server with {option} and its name."
        )


def fetched(url: str, token: str, hosts: Collection[str], into: Path) -> str:
    """Put the file at an address into another; what it is called. Raises LiveProblem, Wrong.

    The token is sent as ``Authorization: Bearer …``, and to the host of ``url`` alone.
    """
    began, home = time.monotonic(), urlsplit(url).netloc
    limits = httpx.Timeout(READ_S, connect=CONNECT_S)
    trace = {"trace": looked_up}
    try:
        with httpx.Client(timeout=limits, follow_redirects=False, trust_env=False) as client:
            for _ in range(_MOST_REDIRECTS):
                allowed(url, hosts)
                own = urlsplit(url).netloc == home and token
                headers = {"Authorization": f"Bearer {token}"} if own else {}
                with client.stream("GET", url, headers=headers, extensions=trace) as answer:
                    if answer.is_redirect:
                        url = urljoin(url, answer.headers.get("location", ""))
                        continue
                    _refuse(answer, home)
                    size = 0
                    with into.open("wb") as file:
                        for piece in answer.iter_bytes(1 << 20):
                            size += len(piece)
                            if size > MOST_BYTES:
                                raise Wrong(f"The file at {home} is larger than {MOST_BYTES >> 30} GB.")
                            if time.monotonic() - began > WHOLE_S:
                                raise LiveProblem(
                                    f"{home} took longer than {WHOLE_S / 60:.0f} minutes to send the file."
                                )
                            file.write(piece)
                    return _name(url)
    except (httpx.HTTPError, httpx.InvalidURL, UnicodeError) as error:
        said = str(error)[:200]
        raise LiveProblem(f"{home} does not answer.{f' It was said: {said}' if said else ''}") from None
    raise Wrong(f"{home} sends from one address to the next without end.")


def looked_up(event: str, told: dict[str, Any]) -> None:
    """Called for each connection, before anything is sent on it: the address that a name has led to. Hosts are allowed by name
    and may be private, but no name leads to where a machine is told about itself, to everybody, or to nobody. Raises Wrong."""
    if not event.endswith("connect_tcp.complete"):
        return
    stream = told["return_value"]
    address = ipaddress.ip_address(stream.get_extra_info("server_addr")[0].partition("%")[0])
    found = getattr(address, "ipv4_mapped", None) or address
    if found.is_link_local or found.is_multicast or found.is_unspecified or found.is_reserved:
        stream.close()
        raise Wrong(f"The name leads to {found}, which is no address of a server. Ask who looks after your network.")


def _refuse(answer: httpx.Response, home: str) -> None:
    code = answer.status_code
    if code in (401, 403):
        raise Wrong(f"{home} refuses the token ({code}). Type another one.")
    if code in (404, 410):
        raise Wrong(f"There is nothing at this address ({code}). Check how it is written.")
    if code != 200:
        raise LiveProblem(f"{home} answered with {code} instead of a file.")


def _name(url: str) -> str:
    return unquote(PurePosixPath(urlsplit(url).path).name)[:200] or "table"
