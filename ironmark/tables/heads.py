"""The columns of a table: what their heads say, which are periods across the top, and what each of the others is."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from dataclasses import replace

from ironmark.core.drafting_words import TICKS
from ironmark.core.nearest import folded
from ironmark.core.periods import MONTHS, ROW_GRAINS, RowGrain, finer
from ironmark.tables.celltypes import Decimal
from ironmark.tables.lines import LineMark, Lines, near
from ironmark.tables.notations import YEARLESS, Periods, Settled, grain_of, is_period, read_periods, says_week
from ironmark.tables.quantities import is_blank, measure_of, quantity, taken_apart
from ironmark.tables.table_words import (
    DIRECTION_HEADS,
    FOOT,
    HIGHER,
    LOWER,
    TARGETS,
    TOTALS,
    UNIT_HEADS,
    WORKED_OUT,
    YEAR,
)
from ironmark.tables.told import Better, ColumnKind, ColumnMark, Told

MOST_STATES = 12  # different words that stand below periods: states, yes and no
OF_EACH_ROW, REMARKS = "a number of each row", "remarks"  # why a column is left out
MONTH_NAMES = tuple(name[:3] for name in MONTHS)


class Heads:
    """The columns of the lines of a table. settled: what is known of its periods."""

    def __init__(self, lines: Lines, told: Told, settled: Settled, way: Decimal) -> None:
        self.lines, self.told, self.settled, self.way = lines, told, settled, way
        self.rows, self.body = lines.rows, lines.body
        self.width = len(self.rows[0])
        self.head_lines: list[list[str]] = []
        self.labels = self._labels()
        self._coarser_rows()
        self.body = lines.body
        self.level: list[str] = []  # what the other line of the head says of each period across
        self.across: Periods | None = None
        self.texts: list[str] = []  # the periods across as they are written
        self.marks = self._marks(True)
        # Rows that say their own period, year and all, have no other one above.
        if self.across and any(self._says_its_own(at) for at in self.at("period")):
            self.across = None
            self.marks = self._marks(False)

    def _says_its_own(self, column: int) -> bool:
        read = self.period_of(column)
        months_of_years = bool(read and read.grain == "year" and self.across and self.across.notations[0] in YEARLESS)
        return bool(read and not read.yearless and not months_of_years)

    def period_of(self, column: int) -> Periods | None:
        return read_periods(self.carried(column)[0], self.settled, self.labels[column] or "period")

    def at(self, *kinds: ColumnKind) -> list[int]:
        return [at for at, column in enumerate(self.marks) if column.kind in kinds]

    def cells(self, column: int) -> list[str]:
        return [self.rows[at][column] for at in self.body]

    def carried(self, column: int) -> tuple[list[str], bool]:
        """The cells of a column, a blank one standing for what is above it where others do too; whether any does."""
        cells = ["" if is_blank(cell) else cell for cell in self.cells(column)]
        blank = sum(not cell for cell in cells)
        if not cells or not cells[0] or blank < 2 or blank < 0.3 * len(cells):  # fewer are missing
            return cells, False
        if {cell.lower() for cell in cells if cell} <= TICKS:  # what is not ticked is not so
            return cells, False
        found, last = [], ""
        for cell in cells:
            last = cell or last
            found.append(last)
        return found, True

    def _labels(self) -> list[str]:
        """The heads of the columns: of several lines the upper ones carried along, joined."""
        if not self.lines.heads:
            return [f"Column {at + 1}" for at in range(self.width)]
        self.head_lines = [[FOOT.sub("", cell) for cell in self.rows[at]] for at in self.lines.heads]
        for at in self.lines.heads:
            # Months by their number.
            places = [c for c in range(self.width) if self.rows[at][c].isdigit()]
            if len(places) == 12 and [int(self.rows[at][c]) for c in places] == list(range(1, 13)):
                line = self.head_lines[self.lines.heads.index(at)]
                for c, name in zip(places, MONTH_NAMES, strict=True):
                    line[c] = name
        for line in self.head_lines[:-1]:
            for at in range(1, len(line)):
                below = self.head_lines[-1][at]
                # A year is carried over its months, not over the total or the remarks beside them.
                of_year = bool(YEAR.fullmatch(line[at - 1])) and not is_period(below) and not YEAR.fullmatch(below)
                if not line[at] and any(lower[at] for lower in self.head_lines[1:]) and line[at - 1] and not of_year:
                    line[at] = line[at - 1]
        return [" ".join(dict.fromkeys(line[at] for line in self.head_lines if line[at])) for at in range(self.width)]

    def _coarser_rows(self) -> None:
        """Quarters among months down the side are their totals."""
        for column in range(self.width):
            grains = {at: grain_of(self.rows[at][column]) for at in self.body}
            main, coarser = _main_grain([grain for grain in grains.values() if grain])
            if main is None or sum(grain is not None for grain in grains.values()) < 0.9 * len(self.body):
                continue
            for at, grain in grains.items():
                if grain in coarser and at + 1 not in self.told.lines:
                    self.lines.marks[at] = LineMark("total", f"a {grain} among {main}s")
            if coarser:
                return

    def _marks(self, across: bool) -> list[ColumnMark]:
        figures = [at for at in range(self.width) if self._mostly_figures(at)]
        places: list[int] = []
        coarser: dict[int, str] = {}
        if self.head_lines and across:
            beside = [at for at, why in self._once_more(figures).items() if why == "of another table"]
            figures = [at for at in figures if at not in beside]
            self.across, places, self.level, coarser = self._across(figures, bool(beside))
        sums = self._sums(figures, places)
        marks = []
        twice = self._once_more(figures)
        for at in range(self.width):
            label = self.labels[at]
            said = self.told.columns.get(label)
            if said and not (said == "across" and at not in places):
                marks.append(ColumnMark(said, label, "told by hand"))
            elif at in twice and at not in places:
                marks.append(ColumnMark("out", label, twice[at]))
            elif at in places:
                marks.append(ColumnMark("across", label))
            elif at in coarser:
                marks.append(ColumnMark("target" if TARGETS.search(folded(label)) else "total", label, coarser[at]))
            elif at in sums:
                marks.append(ColumnMark("total", label, "the sum of the columns beside it"))
            else:
                kind, why = self._kind(at, figures, places)
                marks.append(ColumnMark(kind, label, why))
        return marks

    def _kind(self, at: int, figures: Sequence[int], places: Sequence[int]) -> tuple[ColumnKind, str]:
        """What a column is that has no period above it, and why it is left out."""
        words = folded(self.labels[at])
        cells = [cell for cell in self.cells(at) if cell and not is_blank(cell)]
        if not cells:  # nothing has come yet of what a dataset may have a column for
            return ("member", "") if self.told.down == "rows" and words else ("out", "empty")
        if self.across and words in UNIT_HEADS and any(measure_of(cell) is not None for cell in cells):
            return "unit", ""
        if self.across and at not in figures and all(map(_is_unit, cells)):
            return "unit", ""
        if self.across and DIRECTION_HEADS.search(words) and all(folded(cell) in HIGHER | LOWER for cell in cells):
            return "better", ""
        if at in figures:
            year = bool(re.search(r"\b(year|jahr|annee|ano|anno|jaar|rok|ar|vuosi)\b", words)) and all(
                YEAR.fullmatch(c) for c in cells
            )
            month = bool(re.search(r"\b(month|monat|mois|mes|mese|maand|miesiac|manad)\b", words)) and all(
                c.isdigit() and 1 <= int(c) <= 12 for c in cells
            )
            week = says_week(self.labels[at]) and all(c.isdigit() and 1 <= int(c) <= 53 for c in cells)
            if (
                year
                or month
                or (week and self._has_years())
                or read_periods(cells, self.settled, self.labels[at]) is not None
            ):
                return "period", ""
            if not self.across:
                return "figure", ""
            if self._are_years(cells):
                return "period", ""
            if TOTALS.search(words):
                return "total", ""
            if TARGETS.search(words):
                return "target", ""
            if WORKED_OUT.search(words):
                return "out", "worked out from the periods"
            return "out", OF_EACH_ROW if at < min(places) else "of no period"
        if read_periods(cells, replace(self.settled, year=self.settled.year or 2000), self.labels[at]) is not None:
            return "period", ""
        if self.across and at > max(places):
            return "out", REMARKS
        return "member", ""

    def _are_years(self, cells: Sequence[str]) -> bool:
        """Whether the rows of months, weeks or quarters without a year are one year each, whatever stands above their years."""
        years = {int(cell) for cell in cells if YEAR.fullmatch(cell)}
        one_after_another = len(years) > 1 and max(years) - min(years) + 1 == len(years)
        if not one_after_another or not all(map(YEAR.fullmatch, cells)):
            return False
        alone = read_periods(self.texts, replace(self.settled, year=None))
        return alone is None or alone.yearless

    def better_of(self, at: int) -> Better | None:
        """Which way is better in a row, as it says, or as its target does that is a bound; None where neither does."""
        said = [folded(self.rows[at][column]) for column in self.at("better")]
        said += [
            cell[:1] for column in self.at("target") if (cell := self.rows[at][column])[:1] in ("<", ">", "≤", "≥")
        ]
        word = next((word for word in said if word in HIGHER | LOWER), None)
        return None if word is None else "higher" if word in HIGHER else "lower"

    def _has_years(self) -> bool:
        """Whether a column of years stands beside those that only number their weeks."""
        columns = ([cell for cell in self.cells(at) if cell] for at in range(self.width))
        return any(cells and all(map(YEAR.fullmatch, cells)) for cells in columns)

    def _once_more(self, figures: Sequence[int]) -> dict[int, str]:
        """Columns of another table beside this one, behind a blank column; of one with the same rows only their names."""
        names = [at for at in range(self.width) if at not in figures and any(self.cells(at))]
        found: dict[int, str] = {}
        for at in names[1:]:
            first = next((n for n in names if n < at and self.labels[n] == self.labels[at]), None)
            if first is not None and self.cells(first) == self.cells(at):
                found[at] = "the names once more"
            elif not any(self.rows[line][at - 1] for line in (*self.lines.heads, *self.body)) and at - 1 > names[0] + 1:
                return found | dict.fromkeys(range(at, self.width), "of another table")
        return found

    def _mostly_figures(self, column: int) -> bool:
        cells = [cell for cell in self.cells(column) if cell and not is_blank(cell)]
        good = sum(quantity(cell, self.way) is not None for cell in cells)
        return bool(cells) and good >= 0.8 * len(cells)

    def _sums(self, figures: Sequence[int], places: Sequence[int]) -> set[int]:
        """Columns that are the sum of two or more others in every row: of the periods across, or of members across."""
        beside = [at for at in figures if at not in places]
        found: set[int] = set()
        if len(self.body) < 2 or len(self.body) > 5000:
            return found
        for at in beside:
            others = places or [c for c in beside if c != at]
            named = bool(TOTALS.search(folded(self.labels[at])))
            if len(others) < 2 or not (places or named):
                continue
            met = 0
            for row in self.body:
                own = quantity(self.rows[row][at], self.way)
                if own is None:
                    continue
                total = sum(q.value for c in others if (q := quantity(self.rows[row][c], self.way)))
                if not near(own.value, total):
                    break
                met += 1
            else:
                if met > 1 or named:
                    found.add(at)
        return found

    def _across(
        self, figures: Sequence[int], beside: bool
    ) -> tuple[Periods | None, list[int], list[str], dict[int, str]]:
        """Periods that head columns of figures: their places, what the other line of the head says of each, and the
        columns whose periods are coarser than the others."""
        said = self.told.columns
        lines = self.head_lines
        # A month for which nothing has come yet is one all the same; below months may also stand states.
        places_of = [
            at
            for at in range(max(figures, default=self.width - 1) + 1 if beside else self.width)
            if at in figures
            or all(is_blank(cell) for cell in self.cells(at))
            or (any(is_period(line[at]) for line in lines) and self._states(at))
        ]
        figures = [at for at in places_of if said.get(self.labels[at], "across") == "across"]
        for own in reversed(range(len(lines))):
            rest = [
                " ".join(dict.fromkeys(line[at] for n, line in enumerate(lines) if n != own and line[at]))
                for at in range(self.width)
            ]
            texts = {at: lines[own][at] for at in figures if lines[own][at]}
            parts = {at: part for at, text in texts.items() if (part := _period_in(text))}
            if len(lines) == 1 and len(crossed := _crossed(texts)) > len(parts):
                parts = crossed
            if sum(bool(more) for _, more in parts.values()) in (0, len(parts)) or len(lines) == 1:
                for at, (text, more) in parts.items():
                    texts[at] = text
                    rest[at] = " ".join(filter(None, (rest[at], more)))
            else:
                parts = {at: part for at, part in parts.items() if not part[1]}
            places = list(parts)
            main, coarse = _main_grain([grain for at in places if (grain := grain_of(texts[at]))])
            coarser = {at: f"a {grain} among {main}s" for at in places if (grain := grain_of(texts[at])) in coarse}
            places = [at for at in places if at not in coarser]
            # One month alone is one where nothing else has figures, or somebody said so.
            beside_it = [folded(self.labels[at]) for at in figures if at not in places]
            alone = all(any(words.search(text) for words in (TARGETS, TOTALS, WORKED_OUT)) for text in beside_it)
            if len(places) < (1 if said or alone else 2):
                continue
            joined = [texts[at] for at in places]
            cells = [[line[at] for n, line in enumerate(lines) if n != own] for at in places]
            around = _coarser_around(joined, cells)
            years = [YEAR.search(rest[at]) for at in places]
            if all(years) and not any(YEAR.search(text) for text in joined):  # the year stands in the line above
                joined = [f"{text} {year[0]}" for text, year in zip(joined, years, strict=True) if year]
                rest = [YEAR.sub("", text).strip() for text in rest]
            read = read_periods(joined, self.settled, "")
            if read is None and self.settled.year is None:
                read = read_periods(joined, self.settled, "period")
            if read is not None:
                self.texts = joined
                said_of = [_without(rest[at], around) for at in places]
                return read, places, said_of, coarser
        return None, [], [], {}

    def _states(self, at: int) -> bool:
        cells = {cell for cell in self.cells(at) if not is_blank(cell)}
        return len(cells) <= MOST_STATES and all(len(cell) <= 24 for cell in cells)


def is_target(text: str) -> bool:
    """Whether a row is nothing but the target of the one above."""
    plain = folded(taken_apart(text)[0])
    return bool(TARGETS.fullmatch(plain)) or bool(TARGETS.match(plain) and len(plain.split()) == 1)


def _without(text: str, parts: Collection[str]) -> str:
    for part in parts:
        text = text.replace(part, " ")
    return " ".join(text.split())


def _coarser_around(periods: Sequence[str], beside: Sequence[Sequence[str]]) -> set[str]:
    """The quarters or halves which periods lie in, as told by a line above, but for their year: each of them has one alone."""
    of: dict[str, set[str]] = {}
    for period, cells in zip(periods, beside, strict=True):
        plain = (" ".join(YEAR.sub("", cell).split()).strip(" ,.-–") for cell in cells)
        of.setdefault(period, set()).update(cell for cell in plain if cell and _is_coarser(cell, period))
    return set().union(*of.values()) if len(of) > 1 and all(len(words) <= 1 for words in of.values()) else set()


def _is_coarser(word: str, period: str) -> bool:
    grain, own = grain_of(word), grain_of(period)
    return bool(grain and own and grain in ("quarter", "half") and finer(own, grain))


def _period_in(text: str) -> tuple[str, str] | None:
    """A period at the beginning or end of a head, and what else it says: Actual Jan 2026."""
    if is_period(text) or YEAR.fullmatch(text):
        return text, ""
    words = text.split()
    for size in (3, 2, 1):
        if size >= len(words):
            continue
        for part, other in ((words[:size], words[size:]), (words[-size:], words[:-size])):
            period, beside = " ".join(part), " ".join(other).strip(" -–:/,")
            if (
                beside
                and not beside.isdigit()
                and (YEAR.fullmatch(period) or (is_period(period) and YEAR.search(period)))
            ):
                return period, f"({beside})" if beside[-1] not in ")]" and _is_unit(beside) else beside  # 2026 hl
    name, measure = taken_apart(text)
    within = _period_in(name) if measure is not None and name != text else None  # Revenue 2026 (£k)
    return (within[0], _without(text, [within[0]])) if within else None


def _crossed(texts: Mapping[int, str]) -> dict[int, tuple[str, str]]:
    """Periods without their year beside what is said of each: Jan Act, Jan Bud, Feb Act, Feb Bud; none where not every period has
    every one of these, as where a question is called Q1."""
    parts: dict[int, tuple[str, str]] = {}
    for at, text in texts.items():
        words = text.split()
        ends = [(words[:size], words[size:]) for size in (3, 2, 1)] + [
            (words[-size:], words[:-size]) for size in (3, 2, 1)
        ]
        split = [(" ".join(period), " ".join(rest).strip(" -–:/,()")) for period, rest in ends if period]
        found = next((one for one in split if is_period(one[0]) and not one[1].isdigit()), None)
        if found is not None:
            parts[at] = found
    periods, levels = {period for period, _ in parts.values()}, {level for _, level in parts.values()}
    every = len(set(parts.values())) == len(parts) == len(periods) * len(levels)
    many = len(levels) > 1 or (len(periods) > 2 and not any(grain_of(one) == "quarter" for one in periods))
    return parts if every and len(periods) > 1 and many else {}


def _main_grain(grains: Sequence[RowGrain]) -> tuple[RowGrain | None, set[RowGrain]]:
    """The grain that most are of, and those coarser than it; none where a finer one is among them."""
    counts = Counter(grains)
    if len(counts) < 2:
        return None, set()
    main = min(counts, key=ROW_GRAINS.index)
    coarser = {grain for grain in counts if grain != main and finer(main, grain)}
    if counts[main] < 0.5 * len(grains) or len(coarser) + 1 != len(counts):
        return None, set()
    return main, coarser


def _is_unit(cell: str) -> bool:
    """Whether a cell is a unit and could hardly be a name."""
    found = measure_of(cell)
    return found is not None and bool(found) and (len(cell) > 1 or not cell.isalpha())


def said_of_figures(titles: Sequence[str], heads: Heads) -> list[str]:
    """What may name all figures and their unit: a title, what every period has beside it, or what stands above the years or months
    down the side where that is more than a word for these."""
    if titles or heads.across is None:
        return list(titles[:1])
    if len(said := set(heads.level)) == 1 and (level := said.pop()):
        return [level]
    corner = next((heads.labels[at] for at in heads.at("period", "year")), "")
    name, measure = taken_apart(corner)
    return [corner] if name and (measure or len(name.split()) > 1) and not is_period(name) else []
