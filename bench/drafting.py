"""First drafts of tables of different trades: how much of what an analyst would keep is there, and what is nonsense."""

from __future__ import annotations

import io
import time

import numpy as np
import polars as pl

from bench.drafting_tables import every
from ironmark.core.drafting import draft
from ironmark.tables.facts import facts_of, is_panel
from ironmark.tables.files import read_table
from ironmark.tables.table import Table


def drafted(name: str, table: Table) -> tuple[list[str], list[str]]:
    """The formulas that are made unasked, and those that are offered."""
    period = next((c.name for c in table.columns if c.role == "period"), None)
    segments = [c.name for c in table.columns if c.role == "segment"]
    panel = bool(period) and is_panel(table.frame, str(period), segments)
    made = draft(name, facts_of(table.frame, table.columns), counted_rows=not panel)
    return [k.formula for k in made.kpis if k.place == "made"], [k.formula for k in made.kpis if k.place == "offered"]


def table_of(frame: pl.DataFrame) -> Table:
    text = io.BytesIO()
    frame.write_csv(text)
    return read_table(text.getvalue()).table


def main() -> None:
    wanted = there = offered_too = ticked = nonsense = tables = 0
    print("\nFirst drafts")
    for trade in every():
        made, offered = drafted(trade.name, table_of(trade.frame))
        bad = [formula for formula in made if trade.is_nonsense(formula)]
        missing = [formula for formula in trade.keep if formula not in made]
        tables += 1
        wanted += len(trade.keep)
        there += len(trade.keep) - len(missing)
        offered_too += sum(formula in offered for formula in missing)
        ticked += len(made)
        nonsense += len(bad)
        if bad or missing:
            print(f"  {trade.name}: nonsense {bad or '–'}; missing {missing or '–'}; made {made}")
    print(
        f"  {tables} tables: {there} of {wanted} that would be kept are made ({there / wanted:.0%}, at least 80%), {offered_too} more offered"
    )
    print(
        f"  {nonsense} of {ticked} made are nonsense (none) {'kept' if not nonsense and there >= 0.8 * wanted else 'MISSED'}"
    )
    for rows, budget in ((1_000_000, 2.0), (10_000_000, 8.0)):
        rng = np.random.default_rng(1)
        frame = pl.DataFrame(
            {f"figure_{n}": rng.integers(0, 1000, rows) for n in range(10)}
            | {f"level_{n}": rng.random(rows) for n in range(8)}
        )
        frame = frame.with_columns(
            site=pl.Series(["a", "b", "c"]).gather(rng.integers(0, 3, rows)), day=pl.lit(1).cast(pl.Date)
        )
        table = read_table(table_csv(frame.head(2000))).table
        begun = time.perf_counter()
        drafted("Rows", Table(frame.select(c.name for c in table.columns), table.columns))
        took = time.perf_counter() - begun
        print(
            f"  {rows:,} rows × {frame.width} columns: {took:.2f} s (at most {budget:.0f}) {'kept' if took <= budget else 'MISSED'}"
        )


def table_csv(frame: pl.DataFrame) -> bytes:
    text = io.BytesIO()
    frame.write_csv(text)
    return text.getvalue()
