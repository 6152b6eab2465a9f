"""What a table means: which lines are its title, head, figures, totals and notes, and what stands across and down.

Found by what the cells are, not by where they stand; whatever was told by hand goes before what is found.
"""

from __future__ import annotations

import datetime as dt
import re
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache
from typing import Literal

import polars as pl

from ironmark.core.nearest import folded
from ironmark.core.periods import RowGrain
from ironmark.tables.celltypes import Decimal
from ironmark.tables.grid import Grid
from ironmark.tables.notations import Periods, Settled, is_period, read_periods
from ironmark.tables.quantities import (
    PLAIN,
    Measure,
    Quantity,
    is_blank,
    measure_of,
    quantity,
    shared_measure,
    taken_apart,
    written_way,
)
from ironmark.tables.reader import typed_table
from ironmark.tables.table import Problem, Table, Unreadable, identifiers

LineKind = Literal["title", "head", "row", "group", "total", "note", "blank", "out"]
ColumnKind = Literal["period", "year", "member", "figure", "across", "unit", "target", "total", "out"]
Down = Literal["rows", "members", "kpis"]
HEAD_WITHIN, MOST_HEADS = 40, 3
NAMES_OF: dict[RowGrain, str] = {
    "day": "Day",
    "week": "Week",
    "month": "Month",
    "quarter": "Quarter",
    "half": "Half-year",
    "year": "Year",
}
_TOTALS = re.compile(
    r"^(grand |sub-?)?(totals?|totale|totaal|sum|summe|gesamt|gesamtsumme|insgesamt|zwischensumme|somme|suma|razem|celkem|yhteensa|overall|all together|altogether|i alt|ialt|totalt|toplam)\b|\btotal$|\bgesamt$"
)  # fmt: skip
_UNIT_HEADS = frozenset(
    {"unit", "units", "einheit", "unite", "unidad", "unita", "eenheid", "jednostka", "enhet", "measure unit", "uom"}
)
_TARGETS = re.compile(
    r"\b(target|plan|planned|budget|goal|ziel|soll|objectif|objetivo|meta|obiettivo|doel|mal|cel|limit|threshold)\b"
)
_KPI_HEADS = re.compile(
    r"\b(kpi|figure|measure|metric|indicator|kennzahl|indikator|indicateur|indicador|indicatore|item|what)s?\b"
)
_PARTS = re.compile(r"^(of which|thereof|davon|dont|de los cuales|di cui|waarvan)\b", re.I)
_YEAR = re.compile(r"(?<!\d)((?:19|20)\d\d)(?!\d)")


@dataclass(frozen=True)
class Told:
    """What was said by hand of a table, before or in a recipe. lines: by their number from 1; columns: by their heads."""

    sheet: str | None = None
    lines: Mapping[int, LineKind] = field(default_factory=dict)
    columns: Mapping[str, ColumnKind] = field(default_factory=dict)
    down: Down | None = None
    measure: str = ""  # what the figures of members are called
    year: int | None = None
    as_of: dt.date | None = None  # the day of rows without a period
    day_first: bool | None = None


@dataclass(frozen=True)
class LineMark:
    kind: LineKind
    why: str = ""


@dataclass(frozen=True)
class ColumnMark:
    kind: ColumnKind
    label: str


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
    blanks: tuple[str, ...]  # how cells said that there is nothing
    year: int | None  # of periods that have none, and whether it was found
    asks_year: bool
    tidy: bool
    differs: tuple[str, ...] = ()  # totals that are not what they claim
    measure: str = ""
    line_count: int = 0  # of the whole table, where only its first and last lines were looked at

    @property
    def rows(self) -> int:
        """How many lines of figures there are."""
        more = max(0, self.line_count - len(self.lines))
        return more + sum(line.kind == "row" for line in self.lines)


def understand(grid: Grid, told: Told = Told(), *, name: str = "", year_start: int = 1) -> Understood:
    """Read a table by what its cells are. name: of its file, which may tell a year. Raises Unreadable."""
    return _Reader(grid, told, name, year_start).read()


