"""Rows that stay where they are: a table or view of a database, aggregated there."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
import sqlalchemy as sa

from ironmark.core import formula_nodes
from ironmark.core.evaluate import Floats
from ironmark.core.formula_nodes import ColumnType
from ironmark.core.periods import Period
from ironmark.core.readings import Members
from ironmark.tables.cells import BLANK_MEMBER, NOT_OPENED, Cells, Line, NoPeriod, PartKey, Unit, Within
from ironmark.tables.connections import InWords, LiveProblem, Wrong, date_of
from ironmark.tables.dialects import Expression
from ironmark.tables.live_relation import MOST_MEMBERS, LiveTable
from ironmark.tables.query_cache import AskedSource


class LiveSource(AskedSource):
    """A table or view whose rows are aggregated by its own database, in as few statements as there are cells."""

    def __init__(
        self, table: LiveTable, order: Mapping[str, Sequence[str]] | None = None, through: dt.date | None = None,
        within: Within = (),
    ) -> None:  # fmt: skip
        """within: the rows that count, as if there were no others. through: the day it is complete through; None takes the last day of its rows. Raises LiveProblem, NoPeriod."""
        self._connection = table.connection
        every = (*table.columns, *table.wide.columns)
        period = next((column.name for column in every if column.role == "period"), None)
        if period is None:
            raise NoPeriod("The live source has no period: give a column of dates that role on its page under Data.")
        for lookup in table.wide.lookups:
            other = table.others[lookup.dataset]
            if found := other.twice(lookup.there):
                # Each of its rows would count as often as its key stands there.
                raise LiveProblem(
                    f"In {other.connection.table}, {' and '.join(lookup.there)} should name one row each, but “{found[0].key}” "
                    "stands in several. Mend that table."
                )
        self._engine = table.connection.engine()
        relation = self._relation = table.relation()
        self._said, self._table = relation.dialect, relation.rows
        self._types, self._columns = relation.types, relation.columns
        self._day = self._columns[period]
        self._keys = {column.name: relation.keys.get(column.name, relation.columns[column.name]) for column in every}
        some = [self._within_(segment, names) for segment, names in within]
        ends = self._ask(
            sa.select(
                sa.func.min(self._day), sa.func.max(self._day), sa.func.max(self._said.part("day", self._day))
            ).select_from(self._table).where(*some)
        )[0]  # fmt: skip
        if ends[0] is None:
            raise NoPeriod(NOT_OPENED if within else "The live source has no rows with a date yet.")
        first, last, latest = date_of(ends[0]), date_of(ends[1]), int(ends[2])
        complete = through or (Period.of(last).end if latest == 1 else last)
        if complete < first:
            raise NoPeriod(
                f"The live source has no rows up to {complete:%-d %B %Y}, the day it is said to be complete through."
            )
        # Rows after the complete day are not read. The last day is looked for again among those that are.
        self._read = sa.and_(self._said.known(self._day), self._day <= complete, *some)
        if last > complete:
            last = date_of(
                self._ask(sa.select(sa.func.max(self._day)).select_from(self._table).where(self._read))[0][0]
            )
        self._raw: dict[str, dict[Any, str]] = {}
        members = {}
        for column in every:
            if column.role == "segment":
                members[column.name] = self._members_of(column.name, (order or {}).get(column.name, ()))
        self._codes = {
            segment: {raw: members[segment].index(label) for raw, label in found.items()}
            for segment, found in self._raw.items()
        }
        self._answers = []
        super().__init__(
            first.toordinal(), last.toordinal(), members, complete, [column.name for column in table.columns]
        )

    def close(self) -> None:
        self._engine.dispose()

    def _ask(self, query: sa.Select[Any]) -> list[Any]:
        with InWords(self._connection), self._engine.connect() as open_:
            return list(open_.execute(query))

    def _within_(self, name: str, names: Sequence[str]) -> Expression:
        """Whether a row is of one of some members, however those are written there."""
        raw = [row[0] for row in self._ask(sa.select(self._keys[name]).select_from(self._table).distinct())]
        return self._any_of(name, [one for one in raw if _label(one, self._types[name]) in set(names)])

    def _members_of(self, name: str, order: Sequence[str]) -> tuple[str, ...]:
        expression = self._keys[name]
        query = sa.select(expression).select_from(self._table).where(self._read).distinct().limit(MOST_MEMBERS + 1)
        found = [row[0] for row in self._ask(query)]
        if len(found) > MOST_MEMBERS:
            raise Wrong(f"“{name}” has more than {MOST_MEMBERS:,} members. Give it another role than segment.")
        self._raw[name] = {raw: _label(raw, self._types[name]) for raw in found}
        known = sorted(set(self._raw[name].values()))
        return tuple(dict.fromkeys([*(member for member in order if member in set(known)), *known]))

    def _unit(self, unit: Unit) -> Expression:
        """The day, week or month of a row, counted as ``core.periods`` counts them."""
        said = self._said
        return {"day": said.day, "week": said.week, "month": said.month}[unit](self._day)

    def _ask_cells(self, unit: Unit, segments: tuple[str, ...], parts: Sequence[PartKey]) -> Cells:
        keys = [self._unit(unit), *(self._keys[segment] for segment in segments)]
        wanted = [sa.func.count(), *(self._part(*key) for key in parts)]
        found = self._ask(sa.select(*keys, *wanted).select_from(self._table).where(self._read).group_by(*keys))
        first = Period.of(self.first, unit).ordinal
        codes = [self._codes[segment] for segment in segments]
        # Days and members that came after the first look are left to the next one.
        known = [
            row for row in found if row[0] >= first and all(r in code for r, code in zip(row[1:], codes, strict=False))
        ]
        unit_, *members = (np.empty(len(known), dtype=np.int64) for _ in keys)
        unit_[:] = [int(row[0]) - first for row in known]
        for at, (member, code) in enumerate(zip(members, codes, strict=True), start=1):
            member[:] = [code[row[at]] for row in known]
        figures = [
            np.array([np.nan if row[at] is None else float(row[at]) for row in known])
            for at in range(len(keys) + 1, len(keys) + 1 + len(parts))
        ]
        rows = np.array([int(row[len(keys)]) for row in known], dtype=np.int64)
        cells = Cells(unit_, dict(zip(segments, members, strict=True)), rows, dict(zip(parts, figures, strict=True)))
        # Two spellings of a blank are one member.
        return self._coarser(cells, segments, parts)

    def _part(self, name: str, of: formula_nodes.Node | None, where: formula_nodes.Node | None) -> Expression:
        holds = self._relation.expression(where) if where is not None else None
        figure = self._relation.figures.get(of.name) if isinstance(of, formula_nodes.Column) else None
        if (found := self._said.aggregate(name, figure, holds)) is not None:
            return found
        if name == "matching":
            return sa.func.count() if holds is None else _total(sa.case((holds, 1), else_=0))
        assert of is not None
        if isinstance(of, formula_nodes.Number) and name in ("filled", "sum"):
            # A constant counts once a row; there is nothing to look at in each.
            rows = self._part("matching", None, where)
            return rows * self._said.constant(of.value) if name == "sum" else rows
        value = self._relation.expression(of)
        kept = value if holds is None else sa.case((holds, value), else_=None)
        if name == "filled":
            return sa.func.count(kept)
        if name == "distinct":
            return self._said.distinct(self._said.plain_zero(kept) if self._relation.is_number(of) else kept)
        if name == "sum":
            return _total(kept)
        if name == "stdev":
            return self._said.stdev(kept)
        made: Expression = sa.func.min(kept) if name == "min" else sa.func.max(kept)
        return made

    def _see_rows(self, a: formula_nodes.Aggregate, by: str | None, where: Members, line: Line) -> Floats:
        every = self.members[by] if by else (None,)
        full = np.full((len(line.periods), len(every)), np.nan)
        unit = self._unit(line.unit)
        scope = [self._read, *(self._among(segment, names) for segment, names in where.items())]
        spans = line.spans
        if line.until is not None:
            spans = [(start, min(end, line.first + line.count)) for start, end in spans]
        if a.window is not None:
            spans = [(start + line.first, end + line.first) for start, end in line.windows(a.window)]
        size = spans[0][1] - spans[0][0]
        even = all(span == (spans[0][0] + at * size, spans[0][0] + (at + 1) * size) for at, span in enumerate(spans))
        groups = [self._keys[by]] if by else []
        if even and size > 0 and not a.last and not any(line.holes):
            place = sa.func.floor((unit - spans[0][0]) / size)
            inside = [*scope, unit >= spans[0][0], unit < spans[-1][1]]
            for row in self._rows_of(a, [place, *groups], inside):
                self._put(full, int(row[0]), row[1:], by)
            return full
        for p, (start, end) in enumerate(spans):
            if end > start:
                inside = [unit >= start, unit < end]
                left_out = line.holes[p] if a.window is None else []
                inside += [sa.not_(sa.and_(unit >= low, unit < high)) for low, high in left_out]
                if a.last:
                    keys = [self._columns[segment] for segment in self._own]
                    inside.append(self._said.on_last_day(keys, self._day, self._table, [self._read, *inside]))
                for row in self._rows_of(a, groups, [*scope, *inside]):
                    self._put(full, p, row, by)
        return full

    def _put(self, full: Floats, p: int, row: Sequence[Any], by: str | None) -> None:
        m = 0
        if by:
            if row[0] not in self._codes[by]:
                return
            m = self._codes[by][row[0]]
        if row[-1] is not None:
            full[p, m] = float(row[-1])

    def _rows_of(self, a: formula_nodes.Aggregate, groups: list[Expression], where: list[Expression]) -> list[Any]:
        """The groups with their figure; without groups, one row where any row is there at all."""
        figure = None if a.name == "median" else self._part(a.name, a.of, a.where)
        if a.name == "median":
            assert a.of is not None
            holds = [self._relation.expression(a.where)] if a.where is not None else []
            value = self._relation.expression(a.of)
            figure = self._said.median(sa.case((holds[0], value), else_=None) if holds else value)
        if figure is not None:
            query = sa.select(*groups, figure).select_from(self._table).where(*where)
            return self._ask(query.group_by(*groups) if groups else query.having(sa.func.count() > 0))
        labels = [group.label(f"g{at}") for at, group in enumerate(groups)]
        place = sa.func.row_number().over(partition_by=groups or None, order_by=value).label("place")
        count = sa.func.count().over(partition_by=groups or None).label("n")
        inner = (
            sa.select(*labels, value.label("value"), place, count)
            .select_from(self._table)
            .where(*where, *holds, value.is_not(None))
            .subquery()
        )
        outer = [inner.c[label.name] for label in labels]
        middle = sa.or_(
            inner.c.place == sa.func.floor((inner.c.n + 1) / 2), inner.c.place == sa.func.floor((inner.c.n + 2) / 2)
        )
        query = sa.select(*outer, sa.func.avg(inner.c.value)).where(middle)
        return self._ask(query.group_by(*outer) if outer else query)

    def _among(self, segment: str, names: Sequence[str]) -> Expression:
        """The rows of some members."""
        return self._any_of(segment, [raw for raw, label in self._raw[segment].items() if label in set(names)])

    def _any_of(self, segment: str, raws: Sequence[Any]) -> Expression:
        wanted = [raw or None if isinstance(raw, str) else raw for raw in raws]
        column = self._columns[segment]
        some = [self._said.text(raw) if isinstance(raw, str) else sa.literal(raw) for raw in wanted if raw is not None]
        tests: list[Expression] = [column == raw for raw in some]
        if None in wanted:
            tests.append(column.is_(None))
        return sa.or_(*tests) if tests else sa.false()


def _total(value: Any) -> Expression:
    return sa.func.coalesce(sa.func.sum(value), 0)


def _label(raw: Any, kind: ColumnType) -> str:
    if raw is None or raw == "":
        return BLANK_MEMBER
    if kind == "flag":
        return "yes" if raw else "no"
    if kind == "number":
        return str(int(raw)) if float(raw).is_integer() else str(float(raw))
    return str(raw)
