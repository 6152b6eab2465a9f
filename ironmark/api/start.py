"""Server processes: one, or several beside each other over one database."""

from __future__ import annotations

import contextlib
import ctypes
import gc
import logging
import os
import signal
import socket
import threading
import time
from collections.abc import Sequence
from pathlib import Path

import structlog
import uvicorn
from fastapi import FastAPI
from sqlalchemy import URL, make_url

from ironmark.api.app import create_app
from ironmark.api.signing import Identity, Signing
from ironmark.api.supervisor import DATABASE, WAYS, become
from ironmark.pages.context.source_registry import MEMORY, share_of
from ironmark.store import database, room, scratch, sealed
from ironmark.store.mariadb import MariaDB
from ironmark.work import meters

_ENDS_WITH_PARENT = 1  # PR_SET_PDEATHSIG of prctl(2)
LOG, HOSTS, FOLDERS = "IRONMARK_LOG", "IRONMARK_HOSTS", "IRONMARK_FOLDERS"
ROOM = "IRONMARK_ROOM"
FETCH_FROM, SEND_TO, METRICS_TO = "IRONMARK_FETCH_FROM", "IRONMARK_SEND_TO", "IRONMARK_METRICS_TO"
COUNTS = "counts"  # in the data directory: what several processes count
MEMORY_EACH = "IRONMARK_MEMORY"
PACKED = "IRONMARK_PACKED_FOLDERS"
SIGN_IN, PROXIES, TLS = "IRONMARK_SIGN_IN", "IRONMARK_PROXIES", "IRONMARK_TLS"
IDENTITY, IDENTITY_SECRET = "IRONMARK_IDENTITY", "IRONMARK_IDENTITY_SECRET"


def log_as_json(path: Path) -> None:
    """Structured logs go to a file: the terminal shows the address and what went wrong at the start."""
    stream = _Patient(path)
    structlog.configure(
        processors=[
            structlog.contextvars.merge_contextvars,
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso", utc=True),
            structlog.processors.format_exc_info,
            structlog.processors.JSONRenderer(ensure_ascii=False),
        ],
        logger_factory=structlog.WriteLoggerFactory(stream),  # type: ignore[arg-type]
        wrapper_class=structlog.make_filtering_bound_logger(logging.INFO),
    )


class _Patient:
    """A log that a full disk does not make fail: what is answered matters more than what is noted."""

    def __init__(self, path: Path) -> None:
        self._stream = path.open("ab", buffering=0)

    def write(self, text: str) -> None:
        with contextlib.suppress(OSError):
            self._stream.write(text.encode(errors="replace"))

    def flush(self) -> None:
        pass


_MMAP_THRESHOLD, _ARENA_MAX = -3, -8  # of mallopt(3)
_LARGE, _ARENAS = 8 << 20, 2
TIDY_S = 20.0


def give_memory_back() -> None:
    """Have what is large, such as a column of many rows, go back to the system as soon as it is given up; what is small, from
    time to time. Else the allocator keeps it for later, and the process comes to hold much more than it uses."""
    libc = ctypes.CDLL(None)
    libc.mallopt(_MMAP_THRESHOLD, _LARGE)
    libc.mallopt(_ARENA_MAX, _ARENAS)

    def tidy() -> None:
        while True:
            time.sleep(TIDY_S)
            scratch.give_back()

    threading.Thread(target=tidy, name="tidy", daemon=True).start()


def spare_the_collector() -> None:
    """What a server holds once it runs, modules, models and caches, stays: looking through it for rubbish again and
    again takes a tenth of every answer. Cycles made since then are still found, if less often."""
    gc.collect()
    gc.freeze()
    gc.set_threshold(20_000, 50, 50)


class _Server(uvicorn.Server):
    """Says when it answers."""

    def __init__(self, config: uvicorn.Config, ready: str) -> None:
        super().__init__(config)
        self._ready = ready

    async def startup(self, sockets: list[socket.socket] | None = None) -> None:
        await super().startup(sockets)
        if self.started:
            spare_the_collector()
            print(self._ready, flush=True)