class _Reader:
    """One reading of a grid: what is found step by step, each step resting on those before."""

    def __init__(self, grid: Grid, told: Told, name: str, year_start: int) -> None:
        self.grid, self.told, self.name, self.year_start = grid, told, name, year_start
        self.rows = grid.rows
        self.signs = [[_sign(cell) for cell in row] for row in grid.rows]
        self.periods_at: list[int] = []  # columns whose cells are the periods of rows
        self.head_lines: list[list[str]] = []
        self.carried = False  # whether a blank cell stands for what is above it
        self.titled: dt.date | None = None  # the period that a title gives to all rows
        self.way: Decimal = written_way([c for row in grid.rows[:400] for c in row if c and quantity(c) is not None])

    def read(self) -> Understood:
        heads = self._heads()
        self.lines = self._lines(heads)
        self.titles = [
            cell for at, line in enumerate(self.lines) if line.kind == "title" for cell in self.rows[at] if cell
        ]
        self.body = [at for at, line in enumerate(self.lines) if line.kind == "row"]
        if not self.body:
            raise Unreadable("No line of figures was found. The table needs a line of heads and figures below them.")
        self.labels = self._labels(heads)
        self.year = self._year()
        self.columns, across, self.level = self._columns(heads)
        self.differs = self._totals()
        self.body = [at for at, line in enumerate(self.lines) if line.kind == "row"]
        self.groups = self._groups()
        period = self._period_down() if across is None else None
        if across is None and period is None and not self.told.as_of:
            period = self._of_title()
        grain = across.grain if across else period.grain if period else None
        down = self._down(across)
        units: dict[str, Measure] = {}
        blanks = tuple(Counter(c for at in self.body for c in self.rows[at] if c and is_blank(c)))
        measure = self.told.measure or self._measure_name()
        if across is not None:
            labels, rows = self._unfolded(across, down, units, measure)
        else:
            labels, rows = self._listed(period, units)
        tidy = (
            across is None and len(heads) == 1 and heads[0] == 0 and not self.groups and not self.differs
            and not any(line.kind not in ("head", "row", "blank") for line in self.lines)
            and all(column.kind in ("member", "figure", "period") for column in self.columns)
            and len(self.periods_at) < 2 and not self.carried and not self.titled
            and all(one.scale == 1 for one in units.values()) and not self.told.as_of and self.told == replace(Told(), sheet=self.told.sheet)
        )  # fmt: skip
        table = self._typed(labels, rows, grain, units)
        yearless = across is not None and across.yearless
        return Understood(
            self.grid, self.told, tuple(self.lines), tuple(self.columns), down, grain, across, table, units, blanks,
            self.year, yearless or (self.year is not None and self._months_alone(across)), tidy, tuple(self.differs), measure,
        )  # fmt: skip

    # Lines

    def _figures(self, at: int) -> int:
        """How many figures a line has; years that head columns are none."""
        return 0 if self._of_years(at) else self.signs[at].count("n")

    def _of_years(self, at: int) -> bool:
        cells = [cell for cell, sign in zip(self.rows[at], self.signs[at], strict=True) if sign == "n"]
        years = [int(cell) for cell in cells if re.fullmatch(r"(19|20)\d\d", cell)]
        return len(cells) > 1 and len(years) == len(cells) and (years == sorted(set(years)) or years == sorted(set(years), reverse=True) or _repeating(years))  # fmt: skip

    def _filled(self, at: int) -> int:
        return sum(bool(sign) for sign in self.signs[at])

    def _heads(self) -> list[int]:
        """The lines of the head: the last wide line of words above the first figures, and those that go with it."""
        if said := sorted(
            at - 1 for at, kind in self.told.lines.items() if kind == "head" and 0 < at <= len(self.rows)
        ):
            return said
        taken = {at - 1 for at, kind in self.told.lines.items() if kind != "head"}
        near = range(min(len(self.rows), HEAD_WITHIN))
        first = next((at for at in near if self._figures(at) and self._filled(at) > 1 and at not in taken), None)
        if first is None:  # nothing but words: the first line of several is the head
            first = next((at for at in near if self._filled(at) > 1), len(self.rows) - 1) + 1
        width = max((self._filled(at) for at in range(first, min(first + 20, len(self.rows)))), default=1)
        above = [at for at in range(first) if self._filled(at) >= max(1, min(2, width)) and at not in taken]
        wide = [at for at in above if self._filled(at) >= 0.45 * width] or above[-1:]
        if not wide:
            return []
        last = wide[-1]
        heads = [last]
        for at in range(last - 1, max(-1, last - MOST_HEADS), -1):
            if at not in above or self._filled(at) < 2 or at in taken:
                break
            heads.insert(0, at)
        return heads

    def _lines(self, heads: Sequence[int]) -> list[LineMark]:
        found: list[LineMark] = []
        last = max((at for at in range(len(self.rows)) if self._figures(at)), default=-1)
        begin = heads[-1] if heads else -1
        for at, row in enumerate(self.rows):
            said = self.told.lines.get(at + 1)
            filled = self._filled(at)
            first = next((cell for cell, sign in zip(row, self.signs[at], strict=True) if sign), "")
            if said:
                found.append(LineMark(said, "told by hand"))
            elif at in heads:
                found.append(LineMark("head"))
            elif not any(row):
                found.append(LineMark("blank"))
            elif at < begin:
                found.append(LineMark("title"))
            elif heads and row == self.rows[begin]:
                found.append(LineMark("out", "the head once more"))
            elif self._figures(at) and _TOTALS.search(folded(first)):
                found.append(LineMark("total"))
            elif at > last and last > begin and (filled < 2 or len(first) > 40):
                found.append(LineMark("note"))
            elif filled == 1 and last > begin and self.signs[at].index(next(s for s in self.signs[at] if s)) == 0 and not self._figures(at) and not any(map(is_blank, filter(None, row))):  # fmt: skip
                following = at + 1 < len(self.rows) and self._figures(at + 1)
                found.append(LineMark("group" if following and len(first) <= 60 else "note"))
            else:
                found.append(LineMark("row"))
        return found

    def _labels(self, heads: Sequence[int]) -> list[str]:
        """The heads of the columns: of several lines the upper ones carried along, joined."""
        if not heads:
            return [f"Column {at + 1}" for at in range(self.grid.width)]
        self.head_lines = [list(self.rows[at]) for at in heads]
        for line in self.head_lines[:-1]:
            for at in range(1, len(line)):
                if not line[at] and any(lower[at] for lower in self.head_lines[1:]) and line[at - 1]:
                    line[at] = line[at - 1]
        labels = []
        for at in range(self.grid.width):
            parts = list(dict.fromkeys(line[at] for line in self.head_lines if line[at]))
            labels.append(" ".join(parts))
        return labels

    # Columns

    def _year(self) -> int | None:
        if self.told.year:
            return self.told.year
        for text in (*self.titles, self.grid.sheet, self.name):
            if found := _YEAR.findall(text):
                return int(found[0])
        return None

    def _cells(self, column: int) -> list[str]:
        return [self.rows[at][column] for at in self.body]

    def _columns(self, heads: Sequence[int]) -> tuple[list[ColumnMark], Periods | None, list[str]]:
        settled = Settled(self.year, self.year_start, self.told.day_first)
        figures = [at for at in range(self.grid.width) if self._mostly_figures(at)]
        across, places, level = self._across(figures, settled) if heads else (None, [], [])
        marks: list[ColumnMark] = []
        for at in range(self.grid.width):
            label = self.labels[at]
            said = self.told.columns.get(label)
            cells = [cell for cell in self._cells(at) if cell and not is_blank(cell)]
            kind: ColumnKind
            if said and not (said == "across" and at not in places):
                kind = said
            elif at in places:
                kind = "across"
            elif not cells:
                kind = "out"
            elif across and (folded(label) in _UNIT_HEADS or (at not in figures and all(map(_is_unit, cells)))):
                kind = "unit"
            elif at in figures:
                words = folded(label)
                year = bool(re.search(r"\b(year|jahr|annee|ano|anno|jaar|rok)\b", words)) and all(
                    _YEAR.fullmatch(c) for c in cells
                )
                month = bool(re.search(r"\b(month|monat|mois|mes|mese|maand)\b", words)) and all(
                    c.isdigit() and 1 <= int(c) <= 12 for c in cells
                )
                dated = read_periods(cells, settled, label) is not None
                kind = "period" if year or month or dated else "total" if _TOTALS.search(words) and across else "target" if _TARGETS.search(words) and across else "figure"  # fmt: skip
            elif read_periods(cells, replace(settled, year=settled.year or 2000), label) is not None:
                kind = "period"
            else:
                kind = "member"
            marks.append(ColumnMark(kind, label))
        return marks, across, level

    def _mostly_figures(self, column: int) -> bool:
        cells = [cell for cell in self._cells(column) if cell and not is_blank(cell)]
        good = sum(quantity(cell, self.way) is not None for cell in cells)
        return bool(cells) and good >= 0.8 * len(cells)

    def _across(self, figures: Sequence[int], settled: Settled) -> tuple[Periods | None, list[int], list[str]]:
        """Periods that head columns of figures: their places, and what the other line of the head says of each."""
        said = self.told.columns
        # A month for which nothing has come yet is one all the same.
        places_of = [
            at for at in range(self.grid.width) if at in figures or all(is_blank(cell) for cell in self._cells(at))
        ]
        figures = [at for at in places_of if said.get(self.labels[at], "across") == "across"]
        lines = self.head_lines
        for own in reversed(range(len(lines))):
            rest = [
                " ".join(dict.fromkeys(line[at] for n, line in enumerate(lines) if n != own and line[at]))
                for at in range(self.grid.width)
            ]
            texts = {at: lines[own][at] for at in figures if lines[own][at]}
            places = [at for at, text in texts.items() if is_period(text) or _YEAR.fullmatch(text)]
            # One month alone is one where nothing else has figures, or somebody said so.
            if len(places) < (1 if said or len(figures) == 1 else 2):
                continue
            joined = [texts[at] for at in places]
            years = [_YEAR.search(rest[at]) for at in places]
            if all(years) and not any(_YEAR.search(text) for text in joined):  # the year stands in the line above
                joined = [f"{text} {year[0]}" for text, year in zip(joined, years, strict=True) if year]
                rest = [_YEAR.sub("", text).strip() for text in rest]
            read = read_periods(joined, settled, "")
            if read is None and settled.year is None:
                read = read_periods(joined, settled, "period")
            if read is not None:
                return read, places, [rest[at] for at in places]
        return None, [], []

    def _groups(self) -> dict[int, str]:
        """The group heading that a row stands under, by its line."""
        found, group = {}, ""
        for at, line in enumerate(self.lines):
            if line.kind == "group":
                group = next(cell for cell in self.rows[at] if cell)
            elif line.kind == "row" and group:
                found[at] = group
        return found

    def _totals(self) -> list[str]:
        """Leave out rows that are the sum of those above them, and hold what is called a total against that sum."""
        wide = [at for at, column in enumerate(self.columns) if column.kind in ("across", "figure")]
        # A row with a period of its own is one of the figures, whatever it adds up to.
        dated = [at for at, column in enumerate(self.columns) if column.kind in ("period", "year")]
        said: list[str] = []
        run: list[int] = []
        # Summed as they come: of those since the last total, and of all that stand above.
        since, above, rows_above = [0.0] * len(wide), [0.0] * len(wide), 0
        for at, line in enumerate(self.lines):
            if line.kind in ("group", "blank") and len(run) < 2:
                run, since = [], [0.0] * len(wide)
            if line.kind not in ("row", "total"):
                continue
            own = [quantity(self.rows[at][c], self.way) for c in wide]
            pairs = [(q.value, total) for q, total in zip(own, since, strict=True) if q is not None]
            if line.kind == "row" and len(pairs) == 1 and len(wide) > 2 and at + 1 not in self.told.lines and (of := self._sum_of(run[-60:], wide, pairs[0][0])):  # fmt: skip
                self.lines[at] = LineMark("total", f"the sum of {of}")
                continue
            meets = [abs(value - total) <= 0.006 * max(1.0, abs(total)) for value, total in pairs]
            if line.kind == "total" and not all(meets) and rows_above > len(run):
                meets = [
                    abs(q.value - total) <= 0.006 * max(1.0, abs(total))
                    for q, total in zip(own, above, strict=True)
                    if q is not None
                ]
            found = line.kind == "row" and len(run) > 1 and len(pairs) > 1 and at + 1 not in self.told.lines
            if found and all(meets) and any(value for value, _ in pairs) and not any(is_period(self.rows[at][c]) for c in dated):  # fmt: skip
                self.lines[at] = LineMark("total", "the sum of the rows above it")
                run, since = [], [0.0] * len(wide)
            elif line.kind == "total":
                if pairs and all(meets):
                    self.lines[at] = LineMark("total", line.why or "the sum of the rows above it")
                elif pairs and len(run) > 1 and not any("%" in self.rows[at][c] for c in wide):
                    value, total = next(pair for pair, good in zip(pairs, meets, strict=True) if not good)
                    first = next(cell for cell in self.rows[at] if cell)
                    said.append(f"“{first}” says {value:g}, and the rows above it come to {total:g}.")
                run, since = [], [0.0] * len(wide)
            else:
                run.append(at)
                rows_above += 1
                since = [total + (q.value if q else 0) for total, q in zip(since, own, strict=True)]
                above = [total + (q.value if q else 0) for total, q in zip(above, own, strict=True)]
        return said

    def _sum_of(self, run: Sequence[int], wide: Sequence[int], value: float) -> str:
        """The row whose figures add up to a value; "" for none."""
        for r in reversed(run):
            figures = [q.value for c in wide if (q := quantity(self.rows[r][c], self.way))]
            if len(figures) > 2 and abs(sum(figures) - value) <= 0.006 * max(1.0, abs(value)):
                return next((cell for cell in self.rows[r] if cell), "a row above")
        return ""

    # What stands down the side

    def _members(self) -> list[int]:
        return [at for at, column in enumerate(self.columns) if column.kind == "member"]

    def _down(self, across: Periods | None) -> Down:
        if across is None:
            return "rows"
        if self.told.down in ("members", "kpis"):
            return self.told.down
        kinds = {column.kind for column in self.columns}
        named = any(_KPI_HEADS.search(folded(self.labels[at])) for at in self._members())
        own = {self._measure_of_row(at).unit for at in self.body} - {""}
        return (
            "kpis" if self._members() and ("unit" in kinds or "target" in kinds or named or len(own) > 1) else "members"
        )

    def _measure_of_row(self, at: int) -> Measure:
        for column, mark in enumerate(self.columns):
            if mark.kind == "unit" and (found := measure_of(self.rows[at][column])) is not None:
                return found
        for column in reversed(self._members()):
            if (found := taken_apart(self.rows[at][column])[1]) is not None:
                return found
        cells = [
            q
            for c, mark in enumerate(self.columns)
            if mark.kind in ("across", "figure")
            if (q := quantity(self.rows[at][c], self.way))
        ]
        return shared_measure(cells)

    def _measure_name(self) -> str:
        plain = [taken_apart(_YEAR.sub("", text).strip(" ,.:-–"))[0].strip(" ,.:-–") for text in self.titles[:1]]
        return next((text for text in plain if 0 < len(text) <= 40), "") or "Value"

    def _period_down(self) -> Periods | None:
        """The periods of the rows: one column, or a year in one and the month in another."""
        places = [at for at, column in enumerate(self.columns) if column.kind in ("period", "year")]
        if not places:
            return None
        settled = Settled(self.year, self.year_start, self.told.day_first)
        columns = {at: self._carried(at) for at in places}
        years = [at for at in places if all(_YEAR.fullmatch(cell) for cell in columns[at] if cell)]
        rest = [at for at in places if at not in years]
        if years and rest:
            joined = [_month_of(part, year) for part, year in zip(columns[rest[0]], columns[years[0]], strict=True)]
            if (read := read_periods(joined, settled, "period")) is not None:
                self.periods_at = [years[0], rest[0]]
                return read
        for at in rest + years:
            if (
                read := read_periods(columns[at], settled, self.labels[at] or "period")
            ) is not None and not read.yearless:
                self.periods_at = [at]
                return read
        return None

    def _of_title(self) -> Periods | None:
        """The period that stands in a title, the name of the sheet or of the file, as that of every row."""
        for text in (*self.titles, self.grid.sheet, self.name):
            words = re.split(r"[\s,;:()_]+", text)
            for size in (3, 2, 1):
                for at in range(len(words) - size + 1):
                    part = " ".join(words[at : at + size])
                    read = (
                        read_periods([part], Settled(None, self.year_start, self.told.day_first))
                        if is_period(part)
                        else None
                    )
                    if read is not None and read.days[0] is not None:
                        self.titled = read.days[0]
                        return replace(read, days=(read.days[0],) * len(self.body))
        return None

    def _carried(self, column: int) -> list[str]:
        """The cells of a column, a blank one standing for what is above it where others do too."""
        cells = ["" if is_blank(cell) else cell for cell in self._cells(column)]
        blank = sum(not cell for cell in cells)
        if not cells or not cells[0] or blank < 2 or blank < 0.3 * len(cells):  # fewer are missing
            return cells
        self.carried = True
        found, last = [], ""
        for cell in cells:
            last = cell or last
            found.append(last)
        return found

    # What comes of it

    def _value(self, text: str, measure: Measure) -> str:
        """A cell as a plain number, its scale multiplied in; "" for one that is none."""
        found = quantity(text, self.way) if text and not is_blank(text) else None
        if found is None:
            return "" if is_blank(text) else text
        return _number(found, measure)

    def _unfolded(
        self, across: Periods, down: Down, units: dict[str, Measure], measure: str
    ) -> tuple[list[str], list[list[str]]]:
        """Periods across the top as rows of their own."""
        places = [at for at, column in enumerate(self.columns) if column.kind == "across"]
        members = self._members()
        texts = {at: self._carried(at) for at in members}
        named = next(
            (at for at in members if _KPI_HEADS.search(folded(self.labels[at]))), members[-1] if members else None
        )
        others = [at for at in members if at != named] if down == "kpis" else members
        targets = [at for at, column in enumerate(self.columns) if column.kind == "target"]
        levels = list(dict.fromkeys(self.level)) if len(set(self.level)) > 1 else [""]
        if down != "kpis":
            every = [q for at in self.body for c in places if (q := quantity(self.rows[at][c], self.way))]
            of_all = taken_apart(_YEAR.sub("", " ".join(self.titles)).strip())[1] or shared_measure(every)
            for level in levels:
                units[level or measure] = _as_written(taken_apart(level)[1] or of_all, every)
        cells: dict[tuple[str, ...], dict[str, str]] = {}
        names: dict[str, None] = {}
        parent = ""
        for n, at in enumerate(self.body):
            key = [*([self.groups.get(at, "")] if self.groups else []), *(texts[m][n] for m in others)]
            if down == "kpis" and named is not None:
                said = texts[named][n] or f"Row {at + 1}"
                plain, _ = taken_apart(said)
                name = f"{parent} {plain.lower()}" if _PARTS.match(plain) and parent else plain
                parent = parent if _PARTS.match(plain) else plain
                row_cells = [q for c in places if (q := quantity(self.rows[at][c], self.way))]
                units.setdefault(name, _as_written(self._measure_of_row(at), row_cells))
            else:
                name = ""
            for place, day in zip(places, across.days, strict=True):
                if day is None:
                    continue
                row = cells.setdefault((*key, day.isoformat()), {})
                level = self.level[places.index(place)] if len(levels) > 1 else ""
                called = " ".join(filter(None, (name, taken_apart(level)[0]))) or measure
                names.setdefault(called)
                row[called] = self._value(self.rows[at][place], units.get(name or level or measure, PLAIN))
                for target in targets:
                    aimed = f"{name or measure} target"
                    names.setdefault(aimed)
                    units.setdefault(aimed, units.get(name or measure, PLAIN))
                    row[aimed] = self._value(self.rows[at][target], units[aimed])
        heads = [
            *(["Group"] if self.groups else []),
            *(self.labels[m] or "Member" for m in others),
            NAMES_OF[across.grain],
        ]
        return [*heads, *names], [[*key, *(row.get(name, "") for name in names)] for key, row in cells.items()]

    def _listed(self, period: Periods | None, units: dict[str, Measure]) -> tuple[list[str], list[list[str]]]:
        """A list as it stands, its period as a day."""
        labels: list[str] = []
        columns: list[list[str]] = []
        taken = self.periods_at if period else []
        if self.groups:
            labels.append("Group")
            columns.append([self.groups.get(at, "") for at in self.body])
        if period is not None:
            labels.append((self.labels[taken[0]] if len(taken) == 1 else "") or NAMES_OF[period.grain])
            columns.append([day.isoformat() if day else "" for day in period.days])
        elif self.told.as_of:
            labels.append("As of")
            columns.append([self.told.as_of.isoformat()] * len(self.body))
        for at, column in enumerate(self.columns):
            if at in taken or column.kind in ("out", "total", "unit"):
                continue
            cells = self._carried(at) if column.kind == "member" else self._cells(at)
            label, measure = taken_apart(column.label) if column.kind in ("figure", "target") else (column.label, None)
            if column.kind in ("figure", "target"):
                own = [q for cell in cells if cell and (q := quantity(cell, self.way))]
                measure = _as_written(measure or shared_measure(own), own)
                cells = [self._value(cell, measure) for cell in cells]
                if measure.scale == 1 and measure.unit != "%":
                    label = column.label  # what formulas call it stays as it was
                units[label] = measure
            labels.append(label or f"Column {at + 1}")
            columns.append(cells)
        return labels, [list(row) for row in zip(*columns, strict=True)]

    def _typed(
        self, labels: list[str], rows: list[list[str]], grain: RowGrain | None, units: Mapping[str, Measure]
    ) -> Table:
        schema = {f"c{at}": pl.String for at in range(len(labels))}
        raw = pl.DataFrame(rows, schema=schema, orient="row")
        problems = [Problem(said) for said in self.differs]
        table = typed_table(labels, raw, problems, "point", self.year_start)
        by_name = dict(zip(identifiers(labels), labels, strict=True))
        columns = [
            replace(
                column,
                grain=grain if column.role == "period" and grain else column.grain,
                unit=units.get(by_name[column.name], PLAIN).unit,
            )
            for column in table.columns
        ]
        return replace(table, columns=tuple(columns))

    def _months_alone(self, across: Periods | None) -> bool:
        return across is not None and any("alone" in key for key in across.notations)


