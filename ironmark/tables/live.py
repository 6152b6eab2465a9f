"""Rows that stay where they are: a table or view of a database, aggregated there."""

from __future__ import annotations

import datetime as dt
import operator
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
import polars as pl
import sqlalchemy as sa

from ironmark.core import formula as f
from ironmark.core.evaluate import Floats
from ironmark.core.formula import ColumnType
from ironmark.core.periods import Period
from ironmark.core.reading import Members
from ironmark.tables.cells import BLANK_MEMBER, Cells, Line, NoPeriod, PartKey, Unit
from ironmark.tables.connections import Connection, InWords, LiveProblem, Wrong, date_of, opened
from ironmark.tables.dialects import Dialect, Expression
from ironmark.tables.joined_columns import NOT_FOUND, Lookup, Matched, Twice, Wide
from ironmark.tables.query_cache import AskedSource
from ironmark.tables.table import Column

MOST_MEMBERS, MOST_KEYS = 5000, 10_000
_PIECE, _WHOLE_S = 50_000, 1800  # rows fetched at once, and how long all of a table may take
_COMPARISONS = {
    "=": operator.eq, "!=": operator.ne, "<": operator.lt, "<=": operator.le, ">": operator.gt, ">=": operator.ge,
}  # fmt: skip
_SCHEMA = {"number": pl.Float64, "date": pl.Date, "flag": pl.Boolean, "text": pl.String}


@dataclass(frozen=True)
class LiveTable:
    """A table of a database with all that is said about it. others: the tables of the same server that it looks into,
    by their datasets."""

    connection: Connection
    columns: tuple[Column, ...]
    merges: Mapping[str, Mapping[str, str]] = field(default_factory=dict)
    wide: Wide = Wide()
    others: Mapping[str, LiveTable] = field(default_factory=dict)

    def relation(self) -> Relation:
        """Where its rows are read from, and how each of its columns is. Texts that are empty are blank. Raises LiveProblem."""
        dialect, raw = self.connection.dialect, self.connection.rows(self.columns)
        with InWords(self.connection):
            kinds = dialect.kinds(self.connection)
        made = Relation(dialect, raw, {}, {column.name: column.type for column in self.columns})
        for column in self.columns:
            cell = dialect.cell(raw.c[column.label], column.type, kinds.get(column.label, ""), column.role == "period")
            made.columns[column.name] = made.merged(cell, self.merges.get(column.name))
            if column.type == "text" and dialect.exact_keys and column.name not in self.merges:
                made.keys[column.name] = raw.c[column.label]
        for at, lookup in enumerate(self.wide.lookups):
            made.look_up(self.others[lookup.dataset], lookup, self.merges, f"there{at}")
        for one in self.wide.derived:
            made.columns[one.column.name] = made.merged(
                made.expression(f.parse(one.formula)), self.merges.get(one.column.name)
            )
            made.types[one.column.name] = one.column.type
        return made

    def keyed(self, lookup: Lookup, name: str) -> sa.Subquery:
        """The rows to look into: the key as k0, k1, what is taken as t0, t1, …; rows with a blank key left out."""
        made = self.relation()
        keys = [made.columns[there].label(f"k{at}") for at, there in enumerate(lookup.there)]
        taken = [made.columns[their].label(f"t{at}") for at, (their, _) in enumerate(lookup.take)]
        filled = [made.columns[there].is_not(None) for there in lookup.there]
        return sa.select(*keys, *taken).select_from(made.rows).where(*filled).subquery(name)

    def listed(self, lookup: Lookup) -> tuple[list[str], list[tuple[Any, ...]]]:
        """The rows to look into, fetched: each key as one text, and for each column that is taken its cells. Raises
        LiveProblem."""
        made = self.relation()
        there = [made.columns[name] for name in lookup.there]
        taken = [made.columns[their] for their, _ in lookup.take]
        asked = sa.select(made.dialect.key(there), *taken).select_from(made.rows)
        asked = asked.where(*(one.is_not(None) for one in there)).limit(MOST_KEYS + 1)
        with opened(self.connection) as engine, engine.connect() as open_:
            rows = [tuple(row) for row in open_.execute(asked)]
        if len(rows) > MOST_KEYS:
            raise Wrong(
                f"{self.connection.table} has more than {MOST_KEYS:,} rows, more than can be looked into in a "
                f"{made.dialect.words}. Take the columns into the table there, or look into a smaller one."
            )
        return [row[0] for row in rows], list(zip(*(row[1:] for row in rows), strict=True)) or [()] * len(taken)

    def first(self, limit: int) -> pl.DataFrame:
        """Some rows, typed, with all their columns. Raises LiveProblem."""
        made = self.relation()
        schema = {name: _SCHEMA[made.types[name]] for name in made.columns}
        # By their places: a name of ours may be that of another column there.
        asked = sa.select(*(expression.label(f"out{at}") for at, expression in enumerate(made.columns.values())))
        pieces = [pl.DataFrame(schema=schema)]
        with opened(self.connection) as engine, engine.connect() as open_:
            streamed = open_.execution_options(stream_results=True, max_row_buffer=_PIECE)
            for some in streamed.execute(asked.select_from(made.rows).limit(limit)).partitions(_PIECE):
                typed = {
                    name: [None if row[at] is None else _python(row[at], made.types[name]) for row in some]
                    for at, name in enumerate(made.columns)
                }
                pieces.append(pl.DataFrame(typed, schema=schema))
        return pl.concat(pieces)

    def every(self, most: int) -> pl.DataFrame:
        """Its rows as they are now, at most so many, with time enough to send them. Raises LiveProblem."""
        return replace(self, connection=replace(self.connection, seconds=_WHOLE_S)).first(most)

    def matched(self, at: int) -> Matched:
        """How the keys of one of its lookups are found, over all rows. Raises LiveProblem."""
        lookup = self.wide.lookups[at]
        made = replace(self, wide=Wide(self.wide.lookups[:at])).relation()
        lost, _ = made.found(self.others[lookup.dataset], lookup, "looked")
        mine = [made.columns[name].label(f"m{n}") for n, name in enumerate(lookup.here)]
        blank = sa.or_(*(made.columns[name].is_(None) for name in lookup.here))
        by_key = sa.select(*mine, sa.func.count().label("many")).select_from(made.rows).where(lost).group_by(*mine)
        counted = by_key.order_by(sa.desc("many"), *mine).limit(20)
        sums = (sa.func.coalesce(sa.func.sum(sa.case((one, 1), else_=0)), 0) for one in (lost, blank))
        with opened(self.connection) as engine, engine.connect() as open_:
            every, missing, without = open_.execute(sa.select(sa.func.count(), *sums).select_from(made.rows)).one()
            told = [(", ".join(str(cell) for cell in row[:-1]), int(row[-1])) for row in open_.execute(counted)]
            keys = open_.execute(sa.select(sa.func.count()).select_from(by_key.subquery())).scalar_one()
        return Matched(every, every - int(missing) - int(without), int(without), tuple(told), keys)

    def twice(self, keys: Sequence[str], most: int = 5) -> list[Twice]:
        """Keys that more than one row has. Raises LiveProblem."""
        made = self.relation()
        wanted = [made.columns[name] for name in keys]
        asked = sa.select(*wanted).select_from(made.rows).where(*(one.is_not(None) for one in wanted))
        asked = asked.group_by(*wanted).having(sa.func.count() > 1).limit(most)
        with opened(self.connection) as engine, engine.connect() as open_:
            return [Twice(", ".join(str(cell) for cell in row)) for row in open_.execute(asked)]


