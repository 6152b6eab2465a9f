"""A MariaDB of our own on loopback: its own data directory and socket, never the system's service."""

from __future__ import annotations

import contextlib
import fcntl
import getpass
import hashlib
import os
import re
import secrets
import shutil
import signal
import socket
import subprocess
import tempfile
import threading
import time
from pathlib import Path
from typing import IO

import pymysql
from sqlalchemy import URL

from ironmark.store import database, scratch
from ironmark.tables.dialects import over_socket

ROWS_DATABASE = "ironmark_rows"  # tables of rows that live sources read, apart from the records
READER = "ironmark_reader"
DATABASE = "ironmark"
TEMPORARY = "mariadb-temporary"  # where it keeps what it needs for a moment, in the data directory
_START_SECONDS = 180  # a busy machine takes its time
LONGEST_SOCKET = 107  # bytes of a socket's path; a data directory may be deeper than that


# The packets of a large table are given back to the system, and not kept for each of its threads.
_GIVES_BACK = {"MALLOC_ARENA_MAX": "2", "MALLOC_MMAP_THRESHOLD_": str(1 << 20), "MALLOC_TRIM_THRESHOLD_": str(1 << 20)}


class MariaDBError(RuntimeError):
    """MariaDB could not be started; the message says why and what to do."""


