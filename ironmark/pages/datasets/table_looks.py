"""A table as it came, marked like a proof: what each line and column was taken for, sentences that can be changed, and
what comes of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import polars as pl

from ironmark.core.nearest import folded
from ironmark.core.numbers import NumberStyle, Unit, show
from ironmark.core.units import unit_called
from ironmark.tables.files import recipe_of
from ironmark.tables.formats import as_text
from ironmark.tables.grid import ALL_ALIKE
from ironmark.tables.lines import OF_TARGETS, LineKind
from ironmark.tables.parts_across import parts_across
from ironmark.tables.table_words import KPI_NAMES, TARGET, says_of_kpis
from ironmark.tables.told import ColumnKind
from ironmark.tables.understanding import Understood
from ironmark.tables.unfolded import NAMES_OF

FIRST_LINES, LAST_LINES = 60, 12  # of a long table are drawn
MOST_RESULTS = 12


@dataclass(frozen=True)
class LookLine:
    """A line of the table: its number from 1, its cells, and what it was taken for."""

    at: int
    cells: list[str]
    kind: LineKind
    why: str


@dataclass(frozen=True)
class LookColumn:
    label: str
    kind: ColumnKind
    why: str


@dataclass(frozen=True)
class Choice:
    key: str
    name: str


@dataclass(frozen=True)
class Piece:
    """A part of a sentence; with a slot it can be changed to one of its choices, or to what is typed or a day."""

    text: str
    slot: str = ""  # what it changes: down, groups, block, year, day_first, as_of, measure, or column:HEAD
    choices: tuple[Choice, ...] = ()


@dataclass(frozen=True)
class Outcome:
    """What comes of a table: a figure's name, what it is, and its newest value."""

    name: str
    says: str
    shown: str


@dataclass(frozen=True)
class TableLook:
    """lines: those drawn, of ``line_count``. sentences: each a list of pieces. recipe: how it is read, to send back."""

    name: str
    sheet: Choice | None
    sheets: list[Choice]
    line_count: int
    lines: list[LookLine]
    columns: list[LookColumn]
    sentences: list[list[Piece]]
    outcomes: list[Outcome]
    told: list[str]
    rows: int
    period: bool
    tidy: bool  # a plain list, which needs no look
    recipe: dict[str, Any]


@dataclass(frozen=True)
class UnfoldedTable:
    """A table made for the eye as rows of their own, as texts, and how it was read in a sentence."""

    labels: list[str]
    rows: list[list[str]]
    said: str


def unfolded(found: Understood) -> UnfoldedTable | None:
    """None of a plain list, and of a table whose periods have no year yet."""
    if found.tidy or not found.table.frame.height:
        return None
    said = " ".join("".join(piece.text for piece in sentence) for sentence in _sentences(found))
    rows = [[as_text(cell) for cell in row] for row in found.table.frame.rows()]
    return UnfoldedTable([column.label for column in found.table.columns], rows, said)


_KINDS: dict[ColumnKind, str] = {
    "member": "a segment", "figure": "figures", "period": "the period", "across": "a period across", "unit": "the unit",
    "target": "the target", "better": "which way is better", "total": "a total, left out", "out": "left out",
}  # fmt: skip
_DOWN = (Choice("kpis", "a KPI"), Choice("members", "a member"))
_GROUPS = (Choice("members", "members"), Choice("measures", "figures of their own"))
_DAY_FIRST = (Choice("true", "day first"), Choice("false", "month first"))


def _sheet_choice(name: str) -> Choice:
    return Choice(name, "all with the same heads" if name == ALL_ALIKE else name)


def looked_at(found: Understood, name: str, style: NumberStyle) -> TableLook:
    grid = found.grid
    shown = [at for at in range(len(grid.rows)) if at < FIRST_LINES or at >= len(grid.rows) - LAST_LINES]
    return TableLook(
        name=name,
        sheet=_sheet_choice(grid.sheet) if grid.sheet else None,
        sheets=[_sheet_choice(sheet) for sheet in grid.sheets],
        line_count=max(len(grid.rows), found.line_count),
        lines=[LookLine(at + 1, list(grid.rows[at]), found.lines[at].kind, found.lines[at].why) for at in shown],
        columns=[LookColumn(column.label, column.kind, column.why) for column in found.columns],
        sentences=_sentences(found),
        outcomes=_outcomes(found, style),
        told=[
            *found.differs,
            *_unread(found),
            *(problem.message for problem in found.table.problems if problem.message not in found.differs),
        ],
        rows=found.rows if found.tidy else found.table.frame.height,
        period=any(column.role == "period" for column in found.table.columns),
        tidy=found.tidy,
        recipe=_sendable(found),
    )


def _unread(found: Understood) -> list[str]:
    """What stands among periods and is none, with the lines it stands in."""
    said = []
    for text in found.unread[:5]:
        at = [n for n, row in enumerate(found.grid.rows, start=1) if text in row][:5]
        lines = f"line{'' if len(at) == 1 else 's'} {', '.join(map(str, at))}"
        said.append(f"“{text}” in {lines} is read as no period: those rows have no reading.")
    return said


