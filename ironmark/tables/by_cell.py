"""What parts of aggregates come to over the rows of each cell."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
import polars as pl

from ironmark.core.evaluate import Floats
from ironmark.core.marks import Ints
from ironmark.tables.cells import PartKey
from ironmark.tables.row_expressions import ADDED, Dates, part_expression


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