@lru_cache(maxsize=1 << 17)
def _sign(cell: str) -> str:
    """What a cell is: n a figure, p a period, t a text, "" nothing."""
    if not cell or is_blank(cell):
        return ""
    if quantity(cell) is not None and not is_period(cell):
        return "n"
    return "p" if is_period(cell) else "t"


def _is_unit(cell: str) -> bool:
    """Whether a cell is a unit and could hardly be a name."""
    found = measure_of(cell)
    return found is not None and bool(found) and (len(cell) > 1 or not cell.isalpha())


def _repeating(years: Sequence[int]) -> bool:
    """2025, 2026, 2025, 2026: years below measures that stand above them."""
    size = len(set(years))
    return size > 1 and len(years) % size == 0 and list(years) == list(years[:size]) * (len(years) // size)


def _month_of(part: str, year: str) -> str:
    """A month, quarter or week and its year as one text."""
    if part.isdigit():
        return f"{year}-{int(part):02d}" if year else ""
    return f"{part} {year}" if part and year else ""


def _as_written(measure: Measure, cells: Sequence[Quantity]) -> Measure:
    """Of what is said to be percents: 0.904 is a share already, 90.4 is not."""
    shares = [abs(cell.value) for cell in cells if cell.measure.unit != "%"]
    return (
        Measure("%", 100.0) if measure.unit == "%" and measure.scale == 1 and shares and max(shares) <= 1 else measure
    )


def _number(found: Quantity, measure: Measure) -> str:
    value = found.value
    scale = found.measure.scale if found.measure.scale != 1 else measure.scale
    if measure.unit == "%" and found.measure.unit == "%":
        scale = 1.0
    elif measure.unit == "%":
        value = round(value / 100, 12)  # 90.4 below a head that says percent
    if scale != 1:
        value = round(value * scale, 9)
    text = repr(value)
    # A number has a decimal point; a fourth decimal keeps 1.234 from looking like thousands.
    return f"{text}0" if "e" not in text and len(text.partition(".")[2]) == 3 else text
