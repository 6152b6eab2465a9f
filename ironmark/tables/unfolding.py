"""What comes of a table once its lines and columns are known: rows of their own, each with a period, members and figures."""

from __future__ import annotations

import datetime as dt
import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import replace

from ironmark.core.belonging import UNNAMED
from ironmark.core.nearest import folded
from ironmark.core.periods import RowGrain
from ironmark.tables.heads import Heads, is_target, said_of_figures
from ironmark.tables.notations import Periods, Settled, is_period, read_periods, says_week
from ironmark.tables.parts_across import HOUR, parts_across
from ironmark.tables.quantities import (
    PLAIN,
    Measure,
    Quantity,
    as_written,
    plain_number,
    quantity,
    shared_measure,
    taken_apart,
    unit_said,
)
from ironmark.tables.spans import time_behind
from ironmark.tables.table_words import (
    DIRECTION_HEADS,
    FOOT,
    HIGHER,
    KPI_HEADS,
    KPI_NAMES,
    LOWER,
    NUMBERED,
    PARTS,
    TARGET,
    TARGETS,
    UNIT_HEADS,
    WHOLE_YEAR,
    YEAR,
    called_by,
    is_actual,
    is_aimed_at,
    says_of_kpis,
)
from ironmark.tables.told import Down, GroupsAre, Told
from ironmark.tables.unfolded import NAMES_OF, Result, joined_period

MOST_PLACES = 500
MOST_KPIS = 60  # that stand below each other in a list


