"""Rows held as columns in memory, aggregated with Polars and sliced with NumPy."""

from __future__ import annotations

import datetime as dt
import threading
from collections.abc import Hashable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
import polars as pl

from ironmark.core import formula as f
from ironmark.core.evaluate import Floats
from ironmark.core.marks import Ints
from ironmark.core.periods import Period
from ironmark.core.reading import Members, Totals

_MOST_WORKED_OUT = 500
BLANK_MEMBER = "(blank)"
Unit = Literal["day", "week", "month"]
_EPOCH = dt.date(1970, 1, 1).toordinal()
Dates = frozenset[str]  # the names of the columns of dates


class NoPeriod(ValueError):
    """A dataset without a usable period column cannot be read."""


class NoSegment(KeyError):
    """A segment that the dataset does not have."""


@dataclass(frozen=True)
class _Cells:
    """Every combination of day, week or month and members that has rows: the finest grain a scope can ask for."""

    of_row: pl.Series  # the cell of each row
    unit: Ints
    member: Mapping[str, Ints]
    rows: Ints
    parts: dict[tuple[str, f.Node | None, f.Node | None], Floats]


class ColumnSource:
    """A dataset version in memory.

    Aggregates are worked out once per combination of segments and kept, as (day, week or month × members) cells.
    Another scope only adds cells up again: sum, count, min and max of the parts give those of the whole.
    """

    def __init__(self, frame: pl.DataFrame, period: str, segments: Sequence[str], through: dt.date) -> None:
        if not frame.height or frame[period].null_count() == frame.height:
            raise NoPeriod("The dataset has no rows with a date yet; upload rows first.")
        frame = frame.filter(pl.col(period).is_not_null())
        # Days counted as datetime.date counts them, from the first of January of year 1.
        self._day_of_row = frame[period].to_physical().cast(pl.Int64).to_numpy() + _EPOCH
        self._first_day, self._last_day = int(self._day_of_row.min()), int(self._day_of_row.max())
        self._through = through
        self._frame = frame
        self._dates = frozenset(name for name, kind in frame.schema.items() if kind == pl.Date)
        self._members: dict[str, tuple[str, ...]] = {}
        self._member_of_row: dict[str, Ints] = {}
        for segment in segments:
            labels = _labels(frame[segment])
            names = labels.unique().sort()
            self._members[segment] = tuple(names.to_list())
            # Members are sorted, so a member's code is its place among them.
            self._member_of_row[segment] = names.search_sorted(labels).to_numpy().astype(np.int64)
        self._unit_of_row: dict[str, Ints] = {}
        self._cells: dict[tuple[str, tuple[str, ...]], _Cells] = {}
        self._worked_out: dict[Hashable, Floats] = {}
        self._lock = threading.RLock()

    @property
    def members(self) -> Mapping[str, tuple[str, ...]]:
        return self._members

    @property
    def through(self) -> dt.date:
        return self._through

    @property
    def first(self) -> dt.date:
        return dt.date.fromordinal(self._first_day)

    @property
    def last(self) -> dt.date:
        return dt.date.fromordinal(self._last_day)

    @property
    def height(self) -> int:
        return self._frame.height

    def aggregate(
        self, wanted: Sequence[f.Aggregate], by: str | None, where: Members, periods: Sequence[Period]
    ) -> Totals:
        """See ``Source.aggregate``. Raises NoSegment."""
        segments = tuple(sorted({*where, *([by] if by else [])}))
        for segment in segments:
            if segment not in self.members:
                raise NoSegment(segment)
        members: tuple[str | None, ...] = self.members[by] if by else (None,)
        if by and by in where:
            members = tuple(name for name in self.members[by] if name in set(where[by]))
        count = len(members)
        line = _Line(periods, self._first_day, self._last_day)
        with self._lock:
            cells = self._cells_by(line.unit, segments)
            self._work_out(cells, wanted)
        keep = np.ones(len(cells.unit), dtype=bool)
        for segment, names in where.items():
            codes = [self.members[segment].index(name) for name in names if name in self.members[segment]]
            keep &= np.isin(cells.member[segment], codes)
        member = np.zeros(1, dtype=np.int64)
        if by:
            place = np.full(len(self.members[by]), -1)
            place[[self.members[by].index(name) for name in members if name is not None]] = np.arange(count)
            member = place[cells.member[by]]
        adder = _Adder(keep, cells.unit, np.broadcast_to(member, cells.unit.shape), count, line)
        rows = adder.total(cells.rows)
        parts: dict[f.Aggregate, Floats] = {}
        for a in wanted:
            if a.whole:
                parts[a] = self._of_whole(a, by, where, count, periods)
            elif a.name in f.UNADDED:
                parts[a] = self._over_rows(a, by, where, members, line)
            else:
                parts[a] = self._combine(a, cells, adder)
        return Totals(tuple(periods), members, rows.astype(np.int64), parts)

    def _of_whole(
        self, a: f.Aggregate, by: str | None, where: Members, count: int, periods: Sequence[Period]
    ) -> Floats:
        """The aggregate over all members of what is read, the same for each."""
        rest = {segment: names for segment, names in where.items() if by is not None and segment != by}
        one = replace(a, whole=False)
        return np.repeat(self.aggregate([one], None, rest, periods).parts[one], count, axis=1)

    def _over_rows(
        self, a: f.Aggregate, by: str | None, where: Members, members: Sequence[str | None], line: _Line
    ) -> Floats:
        """An aggregate that has to see its rows together: worked out for just this scope, and kept."""
        every = self.members[by] if by else (None,)
        scope = tuple(sorted((segment, tuple(sorted(names))) for segment, names in where.items()))
        key = (a.name, a.of, a.where, a.window, by, scope, line.periods)
        with self._lock:
            held = self._worked_out.get(key)
        if held is None:
            keep = np.ones(self.height, dtype=bool)
            for segment, names in where.items():
                codes = [self.members[segment].index(name) for name in names if name in self.members[segment]]
                keep &= np.isin(self._member_of_row[segment], codes)
            member = self._member_of_row[by] if by else np.zeros(1, dtype=np.int64)
            unit = self._units(line.unit)
            full = np.full(len(line.periods) * len(every), np.nan)
            if a.window is None:
                bucket = line.bucket[unit]
                self._fill(full, a, bucket * len(every) + member, keep & (bucket >= 0))
            else:
                for p, (start, end) in enumerate(line.windows(a.window)):
                    inside = keep & (unit >= start) & (unit < end)
                    self._fill(full, a, np.broadcast_to(p * len(every) + member, unit.shape), inside)
            held = full.reshape(len(line.periods), len(every))
            with self._lock:
                if len(self._worked_out) >= _MOST_WORKED_OUT:
                    self._worked_out.pop(next(iter(self._worked_out)))
                self._worked_out[key] = held
        return held[:, [every.index(name) for name in members]]

    def _fill(self, out: Floats, a: f.Aggregate, cell: Ints, keep: np.ndarray) -> None:
        """Put the aggregate over the rows of each cell into its place in ``out``."""
        plan = _part(a.name, a.of, a.where, self._dates).alias("value")
        frame = self._frame.lazy().with_columns(pl.Series("cell", cell)).filter(pl.Series(keep))
        found = frame.group_by("cell").agg(plan).collect()
        out[found["cell"].to_numpy()] = found["value"].cast(pl.Float64).to_numpy()

    def _units(self, unit: Unit) -> Ints:
        """The day, week or month of every row, counted from that of the first row."""
        if unit not in self._unit_of_row:
            if unit == "month":
                days = pl.Series(self._day_of_row - _EPOCH).cast(pl.Int32).cast(pl.Date)
                counted = (days.dt.year().cast(pl.Int64) * 12 + days.dt.month().cast(pl.Int64) - 1).to_numpy()
            else:
                counted = self._day_of_row if unit == "day" else (self._day_of_row - 1) // 7
            self._unit_of_row[unit] = counted - counted.min()
        return self._unit_of_row[unit]

    def _cells_by(self, unit: Unit, segments: tuple[str, ...]) -> _Cells:
        if (unit, segments) not in self._cells:
            key = self._units(unit)
            for segment in segments:
                key = key * len(self.members[segment]) + self._member_of_row[segment]
            # Few combinations: a table of them is quicker than sorting the rows.
            possible = int(key.max()) + 1
            if possible <= 4 * len(key) + 1000:
                rows = np.bincount(key, minlength=possible)
                found = np.flatnonzero(rows)
                place = np.zeros(possible, dtype=np.int64)
                place[found] = np.arange(len(found))
                of_row, rows = place[key], rows[found]
            else:
                found, of_row, rows = np.unique(key, return_inverse=True, return_counts=True)
            rest, member = found, {}
            for segment in reversed(segments):
                rest, member[segment] = np.divmod(rest, len(self.members[segment]))
            self._cells[unit, segments] = _Cells(pl.Series("cell", of_row), rest, member, rows, {})
        return self._cells[unit, segments]

    def _work_out(self, cells: _Cells, wanted: Sequence[f.Aggregate]) -> None:
        """Add the parts of ``wanted`` that the cells do not have yet, in one pass over the rows."""
        missing = list(dict.fromkeys(k for a in wanted for k in _parts(a) if k not in cells.parts))
        if not missing:
            return
        plan = [_part(name, of, where, self._dates).alias(str(at)) for at, (name, of, where) in enumerate(missing)]
        found = self._frame.lazy().with_columns(cells.of_row).group_by("cell").agg(plan).collect()
        place = found["cell"].to_numpy()
        for at, key in enumerate(missing):
            column = np.full(len(cells.unit), np.nan)
            column[place] = found[str(at)].cast(pl.Float64).to_numpy()
            cells.parts[key] = column

    def _combine(self, a: f.Aggregate, cells: _Cells, adder: _Adder) -> Floats:
        parts = {key[0]: cells.parts[key] for key in _parts(a)}
        if a.name in ("min", "max"):
            return adder.extreme(parts[a.name], a.name, a.window)
        rows = adder.total(cells.rows, a.window)
        matching = adder.total(parts["matching"], a.window)
        if a.of is None:
            return np.where(rows > 0, matching, np.nan)
        filled = adder.total(parts["filled"], a.window)
        if a.name == "count":
            return np.where(rows > 0, filled, np.nan)
        total = adder.total(parts["sum"], a.window)
        if a.name == "mean":
            return np.divide(total, filled, out=np.full_like(total, np.nan), where=filled > 0)
        # No row matches: the sum is 0. Rows match but all are blank: there is nothing to add up.
        return np.where((rows > 0) & ((filled > 0) | (matching == 0)), total, np.nan)


