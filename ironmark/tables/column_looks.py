"""Rows and columns to be looked at: some rows in an order, and what stands in a column. Of rows in pieces no more than one
piece, or one number a row, is in memory."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
import polars as pl

from ironmark.core.formula_nodes import ColumnType
from ironmark.tables.pieces import Rows, as_numbers, frames_of, how_many_differ

BINS = 16
FURTHEST = 100_000  # rows from the first one on that can be put in an order where all are too many to be held
MOST_COUNTED = 200_000  # different texts whose rows are counted
_AT = "\0at"  # where a row stands: no column is called so


@dataclass(frozen=True)
class Found:
    """Some rows, and how many there are of them in all."""

    rows: pl.DataFrame
    total: int


class TooFar(ValueError):
    """Rows of a place that only sorting all of them would tell."""


def some_rows(rows: Rows, offset: int, limit: int, sort: str | None, down: bool, text: str) -> Found:
    """Rows sorted by a column, blanks last, and those alone that hold a text in any of their cells. Raises TooFar."""
    text = text.strip().lower()
    if isinstance(rows, pl.DataFrame):
        found = rows.filter(_holding(rows, text)) if text else rows
        found = found if sort is None else _sorted(found, sort, down)
        return Found(found.slice(offset, limit), found.height)
    if sort is not None and offset + limit > FURTHEST:
        raise TooFar
    if sort is None and not text:
        return Found(rows.slice(offset, limit), rows.height)
    first = _First(sort, down, offset + limit, text, pl.DataFrame(schema=rows.schema))
    total = sum(first.take(some) for some in rows.by_columns(first.of_piece))
    return Found(first.found.slice(offset, limit), total)


class _First:
    """The first rows in the order of a column, or as they stand, that hold a text, of pieces that are seen one after the other.
    Of what cannot come among them no more is read than tells that."""

    def __init__(self, by: str | None, down: bool, most: int, text: str, none: pl.DataFrame) -> None:
        self.found = none
        self._by, self._down, self._most, self._text = by, down, most, text
        self._may_hold = [name for name, kind in none.schema.items() if text and _may_hold(kind, text)]

    def of_piece(self, read: Callable[[Sequence[str] | None], pl.DataFrame]) -> tuple[pl.DataFrame, int]:
        """Those of one piece that may come among them, and how many of its rows hold the text."""
        names = dict.fromkeys([*self._may_hold, *([self._by] if self._by else [])])
        if not names:
            return self.found.clear(), 0
        keys = read(list(names)).with_row_index(_AT)
        if self._text:
            keys = keys.filter(_holding(keys.drop(_AT), self._text))
        may = self._may_come(keys)
        ordered = may if self._by is None else _sorted(may.select(_AT, self._by), self._by, self._down)
        at = ordered.head(self._most)[_AT]
        return (read(None)[at] if len(at) else self.found.clear()), keys.height

    def _may_come(self, keys: pl.DataFrame) -> pl.DataFrame:
        """Equal ones stay behind those that came before."""
        found = self.found
        if found.height < self._most:
            return keys
        if self._by is None:
            return keys.clear()
        key, last = pl.col(self._by), found[self._by][-1]
        if last is None:
            return keys.filter(key.is_not_null())
        return keys.filter(key > last if self._down else key < last)

    def take(self, piece: tuple[pl.DataFrame, int]) -> int:
        some, height = piece
        if some.height:
            found = pl.concat([self.found, some])
            self.found = (found if self._by is None else _sorted(found, self._by, self._down)).head(self._most)
        return height


def _sorted(rows: pl.DataFrame, by: str, down: bool) -> pl.DataFrame:
    return rows.sort(by, descending=down, nulls_last=True, maintain_order=True)


def _may_hold(kind: pl.DataType, text: str) -> bool:
    """Whether a cell of a kind, written out, may hold a text in small letters."""
    if kind == pl.String:
        return True
    letters = "truefals" if kind == pl.Boolean else "0123456789-" if kind == pl.Date else "0123456789-+.einfa"
    return set(text) <= set(letters)


def _holding(rows: pl.DataFrame, text: str) -> pl.Series:
    """Which rows hold a text in small letters in any of their cells."""
    found = pl.repeat(False, rows.height, eager=True)
    for cells in rows:
        if not _may_hold(cells.dtype, text):
            continue
        different = cells.unique() if cells.dtype == pl.String else cells
        several = 4 * len(different) < len(cells)
        looked_at = different if several else cells
        hits = looked_at.cast(pl.String).str.to_lowercase().str.contains(text, literal=True).fill_null(False)
        found |= cells.is_in(looked_at.filter(hits).implode()) if several else hits
    return found.fill_null(False)


@dataclass(frozen=True)
class Look:
    """A column. counts: of its texts how many rows each has, the most frequent first; of flags by True and False; None
    where there are too many of them. edges: where the steps of ``steps`` begin and end, as numbers."""

    rows: int
    blanks: int
    distinct: int
    smallest: Any = None
    largest: Any = None
    mean: float | None = None
    counts: list[tuple[Any, int]] | None = None
    steps: list[int] = field(default_factory=list)
    edges: list[float] = field(default_factory=list)


def look_at(rows: Rows, name: str, kind: ColumnType, members: bool = False) -> Look:
    """What stands in a column of any rows, and how it is spread. members: whether all its values are counted, also numbers and
    days as texts; of other texts the most frequent alone are told."""
    plain = kind in ("text", "flag")
    look = _looked(rows, {name: kind}, counted={name} if plain or members else ())[name]
    if plain or look.rows == look.blanks:
        return look if members or look.counts is None else replace(look, counts=look.counts[:BINS])
    steps, edges = _steps((frame[name] for frame in frames_of(rows, [name])), look.smallest, look.largest)
    return replace(look, steps=steps, edges=edges)


def summaries(rows: Rows, kinds: Mapping[str, ColumnType]) -> dict[str, Look]:
    """What stands in some columns, going through the rows once; nothing is counted."""
    return _looked(rows, kinds)


def _looked(rows: Rows, kinds: Mapping[str, ColumnType], counted: Collection[str] = ()) -> dict[str, Look]:
    held = isinstance(rows, pl.DataFrame)
    seen = {name: _Seen(kind, name in counted, held) for name, kind in kinds.items()}
    for frame in frames_of(rows, list(kinds)):
        for name, column in seen.items():
            column.see(frame[name])
    found = {}
    for name, column in seen.items():
        known = column.rows - column.blanks
        several = column.values is None and column.counted is None
        distinct = _distinct(rows, name) if several else column.distinct
        counts = (
            None if column.counted is None else sorted(column.counted.items(), key=lambda one: (-one[1], str(one[0])))
        )
        mean = column.total / known if column.kind == "number" and known else None
        smallest, largest = column.ends or (None, None)
        found[name] = Look(column.rows, column.blanks, distinct, smallest, largest, mean, counts)
    return found


def _distinct(rows: Rows, name: str) -> int:
    """How many values a column has, blanks apart."""
    return how_many_differ(as_numbers((frame.drop_nulls() for frame in frames_of(rows, [name])), rows.height))


class _Seen:
    """What is known of a column by now. counted: rows by value, where they are; values: those that differ, where not; neither
    once there are too many of them."""

    def __init__(self, kind: ColumnType, counts: bool, held: bool) -> None:
        self.kind, self._held = kind, held
        self.rows = self.blanks = 0
        self.total, self.ends = 0.0, list[Any]()
        self.counted: Counter[Any] | None = Counter() if counts else None
        self.values: pl.Series | None = None if counts else pl.Series([], dtype=pl.Null)

    @property
    def distinct(self) -> int:
        return len(self.counted) if self.counted is not None else len(self.values) if self.values is not None else 0

    def see(self, cells: pl.Series) -> None:
        self.rows, self.blanks = self.rows + len(cells), self.blanks + cells.null_count()
        known = cells.drop_nulls()
        if not len(known):
            return
        least, most = known.min(), known.max()
        self.ends = [min(self.ends[0], least), max(self.ends[1], most)] if self.ends else [least, most]
        self.total += float(known.sum()) if self.kind == "number" else 0  # type: ignore[arg-type]
        if self.counted is not None:
            plain = self.kind in ("text", "flag")
            self.counted.update(dict((known if plain else known.cast(pl.String)).value_counts().rows()))
            self.counted = None if len(self.counted) > MOST_COUNTED and not self._held else self.counted
        elif self.values is not None:
            some = known.unique()
            self.values = pl.concat([self.values, some]).unique() if len(self.values) else some
            self.values = None if len(self.values) > MOST_COUNTED and not self._held else self.values


def _steps(chunks: Iterable[pl.Series], smallest: Any, largest: Any) -> tuple[list[int], list[float]]:
    """How values are spread over even steps from the smallest to the largest; one step where all are the same."""
    low, high = (float(pl.Series([end]).to_physical()[0]) for end in (smallest, largest))
    if low == high:
        return [sum(len(cells) - cells.null_count() for cells in chunks)], [low, high]
    step, counts = (high - low) / BINS, np.zeros(BINS, dtype=np.int64)
    for cells in chunks:
        numbers = cells.drop_nulls().to_physical().cast(pl.Float64).to_numpy()
        place = np.clip(np.floor((numbers - low) / step), 0, BINS - 1).astype(np.int64)
        counts += np.bincount(place, minlength=BINS)
    return counts.tolist(), [low + at * step for at in range(BINS + 1)]
