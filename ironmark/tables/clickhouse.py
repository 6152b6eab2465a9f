"""ClickHouse, one server or the shards of a cluster, spoken to in SQLAlchemy's statements over its native protocol.

The dialects there are for it want an earlier SQLAlchemy than ours, and the newer driver a newer server than Debian has.
What this product asks of a database is little: single selects, grouped. So that little is said here, in words that
servers since 2018 know: no joins, no window functions, no estimates in place of counts.
"""

from __future__ import annotations

import logging
import re
import weakref
from collections.abc import Sequence
from typing import Any

import clickhouse_driver
import sqlalchemy as sa
from clickhouse_driver import dbapi
from clickhouse_driver.errors import ErrorCodes

from ironmark.core.formula_nodes import ColumnType
from ironmark.tables.clickhouse_sql import NAME, Client, Named, Sql, cause_of
from ironmark.tables.dialects import CONNECT_S, Dialect, Expression, Figure, Trouble, pooled
from ironmark.tables.late_shards import ANSWER_S, LateShards
from ironmark.tables.reach import Connection

logging.getLogger("clickhouse_driver").setLevel(logging.ERROR)  # what fails is told to whoever reads the source
_EPOCH = 719163  # 1 January 1970, counted as ``core.periods`` counts days
_WRITING = re.compile(r"\b(ALL|INSERT|ALTER|CREATE|DROP|TRUNCATE|OPTIMIZE)\b")
LIST = Named("Array")


class LeavesOut(Exception):
    """The account's settings have shards that do not answer left out."""


