"""Rows that stay where they are: a table or view of a MariaDB-protocol database, aggregated there."""

from __future__ import annotations

import datetime as dt
import operator
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
import sqlalchemy as sa
from sqlalchemy.dialects import mysql

from ironmark.core import formula as f
from ironmark.core.evaluate import Floats
from ironmark.core.formula import ColumnType
from ironmark.core.periods import Period
from ironmark.core.reading import Members
from ironmark.tables.cells import BLANK_MEMBER, Cells, CellSource, Line, NoPeriod, PartKey, Unit
from ironmark.tables.connections import Connection, InWords, Wrong, date_of
from ironmark.tables.table import Column

MOST_MEMBERS = 5000
_EXACT = "utf8mb4_nopad_bin"  # texts are the same only sign by sign, as in a file
Expression = sa.ColumnElement[Any]
_COMPARISONS = {
    "=": operator.eq, "!=": operator.ne, "<": operator.lt, "<=": operator.le, ">": operator.gt, ">=": operator.ge,
}  # fmt: skip


class LiveSource(CellSource):
    """A table or view whose rows are aggregated by its own database, in as few statements as there are cells."""

    def __init__(
        self,
        connection: Connection,
        columns: Sequence[Column],
        merges: Mapping[str, Mapping[str, str]] | None = None,
        order: Mapping[str, Sequence[str]] | None = None,
        through: dt.date | None = None,
    ) -> None:
        """through: the day it is complete through; None takes the last day of its rows. Raises LiveProblem, NoPeriod."""
        self._engine, self._connection = connection.engine(), connection
        self._table = sa.table(connection.table, *(sa.column(column.label) for column in columns))
        self._types = {column.name: column.type for column in columns}
        self._columns = {c.name: self._column(c, (merges or {}).get(c.name, {})) for c in columns}
        period = next((column.name for column in columns if column.role == "period"), None)
        if period is None:
            raise NoPeriod("The live source has no period: give a column of dates that role on its page under Data.")
        self._day = self._columns[period]
        ends = self._ask(
            sa.select(sa.func.min(self._day), sa.func.max(self._day), sa.func.max(sa.func.dayofmonth(self._day)))
        )[0]
        if ends[0] is None:
            raise NoPeriod("The live source has no rows with a date yet.")
        first, last, latest = date_of(ends[0]), date_of(ends[1]), int(ends[2])
        complete = through or (Period.of(last).end if latest == 1 else last)
        if complete < first:
            raise NoPeriod(
                f"The live source has no rows up to {complete:%-d %B %Y}, the day it is said to be complete through."
            )
        # Rows after the complete day are not read. The last day is looked for again among those that are.
        self._read = sa.and_(self._day.is_not(None), self._day <= complete)
        if last > complete:
            last = date_of(self._ask(sa.select(sa.func.max(self._day)).where(self._read))[0][0])
        self._raw: dict[str, dict[Any, str]] = {}
        members = {}
        for column in columns:
            if column.role == "segment":
                members[column.name] = self._members_of(column.name, (order or {}).get(column.name, ()))
        self._cells: dict[tuple[Unit, tuple[str, ...]], Cells] = {}
        self._place: dict[tuple[Unit, tuple[str, ...]], dict[tuple[int, ...], int]] = {}
        super().__init__(first.toordinal(), last.toordinal(), members, complete)

    def close(self) -> None:
        self._engine.dispose()

    def _ask(self, query: sa.Select[Any]) -> list[Any]:
        with InWords(self._connection), self._engine.connect() as open_:
            return list(open_.execute(query))

    def _column(self, column: Column, merges: Mapping[str, str]) -> Expression:
        raw: Expression = self._table.c[column.label]
        if column.type == "number":
            return raw * sa.literal_column("1e0")
        if column.type == "date":
            return sa.func.date(raw)
        if column.type == "flag":
            return raw != sa.literal_column("0")
        exact = _exact(sa.cast(raw, mysql.CHAR(charset="utf8mb4")))
        filled: Expression = sa.func.nullif(exact, _exact(sa.literal("")))
        if not merges:
            return filled
        return _exact(sa.case(*((filled == _text(old), _text(new)) for old, new in merges.items()), else_=filled))

    def _members_of(self, name: str, order: Sequence[str]) -> tuple[str, ...]:
        expression = self._columns[name]
        query = sa.select(expression).where(self._read).distinct().limit(MOST_MEMBERS + 1)
        found = [row[0] for row in self._ask(query)]
        if len(found) > MOST_MEMBERS:
            raise Wrong(f"“{name}” has more than {MOST_MEMBERS:,} members. Give it another role than segment.")
        self._raw[name] = {raw: _label(raw, self._types[name]) for raw in found}
        known = sorted(set(self._raw[name].values()))
        return tuple(dict.fromkeys([*(member for member in order if member in set(known)), *known]))

    def _unit(self, unit: Unit) -> Expression:
        """The day, week or month of a row, counted as ``core.periods`` counts them."""
        day = sa.func.to_days(self._day) - 365
        if unit == "day":
            return day
        if unit == "week":
            return sa.func.floor((day - 1) / 7)
        return sa.func.year(self._day) * 12 + sa.func.month(self._day) - 1

    def _cells_by(self, unit: Unit, segments: tuple[str, ...]) -> Cells:
        if (unit, segments) not in self._cells:
            keys = [self._unit(unit), *(self._columns[segment] for segment in segments)]
            found = self._ask(
                sa.select(*keys, sa.func.count()).select_from(self._table).where(self._read).group_by(*keys)
            )
            first = Period.of(self.first, unit).ordinal
            rows: dict[tuple[int, ...], int] = {}
            for row in found:
                key = self._key(row[: len(keys)], segments, first)
                if key is not None:
                    rows[key] = rows.get(key, 0) + int(row[-1])
            places = {key: at for at, key in enumerate(rows)}
            table = np.array(list(rows), dtype=np.int64).reshape(len(rows), 1 + len(segments))
            member = {segment: table[:, 1 + at] for at, segment in enumerate(segments)}
            self._place[unit, segments] = places
            self._cells[unit, segments] = Cells(table[:, 0], member, np.array(list(rows.values())), {})
        return self._cells[unit, segments]

    def _key(self, row: Sequence[Any], segments: tuple[str, ...], first: int) -> tuple[int, ...] | None:
        """The unit and the members' codes of a group; None for a day or member that came after the first look."""
        codes = []
        for segment, raw in zip(segments, row[1:], strict=True):
            label = self._raw[segment].get(raw)
            if label is None:
                return None
            codes.append(self.members[segment].index(label))
        unit = int(row[0]) - first
        return (unit, *codes) if unit >= 0 else None

    def _work_out(self, unit: Unit, segments: tuple[str, ...], missing: Sequence[PartKey]) -> None:
        cells, places = self._cells[unit, segments], self._place[unit, segments]
        keys = [self._unit(unit), *(self._columns[segment] for segment in segments)]
        wanted = [self._part(*key) for key in missing]
        found = self._ask(sa.select(*keys, *wanted).select_from(self._table).where(self._read).group_by(*keys))
        columns = [np.full(len(cells.unit), np.nan) for _ in missing]
        first = Period.of(self.first, unit).ordinal
        for row in found:
            key = self._key(row[: len(keys)], segments, first)
            if key is None or key not in places:
                continue
            for column, figure in zip(columns, row[len(keys) :], strict=True):
                if figure is not None:
                    column[places[key]] = float(figure)
        for part, column in zip(missing, columns, strict=True):
            cells.parts[part] = column

    def _part(self, name: str, of: f.Node | None, where: f.Node | None) -> Expression:
        holds = self._expression(where) if where is not None else None
        if name == "matching":
            return sa.func.count() if holds is None else _total(sa.case((holds, 1), else_=0))
        assert of is not None
        value = self._expression(of)
        kept = value if holds is None else sa.case((holds, value), else_=None)
        if name == "filled":
            return sa.func.count(kept)
        if name == "distinct":
            return sa.func.count(sa.distinct(kept))
        if name == "sum":
            return _total(kept)
        made: Expression = getattr(sa.func, {"min": "min", "max": "max", "stdev": "stddev_samp"}[name])(kept)
        return made

    def _see_rows(self, a: f.Aggregate, by: str | None, where: Members, line: Line) -> Floats:
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
        groups = [self._columns[by]] if by else []
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
                    inside.append(self._is_last([self._read, *inside]))
                for row in self._rows_of(a, groups, [*scope, *inside]):
                    self._put(full, p, row, by)
        return full

    def _is_last(self, inside: list[Expression]) -> Expression:
        """Whether a row lies on the last day of its series among the rows ``inside``."""
        keys = [self._columns[segment].label(f"k{at}") for at, segment in enumerate(sorted(self.members))]
        latest = sa.select(*keys, sa.func.max(self._day).label("latest")).select_from(self._table).where(*inside)
        ends = (latest.group_by(*keys) if keys else latest).subquery()
        same = [self._columns[s].op("<=>")(ends.c[f"k{at}"]) for at, s in enumerate(sorted(self.members))]
        return sa.exists(sa.select(1).select_from(ends).where(*same, self._day == ends.c.latest))

    def _put(self, full: Floats, p: int, row: Sequence[Any], by: str | None) -> None:
        m = 0
        if by:
            label = self._raw[by].get(row[0])
            if label is None:
                return
            m = self.members[by].index(label)
        if row[-1] is not None:
            full[p, m] = float(row[-1])

    def _rows_of(self, a: f.Aggregate, groups: list[Expression], where: list[Expression]) -> list[Any]:
        """The groups with their figure; without groups, one row where any row is there at all."""
        if a.name != "median":
            query = sa.select(*groups, self._part(a.name, a.of, a.where)).select_from(self._table).where(*where)
            return self._ask(query.group_by(*groups) if groups else query.having(sa.func.count() > 0))
        assert a.of is not None
        holds = [self._expression(a.where)] if a.where is not None else []
        value = self._expression(a.of)
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
        wanted = [raw for raw, label in self._raw[segment].items() if label in set(names)]
        column = self._columns[segment]
        some = [_raw(raw) for raw in wanted if raw is not None]
        tests: list[Expression] = [column == raw for raw in some]
        if None in wanted:
            tests.append(column.is_(None))
        return sa.or_(*tests) if tests else sa.false()

    def _expression(self, node: f.Node) -> Expression:
        """A row expression or condition as SQL has it; a comparison with a blank is blank, so not true."""
        match node:
            case f.Number(value=value):
                return sa.literal(value) * sa.literal_column("1e0")
            case f.Text(value=value):
                return _text(value)
            case f.Flag(value=flag):
                return sa.literal_column("1" if flag else "0")
            case f.Column(name=name):
                return self._columns[name]
            case f.Minus(of=of):
                return -self._expression(of)
            case f.Binary(op=op, left=left, right=right):
                one, other = self._expression(left), self._expression(right)
                if op == "/":
                    return one / sa.func.nullif(other, 0)
                return {"+": one + other, "-": one - other, "*": one * other}[op]
            case f.Compare(op=op, left=left, right=right):
                one, other = self._comparable(left, right), self._comparable(right, left)
                compared: Expression = _COMPARISONS[op](one, other)
                return compared
            case f.Among(of=of, values=values):
                return sa.or_(*(self._expression(of) == self._comparable(value, of) for value in values))
            case f.Starts(of=of, start=start):
                text = self._expression(of)
                return _exact(sa.func.left(text, len(start))) == _text(start)
            case f.Call():
                return self._called(node)
            case f.Blank(of=of, filled=filled):
                inner = self._expression(of)
                return inner.is_not(None) if filled else inner.is_(None)
            case f.Logic(op=op, items=items):
                parts = [self._expression(item) for item in items]
                return sa.and_(*parts) if op == "and" else sa.or_(*parts)
            case f.Not(of=of):
                return sa.not_(self._expression(of))
        raise TypeError(f"{type(node).__name__} has no value in a row")

    def _called(self, node: f.Call) -> Expression:
        """A function over the cells of a row, as ``columns`` has it."""
        args = [self._expression(arg) for arg in node.args]
        if node.name == "if":
            return sa.case((args[0], args[1]), (sa.not_(args[0]), args[2]), else_=sa.null())
        if node.name == "days":
            return sa.func.datediff(args[1], args[0]) * sa.literal_column("1e0")
        if node.name == "steps":
            limits, names = f.steps_of(node)
            below = [(args[0] < limit, _text(name)) for limit, name in zip(limits, names, strict=False)]
            return sa.case(*below, (args[0] >= limits[-1], _text(names[-1])), else_=sa.null())
        names = f.WEEKDAYS if node.name == "weekday" else f.MONTHS
        place = sa.func.weekday(args[0]) if node.name == "weekday" else sa.func.month(args[0]) - 1
        return sa.case(*((place == at, _text(name)) for at, name in enumerate(names)), else_=sa.null())

    def _comparable(self, node: f.Node, beside: f.Node) -> Expression:
        if isinstance(node, f.Text) and isinstance(beside, f.Column) and self._types[beside.name] == "date":
            return sa.literal(dt.date.fromisoformat(node.value))
        return self._expression(node)


def _total(value: Any) -> Expression:
    return sa.func.coalesce(sa.func.sum(value), 0)


def _exact(value: Any) -> Expression:
    return sa.collate(value, _EXACT)


def _text(value: str) -> Expression:
    return _exact(sa.cast(sa.literal(value), mysql.CHAR(charset="utf8mb4")))


def _raw(value: Any) -> Expression:
    return _text(value) if isinstance(value, str) else sa.literal(value)


def _label(raw: Any, kind: ColumnType) -> str:
    if raw is None:
        return BLANK_MEMBER
    if kind == "flag":
        return "yes" if raw else "no"
    if kind == "number":
        return str(int(raw)) if float(raw).is_integer() else str(float(raw))
    return str(raw)
