"""Rows held as columns in memory, aggregated with Polars and sliced with NumPy."""

from __future__ import annotations

import datetime as dt
import threading
from collections.abc import Hashable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
import polars as pl

from ironmark.core import formula as f
from ironmark.core.evaluate import Floats
from ironmark.core.marks import Ints
from ironmark.core.periods import Period
from ironmark.core.reading import Members, Totals

_MOST_WORKED_OUT = 500
BLANK_MEMBER = "(blank)"
Dates = frozenset[str]  # the names of the columns of dates


class NoPeriod(ValueError):
    """A dataset without a usable period column cannot be read."""


class NoSegment(KeyError):
    """A segment that the dataset does not have."""


@dataclass(frozen=True)
class _Cells:
    """Every combination of month and members that has rows: the finest grain a scope can ask for."""

    of_row: pl.Series  # the cell of each row
    period: Ints
    member: Mapping[str, Ints]
    rows: Ints
    parts: dict[tuple[str, f.Node | None, f.Node | None], Floats]


class ColumnSource:
    """A dataset version in memory.

    Aggregates are worked out once per combination of segments and kept, as (month × members) cells. Another
    scope only adds cells up again: sum, count, min and max of the parts give those of the whole.
    """

    def __init__(self, frame: pl.DataFrame, period: str, segments: Sequence[str], through: dt.date) -> None:
        if not frame.height or frame[period].null_count() == frame.height:
            raise NoPeriod("The dataset has no rows with a date yet; upload rows first.")
        frame = frame.filter(pl.col(period).is_not_null())
        days = frame[period]
        ordinal = days.dt.year().cast(pl.Int64) * 12 + days.dt.month().cast(pl.Int64) - 1
        first, last = int(ordinal.min()), int(ordinal.max())  # type: ignore[arg-type]
        self.periods = tuple(Period(n) for n in range(first, last + 1))
        self._through = through
        self._frame = frame
        self._dates = frozenset(name for name, kind in frame.schema.items() if kind == pl.Date)
        self._period_of_row = (ordinal - first).to_numpy()
        self.members: dict[str, tuple[str, ...]] = {}
        self._member_of_row: dict[str, Ints] = {}
        for segment in segments:
            labels = _labels(frame[segment])
            names = labels.unique().sort()
            self.members[segment] = tuple(names.to_list())
            # Members are sorted, so a member's code is its place among them.
            self._member_of_row[segment] = names.search_sorted(labels).to_numpy().astype(np.int64)
        self._cells: dict[tuple[str, ...], _Cells] = {}
        self._worked_out: dict[Hashable, Floats] = {}
        self._lock = threading.Lock()

    @property
    def through(self) -> dt.date:
        return self._through

    @property
    def height(self) -> int:
        return self._frame.height

    def aggregate(self, wanted: Sequence[f.Aggregate], by: str | None, where: Members) -> Totals:
        """See ``Source.aggregate``. Raises NoSegment."""
        segments = tuple(sorted({*where, *([by] if by else [])}))
        for segment in segments:
            if segment not in self.members:
                raise NoSegment(segment)
        with self._lock:
            cells = self._cells_by(segments)
            self._work_out(cells, wanted)
        keep = np.ones(len(cells.period), dtype=bool)
        for segment, names in where.items():
            codes = [self.members[segment].index(name) for name in names if name in self.members[segment]]
            keep &= np.isin(cells.member[segment], codes)
        members: tuple[str | None, ...] = self.members[by] if by else (None,)
        if by and by in where:
            members = tuple(name for name in self.members[by] if name in set(where[by]))
        count = len(members)
        target = cells.period * count
        if by:
            place = np.full(len(self.members[by]), -1)
            place[[self.members[by].index(name) for name in members if name is not None]] = np.arange(count)
            target = target + place[cells.member[by]]
        adder = _Adder(keep, target[keep], (len(self.periods), count), self.periods)
        rows = adder.total(cells.rows)
        parts: dict[f.Aggregate, Floats] = {}
        for a in wanted:
            if a.whole:
                parts[a] = self._of_whole(a, by, where, count)
            elif a.name in f.UNADDED:
                parts[a] = self._over_rows(a, by, where, members)
            else:
                parts[a] = self._combine(a, cells, adder)
        return Totals(self.periods, members, rows.astype(np.int64), parts)

    def _of_whole(self, a: f.Aggregate, by: str | None, where: Members, count: int) -> Floats:
        """The aggregate over all members of what is read, the same for each."""
        rest = {segment: names for segment, names in where.items() if by is not None and segment != by}
        one = replace(a, whole=False)
        return np.repeat(self.aggregate([one], None, rest).parts[one], count, axis=1)

    def _over_rows(self, a: f.Aggregate, by: str | None, where: Members, members: Sequence[str | None]) -> Floats:
        """An aggregate that has to see its rows together: worked out for just this scope, and kept."""
        every = self.members[by] if by else (None,)
        scope = tuple(sorted((segment, tuple(sorted(names))) for segment, names in where.items()))
        key = (a.name, a.of, a.where, by, scope)
        if key not in self._worked_out:
            keep = np.ones(self.height, dtype=bool)
            for segment, names in where.items():
                codes = [self.members[segment].index(name) for name in names if name in self.members[segment]]
                keep &= np.isin(self._member_of_row[segment], codes)
            cell = self._period_of_row * len(every) + (self._member_of_row[by] if by else 0)
            plan = _part(a.name, a.of, a.where, self._dates).alias("value")
            frame = self._frame.lazy().with_columns(pl.Series("cell", cell)).filter(pl.Series(keep))
            found = frame.group_by("cell").agg(plan).collect()
            full = np.full(len(self.periods) * len(every), np.nan)
            full[found["cell"].to_numpy()] = found["value"].cast(pl.Float64).to_numpy()
            if len(self._worked_out) >= _MOST_WORKED_OUT:
                self._worked_out.pop(next(iter(self._worked_out)))
            self._worked_out[key] = full.reshape(len(self.periods), len(every))
        return self._worked_out[key][:, [every.index(name) for name in members]]

    def _cells_by(self, segments: tuple[str, ...]) -> _Cells:
        if segments not in self._cells:
            key = self._period_of_row.astype(np.int64)
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
            self._cells[segments] = _Cells(pl.Series("cell", of_row), rest, member, rows, {})
        return self._cells[segments]

    def _work_out(self, cells: _Cells, wanted: Sequence[f.Aggregate]) -> None:
        """Add the parts of ``wanted`` that the cells do not have yet, in one pass over the rows."""
        missing = list(dict.fromkeys(k for a in wanted for k in _parts(a) if k not in cells.parts))
        if not missing:
            return
        plan = [_part(name, of, where, self._dates).alias(str(at)) for at, (name, of, where) in enumerate(missing)]
        found = self._frame.lazy().with_columns(cells.of_row).group_by("cell").agg(plan).collect()
        place = found["cell"].to_numpy()
        for at, key in enumerate(missing):
            column = np.full(len(cells.period), np.nan)
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


