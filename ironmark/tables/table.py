"""A table as it was read: typed columns, what each is for, and what looked wrong."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Literal

import polars as pl

from ironmark.core.aim_words import is_plan
from ironmark.core.formula import RESERVED
from ironmark.core.formula_nodes import AGGREGATES, ColumnType
from ironmark.core.names import as_name
from ironmark.core.periods import RowGrain, end_of_rows
from ironmark.tables.pieces import Pieces, Rows, frames_of

Role = Literal["period", "segment", "measure", "flag", "text"]
Origin = Literal["rows", "lookup", "derived"]  # of the rows themselves, taken from another dataset, or by a formula
ROLES: dict[Role, tuple[ColumnType, ...]] = {
    "period": ("date",),
    "segment": ("text", "number", "flag", "date"),
    "measure": ("number",),
    "flag": ("flag",),
    "text": ("text", "number", "flag", "date"),
}
MANY_ROWS = 200_000  # with more, different values are counted about
FIRST = 100  # texts that are looked at
MOST_NUMBERED = 20_000  # rows that are looked at for numbers that stand for members
FEWEST_NUMBERED = 3  # periods, and numbers in each of them, from which these do
_CLOCK = r"^\d{1,2}:\d{2}(:\d{2})?$"


class Unreadable(ValueError):
    """A file that cannot be read as a table; the message says why and what to do."""


@dataclass(frozen=True)
class Column:
    name: str  # as formulas write it
    label: str  # as the file's header has it
    type: ColumnType
    role: Role
    origin: Origin = "rows"
    grain: RowGrain | None = None  # of dates: how fine they are; None: days
    unit: str = ""  # of figures, as heads and cells gave it: "GBP", "%", "min", "kg"
    better: str = ""  # of figures whose row said so: "higher" or "lower"


NEARLY = 0.9  # a column this much of one type is of that type, its other cells are problems


@dataclass(frozen=True)
class Problem:
    """Something in the file worth a look. ``rows`` are the first few file lines it is about."""

    message: str
    column: str | None = None
    rows: tuple[int, ...] = ()


@dataclass(frozen=True)
class Table:
    frame: pl.DataFrame
    columns: tuple[Column, ...]
    problems: tuple[Problem, ...] = field(default=())
    recipe: dict[str, Any] | None = None  # how it was read from a file; None of a plain list

    @property
    def rows(self) -> pl.DataFrame:
        return self.frame


@dataclass(frozen=True)
class LongTable:
    """One that is too long to be held whole. begins: its first lines, of one that was delimited text."""

    rows: Pieces
    columns: tuple[Column, ...]
    problems: tuple[Problem, ...] = field(default=())
    recipe: dict[str, Any] | None = None
    begins: bytes = b""


def table_of(rows: Rows, columns: tuple[Column, ...], recipe: dict[str, Any] | None) -> Table | LongTable:
    if isinstance(rows, pl.DataFrame):
        return Table(rows, columns, recipe=recipe)
    return LongTable(rows, columns, recipe=recipe)


@dataclass(frozen=True)
class Overview:
    """What tells of columns what they are for. different: how many texts; first: some that are known; days: different ones; filled:
    how many rows have a day."""

    height: int
    different: Mapping[str, int]
    first: Mapping[str, pl.Series]
    days: Mapping[str, pl.Series]
    filled: Mapping[str, int] = field(default_factory=dict)


def overview(frame: pl.DataFrame, columns: Sequence[Column]) -> Overview:
    texts = [column.name for column in columns if column.type == "text"]
    few_rows = frame.height < MANY_ROWS
    return Overview(
        frame.height,
        {name: int(frame[name].n_unique() if few_rows else frame[name].approx_n_unique()) for name in texts},  # type: ignore[arg-type]
        {name: frame[name].drop_nulls().head(FIRST) for name in texts},
        {column.name: frame[column.name].drop_nulls().unique() for column in columns if column.type == "date"},
        {c.name: frame.height - frame[c.name].null_count() for c in columns if c.type == "date"},
    )


def with_roles(
    frame: pl.DataFrame, labels: Sequence[str], types: Sequence[ColumnType], problems: list[Problem],
    grains: Mapping[str, RowGrain] | None = None,
) -> Table:  # fmt: skip
    """grains: by the name of a column, of those that have one."""
    columns = columns_of(frame.columns, labels, types, grains or {})
    with_roles = _with_numbered(frame, assign_roles(overview(frame, columns), columns))
    return Table(frame, with_roles, (*problems, *no_period(frame.height, with_roles)))


def _with_numbered(frame: pl.DataFrame, columns: tuple[Column, ...]) -> tuple[Column, ...]:
    """Where nothing else names what rows are of, the numbers of these as members, such as those of cows."""
    period = next((column.name for column in columns if column.role == "period"), None)
    if period is None or frame.height > MOST_NUMBERED or any(column.role == "segment" for column in columns):
        return columns
    for at, column in enumerate(columns):
        if column.role == "measure" and _numbers_rows(frame[column.name], frame[period]):
            return (*columns[:at], replace(column, role="segment"), *columns[at + 1 :])
    return columns


def _numbers_rows(numbers: pl.Series, period: pl.Series) -> bool:
    """Whether the same whole numbers recur in all periods, each of them once."""
    periods, different = period.n_unique(), numbers.n_unique()
    every = periods * different
    if min(periods, different) < FEWEST_NUMBERED or not 0.9 * every <= len(numbers) <= every:
        return False
    whole = numbers.null_count() == 0 and bool(((numbers == numbers.floor()) & (numbers >= 0)).all())
    return whole and pl.DataFrame({"of": numbers, "at": period}).n_unique() == len(numbers)


def columns_of(
    names: Sequence[str], labels: Sequence[str], types: Sequence[ColumnType], grains: Mapping[str, RowGrain]
) -> list[Column]:
    return [
        Column(name, label.strip() or name, kind, "text", grain=grains.get(name))
        for name, label, kind in zip(names, labels, types, strict=True)
    ]


def no_period(rows: int, columns: Sequence[Column]) -> list[Problem]:
    if not rows or any(column.role == "period" for column in columns):
        return []
    return [Problem("No column of dates was found. Readings need a period: add a column such as 2026-10-31.")]


def identifiers(labels: Iterable[str]) -> list[str]:
    """Headers as names a formula can hold: letters, digits and underscores, none twice, none a word of it."""
    names: list[str] = []
    for at, label in enumerate(labels, start=1):
        name = as_name(label)[:60] or f"column_{at}"
        if name[0].isdigit() or name in RESERVED or name in AGGREGATES:
            name = f"c_{name}" if name[0].isdigit() else f"{name}_"
        unique, count = name, 2
        while unique in names:
            unique, count = f"{name}_{count}", count + 1
        names.append(unique)
    return names


def assign_roles(rows: Overview, columns: Sequence[Column]) -> tuple[Column, ...]:
    """Propose what each column is for, by its type and how often its values recur."""
    dates = [c for c in columns if c.type == "date" and (len(rows.days[c.name]) or not rows.height)]
    hinted = [c for c in dates if re.search(r"date|day|month|period|datum|tag", c.name)]
    # What has ended on some rows alone is no period while something began on all of them.
    whole = [c for c in (*hinted, *dates) if rows.filled.get(c.name, 0) >= 0.98 * rows.height]
    period = (whole or hinted or dates or [None])[0]  # type: ignore[list-item]

    def role(column: Column) -> Role:
        if period is not None and column.name == period.name:
            return "period"
        if column.type == "number":
            return "text" if re.search(r"(^|_)(id|no|nr|number|code)$", column.name) else "measure"
        if column.type == "flag":
            return "flag"
        if column.type != "text":
            return "text"
        clock = bool(rows.first[column.name].str.contains(_CLOCK).all())
        few = rows.different[column.name] <= max(40, rows.height // 20, min(300, rows.height // 6))
        return "segment" if few and (not clock or _are_slots(rows, column.name)) else "text"

    def grain(column: Column) -> RowGrain | None:
        """Days that are all the first of a month stand for months."""
        if column.type != "date" or column.grain or len(days := rows.days[column.name]) < 2:
            return column.grain
        return "month" if bool((days.dt.day() == 1).all()) else None

    return tuple(replace(column, role=role(column), grain=grain(column)) for column in columns)


def _are_slots(rows: Overview, name: str) -> bool:
    """Whether times of a day are the hours, halves or quarters of one, each on several rows, rather than when something happened."""
    first, often = rows.first[name], rows.height >= 3 * rows.different[name]
    return often and len(first) > 0 and bool(first.str.contains(r":(?:00|15|30|45)(?::00)?\s*$").all())


def complete_through(rows: Rows, columns: Sequence[Column]) -> dt.date | None:
    """The last day the rows reach: the end of the last of their periods, however fine these are. Days that are all the
    first of a month stand for months."""
    period = next((column for column in columns if column.role == "period"), None)
    days = rows.select([period.name])[period.name].drop_nulls() if period else None
    if period is None or days is None or days.is_empty():
        return None
    last: dt.date = days.max()  # type: ignore[assignment]
    grain: RowGrain = period.grain or ("month" if bool((days.dt.day() == 1).all()) else "day")
    filled = _last_filled(rows, columns, period.name)
    if filled is not None and (last - filled).days > (0 if grain != "day" else MOST_BLANK_DAYS):
        last = filled
    return end_of_rows(last, grain)


MOST_KEPT_BY_HAND = 200_000  # rows; longer lists hold no rows that wait for their figures
MOST_BLANK_DAYS = 6  # at the end of a list of days, on which nothing may have happened


def _last_filled(rows: Rows, columns: Sequence[Column], period: str) -> dt.date | None:
    """The last day on which any column of figures holds one: rows for months to come are there before their figures are."""
    figures = [column for column in columns if column.role == "measure" and column.origin == "rows"]
    measures = [column.name for column in figures if not is_plan(column.label)] or [column.name for column in figures]
    if not measures or rows.height > MOST_KEPT_BY_HAND:
        return None
    filled = pl.any_horizontal(pl.col(measures).is_not_null())
    days = (frame.filter(filled)[period].max() for frame in frames_of(rows, [period, *measures]))
    return max((day for day in days if day is not None), default=None)  # type: ignore[type-var, return-value]
