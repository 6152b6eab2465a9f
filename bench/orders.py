"""Other orders of work over 10,000,000 rows: narrowed to one of thousands of members, read by who may read some rows, medians
and different members, new rows."""

from __future__ import annotations

import os
import time
from collections.abc import Callable
from typing import Any

import numpy as np
import polars as pl
from sqlalchemy import Engine

from bench.intake import named
from bench.own_database import own_database
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.context.source_registry import Sources
from ironmark.pages.model.kpi import KpiBody
from ironmark.pages.model.scorecard import InstrumentBody, ScopeBody, ScorecardBody, SectionBody
from ironmark.pages.reading.read import read_page
from ironmark.store import dataset_versions, eyes, records, scratch
from ironmark.tables.table import Column, Table
from ironmark.work.looking_ahead import look_ahead

ROWS, MEMORY = 10_000_000, 1 << 30
KPIS = {
    "mean": "mean(days)", "fines": "sum(fine)", "share": "sum(fine) / count(where back = yes)", "median": "median(days)",
    "readers": "distinct(reader)", "rolling": "rolling(median(days), 3)",
}  # fmt: skip
COLUMNS = (
    Column("day", "Day", "date", "period"), Column("library", "Library", "text", "segment"), Column("kind", "Kind", "text", "segment"),
    Column("reader", "Reader", "text", "segment"), Column("days", "Days", "number", "measure"), Column("fine", "Fine", "number", "measure"),
    Column("back", "Back", "flag", "flag"),
)  # fmt: skip


def loans(rows: int, first: str = "2025-01-01", days: int = 700) -> pl.DataFrame:
    """In no order of days: what was lent by which library to whom, for how long."""
    rng = np.random.default_rng(21)
    return pl.DataFrame(
        {
            "day": pl.Series(np.datetime64(first) + rng.integers(0, days, rows).astype("timedelta64[D]")).cast(pl.Date),
            "library": named("Library", 40, rows, rng),
            "kind": named("Kind", 6, rows, rng),
            "reader": named("Reader", 5000, rows, rng),
            "days": np.rint(rng.gamma(3, 7, rows)),
            "fine": np.round(rng.exponential(0.4, rows), 2),
            "back": rng.random(rows) < 0.97,
        }
    )


def main() -> None:
    with own_database() as engine:
        _measure(engine)


def _measure(engine: Engine) -> None:
    made = Sources(engine, memory=MEMORY)
    with made.changes() as session:
        key = dataset_versions.create(session, "Loans", "loans.csv", Table(loans(ROWS), COLUMNS), key="loans").id
        for handle, formula in KPIS.items():
            body = KpiBody(handle=handle, name=handle, dataset=key, formula=formula).model_dump()
            records.create(session, "kpi", body, name=handle, key=handle)
    print(
        f"\nOther orders of work over {ROWS:,} rows of 40 libraries and 5,000 readers, in a process told {MEMORY >> 20} MB"
    )
    _told("looked ahead once they are kept", lambda: look_ahead(made, key), None)
    sources = Sources(engine, memory=MEMORY)  # as after a start

    def page(
        *kpis: str, by: str | None = None, who: eyes.Eyes | None = None, **members: list[str]
    ) -> Callable[[], Any]:
        instruments = [InstrumentBody(id=kpi, kpi=kpi, by=by, face="ledger" if by else "figure") for kpi in kpis]
        card = ScorecardBody(title="Loans", sections=[SectionBody(id="s", instruments=instruments)])

        def read() -> None:
            with sources.readings() as session:
                eyes.lend(session, who or eyes.ALL)
                read_page(ReadingContext(sources, session), card, ScopeBody(members=members))

        return read

    three = ("mean", "fines", "share")
    _told("the first page, three KPIs by library", page(*three, by="library"), 2.0)
    _told("narrowed to a kind", page(*three, by="library", kind=["Kind 0003"]), 1.0)
    _told("narrowed to one of 5,000 readers", page(*three, by="library", reader=["Reader 0042"]), 1.0)
    _told("narrowed to another one", page(*three, by="library", reader=["Reader 4711"]), 1.0)
    for at in range(3):
        whose = eyes.Eyes(f"p{at}", narrowed=((key, (("library", (f"Library {at:04d}",)),)),))
        _told(f"somebody who may read one library, the {('first', 'second', 'third')[at]}", page(*three, by="kind", who=whose), 1.0)  # fmt: skip
    _told("different readers, by kind", page("readers", by="kind"), None)
    _told("a median, by kind", page("median", by="kind"), None)
    _told("the same of one library", page("median", by="kind", library=["Library 0007"]), None)
    _told("a median over three months at a time, by kind", page("rolling", by="kind"), None)
    _told("5,000 readers in a ledger", page("mean", by="reader"), None)
    began = time.perf_counter()
    with made.changes() as session:
        new = Table(loans(500, "2026-12-01", 20), COLUMNS)
        dataset_versions.refresh(session, key, None, "more.csv", new, "append")
    print(f"  500 rows more behind them, kept: {time.perf_counter() - began:.2f} s")
    _told("looked ahead", lambda: look_ahead(made, key), None)
    sources = Sources(engine, memory=MEMORY)
    _told("the page of them", page(*three, by="library"), 2.0)
    print(f"  this process holds {scratch.held_bytes([os.getpid()]) / 1e9:.2f} GB at the end")


def _told(what: str, work: Callable[[], Any], most: float | None) -> None:
    began = time.perf_counter()
    work()
    took = time.perf_counter() - began
    budget = "" if most is None else f" (budget: {most:g} s) {'kept' if took <= most else 'MISSED'}"
    print(f"  {what}: {took:.2f} s{budget}")


if __name__ == "__main__":
    main()