def _sentences(found: Understood) -> list[list[Piece]]:
    made = (
        _tables(found),
        _figures(found),
        _groups(found),
        _periods(found),
        _columns(found),
        _targets(found),
        _left_out(found),
    )
    return [pieces for pieces in made if pieces]


def _sendable(found: Understood) -> dict[str, Any]:
    """The recipe with the lines that were told by their number: they are of this very table."""
    recipe = recipe_of(found)
    recipe.pop("seen")
    return recipe | {"lines": {str(at): kind for at, kind in found.told.lines.items()}, "rows": {}, "head": []}


def _tables(found: Understood) -> list[Piece]:
    """Which of several tables on the sheet is read."""
    if not found.blocks:
        return []
    choices = tuple(Choice(str(n), name) for n, name in enumerate(found.blocks, start=1))
    here = found.blocks[found.block - 1]
    return [
        Piece(f"{len(found.blocks)} tables stand here; this is "),
        Piece(here, "block", choices),
        Piece(". Read each of the others as a dataset of its own."),
    ]


def _figures(found: Understood) -> list[Piece]:
    count = found.rows
    rows = "one row" if count == 1 else f"{count:,} rows"
    named = next((c.label for c in found.columns if c.kind == "member" and c.label), "")
    if found.down in ("rows", "across"):
        said = [Piece("The row stands as it is" if count == 1 else f"Each of {rows} stands as it is")]
        figures = [column.label for column in found.columns if column.kind == "figure"]
        if len(figures) < 2 or found.grain is None:
            return [*said, Piece(".")]
        own = found.down == "rows"
        heads = f"{figures[0]} to {figures[-1]}" if len(figures) > 2 else " and ".join(figures)
        parts = parts_across(figures)
        of_one = "members" if parts is None else "days" if parts.days else "hours"
        ways = Choice("rows", "figures of their own"), Choice("across", f"{of_one} of one figure")
        said += [Piece(f"; {heads} are "), Piece(ways[0 if own else 1].name, "down", ways)]
        return [*said, Piece(".")] if own else [*said, Piece(", "), Piece(found.measure, "measure"), Piece(".")]
    begin = "The row is " if count == 1 else f"Each of {rows} is "
    pieces = [
        Piece(begin),
        Piece("a KPI" if found.down == "kpis" else f"a member of {named or 'a segment'}", "down", _DOWN),
    ]
    if found.down == "members" and not named and (period := _period_of_rows(found)):
        pieces = [Piece(begin), Piece(period)]
    if found.groups == "measures":
        return [*pieces, Piece(".")]
    if found.down == "kpis":
        named = next((c.label for c in found.columns if KPI_NAMES.search(folded(c.label))), named)
        return [*pieces, Piece(f" named by {named}." if named else ".")]
    if found.across is None:
        return [*pieces, Piece(".")]
    return [*pieces, Piece(", and its figures are "), Piece(found.measure, "measure"), Piece(".")]


def _period_of_rows(found: Understood) -> str:
    """What each row is, where it is a period of those across: a year of months; "" for anything else."""
    down = any(column.kind in ("period", "year") for column in found.columns)
    finest = found.across is not None and found.across.grain
    return {"year": "a month of each year", "month": "a year"}.get(finest or "", "a period") if down else ""


def _groups(found: Understood) -> list[Piece]:
    if found.groups is None:
        return []
    names = list(dict.fromkeys(found.group_names))
    said = " and ".join(names) if len(names) < 3 else f"{names[0]} to {names[-1]}"
    chosen = next(choice.name for choice in _GROUPS if choice.key == found.groups)
    return [Piece(f"{said}, which stand above rows, are "), Piece(chosen, "groups", _GROUPS), Piece(".")]


def _periods(found: Understood) -> list[Piece]:
    if found.across is not None:
        heads = [column.label for column in found.columns if column.kind == "across"]
        grain = NAMES_OF[found.across.grain].lower()
        plural = {"half-year": "half-years"}.get(grain, f"{grain}s")
        pieces = [Piece(f"{heads[0]} to {heads[-1]} are {plural}" if len(heads) > 1 else f"{heads[0]} is a {grain}")]
        if found.asks_year:
            pieces += [Piece(" of "), Piece(str(found.year) if found.year else "which year?", "year")]
            last = max((day.year for day in found.across.days if day), default=0)
            pieces += [Piece(f" and {last}")] if found.year and last > found.year else []
        return [*pieces, *_day_first(found), Piece(".")]
    if found.grain is not None:
        column = next((c.label for c in found.table.columns if c.role == "period"), "")
        grain = NAMES_OF[found.grain].lower()
        return [Piece(f"The rows are by {grain}, as {column} says"), *_day_first(found), Piece(".")]
    if found.asks_year:
        column = next((c.label for c in found.columns if c.kind == "period"), "")
        return [Piece(f"{column} says no year: it is of "), Piece("which year?", "year"), Piece(".")]
    as_of = found.told.as_of
    if as_of:
        return [
            Piece("The rows are as of "),
            Piece(f"{as_of:%-d %B %Y}", "as_of"),
            Piece("; each refresh adds another day."),
        ]
    return [Piece("No row says when it is of: the rows are "), Piece("as of no day", "as_of"), Piece(".")]


