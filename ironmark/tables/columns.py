"""Rows held as columns, aggregated with Polars and sliced with NumPy: the cells of what was asked for are kept."""

from __future__ import annotations

import datetime as dt
import math
import threading
from collections.abc import Callable, Collection, Iterable, Sequence
from copy import copy
from dataclasses import replace

import numpy as np
import polars as pl

from ironmark.core import formula_nodes
from ironmark.core.evaluate import Floats
from ironmark.core.marks import Ints
from ironmark.core.periods import Period
from ironmark.core.readings import Members, Totals
from ironmark.tables.by_cell import by_cell, over_rows
from ironmark.tables.cells import (
    MOST_PART_BYTES,
    Cells,
    CellSource,
    Line,
    PartKey,
    Unit,
    Wanted,
    Within,
    last_days,
    line_of,
    parts_of,
)
from ironmark.tables.coarser_cells import JOINED, cells_of, coarser, finest, joined
from ironmark.tables.column_rows import ALL, MOST_PAIRS, ColumnRows, Order, RowsToRead
from ironmark.tables.kept_cells import Head, KeptCells, PlainCells
from ironmark.tables.pieces import MANY_ROWS, Gone, Pieces

_Place = tuple[Unit, tuple[str, ...]]
FEW_ROWS = 100_000  # of some members, that are read apart at once while all of them would take going through them several times


def _nobody() -> None:
    pass