class _Line:
    """Periods over the days, weeks or months that have rows, these counted from the first one."""

    def __init__(self, periods: Sequence[Period], first_day: int, last_day: int) -> None:
        self.periods = tuple(periods)
        self.unit: Unit = periods[0].unit
        first, last = (Period.of(dt.date.fromordinal(day), self.unit).ordinal for day in (first_day, last_day))
        self.first, self.count = first, last - first + 1
        starts, ends = np.array([period.units for period in periods], dtype=np.int64).T
        units = np.arange(first, last + 1)
        at = np.searchsorted(starts, units, side="right") - 1
        self.bucket: Ints = np.where((at >= 0) & (units < ends[np.maximum(at, 0)]), at, -1)

    def windows(self, window: f.Window) -> list[tuple[int, int]]:
        """The units that each period's window covers; none where it would begin before the first row."""
        found = []
        for period in self.periods:
            end = min(period.units[1] - self.first, self.count)
            if window.periods is None:
                year = Period.of(period.end, "year", period.year_start).start
                start = max(0, Period.of(year, self.unit).ordinal - self.first)
            else:
                start = period.shift(1 - window.periods).units[0] - self.first
            found.append((start, end) if 0 <= start < end else (0, 0))
        return found


class _Adder:
    """Adds cells up into (P, M) arrays."""

    def __init__(self, keep: np.ndarray, unit: Ints, member: Ints, count: int, line: _Line) -> None:
        self.line, self.members = line, count
        bucket = line.bucket[unit]
        self.every, self.kept = keep, keep & (bucket >= 0)
        self.of_unit = unit[keep] * count + member[keep]
        self.of_period = bucket[self.kept] * count + member[self.kept]

    def total(self, part: np.ndarray, window: f.Window | None = None) -> Floats:
        if window is not None:
            flat = np.bincount(self.of_unit, weights=part[self.every], minlength=self.line.count * self.members)
            units = flat.reshape(self.line.count, self.members)
            return np.array([units[start:end].sum(axis=0) for start, end in self.line.windows(window)])
        size = len(self.line.periods) * self.members
        total = np.bincount(self.of_period, weights=part[self.kept], minlength=size)
        return total.astype(float, copy=False).reshape(-1, self.members)

    def extreme(self, part: Floats, name: str, window: f.Window | None = None) -> Floats:
        pick = np.fmin if name == "min" else np.fmax
        if window is not None:
            flat = np.full(self.line.count * self.members, np.nan)
            pick.at(flat, self.of_unit, part[self.every])
            units = flat.reshape(self.line.count, self.members)
            nothing = np.full(self.members, np.nan)
            spans = self.line.windows(window)
            return np.array([pick.reduce(units[start:end], axis=0) if end > start else nothing for start, end in spans])
        out = np.full(len(self.line.periods) * self.members, np.nan)
        pick.at(out, self.of_period, part[self.kept])
        return out.reshape(-1, self.members)