def _python(cell: Any, kind: ColumnType) -> Any:
    if kind == "number":
        return float(cell)
    if kind == "date":
        return date_of(cell)
    return cell not in (0, b"\x00") if kind == "flag" else str(cell)


@dataclass
class Relation:
    """Rows of a database as formulas see them. rows: the table, joined with those it looks into. columns: how each is
    written in SQL; a text is compared sign by sign. keys: texts as they lie there, where rows can be grouped by that."""

    dialect: Dialect
    rows: sa.FromClause
    columns: dict[str, Expression]
    types: dict[str, ColumnType]
    keys: dict[str, Expression] = field(default_factory=dict)

    def merged(self, text: Expression, merges: Mapping[str, str] | None) -> Expression:
        """A text with every spelling that stands for another member replaced by it."""
        if not merges:
            return text
        said = self.dialect
        return said.exact(
            sa.case(*((text == said.text(old), said.text(new)) for old, new in merges.items()), else_=text)
        )

    def found(self, other: LiveTable, lookup: Lookup, name: str) -> tuple[Expression, list[Expression]]:
        """Whether a row's key is in no row of another table, and what is taken of the row it is in: joined, or, where
        nothing can be, fetched once and told with what is asked. Raises LiveProblem in that case."""
        mine = [self.columns[one] for one in lookup.here]
        if not self.dialect.joins:
            keys, cells = other.listed(lookup)
            place = self.dialect.place_in(self.dialect.key(mine), keys)
            taken = [
                self.dialect.nth(list(some), place, one.type) for some, (_, one) in zip(cells, lookup.take, strict=True)
            ]
            return place == 0, taken
        there = other.keyed(lookup, name)
        self.rows = self.rows.outerjoin(there, sa.and_(*(one == there.c[f"k{at}"] for at, one in enumerate(mine))))
        lost = sa.and_(there.c.k0.is_(None), *(one.is_not(None) for one in mine))
        return lost, [there.c[f"t{at}"] for at in range(len(lookup.take))]

    def look_up(self, other: LiveTable, lookup: Lookup, merges: Mapping[str, Mapping[str, str]], name: str) -> None:
        """Take the columns of a lookup, as ``widened.looked_up`` does."""
        lost, cells = self.found(other, lookup, name)
        for taken, (_, column) in zip(cells, lookup.take, strict=True):
            if column.type == "text":
                taken = self.dialect.exact(sa.case((lost, self.dialect.text(NOT_FOUND)), else_=taken))
            self.columns[column.name] = self.merged(taken, merges.get(column.name))
            self.types[column.name] = column.type

    def expression(self, node: f.Node) -> Expression:
        """A row expression or condition as SQL has it; a comparison with a blank is blank, so not true."""
        match node:
            case f.Number(value=value):
                return self.dialect.constant(value)
            case f.Text(value=value):
                return self.dialect.text(value)
            case f.Flag(value=flag):
                return self.dialect.boolean(flag)
            case f.Column(name=name):
                return self.columns[name]
            case f.Minus(of=of):
                return -self.expression(of)
            case f.Binary(op=op, left=left, right=right):
                one, other = self.expression(left), self.expression(right)
                if op == "/":
                    return one / sa.func.nullif(other, 0)
                return {"+": one + other, "-": one - other, "*": one * other}[op]
            case f.Compare(op=op, left=left, right=right):
                one, other = self._comparable(left, right), self._comparable(right, left)
                compared: Expression = _COMPARISONS[op](one, other)
                return compared
            case f.Among(of=of, values=values):
                return self.dialect.among(self.expression(of), [self._comparable(value, of) for value in values])
            case f.Starts(of=of, start=start):
                return self.dialect.starts(self.expression(of), start)
            case f.Call():
                return self._called(node)
            case f.Blank(of=of, filled=filled):
                inner = self.expression(of)
                return inner.is_not(None) if filled else inner.is_(None)
            case f.Logic(op=op, items=items):
                return self.dialect.logic(op, [self.expression(item) for item in items])
            case f.Not(of=of):
                return sa.not_(self.expression(of))
        raise TypeError(f"{type(node).__name__} has no value in a row")

    def _called(self, node: f.Call) -> Expression:
        """A function over the cells of a row, as ``columns`` has it."""
        args = [self.expression(arg) for arg in node.args]
        said = self.dialect
        if node.name == "if":
            return sa.case((args[0], args[1]), (sa.not_(args[0]), args[2]), else_=sa.null())
        if node.name == "days":
            return said.days(args[0], args[1])
        if node.name == "steps":
            limits, names = f.steps_of(node)
            bounds = [said.constant(limit) for limit in limits]
            below = [(args[0] < bound, said.text(name)) for bound, name in zip(bounds, names, strict=False)]
            return said.exact(sa.case(*below, (args[0] >= bounds[-1], said.text(names[-1])), else_=sa.null()))
        if node.name == "weekday":
            return said.named(said.weekday(args[0]), f.WEEKDAYS)
        return said.named(said.part("month", args[0]) - 1, f.MONTHS)

    def is_number(self, node: f.Node) -> bool:
        """Whether a row expression is a number."""
        match node:
            case f.Column(name=name):
                return self.types[name] == "number"
            case f.Call(name="if", args=args):
                return self.is_number(args[1])
            case f.Call(name=name):
                return name == "days"
        return isinstance(node, f.Number | f.Minus | f.Binary)

    def _comparable(self, node: f.Node, beside: f.Node) -> Expression:
        if isinstance(node, f.Text) and isinstance(beside, f.Column) and self.types[beside.name] == "date":
            return sa.literal(dt.date.fromisoformat(node.value))
        return self.expression(node)


