"""What is worth a look in rows as a whole: rows there twice, months without any, two scales in one column."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence

import numpy as np
import polars as pl

from ironmark.core.measuring import told_by
from ironmark.core.periods import months
from ironmark.tables.pieces import Rows, as_numbers, slices_of
from ironmark.tables.table import Column, Problem

_MOST_SPELLINGS = 2000
_SORTED = 20_000_000  # rows whose numbers are sorted at once
SPARSE_DAYS = 45  # from which rows are no monthly ones, and months without them are none that are missing


def findings(rows: Rows, columns: Sequence[Column]) -> tuple[Problem, ...]:
    """Everything found in the rows together; the place of a row counts the header as line 1."""
    period = next((column.name for column in columns if column.role == "period"), None)
    found = [*_twice(rows)]
    if period is not None:
        days = rows.select([period])
        found = [*_undated(days, period), *found, *_gaps(days, period, columns)]
    for column in columns:
        if column.type == "number" and _is_share(column):
            found += _two_scales(rows.select([column.name])[column.name], column)
    return tuple(found)


def _undated(frame: pl.DataFrame, period: str) -> list[Problem]:
    """Rows without a day: they are in no period."""
    if not (count := frame[period].null_count()) or count == frame.height:
        return []
    rows = tuple(row + 2 for row in frame[period].is_null().arg_true()[:5].to_list())
    told = "row has" if count == 1 else "rows have"
    return [Problem(f"{count:,} {told} no day, so no reading counts them. Fill the day in the file.", period, rows)]


def _twice(rows: Rows) -> list[Problem]:
    if rows.height < 2:
        return []
    # Rows as numbers, some at a time: hashing takes room of its own, and sorting is the quickest look for equals.
    rows_as_numbers = as_numbers(slices_of(rows), rows.height)
    parts = np.uint64(1 + rows.height // _SORTED)
    equal = np.concatenate([_equal(rows_as_numbers, parts, part) for part in range(int(parts))])
    count = len(equal)
    if not count:
        return []
    places = pl.Series(rows_as_numbers).is_in(pl.Series(equal).unique()).arg_true()  # few of many, as a rule
    again = places.filter(~pl.Series(rows_as_numbers[places.to_numpy()]).is_first_distinct())
    told = "row is" if count == 1 else "rows are"
    where = tuple(row + 2 for row in again[:5].to_list())
    return [Problem(f"{count:,} {told} the same as an earlier one in every cell. They count twice.", rows=where)]


def _equal(numbers: np.ndarray, parts: np.uint64, part: int) -> np.ndarray:
    """Those that are there before, of one part of all numbers: of many rows sorting all at once takes much room."""
    ordered = np.sort(numbers if parts == 1 else numbers[numbers % parts == part])
    found: np.ndarray = ordered[1:][ordered[1:] == ordered[:-1]]
    return found


def _gaps(frame: pl.DataFrame, period: str, columns: Sequence[Column]) -> list[Problem]:
    days = frame[period].unique().drop_nulls()
    grain = next((column.grain for column in columns if column.name == period), None)
    steps = days.sort().diff().dt.total_days().drop_nulls()
    if (
        days.is_empty()
        or grain in ("quarter", "half", "year")
        or (len(steps) > 3 and steps.to_numpy().mean() > SPARSE_DAYS)
    ):  # type: ignore[arg-type]
        return []
    held = {(day.year, day.month) for day in days.to_list()}
    first, last = days.min(), days.max()
    assert isinstance(first, dt.date) and isinstance(last, dt.date)
    if (last.year - first.year) > 400:
        return [Problem(f"The days run from {first} to {last}. Some of them look mistyped.", period)]
    empty = [month.short for month in months(first, last) if (month.start.year, month.start.month) not in held]
    if not empty:
        return []
    named = ", ".join(empty[:6]) + (f" and {len(empty) - 6} more" if len(empty) > 6 else "")
    return [Problem(f"There are no rows in {named}. Those months have no reading.", period)]


def _is_share(column: Column) -> bool:
    return column.unit == "%" or "share" in told_by(column.label) or "share" in told_by(column.name)


def _two_scales(cells: pl.Series, column: Column) -> list[Problem]:
    """Shares among numbers of up to 100: 0.88 and 88 in one column. A column that is no share may well hold both."""
    high = cells.max()
    if not isinstance(high, float) or not 1 < high <= 100:
        return []
    if not bool(((cells.abs() < 1) & (cells != 0)).any()):
        return []
    size = cells.drop_nulls().abs()
    size = size.filter(size > 0)
    small, large = size.filter(size <= 1), size.filter((size > 1) & (size <= 100))
    if len(small) + len(large) < len(size) or min(len(small), len(large)) < max(1, len(size) // 100):
        return []
    fractions = float((small != 1).mean() or 0)  # type: ignore[arg-type]
    if fractions < 0.5 or float(large.median() or 0) < 20 * float(small.median() or 1):  # type: ignore[arg-type]
        return []
    wrong = (cells.abs() > 1).fill_null(False) if len(large) < len(small) else (cells.abs() <= 1).fill_null(False)
    rows = tuple(row + 2 for row in wrong.arg_true()[:5].to_list())
    return [
        Problem(
            f"{len(small):,} cells look like fractions and {len(large):,} like percents: 0.88 and 88 in one column "
            "are a hundred times apart. Mend them in the file.",
            column.name,
            rows,
        )
    ]


def late_rows(rows: Rows, period: str | None, through: dt.date | None) -> Problem | None:
    """Rows of days after the one the dataset is said to be complete through."""
    if period is None or through is None:
        return None
    count = int((rows.select([period])[period] > through).sum())
    if not count:
        return None
    told = "row lies" if count == 1 else "rows lie"
    return Problem(f"{count:,} {told} after {through:%-d %B %Y}, the day the dataset is complete through.", period)


def spellings(members: Sequence[str]) -> list[tuple[str, str]]:
    """Spellings that differ by case, spaces or dashes alone: which one, and which it most likely is.

    members: the most frequent first; of those alike the first is taken as the right one.
    """
    right: dict[str, str] = {}
    found = []
    for member in members[:_MOST_SPELLINGS]:
        plain = "".join(sign for sign in member.casefold() if sign.isalnum())
        if plain in right and plain:
            found.append((member, right[plain]))
        else:
            right[plain] = member
    return found
