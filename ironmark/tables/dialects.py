"""How the databases that rows may stay in say the same thing: what differs between them, and nothing else."""

from __future__ import annotations

import re
import socket
from abc import ABC, abstractmethod
from collections.abc import Iterator, Sequence
from typing import Any, Literal

import pymysql
import sqlalchemy as sa
from sqlalchemy.dialects import mysql

from ironmark.core.formula_nodes import ColumnType
from ironmark.tables.reach import Connection

Expression = sa.ColumnElement[Any]
# A figure, and whether a row has one; None: every row has.
Figure = tuple[Expression, Expression | None]
Protocol = Literal["mariadb", "postgresql", "clickhouse"]
# What keeps a database from answering: "away" may pass, all else has to be mended by somebody.
Trouble = Literal[
    "refused", "name", "no_database", "no_table", "no_right", "gone", "slow", "full", "too_large", "said", "away", "short",
    "leaves_out"
]  # fmt: skip
CONNECT_S = 4
_NO_ROOM = re.compile(r"No space left|[Ee]rror:? 28\b|errno: 28\b|is full")


class Dialect(ABC):
    """What one kind of database calls things. Texts are the same only sign by sign, as in a file."""

    protocol: Protocol
    words: str  # what its users call it
    port: int
    exact_keys = False  # whether rows can be grouped by a text as it lies there
    joins = True  # whether another table can be joined; else what is looked into goes along with what is asked

    @abstractmethod
    def engine(self, at: Connection) -> sa.Engine:
        """Ready to be asked: read only, and no statement longer than the source's patience."""

    @abstractmethod
    def type_of(self, kind: Any) -> ColumnType:
        """What a column as it is reflected holds."""

    @abstractmethod
    def may_write(self, open_: sa.Connection, at: Connection) -> bool:
        """Whether the account could change data."""

    @abstractmethod
    def trouble(self, error: Any) -> tuple[Trouble, str]:
        """What a driver's error is about, and what was said."""

    @abstractmethod
    def usual(self, at: Connection) -> str:
        """The schema that tables are in where nothing is said; none where only one is looked at."""

    def rows_read(self, at: Connection) -> tuple[int, int]:
        """How many rows what is being asked has read, and of how many; 0 and 0 where a database does not tell."""
        return 0, 0

    def late(self, at: Connection) -> str:
        """Which of several servers have not answered what is being asked, in words; "" where that is not known."""
        return ""

    @abstractmethod
    def place(self, at: Connection) -> tuple[str | None, str]:
        """The schema, where one has to be named, and the name of a table."""

    def may_be_a_flag(self, kind: Any) -> bool:
        """Whether a column of numbers that are all 0 or 1 is one of flags."""
        return False

    # How cells are read

    @abstractmethod
    def number(self, raw: Expression) -> Expression: ...

    @abstractmethod
    def flag(self, raw: Expression) -> Expression: ...

    @abstractmethod
    def as_text(self, raw: Expression) -> Expression: ...

    @abstractmethod
    def exact(self, text: Any) -> Expression: ...

    @abstractmethod
    def text(self, value: str) -> Expression: ...

    @abstractmethod
    def date(self, raw: Expression) -> Expression: ...

    def cell(self, raw: Expression, type_: ColumnType, kind: str, is_period: bool) -> Expression:
        """A column as formulas see it. kind: what the database calls its type, where it was asked. A text that is
        empty is blank."""
        if type_ == "text":
            return sa.func.nullif(self.exact(self.as_text(raw)), self.text(""))
        return {"number": self.number, "date": self.date, "flag": self.flag}[type_](raw)

    def kinds(self, at: Connection) -> dict[str, str]:
        """The types of a table's columns, where it matters for how they are read. Raises what the driver raises."""
        return {}

    def figure(self, raw: Expression, kind: str) -> Figure | None:
        """A column of figures taken apart, where its aggregates are quicker so."""
        return None

    def same(self, raw: Expression, kind: str, values: Sequence[str]) -> Expression | None:
        """Whether a text that is never blank is one of some, where that is told quicker by what it is kept as."""
        return None

    def known(self, day: Expression) -> Expression:
        """Whether a row has a day in its period."""
        return day.is_not(None)

    def constant(self, value: float) -> Expression:
        return self.number(sa.literal(value))

    def boolean(self, value: bool) -> Expression:
        return sa.true() if value else sa.false()

    # What is worked out of them

    def logic(self, op: str, items: list[Expression]) -> Expression:
        """``and`` or ``or`` of what may be true, not true, or blank."""
        return sa.and_(*items) if op == "and" else sa.or_(*items)

    def aggregate(self, name: str, figure: Figure | None, holds: Expression | None) -> Expression | None:
        """``matching``, ``filled``, ``sum``, ``min`` or ``max`` of a figure over the rows for which something holds, where
        there are words for that; None where it is put together of others."""
        return None

    def among(self, cell: Expression, values: list[Expression]) -> Expression:
        """Whether a cell is one of some values; blank where it is blank."""
        return sa.or_(*(cell == value for value in values))

    def starts(self, text: Expression, start: str) -> Expression:
        return self.exact(sa.func.left(text, len(start))) == self.text(start)

    def named(self, place: Expression, names: Sequence[str]) -> Expression:
        """The name at a place, from 0."""
        cases = [(place == at, self.text(name)) for at, name in enumerate(names)]
        return self.exact(sa.case(*cases, else_=sa.null()))

    def plain_zero(self, number: Expression) -> Expression:
        """A number that is not told from another one of the same value."""
        return number

    def distinct(self, value: Expression) -> Expression:
        return sa.func.count(sa.distinct(value))

    def stdev(self, value: Expression) -> Expression:
        return sa.func.stddev_samp(value)

    def median(self, value: Expression) -> Expression | None:
        """The median as an aggregate; None where rows have to be numbered for it."""
        return None

    def on_last_day(
        self, keys: list[Expression], day: Expression, rows: sa.FromClause, inside: list[Expression]
    ) -> Expression:
        """Whether a row lies on the last day of its series, one for each combination of ``keys``, among ``inside``."""
        named = [key.label(f"k{at}") for at, key in enumerate(keys)]
        latest = sa.select(*named, sa.func.max(day).label("latest")).select_from(rows).where(*inside)
        ends = (latest.group_by(*keys) if keys else latest).subquery()
        same = [key.is_not_distinct_from(ends.c[f"k{at}"]) for at, key in enumerate(keys)]
        return sa.exists(sa.select(1).select_from(ends).where(*same, day == ends.c.latest))

    # Where nothing can be joined

    def key(self, cells: list[Expression]) -> Expression:
        """Cells as one text; blank where one of them is."""
        raise NotImplementedError

    def place_in(self, key: Expression, keys: list[str]) -> Expression:
        """Which of ``keys``, from 1, a key is; 0 for another, blank for a blank one."""
        raise NotImplementedError

    def nth(self, cells: list[Any], place: Expression, kind: ColumnType) -> Expression:
        """The cell at a place, from 1; blank elsewhere."""
        raise NotImplementedError

    # Days, counted as ``core.periods`` counts them

    @abstractmethod
    def day(self, date: Expression) -> Expression: ...

    @abstractmethod
    def weekday(self, date: Expression) -> Expression:
        """From 0, a Monday."""

    @abstractmethod
    def days(self, start: Expression, end: Expression) -> Expression: ...

    def part(self, name: str, date: Expression) -> Expression:
        return sa.cast(sa.extract(name, date), sa.Integer)

    def month(self, date: Expression) -> Expression:
        return self.part("year", date) * 12 + self.part("month", date) - 1

    def week(self, date: Expression) -> Expression:
        return sa.func.floor((self.day(date) - 1) / 7)


