"""Servers of other kinds that are started on this machine, and end with whoever started them."""

from __future__ import annotations

import ctypes
import signal
import socket
import subprocess

_LIBC = ctypes.CDLL(None)
_ENDS_WITH_PARENT = 1  # PR_SET_PDEATHSIG of prctl(2)


def end_with_us() -> None:
    """In a server just started: it ends when whoever started it does, however that ends."""
    _LIBC.prctl(_ENDS_WITH_PARENT, signal.SIGTERM)


def free_ports(many: int) -> list[int]:
    probes = [socket.socket() for _ in range(many)]
    for probe in probes:
        probe.bind(("127.0.0.1", 0))
    found = [int(probe.getsockname()[1]) for probe in probes]
    for probe in probes:
        probe.close()
    return found


def end(process: subprocess.Popen[bytes] | None) -> None:
    """In order where it will, else at once."""
    if process is not None and process.poll() is None:
        process.send_signal(signal.SIGTERM)
        try:
            process.wait(30)
        except subprocess.TimeoutExpired:
            process.kill()
            process.wait()
