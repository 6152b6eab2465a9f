"""Directories in the temporary folder that nobody leaves behind: each names its owner, and the next start sweeps."""

from __future__ import annotations

import contextlib
import ctypes
import os
import shutil
import signal
import tempfile
import time
from collections.abc import Iterable, Iterator
from pathlib import Path

import psutil

PREFIX = "ironmark-"
OWNER = "owner"  # the file that says which process made a directory
_PATIENCE_S = 20.0
_ENDS_S = 5.0  # that what is killed takes at most


def make(kind: str) -> Path:
    """A new directory of this process. Whoever makes it takes it away; what a crash leaves, ``sweep`` finds."""
    made = Path(tempfile.mkdtemp(prefix=f"{PREFIX}{kind}-"))
    # At once and whole: another process that sweeps meanwhile would take half a name for nobody's.
    (made / "own").write_text(_name_of(os.getpid()))
    os.replace(made / "own", made / OWNER)
    return made


@contextlib.contextmanager
def folder(kind: str) -> Iterator[Path]:
    """An empty directory for as long as the block lasts."""
    made = make(kind)
    inside = made / "in"
    inside.mkdir()
    try:
        yield inside
    finally:
        shutil.rmtree(made, ignore_errors=True)


def sweep() -> list[Path]:
    """Take away the directories whose owner has ended, with a database that still runs in one. Returns them."""
    swept = []
    for found in Path(tempfile.gettempdir()).glob(f"{PREFIX}*"):
        with contextlib.suppress(OSError, ValueError, IndexError):
            owner = (found / OWNER).read_text()
            if _name_of(int(owner.split()[0])) == owner:
                continue
            end_database(found)
            _end_left(found)
            shutil.rmtree(found, ignore_errors=True)
            swept.append(found)
    return swept


def end_database(directory: Path) -> None:
    """Stop in order the MariaDB over ``directory`` that a killed server left, and wait until it has ended."""
    try:
        pid = int((directory / "mariadb.pid").read_text())
        command = psutil.Process(pid).cmdline()
    except (OSError, ValueError, psutil.Error):
        return
    if f"--datadir={directory / 'mariadb'}" in command:
        os.kill(pid, signal.SIGTERM)
        until = time.monotonic() + _PATIENCE_S
        while runs(pid) and time.monotonic() < until:
            time.sleep(0.05)


def runs(pid: int) -> bool:
    """Whether a process still works; one that ended but was not waited for does not."""
    try:
        return psutil.Process(pid).status() != psutil.STATUS_ZOMBIE
    except psutil.Error:
        return False


def _name_of(pid: int) -> str:
    """A process by its number and when it began, since numbers are used again; "" for one that has ended.

    When it began is told in ticks since the machine started: psutil's time of day moves when the clock is set.
    """
    try:
        began = Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[19]
    except (OSError, IndexError):
        return ""
    return f"{pid} {began}" if runs(pid) else ""


GROUP = "group"  # the file that names the processes that run in a directory, by their session


def members(session: int) -> list[int]:
    """The processes of a session that still work."""
    if not session:
        return []
    found = []
    for pid in psutil.pids():
        with contextlib.suppress(OSError):
            if os.getsid(pid) == session and runs(pid):
                found.append(pid)
    return found


def held_bytes(pids: Iterable[int]) -> int:
    """The memory that processes hold for themselves."""
    total = 0
    for pid in pids:
        with contextlib.suppress(psutil.Error):
            held = psutil.Process(pid).memory_info()
            total += held.rss - held.shared
    return total


def give_back() -> None:
    """Give the system the memory back that was freed: the allocator would keep it for the next time."""
    with contextlib.suppress(OSError, AttributeError):
        ctypes.CDLL(None).malloc_trim(0)


def end_group(session: int) -> None:
    """End the processes of a session at once, and wait until they have."""
    _end(members(session))
    with contextlib.suppress(OSError, ChildProcessError):
        os.waitpid(session, os.WNOHANG)


def _end_left(directory: Path) -> None:
    """End what a killed process left running in a directory: what names a place in it. Its owner may have been killed
    before it noted what it had started."""
    inside = f"{directory}/"
    processes = psutil.process_iter(["cmdline"])
    _end([one.pid for one in processes if inside in "\0".join(one.info["cmdline"] or ()) and one.pid != os.getpid()])


def _end(pids: list[int]) -> None:
    for pid in pids:
        with contextlib.suppress(OSError):
            os.kill(pid, signal.SIGKILL)
    until = time.monotonic() + _ENDS_S  # one that is ending still writes where it stood
    while any(runs(pid) for pid in pids) and time.monotonic() < until:
        time.sleep(0.02)
