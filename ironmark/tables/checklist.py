"""A checklist: items by named steps, each ticked or not, kept as rows of what was ticked on a day."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from dataclasses import dataclass

import polars as pl

from ironmark.core.periods import months
from ironmark.tables.table import Column, Table, Unreadable

COLUMNS = (
    Column("day", "Day", "date", "period"),
    Column("item", "Item", "text", "segment"),
    Column("step", "Step", "text", "segment"),
    Column("done", "Done", "flag", "flag"),
)
FORMULA = "count(where done = yes) / count()"
MOST = 5000  # items × steps


@dataclass(frozen=True)
class Checklist:
    """What is ticked on a day; ``done`` is items by steps."""

    day: dt.date
    items: tuple[str, ...]
    steps: tuple[str, ...]
    done: tuple[tuple[bool, ...], ...]


def rows(sheet: Checklist) -> pl.DataFrame:
    """One row for every item and step. Raises Unreadable for a checklist that has none, or one twice."""
    for what, names in (("item", sheet.items), ("step", sheet.steps)):
        if not names or not all(name.strip() for name in names):
            raise Unreadable(f"A checklist needs at least one {what}, each with a name.")
        if len({name.casefold() for name in names}) < len(names):
            raise Unreadable(f"Two {what}s of the checklist have the same name. Give each its own.")
    if len(sheet.items) * len(sheet.steps) > MOST:
        raise Unreadable(f"A checklist has at most {MOST:,} boxes to tick. Split it.")
    found = [
        (sheet.day, item, step, bool(done))
        for item, line in zip(sheet.items, sheet.done, strict=True)
        for step, done in zip(sheet.steps, line, strict=True)
    ]
    schema = {"day": pl.Date, "item": pl.String, "step": pl.String, "done": pl.Boolean}
    return pl.DataFrame(found, schema=schema, orient="row")


def ticked(frame: pl.DataFrame, sheet: Checklist) -> Table:
    """All rows with those of the sheet's day replaced by what it says."""
    made = rows(sheet)
    kept = frame.filter(pl.col("day") != sheet.day) if frame.height else made.clear()
    return Table(pl.concat([kept, made]).sort("day", maintain_order=True), COLUMNS)


def on(frame: pl.DataFrame, day: dt.date) -> Checklist:
    """What was ticked on a day: as last said on or before it, else as first said."""
    days: Sequence[dt.date] = frame["day"].unique().sort().to_list()
    held = [known for known in days if known <= day]
    found = frame.filter(pl.col("day") == (held[-1] if held else days[0]))
    items = tuple(found["item"].unique(maintain_order=True).to_list())
    steps = tuple(found["step"].unique(maintain_order=True).to_list())
    ticks = {(item, step) for _, item, step, done in found.rows() if done}
    return Checklist(day, items, steps, tuple(tuple((item, step) in ticks for step in steps) for item in items))


def carried(frame: pl.DataFrame, through: dt.date) -> pl.DataFrame:
    """The rows with what was last ticked carried to the end of every month in which nothing was said.

    A tick holds until it is taken out, so a month without a change reads as the one before it.
    """
    days = set(frame["day"].unique().to_list())
    if not days:
        return frame
    pieces = [frame]
    for month in months(min(days), max(through, max(days))):
        last = min(month.end, through)
        if last >= min(days) and not any(month.start <= day <= month.end for day in days):
            held = max(day for day in days if day <= last)
            pieces.append(frame.filter(pl.col("day") == held).with_columns(pl.lit(last).alias("day")))
    return pl.concat(pieces)
