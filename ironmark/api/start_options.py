"""What is told at the start, in the words it is told in."""

from __future__ import annotations

import ipaddress
import re
import socket
from urllib.parse import urlsplit

from ironmark.api.signing import Identity
from ironmark.pages.context.source_registry import LEAST_MEMORY, MEMORY


def directory_of(issuer: str, client: str, secret: str) -> Identity | None:
    """Another directory, if any is told. Raises ValueError for an address that is none."""
    if not issuer:
        return None
    parts = urlsplit(issuer)
    if parts.scheme != "https" and not (parts.scheme == "http" and is_loopback(parts.hostname or "")):
        raise ValueError("--identity is an address that begins with https://, or with http:// on this machine.")
    return Identity(issuer, client, secret)


def is_loopback(host: str) -> bool:
    try:
        return ipaddress.ip_address(host).is_loopback
    except ValueError:
        return host == "localhost"


_MEMORY = re.compile(r"(\d{1,6}(?:\.\d{1,3})?) ?([MG])i?B?", re.I)


def bytes_of(text: str, workers: int) -> int:
    """Memory as it is told, in bytes. Raises ValueError."""
    if not text.strip():
        return max(MEMORY, LEAST_MEMORY * workers)
    found = _MEMORY.fullmatch(text.strip())
    if found is None:
        raise ValueError(f"“{text}” is no amount of memory. Tell it as --memory 800MB or --memory 16GB.")
    told = int(float(found[1]) * (1 << (30 if found[2].upper() == "G" else 20)))
    if told < LEAST_MEMORY * workers:
        least = f"{LEAST_MEMORY * workers >> 20}MB"
        raise ValueError(
            f"{text} is too little for {workers} server process{'es' if workers > 1 else ''}. Tell at least --memory {least}."
        )
    return told


def bound(host: str, port: int) -> socket.socket:
    """What is bound to a place from the first moment on, so that nothing else takes it before it is served. Raises OSError."""
    held = socket.socket()
    held.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        held.bind((host, port))
    except OSError:
        held.close()
        raise
    held.set_inheritable(True)
    return held