def _parts(a: f.Aggregate) -> list[tuple[str, f.Node | None, f.Node | None]]:
    """What has to be kept per cell for an aggregate to be put together for any scope."""
    names = {"min": ["min"], "max": ["max"], "count": ["matching", "filled"]}.get(a.name, ["matching", "filled", "sum"])
    if a.name in f.UNADDED or a.whole:
        return []
    return [(name, None if name == "matching" else a.of, a.where) for name in names if a.of or name == "matching"]


def _part(name: str, of: f.Node | None, where: f.Node | None, dates: Dates) -> pl.Expr:
    holds = expression(where, dates).fill_null(False) if where is not None else pl.lit(True)
    if name == "matching":
        return pl.len() if where is None else holds.sum()
    assert of is not None
    value = expression(of, dates)
    if name == "filled":
        return (value.is_not_null() & holds).sum()
    if name == "distinct":
        return value.filter(holds).drop_nulls().n_unique()
    value = pl.when(holds).then(value.cast(pl.Float64))
    # Dividing by zero within a row is blank, as in the arithmetic over totals.
    value = pl.when(value.is_finite()).then(value)
    return {
        "sum": value.sum(), "min": value.min(), "max": value.max(), "median": value.median(), "stdev": value.std(),
    }[name]  # fmt: skip


