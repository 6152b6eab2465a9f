"""Rows that stay where they are: a table or view of a MariaDB-protocol database, aggregated there."""

from __future__ import annotations

import datetime as dt
import operator
import re
import threading
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from concurrent.futures import TimeoutError as Unanswered
from contextlib import contextmanager
from dataclasses import dataclass, field
from typing import Any, TypeVar

import numpy as np
import polars as pl
import sqlalchemy as sa
from sqlalchemy.dialects import mysql
from sqlalchemy.exc import SQLAlchemyError

from ironmark.core import formula as f
from ironmark.core.evaluate import Floats
from ironmark.core.formula import ColumnType
from ironmark.core.periods import Period
from ironmark.core.reading import Members, Totals
from ironmark.tables.cells import BLANK_MEMBER, Cells, CellSource, Line, NoPeriod, PartKey, Unit
from ironmark.tables.reader import Column, Role, identifiers

CONNECT_S, STATEMENT_S = 4, 25
PATIENCE_S = 2.0  # how long a page waits for a live source before it shows the rest
FRESH_S = 60.0  # how long what was read holds
MOST_MEMBERS = 5000
_EXACT = "utf8mb4_nopad_bin"  # texts are the same only sign by sign, as in a file
_MAY_WRITE = ("ALL PRIVILEGES", "INSERT", "UPDATE", "DELETE", "DROP", "ALTER", "CREATE", "SUPER", "FILE")
Expression = sa.ColumnElement[Any]
_COMPARISONS = {
    "=": operator.eq, "!=": operator.ne, "<": operator.lt, "<=": operator.le, ">": operator.gt, ">=": operator.ge,
}  # fmt: skip
T = TypeVar("T")


class LiveProblem(Exception):
    """A live source that cannot be read; the message says why and what to do."""

    status = 503


class Slow(LiveProblem):
    """It has not answered yet; asking goes on, so that reading again soon finds the answer."""


class Wrong(LiveProblem):
    """Settings that do not lead to a table."""

    status = 422


@dataclass(frozen=True)
class Connection:
    """Where a table is. ``host`` that begins with a slash is the path of a socket."""

    host: str
    port: int
    database: str
    user: str
    table: str
    password: str = field(default="", repr=False)

    def engine(self) -> sa.Engine:
        local = self.host.startswith("/")
        url = sa.URL.create(
            "mysql+pymysql",
            self.user,
            self.password,
            None if local else self.host,
            None if local else self.port,
            self.database,
        )
        options: dict[str, Any] = {
            "connect_timeout": CONNECT_S,
            "read_timeout": STATEMENT_S + 5,
            "charset": "utf8mb4",
        }
        if local:
            options["unix_socket"] = self.host
        engine = sa.create_engine(
            url,
            pool_size=4,
            max_overflow=2,
            pool_timeout=10,
            pool_recycle=600,
            pool_pre_ping=True,
            connect_args=options,
        )

        @sa.event.listens_for(engine, "connect")
        def limit(connection: Any, _: Any) -> None:
            with connection.cursor() as cursor:
                try:
                    cursor.execute(f"SET SESSION max_statement_time = {STATEMENT_S}")
                except Exception:  # another server of the protocol; its own limits hold
                    connection.rollback()
                cursor.execute("SET SESSION TRANSACTION READ ONLY")

        return engine


def tables(connection: Connection) -> list[str]:
    """The tables and views the account may see. Raises LiveProblem."""
    with _opened(connection) as engine:
        inspector = sa.inspect(engine)
        return sorted([*inspector.get_table_names(), *inspector.get_view_names()])


def first_rows(connection: Connection, columns: Sequence[Column], limit: int) -> pl.DataFrame:
    """Some rows of the table, typed. Raises LiveProblem."""
    held = sa.table(connection.table, *(sa.column(column.label) for column in columns))
    with _opened(connection) as engine, engine.connect() as open_:
        found = [tuple(row) for row in open_.execute(sa.select(held).limit(limit))]
    typed = {}
    for at, column in enumerate(columns):
        cells = [row[at] for row in found]
        typed[column.name] = [None if cell is None else _python(cell, column.type) for cell in cells]
    schema = {"number": pl.Float64, "date": pl.Date, "flag": pl.Boolean, "text": pl.String}
    return pl.DataFrame(typed, schema={column.name: schema[column.type] for column in columns})


def _python(cell: Any, kind: ColumnType) -> Any:
    if kind == "number":
        return float(cell)
    if kind == "date":
        return _date(cell)
    return cell not in (0, b"\x00") if kind == "flag" else str(cell)


def may_write(connection: Connection) -> bool:
    """Whether the account could change data; one that may only read is better. Raises LiveProblem."""
    with _opened(connection) as engine, engine.connect() as open_:
        grants = [str(row[0]) for row in open_.execute(sa.text("SHOW GRANTS"))]
    return any(re.search(rf"\b{right}\b", grant.split(" ON ")[0]) for grant in grants for right in _MAY_WRITE)


