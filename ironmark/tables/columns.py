"""Rows held as columns in memory, aggregated with Polars and sliced with NumPy."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace

import numpy as np
import polars as pl

from ironmark.core import formula_nodes
from ironmark.core.evaluate import Floats
from ironmark.core.marks import Ints
from ironmark.core.readings import Members
from ironmark.tables.cells import (
    BLANK_MEMBER,
    MOST_PART_BYTES,
    Cells,
    CellSource,
    Line,
    NoPeriod,
    PartKey,
    Unit,
    last_days,
    parts_of,
)

_EPOCH = dt.date(1970, 1, 1).toordinal()
Dates = frozenset[str]  # the names of the columns of dates


class ColumnSource(CellSource):
    """A dataset version in memory."""

    def __init__(
        self,
        frame: pl.DataFrame,
        period: str,
        segments: Sequence[str],
        through: dt.date,
        order: Mapping[str, Sequence[str]] | None = None,
        own: Sequence[str] | None = None,
    ) -> None:
        """order: members by segment that come before the others, which follow by name. own: the segments that are the
        rows' own, neither taken nor derived; all of them where it is not said."""
        if not frame.height or frame[period].null_count() == frame.height:
            raise NoPeriod("The dataset has no rows with a date yet; upload rows first.")
        frame = frame.filter(pl.col(period) <= through)  # a row without a day is none of any period
        if not frame.height:
            raise NoPeriod(
                f"The dataset has no rows up to {through:%-d %B %Y}, the day it is said to be complete through. "
                "Say another day on its page under Data."
            )
        # Days counted as datetime.date counts them, from the first of January of year 1.
        self._day_of_row = frame[period].to_physical().cast(pl.Int64).to_numpy() + _EPOCH
        self._frame = frame
        self._dates = frozenset(name for name, kind in frame.schema.items() if kind == pl.Date)
        members: dict[str, tuple[str, ...]] = {}
        self._member_of_row: dict[str, Ints] = {}
        for segment in segments:
            labels = _labels(frame[segment])
            names = labels.unique().sort()
            # Members are sorted, so a member's code is its place among them.
            codes = names.search_sorted(labels).to_numpy().astype(np.int64)
            known = names.to_list()
            wanted = [name for name in (order or {}).get(segment, ()) if name in set(known)]
            if wanted:
                shown = list(dict.fromkeys([*wanted, *known]))
                place = {name: at for at, name in enumerate(shown)}
                codes, known = np.array([place[name] for name in known], dtype=np.int64)[codes], shown
            members[segment], self._member_of_row[segment] = tuple(known), codes
        self._unit_of_row: dict[str, Ints] = {}
        self._cells: dict[tuple[Unit, tuple[str, ...]], Cells] = {}
        self._cell_of_row: dict[tuple[Unit, tuple[str, ...]], pl.Series] = {}
        super().__init__(
            int(self._day_of_row.min()), int(self._day_of_row.max()), members, through, segments if own is None else own
        )

    @property
    def weight(self) -> int:
        """Bytes of the rows, with the room that cells and their parts may come to take."""
        places = [self._day_of_row, *self._member_of_row.values()]
        return int(self._frame.estimated_size()) + sum(place.nbytes for place in places) + MOST_PART_BYTES

    @property
    def height(self) -> int:
        return self._frame.height

    def _see_rows(self, a: formula_nodes.Aggregate, by: str | None, where: Members, line: Line) -> Floats:
        every = len(self.members[by]) if by else 1
        keep = np.ones(self.height, dtype=bool)
        for segment, names in where.items():
            named = set(names)
            codes = [code for code, name in enumerate(self.members[segment]) if name in named]
            keep &= np.isin(self._member_of_row[segment], codes)
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
        frame = self._frame.filter(pl.Series(keep)).with_columns(pl.Series("cell", cell[keep]))
        found, there = next(_by_cell(frame, len(out), [(a.name, a.of, a.where)], self._dates)), frame["cell"].unique()
        out[there] = found[there]

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

    def _cells_by(self, unit: Unit, segments: tuple[str, ...]) -> Cells:
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
            self._cell_of_row[unit, segments] = pl.Series("cell", of_row)
            self._cells[unit, segments] = Cells(rest, member, rows, {})
        return self._cells[unit, segments]

    def _cells_with(self, unit: Unit, segments: tuple[str, ...], wanted: Sequence[formula_nodes.Aggregate]) -> Cells:
        """The cells of some segments with what these aggregates are put together from."""
        needed = list(dict.fromkeys(key for a in wanted for key in parts_of(a)))
        with self._lock:
            cells = self._cells_by(unit, segments)
            missing = [key for key in needed if key not in cells.parts]
            if missing:
                self._work_out(unit, segments, missing)
            held = {key: cells.parts.pop(key) for key in needed}
            cells.parts.update(held)  # used last, given up last
            most = max(len(needed), MOST_PART_BYTES // max(cells.rows.nbytes, 1))
            for key in list(cells.parts)[:-most] if most else []:
                del cells.parts[key]  # every formula that is typed leaves some
        return replace(cells, parts=held)

    def _work_out(self, unit: Unit, segments: tuple[str, ...], missing: Sequence[PartKey]) -> None:
        cells, of_row = self._cells[unit, segments], self._cell_of_row[unit, segments]
        frame = self._frame.with_columns(of_row)
        for key, column in zip(missing, _by_cell(frame, len(cells.unit), missing, self._dates), strict=True):
            cells.parts[key] = column


def _by_cell(frame: pl.DataFrame, many: int, parts: Sequence[PartKey], dates: Dates) -> Iterator[Floats]:
    """Each part over the rows of every cell: (many,) float, NaN for a cell without rows.

    What is added up is added in the order of the rows. A group_by adds side by side, in an order that differs from
    one run to the next, and the last digit of a sum with it: two processes would then say two things of the same rows.
    """
    plan = [part_expression(*part, dates).alias(str(at)) for at, part in enumerate(parts)]
    added = [at for at, (name, _, _) in enumerate(parts) if name in ("sum", "stdev")]
    lazy, cell = frame.lazy(), frame["cell"].to_numpy()
    grouped, row_by_row = pl.collect_all(
        [
            lazy.group_by("cell").agg(expr for at, expr in enumerate(plan) if at not in added),
            lazy.select(plan[at] for at in added),
        ]
    )
    place, rows = grouped["cell"].to_numpy(), np.bincount(cell, minlength=many)
    for at, (name, _, _) in enumerate(parts):
        if at in added:
            found = _added(name, cell, row_by_row[str(at)].to_numpy(), many)
            yield np.where(rows > 0, found, np.nan)
        else:
            column = np.full(many, np.nan)
            column[place] = grouped[str(at)].cast(pl.Float64).to_numpy()
            yield column


def _added(name: str, cell: Ints, values: Floats, many: int) -> Floats:
    """The sum or the sample standard deviation (two passes) of the values that are there, by cell."""
    known = ~np.isnan(values)
    if not known.all():
        cell, values = cell[known], values[known]
    total: Floats = np.bincount(cell, values, minlength=many).astype(np.float64, copy=False)
    if name == "sum":
        return total
    count = np.bincount(cell, minlength=many)
    mean = total / np.maximum(count, 1)
    squares = np.bincount(cell, (values - mean[cell]) ** 2, minlength=many)
    variance: Floats = np.divide(squares, count - 1, out=np.full(many, np.nan), where=count > 1)
    return np.asarray(np.sqrt(variance))


def part_expression(
    name: str, of: formula_nodes.Node | None, where: formula_nodes.Node | None, dates: Dates
) -> pl.Expr:
    """A part as Polars has it; of those that are added up (sum, stdev), what is added for each row."""
    holds = expression(where, dates).fill_null(False) if where is not None else pl.lit(True)
    if where is not None and not formula_nodes.columns_used(where):
        holds = pl.when(pl.col("cell") >= 0).then(holds)
    if name == "matching":
        return pl.len() if where is None else holds.sum()
    assert of is not None
    value = expression(of, dates)
    if not formula_nodes.columns_used(of):  # a constant counts once a row, not once
        value = pl.when(pl.col("cell") >= 0).then(value)
    if name == "filled":
        return (value.is_not_null() & holds).sum()
    if name == "distinct":
        return value.filter(holds).drop_nulls().n_unique()
    value = pl.when(holds).then(value.cast(pl.Float64))
    # Dividing by zero within a row is blank, as in the arithmetic over totals.
    value = pl.when(value.is_finite()).then(value)
    return value if name in ("sum", "stdev") else {"min": value.min, "max": value.max, "median": value.median}[name]()


def expression(node: formula_nodes.Node, dates: Dates) -> pl.Expr:
    """A row expression or condition as Polars has it; a comparison with a blank is blank, so not true."""
    match node:
        case formula_nodes.Number(value=value) | formula_nodes.Text(value=value) | formula_nodes.Flag(value=value):
            return pl.lit(value)
        case formula_nodes.Column(name=name):
            return pl.col(name)
        case formula_nodes.Minus(of=of):
            return -expression(of, dates)
        case formula_nodes.Binary(op=op, left=left, right=right):
            one, other = expression(left, dates), expression(right, dates)
            if op == "/":
                other = pl.when(other != 0).then(other)
            return {"+": one + other, "-": one - other, "*": one * other, "/": one / other}[op]
        case formula_nodes.Compare(op=op, left=left, right=right):
            one, other = _comparable(left, right, dates), _comparable(right, left, dates)
            return {
                "=": one == other, "!=": one != other, "<": one < other,
                "<=": one <= other, ">": one > other, ">=": one >= other,
            }[op]  # fmt: skip
        case formula_nodes.Among(of=of, values=values):
            tests = [expression(of, dates) == _comparable(value, of, dates) for value in values]
            return pl.any_horizontal(tests)
        case formula_nodes.Starts(of=of, start=start):
            return expression(of, dates).str.starts_with(start)
        case formula_nodes.Call():
            return _called(node, dates)
        case formula_nodes.Blank(of=of, filled=filled):
            return expression(of, dates).is_not_null() if filled else expression(of, dates).is_null()
        case formula_nodes.Logic(op=op, items=items):
            parts = [expression(item, dates) for item in items]
            return pl.all_horizontal(parts) if op == "and" else pl.any_horizontal(parts)
        case formula_nodes.Not(of=of):
            return ~expression(of, dates)
    raise TypeError(f"{type(node).__name__} has no value in a row")


def _called(node: formula_nodes.Call, dates: Dates) -> pl.Expr:
    """A function over the cells of a row; of a blank, and of a condition that is neither true nor not, it is blank."""
    args = [expression(arg, dates) for arg in node.args]
    if node.name == "if":
        return pl.when(args[0]).then(args[1]).when(~args[0]).then(args[2])
    if node.name == "days":
        return (args[1] - args[0]).dt.total_days().cast(pl.Float64)
    if node.name == "steps":
        limits, names = formula_nodes.steps_of(node)
        place = pl.sum_horizontal([(args[0] >= limit).cast(pl.Int64) for limit in limits])
        named = place.replace_strict(dict(enumerate(names)), return_dtype=pl.String)
        return pl.when(args[0].is_not_null()).then(named)
    names = formula_nodes.WEEKDAYS if node.name == "weekday" else formula_nodes.MONTHS
    place = args[0].dt.weekday() if node.name == "weekday" else args[0].dt.month()
    return place.cast(pl.Int64).replace_strict(dict(enumerate(names, 1)), return_dtype=pl.String)


def _comparable(node: formula_nodes.Node, beside: formula_nodes.Node, dates: Dates) -> pl.Expr:
    """A text beside a column of dates is a date; the formula was checked for that."""
    if isinstance(node, formula_nodes.Text) and isinstance(beside, formula_nodes.Column) and beside.name in dates:
        return pl.lit(dt.date.fromisoformat(node.value))
    return expression(node, dates)


def _labels(cells: pl.Series) -> pl.Series:
    if cells.dtype == pl.Boolean:
        cells = pl.select(pl.when(cells).then(pl.lit("yes")).when(~cells).then(pl.lit("no"))).to_series()
    elif cells.dtype.is_float():
        whole = bool((cells.drop_nulls() % 1 == 0).all())
        cells = cells.cast(pl.Int64).cast(pl.String) if whole else cells.cast(pl.String)
    return cells.cast(pl.String).fill_null(BLANK_MEMBER)