class ClickHouse(Dialect):
    protocol, words, port = "clickhouse", "ClickHouse", 9000
    joins, exact_keys = False, True

    def __init__(self) -> None:
        self._open: weakref.WeakSet[Client] = weakref.WeakSet()
        self._shards: dict[Connection, LateShards] = {}

    def usual(self, at: Connection) -> str:
        return at.database

    def place(self, at: Connection) -> tuple[str, str]:
        schema, dot, name = at.table.partition(".")
        return (schema, name) if dot else (at.database, at.table)

    def engine(self, at: Connection) -> sa.Engine:
        limits: dict[str, Any] = {
            "max_execution_time": at.seconds, "skip_unavailable_shards": 0, "max_query_size": 64 << 20, "readonly": 2,
        }  # fmt: skip

        def connect() -> Client:
            """Within limits, where the account may set any; told where it leaves out what is missing."""
            asked = "SELECT value FROM system.settings WHERE name = 'skip_unavailable_shards'"
            for settings in (limits, {}):
                made = Client(**self._reached(at), settings=settings)
                made.at = at
                self._open.add(made)
                try:
                    cursor = made.cursor()
                    cursor.execute(asked)
                    if (cursor.fetchone() or ["0"])[0] == "1":
                        raise dbapi.OperationalError(LeavesOut())
                    made.be_patient(at.seconds + 5)
                    return made
                except dbapi.Error as error:
                    made.close()
                    if not settings or getattr(cause_of(error), "code", 0) != ErrorCodes.READONLY:
                        raise
            raise AssertionError("one of the two has returned or raised")

        return pooled(sa.URL.create(NAME), creator=connect)

    def _reached(self, at: Connection) -> dict[str, Any]:
        return {
            "host": at.host, "port": at.port, "user": at.user, "password": at.password, "database": at.database,
            "connect_timeout": CONNECT_S, "send_receive_timeout": CONNECT_S, "client_name": "Iron Mark",
            "secure": at.tls != "off", "verify": at.tls == "verified",
        }  # fmt: skip

    def rows_read(self, at: Connection) -> tuple[int, int]:
        asked = [one._client.last_query for one in list(self._open) if one.busy and one.at == at and one._client]
        told = [query.progress for query in asked if query is not None and query.progress]
        return sum(one.rows for one in told), sum(one.total_rows for one in told)

    def late(self, at: Connection) -> str:
        running = [one.busy for one in list(self._open) if one.busy and one.at == at]
        if not running:
            return ""
        shards = self._shards.get(at)
        if shards is None:
            shards = self._shards[at] = LateShards(lambda host, port: self._of_a_shard(at, host, port), *self.place(at))
        return shards.told(running)

    def _of_a_shard(self, at: Connection, host: str, port: int) -> clickhouse_driver.Client:
        """For the server that is one of its shards; "" for the one that is asked itself."""
        reached = self._reached(at) | {"connect_timeout": ANSWER_S, "send_receive_timeout": ANSWER_S}
        return clickhouse_driver.Client(**reached | ({"host": host, "port": port} if host else {}))

    def type_of(self, kind: Any) -> ColumnType:
        name = re.sub(r"^(?:Nullable|LowCardinality)\(|\)$", "", re.sub(r"^LowCardinality\(", "", kind.name))
        if name == "Bool":
            return "flag"
        if name.startswith(("Int", "UInt", "Float", "Decimal")):
            return "number"
        return "date" if name.startswith("Date") else "text"

    def may_be_a_flag(self, kind: Any) -> bool:
        return "UInt8" in kind.name

    def may_write(self, open_: sa.Connection, at: Connection) -> bool:
        own = clickhouse_driver.Client(**self._reached(at))  # the account's own settings, not ours
        try:
            if own.execute("SELECT value FROM system.settings WHERE name = 'readonly'") != [("0",)]:
                return False
            try:
                return any(_WRITING.search(row[0].split(" ON ")[0]) for row in own.execute("SHOW GRANTS"))
            except clickhouse_driver.errors.ServerException:  # an older server, which knows of no other rights
                return True
        finally:
            own.disconnect()

    def trouble(self, error: Any) -> tuple[Trouble, str]:
        cause = cause_of(error)
        if isinstance(cause, LeavesOut):
            return "leaves_out", ""
        message = str(getattr(cause, "message", cause) or "")
        said = re.split(r"\.? ?Stack trace", message)[0].replace("DB::Exception: ", "").strip()[:200]
        code = getattr(cause, "code", None)
        if code in (ErrorCodes.ALL_CONNECTION_TRIES_FAILED, ErrorCodes.NETWORK_ERROR) and "DB::" in message:
            missing = re.findall(r"\(([^\s,()]+:\d+)", message)
            return "short", " and ".join(dict.fromkeys(missing))
        known: dict[Trouble, tuple[int, ...]] = {
            "refused": (192, 193, 194, 195, 516), "no_right": (497,), "no_database": (81,), "no_table": (60,),
            "gone": (16, 47), "slow": (159, 160), "full": (243,),
            "away": (202, 209, 210, 241, 32, 198, 999), "name": (36,),
        }  # fmt: skip
        found = next((trouble for trouble, codes in known.items() if code in codes), None)
        if found is None:
            found = "said" if isinstance(cause, clickhouse_driver.errors.ServerException) else "away"
        return found, said

    def kinds(self, at: Connection) -> dict[str, str]:
        schema, name = self.place(at)
        engine = self.engine(at)
        try:
            with engine.connect() as open_:
                return {one["name"]: one["type"].name for one in Sql().get_columns(open_, name, schema)}
        finally:
            engine.dispose()

    def cell(self, raw: Expression, type_: ColumnType, kind: str, is_period: bool) -> Expression:
        """What is not needed is not written: it would be done for every row."""
        if type_ == "number" and re.match(r"U?Int|Decimal", kind):
            return sa.func.toFloat64(raw)
        if type_ == "number" and kind == "Float64":
            return sa.func.If(sa.func.isFinite(raw), raw, sa.null())
        if is_period:
            return raw if kind == "Date" else sa.func.toDate(raw)
        if type_ == "text" and kind == "String":
            return sa.func.nullIf(raw, self.text(""))
        if type_ == "text" and kind.startswith("Enum") and "'' = " not in kind:
            return sa.func.toString(raw)
        return super().cell(raw, type_, kind, is_period)

    def figure(self, raw: Expression, kind: str) -> Figure | None:
        if re.match(r"U?Int|Decimal", kind):
            return sa.func.toFloat64(raw), None
        return (raw, sa.func.isFinite(raw)) if kind == "Float64" else None

    def same(self, raw: Expression, kind: str, values: Sequence[str]) -> Expression | None:
        """Names of which there are few are kept as numbers; another text among them is refused by the server."""
        if not kind.startswith("Enum") or "'' = " in kind or "\\" in kind:
            return None
        some = [value for value in values if f"'{value}' = " in kind and "'" not in value]
        return raw.in_([self.text(value) for value in some]) if some else self.boolean(False)

    def aggregate(self, name: str, figure: Figure | None, holds: Expression | None) -> Expression | None:
        """Blanks are slower than what is left out."""
        if name not in ("matching", "filled", "sum", "min", "max") or (figure is None and name != "matching"):
            return None
        value, there = figure or (sa.null(), None)
        tests = ([] if holds is None else [sa.func.ifNull(holds, sa.literal_column("0"))]) + (
            [] if there is None else [there]
        )
        test = sa.and_(*tests) if tests else None
        many = sa.func.count() if test is None else sa.func.countIf(test)
        if name in ("matching", "filled"):
            return many
        if test is None:
            return getattr(sa.func, name)(value)  # type: ignore[no-any-return]
        found: Expression = getattr(sa.func, f"{name}If")(value, test)
        return found if name == "sum" else sa.func.If(many > sa.literal_column("0"), found, sa.null())

    def known(self, day: Expression) -> Expression:
        return day > sa.func.toDate(sa.literal_column("0"))  # see ``date``

    def number(self, raw: Expression) -> Expression:
        # What is no number is none of a table here either, as in a file.
        figure = sa.cast(raw, Named("Nullable(Float64)"))
        return sa.func.If(sa.func.isFinite(figure), figure, sa.null())

    def constant(self, value: float) -> Expression:
        return sa.func.toFloat64(sa.literal(value))

    def flag(self, raw: Expression) -> Expression:
        return raw != sa.literal_column("0")

    def as_text(self, raw: Expression) -> Expression:
        return sa.func.toString(raw)

    def exact(self, text: Any) -> Expression:
        return text  # type: ignore[no-any-return]

    def text(self, value: str) -> Expression:
        return sa.literal(value)

    def date(self, raw: Expression) -> Expression:
        # A day that was left out of a column without blanks is kept as day 0.
        return sa.func.nullIf(sa.func.toDate(raw), sa.func.toDate(sa.literal_column("0")))

    def boolean(self, value: bool) -> Expression:
        return sa.literal_column("1" if value else "0")

    def logic(self, op: str, items: list[Expression]) -> Expression:
        """Older servers take "blank or blank" for no. As no 0, blank 1 and yes 2 the least of all is all of them, and
        the greatest is any of them; each is written once, for what holds others would grow with every step."""
        known = [sa.func.ifNull(item * sa.literal_column("2"), sa.literal_column("1")) for item in items]
        join = sa.func.least if op == "and" else sa.func.greatest
        found = known[0]
        for one in known[1:]:
            found = join(found, one)
        return sa.func.nullIf(found, sa.literal_column("1")) == sa.literal_column("2")

    def among(self, cell: Expression, values: list[Expression]) -> Expression:
        return sa.case((cell.is_(None), sa.null()), else_=cell.in_(values))

    def named(self, place: Expression, names: Sequence[str]) -> Expression:
        return self.nth(list(names), place + 1, "text")

    def month(self, date: Expression) -> Expression:
        return sa.func.toRelativeMonthNum(date) - 1

    def day(self, date: Expression) -> Expression:
        return sa.func.toInt32(date) + _EPOCH

    def weekday(self, date: Expression) -> Expression:
        return sa.func.toDayOfWeek(date) - 1

    def days(self, start: Expression, end: Expression) -> Expression:
        return sa.func.toFloat64(sa.func.toInt32(end) - sa.func.toInt32(start))

    def part(self, name: str, date: Expression) -> Expression:
        return sa.func.toInt32(
            {"year": sa.func.toYear, "month": sa.func.toMonth, "day": sa.func.toDayOfMonth}[name](date)
        )

    def starts(self, text: Expression, start: str) -> Expression:
        return sa.func.startsWith(text, sa.literal(start))

    def plain_zero(self, number: Expression) -> Expression:
        return number + sa.literal_column("toFloat64(0)")  # newer servers tell 0 from -0

    def distinct(self, value: Expression) -> Expression:
        return sa.func.ifNull(
            sa.func.uniqExact(value), sa.literal_column("0")
        )  # of blanks alone older servers say NULL

    def stdev(self, value: Expression) -> Expression:
        # Of one figure some versions say infinity.
        return sa.case((sa.func.count(value) > 1, sa.func.spread(value)), else_=sa.null())

    def median(self, value: Expression) -> Expression:
        """The middle of the sorted values, or the mean of the two."""
        many, ordered = sa.func.count(value), sa.func.arraySort(sa.func.groupArray(value))
        two = sa.func.If(many % 2 == 0, sa.literal_column("2"), sa.literal_column("1"))
        middle = sa.func.arraySlice(ordered, sa.func.intDiv(many + 1, sa.literal_column("2")), two)
        return sa.func.arrayReduce(sa.literal_column("'avg'"), middle)

    def on_last_day(
        self, keys: list[Expression], day: Expression, rows: sa.FromClause, inside: list[Expression]
    ) -> Expression:
        said = [sa.func.ifNull(sa.func.toString(key), sa.literal("\x1f")) for key in keys]
        latest = sa.select(*said, sa.func.max(day)).select_from(rows).where(*inside)
        return sa.tuple_(*said, day).op("GLOBAL IN", is_comparison=True)(
            (latest.group_by(*said) if said else latest).scalar_subquery()
        )

    def key(self, cells: list[Expression]) -> Expression:
        """Cells as one text; blank where one of them is."""
        texts: list[Expression] = []
        for cell in cells:
            texts += [sa.literal("\x1f"), sa.func.toString(cell)]
        return sa.func.concat(*texts)

    def place_in(self, key: Expression, keys: list[str]) -> Expression:
        """Which of ``keys``, from 1, a key is; 0 for another, blank for a blank one."""
        known = keys or ["\x1f\x1f"]
        places = sa.literal(list(range(1, len(known) + 1)), LIST)
        found = sa.func.transform(key, sa.literal(known, LIST), places, sa.literal_column("0"))
        # Newer servers look a blank up like any other, older ones do not.
        return sa.case((key.is_(None), sa.null()), else_=found)

    def nth(self, cells: list[Any], place: Expression, kind: ColumnType) -> Expression:
        """The cell at a place, from 1; blank at 0."""
        name = {"number": "Float64", "flag": "UInt8", "date": "UInt16"}.get(kind, "String")
        if kind == "date":
            cells = [None if cell is None else cell.toordinal() - _EPOCH for cell in cells]
        listed = sa.cast(sa.literal([None, *cells], LIST), Named(f"Array(Nullable({name}))"))
        cell = sa.func.arrayElement(listed, sa.func.toUInt32(sa.func.ifNull(place, sa.literal_column("0")) + 1))
        return sa.func.toDate(cell) if kind == "date" else cell
