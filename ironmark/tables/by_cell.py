"""What aggregates and parts of them come to over the rows of each cell."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
import polars as pl

from ironmark.core import formula_nodes
from ironmark.core.evaluate import Floats
from ironmark.core.marks import Ints
from ironmark.core.readings import Members
from ironmark.tables.cells import BLANK_MEMBER, Line, PartKey
from ironmark.tables.column_rows import ColumnRows
from ironmark.tables.row_expressions import ADDED, Dates, part_expression

MOST_TOGETHER = 2_000_000  # rows whose places are in memory at once
MOST_SEEN = 1 << 25  # units, times members, times members that are counted: each takes a byte for a moment


def over_rows(
    a: formula_nodes.Aggregate, by: str | None, where: Members, line: Line, rows: ColumnRows, last: np.ndarray | None
) -> Floats:
    """An aggregate that has to see its rows together, in every period and of every member of ``by``, (P, M), NaN without rows.
    last: which rows are those of the last day of each series, where these alone count."""
    every = len(rows.members[by]) if by else 1
    some = np.flatnonzero(rows.of_members(where)) if where else None  # the places of those that count

    def of(every_row: np.ndarray) -> np.ndarray:
        return every_row if some is None else every_row[some]

    member = of(rows.member_of_row[by]) if by else None
    unit, keep = of(rows.units(line.unit)), None if last is None else of(last)
    if (names := _named_in(a, line.count * every, rows)) is not None:
        code = of(rows.member_of_row[names])
        seen = np.zeros((line.count, every, len(rows.members[names])), dtype=bool)
        for start in range(0, len(unit), MOST_TOGETHER):
            rest = slice(start, start + MOST_TOGETHER)
            inside = start + np.flatnonzero(
                unit[rest] < line.count if keep is None else keep[rest] & (unit[rest] < line.count)
            )
            seen[unit[inside], 0 if member is None else member[inside], code[inside]] = True
        return _differing(seen, rows.members[names], line, a.window)
    full = np.full(len(line.periods) * every, np.nan)
    for units, period in _parts(line, a.window, len(unit)):
        inside = np.flatnonzero(units[unit] if keep is None else keep & units[unit])
        cell = (period * every).astype(np.int32)[unit[inside]]
        if member is not None:
            cell += member[inside]
        _fill(full, a, cell, rows, inside if some is None else some[inside])
    return full.reshape(len(line.periods), every)


def _parts(line: Line, window: formula_nodes.Window | None, rows: int) -> Iterator[tuple[np.ndarray, Ints]]:
    """Which units are looked at together, and the place of the period each of them is in then: all at once of few rows, one
    window after the other where they overlap."""
    if window is None:
        places = np.arange(len(line.periods))
        for some in np.array_split(places, min(len(places), -(-rows // MOST_TOGETHER) or 1)):
            yield (line.bucket >= some[0]) & (line.bucket <= some[-1]), line.bucket
        return
    for p, (start, end) in enumerate(line.windows(window)):
        units = np.zeros(len(line.bucket), dtype=bool)
        units[start:end] = True
        yield units, np.full(len(line.bucket), p)


def _fill(out: Floats, a: formula_nodes.Aggregate, cell: Ints, rows: ColumnRows, some: Ints | None) -> None:
    """Put the aggregate over the rows of each cell into its place in ``out``. cell (N,): of ``some`` rows where these are
    given."""
    if not len(cell):
        return
    frame = pl.DataFrame(rows.columns(rows.read_by(a.of, a.where), some)).with_columns(pl.Series("cell", cell))
    found = next(by_cell(frame, len(out), [(a.name, a.of, a.where)], rows.dates))
    there = np.bincount(cell, minlength=len(out)) > 0
    out[there] = found[there]


def _named_in(a: formula_nodes.Aggregate, cells: int, rows: ColumnRows) -> str | None:
    """The segment whose members an aggregate counts the different ones of, where all rows count, and these are told by their
    places; None of any other aggregate."""
    if a.name != "distinct" or not isinstance(a.of, formula_nodes.Column) or a.where is not None:
        return None
    segment = a.of.name
    return segment if rows.is_plain(segment) and cells * len(rows.members[segment]) <= MOST_SEEN else None


def _differing(seen: np.ndarray, names: Sequence[str], line: Line, window: formula_nodes.Window | None) -> Floats:
    """How many members differ, blanks apart, in every period or its window, (P, M), NaN without rows. seen: (units, M, members)."""
    blank = [at for at, name in enumerate(names) if name == BLANK_MEMBER]
    found = np.full((len(line.periods), seen.shape[1]), np.nan)
    windows = None if window is None else line.windows(window)
    for p in range(len(line.periods)):
        units = np.flatnonzero(line.bucket[: line.count] == p) if windows is None else np.arange(*windows[p])
        some: np.ndarray = np.asarray(seen[units].any(axis=0))
        there = some.any(axis=1)
        some[:, blank] = False
        found[p, there] = some[there].sum(axis=1)
    return found


def by_cell(frame: pl.DataFrame, many: int, parts: Sequence[PartKey], dates: Dates) -> Iterator[Floats]:
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
    grouped_by, by_row = pl.collect_all(
        [lazy.group_by("cell").agg(grouped) if grouped else lazy.head(0), lazy.select(added)]
    )
    place = grouped_by["cell"].to_numpy()
    for at, (name, _, where) in enumerate(parts):
        if (name, where) == ("matching", None):
            yield rows.astype(np.float64)
        elif name in ADDED:
            yield np.where(rows > 0, _added(name, cell, rows, by_row[str(at)]), np.nan)
        else:
            column = np.full(many, np.nan)
            column[place] = grouped_by[str(at)].cast(pl.Float64).to_numpy()
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
