"""Readers at once: 32 of them step through the months of a scorecard of 40 instruments, over HTTP, two processes."""

from __future__ import annotations

import http.client
import itertools
import json
import shutil
import signal
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import psutil

from ironmark.store import scratch

ROOT = Path(__file__).parents[1]
READERS, WORKERS, INSTRUMENTS, SECONDS, MINUTES = 32, 2, 40, 20, 10
KPIS = ("on-time", "fare-revenue", "fuel-per-mile", "cancelled", "complaints", "revenue-per-sailing")
FACES = ("dial", "bullet", "ledger", "ranked", "history", "lamp")


def main() -> None:
    _serving(_measure)


def steady() -> None:
    """What a process holds, minute by minute, while first and repeated readings are asked for."""
    _serving(_watch)


def _serving(work: Callable[[int, int], None]) -> None:
    directory = scratch.make("bench")
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    arguments = ["serve", "--port", str(port), "--data-dir", str(directory), "--workers", str(WORKERS)]
    server = subprocess.Popen([sys.executable, "-m", "ironmark", *arguments], cwd=ROOT, stdout=subprocess.DEVNULL)
    try:
        work(port, server.pid)
    finally:
        server.send_signal(signal.SIGINT)
        server.wait(40)
        shutil.rmtree(directory, ignore_errors=True)


def _watch(port: int, pid: int) -> None:
    first, again = _paths(port)
    print(
        f"\n{READERS} readers at once, {INSTRUMENTS} instruments, {WORKERS} processes, over HTTP: memory of a process"
    )
    for minute in range(MINUTES):
        took, seconds = _read(port, [*first, *again * 10], once=False, seconds=60)
        print(
            f"  minute {minute + 1:2d}   {len(took) / seconds:6.0f} readings a second   {_memory(pid):.0f} MB",
            flush=True,
        )


def _measure(port: int, pid: int) -> None:
    first, again = _paths(port)
    for path in again * 4:
        _ask(port, "GET", path)
    before = _memory(pid)
    print(f"\n{READERS} readers at once, {INSTRUMENTS} instruments, {WORKERS} processes, over HTTP")
    for name, paths, budget in (("first readings", first, 100.0), ("repeated readings", again, 2000.0)):
        took, seconds = _read(port, paths, once=name == "first readings")
        rate = len(took) / seconds
        print(
            f"  {name:<18} {rate:8.1f} a second (budget: {budget:g}) {'kept' if rate >= budget else 'MISSED'}   "
            f"median {np.median(took) * 1000:7.1f} ms   longest {max(took) * 1000:7.1f} ms (budget: 1,000) {'kept' if max(took) < 1 else 'MISSED'}"
        )
    print(f"  memory of a process: {before:.0f} MB before, {_memory(pid):.0f} MB after")


def _paths(port: int) -> tuple[list[str], list[str]]:
    """What is asked for of a scorecard made for it: readings of single members, and those of all by month."""
    while True:
        try:
            kpis = [kpi["id"] for kpi in _ask(port, "GET", "/api/kpis")]
            break
        except OSError:
            time.sleep(0.2)
    used = [kpi for kpi in KPIS if kpi in kpis] or kpis[:6]
    instruments = [
        {"id": f"i{at}", "kpi": used[at % len(used)], "face": FACES[at % len(FACES)], "by": (None, "route", "vessel")[at % 3] if FACES[at % 6] != "dial" else None}
        for at in range(INSTRUMENTS)
    ]  # fmt: skip
    body = {"title": "Forty", "sections": [{"id": "s", "instruments": instruments}]}
    card = _ask(port, "POST", "/api/scorecards", body)["id"]
    months = [f"{year}-{month:02d}" for year in (2025, 2026) for month in range(1, 13)][:22]
    members = _ask(port, "GET", f"/api/scorecards/{card}/page")["segments"]
    routes = next(segment["members"] for segment in members if segment["name"] == "route")
    vessels = next(segment["members"] for segment in members if segment["name"] == "vessel")
    first = [
        f"/api/scorecards/{card}/page?period={month}&route={_quoted(route)}&vessel={_quoted(vessel)}"
        for vessel, route, month in itertools.product(vessels, routes, months)
    ]
    again = [f"/api/scorecards/{card}/page?period={month}" for month in months]
    return first, again


def _read(port: int, paths: list[str], once: bool, seconds: float = SECONDS) -> tuple[list[float], float]:
    """All readers in turn take the next path; over when all are read, or after so many seconds."""
    turn, lock, took = iter(paths if once else itertools.cycle(paths)), threading.Lock(), list[float]()
    until = time.monotonic() + seconds

    def reader() -> None:
        connection = http.client.HTTPConnection("127.0.0.1", port, timeout=60)
        tags: dict[str, str] = {}  # as a browser keeps them
        while time.monotonic() < until:
            with lock:
                path = next(turn, None)
            if path is None:
                return
            started = time.perf_counter()
            connection.request("GET", path, headers={"If-None-Match": tags[path]} if path in tags else {})
            answer = connection.getresponse()
            answer.read()
            assert answer.status in (200, 304), answer.status
            tags[path] = answer.headers["ETag"]
            took.append(time.perf_counter() - started)

    readers = [threading.Thread(target=reader) for _ in range(READERS)]
    started = time.monotonic()
    for thread in readers:
        thread.start()
    for thread in readers:
        thread.join()
    return took, time.monotonic() - started


def _ask(port: int, method: str, path: str, body: Any = None) -> Any:
    connection = http.client.HTTPConnection("127.0.0.1", port, timeout=60)
    connection.request(method, path, json.dumps(body) if body else None, {"Content-Type": "application/json"})
    return json.loads(connection.getresponse().read())


def _quoted(name: str) -> str:
    return "".join(f"%{byte:02X}" for byte in name.encode())


def _memory(pid: int) -> float:
    """Resident megabytes of the largest server process."""
    children = psutil.Process(pid).children()
    return max(
        (one.memory_info().rss / 2**20 for one in children if "spawn_main" in " ".join(one.cmdline())), default=0.0
    )


if __name__ == "__main__":
    main()
