"""Turns at a piece of work that only so many may do at once, in the order in which they were asked for."""

from __future__ import annotations

import threading
from collections import deque


class Turns:
    """A semaphore that is fair: who came first goes first, so that nobody waits for all who come after."""

    def __init__(self, at_once: int) -> None:
        self._free, self._lock = at_once, threading.Lock()
        self._waiting: deque[threading.Event] = deque()

    @property
    def waiting(self) -> int:
        return len(self._waiting)

    def __enter__(self) -> None:
        with self._lock:
            if self._free:
                self._free -= 1
                return
            called = threading.Event()
            self._waiting.append(called)
        called.wait()

    def __exit__(self, *_: object) -> None:
        with self._lock:
            if self._waiting:
                self._waiting.popleft().set()  # the turn goes over; nobody can come in between
            else:
                self._free += 1