class MariaDb(Dialect):
    protocol, words, port = "mariadb", "MariaDB or MySQL", 3306
    _EXACT = "utf8mb4_nopad_bin"

    def usual(self, at: Connection) -> str:
        return ""

    def place(self, at: Connection) -> tuple[str, str]:
        # With its database: another one of the server may be looked into as well.
        return at.database, at.table

    _MAY_WRITE = ("ALL PRIVILEGES", "INSERT", "UPDATE", "DELETE", "DROP", "ALTER", "CREATE", "SUPER", "FILE")
    # Answers of a server that is full, ending, or held up: asking again may help.
    _AWAY = (1040, 1053, 1203, 1205, 1213, 1226, 1927)

    def engine(self, at: Connection) -> sa.Engine:
        local = at.host.startswith("/")
        url = sa.URL.create(
            "mysql+pymysql", at.user, at.password, None if local else at.host, None if local else at.port, at.database
        )
        options: dict[str, Any] = {
            # Until it has taken the account: one that takes the call and says nothing is not waited for longer.
            "connect_timeout": CONNECT_S, "read_timeout": CONNECT_S, "charset": "utf8mb4",
        }  # fmt: skip
        if at.tls != "off":
            options["ssl"] = {"check_hostname": at.tls == "verified", "verify_mode": at.tls == "verified"}
        how: dict[str, Any] = {"connect_args": options}
        if local:
            known = {"user": at.user, "password": at.password, "database": at.database}
            how = {"creator": lambda: over_socket(at.host, **known, **options)}
        engine = pooled(url, **how)

        @sa.event.listens_for(engine, "connect")
        def limit(connection: Any, _: Any) -> None:
            connection._read_timeout = at.seconds + 5
            with connection.cursor() as cursor:
                try:
                    cursor.execute(f"SET SESSION max_statement_time = {at.seconds}")
                except Exception:  # another server of the protocol; its own limits hold
                    connection.rollback()
                cursor.execute("SET SESSION TRANSACTION READ ONLY")

        return engine

    def type_of(self, kind: Any) -> ColumnType:
        if (isinstance(kind, mysql.TINYINT) and kind.display_width == 1) or isinstance(kind, mysql.BIT):
            return "flag"
        return _plain_type(kind)

    def may_write(self, open_: sa.Connection, at: Connection) -> bool:
        grants = [str(row[0]) for row in open_.execute(sa.text("SHOW GRANTS"))]
        rights = [grant.split(" ON ")[0] for grant in grants]
        return any(re.search(rf"\b{right}\b", grant) for grant in rights for right in self._MAY_WRITE)

    def trouble(self, error: Any) -> tuple[Trouble, str]:
        code = (getattr(error, "args", None) or [None])[0]
        said = str((getattr(error, "args", None) or [None, ""])[-1])[:200]
        known: dict[Trouble, tuple[int, ...]] = {
            "refused": (1045, 1698), "name": (1102, 1103, 1059, 1300), "no_database": (1044, 1049),
            "no_right": (1142, 1143), "no_table": (1146,), "gone": (1054,), "slow": (1969, 3024), "too_large": (1690,),
            "full": (1021, 1114),
        }  # fmt: skip
        found = next((trouble for trouble, codes in known.items() if code in codes), None)
        if _NO_ROOM.search(said):
            found = "full"
        if found is None and isinstance(code, int) and code in range(1000, 2000) and code not in self._AWAY:
            found = "said"
        return found or "away", said

    def number(self, raw: Expression) -> Expression:
        return raw * sa.literal_column("1e0")

    def flag(self, raw: Expression) -> Expression:
        return raw != sa.literal_column("0")

    def as_text(self, raw: Expression) -> Expression:
        return sa.cast(raw, mysql.CHAR(charset="utf8mb4"))

    def exact(self, text: Any) -> Expression:
        return sa.collate(text, self._EXACT)

    def text(self, value: str) -> Expression:
        return self.exact(sa.cast(sa.literal(value), mysql.CHAR(charset="utf8mb4")))

    def date(self, raw: Expression) -> Expression:
        return sa.func.date(raw)

    def boolean(self, value: bool) -> Expression:
        return sa.literal_column("1" if value else "0")

    def day(self, date: Expression) -> Expression:
        return sa.func.to_days(date) - 365

    def weekday(self, date: Expression) -> Expression:
        return sa.func.weekday(date)

    def days(self, start: Expression, end: Expression) -> Expression:
        return self.number(sa.func.datediff(end, start))

    def part(self, name: str, date: Expression) -> Expression:
        return sa.extract(name, date)


