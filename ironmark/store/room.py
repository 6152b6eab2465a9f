"""Room on the disk of a database of our own: changes are refused while there is still some left, since a database whose
disk is full may end in the middle of one."""

from __future__ import annotations

import errno
import os
import shutil
import time
from pathlib import Path

LEAST = 48 << 20  # bytes
LOOK_S = 1.0
_watched: Path | None = None
_seen: tuple[float, bool] = (-LOOK_S, True)


def watch(directory: Path) -> None:
    """The disk on which the database keeps its files."""
    global _watched
    _watched = directory


def require_room() -> None:
    """Raises OSError (ENOSPC) where there is too little left to change anything."""
    global _seen
    if _watched is None:
        return
    at, enough = _seen
    if time.monotonic() - at > LOOK_S:
        enough = shutil.disk_usage(_watched).free >= LEAST
        _seen = time.monotonic(), enough
    if not enough:
        raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC), str(_watched))
