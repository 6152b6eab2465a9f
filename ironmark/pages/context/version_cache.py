"""What requests have read and worked out, by version: what has not changed is not read or worked out again."""

from __future__ import annotations

import threading
from collections.abc import Callable, Hashable, Mapping
from typing import Any, TypeVar

from cachetools import LRUCache

MOST = 500_000  # documents and mark entries
_K = TypeVar("_K", bound=Hashable)
_V = TypeVar("_V")


def _weight(held: object) -> int:
    return 1 + len(held) if isinstance(held, list) else 1


class Seen:
    """Things that never change under their key, which holds a version; the longest unused ones are given up first."""

    def __init__(self, most: int = MOST, weigh: Callable[[Any], int] = _weight) -> None:
        self._held: LRUCache[Hashable, object] = LRUCache(most, getsizeof=weigh)
        self._weigh = weigh
        self._lock = threading.Lock()
        self.found = self.asked = 0  # what was looked for, and how much of it was there

    def several(self, keys: Mapping[_K, Hashable], read: Callable[[list[_K]], Mapping[_K, _V]]) -> dict[_K, _V]:
        """What stands under some keys. keys: by name, each with its version; read: reads those not seen yet."""
        with self._lock:
            found = {name: self._held.get(key) for name, key in keys.items()}
            missing = [name for name, held in found.items() if held is None]
            self.asked += len(found)
            self.found += len(found) - len(missing)
        if missing:
            made = read(missing)
            found |= made
            with self._lock:
                for name, value in made.items():
                    if self._weigh(value) <= self._held.maxsize:
                        self._held[keys[name]] = value
        return {name: held for name, held in found.items() if held is not None}  # type: ignore[misc]

    @property
    def keys(self) -> list[Any]:
        with self._lock:
            return list(self._held)

    def forget(self, gone: Callable[[Any], bool]) -> None:
        """Give up what stands under the keys that are ``gone``."""
        with self._lock:
            for key in [key for key in self._held if gone(key)]:
                del self._held[key]
