"""Work by key, one at a time."""

from __future__ import annotations

import threading
from collections.abc import Callable


class OneAtATime:
    def __init__(self) -> None:
        self._again: dict[str, bool] = {}  # by key of what is being done, whether it was asked for meanwhile
        self._lock = threading.Lock()

    def is_asked_again(self, key: str) -> bool:
        """Whether what is being done was asked for once more meanwhile, so that it need not be gone on with."""
        return self._again.get(key, False)

    def do(self, key: str, work: Callable[[], None]) -> None:
        """What is asked for while the same is being done is done once after it, however often that is, by who does it now."""
        with self._lock:
            if key in self._again:
                self._again[key] = True
                return
            self._again[key] = False
        again = True
        while again:
            done = False
            try:
                work()
                done = True
            finally:
                with self._lock:
                    again = self._again.pop(key) and done
                    if again:
                        self._again[key] = False
