"""Columns that a dataset has besides those of its rows: looked up in another one by key, or derived by a formula."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import polars as pl

from ironmark.core import formula as f
from ironmark.core import formula_nodes
from ironmark.core.check import check_row, row_example
from ironmark.core.formula_nodes import ColumnType, FormulaError
from ironmark.tables.pieces import Frame, Merges, merged
from ironmark.tables.row_expressions import expression
from ironmark.tables.table import Column

NOT_FOUND = "(not found)"  # what a text is where its row's key is in no row of the other table
MOST_KEYS = 2
_MOST_TOLD = 20


@dataclass(frozen=True)
class Lookup:
    """Columns taken from another dataset, many rows to one of its own. on: pairs of a column here and the one there
    that has to be the same. take: pairs of a column there and what it is here."""

    dataset: str
    on: tuple[tuple[str, str], ...]
    take: tuple[tuple[str, Column], ...]

    @property
    def here(self) -> list[str]:
        return [mine for mine, _ in self.on]

    @property
    def there(self) -> list[str]:
        return [theirs for _, theirs in self.on]


@dataclass(frozen=True)
class Derived:
    """A column by a formula over the other cells of its row."""

    column: Column
    formula: str


@dataclass(frozen=True)
class Wide:
    """All that a dataset has besides its rows, in the order in which it is worked out."""

    lookups: tuple[Lookup, ...] = ()
    derived: tuple[Derived, ...] = ()

    @property
    def columns(self) -> tuple[Column, ...]:
        taken = [column for lookup in self.lookups for _, column in lookup.take]
        return (*taken, *(one.column for one in self.derived))

    @property
    def reads(self) -> frozenset[str]:
        """The columns that they are made of, those of the rows among them."""
        keys = {mine for lookup in self.lookups for mine in lookup.here}
        return frozenset(keys.union(*(formula_nodes.columns_used(f.parse(one.formula)) for one in self.derived)))

    @classmethod
    def of(cls, settings: Mapping[str, Any]) -> Wide:
        """As a dataset's settings keep it."""
        lookups = [
            Lookup(
                one["dataset"],
                tuple((mine, theirs) for mine, theirs in one["on"]),
                tuple((their, Column(**column)) for their, column in one["take"]),
            )
            for one in settings.get("lookups", [])
        ]
        derived = [Derived(Column(**one["column"]), one["formula"]) for one in settings.get("derived", [])]
        return cls(tuple(lookups), tuple(derived))

    def settings(self) -> dict[str, Any]:
        return {
            "lookups": [
                {
                    "dataset": one.dataset,
                    "on": [list(pair) for pair in one.on],
                    "take": [[their, vars(column)] for their, column in one.take],
                }
                for one in self.lookups
            ],
            "derived": [{"column": vars(one.column), "formula": one.formula} for one in self.derived],
        }


@dataclass(frozen=True)
class Matched:
    """What a lookup found: how many rows in all, with a blank key, and with one that is not there, by key."""

    rows: int
    found: int
    blank: int
    missing: tuple[tuple[str, int], ...] = ()  # the most frequent ones
    keys_missing: int = 0


@dataclass(frozen=True)
class Twice:
    """A key that several rows of a table have, the first of them by their place (1 is the first)."""

    key: str
    rows: tuple[int, ...] = field(default=())


def twice(frame: pl.DataFrame, keys: Sequence[str]) -> list[Twice]:
    """The keys that more than one row has, blank ones apart."""
    known = frame.select(keys).with_row_index("row", 1).drop_nulls()
    found = (
        known.group_by(keys, maintain_order=True)
        .agg(pl.col("row").head(5), pl.len().alias("many"))
        .filter(pl.col("many") > 1)
        .head(_MOST_TOLD)
    )
    return [Twice(_key(line[: len(keys)]), tuple(line[len(keys)])) for line in found.rows()]


