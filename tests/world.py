"""What the tests share: one running Iron Mark (server and MariaDB), and one browser."""

from __future__ import annotations

import atexit
import secrets
import shutil
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from functools import lru_cache
from pathlib import Path
from typing import Any, TypeVar

import httpx
from sqlalchemy import Engine, text

from ironmark.demo.loopback import end_with_us, free_ports
from ironmark.store import database, scratch, sealed
from ironmark.store.mariadb import ROWS_DATABASE, MariaDB

T = TypeVar("T")
ROOT = Path(__file__).parents[1]
_cleanups: list[Any] = []


def temporary(name: str, body: bytes | str) -> Path:
    """A file to upload; it goes with the run."""
    path = Path(_files()) / secrets.token_hex(4) / name
    path.parent.mkdir()
    path.write_bytes(body if isinstance(body, bytes) else body.encode())
    return path


SCREEN = {"width": 1280, "height": 800, "deviceScaleFactor": 1, "mobile": False}  # what the browser draws on


@lru_cache(maxsize=1)
def _files() -> Path:
    made = scratch.make("files")
    _cleanups.append(lambda: shutil.rmtree(made, ignore_errors=True))
    return made


def free_port() -> int:
    return free_ports(1)[0]


class Running:
    """An Iron Mark of our own, started as ``./run`` starts it."""

    def __init__(self, *options: str, directory: Path | None = None) -> None:
        self.directory = directory or scratch.make("test")
        self.port = free_port()
        self.address = f"http://127.0.0.1:{self.port}"
        self.options = options
        self.process: subprocess.Popen[str] | None = None
        self.client = httpx.Client(base_url=self.address, timeout=120)

    def start(self) -> Running:
        if self.process is not None:
            self.stop()
        arguments = ["--port", str(self.port), "--data-dir", str(self.directory), *self.options]
        self.process = subprocess.Popen(
            [sys.executable, "-m", "ironmark", "serve", *arguments],
            cwd=ROOT,
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            text=True,
            preexec_fn=end_with_us,
        )
        until = time.monotonic() + 240  # a first start with its demo takes a minute where the machine is busy
        while time.monotonic() < until:
            if self.process.poll() is not None:
                raise RuntimeError(f"the server ended: {self.stop()}")
            try:
                if self.client.get("/api/health").status_code == 200:
                    return self
            except httpx.HTTPError:
                pass
            time.sleep(0.05)
        raise RuntimeError(f"the server did not start: {self.stop()}")

    @property
    def database_pid(self) -> int:
        return int((self.directory / "mariadb.pid").read_text())

    def stop(self) -> str:
        """Ctrl-C, and what it printed."""
        assert self.process is not None
        if self.process.poll() is None:
            self.process.send_signal(signal.SIGINT)
        said, _ = self.process.communicate(timeout=120)
        return said

    def kill(self) -> None:
        """End the server as a crash would; MariaDB stays behind."""
        assert self.process is not None
        self.process.kill()
        self.process.communicate()

    def close(self) -> None:
        self.stop()
        self.client.close()
        shutil.rmtree(self.directory, ignore_errors=True)


@lru_cache(maxsize=1)
def running() -> Running:
    server = Running("--folder", str(rows_folder()), "--fetch-from", "127.0.0.1").start()
    _cleanups.append(server.close)
    _held.update({kind: set(_kept(server, kind)) for kind in KINDS})
    return server


@contextmanager
def called(client: httpx.Client, name: str) -> Iterator[None]:
    """Have who uses the server go by a name for a while, as they tell it themselves where nobody signs in."""
    client.patch("/api/me", json={"name": name}).raise_for_status()
    try:
        yield
    finally:
        client.patch("/api/me", json={"name": ""}).raise_for_status()


# What a module of tests makes, in the order in which it can be taken away: what uses another thing first.
KINDS = ("watches", "links", "standing", "editions", "scorecards", "kpis", "yardsticks", "datasets")
_held: dict[str, set[str]] = {}


def _kept(server: Running, kind: str) -> dict[str, str]:
    """{key: its version} of all that is kept of a kind."""
    answer = server.client.get(f"/api/{kind}")
    return {one["id"]: str(one.get("version", "")) for one in answer.json()} if answer.status_code == 200 else {}


