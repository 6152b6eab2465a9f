"""The rows of a dataset version as columns: the day of each, the places of its members, and whatever else is asked of them."""

from __future__ import annotations

import datetime as dt
import threading
import weakref
from collections.abc import Callable, Iterator, Mapping, Sequence
from copy import copy
from typing import TypeVar

import numpy as np
import polars as pl

from ironmark.core import formula_nodes
from ironmark.core.readings import Members
from ironmark.tables.cells import BLANK_MEMBER, NOT_OPENED, NoPeriod, Unit, Within
from ironmark.tables.pieces import Gone, Pieces

ALL = 1 << 60
EPOCH = dt.date(1970, 1, 1).toordinal()
Found = TypeVar("Found")
Order = Mapping[str, Sequence[str]]
_Labels = tuple[pl.Series, bool]  # of each row, and whether the texts of the column are known from these


class ColumnRows:
    """Rows in memory, or in pieces of which columns are held as they are asked for.

    day_of_row: counted as datetime.date counts them, from the first of January of year 1; member_of_row: the place of each row's
    label among the ``members`` of a segment.
    """

    def __init__(
        self, rows: pl.DataFrame | Pieces, period: str, segments: Sequence[str], through: dt.date, order: Order,
        room: int, within: Within,
    ) -> None:  # fmt: skip
        """See ``ColumnSource``. Raises NoPeriod, Gone."""
        days, labels, self._heights = _seen(rows, period, segments)
        if days.null_count() == len(days):
            raise NoPeriod("The dataset has no rows with a date yet; upload rows first.")
        keep = (days <= through).fill_null(False)  # a row without a day is none of any period
        for segment, names in within:
            keep &= labels[segment][0].cast(pl.String).is_in(list(names))
        if not keep.any():
            if within:
                raise NoPeriod(NOT_OPENED)
            raise NoPeriod(
                f"The dataset has no rows up to {through:%-d %B %Y}, the day it is said to be complete through. "
                "Say another day on its page under Data."
            )
        if not isinstance(rows, Pieces) and not keep.all():
            rows = rows.filter(keep)
            labels = _seen(rows, period, segments)[1]
        self._kept_rows = keep if isinstance(rows, Pieces) and not keep.all() else None
        self._period, self._room = period, room
        days = days.filter(keep)
        self._held = {period: days} if isinstance(rows, Pieces) else {}
        self.day_of_row: np.ndarray = days.to_physical().to_numpy() + np.int32(EPOCH)
        self.first_day, self.last_day = int(self.day_of_row.min()), int(self.day_of_row.max())
        self.dates = frozenset(name for name, kind in rows.schema.items() if kind == pl.Date)
        self.members: dict[str, tuple[str, ...]] = {}
        self.member_of_row: dict[str, np.ndarray] = {}
        self._names: dict[str, pl.Series] = {}  # the texts of a column of rows that is held as members alone
        for segment in segments:
            of_rows, plain = labels.pop(segment)
            of_rows = of_rows if self._kept_rows is None else of_rows.filter(self._kept_rows)
            codes, known = _coded(of_rows, order.get(segment, ()))
            if plain:
                texts = [None if name == BLANK_MEMBER else name for name in known]
                self._names[segment] = pl.Series(texts, dtype=pl.String)
                if not isinstance(rows, Pieces):
                    rows = rows.drop(segment)
            self.members[segment], self.member_of_row[segment] = tuple(known), codes
        self._rows: pl.DataFrame | Pieces | _Some = rows
        self._unit_of_row: dict[str, np.ndarray] = {}
        self._lock = threading.RLock()

    @property
    def height(self) -> int:
        return len(self.day_of_row)

    @property
    def weight(self) -> int:
        """Bytes that it holds now."""
        held = sum(
            place.nbytes for place in (self.day_of_row, *self.member_of_row.values(), *self._unit_of_row.values())
        )
        whole = self._rows.estimated_size() if isinstance(self._rows, pl.DataFrame) else 0
        return held + int(whole) + sum(int(column.estimated_size()) for column in tuple(self._held.values()))

    def columns(self, names: Sequence[str]) -> list[pl.Series]:
        """Some columns; those of pieces that are not held are read together."""
        if isinstance(self._rows, pl.DataFrame):
            return [self._named(name) if name in self._names else self._rows[name] for name in names]
        with self._lock:
            apart = [name for name in names if name not in self._names]
            if absent := [name for name in apart if name not in self._held]:
                read = self._rows.select(absent)
                read = read if self._kept_rows is None else read.filter(self._kept_rows)
                self._held |= {column.name: column for column in read}
            found = {name: self._held.pop(name) for name in apart}
            self._held |= found  # used last, given up last
            sizes = {one: column.estimated_size() for one, column in self._held.items()}
            for one in list(sizes)[:-1]:
                if sum(sizes.values()) > self._room and one != self._period:
                    del self._held[one], sizes[one]
        return [self._named(name) if name in self._names else found[name] for name in names]

    def _named(self, name: str) -> pl.Series:
        return self._names[name].gather(pl.Series(self.member_of_row[name])).alias(name)

    def read_by(self, *nodes: formula_nodes.Node | None) -> list[str]:
        """The columns that some formulas read, and at least that of days."""
        used = {name for node in nodes if node is not None for name in formula_nodes.columns_used(node)}
        return sorted(used | {self._period})

    def each(self, names: Sequence[str], work: Callable[[pl.DataFrame, int], Found]) -> Iterator[Found]:
        """What comes of some columns, and the place of their first row, as many rows at a time as may be held: all of them
        where they are in memory or may be held, else piece by piece. Nothing of no rows."""
        absent = sum(name not in self._held and name not in self._names for name in names)
        rows, keep = self._rows, self._kept_rows
        if not isinstance(rows, Pieces) or 2 * 8 * absent * self.height <= self._room:
            if self.height:
                yield work(pl.DataFrame(self.columns(names)), 0)
            return
        before: np.ndarray = np.cumsum([0, *self._heights])
        kept: np.ndarray | None = None if keep is None else np.cumsum([0, *keep])

        def of_piece(frame: pl.DataFrame, at: int) -> Found | None:
            start = int(before[at])
            if keep is not None and kept is not None:
                frame, start = frame.filter(keep.slice(start, frame.height)), int(kept[start])
            return work(frame, start) if frame.height else None

        yield from (found for found in rows.each(names, of_piece) if found is not None)

    def of_members(self, where: Members) -> np.ndarray:
        """Which rows are of these members."""
        keep = np.ones(self.height, dtype=bool)
        for segment, names in where.items():
            named = set(names)
            keep &= np.array([name in named for name in self.members[segment]], dtype=bool)[self.member_of_row[segment]]
        return keep

    def units(self, unit: Unit) -> np.ndarray:
        """The day, week or month of every row, counted from that of the first day."""
        if unit not in self._unit_of_row:
            days: np.ndarray = np.arange(self.first_day, self.last_day + 1, dtype=np.int32)
            if unit == "month":
                first = dt.date.fromordinal(self.first_day)
                of_day = pl.Series(days - np.int32(EPOCH)).cast(pl.Date)
                counted = (of_day.dt.year().cast(pl.Int32) * 12 + of_day.dt.month().cast(pl.Int32)).to_numpy()
                counted = counted - (first.year * 12 + first.month)
            else:
                counted = (days - 1) // 7 - (self.first_day - 1) // 7 if unit == "week" else days - self.first_day
            counted = counted.astype(np.min_scalar_type(len(days)))
            self._unit_of_row[unit] = counted[self.day_of_row - np.int32(self.first_day)]
        return self._unit_of_row[unit]

    def some(self, keep: np.ndarray) -> ColumnRows:
        """Some of the rows, with everything else as here."""
        made = copy(self)
        made._rows, made._kept_rows = _Some(self, pl.Series(np.flatnonzero(keep).astype(np.uint32))), None
        made._held, made._unit_of_row, made._lock = {}, {}, threading.RLock()
        made.day_of_row = self.day_of_row[keep]
        made.member_of_row = {segment: codes[keep] for segment, codes in self.member_of_row.items()}
        return made


