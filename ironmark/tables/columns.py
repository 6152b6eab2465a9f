"""Rows held as columns in memory, aggregated with Polars and sliced with NumPy."""

from __future__ import annotations

import datetime as dt
import math
import threading
import weakref
from collections.abc import Iterable, Iterator, Mapping, Sequence
from copy import copy
from dataclasses import replace

import numpy as np
import polars as pl

from ironmark.core import formula_nodes
from ironmark.core.evaluate import Floats
from ironmark.core.marks import Ints
from ironmark.core.periods import Period
from ironmark.core.readings import Members, Totals
from ironmark.tables.cells import (
    BLANK_MEMBER,
    MOST_PART_BYTES,
    NOT_OPENED,
    Cells,
    CellSource,
    Line,
    NoPeriod,
    PartKey,
    Unit,
    Within,
    last_days,
    parts_of,
)
from ironmark.tables.coarser_cells import cells_of, coarser, joined
from ironmark.tables.pieces import Pieces
from ironmark.tables.row_expressions import ADDED, Dates, part_expression

ALL = 1 << 60
MANY_ROWS = 1_000_000  # from where on it matters how often they are gone through
MOST_FINE = 250_000  # cells that those of fewer segments are added up from
_EPOCH = dt.date(1970, 1, 1).toordinal()


