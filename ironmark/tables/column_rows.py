"""The rows of a dataset version as columns: the day of each, the places of its members, and whatever else is asked of them."""

from __future__ import annotations

import datetime as dt
import threading
import weakref
from collections.abc import Callable, Iterator, Mapping, Sequence
from copy import copy
from dataclasses import dataclass, replace
from typing import TypeVar

import numpy as np
import polars as pl

from ironmark.core import formula_nodes
from ironmark.core.readings import Members
from ironmark.tables.cells import BLANK_MEMBER, NOT_OPENED, NoPeriod, Unit, Within
from ironmark.tables.kept_cells import Head
from ironmark.tables.labels import labels_of
from ironmark.tables.pieces import Gone, Pieces, Rows

ALL = 1 << 60
MOST_PAIRS = 1 << 22  # of members of two segments that may share rows, to be told apart at once
EPOCH = dt.date(1970, 1, 1).toordinal()
Found = TypeVar("Found")
Order = Mapping[str, Sequence[str]]


@dataclass(frozen=True)
class _Labels:
    """Which of some ``names`` the label of each row is, (N,), in as few bytes as these need. plain: whether the texts of the
    column are known from them."""

    codes: np.ndarray
    names: Sequence[str]
    plain: bool

    def of(self, names: Sequence[str]) -> np.ndarray:
        """Which rows have one of some names."""
        wanted: np.ndarray = np.array([name in names for name in self.names], dtype=bool)
        found: np.ndarray = wanted[self.codes]
        return found


class ColumnRows:
    """Rows in memory, or in pieces of which columns are held as they are asked for.

    day_of_row: counted as datetime.date counts them, from the first of January of year 1; member_of_row: the place of each row's
    label among the ``members`` of a segment.
    """

    def __init__(
        self, rows: pl.DataFrame | Pieces, period: str, segments: Sequence[str], through: dt.date, order: Order,
        room: int, within: Within, of: Head | None = None,
    ) -> None:  # fmt: skip
        """See ``ColumnSource``. of: those that these are some of, whose members and days are counted here too. Raises NoPeriod,
        Gone."""
        some = _apart(rows, segments, dict(within), room) if within else None
        if some is not None:
            rows = some
        # Rows that do not count may have members that are none of those.
        days, labels, self._heights = _seen(rows, period, segments, None if within and some is None else of)
        if some is None and days.null_count() == len(days):
            raise NoPeriod("The dataset has no rows with a date yet; upload rows first.")
        keep = (days <= through).fill_null(False)  # a row without a day is none of any period
        for segment, names in within if some is None else ():
            keep &= pl.Series(labels[segment].of(names))
        if of is None and not keep.any():
            if within:
                raise NoPeriod(NOT_OPENED)
            raise NoPeriod(
                f"The dataset has no rows up to {through:%-d %B %Y}, the day it is said to be complete through. "
                "Say another day on its page under Data."
            )
        every = bool(keep.all())
        if not every:
            kept: np.ndarray = keep.to_numpy()
            labels = {segment: replace(found, codes=found.codes[kept]) for segment, found in labels.items()}
            rows = rows if isinstance(rows, Pieces) else rows.filter(keep)
        self._kept_rows = keep if isinstance(rows, Pieces) and not every else None
        self._period, self._room = period, room
        days = days.filter(keep)
        self._held: dict[str, pl.Series] = {}
        self.day_of_row: np.ndarray = days.to_physical().to_numpy() + np.int32(EPOCH)
        del days
        if of is None:
            self.first_day, self.last_day = int(self.day_of_row.min()), int(self.day_of_row.max())
        else:
            self.first_day, self.last_day = of.first_day, of.last_day
        self.dates = frozenset(name for name, kind in rows.schema.items() if kind == pl.Date)
        self.members: dict[str, tuple[str, ...]] = {}
        self.member_of_row: dict[str, np.ndarray] = {}
        self._names: dict[str, pl.Series] = {}  # the texts of a column of rows that is held as members alone
        for segment in segments:
            found = labels.pop(segment)
            codes, known = _coded(found, order.get(segment, ()), None if of is None else of.members[segment])
            if found.plain:
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

    def lighten(self) -> None:
        """Drop columns that can be read again; not while some are read."""
        if self._lock.acquire(blocking=False):
            self._held.clear()
            self._lock.release()

    def is_plain(self, segment: str) -> bool:
        """Whether the texts of its column are its members, and a blank the only member that is no text."""
        return segment in self._names

    def columns(self, names: Sequence[str], places: np.ndarray | None = None) -> list[pl.Series]:
        """Some columns, of all rows or of those in some places; those of pieces that are not held are read together."""
        whole = {column.name: column for column in self._whole([name for name in names if name not in self._names])}
        some = None if places is None else pl.Series(places.astype(np.uint32))
        return [
            self._named(name, places) if name in self._names
            else whole[name] if some is None else whole[name].gather(some)
            for name in names
        ]  # fmt: skip

    def _whole(self, apart: Sequence[str]) -> list[pl.Series]:
        if isinstance(self._rows, pl.DataFrame):
            return [self._rows[name] for name in apart]
        with self._lock:
            days = list[pl.Series]()
            if self._period in apart and isinstance(self._rows, Pieces):  # which are held once, as numbers
                days = [pl.Series(self._period, self.day_of_row - np.int32(EPOCH)).cast(pl.Date)]
                apart = [name for name in apart if name != self._period]
            if absent := [name for name in apart if name not in self._held]:
                read = self._rows.select(absent)
                read = read if self._kept_rows is None else read.filter(self._kept_rows)
                self._held |= {column.name: column for column in read}
            found = {name: self._held.pop(name) for name in apart}
            self._held |= found  # used last, given up last
            sizes = {one: column.estimated_size() for one, column in self._held.items()}
            for one in list(sizes)[:-1]:
                if sum(sizes.values()) > self._room:
                    del self._held[one], sizes[one]
        return [*days, *(found[name] for name in apart)]

    def _named(self, name: str, places: np.ndarray | None) -> pl.Series:
        codes = self.member_of_row[name]
        return self._names[name].gather(pl.Series(codes if places is None else codes[places])).alias(name)

    def read_by(self, *nodes: formula_nodes.Node | None) -> list[str]:
        """The columns that some formulas read, that of days where they read none."""
        used = {name for node in nodes if node is not None for name in formula_nodes.columns_used(node)}
        return sorted(used) or [self._period]

    def each(self, names: Sequence[str], work: Callable[[pl.DataFrame, int], Found]) -> Iterator[Found]:
        """What comes of some columns, and the place of their first row, as many rows at a time as may be held: all of them
        where they are in memory or may be held, else piece by piece. Nothing of no rows."""
        absent = sum(name not in self._held and name not in self._names and name != self._period for name in names)
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