class _Some:
    """Some of other rows, column by column. They are asked for through those, so these are still there then; holding them would
    keep both in memory for longer than they are needed."""

    def __init__(self, of: ColumnRows, places: pl.Series) -> None:
        self._of, self._places = weakref.ref(of), places

    def select(self, names: Sequence[str]) -> pl.DataFrame:
        of = self._of()
        assert of is not None
        return pl.DataFrame([column.gather(self._places) for column in of.columns(names)])


def _seen(
    rows: pl.DataFrame | Pieces, period: str, segments: Sequence[str]
) -> tuple[pl.Series, dict[str, _Labels], list[int]]:
    """The days of all rows and the labels of their segments, gone through once, and how many rows each piece has."""
    # Of their own, given up with the labels.
    kinds = {segment: pl.Categorical(pl.Categories.random()) for segment in segments}

    def label(frame: pl.DataFrame, segment: str) -> _Labels:
        cells = frame[segment]
        plain = cells.dtype == pl.String and not (cells == BLANK_MEMBER).any()
        return labels_of(cells).cast(kinds[segment]), plain

    if not isinstance(rows, Pieces):
        return rows[period], {segment: label(rows, segment) for segment in segments}, [rows.height]
    apart = [segment for segment in segments if rows.schema[segment].is_float()]  # written alike or not as a whole
    together = [segment for segment in segments if segment not in apart]

    def look(frame: pl.DataFrame, _: int) -> tuple[pl.Series, list[_Labels]]:
        return frame[period], [label(frame, segment) for segment in together]

    found = [*rows.each(list(dict.fromkeys([period, *together])), look)]
    if not found:
        raise Gone("These rows were replaced while they were read. Look again.")
    labels = {segment: label(rows.select([segment]), segment) for segment in apart}
    for at, segment in enumerate(together):
        some = [of_piece[at] for _, of_piece in found]
        labels[segment] = pl.concat([names for names, _ in some]), all(plain for _, plain in some)
    return pl.concat([days for days, _ in found]), labels, [len(days) for days, _ in found]


def _coded(labels: pl.Series, first: Sequence[str]) -> tuple[np.ndarray, list[str]]:
    """The place of each row's label among the members: those that come ``first``, then the others by name."""
    different = labels.unique()
    known = different.cast(pl.String).to_list()
    shown = list(dict.fromkeys([*(name for name in first if name in set(known)), *sorted(known)]))
    place = {name: at for at, name in enumerate(shown)}
    held, whose = different.to_physical().to_numpy(), [place[name] for name in known]
    code: np.ndarray = np.zeros(int(held.max(initial=0)) + 1, dtype=np.min_scalar_type(max(len(shown) - 1, 0)))
    code[held] = whose
    return code[labels.to_physical().to_numpy()], shown


def labels_of(cells: pl.Series) -> pl.Series:
    if cells.dtype == pl.Boolean:
        cells = pl.select(pl.when(cells).then(pl.lit("yes")).when(~cells).then(pl.lit("no"))).to_series()
    elif cells.dtype.is_float():
        whole = bool((cells.drop_nulls() % 1 == 0).all())
        cells = cells.cast(pl.Int64).cast(pl.String) if whole else cells.cast(pl.String)
    return cells.cast(pl.String).fill_null(BLANK_MEMBER)
