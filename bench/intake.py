"""Tables as long and as wide as they come, from a file on the disk to rows that are kept, beside only parsing them; then what
is proposed of 10,000,000 rows, their first page, and what it is narrowed to."""

from __future__ import annotations

import io
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import polars as pl

from bench.measure import report, side_by_side
from ironmark.pages.context.source_registry import MEMORY, OF_WORK
from ironmark.pages.datasets.intake import Reading
from ironmark.tables.pieces import pieces_of
from tests import world

ROOM = int(MEMORY * OF_WORK)  # as a server has it that was told nothing


def parcels(rows: int) -> bytes:
    """A list of days, depots, carriers and figures."""
    rng = np.random.default_rng(11)
    days = np.datetime64("2022-01-01") + np.sort(rng.integers(0, 1700, rows)).astype("timedelta64[D]")
    return written(
        {
            "day": pl.Series(days).cast(pl.Date),
            "depot": named("Depot", 40, rows, rng),
            "carrier": named("Carrier", 9, rows, rng),
            "late": pl.Series(["yes", "no"]).gather(rng.integers(0, 2, rows)),
            "parcels": rng.integers(1, 400, rows),
            "weight": np.round(rng.gamma(4, 10, rows), 1),
            "cost": np.round(rng.gamma(4, 25, rows), 2),
        }
    )


def sensors(rows: int = 20_000, columns: int = 400) -> bytes:
    """A column for each of many sensors."""
    rng = np.random.default_rng(12)
    days = np.datetime64("2024-01-01") + (np.arange(rows) % 900).astype("timedelta64[D]")
    figures = {f"sensor_{n:03d}": np.round(rng.normal(20, 5, rows), 2) for n in range(columns - 2)}
    return written({"day": pl.Series(days).cast(pl.Date), "hall": named("Hall", 12, rows, rng), **figures})


def members(rows: int = 500_000, many: int = 5_000) -> bytes:
    rng = np.random.default_rng(13)
    days = np.datetime64("2024-01-01") + rng.integers(0, 900, rows).astype("timedelta64[D]")
    return written(
        {
            "day": pl.Series(days).cast(pl.Date),
            "shop": named("Shop", many, rows, rng),
            "sold": rng.integers(0, 90, rows),
            "returned": rng.integers(0, 9, rows),
        }
    )


def months_across(rows: int = 58_000) -> bytes:
    """A row for each article, a column for each month."""
    rng = np.random.default_rng(14)
    months = {f"{2025 + n // 12}-{n % 12 + 1:02d}": rng.integers(0, 500, rows) for n in range(12)}
    articles = pl.Series("article", [f"Article {n:05d}" for n in range(rows)])
    return written({"article": articles, "group": named("Group", 20, rows, rng), **months})


def named(what: str, many: int, rows: int, rng: np.random.Generator) -> pl.Series:
    return pl.Series([f"{what} {n:04d}" for n in range(many)]).gather(rng.integers(0, many, rows))


def written(columns: dict[str, object]) -> bytes:
    buffer = io.BytesIO()
    pl.DataFrame(columns).write_csv(buffer)
    return buffer.getvalue()


def taken_in(path: Path) -> Callable[[], object]:
    """As an upload is: read in the way its size asks for, and packed as it is kept."""

    def work() -> object:
        with tempfile.TemporaryDirectory() as folder:
            read = Reading().of_file(path, path.name, Path(folder), ROOM)
            return sum(rows for _, rows in pieces_of(read.table.rows)), len(read.table.columns)

    return work


CASES: tuple[tuple[str, Callable[[], bytes], float, int], ...] = (
    ("10,000,000 rows × 7 columns", lambda: parcels(10_000_000), 3.0, 3),
    ("20,000 rows × 400 columns", sensors, 2.0, 5),
    ("500,000 rows of 5,000 members", members, 2.0, 5),
    ("58,000 rows with 12 months across", months_across, 2.0, 5),
)


def main() -> None:
    for called, made, most, runs in CASES:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "table.csv"
            path.write_bytes(made())

            def parsed(path: Path = path) -> object:
                return pl.read_csv(path, try_parse_dates=True)

            timings = side_by_side({"Iron Mark": taken_in(path), "Polars parse": parsed}, runs=runs)
            size = path.stat().st_size / 1e6
            report(f"{called} ({size:.0f} MB), to rows that are kept", timings, "Iron Mark", {"Polars parse": (most, "at most")})  # fmt: skip
    _through_a_server()


def _through_a_server(rows: int = 10_000_000) -> None:
    """What is proposed of so many rows, the page made of it, and another scope of that, each over HTTP and asked for the first
    time; the list it came from was taken in before."""
    server = world.running()
    client: Any = server.client
    took, dataset = _timed(lambda: sent(client, parcels(rows)))
    print(f"\nThrough a server: {rows:,} rows sent and taken in in {took:.1f} s")
    took, _ = _timed(lambda: client.post("/api/from-rows", json={"dataset": dataset}, timeout=600).raise_for_status())
    _told("proposing", took, 2.0)
    card = client.post("/api/from-rows/make", json={"dataset": dataset, "title": "Parcels"}, timeout=600).json()["id"]
    server.stop()
    server.start()  # nothing is held of any rows
    page = f"/api/scorecards/{card}/page"
    took, found = _timed(lambda: client.get(page, timeout=600).raise_for_status().json())
    _told(f"the first page, {len(found['instruments'])} instruments", took, 2.0)
    took, _ = _timed(lambda: client.get(page, params={"depot": "Depot 0007"}, timeout=600).raise_for_status())
    _told("its first narrowing", took, 1.0)
    world.close()


def sent(client: Any, body: bytes, name: str = "parcels") -> str:
    """The key of the dataset that comes of a file, which is sent as a browser sends it."""
    at, size = f"/api/uploads/{name}/pieces", 8 << 20
    for place in range(0, len(body), size):
        client.put(f"{at}/{place // size}", content=body[place : place + size]).raise_for_status()
    upload = client.post(at, params={"size": len(body), "file_name": f"{name}.csv"}).raise_for_status().json()
    while upload["state"] not in ("done", "failed", "stopped"):
        time.sleep(0.2)
        upload = client.get(f"/api/uploads/{upload['id']}").raise_for_status().json()
    return str(upload["dataset"])


def _timed(work: Callable[[], Any]) -> tuple[float, Any]:
    began = time.perf_counter()
    found = work()
    return time.perf_counter() - began, found


def _told(what: str, took: float, most: float) -> None:
    print(f"  {what}: {took:.2f} s (budget: {most:g} s) {'kept' if took <= most else 'MISSED'}")


if __name__ == "__main__":
    main()