class PostgreSql(Dialect):
    protocol, words, port = "postgresql", "PostgreSQL", 5432

    def usual(self, at: Connection) -> str:
        return "public"

    def engine(self, at: Connection) -> sa.Engine:
        url = sa.URL.create("postgresql+psycopg", at.user, at.password or None, at.host, at.port, at.database)
        options = {
            "connect_timeout": CONNECT_S,
            "options": f"-c statement_timeout={at.seconds * 1000} -c default_transaction_read_only=on",
            "sslmode": {"off": "prefer", "on": "require", "verified": "verify-full"}[at.tls],
            "application_name": "Iron Mark",
        }
        return pooled(url, connect_args=options)

    def type_of(self, kind: Any) -> ColumnType:
        return _plain_type(kind)

    def may_write(self, open_: sa.Connection, at: Connection) -> bool:
        asked = sa.text(
            "SELECT rolsuper OR EXISTS (SELECT 1 FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace "
            "WHERE c.relkind IN ('r', 'p', 'v') AND n.nspname NOT IN ('pg_catalog', 'information_schema') "
            "AND n.nspname NOT LIKE 'pg_toast%' "
            "AND has_table_privilege(c.oid, 'INSERT, UPDATE, DELETE, TRUNCATE')) FROM pg_roles WHERE rolname = current_user"
        )
        return bool(open_.execute(asked).scalar())

    def trouble(self, error: Any) -> tuple[Trouble, str]:
        said = str(error).strip().splitlines()[0][:200] if str(error).strip() else ""
        known: dict[Trouble, tuple[str, ...]] = {
            "refused": ("28000", "28P01"), "no_right": ("42501",), "no_database": ("3D000",),
            "no_table": ("42P01", "3F000"), "gone": ("42703",), "slow": ("57014",), "too_large": ("22003",),
            "full": ("53100",),
        }  # fmt: skip
        code = getattr(error, "sqlstate", None) or ""
        found = next((trouble for trouble, codes in known.items() if code in codes), None)
        if found is None and not code:
            # What a server says before anybody is signed in comes without a code.
            for trouble, pattern in (
                (
                    "refused",
                    r"password authentication failed|no pg_hba\.conf entry|no password supplied|role .* does not exist",
                ),
                ("no_database", r"database .* does not exist"),
            ):
                if re.search(pattern, str(error)):
                    found = trouble  # type: ignore[assignment]
        if found is None and code and code[:2] not in ("08", "40", "53", "55", "57", "58"):
            found = "said"
        return found or "away", said

    def place(self, at: Connection) -> tuple[str | None, str]:
        schema, dot, name = at.table.partition(".")
        return (schema, name) if dot else (None, at.table)

    def number(self, raw: Expression) -> Expression:
        # NaN is no number of a table here, as in a file.
        return sa.func.nullif(sa.cast(raw, sa.Double), sa.literal_column("'NaN'::double precision"))

    def constant(self, value: float) -> Expression:
        return sa.cast(sa.literal(value), sa.Double)

    def flag(self, raw: Expression) -> Expression:
        return raw

    def as_text(self, raw: Expression) -> Expression:
        return sa.cast(raw, sa.Text)

    def exact(self, text: Any) -> Expression:
        return sa.collate(text, "C")

    def text(self, value: str) -> Expression:
        return self.exact(sa.cast(sa.literal(value), sa.Text))

    def date(self, raw: Expression) -> Expression:
        return sa.cast(raw, sa.Date)

    def day(self, date: Expression) -> Expression:
        return self._apart(sa.literal_column("DATE '0001-01-01'"), date) + 1

    def weekday(self, date: Expression) -> Expression:
        return self.part("isodow", date) - 1

    def days(self, start: Expression, end: Expression) -> Expression:
        return sa.cast(self._apart(start, end), sa.Double)

    def _apart(self, start: Expression, end: Expression) -> Expression:
        apart: Expression = end.op("-", return_type=sa.Integer())(start)
        return sa.type_coerce(apart.self_group(), sa.Integer)