class ColumnSource(CellSource):
    """A dataset version in memory."""

    def __init__(
        self,
        rows: pl.DataFrame | Pieces,
        period: str,
        segments: Sequence[str],
        through: dt.date,
        order: Mapping[str, Sequence[str]] | None = None,
        own: Sequence[str] | None = None,
        room: int = ALL,
        within: Within = (),
    ) -> None:
        """within: the rows that count, as if there were no others. order: members by segment that come before the others, which follow by name. own: the segments that are the
        rows' own, neither taken nor derived; all of them where it is not said. room: bytes that may be held of columns that
        are read in pieces, and as many of what is worked out."""
        days = rows.select([period])[period]
        if days.null_count() == len(days):
            raise NoPeriod("The dataset has no rows with a date yet; upload rows first.")
        keep = (days <= through).fill_null(False)  # a row without a day is none of any period
        for segment, names in within:
            keep &= _labels(rows.select([segment])[segment]).is_in(list(names))
        if not keep.any():
            if within:
                raise NoPeriod(NOT_OPENED)
            raise NoPeriod(
                f"The dataset has no rows up to {through:%-d %B %Y}, the day it is said to be complete through. "
                "Say another day on its page under Data."
            )
        if not isinstance(rows, Pieces):
            rows = rows.filter(keep)
        self._kept_rows = None if not isinstance(rows, Pieces) or keep.all() else keep
        self._period, self._room = period, room
        days = days.filter(keep)
        self._held = {period: days} if isinstance(rows, Pieces) else {}
        # Days counted as datetime.date counts them, from the first of January of year 1.
        self._day_of_row: np.ndarray = days.to_physical().to_numpy() + np.int32(_EPOCH)
        self._dates = frozenset(name for name, kind in rows.schema.items() if kind == pl.Date)
        members: dict[str, tuple[str, ...]] = {}
        self._member_of_row: dict[str, np.ndarray] = {}
        self._names: dict[str, pl.Series] = {}  # the texts of a column of rows that is held as members alone
        for segment in segments:
            codes, known, plain = _coded(rows, segment, self._kept_rows, (order or {}).get(segment, ()))
            if plain:
                texts = [None if name == BLANK_MEMBER else name for name in known]
                self._names[segment] = pl.Series(texts, dtype=pl.String)
                if not isinstance(rows, Pieces):
                    rows = rows.drop(segment)
            members[segment], self._member_of_row[segment] = tuple(known), codes
        self._rows: pl.DataFrame | Pieces | _Some = rows
        self._unit_of_row: dict[str, np.ndarray] = {}
        self._cells: dict[tuple[Unit, tuple[str, ...]], Cells] = {}
        self._cell_of_row: dict[tuple[Unit, tuple[str, ...]], pl.Series] = {}
        self._narrowed: dict[tuple[tuple[str, tuple[str, ...]], ...], ColumnSource] = {}
        super().__init__(
            int(self._day_of_row.min()), int(self._day_of_row.max()), members, through, segments if own is None else own
        )

    @property
    def weight(self) -> int:
        """Bytes that it holds now: of its rows, and of what was worked out from them."""
        cells = sum(_bytes(cells) for cells in tuple(self._cells.values()))
        places = [*self._unit_of_row.values(), *self._worked_out.values()]
        of_row = sum(held.estimated_size() for held in tuple(self._cell_of_row.values()))
        narrowed = sum(one.weight for one in tuple(self._narrowed.values()))
        return self._bytes_of_rows + cells + sum(place.nbytes for place in places) + int(of_row) + narrowed

    @property
    def _bytes_of_rows(self) -> int:
        held = sum(place.nbytes for place in (self._day_of_row, *self._member_of_row.values()))
        whole = self._rows.estimated_size() if isinstance(self._rows, pl.DataFrame) else 0
        return held + int(whole) + sum(int(column.estimated_size()) for column in tuple(self._held.values()))

    @property
    def _most_of_cells(self) -> int:
        """Room for the cells of some combinations of segments: each takes four bytes a row, and its parts."""
        return max(MOST_PART_BYTES, min(self._room, max(self._bytes_of_rows // 2, 24 * self.height)))

    @property
    def height(self) -> int:
        return len(self._day_of_row)

    def _column(self, name: str) -> pl.Series:
        if name in self._names:
            return self._names[name].gather(pl.Series(self._member_of_row[name])).alias(name)
        if isinstance(self._rows, pl.DataFrame):
            return self._rows[name]
        with self._lock:
            held = self._held.pop(name, None)
            if held is None:
                held = self._rows.select([name])[name]
                held = held if self._kept_rows is None else held.filter(self._kept_rows)
            self._held[name] = held
            sizes = {one: column.estimated_size() for one, column in self._held.items()}
            for one in list(sizes)[:-1]:
                if sum(sizes.values()) > self._room and one != self._period:
                    del self._held[one], sizes[one]
        return held

    def _rows_with(self, *nodes: formula_nodes.Node | None) -> pl.DataFrame:
        """The rows with every column that some formulas read, and at least that of days."""
        used = {name for node in nodes if node is not None for name in formula_nodes.columns_used(node)}
        return pl.DataFrame([self._column(name) for name in sorted(used | {self._period})])

    def _see_rows(self, a: formula_nodes.Aggregate, by: str | None, where: Members, line: Line) -> Floats:
        every = len(self.members[by]) if by else 1
        keep = self._kept(where)
        member = self._member_of_row[by] if by else np.zeros(1, dtype=np.int64)
        unit = self._units(line.unit)
        if a.last:
            days = Line(line.periods, self._first_day, self._last_day, line.until, "day")
            day = self._units("day")
            keep &= last_days(days.bucket[day], self.series(self._member_of_row, self.height), day)
        full = np.full(len(line.periods) * every, np.nan)
        if a.window is None:
            bucket = line.bucket[unit]
            self._fill(full, a, bucket * every + member, keep & (bucket >= 0))
        else:
            for p, (start, end) in enumerate(line.windows(a.window)):
                inside = keep & (unit >= start) & (unit < end)
                self._fill(full, a, np.broadcast_to(p * every + member, unit.shape), inside)
        return full.reshape(len(line.periods), every)

    def _fill(self, out: Floats, a: formula_nodes.Aggregate, cell: Ints, keep: np.ndarray) -> None:
        """Put the aggregate over the rows of each cell into its place in ``out``."""
        frame = self._rows_with(a.of, a.where).filter(pl.Series(keep)).with_columns(pl.Series("cell", cell[keep]))
        found, there = next(_by_cell(frame, len(out), [(a.name, a.of, a.where)], self._dates)), frame["cell"].unique()
        out[there] = found[there]

    def aggregate(
        self, wanted: Sequence[formula_nodes.Aggregate], by: str | None, where: Members, periods: Sequence[Period],
        until: dt.date | None = None,
    ) -> Totals:  # fmt: skip
        """See ``Source.aggregate``. Raises NoSegment.

        Where members are so many that nearly every row would be a combination of its own, the rows of a scope are kept
        instead. Levels, and what segments that were taken or derived leave, are worked out over all.
        """
        segments = {*where, *([by] if by else [])}
        own = set(self._own).issuperset(where) and self._members.keys() >= segments
        if not where or not own or any(a.last for a in wanted) or not self._is_wide(segments):
            return super().aggregate(wanted, by, where, periods, until)
        of_by = {by: where[by]} if by is not None and by in where else {}
        rest = [a for a in wanted if not a.whole]
        found = CellSource.aggregate(self._narrowed_to(where), rest, by, of_by, periods, until)
        whole = {a: self._of_whole(a, len(found.members), periods, until) for a in wanted if a.whole}
        return replace(found, parts={**found.parts, **whole})

    def ahead(self, unit: Unit, segments: tuple[str, ...], wanted: Sequence[formula_nodes.Aggregate]) -> None:
        if not self._is_wide(self._members.keys() & set(segments)):
            super().ahead(unit, segments, wanted)

    def _is_wide(self, segments: Iterable[str]) -> bool:
        possible = (self._last_day - self._first_day + 1) * math.prod(len(self.members[one]) for one in segments)
        return self.height >= MANY_ROWS and possible > 4 * self.height

    def _narrowed_to(self, where: Members) -> ColumnSource:
        """The rows of some members, with everything else as here."""
        place = tuple(sorted((segment, tuple(sorted(names))) for segment, names in where.items()))
        with self._lock:
            made = self._narrowed.pop(place, None)
            if made is None:
                keep = self._kept(where)
                made = copy(self)
                made._rows, made._kept_rows = (
                    _Some(self, self._rows.schema, pl.Series(np.flatnonzero(keep).astype(np.uint32))),
                    None,
                )
                made._held, made._day_of_row = {}, self._day_of_row[keep]
                made._member_of_row = {segment: codes[keep] for segment, codes in self._member_of_row.items()}
                made._unit_of_row, made._cells, made._cell_of_row, made._narrowed = {}, {}, {}, {}
                made._worked_out, made._within, made._lock = {}, {}, threading.RLock()
            self._narrowed[place] = made
            while (
                len(self._narrowed) > 1
                and sum(one.weight for one in self._narrowed.values()) > self._most_of_cells // 2
            ):
                del self._narrowed[next(iter(self._narrowed))]
        return made

    def _kept(self, where: Members) -> np.ndarray:
        """Which rows are of these members."""
        keep = np.ones(self.height, dtype=bool)
        for segment, names in where.items():
            named = set(names)
            keep &= np.array([name in named for name in self.members[segment]], dtype=bool)[
                self._member_of_row[segment]
            ]
        return keep

    def _units(self, unit: Unit) -> np.ndarray:
        """The day, week or month of every row, counted from that of the first day."""
        if unit not in self._unit_of_row:
            days: np.ndarray = np.arange(self._first_day, self._last_day + 1, dtype=np.int32)
            if unit == "month":
                first = self.first.year * 12 + self.first.month
                of_day = pl.Series(days - np.int32(_EPOCH)).cast(pl.Date)
                counted = (of_day.dt.year().cast(pl.Int32) * 12 + of_day.dt.month().cast(pl.Int32)).to_numpy() - first
            else:
                counted = (days - 1) // 7 - (self._first_day - 1) // 7 if unit == "week" else days - self._first_day
            counted = counted.astype(np.min_scalar_type(len(days)))
            self._unit_of_row[unit] = counted[self._day_of_row - np.int32(self._first_day)]
        return self._unit_of_row[unit]

    def _finer(self, unit: Unit, segments: tuple[str, ...]) -> tuple[str, ...] | None:
        """The segments by whose cells those of fewer are known, of many rows: as many as come to few cells, those with the
        fewest members first. None where it is these segments themselves, or some of them are not among those."""
        if self.height < MANY_ROWS:
            return None
        places = Period.of(self.last, unit).ordinal - Period.of(self.first, unit).ordinal + 1
        some: list[str] = []
        for segment in sorted(self.members, key=lambda name: (len(self.members[name]), name)):
            if (places := places * len(self.members[segment])) > MOST_FINE:
                break
            some.append(segment)
        return tuple(sorted(some)) if set(segments) < set(some) else None

    def _cells_by(self, unit: Unit, segments: tuple[str, ...]) -> Cells:
        """The cells of some segments, and in ``_cell_of_row`` which of them each row is in, or each of the finer cells."""
        if (unit, segments) in self._cells:
            return self._cells[unit, segments]
        finer = self._finer(unit, segments)
        if finer is not None:
            found, of_finer = coarser(self._cells_by(unit, finer), segments, self.members)
            self._cells[unit, segments] = found
            self._cell_of_row[unit, segments] = pl.Series("cell", of_finer.astype(np.int32))
            return found
        key = self._units(unit).astype(np.int64)
        for segment in segments:
            key *= len(self.members[segment])
            key += self._member_of_row[segment]
        # Few combinations: a table of them is quicker than sorting the rows.
        possible = int(key.max(initial=-1)) + 1
        if possible <= 4 * len(key) + 1000:
            rows = np.bincount(key, minlength=possible)
            cell = np.flatnonzero(rows)
            place: np.ndarray = np.zeros(possible, dtype=np.int32)
            place[cell] = np.arange(len(cell))
            of_row, rows = place[key], rows[cell]
        else:
            cell, of_row, rows = np.unique(key, return_inverse=True, return_counts=True)
        self._cell_of_row[unit, segments] = pl.Series("cell", of_row.astype(np.int32))
        self._cells[unit, segments] = cells_of(cell, segments, self.members, rows)
        return self._cells[unit, segments]

    def _cells_with(self, unit: Unit, segments: tuple[str, ...], wanted: Sequence[formula_nodes.Aggregate]) -> Cells:
        """The cells of some segments with what these aggregates are put together from."""
        needed = list(dict.fromkeys(key for a in wanted for key in parts_of(a)))
        with self._lock:
            return self._with_parts(unit, segments, needed)

    def _with_parts(self, unit: Unit, segments: tuple[str, ...], needed: Sequence[PartKey]) -> Cells:
        """The same by the parts themselves; the lock is held."""
        cells = self._cells_by(unit, segments)
        of_row = self._cell_of_row[unit, segments]
        missing = [key for key in needed if key not in cells.parts]
        if missing:
            self._work_out(unit, segments, missing)
        held = {key: cells.parts.pop(key) for key in needed}
        cells.parts.update(held)  # used last, given up last
        room = max(MOST_PART_BYTES, 8 * self.height)  # of many rows as much as a column of them
        most = max(len(needed), room // max(cells.rows.nbytes, 1))
        for key in list(cells.parts)[:-most] if most else []:
            del cells.parts[key]  # every formula that is typed leaves some
        self._cells.pop((unit, segments), None)
        self._cells[unit, segments], self._cell_of_row[unit, segments] = cells, of_row
        self._give_up()
        return replace(cells, parts=held)

    def _give_up(self) -> None:
        """Drop the cells that were not used for longest, but the last ones, where all take too much room."""
        held = {
            place: _bytes(cells) + self._cell_of_row[place].estimated_size() for place, cells in self._cells.items()
        }
        for place in list(held)[:-1]:
            if sum(held.values()) <= self._most_of_cells:
                return
            del self._cells[place], self._cell_of_row[place], held[place]

    def _work_out(self, unit: Unit, segments: tuple[str, ...], missing: Sequence[PartKey]) -> None:
        cells, of_row = self._cells[unit, segments], self._cell_of_row[unit, segments]
        if (finer := self._finer(unit, segments)) is not None:
            place, many = of_row.to_numpy(), len(cells.unit)
            found = self._with_parts(unit, finer, missing)
            cells.parts.update((key, joined(key, found.parts[key], place, many)) for key in missing)
            return
        frame = self._rows_with(*(node for _, of, where in missing for node in (of, where))).with_columns(of_row)
        for key, column in zip(missing, _by_cell(frame, len(cells.unit), missing, self._dates), strict=True):
            cells.parts[key] = column


class _Some:
    """Some rows of a source, column by column. They are asked for through it, so it is still there then; holding it would
    keep both in memory for longer than they are needed."""

    def __init__(self, of: ColumnSource, schema: pl.Schema, places: pl.Series) -> None:
        self._of, self.schema, self._places = weakref.ref(of), schema, places

    def select(self, names: Sequence[str]) -> pl.DataFrame:
        of = self._of()
        assert of is not None
        return pl.DataFrame([of._column(name).gather(self._places) for name in names])


def _bytes(cells: Cells) -> int:
    return sum(held.nbytes for held in (cells.unit, cells.rows, *cells.member.values(), *cells.parts.values()))


def _by_cell(frame: pl.DataFrame, many: int, parts: Sequence[PartKey], dates: Dates) -> Iterator[Floats]:
    """Each part over the rows of every cell: (many,) float, NaN for a cell without rows.

    What is added up is added in the order of the rows. A group_by adds side by side, in an order that differs from
    one run to the next, and the last digit of a sum with it: two processes would then say two things of the same rows.
    """
    cell = frame["cell"].to_numpy()
    rows = np.bincount(cell, minlength=many)
    plan = {at: part_expression(*part, dates).alias(str(at)) for at, part in enumerate(parts)}
    grouped = [plan[at] for at, (name, _, _) in enumerate(parts) if name not in ADDED]
    added = [
        plan[at] for at, (name, _, where) in enumerate(parts) if name in ADDED and (name, where) != ("matching", None)
    ]
    lazy = frame.lazy()
    by_cell, by_row = pl.collect_all(
        [lazy.group_by("cell").agg(grouped) if grouped else lazy.head(0), lazy.select(added)]
    )
    place = by_cell["cell"].to_numpy()
    for at, (name, _, where) in enumerate(parts):
        if (name, where) == ("matching", None):
            yield rows.astype(np.float64)
        elif name in ADDED:
            yield np.where(rows > 0, _added(name, cell, rows, by_row[str(at)]), np.nan)
        else:
            column = np.full(many, np.nan)
            column[place] = by_cell[str(at)].cast(pl.Float64).to_numpy()
            yield column


def _added(name: str, cell: Ints, rows: Ints, values: pl.Series) -> Floats:
    """By cell the sum or the sample standard deviation (two passes) of the values that are there, or how many are true.
    rows: of each cell."""
    many = len(rows)
    if values.dtype == pl.Boolean:
        true = values.to_numpy()
        return (rows if true.all() else np.bincount(cell[true], minlength=many)).astype(np.float64)
    figures = values.to_numpy()
    known = ~np.isnan(figures)
    if not known.all():
        cell, figures = cell[known], figures[known]
    total: Floats = np.bincount(cell, figures, minlength=many).astype(np.float64, copy=False)
    if name == "sum":
        return total
    count = np.bincount(cell, minlength=many)
    mean = total / np.maximum(count, 1)
    squares = np.bincount(cell, (figures - mean[cell]) ** 2, minlength=many)
    variance: Floats = np.divide(squares, count - 1, out=np.full(many, np.nan), where=count > 1)
    return np.asarray(np.sqrt(variance))


def _coded(
    rows: pl.DataFrame | Pieces, segment: str, keep: pl.Series | None, first: Sequence[str]
) -> tuple[np.ndarray, list[str], bool]:
    """The place of each row's label among the members: those that come ``first``, then the others by name; and whether the
    texts of the column are known from these."""
    kind = pl.Categorical(pl.Categories.random())  # of its own, given up with the labels

    def alone(frame: pl.DataFrame) -> tuple[pl.Series, bool]:
        cells = frame[segment]
        plain = cells.dtype == pl.String and not (cells == BLANK_MEMBER).any()
        return _labels(cells).cast(kind), plain

    if isinstance(rows, Pieces) and not rows.schema[segment].is_float():  # these are written alike or not as a whole
        pieces = [*rows.each([segment], alone)]
    else:
        pieces = [alone(rows.select([segment]))]
    labels = pl.concat([labels for labels, _ in pieces])
    labels = labels if keep is None else labels.filter(keep)
    different = labels.unique()
    known = different.cast(pl.String).to_list()
    shown = list(dict.fromkeys([*(name for name in first if name in set(known)), *sorted(known)]))
    place = {name: at for at, name in enumerate(shown)}
    held, whose = different.to_physical().to_numpy(), [place[name] for name in known]
    code: np.ndarray = np.zeros(int(held.max(initial=0)) + 1, dtype=np.min_scalar_type(max(len(shown) - 1, 0)))
    code[held] = whose
    return code[labels.to_physical().to_numpy()], shown, all(plain for _, plain in pieces)


def _labels(cells: pl.Series) -> pl.Series:
    if cells.dtype == pl.Boolean:
        cells = pl.select(pl.when(cells).then(pl.lit("yes")).when(~cells).then(pl.lit("no"))).to_series()
    elif cells.dtype.is_float():
        whole = bool((cells.drop_nulls() % 1 == 0).all())
        cells = cells.cast(pl.Int64).cast(pl.String) if whole else cells.cast(pl.String)
    return cells.cast(pl.String).fill_null(BLANK_MEMBER)
