"""A folder of files larger than the memory that may be used: what is held, and how long it takes."""

from __future__ import annotations

import datetime as dt
import resource
import shutil
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import polars as pl

from ironmark.core import formula as f
from ironmark.core import formula_nodes
from ironmark.core.evaluate import evaluate
from ironmark.core.periods import Period
from ironmark.store import scratch
from ironmark.tables.folders import FolderSource, FolderTable, columns_of

MONTHS, ROWS = 24, 2_600_000  # a file a month
LIMIT = 700 << 20  # bytes that the reading process may have of its own


def _fill(folder: Path) -> int:
    """Write the files; the size of their columns in memory."""
    rng, size = np.random.default_rng(3), 0
    for at in range(MONTHS):
        first = np.datetime64(f"{2025 + at // 12}-{at % 12 + 1:02d}-01")
        frame = pl.DataFrame(
            {
                "day": pl.Series(first + rng.integers(0, 28, ROWS).astype("timedelta64[D]")).cast(pl.Date),
                "route": pl.Series([f"Route {i:02d}" for i in range(40)]).gather(rng.integers(0, 40, ROWS)),
                "fare": np.round(rng.gamma(9, 90, ROWS), 2), "fuel": rng.normal(400, 40, ROWS), "delay": rng.gamma(1.2, 4, ROWS),
            }
        )  # fmt: skip
        size += int(frame.estimated_size())
        path = folder / f"year={2025 + at // 12}" / f"{at:02d}.parquet"
        path.parent.mkdir(exist_ok=True)
        frame.write_parquet(path)
    return size


def read(folder: Path) -> None:
    """In a process of its own, which may not have more than LIMIT."""
    resource.setrlimit(resource.RLIMIT_DATA, (LIMIT, LIMIT))
    began = time.perf_counter()
    source = FolderSource(FolderTable(folder, columns_of(folder)), through=dt.date(2026, 12, 28))
    opened = time.perf_counter()
    months = [Period.parse("2025-01").shift(n) for n in range(MONTHS)]
    for text in ("sum(fare) / count(where delay <= 5)", "sum(fuel)"):
        tree = f.parse(text)
        evaluate(tree, source.aggregate(formula_nodes.aggregates(tree), "route", {}, months).parts)
    first = time.perf_counter()
    source.aggregate(formula_nodes.aggregates(f.parse("sum(fuel)")), None, {"route": ["Route 07"]}, months[:3])
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    print(f"{opened - began} {first - opened} {time.perf_counter() - first} {peak * 1024}")


def main() -> None:
    folder = scratch.make("folder")
    try:
        size = _fill(folder)
        told = subprocess.run(
            [sys.executable, "-c", f"from pathlib import Path; from bench.folder import read; read(Path({str(folder)!r}))"],
            capture_output=True, text=True, check=True,
        ).stdout.split()  # fmt: skip
        opened, first, again, peak = (float(word) for word in told)
        print(
            f"\nA folder of {MONTHS * ROWS:,} rows in {MONTHS} Parquet files, read by a process that may have {LIMIT >> 20} MB of its own"
        )
        print(f"  columns in memory ÷ what it may have: {size / LIMIT:.1f}×; most it held: {peak / (1 << 20):,.0f} MB")
        print(
            f"  opened in {opened:.1f} s, two KPIs by 40 routes and {MONTHS} months in {first:.1f} s, another scope in {again * 1000:.1f} ms"
        )
    finally:
        shutil.rmtree(folder, ignore_errors=True)
