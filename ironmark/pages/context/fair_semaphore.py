"""Turns at a piece of work that only so many may do at once, in the order in which they were asked for."""

from __future__ import annotations

import threading
from collections import deque
from collections.abc import Callable, Iterator
from contextlib import contextmanager


class NoTurn(Exception):
    """So many were there before that the turn did not come in time."""


class Turns:
    """A semaphore that is fair: who came first goes first, so that nobody waits for all who come after."""

    def __init__(self, at_once: int, beside: Callable[[], bool] = lambda: True) -> None:
        """beside: whether one may begin while another works; asked as often as one comes or is done."""
        self._at_once, self._beside, self._taken, self._behind = at_once, beside, 0, 0
        self._lock, self._waiting = threading.Lock(), deque[tuple[threading.Event, bool]]()

    @property
    def waiting(self) -> int:
        return len(self._waiting)

    @property
    def is_asked(self) -> bool:
        """Whether somebody works or waits, besides what nobody waits for."""
        return self._taken > self._behind or any(not behind for _, behind in tuple(self._waiting))

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

    @contextmanager
    def behind(self) -> Iterator[None]:
        """A turn at what nobody waits for: one of the others may always begin beside it, wherever there is a turn."""
        self._take(None, behind=True)
        try:
            yield
        finally:
            self._give(behind=True)

    def _take(self, seconds: float | None, behind: bool = False) -> None:
        mine = threading.Event(), behind
        with self._lock:
            self._waiting.append(mine)
            self._call()
        if mine[0].wait(seconds):
            return
        with self._lock:
            if mine in self._waiting:  # else it was called at the last moment
                self._waiting.remove(mine)
                self._call()
                raise NoTurn

    def _give(self, behind: bool = False) -> None:
        with self._lock:
            self._taken -= 1
            self._behind -= behind
            self._call()

    def _call(self) -> None:
        """Let in who may begin now, of those who wait; the turn goes over, nobody can come in between."""
        for one in tuple(self._waiting):
            called, behind = one
            minded = self._taken if behind else self._taken - self._behind
            if self._taken < self._at_once and (not minded or self._beside()):
                self._waiting.remove(one)
                self._taken += 1
                self._behind += behind
                called.set()
            elif not behind:  # nobody goes before who came first
                return