def clear_away() -> list[str]:
    """Take away what tests left behind beside the demo, so that no module finds what another forgot; what that was."""
    if not running.cache_info().currsize:
        return []
    left, server = [], running()
    with suppress(httpx.HTTPError):  # a test that ended the server says so itself
        for kind in KINDS:
            for key, version in _kept(server, kind).items():
                if key not in _held[kind]:
                    left.append(f"{kind}/{key}")
                    server.client.delete(f"/api/{kind}/{key}", headers={"If-Match": f'"{version}"'})
                    _held[kind].add(key)  # an edition that was published stays
    return left


@lru_cache(maxsize=1)
def rows_folder() -> Path:
    """The folder whose files the server may read."""
    made = scratch.make("rows")
    _cleanups.append(lambda: shutil.rmtree(made, ignore_errors=True))
    return made


@lru_cache(maxsize=1)
def engine() -> Engine:
    """Straight to the running server's MariaDB."""
    mariadb = MariaDB(running().directory)
    assert mariadb.join()
    sealed.use_key_of(running().directory)
    made = database.connect(mariadb.url)

    def close() -> None:
        made.dispose()
        mariadb.stop()

    _cleanups.append(close)
    return made


@contextmanager
def straight_to(server: Running) -> Iterator[Engine]:
    """Straight to the MariaDB of a server of one's own."""
    mariadb = MariaDB(server.directory)
    assert mariadb.join()
    made = database.connect(mariadb.url)
    try:
        yield made
    finally:
        made.dispose()
        mariadb.stop()


@contextmanager
def bookings_hang(client: httpx.Client) -> Iterator[None]:
    """Have the live source “Bookings” say nothing meanwhile; what was read of it is given up."""
    with engine().connect() as open_:
        open_.execute(text(f"LOCK TABLES {ROWS_DATABASE}.bookings WRITE"))
        try:
            open_bookings_anew(client)
            yield
        finally:
            open_.execute(text("UNLOCK TABLES"))
            open_.rollback()


def open_bookings_anew(client: httpx.Client) -> None:
    """Save the live source as it is, so that it is opened anew."""
    answer = client.get("/api/datasets/bookings")
    columns = [{k: c[k] for k in ("name", "label", "role")} for c in answer.json()["columns"]]
    body, seen = {"name": "Bookings", "columns": columns}, {"If-Match": answer.headers["etag"]}
    client.patch("/api/datasets/bookings", json=body, headers=seen).raise_for_status()


def until(ask: Callable[[], T], holds: Callable[[T], Any], seconds: float = 180) -> T:
    """Ask again and again until what is answered holds."""
    end = time.monotonic() + seconds
    while True:
        found = ask()
        if holds(found):
            return found
        if time.monotonic() > end:
            raise AssertionError(f"it did not come to that: {found}")
        time.sleep(0.05)


@lru_cache(maxsize=1)
def browser() -> Any:
    from selenium import webdriver
    from selenium.webdriver.chrome.service import Service

    profile = scratch.make("browser")
    options = webdriver.ChromeOptions()
    options.binary_location = shutil.which("chromium") or "/usr/bin/chromium"
    for flag in (
        "--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
        "--disable-background-networking", "--disable-component-update", "--disable-sync",
        f"--user-data-dir={profile}", "--window-size=1280,800", "--force-prefers-reduced-motion",
    ):  # fmt: skip
        options.add_argument(flag)
    options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
    driver = webdriver.Chrome(options, Service(shutil.which("chromedriver") or "/usr/bin/chromedriver"))
    driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", SCREEN)
    driver.set_script_timeout(300)  # a busy machine looks 300 members on every face over at its leisure
    executor: Any = driver.command_executor
    executor.client_config.timeout = 300

    def close() -> None:
        driver.quit()
        shutil.rmtree(profile, ignore_errors=True)

    _cleanups.append(close)
    return driver


def at_the_end(work: Callable[[], Any]) -> None:
    """Have something done when the run is over."""
    _cleanups.append(work)


def close() -> None:
    while _cleanups:
        _cleanups.pop()()


def alive(pid: int) -> bool:
    return scratch.runs(pid)


atexit.register(close)