class MariaDB:
    """One mariadbd process over one data directory. Use as a context manager, or call start and stop."""

    def __init__(self, directory: Path) -> None:
        self.directory = directory.resolve()
        self.data = self.directory / "mariadb"
        self.log = self.directory / "mariadb.log"
        self.port = 0
        self._place = self.directory / "mariadb.port"  # its port and its socket, for whoever joins it
        self.process: subprocess.Popen[bytes] | None = None
        self._lock: IO[str] | None = None
        self._stopping = threading.Event()
        self._turn = threading.Lock()
        self.socket = self.directory / "mariadb.sock"
        self._scratch: Path | None = None

    def __enter__(self) -> MariaDB:
        return self.start()

    def __exit__(self, *_: object) -> None:
        self.stop()

    def start(self, port: int | None = None) -> MariaDB:
        self.directory.mkdir(parents=True, exist_ok=True)
        self.claim()
        if self._scratch is None and len(os.fsencode(self.socket)) > LONGEST_SOCKET:
            self._scratch = scratch.make("socket")
            self.socket = self._scratch / "db.sock"
        if not (self.data / "mysql").is_dir():
            self._install()
        # Another program may take the port in any moment, also while the database is away: then another one does.
        for last in (False, False, True):
            self.port = port if port and _is_free(port) else _free_port()
            self._begin()
            try:
                self._wait()
                break
            except MariaDBError:
                if last or _is_free(self.port):
                    raise
        self._grant()
        self._place.write_text(f"{self.port}\n{self.socket}")
        return self

    def _begin(self) -> None:
        # Its own, emptied at every start: a full one elsewhere is not its trouble, nor its files anybody else's.
        temporary = self.directory / TEMPORARY
        shutil.rmtree(temporary, ignore_errors=True)
        temporary.mkdir()
        with self.log.open("ab") as log:
            self.process = subprocess.Popen(
                [
                    program("mariadbd"),
                    "--no-defaults",
                    f"--datadir={self.data}",
                    f"--socket={self.socket}",
                    f"--tmpdir={temporary}",
                    f"--pid-file={self.directory / 'mariadb.pid'}",
                    "--bind-address=127.0.0.1",
                    f"--port={self.port}",
                    "--skip-log-bin",
                    "--skip-name-resolve",
                    "--character-set-server=utf8mb4",
                    "--collation-server=utf8mb4_bin",
                    "--max-allowed-packet=64M",
                    "--innodb-buffer-pool-size=256M",
                    "--innodb-flush-log-at-trx-commit=1",
                    *_as_user(),
                ],
                stdout=log,
                stderr=log,
                env={**os.environ, **_GIVES_BACK},
                # Ctrl-C reaches the whole group; the database is to stop after the server, in order.
                start_new_session=True,
            )

    def stop(self) -> None:
        self._stopping.set()
        with self._turn:
            self._end()
        self._release()
        if self._scratch is not None:
            shutil.rmtree(self._scratch, ignore_errors=True)

    def _end(self) -> None:
        if self.process is not None and self.process.poll() is None:
            self.process.send_signal(signal.SIGTERM)
            try:
                self.process.wait(30)
            except subprocess.TimeoutExpired:
                self.process.kill()
                self.process.wait()
        self.process = None

    def watch(self) -> None:
        """Start the database again whenever it ends without having been asked to, until ``stop``."""
        threading.Thread(target=self._watch, name="mariadb", daemon=True).start()

    def _watch(self) -> None:
        while not self._stopping.wait(0.25):
            if self.process is None or self.process.poll() is None:
                continue
            with self._turn:
                if not self._stopping.is_set():
                    with contextlib.suppress(MariaDBError, OSError):  # as long as its disk is full
                        self.start(self.port)

    def join(self) -> bool:
        """Use the MariaDB that a running server has on this directory; False when there is none."""
        try:
            port, place = self._place.read_text().splitlines()
            self.port, self.socket = int(port), Path(place)
            over_socket(place, user="ironmark", password=self._password(), connect_timeout=5).close()
        except (OSError, ValueError, pymysql.MySQLError):
            return False
        return True

    @property
    def url(self) -> URL:
        """By its socket, which nobody else can take; the port is for tools that know no other way."""
        return URL.create(
            "mysql+pymysql",
            "ironmark",
            self._password(),
            "127.0.0.1",
            self.port,
            DATABASE,
            {"charset": "utf8mb4", database.SOCKET: str(self.socket)},
        )

    def _password(self) -> str:
        """Made once, kept beside the data for its owner alone."""
        path = self.directory / "mariadb.secret"
        if not path.exists():
            path.touch(mode=0o600)
            path.write_text(secrets.token_urlsafe(24))
        return path.read_text().strip()

    def claim(self) -> None:
        """Two servers over one directory would damage it, so whoever runs holds a lock on it.

        A MariaDB left behind by a killed server holds none: it is stopped in order and its data taken over.
        """
        if self._lock is None:
            self._lock = (self.directory / "ironmark.lock").open("a")
        try:
            fcntl.flock(self._lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            self._release()
            raise MariaDBError(
                f"Iron Mark already runs with the data directory {self.directory}. "
                "Stop it with Ctrl-C where it was started, or choose another --data-dir."
            ) from None
        scratch.end_database(self.directory)

    def _release(self) -> None:
        if self._lock is not None:
            self._lock.close()
            self._lock = None

    def _install(self) -> None:
        for _ in range(2):  # on a busy machine it may trip over itself; a second try is then enough
            shutil.rmtree(self.data, ignore_errors=True)  # a half-made one from an interrupted first start
            # Tables it makes for a moment are not to meet those of another one that is set up beside it.
            with tempfile.TemporaryDirectory(dir=self.directory) as own:
                made = subprocess.run(
                    [
                        program("mariadb-install-db"),
                        "--no-defaults",
                        f"--datadir={self.data}",
                        "--auth-root-authentication-method=socket",
                        f"--auth-root-socket-user={getpass.getuser()}",
                        "--skip-test-db",
                        *_as_user(),
                    ],
                    capture_output=True,
                    text=True,
                    env=os.environ | {"TMPDIR": own},
                )
            if not made.returncode:
                break
        else:
            raise MariaDBError(f"MariaDB could not set up {self.data}: {(made.stderr or made.stdout).strip()[-400:]}")

    def _wait(self) -> None:
        assert self.process is not None
        until = time.monotonic() + _START_SECONDS
        while time.monotonic() < until:
            if self.process.poll() is not None:
                break
            try:
                self._as_root().close()
                return
            except (OSError, pymysql.MySQLError):
                time.sleep(0.05)
        tail = "\n".join(self.log.read_text(errors="replace").splitlines()[-5:])
        self._end()
        raise MariaDBError(f"MariaDB did not start; the end of {self.log}:\n{tail}")

    def _as_root(self) -> pymysql.connections.Connection:
        return over_socket(str(self.socket), user=getpass.getuser(), connect_timeout=5)

    def _grant(self) -> None:
        password = self._password()
        assert re.fullmatch(r"[\w-]+", password)
        with self._as_root() as connection, connection.cursor() as cursor:
            for database in (DATABASE, ROWS_DATABASE):
                cursor.execute(f"CREATE DATABASE IF NOT EXISTS {database} CHARACTER SET utf8mb4 COLLATE utf8mb4_bin")
            for host in ("127.0.0.1", "localhost"):
                for name, known_by in (("ironmark", password), (READER, reader_password(password))):
                    # Never replaced: an account of before is in use from the first moment, and would lose its rights
                    # until they are granted again.
                    cursor.execute(f"CREATE USER IF NOT EXISTS {name}@'{host}' IDENTIFIED BY '{known_by}'")
                    cursor.execute(f"ALTER USER {name}@'{host}' IDENTIFIED BY '{known_by}'")
                cursor.execute(f"GRANT ALL ON {DATABASE}.* TO ironmark@'{host}'")
                cursor.execute(f"GRANT ALL ON {ROWS_DATABASE}.* TO ironmark@'{host}'")
                cursor.execute(f"GRANT SELECT ON {ROWS_DATABASE}.* TO {READER}@'{host}'")


def reader_password(password: str) -> str:
    """The password of the account that may only read ROWS_DATABASE, made from that of the one that keeps records."""
    return hashlib.sha256(f"{READER} {password}".encode()).hexdigest()[:32]


def _as_user() -> list[str]:
    return ["--user=root"] if os.geteuid() == 0 else []


def program(name: str) -> str:
    found = shutil.which(name, path=os.environ.get("PATH", "") + ":/usr/sbin:/usr/local/sbin:/sbin")
    if not found:
        raise MariaDBError(
            f"{name} is not installed; on Debian: apt-get install mariadb-server-core mariadb-client-core"
        )
    return found


def _is_free(port: int) -> bool:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError:
            return False
        return True


def _free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])