def _day_first(found: Understood) -> list[Piece]:
    """Where day and month cannot be told apart, or somebody told them."""
    told = found.told.day_first
    if not found.ambiguous and told is None:
        return []
    return [Piece(", "), Piece(_DAY_FIRST[1 if told is False else 0].name, "day_first", _DAY_FIRST)]


def _columns(found: Understood) -> list[Piece]:
    pieces: list[Piece] = []
    for column in found.columns:
        if (
            column.kind in ("across", "period")
            or not column.label
            or (found.down == "across" and column.kind == "figure")
            or (found.down == "kpis" and found.across is None and says_of_kpis(column.label))
        ):
            continue
        if pieces:
            pieces.append(Piece("; "))
        measure = found.units.get(column.label)
        pieces += [Piece(f"{column.label} is "), Piece(_KINDS[column.kind], f"column:{column.label}", tuple(Choice(key, said) for key, said in _KINDS.items() if key != "across"))]  # fmt: skip
        if column.kind == "out" and column.why and column.why != "told by hand":
            pieces.append(Piece(f" ({column.why})"))
        if measure and measure.scale not in (1, 100):
            pieces.append(Piece(f", in {measure.unit or 'units'} times {measure.scale:,.0f}"))
    scaled = sorted({(m.unit, m.scale) for m in found.units.values() if m.scale not in (1, 100)})
    pieces = pieces[: 4 * 8]
    for unit, scale in scaled if found.down != "rows" else ():
        pieces.append(Piece(f"; {unit or 'figures'} are times {scale:,.0f}"))
    return [*pieces, Piece(".")] if pieces else []


def _targets(found: Understood) -> list[Piece]:
    names = (
        next(filter(None, found.grid.rows[at]), "") for at, line in enumerate(found.lines) if line.why == OF_TARGETS
    )
    return [Piece(f"“{name}” holds a target for each column.") for name in names]


def _left_out(found: Understood) -> list[Piece]:
    lines = [line for line in found.lines if line.why != OF_TARGETS]
    counts = {kind: sum(line.kind == kind for line in lines) for kind in ("title", "total", "note", "out")}
    names = {"title": "title line", "total": "total", "note": "note", "out": "other line"}
    said = [f"{count} {names[kind]}{'' if count == 1 else 's'}" for kind, count in counts.items() if count]
    if found.blanks:
        said_blank = ", ".join(f"“{blank}”" for blank in found.blanks[:4])
        blank = f" {said_blank} {'is' if len(found.blanks) == 1 else 'are'} read as blank."
    else:
        blank = ""
    if not said and not blank:
        return []
    left = f"{_listed(said)} {'is' if len(said) == 1 and said[0].startswith('1 ') else 'are'} left out." if said else ""
    return [Piece(f"{left}{blank}".strip())]


def _listed(said: Sequence[str]) -> str:
    return said[0] if len(said) == 1 else f"{', '.join(said[:-1])} and {said[-1]}"


def _outcomes(found: Understood, style: NumberStyle) -> list[Outcome]:
    """The figures that come of it, each with its newest value."""
    frame, results = found.table.frame, list[Outcome]()
    period = next((column.name for column in found.table.columns if column.role == "period"), None)
    newest = frame.filter(pl.col(period) == frame[period].max()) if period and frame.height else frame
    names = {column.label for column in found.table.columns}
    for column in found.table.columns:
        if column.type != "number" or column.role != "measure" or column.label.removesuffix(f" {TARGET}") in names - {column.label}:  # fmt: skip
            continue
        cells = newest[column.name].drop_nulls()
        unit = unit_called(column.unit) or Unit("number", 0)
        places = 1 if unit.kind in ("percent", "duration") else unit.decimals
        value = cells[-1] if len(cells) == 1 else cells.mean() if column.unit == "%" else cells.sum()
        says = [{"%": "percent", "": "number"}.get(column.unit, column.unit)]
        if len(cells) > 1:
            says.append(f"{'the mean' if column.unit == '%' else 'together'} of {len(cells)}")
        if found.better.get(column.label):
            says.append(f"{found.better[column.label]} is better")
        aim = next((c.name for c in found.table.columns if c.label == f"{column.label} {TARGET}"), None)
        aims = newest[aim].drop_nulls() if aim else None
        if aims is not None and len(aims) and aims.n_unique() == 1:
            says.append(f"target {show(float(aims[0]), Unit(unit.kind, places, unit.currency, unit.text), style)}")
        elif aims is not None and len(aims):
            says.append("a target for each")
        shown = show(float(value), Unit(unit.kind, places, unit.currency, unit.text, abs(float(value)) >= 10_000), style) if len(cells) and isinstance(value, int | float) else "no reading"  # fmt: skip
        results.append(Outcome(column.label, " · ".join(says), shown))
    return results[:MOST_RESULTS]