def matched(frame: pl.DataFrame, other: pl.DataFrame, lookup: Lookup, many: str = "") -> Matched:
    """How the rows' keys are found in the other table. many: a column that says how many rows each line stands for."""
    count = pl.col(many).sum() if many else pl.len()
    keys = frame.group_by(lookup.here).agg(count.cast(pl.Int64).alias("rows"))
    filled = keys.drop_nulls(lookup.here)
    missing = filled.join(other.select(lookup.there), left_on=lookup.here, right_on=lookup.there, how="anti")
    missing = missing.sort(["rows", *lookup.here], descending=[True, *[False] * len(lookup.on)])
    told = tuple((_key(line[:-1]), line[-1]) for line in missing.head(_MOST_TOLD).rows())
    every, known, lost = (int(one["rows"].sum()) for one in (keys, filled, missing))
    return Matched(every, known - lost, every - known, told, missing.height)


def _key(cells: Sequence[Any]) -> str:
    return ", ".join(f"{cell:.10g}" if isinstance(cell, float) else str(cell) for cell in cells)


def with_all(frame: Frame, wide: Wide, there: Mapping[str, pl.DataFrame], merges: Merges) -> Frame:
    """Rows, their spellings merged, with all that is looked up in the rows of others (``there``, by dataset) and then
    derived, each column's spellings merged before the next one is worked out."""
    for lookup in wide.lookups:
        frame = looked_up(frame, there[lookup.dataset], lookup)
        frame = merged(frame, {column.name: merges.get(column.name, {}) for _, column in lookup.take})
    for one in wide.derived:
        frame = merged(derived(frame, one), {one.column.name: merges.get(one.column.name, {})})
    return frame


def looked_up(frame: Frame, other: pl.DataFrame, lookup: Lookup) -> Frame:
    """The rows, in their order, with what the other table says of their key. No two rows there have the same key."""
    taken = (
        other.lazy()
        .select(
            *(pl.col(theirs).alias(f"on:{at}") for at, theirs in enumerate(lookup.there)),
            *(pl.col(their).alias(column.name) for their, column in lookup.take),
            pl.lit(True).alias("on:found"),
        )
        .drop_nulls([f"on:{at}" for at in range(len(lookup.on))])
    )
    right = [f"on:{at}" for at in range(len(lookup.on))]
    kept = isinstance(frame, pl.DataFrame)
    wide = frame.lazy().join(
        taken, left_on=lookup.here, right_on=right, how="left", maintain_order="left" if kept else "none"
    )
    lost = pl.col("on:found").is_null() & pl.all_horizontal(pl.col(name).is_not_null() for name in lookup.here)
    texts = [column.name for _, column in lookup.take if column.type == "text"]
    wide = wide.with_columns(
        pl.when(lost).then(pl.lit(NOT_FOUND)).otherwise(pl.col(name)).alias(name) for name in texts
    ).drop("on:found")
    return wide.collect() if kept else wide  # type: ignore[return-value]


def derived(frame: Frame, column: Derived) -> Frame:
    """The rows with a column by its formula."""
    dates = frozenset(name for name, kind in frame.collect_schema().items() if kind == pl.Date)
    node = f.parse(column.formula)
    value = expression(node, dates)
    kind = {"number": pl.Float64, "text": pl.String, "date": pl.Date, "flag": pl.Boolean}[column.column.type]
    value = value.cast(kind)
    if column.column.type == "number":
        value = pl.when(value.is_finite()).then(value)
    return frame.with_columns(value.alias(column.column.name))


def type_of(formula: str, columns: Sequence[Column]) -> ColumnType:
    """What a row formula comes to. Raises FormulaError."""
    types = {column.name: column.type for column in columns}
    if not formula.strip():
        raise FormulaError(f"the formula is empty; write one over the cells of a row, {row_example(types)}", 0, 1)
    node = f.parse(formula)
    kind = check_row(node, types)
    if not formula_nodes.columns_used(node):
        raise FormulaError("the same in every row: name a column, such as weekday(day)", *node.span)
    return kind