@dataclass(frozen=True)
class RowsToRead:
    """The rows of a version that nobody has read yet; see ``ColumnSource`` for what is said of them."""

    rows: Callable[[], Rows]
    period: str
    segments: Sequence[str]
    through: dt.date
    order: Order
    room: int
    within: Within = ()

    def read(self, of: Head) -> ColumnRows:
        """All of them. of: what is known of them. Raises NoPeriod, Gone."""
        return self._made(self.rows(), self.within, of)

    def some(self, where: Members, of: Head) -> ColumnRows | None:
        """Those of some members; ``of`` tells of all. None where it takes all of them to tell these. Raises Gone."""
        rows, both = self.rows(), dict(self.within)
        for segment, names in where.items():
            held = both.get(segment, names)
            both[segment] = tuple(name for name in names if name in held)
        found = _apart(rows, self.segments, both, self.room)
        return None if found is None else self._made(found, (), of)

    def pairs(self, first: str, second: str, of: Head) -> dict[tuple[str, str], np.ndarray] | None:
        """See ``CellSource._pairs``: those of two segments, and of the longer of them with all others, as these are asked for
        next. None where it takes all rows to know what a member is called. Raises Gone."""
        rows, through = self.rows(), pl.col(self.period) <= self.through
        long = max(first, second, key=lambda name: len(of.members[name]))
        asked = [tuple(sorted((long, name))) for name in self.segments if name != long]
        plain = [name for name in self.segments if not rows.schema[name].is_float()]
        asked = [pair for pair in asked if set(pair) <= set(plain) and of.possible(pair) <= MOST_PAIRS]
        if not isinstance(rows, Pieces) or self.within or tuple(sorted((first, second))) not in asked:
            return None

        def look(frame: pl.DataFrame, _: int) -> list[np.ndarray]:
            frame = frame.filter(through)
            codes = {name: labels_of(frame[name]).cast(_kind(name, of)).to_physical().to_numpy() for name in used}
            return [codes[one].astype(np.int32) * np.int32(len(of.members[two])) + codes[two] for one, two in asked]

        used = sorted({name for pair in asked for name in pair})
        seen = [np.zeros(of.possible(pair), dtype=bool) for pair in asked]
        for found in rows.each([self.period, *used], look):
            for places, codes in zip(seen, found, strict=True):
                places[codes] = True
        return {
            (one, two): np.flatnonzero(places).astype(np.int32) for (one, two), places in zip(asked, seen, strict=True)
        }

    def _made(self, rows: Rows, within: Within, of: Head | None) -> ColumnRows:
        try:
            return ColumnRows(rows, self.period, self.segments, self.through, self.order, self.room, within, of)
        except pl.exceptions.InvalidOperationError as error:  # a member that was none before
            raise Gone from error


