"""Turns at a piece of work that only so many may do at once, in the order in which they were asked for."""

from __future__ import annotations

import threading
from collections import deque
from collections.abc import Iterator
from contextlib import contextmanager


class NoTurn(Exception):
    """So many were there before that the turn did not come in time."""


class Turns:
    """A semaphore that is fair: who came first goes first, so that nobody waits for all who come after."""

    def __init__(self, at_once: int) -> None:
        self._free, self._lock = at_once, threading.Lock()
        self._waiting: deque[threading.Event] = deque()

    @property
    def waiting(self) -> int:
        return len(self._waiting)

    def __enter__(self) -> None:
        self._take(None)

    def __exit__(self, *_: object) -> None:
        self._give()

    @contextmanager
    def within(self, seconds: float) -> Iterator[None]:
        """A turn that is waited for only so long. Raises NoTurn."""
        self._take(seconds)
        try:
            yield
        finally:
            self._give()

    def _take(self, seconds: float | None) -> None:
        with self._lock:
            if self._free:
                self._free -= 1
                return
            called = threading.Event()
            self._waiting.append(called)
        if called.wait(seconds):
            return
        with self._lock:
            if called in self._waiting:  # else it was called at the last moment
                self._waiting.remove(called)
                raise NoTurn

    def _give(self) -> None:
        with self._lock:
            if self._waiting:
                self._waiting.popleft().set()  # the turn goes over; nobody can come in between
            else:
                self._free += 1
