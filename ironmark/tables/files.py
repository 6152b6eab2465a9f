"""A file as a table: a plain list is read as one, anything else the way its maker meant it, by a recipe where there is one."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any, TypeVar

from ironmark.tables.celltypes import Decimal
from ironmark.tables.formats import is_records, read_file
from ironmark.tables.grid import OLD_WORKBOOK, WORKBOOKS, Grid, grid_of
from ironmark.tables.lines import LineKind
from ironmark.tables.list_ends import FIRST, LAST, list_ends, outer_lines
from ironmark.tables.notations import is_period
from ironmark.tables.quantities import PLAIN, Measure, taken_apart
from ironmark.tables.reader import decoded
from ironmark.tables.spans import IN_MINUTES
from ironmark.tables.table import LongTable, Problem, Table, Unreadable
from ironmark.tables.told import ColumnKind, Told
from ironmark.tables.understanding import Understood, understand, units_of
from ironmark.tables.wide_lists import unfolded

AnyTable = TypeVar("AnyTable", Table, LongTable)
MOST_LOOKED_AT = 3_000_000  # bytes: larger files come from machines, and are lists
MOST_UNFOLDED = 12_000_000  # bytes of one whose ends say otherwise


@dataclass(frozen=True)
class ReadFile:
    """What a file came to. recipe: how it was read, to read the next one alike; None of a plain list. differs: what no
    longer fits the recipe it was read by."""

    table: Table
    recipe: dict[str, Any] | None = None
    differs: tuple[str, ...] = ()


@dataclass(frozen=True)
class LongFile:
    """What a file came to that is too long to be held: a plain list, then."""

    table: LongTable
    recipe: None = None
    differs: tuple[str, ...] = ()


def read_table(
    body: bytes, *, sheet: str | None = None, decimal: Decimal | None = None, name: str = "", year_start: int = 1,
    recipe: Mapping[str, Any] | None = None, listed: bool = False,
) -> ReadFile:  # fmt: skip
    """Read a file of any kind. recipe: how the one before was read, or what was said by hand; listed: whether the one before was a
    list whose lines stood as they were. Raises Unreadable."""
    if body[:4] == b"PAR1" or is_records(body):
        return ReadFile(_of_heads(read_file(body, sheet, decimal)))
    workbook = body[:4] in WORKBOOKS
    if not recipe and decimal is not None:
        return ReadFile(read_file(body, sheet, decimal))
    free = not recipe and not workbook  # nothing says how it is read
    try:
        ends = None if workbook else understood_ends(body, recipe or {}, name=name, year_start=year_start)
        if free and ends and ends.tidy:
            return ReadFile(_with_units(read_file(body, sheet, decimal), ends.units))
        if free and not ends and len(body) > MOST_LOOKED_AT:
            return ReadFile(_list_in(body, sheet, decimal))
        found = unfolded(body, ends) if ends else None
        if found is None and free and len(body) > _most_looked_at(ends):
            return ReadFile(_with_a_word(read_file(body, sheet, decimal), ends))
        found = found or _look_at_all(body, recipe or {}, sheet=sheet, name=name, year_start=year_start, listed=listed)
    except Unreadable:
        if recipe or (workbook and body[:2] != b"PK"):
            raise
        return ReadFile(read_file(body, sheet, decimal))  # says itself what is wrong
    by_format = workbook and found.grain not in (None, "day")  # dates that are shown as months
    if found.tidy and not recipe and body[:4] != OLD_WORKBOOK and not by_format:
        return ReadFile(_with_units(read_file(body, found.grid.sheet or None, decimal), found.units))
    own = recipe_of(found)
    return ReadFile(replace(found.table, recipe=own), own, deviations(recipe or {}, found))


def _list_in(body: bytes, sheet: str | None, decimal: Decimal | None) -> Table:
    """A text as a plain list, but for what stands above it and below it."""
    ends = list_ends(*outer_lines(body))
    body = body[ends.before : len(body) - ends.after]
    table = _with_units(read_file(body, sheet, decimal), units_given(body))
    return replace(table, problems=ends.told(table.problems))


def _with_units(table: AnyTable, units: Mapping[str, Measure]) -> AnyTable:
    """A plain list with the units that its cells and heads give. units: by head."""
    timed = {problem.column for problem in table.problems if problem.message == IN_MINUTES}
    given = {one.name: "min" if one.name in timed else units.get(one.label, PLAIN).unit for one in table.columns}
    columns = [
        replace(one, unit=given[one.name]) if one.type == "number" and given[one.name] and not one.unit else one
        for one in table.columns
    ]
    return replace(table, columns=tuple(columns))


def units_given(body: bytes) -> Mapping[str, Measure]:
    """The units that a plain list of delimited text gives in its first lines, by its heads."""
    first, _ = outer_lines(body)
    lines = first.splitlines(keepends=True)
    columns = max((lines[0].count(sign) for sign in (b",", b";", b"\t", b"|")), default=0) + 1 if lines else 1
    try:
        return units_of(grid_of(b"".join(lines[: max(_TELL_UNITS, min(_MOST_TELL, _CELLS_TELL // columns))])))
    except Unreadable:
        return {}


def _of_heads(table: AnyTable) -> AnyTable:
    """A table whose cells are numbers with the units that its heads give: Volume (m³). What is said to be percents may be shares."""
    given = {c.label: taken_apart(c.label)[1] or PLAIN for c in table.columns if c.type == "number"}
    return _with_units(table, {label: one for label, one in given.items() if one.scale == 1 and one.unit != "%"})


def of_long(table: LongTable) -> LongFile:
    """What a long list came to, with the units that it gives."""
    return LongFile(_with_units(table, units_given(table.begins)) if table.begins else _of_heads(table))


FIRST_BYTES = 20_000  # which the first line is looked for in
_TELL_UNITS, _MOST_TELL, _CELLS_TELL = 6, 20, 2_000  # lines, of many columns and of few; and cells
_SMALL = 20_000  # bytes, below which all of it is looked at


def _most_looked_at(ends: Understood | None) -> int:
    """Bytes of a text up to which all of it is looked at: more where it looks like no list."""
    return MOST_LOOKED_AT if ends is None or ends.across is None else MOST_UNFOLDED


def _with_a_word(table: Table, ends: Understood | None) -> Table:
    if ends is None or ends.across is None:
        return table
    said = (
        "Periods stand across the top. In a table as long as this one they are read as periods where every figure is a plain "
        "number, no line is a total, and the head is one line: mend that in the file, or save it in parts."
    )
    return replace(table, problems=(*table.problems, Problem(said)))


def understood_ends(
    body: bytes, recipe: Mapping[str, Any], *, name: str = "", year_start: int = 1
) -> Understood | None:
    """What the first and last lines of a long text are understood as, with the rows of these alone; None of a short one,
    and of one so long that it is a list where its first line heads no periods."""
    if len(body) <= _SMALL or (len(body) > MOST_LOOKED_AT and not recipe and not heads_periods(body)):
        return None
    try:
        grid = grid_of(b"".join(outer_lines(body)))
        return understand(grid, told_of(recipe, grid), name=name, year_start=year_start)
    except Unreadable:
        return None


def heads_periods(body: bytes) -> bool:
    """Whether several cells of the first line of a text are periods."""
    try:
        head, _ = decoded(body[: body.find(b"\n", 0, FIRST_BYTES) + 1] or b" ")
    except Unreadable:
        return False
    return sum(map(is_period, re.split(r"[,;\t|]", head.replace('"', "").strip()))) > 1


def _sample(grid: Grid) -> Grid:
    """The first and last lines of a long table: titles, heads, totals and notes stand there."""
    return grid if len(grid.rows) <= FIRST + LAST else replace(grid, rows=(*grid.rows[:FIRST], *grid.rows[-LAST:]))


def look_at(
    body: bytes, recipe: Mapping[str, Any], *, sheet: str | None = None, name: str = "", year_start: int = 1
) -> Understood:
    """What a file is understood as. Raises Unreadable."""
    ends = None if body[:4] in WORKBOOKS else understood_ends(body, recipe, name=name, year_start=year_start)
    wide = unfolded(body, ends) if ends else None
    return wide or _look_at_all(body, recipe, sheet=sheet, name=name, year_start=year_start)


def _look_at_all(
    body: bytes, recipe: Mapping[str, Any], *, sheet: str | None = None, name: str = "", year_start: int = 1,
    listed: bool = False,
) -> Understood:  # fmt: skip
    """The same by every cell."""
    wanted = sheet or recipe.get("sheet") or None
    try:
        grid = grid_of(body, wanted)
    except Unreadable:
        if sheet or not wanted:
            raise
        grid = grid_of(body)  # the sheet has another name by now
    if not recipe:
        sample = _sample(grid)
        told = Told(sheet=grid.sheet or None, down="rows" if listed else None)
        quick = understand(sample, told, name=name, year_start=year_start)
        if quick.tidy or sample is grid:
            return replace(quick, line_count=len(grid.rows))
    told = told_of({"down": "rows"} if listed and not recipe else recipe, grid)
    return understand(grid, told, name=name, year_start=year_start)


def told_of(recipe: Mapping[str, Any], grid: Grid) -> Told:
    """What a recipe says, for the lines of another table: by what stands in them, not by their number."""
    lines: dict[int, LineKind] = {int(at): kind for at, kind in (recipe.get("lines") or {}).items()}
    head = [text for text in recipe.get("head") or [] if text]
    by_word: Mapping[str, LineKind] = recipe.get("rows") or {}
    for at, row in enumerate(grid.rows, start=1):
        first = next((cell for cell in row if cell), "")
        if head and at not in lines and [cell for cell in row if cell] == head:
            lines[at] = "head"
        elif first in by_word:
            lines.setdefault(at, by_word[first])
    as_of = recipe.get("as_of")
    columns: Mapping[str, ColumnKind] = recipe.get("columns") or {}
    return Told(
        sheet=grid.sheet or None, lines=lines, columns=columns, down=recipe.get("down"),
        block=recipe.get("block"),
        groups=recipe.get("groups"), measure=str(recipe.get("measure") or ""), year=recipe.get("year"), as_of=dt.date.fromisoformat(as_of) if as_of else None,
        day_first=recipe.get("day_first"),
    )  # fmt: skip


def recipe_of(found: Understood) -> dict[str, Any]:
    """How a table was read, as JSON: what was said by hand, and what the next one is held against."""
    told, grid = found.told, found.grid
    heads = [at for at, line in enumerate(found.lines) if line.kind == "head"]
    by_word = {
        next((cell for cell in grid.rows[at - 1] if cell), ""): kind
        for at, kind in told.lines.items()
        if kind != "head" and at <= len(grid.rows)
    }
    said_head = any(kind == "head" for kind in told.lines.values())
    return {
        "sheet": grid.sheet,
        "head": [cell for cell in grid.rows[heads[-1]] if cell] if heads and said_head else [],
        "rows": {word: kind for word, kind in by_word.items() if word},
        "columns": dict(told.columns),
        "down": found.down if found.down != "rows" else None,
        "block": found.block if found.blocks else None,
        "groups": found.groups,
        "measure": told.measure,
        "year": told.year,
        "as_of": told.as_of.isoformat() if told.as_of else None,
        "day_first": told.day_first,
        "seen": {
            "heads": [column.label for column in found.columns if column.kind not in ("across", "out") and column.label],
            "across": found.across is not None,
            "grain": found.grain,
            "places": dict(found.places),
            "units": {name: [measure.unit, measure.scale] for name, measure in found.units.items() if measure},
        },
    }  # fmt: skip


def deviations(recipe: Mapping[str, Any], found: Understood) -> tuple[str, ...]:
    """What of a table no longer fits the recipe it is read by, in sentences."""
    seen = recipe.get("seen")
    if not seen:
        return ()
    now = recipe_of(found)["seen"]
    said = [f"No column is called “{head}” any more." for head in seen["heads"] if head not in now["heads"]]
    if seen["across"] != now["across"]:
        said.append("Periods stood across the top before." if seen["across"] else "Periods stand across the top now.")
    if seen["grain"] != now["grain"] and now["grain"]:
        said.append(f"The periods were {_plural(seen['grain'])} and are {_plural(now['grain'])} now.")
    for name, (unit, scale) in seen["units"].items():
        measure = found.units.get(name)
        if measure is not None and (measure.unit, measure.scale) != (unit, scale):
            said.append(f"{name} was in {_unit(unit, scale)} and is in {_unit(measure.unit, measure.scale)} now.")
    if found.across is not None:
        days = [day for day in found.across.days if day]
        levels = max(
            1, len({column.label for column in found.columns if column.kind == "across"}) // max(1, len(set(days)))
        )
        if len(days) > len(set(days)) * levels:
            said.append("A period stands across the top twice.")
    return tuple(said)


def _plural(grain: str | None) -> str:
    return {"half": "halves", "day": "days"}.get(grain or "", f"{grain}s") if grain else "none"


def _unit(unit: str, scale: float) -> str:
    times = f"{scale:,.0f} " if scale not in (1, 100) else ""
    return f"{times}{unit or 'plain numbers'}"
