"""Reading a CSV of 1,000,000 rows and 12 columns, beside only parsing it; and the memory it takes."""

from __future__ import annotations

import io
import multiprocessing
import tempfile
from pathlib import Path

import numpy as np
import polars as pl

from bench.measure import report, side_by_side
from ironmark.tables.files import read_table
from ironmark.tables.findings import findings

ROWS = 1_000_000


def table() -> pl.DataFrame:
    """What an analyst exports: a day, members, a flag, and figures with blanks among them."""
    rng = np.random.default_rng(3)
    days = np.datetime64("2024-01-01") + rng.integers(0, 1000, ROWS).astype("timedelta64[D]")
    figures = {f"figure_{n}": np.round(rng.gamma(4, 100, ROWS), 2) for n in range(5)}
    frame = pl.DataFrame(
        {
            "day": pl.Series(days).cast(pl.Date).dt.to_string(),
            "route": pl.Series([f"Route {n:02d}" for n in range(12)]).gather(rng.integers(0, 12, ROWS)),
            "vessel": pl.Series([f"Vessel {n}" for n in range(8)]).gather(rng.integers(0, 8, ROWS)),
            "cancelled": pl.Series(["yes", "no"]).gather(rng.integers(0, 2, ROWS)),
            "delay": rng.integers(-5, 60, ROWS),
            "passengers": rng.integers(0, 400, ROWS),
            "sailing": np.arange(ROWS),
            **figures,
        }
    )
    return frame.with_columns(pl.when(pl.col("delay") > 55).then(None).otherwise(pl.col("figure_0")).alias("figure_0"))


def body() -> bytes:
    buffer = io.BytesIO()
    table().write_csv(buffer)
    return buffer.getvalue()


def main() -> None:
    text = body()

    def parsed() -> object:
        return pl.read_csv(io.BytesIO(text), try_parse_dates=True)

    def ours() -> object:
        made = read_table(text).table
        return made, findings(made.frame, made.columns)

    timings = side_by_side({"Iron Mark": ours, "Polars parse": parsed}, runs=7)
    report(
        f"Import of {ROWS:,} rows × 12 columns ({len(text) / 1e6:.0f} MB)",
        timings,
        "Iron Mark",
        {"Polars parse": (2.0, "at most")},
    )
    size = read_table(text).table.frame.estimated_size()
    grown = _grown(text)
    ratio = grown / size
    print(
        f"  peak memory ÷ typed columns: {grown / 1e6:.0f} MB ÷ {size / 1e6:.0f} MB = {ratio:.2f}× (budget: at most 3×) {'kept' if ratio <= 3 else 'MISSED'}"
    )


def _grown(text: bytes) -> int:
    """How much the peak of a fresh process grows while it reads, the text itself aside."""
    with tempfile.NamedTemporaryFile() as file:
        file.write(text)
        file.flush()
        with multiprocessing.get_context("spawn").Pool(1) as pool:
            return int(pool.apply(_peak, (file.name,)))


def _peak(name: str) -> int:
    read_table(b"day,x\n2026-01-01,1\n")  # what is loaded once
    text = Path(name).read_bytes()
    Path("/proc/self/clear_refs").write_text("5")  # the peak starts anew here
    before = _status("VmRSS")
    made = read_table(text).table
    findings(made.frame, made.columns)
    return _status("VmHWM") - before


def _status(what: str) -> int:
    line = next(line for line in Path("/proc/self/status").read_text().splitlines() if line.startswith(what))
    return int(line.split()[1]) * 1024