def expression(node: f.Node, dates: Dates) -> pl.Expr:
    """A row expression or condition as Polars has it; a comparison with a blank is blank, so not true."""
    match node:
        case f.Number(value=value) | f.Text(value=value) | f.Flag(value=value):
            return pl.lit(value)
        case f.Column(name=name):
            return pl.col(name)
        case f.Minus(of=of):
            return -expression(of, dates)
        case f.Binary(op=op, left=left, right=right):
            one, other = expression(left, dates), expression(right, dates)
            if op == "/":
                other = pl.when(other != 0).then(other)
            return {"+": one + other, "-": one - other, "*": one * other, "/": one / other}[op]
        case f.Compare(op=op, left=left, right=right):
            one, other = _comparable(left, right, dates), _comparable(right, left, dates)
            return {
                "=": one == other, "!=": one != other, "<": one < other,
                "<=": one <= other, ">": one > other, ">=": one >= other,
            }[op]  # fmt: skip
        case f.Among(of=of, values=values):
            tests = [expression(of, dates) == _comparable(value, of, dates) for value in values]
            return pl.any_horizontal(tests)
        case f.Blank(of=of, filled=filled):
            return expression(of, dates).is_not_null() if filled else expression(of, dates).is_null()
        case f.Logic(op=op, items=items):
            parts = [expression(item, dates) for item in items]
            return pl.all_horizontal(parts) if op == "and" else pl.any_horizontal(parts)
        case f.Not(of=of):
            return ~expression(of, dates)
    raise TypeError(f"{type(node).__name__} has no value in a row")


def _comparable(node: f.Node, beside: f.Node, dates: Dates) -> pl.Expr:
    """A text beside a column of dates is a date; the formula was checked for that."""
    if isinstance(node, f.Text) and isinstance(beside, f.Column) and beside.name in dates:
        return pl.lit(dt.date.fromisoformat(node.value))
    return expression(node, dates)


def _labels(cells: pl.Series) -> pl.Series:
    if cells.dtype == pl.Boolean:
        cells = pl.select(pl.when(cells).then(pl.lit("yes")).when(~cells).then(pl.lit("no"))).to_series()
    elif cells.dtype.is_float():
        whole = bool((cells.drop_nulls() % 1 == 0).all())
        cells = cells.cast(pl.Int64).cast(pl.String) if whole else cells.cast(pl.String)
    return cells.cast(pl.String).fill_null(BLANK_MEMBER)