class ColumnSource(CellSource):
    """A dataset version, its rows or, of many rows, cells that were worked out of it before: then its rows are read once
    something is asked that these do not tell."""

    height: int  # how many rows there are
    _rows_read: ColumnRows | None  # once they were read

    def __init__(
        self, rows: pl.DataFrame | Pieces, period: str, segments: Sequence[str], through: dt.date, order: Order | None = None,
        own: Sequence[str] | None = None, room: int = ALL, within: Within = (),
    ) -> None:  # fmt: skip
        """within: the rows that count, as if there were no others. order: members by segment that come before the others, which
        follow by name. own: the segments that are the rows' own, neither taken nor derived; all of them where it is not said.
        room: bytes that may be held of columns that are read in pieces, and as many of what is worked out. Raises NoPeriod, Gone."""
        made = ColumnRows(rows, period, segments, through, order or {}, room, within)
        head = Head(made.first_day, made.last_day, made.height, made.members)
        to_read = None
        if isinstance(rows, Pieces):  # those in memory are held by what is made of them alone
            to_read = RowsToRead(lambda: rows, period, segments, through, order or {}, room, within)
        self._begin(KeptCells(head, {}, {}), through, segments if own is None else own, room, to_read)
        self._rows_read = made

    @classmethod
    def of_cells(
        cls, kept: KeptCells, through: dt.date, own: Sequence[str], room: int, to_read: RowsToRead
    ) -> ColumnSource:
        """One of which some cells are known. What reading its rows raises is raised by whatever asks for them."""
        made = cls.__new__(cls)
        made._begin(kept, through, own, room, to_read)
        return made

    def _begin(
        self, kept: KeptCells, through: dt.date, own: Collection[str], room: int, to_read: RowsToRead | None
    ) -> None:
        super().__init__(kept.head.first_day, kept.head.last_day, kept.head.members, through, own)
        self.height, self._kept, self._room, self._to_read = kept.head.height, dict(kept.cells), room, to_read
        self._known_pairs, self._fine = dict(kept.pairs), dict(kept.fine)
        self._rows_read, self._reading = None, threading.Lock()
        self._cells: dict[_Place, Cells] = {}
        self._cell_of_row: dict[_Place, pl.Series] = {}
        self._narrowed: dict[tuple[tuple[str, tuple[str, ...]], ...], ColumnSource] = {}
        self.worked_out: Callable[[], None] = _nobody  # told when there is more that is worth being kept

    @property
    def _rows(self) -> ColumnRows:
        with self._reading:  # of its own: who asks for what is known does not wait
            if self._rows_read is None:
                assert self._to_read is not None
                made = self._to_read.read(self._head)
                if made.height != self.height:
                    raise Gone
                self._rows_read = made
            return self._rows_read

    @property
    def _head(self) -> Head:
        return Head(self._first_day, self._last_day, self.height, self.members)

    @property
    def weight(self) -> int:
        """Bytes that it holds now: of its rows, and of what was worked out from them."""
        cells = sum(_bytes(cells) for cells in tuple(self._cells.values()))
        cells += sum(plain.nbytes for plain in tuple(self._kept.values()))
        of_row = sum(held.estimated_size() for held in tuple(self._cell_of_row.values()))
        worked_out = sum(place.nbytes for place in tuple(self._worked_out.values()))
        narrowed = sum(one.weight for one in tuple(self._narrowed.values()))
        pairs = sum(some.nbytes for some in tuple(self._known_pairs.values()))
        return self._weight_of_rows + cells + worked_out + int(of_row) + narrowed + pairs

    def lighten(self) -> None:
        """Drop what is read again sooner than all it knows; what is being worked with stays."""
        if self._lock.acquire(blocking=False):
            self._narrowed.clear()
            self._lock.release()
        if self._rows_read is not None:
            self._rows_read.lighten()

    @property
    def _weight_of_rows(self) -> int:
        return 0 if self._rows_read is None else self._rows_read.weight

    @property
    def _most_of_cells(self) -> int:
        """Room for the cells of some combinations of segments: each takes up to four bytes a row, and its parts."""
        return max(MOST_PART_BYTES, min(self._room, max(self._weight_of_rows // 2, 24 * self.height)))

    def _see_rows(self, a: formula_nodes.Aggregate, by: str | None, where: Members, line: Line) -> Floats:
        rows, last = self._rows, None
        if a.last:
            days = Line(line.periods, self._first_day, self._last_day, line.until, "day")
            day = rows.units("day")
            last = last_days(days.bucket[day], self.series(rows.member_of_row, self.height), day)
        return over_rows(a, by, where, line, rows, last)

    def _pairs(self, first: str, second: str) -> Ints:
        count, pair = len(self.members[first]) * len(self.members[second]), {first, second}
        if (first, second) in self._known_pairs:
            return self._known_pairs[first, second]
        known = any(unit == "month" and pair <= set(held) for unit, held in (*self._cells, *self._kept))
        if self.height < MANY_ROWS or known or count > MOST_PAIRS:
            return super()._pairs(first, second)
        if self._to_read is not None and (found := self._to_read.pairs(first, second, self._head)) is not None:
            self._known_pairs |= found
            self.worked_out()
            return found[first, second]
        rows, seen = self._rows, np.zeros(count, dtype=bool)
        one, two = (rows.member_of_row[segment].astype(np.int32) for segment in (first, second))
        seen[one * np.int32(len(self.members[second])) + two] = True
        return np.flatnonzero(seen)

    def know_members(self, wanted: Callable[[], bool] = lambda: True) -> None:
        """Work out which members have rows on which days and which share rows, where it takes going through all rows: whoever
        narrows to one of many members asks for it, and whoever may read the rows of some. wanted: whether to go on."""
        if wanted():
            self.ahead("day", (), ())
        some = self._finer("month", ()) or ()
        for long in (name for name in self.members if name not in some):
            for name in self.members:
                first, second = sorted((long, name))
                if name != long and wanted() and self._head.possible((first, second)) <= MOST_PAIRS:
                    self._pairs(first, second)

    def aggregate(
        self, wanted: Sequence[formula_nodes.Aggregate], by: str | None, where: Members, periods: Sequence[Period],
        until: dt.date | None = None,
    ) -> Totals:  # fmt: skip
        """See ``Source.aggregate``. Raises NoSegment.

        Of members that have few of many rows these are kept instead, see ``is_apart``. Levels, and what segments that were taken
        or derived leave, are worked out over all.
        """
        segments = {*where, *([by] if by else [])}
        unit = line_of(tuple(periods), self._first_day, self._last_day, until).unit
        if any(a.last for a in wanted) or not self.is_apart(unit, segments, where):
            return super().aggregate(wanted, by, where, periods, until)
        of_by = {by: where[by]} if by is not None and by in where else {}
        rest = [a for a in wanted if not a.whole]
        found = CellSource.aggregate(self._narrowed_to(where), rest, by, of_by, periods, until)
        whole = {a: self._of_whole(a, len(found.members), periods, until) for a in wanted if a.whole}
        return replace(found, parts={**found.parts, **whole})

    def ahead_of_page(self, asked: Sequence[Wanted]) -> None:
        """Work out what readings of many rows are about to be put together from, in as few passes as there are grains and
        finest cells."""
        together: dict[tuple[Unit, tuple[str, ...]], dict[formula_nodes.Aggregate, None]] = {}
        for unit, segments, wanted in asked if self.height >= MANY_ROWS or self._to_read is not None else ():
            known = tuple(sorted(self._members.keys() & set(segments)))
            if not self._is_wide(known):
                together.setdefault((unit, self._finer(unit, known) or known), {}).update(dict.fromkeys(wanted))
        for (unit, segments), found in together.items():
            self.ahead(unit, segments, tuple(found))

    def is_apart(self, unit: Unit, segments: Collection[str], where: Members) -> bool:
        """Whether the rows of some members are read apart from all others: where nearly every row would be a combination of its own,
        or these are a few of many rows that nobody has told apart yet."""
        if not where or not set(self._own).issuperset(where) or not self._members.keys() >= set(segments):
            return False
        if self._is_wide(segments):
            return True
        share = math.prod(len(names) / len(self.members[segment]) for segment, names in where.items())
        place = tuple(sorted(segments))
        if self.height < MANY_ROWS or self.height * share > FEW_ROWS or self._finer(unit, place) is not None:
            return False
        return (unit, place) not in self._cells and (unit, place) not in self._kept

    def _is_wide(self, segments: Iterable[str]) -> bool:
        possible = (self._last_day - self._first_day + 1) * math.prod(len(self.members[one]) for one in segments)
        return self.height >= MANY_ROWS and possible > 4 * self.height

    def _narrowed_to(self, where: Members) -> ColumnSource:
        """The rows of some members, with everything else as here."""
        place = tuple(sorted((segment, tuple(sorted(names))) for segment, names in where.items()))
        with self._lock:
            made = self._narrowed.get(place)
        if made is None:
            made, own = copy(self), self._rows_of(where)
            made._rows_read, made.height, made.worked_out = own, own.height, _nobody
            made._cells, made._cell_of_row, made._narrowed, made._kept, made._known_pairs = {}, {}, {}, {}, {}
            made._worked_out, made._within, made._lock = {}, {}, threading.RLock()
        with self._lock:
            self._narrowed.pop(place, None)
            self._narrowed[place] = made  # used last, given up last
            while (
                len(self._narrowed) > 1
                and sum(one.weight for one in self._narrowed.values()) > self._most_of_cells // 2
            ):
                del self._narrowed[next(iter(self._narrowed))]
        return made

    def _rows_of(self, where: Members) -> ColumnRows:
        """Those of some members: read apart where they are in pieces, as all of them take longer."""
        some = None if self._to_read is None else self._to_read.some(where, self._head)
        return some if some is not None else self._rows.some(self._rows.of_members(where))

    def _finer(self, unit: Unit, segments: tuple[str, ...]) -> tuple[str, ...] | None:
        """The segments by whose cells those of fewer are known, of many rows; None where it is these themselves, or some of them
        are not among those."""
        if (some := self._fine.get(unit)) is None:
            if self.height < MANY_ROWS:
                return None
            places = Period.of(self.last, unit).ordinal - Period.of(self.first, unit).ordinal + 1
            some = finest(places, self.members)
        return some if set(segments) < set(some) else None

    def _cells_by(self, unit: Unit, segments: tuple[str, ...]) -> Cells:
        """The cells of some segments."""
        place = unit, segments
        if place in self._cells:
            return self._cells[place]
        if (finer := self._finer(unit, segments)) is None and place in self._kept:
            made = self._kept[place].cells
        elif finer is not None:
            made, of_finer = coarser(self._cells_by(unit, finer), segments, self.members)
            self._cell_of_row[place] = pl.Series("cell", of_finer.astype(np.min_scalar_type(len(made.unit))))
        else:
            made, self._cell_of_row[place] = self._told_apart(unit, segments)
            self.worked_out()
        self._cells[place] = made
        return made

    def _of_row(self, unit: Unit, segments: tuple[str, ...]) -> pl.Series:
        """Which of the cells of some segments each row is in, or each of the finer cells."""
        if (unit, segments) not in self._cell_of_row:  # these cells were kept
            self._cell_of_row[unit, segments] = self._told_apart(unit, segments)[1]
        return self._cell_of_row[unit, segments]

    def _told_apart(self, unit: Unit, segments: tuple[str, ...]) -> tuple[Cells, pl.Series]:
        """The cells of some segments, by the rows, and which of them each row is in."""
        places: np.ndarray = self._rows.units(unit)
        possible = int(places.max(initial=0)) + 1
        possible *= math.prod(len(self.members[segment]) for segment in segments)
        key: Ints = places.astype(np.int32 if possible < 1 << 31 else np.int64)
        for segment in segments:
            key *= len(self.members[segment])
            key += self._rows.member_of_row[segment]
        # Few combinations: a table of them is quicker than sorting the rows.
        possible = int(key.max(initial=-1)) + 1
        if possible <= 4 * len(key) + 1000:
            rows = np.bincount(key, minlength=possible)
            cell = np.flatnonzero(rows)
            place: np.ndarray = np.zeros(possible, dtype=np.min_scalar_type(len(cell)))
            place[cell] = np.arange(len(cell))
            of_row, rows = place[key], rows[cell]
        else:
            cell, of_row, rows = np.unique(key, return_inverse=True, return_counts=True)
        made = cells_of(cell.astype(np.int64), segments, self.members, rows)
        return made, pl.Series("cell", of_row.astype(np.min_scalar_type(len(cell)), copy=False))

    def _cells_with(self, unit: Unit, segments: tuple[str, ...], wanted: Sequence[formula_nodes.Aggregate]) -> Cells:
        """The cells of some segments with what these aggregates are put together from."""
        needed = list(dict.fromkeys(key for a in wanted for key in parts_of(a)))
        if self._rows_read is None:
            kept = self._kept.get((unit, self._finer(unit, segments) or segments))
            if kept is None or any(repr(key) not in kept.parts for key in needed):
                self._rows  # noqa: B018  read before the lock is taken
        with self._lock:
            return self._with_parts(unit, segments, needed)

    def _with_parts(self, unit: Unit, segments: tuple[str, ...], needed: Sequence[PartKey]) -> Cells:
        """The same by the parts themselves; the lock is held."""
        known = (unit, segments) in self._cells
        cells = self._cells_by(unit, segments)
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
        self._cells[unit, segments] = cells
        if missing or not known:
            self._give_up()
        return Cells(cells.unit, cells.member, cells.rows, held)

    def _give_up(self) -> None:
        """Drop the cells that were not used for longest, but the last ones, where all take too much room."""
        held = {
            place: _bytes(cells) + (self._cell_of_row[place].estimated_size() if place in self._cell_of_row else 0)
            for place, cells in self._cells.items()
        }
        for place in list(held)[:-1]:
            if sum(held.values()) <= self._most_of_cells:
                return
            self._cell_of_row.pop(place, None)
            del self._cells[place], held[place]

    def _work_out(self, unit: Unit, segments: tuple[str, ...], missing: Sequence[PartKey]) -> None:
        cells, many = self._cells[unit, segments], len(self._cells[unit, segments].unit)
        if (finer := self._finer(unit, segments)) is not None:
            place = self._of_row(unit, segments).to_numpy()
            found = self._with_parts(unit, finer, missing)
            cells.parts.update((key, joined(key, found.parts[key], place, many)) for key in missing)
            return
        kept = self._kept[unit, segments].parts if (unit, segments) in self._kept else {}
        cells.parts.update((key, kept[repr(key)]) for key in missing if repr(key) in kept)
        missing = [key for key in missing if key not in cells.parts]
        if not missing:
            return
        cells.parts.update(self._by_rows(self._of_row(unit, segments), many, missing))
        self.worked_out()

    def _by_rows(self, of_row: pl.Series, many: int, missing: Sequence[PartKey]) -> dict[PartKey, Floats]:
        """Each part over the rows of every cell, (many,). of_row: the cell of each row."""
        rows = self._rows
        names = rows.read_by(*(node for _, of, where in missing for node in (of, where)))

        def work(frame: pl.DataFrame, start: int) -> tuple[int, list[Floats]]:
            cell = of_row.slice(start, frame.height)
            first, last = int(cell.min()), int(cell.max())  # type: ignore[arg-type]
            frame = frame.with_columns((cell - first).alias("cell"))
            return first, [*by_cell(frame, last - first + 1, missing, rows.dates)]

        found = {key: np.full(many, np.nan if key[0] in JOINED else 0.0) for key in missing}
        for first, parts in rows.each(names, work):
            for key, part in zip(missing, parts, strict=True):
                into = found[key][first : first + len(part)]
                if key[0] in JOINED:
                    JOINED[key[0]](into, part, out=into)
                else:
                    into += np.where(np.isnan(part), 0.0, part)  # some cells have no rows among these
        return found

    def worth_keeping(self) -> KeptCells:
        """What it knows that takes going through all rows to know: the finest cells, with what was worked out of them."""
        with self._lock:
            found = dict(self._kept)
            for (unit, segments), cells in self._cells.items():
                if self._finer(unit, segments) is None:
                    before = found.get((unit, segments))
                    parts = {repr(key): part for key, part in cells.parts.items()}
                    found[unit, segments] = PlainCells(
                        replace(cells, parts={}), (dict(before.parts) if before else {}) | parts
                    )
        return KeptCells(self._head, found, dict(self._known_pairs))


def _bytes(cells: Cells) -> int:
    return sum(held.nbytes for held in (cells.unit, cells.rows, *cells.member.values(), *cells.parts.values()))
