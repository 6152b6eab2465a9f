"""Long tables with periods across the top and nothing odd in them: their first and last lines tell how they are read, and
columns do the rest. What comes of one is what looking at every cell would come to."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
import polars as pl

from ironmark.core.formula_nodes import ColumnType
from ironmark.core.nearest import LETTERS
from ironmark.tables.column_typing import by_members
from ironmark.tables.heads import OF_EACH_ROW, REMARKS, is_target
from ironmark.tables.lines import NEAR
from ironmark.tables.quantities import PLAIN, taken_apart
from ironmark.tables.reader import Plan, parsed, separator_of
from ironmark.tables.table import Table, assign_roles, columns_of, identifiers, no_period, overview
from ironmark.tables.table_words import TARGETS, TOTALS
from ironmark.tables.told import ColumnMark
from ironmark.tables.understanding import Understood
from ironmark.tables.unfolding import MOST_PLACES

FEWEST = 5000  # rows: of fewer every cell is looked at, which finds sums that are called nothing
_ODD = r"[\u00a0\s]{2}|\u00a0|^\s|\s$|^'|[¹²³⁴⁵⁶⁷⁸⁹*†‡]+\s*$"  # what is written otherwise once it is read
_NUMBER = r"^[\d.,%+\-\s()]+$"
_WITH_COMMA = r"^-?(\d+(,(\d{1,2}|\d{4,}))?|0,\d+)$"  # 1,234 is one or another number by how the others are written
_LOOKED_AT = 20_000  # bytes that tell how cells are parted, and whether figures have a decimal comma
_YEARS = 1900, 2200  # a line of nothing but these may head others
_PARENT = 60  # lines above in which a sum by itself is looked for


@dataclass(frozen=True)
class _Cells:
    """The cells of all lines below the head. figures: (rows, periods), NaN for none; members: by their place."""

    figures: np.ndarray
    members: Mapping[int, pl.Series]


def unfolded(body: bytes, ends: Understood) -> Understood | None:
    """A table as it is understood as a whole; None where something in it asks for every cell to be looked at.

    ends: what its first and last lines are understood as.
    """
    if not _is_plainly_wide(ends):
        return None
    cells = _cells_of(body, ends)
    if cells is None or len(cells.figures) <= FEWEST or _has_totals(cells) or _tells_kpis(cells.members):
        return None
    table, last = _table(ends, cells), list(cells.members.values())[-1]
    if table is None:
        return None
    return replace(ends, table=table, line_count=len(cells.figures) + 1, places=_places(last))


def _is_plainly_wide(ends: Understood) -> bool:
    """Whether lines are members down the side, plain figures below periods, and a head of one line above them."""
    heads = [line.kind for line in ends.lines]
    return (
        ends.across is not None
        and ends.down == "members"
        and heads[:1] == ["head"]
        and set(heads[1:]) == {"row"}
        and ends.groups is None
        and not ends.blocks
        and not (ends.differs or ends.told.lines or ends.told.columns or ends.told.as_of)
        and all(unit == PLAIN for unit in ends.units.values())
        and all(map(_is_known, ends.columns))
        and any(column.kind == "member" for column in ends.columns)
        and len(ends.table.columns) == 2 + sum(column.kind == "member" for column in ends.columns)
    )


def _is_known(column: ColumnMark) -> bool:
    """Whether it is plain what a column is: one of totals is left out by what it is called, not by what it adds up to."""
    if column.kind == "total":
        return bool(TOTALS.search(column.label.casefold()))
    return column.kind in ("member", "across") or (column.kind == "out" and column.why in (OF_EACH_ROW, REMARKS))


def _cells_of(body: bytes, ends: Understood) -> _Cells | None:
    """The cells by columns; None where a line is longer than another, or a figure is no plain number."""
    body = body.removeprefix(b"\xef\xbb\xbf")
    end = body.find(b"\n") + 1
    first = body[: end + _LOOKED_AT]
    try:
        text = first.decode(errors="ignore")
        separator = separator_of(text)
        labels = next(csv.reader(io.StringIO(text, newline=""), delimiter=separator))
    except (StopIteration, csv.Error):
        return None
    if len(labels) != len(ends.columns):
        return None
    kinds = ["text" if column.why == REMARKS else column.kind for column in ends.columns]
    below = first[end:]
    commas = separator != "," and bool(re.search(rb"\d,\d", below)) and b"." not in below
    figure = pl.String if commas else pl.Float64
    schema = {f"c{at}": pl.String if kind in ("member", "text") else figure for at, kind in enumerate(kinds)}
    frame = parsed(body, Plan(labels, separator, schema, {}, None, {}), header=True)
    if frame is None:
        return None
    across = [f"c{at}" for at, kind in enumerate(kinds) if kind == "across"]
    if commas:
        if not all(frame.select(pl.col(across).str.contains(_WITH_COMMA).all()).row(0)):
            return None
        frame = frame.with_columns(pl.col(across).str.replace(",", ".", literal=True).cast(pl.Float64))
    figures = frame.select(across).to_numpy()
    known = ~np.isnan(figures)
    remarks = [frame[f"c{at}"] for at, kind in enumerate(kinds) if kind == "text"]
    if any(_mostly_numbers(cells) for cells in remarks):
        return None
    years = (figures >= _YEARS[0]) & (figures <= _YEARS[1])
    no_figures = (years == known).all(axis=1)  # of a line: none at all, or years alone
    members = {at: frame[f"c{at}"] for at, kind in enumerate(kinds) if kind == "member"}
    if bool(np.isinf(figures).any()) or bool(no_figures.any()) or not all(map(_is_plain, members.values())):
        return None
    return _Cells(figures, members)


def _is_plain(names: pl.Series) -> bool:
    """Whether a column names members as they are read, and is not to be carried down."""
    blank = names.null_count() + int((names == "").sum())
    return blank < max(2, 0.3 * len(names)) and not _mostly_numbers(names) and not names.str.contains(_ODD).any()


def _mostly_numbers(cells: pl.Series) -> bool:
    return int(cells.str.contains(_NUMBER).sum()) >= 0.5 * max(1, len(cells) - cells.null_count())


def _folded(names: pl.Series) -> pl.Series:
    """``core.nearest.folded`` of many."""
    lower = names.str.to_lowercase()
    at = (lower.str.len_bytes() > lower.str.len_chars()).arg_true()  # accents take longest to look for
    plain = (
        lower.gather(at)
        .str.normalize("NFKD")
        .str.replace_all(r"\p{M}", "")
        .str.replace_many(LETTERS)
        .str.normalize("NFC")
    )
    return lower.scatter(at, plain)


def _tells_kpis(members: Mapping[int, pl.Series]) -> bool:
    """Whether lines are of several KPIs: one is the target of another, or their names tell different units."""
    units = set()
    for names in members.values():
        there = names.unique().drop_nulls()
        if any(map(is_target, there.filter(_folded(there).str.contains(TARGETS.pattern)))):
            return True
        frame = pl.DataFrame({"name": there, "last": there.str.extract(r"([^\s,]+)$")})
        telling = frame.filter(pl.col("last").str.contains(r"[^\W\d]|[%£€$¥#°]")).unique("last", maintain_order=True)
        for name in (*telling["name"], *there.filter(there.str.contains(r"[(\[]"))):
            if (measure := taken_apart(name)[1]) is not None and measure.unit:
                units.add(measure.unit)
    return len(units) > 1


def _has_totals(cells: _Cells) -> bool:
    """Whether a line is called a total, is the sum of those above it, or holds that of a line above and nothing else; see
    ``Lines.hold_totals``."""
    figures, names = cells.figures, next(iter(cells.members.values()))
    if bool(_folded(names.unique()).str.contains(TOTALS.pattern).any()):
        return True
    known, values = ~np.isnan(figures), np.nan_to_num(figures)
    above = np.cumsum(values, axis=0) - values
    meets = (np.abs(values - above) <= NEAR * np.maximum(1.0, np.abs(above))) | ~known
    many, row = known.sum(axis=1), np.arange(len(figures))
    enough = ((many > 1) & (row > 1)) | ((many == 1) & (row > 2) & (row == len(figures) - 1))
    if bool((enough & meets.all(axis=1) & (values != 0).any(axis=1)).any()):
        return True
    if figures.shape[1] < 3:
        return False
    alone, own = row[many == 1], values.sum(axis=1)
    for back in range(1, _PARENT + 1):
        of = alone[alone >= back] - back
        near = np.abs(own[of + back] - own[of]) <= NEAR * np.maximum(1.0, np.abs(own[of]))
        if bool((near & (many[of] > 2)).any()):
            return True
    return False


def _table(ends: Understood, cells: _Cells) -> Table | None:
    """A row for each line and period, in that order."""
    assert ends.across is not None
    rows = len(cells.figures)
    there = [at for at, day in enumerate(ends.across.days) if day]
    of_row = pl.Series(np.repeat(np.arange(rows, dtype=np.uint32), len(there)))
    labels = [column.label for column in ends.table.columns]
    made: list[pl.Series] = []
    kinds: list[ColumnType] = []
    problems = []
    for names, name in zip(cells.members.values(), identifiers(labels), strict=False):
        typed = by_members(names, name, "point")
        if typed is None or any(problem.rows for problem in typed.found):
            return None  # the lines it tells of are those of the rows that come of it
        made.append(typed.cells.gather(of_row).alias(name))
        kinds.append(typed.kind)
        problems += [replace(problem, column=name) for problem in typed.found]
    days = pl.Series([ends.across.days[at] for at in there], dtype=pl.Date)
    value = pl.Series(cells.figures[:, there].reshape(-1)).fill_nan(None)
    day_name, value_name = identifiers(labels)[-2:]
    made += [days.gather(np.tile(np.arange(len(there)), rows)).alias(day_name), value.alias(value_name)]
    frame = pl.DataFrame(made)
    grains = {day_name: ends.table.columns[-2].grain} if ends.table.columns[-2].grain else {}
    found = columns_of(frame.columns, labels, [*kinds, "date", "number"], grains)
    with_roles = assign_roles(overview(frame, found), found)
    units = {column.name: column.unit for column in ends.table.columns}
    columns = tuple(replace(column, unit=units[column.name]) for column in with_roles)
    return Table(frame, columns, (*problems, *no_period(frame.height, columns)))


def _places(names: pl.Series) -> dict[str, int]:
    """The line, from 1, of each member that is named once."""
    there = pl.DataFrame({"name": names}).with_row_index("line", offset=2).drop_nulls()
    lines = there.group_by("name", maintain_order=True).agg(pl.col("line").first(), pl.len()).head(MOST_PLACES)
    return {name: line for name, line, many in lines.iter_rows() if many == 1}