class _Adder:
    """Adds cells up into (P, M) arrays."""

    def __init__(self, keep: np.ndarray, target: Ints, shape: tuple[int, int], periods: Sequence[Period]) -> None:
        self.keep, self.target, self.shape, self.periods = keep, target, shape, periods

    def _spans(self, window: f.Window) -> list[tuple[int, int]]:
        """The rows of periods that each period's window covers; empty before a window is full."""
        if window.months is not None:
            return [(p + 1 - window.months, p + 1) if p + 1 >= window.months else (p, p) for p in range(self.shape[0])]
        return [(max(0, p - period.ordinal % 12), p + 1) for p, period in enumerate(self.periods)]

    def total(self, part: np.ndarray, window: f.Window | None = None) -> Floats:
        if window is not None:
            months = self.total(part)
            return np.array([months[start:end].sum(axis=0) for start, end in self._spans(window)])
        size = self.shape[0] * self.shape[1]
        total = np.bincount(self.target, weights=part[self.keep], minlength=size)
        return total.astype(float, copy=False).reshape(self.shape)

    def extreme(self, part: Floats, name: str, window: f.Window | None = None) -> Floats:
        pick = np.fmin if name == "min" else np.fmax
        if window is not None:
            months = self.extreme(part, name)
            nothing = np.full(self.shape[1], np.nan)
            spans = self._spans(window)
            return np.array(
                [pick.reduce(months[start:end], axis=0) if end > start else nothing for start, end in spans]
            )
        out = np.full(self.shape[0] * self.shape[1], np.nan)
        pick.at(out, self.target, part[self.keep])
        return out.reshape(self.shape)


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