def columns(connection: Connection) -> tuple[Column, ...]:
    """The columns of the table, typed, each with the role it most likely has. Raises LiveProblem."""
    with _opened(connection) as engine:
        found = sa.inspect(engine).get_columns(connection.table)
        names = identifiers(column["name"] for column in found)
        made = [
            Column(name, str(column["name"]), _type(column["type"]), "text")
            for name, column in zip(names, found, strict=True)
        ]
        made = _with_roles(engine, connection.table, made)
    return tuple(made)


def _type(kind: Any) -> ColumnType:
    if (
        isinstance(kind, sa.Boolean)
        or (isinstance(kind, mysql.TINYINT) and kind.display_width == 1)
        or isinstance(kind, mysql.BIT)
    ):
        return "flag"
    if isinstance(kind, sa.Integer | sa.Numeric):
        return "number"
    return "date" if isinstance(kind, sa.Date | sa.DateTime) else "text"


def _with_roles(engine: sa.Engine, table: str, made: Sequence[Column]) -> list[Column]:
    """Roles by type, and a text a segment where the first rows hold it often."""
    held = sa.table(table, *(sa.column(column.label) for column in made))
    texts = [column for column in made if column.type == "text"]
    few = {}
    with engine.connect() as open_:
        sample = open_.execute(sa.select(held).limit(2000)).mappings().all()
    for column in texts:
        few[column.name] = len({row[column.label] for row in sample}) <= max(40, len(sample) // 20)
    period = next((column.name for column in made if column.type == "date"), None)
    roles: dict[str, Role] = {"number": "measure", "flag": "flag", "date": "text"}
    return [
        Column(
            c.name,
            c.label,
            c.type,
            "period" if c.name == period else "segment" if few.get(c.name) else roles.get(c.type, "text"),
        )
        for c in made
    ]


class _said:
    """Turns what a database driver says into words for whoever set the source up."""

    def __init__(self, connection: Connection) -> None:
        self.connection = connection

    def __enter__(self) -> None:
        pass

    def __exit__(self, _: Any, error: BaseException | None, __: Any) -> None:
        if (
            error is None
            or isinstance(error, LiveProblem | NoPeriod)
            or not isinstance(error, SQLAlchemyError | OSError)
        ):
            return
        at = self.connection
        code = getattr(getattr(error, "orig", None), "args", [None])[0]
        where = at.host if at.host.startswith("/") else f"{at.host}:{at.port}"
        if code in (1044, 1045, 1142, 1698):
            raise Wrong(
                f"The server at {where} refuses “{at.user}”. Check the name, the password and its rights."
            ) from None
        if code == 1049:
            raise Wrong(f"There is no database “{at.database}” at {where}.") from None
        if code in (1146, 1054) or isinstance(error, sa.exc.NoSuchTableError):
            raise Wrong(
                f"“{at.table}” is not as it was: a table or column is gone. Look at the source’s settings."
            ) from None
        if code in (1969, 3024):
            raise LiveProblem(
                f"The server at {where} took longer than {STATEMENT_S} s. Give the table an index on its period, or a view with fewer rows."
            ) from None
        if code == 1690:
            raise LiveProblem("A figure is too large for the database to hold.") from None
        said = str((getattr(getattr(error, "orig", None), "args", None) or [None, ""])[-1])[:200]
        raise LiveProblem(
            f"The server at {where} does not answer. Check that it runs and can be reached."
            + (f" It was said: {said}" if said else "")
        ) from None


@contextmanager
def _opened(connection: Connection) -> Iterator[sa.Engine]:
    engine = connection.engine()
    try:
        with _said(connection):
            yield engine
    finally:
        engine.dispose()


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
        first, last, latest = _date(ends[0]), _date(ends[1]), int(ends[2])
        self._raw: dict[str, dict[Any, str]] = {}
        members = {}
        for column in columns:
            if column.role == "segment":
                members[column.name] = self._members_of(column.name, (order or {}).get(column.name, ()))
        self._cells: dict[tuple[Unit, tuple[str, ...]], Cells] = {}
        self._place: dict[tuple[Unit, tuple[str, ...]], dict[tuple[int, ...], int]] = {}
        complete = Period.of(last).end if latest == 1 else last
        super().__init__(first.toordinal(), last.toordinal(), members, through or complete)

    def close(self) -> None:
        self._engine.dispose()

    def _ask(self, query: sa.Select[Any]) -> list[Any]:
        with _said(self._connection), self._engine.connect() as open_:
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
        query = sa.select(expression).where(self._day.is_not(None)).distinct().limit(MOST_MEMBERS + 1)
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
                sa.select(*keys, sa.func.count()).select_from(self._table).where(self._day.is_not(None)).group_by(*keys)
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
        found = self._ask(
            sa.select(*keys, *wanted).select_from(self._table).where(self._day.is_not(None)).group_by(*keys)
        )
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
        scope = [self._day.is_not(None), *(self._among(segment, names) for segment, names in where.items())]
        spans = [(p.units[0], p.units[1]) for p in line.periods]
        if a.window is not None:
            spans = [(start + line.first, end + line.first) for start, end in line.windows(a.window)]
        size = spans[0][1] - spans[0][0]
        even = all(span == (spans[0][0] + at * size, spans[0][0] + (at + 1) * size) for at, span in enumerate(spans))
        groups = [self._columns[by]] if by else []
        if even and size:
            place = sa.func.floor((unit - spans[0][0]) / size)
            inside = [*scope, unit >= spans[0][0], unit < spans[-1][1]]
            for row in self._rows_of(a, [place, *groups], inside):
                self._put(full, int(row[0]), row[1:], by)
            return full
        for p, (start, end) in enumerate(spans):
            if end > start:
                for row in self._rows_of(a, groups, [*scope, unit >= start, unit < end]):
                    self._put(full, p, row, by)
        return full

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
            case f.Blank(of=of, filled=filled):
                inner = self._expression(of)
                return inner.is_not(None) if filled else inner.is_(None)
            case f.Logic(op=op, items=items):
                parts = [self._expression(item) for item in items]
                return sa.and_(*parts) if op == "and" else sa.or_(*parts)
            case f.Not(of=of):
                return sa.not_(self._expression(of))
        raise TypeError(f"{type(node).__name__} has no value in a row")

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


def _date(value: Any) -> dt.date:
    return value.date() if isinstance(value, dt.datetime) else dt.date.fromisoformat(str(value)[:10])


def _label(raw: Any, kind: ColumnType) -> str:
    if raw is None:
        return BLANK_MEMBER
    if kind == "flag":
        return "yes" if raw else "no"
    if kind == "number":
        return str(int(raw)) if float(raw).is_integer() else str(float(raw))
    return str(raw)


class Patient:
    """A live source that is waited for only so long, so that a slow server holds up nothing else.

    What was asked goes on in the background; asked again, it is there. What failed is not asked anew at once.
    """

    def __init__(self, name: str, make: Callable[[], LiveSource], patience: float = PATIENCE_S) -> None:
        self.name, self._make, self._patience = name, make, patience
        self._pool = ThreadPoolExecutor(4, thread_name_prefix="live")
        self._asked: dict[Any, Future[Any]] = {}
        self._lock = threading.Lock()
        self._slow_at = self._failed_at = -1e9
        self._failure: LiveProblem | None = None
        self._source: LiveSource | None = None
        self._made_at = time.monotonic()

    def warm(self) -> None:
        """Begin to open it without waiting."""
        with self._lock:
            if self._source is None and "open" not in self._asked:
                self._asked["open"] = self._pool.submit(self._make)

    @property
    def is_open(self) -> bool:
        future = self._asked.get("open")
        return self._source is not None or (future is not None and future.done() and not future.exception())

    @property
    def age(self) -> float:
        return time.monotonic() - self._made_at

    def close(self) -> None:
        self._pool.shutdown(wait=False, cancel_futures=True)
        if self._source is not None:
            self._source.close()

    def _wait(self, key: Any, work: Callable[[], T]) -> T:
        now = time.monotonic()
        if self._failure is not None and now - self._failed_at < 5:
            raise self._failure
        with self._lock:
            future = self._asked.get(key)
            if future is None:
                future = self._asked[key] = self._pool.submit(work)
        try:
            # One slow answer is enough for a page: what else it asks of this source is not waited for in turn.
            found: T = future.result(0.02 if now - self._slow_at < 1 else self._patience)
        except Unanswered:
            self._slow_at = time.monotonic()
            raise Slow(
                f"“{self.name}” has not answered yet. The rest is read; this follows as soon as it does."
            ) from None
        except LiveProblem as error:
            self._failure, self._failed_at = type(error)(f"“{self.name}”: {error}"), time.monotonic()
            self._forget(key, future)
            raise self._failure from None
        except Exception:
            self._forget(key, future)
            raise
        self._forget(key, future)
        return found

    def _forget(self, key: Any, future: Future[Any]) -> None:
        with self._lock:
            if self._asked.get(key) is future:
                del self._asked[key]

    @property
    def _opened(self) -> LiveSource:
        if self._source is None:
            self._source = self._wait("open", self._make)
        return self._source

    @property
    def first(self) -> dt.date:
        return self._opened.first

    @property
    def last(self) -> dt.date:
        return self._opened.last

    @property
    def through(self) -> dt.date:
        return self._opened.through

    @property
    def members(self) -> Mapping[str, tuple[str, ...]]:
        return self._opened.members

    def aggregate(
        self, wanted: Sequence[f.Aggregate], by: str | None, where: Members, periods: Sequence[Period]
    ) -> Totals:
        source = self._opened
        scope = tuple(sorted((segment, tuple(names)) for segment, names in where.items()))
        key = (tuple(wanted), by, scope, tuple(periods))
        return self._wait(key, lambda: source.aggregate(wanted, by, where, periods))