def serve(
    url: URL, held: socket.socket, workers: int, log: Path, hosts: frozenset[str], folders: Sequence[Path],
    fetch_from: Sequence[str], ready: str, own: MariaDB | None = None, memory: int = MEMORY,
    packed: Path | None = None, signing: Signing = Signing(),
    send_to: Sequence[str] = (), metrics_to: Sequence[str] = (),
) -> None:  # fmt: skip
    """Serve until told to end. held: what is bound to where it serves. own: the database, where it is our own. hosts: names besides loopback's under which it
    may be asked. folders: those whose files may be read. fetch_from: hosts whose addresses may be asked for rows. ready: said
    once it answers. memory: bytes that all processes together may take. packed: where CSV files of folders are kept once more as
    Parquet, if they are. send_to: hosts that messages may be sent to. metrics_to: addresses that may read its figures."""
    files = own.directory if own else None
    each = share_of(memory, workers)
    if workers == 1:
        if files is not None:
            room.watch(files)
        host, port = held.getsockname()
        engine = database.connect(url)
        app = create_app(
            engine, hosts=hosts, folders=folders, fetch_from=fetch_from, memory=each, packed=packed, signing=signing,
            send_to=send_to, metrics_to=metrics_to,
        )  # fmt: skip
        _Server(uvicorn.Config(app, host=host, port=port, **WAYS), ready).run([held])
        engine.dispose()
        return
    # What a process has to know it is told by its environment, which no other account can read.
    os.environ |= {
        DATABASE: url.render_as_string(hide_password=False),
        LOG: str(log),
        HOSTS: " ".join(sorted(hosts)),
        ROOM: str(files or ""),
    }
    os.environ[MEMORY_EACH] = str(each)
    os.environ[PACKED] = str(packed or "")
    os.environ[SIGN_IN], os.environ[TLS] = "1" * signing.needed, "1" * signing.tls
    directory = signing.identity
    os.environ[IDENTITY] = f"{directory.issuer} {directory.client}" if directory else ""
    os.environ[sealed.KEY] = " ".join(sealed.keys())
    os.environ[PROXIES] = " ".join(str(one) for one in signing.proxies)
    os.environ[FETCH_FROM], os.environ[SEND_TO] = " ".join(fetch_from), " ".join(send_to)
    os.environ[METRICS_TO] = " ".join(metrics_to)
    meters.share_counts(log.parent / COUNTS)
    os.environ[FOLDERS] = os.pathsep.join(str(folder) for folder in folders)
    become(held, workers, own, ready)


def process() -> FastAPI:
    """The application in one of several processes, which ends when the one that started it does."""
    ctypes.CDLL(None).prctl(_ENDS_WITH_PARENT, signal.SIGTERM)
    log_as_json(Path(os.environ[LOG]))
    sealed.use(*os.environ[sealed.KEY].split())
    give_memory_back()
    if os.environ[ROOM]:
        room.watch(Path(os.environ[ROOM]))
    engine = database.connect(make_url(os.environ[DATABASE]))
    folders = [Path(folder) for folder in os.environ[FOLDERS].split(os.pathsep) if folder]
    app = create_app(
        engine,
        hosts=frozenset(os.environ[HOSTS].split()),
        folders=folders,
        fetch_from=os.environ[FETCH_FROM].split(),
        memory=int(os.environ[MEMORY_EACH]),
        packed=Path(os.environ[PACKED]) if os.environ[PACKED] else None,
        send_to=os.environ[SEND_TO].split(),
        metrics_to=os.environ[METRICS_TO].split(),
        signing=Signing.of(bool(os.environ[SIGN_IN]), os.environ[PROXIES].split(), bool(os.environ[TLS]), _identity()),
    )
    spare_the_collector()
    return app


def _identity() -> Identity | None:
    issuer, _, client = os.environ[IDENTITY].partition(" ")
    return Identity(issuer, client, os.environ.get(IDENTITY_SECRET, "")) if issuer else None
