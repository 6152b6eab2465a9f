"""The labels of the cells of a segment: what its members are called."""

from __future__ import annotations

from collections.abc import Collection

import polars as pl

from ironmark.tables.cells import BLANK_MEMBER


def labels_of(cells: pl.Series) -> pl.Series:
    if cells.dtype == pl.Boolean:
        cells = pl.select(pl.when(cells).then(pl.lit("yes")).when(~cells).then(pl.lit("no"))).to_series()
    elif cells.dtype.is_float():
        whole = bool((cells.drop_nulls() % 1 == 0).all())
        cells = cells.cast(pl.Int64).cast(pl.String) if whole else cells.cast(pl.String)
    return cells.cast(pl.String).fill_null(BLANK_MEMBER)


def is_of(cells: pl.Series, names: Collection[str]) -> pl.Series:
    """Which cells are of some members."""
    return labels_of(cells).is_in(list(names))
