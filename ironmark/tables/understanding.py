"""What a table means: which lines are its title, head, figures, totals and notes, and what stands across and down.

Found by what the cells are, not by where they stand; whatever was told by hand goes before what is found.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, field, replace

import polars as pl

from ironmark.core.periods import RowGrain
from ironmark.tables.celltypes import Decimal
from ironmark.tables.grid import Grid
from ironmark.tables.heads import Heads
from ironmark.tables.lines import LineMark, Lines
from ironmark.tables.notations import YEARLESS, Periods, Settled
from ironmark.tables.quantities import PLAIN, Measure, is_blank, quantity, written_way
from ironmark.tables.reader import typed_in_parts
from ironmark.tables.spans import below_periods
from ironmark.tables.table import Problem, Table, Unreadable, identifiers
from ironmark.tables.table_words import YEAR
from ironmark.tables.told import Better, ColumnMark, Down, GroupsAre, Told
from ironmark.tables.unfolded import Result
from ironmark.tables.unfolding import Unfolding


@dataclass(frozen=True)
class Understood:
    """A table and how it was read. tidy: a plain list, which is read as one without any of this."""

    grid: Grid
    told: Told
    lines: tuple[LineMark, ...]
    columns: tuple[ColumnMark, ...]
    down: Down
    grain: RowGrain | None
    across: Periods | None
    table: Table
    units: Mapping[str, Measure]  # by head or KPI
    better: Mapping[str, Better]  # by KPI, of those whose row says it
    blanks: tuple[str, ...]  # how cells said that there is nothing
    year: int | None  # of periods that have none, and whether it was found
    asks_year: bool
    tidy: bool
    differs: tuple[str, ...] = ()  # totals that are not what they claim, and what contradicts itself
    measure: str = ""
    blocks: tuple[str, ...] = ()  # the tables of the sheet by name, where there are several
    block: int = 1  # the one that is read
    groups: GroupsAre | None = None  # what lines above groups of rows name; None: there are none
    places: Mapping[str, int] = field(default_factory=dict)  # the line, from 1, that each KPI or member stands in
    group_names: tuple[str, ...] = ()
    unread: tuple[str, ...] = ()  # what stands among periods and is none
    ambiguous: bool = False  # whether day and month could not be told apart
    line_count: int = 0  # of the whole table, where only its first and last lines were looked at

    @property
    def rows(self) -> int:
        """How many lines of figures there are."""
        more = max(0, self.line_count - len(self.lines))
        return more + sum(line.kind == "row" for line in self.lines)


@dataclass(frozen=True)
class _Meant:
    """What the lines of a table mean, before its cells are typed."""

    lines: Lines
    heads: Heads
    made: Unfolding
    differs: list[str]
    year: int | None
    tidy: bool


def understand(grid: Grid, told: Told = Told(), *, name: str = "", year_start: int = 1) -> Understood:
    """Read a table by what its cells are. name: of its file, which may tell a year. Raises Unreadable."""
    meant = _meant(grid, told, name, year_start)
    lines, heads, made, year = meant.lines, meant.heads, meant.made, meant.year
    found, across = made.result, heads.across
    periods = across or made.period
    # A year that each row says, in its group or beside it, is not asked for.
    yearless = across is not None and not made.group_years and not heads.at("year", "period")
    asks = yearless and across is not None and (across.yearless or any(key in YEARLESS for key in across.notations))
    alone = across is None and made.period is None and not told.as_of and year is None
    asks |= alone and any((read := heads.period_of(at)) and read.yearless for at in heads.at("period"))
    names = tuple(block.name or f"table {n}" for n, block in enumerate(lines.blocks, start=1))
    return Understood(
        grid, told, tuple(lines.marks), tuple(heads.marks), made.down, found.grain, across,
        _typed(found, meant.differs, year_start), found.units, found.better,
        tuple(Counter(c for at in lines.body for c in grid.rows[at] if c and is_blank(c))),
        year, asks, meant.tidy, tuple(meant.differs), made.measure,
        names if _has_other_tables(lines) else (), lines.block + 1, made.groups_are, found.places,
        tuple(dict.fromkeys(made.groups.values())), periods.unread if periods else (), bool(periods and periods.told),
    )  # fmt: skip


def units_of(grid: Grid) -> Mapping[str, Measure]:
    """The units that a plain list gives, by its heads; none where it is another table. Raises Unreadable."""
    meant = _meant(grid, Told(), "", 1)
    return meant.made.result.units if meant.tidy else {}


def _meant(grid: Grid, told: Told, name: str, year_start: int) -> _Meant:
    lines = Lines(below_periods(grid.rows), told.lines, told.block)
    if not lines.body:
        raise Unreadable("No line of figures was found. The table needs a line of heads and figures below them.")
    way: Decimal = written_way([c for row in grid.rows[:400] for c in row if c and quantity(c) is not None])
    corner = (
        ""
        if not lines.heads or any(YEAR.search(c) for c in grid.rows[lines.heads[-1]][1:])
        else grid.rows[lines.heads[-1]][0]
    )
    texts = (*lines.titles, corner, grid.sheet, name)
    year = told.year or next((int(years[0]) for text in texts if (years := YEAR.findall(text))), None)
    heads = Heads(lines, told, Settled(year, year_start, told.day_first), way)
    differs = lines.hold_totals(heads.at("across", "figure"), heads.at("period", "year"), way)
    if not lines.body:
        raise Unreadable("Every line of figures was told to be left out. Leave at least one.")
    heads.body = lines.body  # without those that were found to be totals
    made = Unfolding(heads, told, texts)
    found = made.result
    differs += found.mixed
    as_it_is = replace(told, down=None if told.down == "rows" else told.down)
    tidy = (
        heads.across is None and lines.heads == [0] and not made.groups and not differs and not _has_other_tables(lines)
        and all(line.kind in ("head", "row", "blank") for line in lines.marks)
        and all(column.kind in ("member", "figure", "period") for column in heads.marks)
        and len(made.periods_at) < 2 and found.plain and made.down == "rows"
        and all(one.scale == 1 for one in found.units.values()) and not told.as_of and as_it_is == replace(Told(), sheet=told.sheet)
    )  # fmt: skip
    return _Meant(lines, heads, made, differs, year, tidy)


def _has_other_tables(lines: Lines) -> bool:
    return len(lines.blocks) > len(lines.alike)


def _typed(found: Result, differs: list[str], year_start: int) -> Table:
    schema = {f"c{at}": pl.String for at in range(len(found.labels))}
    raw = pl.DataFrame(found.rows, schema=schema, orient="row")
    problems = [Problem(said) for said in differs]
    table = typed_in_parts(found.labels, raw, problems, "point", year_start)
    by_name = dict(zip(identifiers(found.labels), found.labels, strict=True))
    columns = [
        replace(
            column,
            grain=found.grain if column.role == "period" and found.grain else column.grain,
            unit=found.units.get(by_name.get(column.name, column.label), PLAIN).unit or column.unit,
            better=found.better.get(by_name.get(column.name, column.label), ""),
        )
        for column in table.columns
    ]
    return replace(table, columns=tuple(columns))