class Unfolding:
    """How the figures of a table become rows. texts: its titles, the name of its sheet and file, which may tell a period."""

    def __init__(self, heads: Heads, told: Told, texts: Sequence[str]) -> None:
        self.heads, self.told, self.texts = heads, told, texts
        self.lines, self.rows, self.body, self.way = heads.lines, heads.rows, heads.lines.body, heads.way
        self.across = heads.across
        self.groups = self.lines.groups()
        self.result = Result()
        self.group_years = self._group_years()
        self.groups_are: GroupsAre | None = self._groups_are() if self.groups and not self.group_years else None
        figures = heads.at("figure") if self.across is None else []
        self.parts = parts_across([heads.labels[at] for at in figures])
        self.down = self._down()
        self.measure = told.measure or self._measure_name()
        self.periods_at: list[int] = []  # columns whose cells are the periods of rows
        period = self._period_down() if self.across is None else None
        if self.across is None and period is None and not told.as_of:
            period = self._of_title()
        if self.across is not None:
            self._unfolded()
        elif self.down == "across" and period is not None:
            self._members_across(period)
        elif period is not None and (named := self._names_of_kpis(period)) is not None:
            self.down = "members" if told.down == "members" else "kpis"
            self._listed(period) if self.down == "members" else self._kpis_listed(period, named)
        else:
            self._listed(period)
        self.period = period

    # What stands down the side

    def _down(self) -> Down:
        if self.across is None:
            totals = [at for at in self.heads.at("total")]
            figures = self.heads.at("figure")
            likely = self.parts is not None or (bool(totals) and len(figures) > 1)
            across = self.told.down == "across" or (self.told.down is None and likely)
            return "across" if across and self.heads.at("period") else "rows"
        if self.told.down in ("members", "kpis"):
            return self.told.down
        members = self.heads.at("member")
        named = any(KPI_HEADS.search(folded(self.heads.labels[at])) for at in members)
        own = self._units_of_rows()
        aims = any(is_target(self._first(at)) for at in self.body)
        told = named or aims or len(own) > 1 or bool(self.heads.at("unit", "target", "better"))
        return "kpis" if members and told else "members"

    def _units_of_rows(self) -> set[str]:
        """The units that rows have; a row of plain figures is of another one than percents."""
        units = {at: self._measure_of_row(at).unit for at in self.body}
        own = set(units.values()) - {""}
        if own != {"%"}:
            return own
        plain = self._quantities([at for at, unit in units.items() if not unit], self.heads.at("across", "figure"))
        return own | {""} if any(abs(one.value) > 1 and not one.measure.unit for one in plain) else own

    def _first(self, at: int) -> str:
        return next((self.rows[at][c] for c in reversed(self.heads.at("member")) if self.rows[at][c]), "")

    def _measure_of_row(self, at: int) -> Measure:
        for column in self.heads.at("unit"):
            if (found := unit_said(self.rows[at][column])) is not None:
                return found
        for column in reversed(self.heads.at("member")):
            if (found := taken_apart(self.rows[at][column])[1]) is not None:
                return found
        cells = self._quantities([at], self.heads.at("across", "figure"))
        return shared_measure(cells)

    def _measure_name(self) -> str:
        titles = [FOOT.sub("", NUMBERED.sub("", text)) for text in said_of_figures(self.lines.titles, self.heads)]
        plain = [taken_apart(WHOLE_YEAR.sub("", text).strip(" ,.:-–"))[0].strip(" ,.:-–") for text in titles]
        return next((text for text in plain if 0 < len(text) <= 40), "") or UNNAMED

    def _group_years(self) -> dict[int, int]:
        """The years that the names of groups are, by line: two tables with the same heads, a year above each."""
        if self.across is None or (not self.across.yearless and self.heads.settled.year is None):
            return {}
        years = {at: YEAR.findall(name) for at, name in self.groups.items()}
        if not years or not all(len(found) == 1 for found in years.values()):
            return {}
        return {at: int(found[0]) for at, found in years.items()}

    def _groups_are(self) -> GroupsAre:
        """Tables one below the other with the same rows are measures of these; other groups are members."""
        if self.told.groups:
            return self.told.groups
        if self.across is None or len(self.lines.alike) < 2:
            return "members"
        members = self.heads.at("member")
        keys: dict[str, set[tuple[str, ...]]] = {}
        for at in self.body:
            keys.setdefault(self.groups.get(at, ""), set()).add(tuple(self.rows[at][c] for c in members))
        return "measures" if len(keys) > 1 and len({frozenset(found) for found in keys.values()}) == 1 else "members"

    # Periods

    def _period_down(self) -> Periods | None:
        """The periods of the rows: one column, or a year in one and the month in another."""
        places = self.heads.at("period", "year")
        settled = self.heads.settled
        columns: dict[int, list[str]] = {}
        for at in places:
            columns[at], carried = self.heads.carried(at)
            self.result.plain &= not carried
        years = [at for at in places if all(YEAR.fullmatch(cell) for cell in columns[at] if cell)]
        rest = [at for at in places if at not in years]
        if years and rest:
            weekly = says_week(self.heads.labels[rest[0]])
            joined = [
                joined_period(part, year, weekly)
                for part, year in zip(columns[rest[0]], columns[years[0]], strict=True)
            ]
            if (read := read_periods(joined, settled, "period")) is not None:
                self.periods_at = [years[0], rest[0]]
                return read
        for at in rest + years:
            read = read_periods(columns[at], settled, self.heads.labels[at] or "period")
            if read is not None and not read.yearless:
                self.periods_at = [at]
                return read
        return None

    def _of_title(self) -> Periods | None:
        """The period that stands in a title, the name of the sheet or of the file, as that of every row."""
        settled = Settled(None, self.heads.settled.year_start, self.told.day_first)
        for text in self.texts:
            words = re.split(r"[\s,;:()_]+", text)
            for size in (3, 2, 1):
                for at in range(len(words) - size + 1):
                    part = " ".join(words[at : at + size])
                    read = read_periods([part], settled) if is_period(part) else None
                    if read is not None and read.days[0] is not None:
                        self.result.plain = False
                        return replace(read, days=(read.days[0],) * len(self.body))
        return None

    # Periods across

    def _days(self) -> tuple[RowGrain, list[list[str]]]:
        """The day of each place across, by row: the same in every row, but where a row says its year or its month."""
        assert self.across is not None
        places = self.heads.at("across")
        same = [day.isoformat() if day else "" for day in self.across.days]
        down = next(iter(self.heads.at("period", "year")), None)
        if self.group_years:
            return self.across.grain, [self._in_year(self.group_years.get(at)) for at in self.body]
        if down is None:
            return self.across.grain, [same] * len(self.body)
        cells, _ = self.heads.carried(down)
        if all(YEAR.fullmatch(cell) for cell in cells if cell):  # years down, months across
            return self.across.grain, [self._in_year(int(cell) if cell else None) for cell in cells]
        if self.across.grain == "year":  # months down, years across
            years = [day.year if day else None for day in self.across.days]
            columns = [read_periods([joined_period(cell, str(year)) for cell in cells], self.heads.settled, "period") for year in years]  # fmt: skip
            if all(read is not None for read in columns):
                grain = next(read.grain for read in columns if read)
                days = [[d.isoformat() if d else "" for d in read.days] for read in columns if read]
                return grain, [list(row) for row in zip(*days, strict=True)]
        self.result.mixed.append(
            f"“{self.heads.labels[down]}” says a period, and so do the heads. The heads were taken."
        )
        return self.across.grain, [same for _ in places and self.body]

    def _in_year(self, year: int | None) -> list[str]:
        read = read_periods(self.heads.texts, replace(self.heads.settled, year=year)) if year else None
        return [day.isoformat() if day else "" for day in read.days] if read else [""] * len(self.heads.texts)

    def _unfolded(self) -> None:
        """Periods across the top as rows of their own."""
        heads, found = self.heads, self.result
        places, targets = heads.at("across"), heads.at("target")
        members = heads.at("member")
        texts = {at: [FOOT.sub("", cell) for cell in heads.carried(at)[0]] for at in members}
        kpis = self.down == "kpis"
        named = next(
            (at for at in members if KPI_HEADS.search(folded(heads.labels[at]))), members[-1] if members else None
        )
        others = [at for at in members if at != named] if kpis else members
        levels = list(dict.fromkeys(heads.level)) if len(set(heads.level)) > 1 else [""]
        plain_levels = [folded(level) for level in levels]
        sides = any(map(is_actual, plain_levels)) and any(map(is_aimed_at, plain_levels))
        found.grain, days = self._days()
        as_members = bool(self.groups) and self.groups_are == "members"
        if not kpis:
            self._units_of_all(places, levels)
        cells: dict[tuple[str, ...], dict[str, str]] = {}
        names: dict[str, None] = {}
        parent = ""
        for n, at in enumerate(self.body):
            key = [*([self.groups.get(at, "")] if as_members else []), *(texts[m][n] for m in others)]
            name = ""
            if kpis and named is not None:
                name, parent = self._kpi_of_row(at, texts[named][n], parent, places)
            elif self.groups_are == "measures":
                name, measure = taken_apart(self.groups.get(at, ""))
                found.units.setdefault(name, measure or found.units.get(self.measure, PLAIN))
            if stands := name or (texts[members[-1]][n] if members else ""):
                # Named twice, it stands in no one line.
                found.places[stands] = 0 if stands in found.places else at + 1
            for place, level, day in zip(places, heads.level, days[n], strict=True):
                if not day:
                    continue
                beside = taken_apart(level)[0] if len(levels) > 1 else ""
                called = called_by(name or (self.measure if sides else ""), beside) or self.measure
                row, again = cells.setdefault((*key, day, ""), {}), 1
                while called in row:  # the same line once more: both count
                    row, again = cells.setdefault((*key, day, str(again)), {}), again + 1
                names.setdefault(called)
                unit = found.units.get(name or level or self.measure, PLAIN)
                found.units.setdefault(called, unit)
                row[called] = self.value(self.rows[at][place], unit)
                for target in targets:
                    aimed = f"{name or self.measure} {TARGET}"
                    names.setdefault(aimed)
                    found.units.setdefault(aimed, found.units.get(name or self.measure, PLAIN))
                    row[aimed] = self.value(self.rows[at][target], found.units[aimed])
        found.labels = [
            *(["Group"] if as_members else []),
            *(heads.labels[m] or "Member" for m in others),
            NAMES_OF[found.grain],
            *names,
        ]
        found.places = {one: line for one, line in list(found.places.items())[:MOST_PLACES] if line}
        found.rows = [[*key[:-1], *(row.get(name, "") for name in names)] for key, row in cells.items()]
        found.plain = False

    def _units_of_all(self, places: Sequence[int], levels: Sequence[str]) -> None:
        """The unit of each level, where all rows tell of the same."""
        every = self._quantities(self.body, places)
        said = self.lines.titles or said_of_figures(self.lines.titles, self.heads)
        of_all = taken_apart(YEAR.sub("", " ".join(said)).strip())[1] or shared_measure(every)
        self._hold_units(self.measure, every)
        for level in levels:
            self.result.units[level or self.measure] = as_written(taken_apart(level)[1] or of_all, every)

    def _kpi_of_row(self, at: int, text: str, parent: str, places: Sequence[int]) -> tuple[str, str]:
        """What a row tells of, noted with its unit and which way is better, and the KPI that rows below it are parts of."""
        found = self.result
        plain, _ = taken_apart(text or f"Row {at + 1}")
        if parent and is_target(plain):
            name = f"{parent} {TARGET}"
            found.units.setdefault(name, found.units.get(parent, PLAIN))
        else:
            name = f"{parent} {plain.lower()}" if PARTS.match(plain) and parent else plain
            parent = parent if PARTS.match(plain) else plain
        row_cells = self._quantities([at], places)
        self._hold_units(name, row_cells)
        found.units.setdefault(name, as_written(self._measure_of_row(at), row_cells))
        if (better := self.heads.better_of(at)) is not None:
            found.better[name] = better
        return name, parent

    # A list

    def _members_across(self, period: Periods) -> None:
        """Members across the top of one figure, periods down: a row for each of both."""
        heads, found = self.heads, self.result
        figures = heads.at("figure")
        others = heads.at("member")
        every = self._quantities(self.body, figures)
        own = taken_apart(" ".join(self.lines.titles[:1]))[1]
        found.units[self.measure] = as_written(own or shared_measure(every), every)
        of_week = self.parts.of_weeks(period) if self.parts else ()
        found.grain = "day" if of_week else period.grain
        names = self.parts.names if self.parts else [heads.labels[c] for c in figures]
        beside = [] if of_week else ["Member" if self.parts is None else "Weekday" if self.parts.days else HOUR]
        found.labels = [NAMES_OF[found.grain], *(heads.labels[c] for c in others), *beside, self.measure]
        for n, at in enumerate(self.body):
            if (first := period.days[n]) is None:
                continue
            for place, c in enumerate(figures):
                day = first + dt.timedelta(of_week[place]) if of_week else first
                key = [day.isoformat(), *(self.rows[at][o] for o in others), *([names[place]] if beside else [])]
                found.rows.append([*key, self.value(self.rows[at][c], found.units[self.measure])])
        found.plain = False

    def _names_of_kpis(self, period: Periods) -> int | None:
        """The column of a list that names what each row tells of, where KPIs stand below each other with one figure each, and at most
        its target: On time, 92 %; Complaints, 3. None where anything is said twice."""
        heads = self.heads
        members, figures = heads.at("member"), heads.at("figure")
        named = next((at for at in members if KPI_NAMES.search(folded(heads.labels[at]))), None)
        values = [at for at in figures if not TARGETS.search(folded(heads.labels[at]))]
        if named is None or len(values) != 1 or len(figures) > 2 or self.told.down == "rows":
            return None
        others = [heads.carried(at)[0] for at in members if at not in self._beside(named)]
        rows = list(zip(*others, self._kpis_in(named), period.days, strict=True))
        names = {row[-2] for row in rows}
        return named if len(set(rows)) == len(rows) and 1 < len(names) <= MOST_KPIS and "" not in names else None

    def _kpis_in(self, named: int) -> list[str]:
        """What the KPIs of a list are called, without their units."""
        return [taken_apart(text)[0] for text in self.heads.carried(named)[0]]

    def _beside(self, named: int) -> set[int]:
        """The columns that say more of the KPIs that one names: it, their units, which way is better."""
        return {named} | {at for at in self.heads.at("member") if says_of_kpis(self.heads.labels[at])}

    def _kpis_listed(self, period: Periods, named: int) -> None:
        """A list of KPIs as a column for each, and one for its targets."""
        heads, found = self.heads, self.result
        beside, figures = self._beside(named), heads.at("figure")
        others = [at for at in heads.at("member") if at not in beside]
        texts, names = {at: heads.carried(at)[0] for at in (named, *others)}, self._kpis_in(named)
        places: dict[str, list[int]] = {}
        for n, name in enumerate(names):
            places.setdefault(name, []).append(n)
        measures: dict[str, Measure] = {}
        for name, lines in places.items():
            own, at = self._quantities([self.body[n] for n in lines], figures[:1]), self.body[lines[0]]
            said = (unit_said(self.rows[at][c]) for c in beside if folded(heads.labels[c]) in UNIT_HEADS)
            given = next((one for one in said if one is not None), None) or taken_apart(texts[named][lines[0]])[1]
            measures[name] = as_written(given or shared_measure(own), own)
            better = {folded(self.rows[at][c]) for c in beside if DIRECTION_HEADS.search(folded(heads.labels[c]))}
            if better & (HIGHER | LOWER):
                found.better[name] = "higher" if better & HIGHER else "lower"
            self._hold_units(name, own)
        cells: dict[tuple[str, ...], dict[str, str]] = {}
        for n, at in enumerate(self.body):
            day = period.days[n]
            row = cells.setdefault((*(texts[m][n] for m in others), day.isoformat() if day else ""), {})
            for c in figures:
                aimed = bool(TARGETS.search(folded(heads.labels[c])))
                called = f"{names[n]} {TARGET}" if aimed else names[n]
                found.units[called] = measures[names[n]]
                row[called] = self.value(self.rows[at][c], measures[names[n]])
        found.grain = period.grain
        shown = [f"{name}{more}" for name in measures for more in ("", f" {TARGET}") if f"{name}{more}" in found.units]
        found.labels = [*(heads.labels[m] or "Member" for m in others), NAMES_OF[period.grain], *shown]
        found.rows = [[*key, *(row.get(name, "") for name in shown)] for key, row in cells.items()]
        found.plain = False

    def _listed(self, period: Periods | None) -> None:
        """A list as it stands, its period as a day."""
        heads, found = self.heads, self.result
        columns: list[list[str]] = []
        taken = self.periods_at if period else []
        found.grain = period.grain if period else None
        if self.groups:
            found.labels.append("Group")
            columns.append([self.groups.get(at, "") for at in self.body])
        if period is not None:
            found.labels.append((heads.labels[taken[0]] if len(taken) == 1 else "") or NAMES_OF[period.grain])
            columns.append(self._days_of_rows(period))
        elif self.told.as_of:
            found.labels.append("As of")
            columns.append([self.told.as_of.isoformat()] * len(self.body))
        for at, column in enumerate(heads.marks):
            if at in taken or column.kind in ("out", "total", "unit", "better"):
                continue
            if column.kind == "member":
                cells, carried = heads.carried(at)
                found.plain &= not carried
                label, measure = column.label, PLAIN
            else:
                cells = heads.cells(at)
                label, given = taken_apart(column.label)
                own = [q for cell in cells if cell and (q := quantity(cell, self.way))]
                self._hold_units(column.label, own)
                measure = as_written(given or shared_measure(own), own)
                if column.kind in ("figure", "target"):
                    cells = [self.value(cell, measure) for cell in cells]
                if measure.scale == 1 and measure.unit != "%":
                    label = column.label  # what formulas call it stays as it was
                found.units[label] = measure
            found.labels.append(label or f"Column {at + 1}")
            columns.append(cells)
            if column.kind == "figure" and (aim := self.rows[self.lines.aims][at] if self.lines.aims >= 0 else ""):
                found.labels.append(f"{found.labels[-1]} {TARGET}")
                found.units[found.labels[-1]] = measure
                columns.append([self.value(aim, measure)] * len(self.body))
        found.rows = [list(row) for row in zip(*columns, strict=True)]

    def _days_of_rows(self, period: Periods) -> list[str]:
        """The day of each row, with its time where it says one: how long it was until another is told by that."""
        written = [self.rows[at][self.periods_at[0]] if len(self.periods_at) == 1 else "" for at in self.body]
        days = zip(period.days, written, strict=True)
        return [f"{day.isoformat()}{time_behind(text)}" if day else "" for day, text in days]

    # Cells

    def value(self, text: str, measure: Measure) -> str:
        return plain_number(text, measure, self.way)

    def _quantities(self, lines: Sequence[int], columns: Sequence[int]) -> list[Quantity]:
        """The figures that stand in some columns of some lines."""
        return [q for at in lines for c in columns if (q := quantity(self.rows[at][c], self.way))]

    def _hold_units(self, name: str, cells: Sequence[Quantity]) -> None:
        units = [unit for unit, _ in Counter(cell.measure.unit for cell in cells if cell.measure.unit).most_common()]
        if len(units) > 1:
            said = ", ".join(units[:-1]) + f" and {units[-1]}"
            self.result.mixed.append(f"{name} has figures in {said}. They are read as numbers alike: keep one unit in a column.")  # fmt: skip
