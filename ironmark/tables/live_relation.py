"""A live table, and how its rows are asked for: what is filtered, joined and named before anything is added up."""

from __future__ import annotations

import datetime as dt
import operator
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import polars as pl
import sqlalchemy as sa

from ironmark.core import formula_nodes as f
from ironmark.core.formula import parse
from ironmark.core.formula_nodes import ColumnType
from ironmark.tables.connections import Connection, InWords, Wrong, date_of, opened
from ironmark.tables.dialects import Dialect, Expression, Figure
from ironmark.tables.joined_columns import NOT_FOUND, Lookup, Matched, Twice, Wide
from ironmark.tables.pieces import piece_rows
from ironmark.tables.table import Column

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
            if column.type == "number" and (figure := dialect.figure(raw.c[column.label], kinds.get(column.label, ""))):
                made.figures[column.name] = figure
            if column.type == "text" and column.name not in self.merges:
                made.kept[column.name] = raw.c[column.label], kinds.get(column.label, "")
            if column.type == "text" and dialect.exact_keys and column.name not in self.merges:
                made.keys[column.name] = raw.c[column.label]
        for at, lookup in enumerate(self.wide.lookups):
            made.look_up(self.others[lookup.dataset], lookup, self.merges, f"there{at}")
        for one in self.wide.derived:
            made.columns[one.column.name] = made.merged(
                made.expression(parse(one.formula)), self.merges.get(one.column.name)
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
        return pl.concat(self._frames(limit))

    def _frames(self, limit: int) -> Iterator[pl.DataFrame]:
        """The same as they are sent: one without rows, then some at a time."""
        made = self.relation()
        schema = {name: _SCHEMA[made.types[name]] for name in made.columns}
        # By their places: a name of ours may be that of another column there.
        asked = sa.select(*(expression.label(f"out{at}") for at, expression in enumerate(made.columns.values())))
        yield pl.DataFrame(schema=schema)
        with opened(self.connection) as engine, engine.connect() as open_:
            many = min(PIECE, piece_rows(10 * len(made.columns)))  # a cell takes ten times as much as one of a column
            streamed = open_.execution_options(stream_results=True, max_row_buffer=many)
            for some in streamed.execute(asked.select_from(made.rows).limit(limit)).partitions(many):
                typed = {
                    name: [None if row[at] is None else _python(row[at], made.types[name]) for row in some]
                    for at, name in enumerate(made.columns)
                }
                yield pl.DataFrame(typed, schema=schema)

    def every(self, most: int) -> Iterator[pl.DataFrame]:
        """Its rows as they are now, at most so many, some at a time, with time enough to send them. Raises LiveProblem."""
        return replace(self, connection=replace(self.connection, seconds=WHOLE_S))._frames(most)

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
    written in SQL; a text is compared sign by sign. keys: texts as they lie there, where rows can be grouped by that. figures:
    numbers taken apart, where that is quicker; kept: texts as they lie there, and as what."""

    dialect: Dialect
    rows: sa.FromClause
    columns: dict[str, Expression]
    types: dict[str, ColumnType]
    keys: dict[str, Expression] = field(default_factory=dict)
    figures: dict[str, Figure] = field(default_factory=dict)
    kept: dict[str, tuple[Expression, str]] = field(default_factory=dict)

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
                if op == "=" and (same := self._same(left, [right])) is not None:
                    return same
                one, other = self._comparable(left, right), self._comparable(right, left)
                compared: Expression = _COMPARISONS[op](one, other)
                return compared
            case f.Among(of=of, values=values):
                if (same := self._same(of, values)) is not None:
                    return same
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

    def _same(self, node: f.Node, values: Sequence[f.Node]) -> Expression | None:
        """Whether a cell is one of some texts, where the dialect has a quicker word for that."""
        texts = [value.value for value in values if isinstance(value, f.Text)]
        if not isinstance(node, f.Column) or node.name not in self.kept or len(texts) < len(values):
            return None
        return self.dialect.same(*self.kept[node.name], texts)

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


MOST_MEMBERS, MOST_KEYS = 5000, 10_000


PIECE, WHOLE_S = 50_000, 1800  # rows fetched at once, and how long all of a table may take
