"""What requests have read of the database, by version: what has not changed is not read again."""

from __future__ import annotations

import threading
from collections.abc import Callable, Hashable, Mapping
from typing import TypeVar

from cachetools import LRUCache

MOST = 500_000  # documents and mark entries
_K = TypeVar("_K", bound=Hashable)
_V = TypeVar("_V")


class Seen:
    """Things that never change under their key, which holds a version; the longest unused ones are given up first."""

    def __init__(self, most: int = MOST) -> None:
        self._held: LRUCache[Hashable, object] = LRUCache(most, getsizeof=_weight)
        self._lock = threading.Lock()

    def several(self, keys: Mapping[_K, Hashable], read: Callable[[list[_K]], Mapping[_K, _V]]) -> dict[_K, _V]:
        """What stands under some keys. keys: by name, each with its version; read: reads those not seen yet."""
        with self._lock:
            found = {name: self._held.get(key) for name, key in keys.items()}
        missing = [name for name, held in found.items() if held is None]
        if missing:
            made = read(missing)
            found |= made
            with self._lock:
                for name, value in made.items():
                    if _weight(value) <= self._held.maxsize:
                        self._held[keys[name]] = value
        return {name: held for name, held in found.items() if held is not None}  # type: ignore[misc]


def _weight(held: object) -> int:
    return 1 + len(held) if isinstance(held, list) else 1