def _apart(rows: Rows, segments: Sequence[str], where: Mapping[str, Sequence[str]], room: int) -> pl.DataFrame | None:
    """The rows of some members, read apart from all others; None where they are not in pieces, these are too many, or it takes
    all rows to know what a member is called."""
    if not isinstance(rows, Pieces) or any(rows.schema[segment].is_float() for segment in segments):
        return None
    return rows.of_members(where, room)


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
    rows: pl.DataFrame | Pieces, period: str, segments: Sequence[str], of: Head | None
) -> tuple[pl.Series, dict[str, _Labels], list[int]]:
    """The days of all rows and the labels of their segments, gone through once, and how many rows each piece has."""
    kinds = {segment: _kind(segment, of) for segment in segments}
    held = [pl.Series([], dtype=kind) for kind in kinds.values()]  # by which what has been called so far is known

    def label(frame: pl.DataFrame, segment: str) -> tuple[np.ndarray, bool]:
        cells = frame[segment]
        plain = cells.dtype == pl.String and not (cells == BLANK_MEMBER).any()
        codes = labels_of(cells).cast(kinds[segment]).to_physical().to_numpy()
        return codes.astype(np.min_scalar_type(int(codes.max(initial=0)))), plain

    def labels(segment: str, some: Sequence[tuple[np.ndarray, bool]]) -> _Labels:
        known = kinds[segment].categories
        names = (known if isinstance(known, pl.Series) else known.to_series()).to_list()
        return _Labels(np.concatenate([codes for codes, _ in some]), names, all(plain for _, plain in some))

    if not isinstance(rows, Pieces):
        return rows[period], {segment: labels(segment, [label(rows, segment)]) for segment in segments}, [rows.height]
    apart = [segment for segment in segments if rows.schema[segment].is_float()]  # written alike or not as a whole
    together = [segment for segment in segments if segment not in apart]

    def look(frame: pl.DataFrame, _: int) -> tuple[pl.Series, list[tuple[np.ndarray, bool]]]:
        return frame[period], [label(frame, segment) for segment in together]

    found = [*rows.each(list(dict.fromkeys([period, *together])), look)]
    if not found:
        raise Gone
    made = {segment: labels(segment, [label(rows.select([segment]), segment)]) for segment in apart}
    for segment in reversed(together):
        made[segment] = labels(segment, [of_piece.pop() for _, of_piece in found])
    del held
    return pl.concat([days for days, _ in found]), made, [len(days) for days, _ in found]


def _kind(segment: str, of: Head | None) -> pl.Categorical | pl.Enum:
    """What the labels of a segment are held as: by their places where its members are known, else of their own, given up with
    the labels."""
    return pl.Categorical(pl.Categories.random()) if of is None else pl.Enum(of.members[segment])


def _coded(labels: _Labels, first: Sequence[str], members: Sequence[str] | None) -> tuple[np.ndarray, Sequence[str]]:
    """The place of each row's label among the members: those that come ``first``, then the others by name. members: those that
    there are, not only of these rows."""
    if members is not None and list(members) == list(labels.names):
        return labels.codes, members
    held = np.flatnonzero(np.bincount(labels.codes, minlength=len(labels.names))).tolist()
    known = [labels.names[at] for at in held]
    shown = members or list(dict.fromkeys([*(name for name in first if name in set(known)), *sorted(known)]))
    place = {name: at for at, name in enumerate(shown)}
    code: np.ndarray = np.zeros(len(labels.names), dtype=np.min_scalar_type(max(len(shown) - 1, 0)))
    code[held] = [place[name] for name in known]
    return code[labels.codes], shown