def _plain_type(kind: Any) -> ColumnType:
    if isinstance(kind, sa.Boolean):
        return "flag"
    if isinstance(kind, sa.Integer | sa.Numeric | sa.Float):
        return "number"
    return "date" if isinstance(kind, sa.Date | sa.DateTime) else "text"


def pooled(url: sa.URL, **how: Any) -> sa.Engine:
    return sa.create_engine(
        url, pool_size=4, max_overflow=2, pool_timeout=10, pool_recycle=600, pool_pre_ping=True, **how
    )


def over_socket(path: str, **options: Any) -> pymysql.connections.Connection:
    """Connect over a socket that is opened here: the driver leaves one open that is refused. Raises OSError."""
    own = socket.socket(socket.AF_UNIX)
    try:
        own.settimeout(options.get("connect_timeout", CONNECT_S))
        own.connect(path)
        made = pymysql.connect(unix_socket=path, defer_connect=True, **options)
        made.connect(own)
    except BaseException:
        own.close()
        raise
    return made


def causes(error: BaseException | None) -> Iterator[BaseException]:
    """An error and all it came from."""
    seen: set[int] = set()
    while error is not None and id(error) not in seen:
        seen.add(id(error))
        yield error
        error = getattr(error, "original_exception", None) or error.__cause__ or error.__context__