class LiveSource(AskedSource):
    """A table or view whose rows are aggregated by its own database, in as few statements as there are cells."""

    def __init__(
        self, table: LiveTable, order: Mapping[str, Sequence[str]] | None = None, through: dt.date | None = None
    ) -> None:
        """through: the day it is complete through; None takes the last day of its rows. Raises LiveProblem, NoPeriod."""
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
        ends = self._ask(
            sa.select(
                sa.func.min(self._day), sa.func.max(self._day), sa.func.max(self._said.part("day", self._day))
            ).select_from(self._table)
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
        self._read = sa.and_(self._said.known(self._day), self._day <= complete)
        if last > complete:
            last = date_of(
                self._ask(sa.select(sa.func.max(self._day)).select_from(self._table).where(self._read))[0][0]
            )
        self._raw: dict[str, dict[Any, str]] = {}
        self._keys = {column.name: relation.keys.get(column.name, relation.columns[column.name]) for column in every}
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

    def _part(self, name: str, of: f.Node | None, where: f.Node | None) -> Expression:
        holds = self._relation.expression(where) if where is not None else None
        if name == "matching":
            return sa.func.count() if holds is None else _total(sa.case((holds, 1), else_=0))
        assert of is not None
        if isinstance(of, f.Number) and name in ("filled", "sum"):
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

    def _rows_of(self, a: f.Aggregate, groups: list[Expression], where: list[Expression]) -> list[Any]:
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
        wanted = [
            raw or None if isinstance(raw, str) else raw
            for raw, label in self._raw[segment].items()
            if label in set(names)
        ]
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
