"""Where the table of a live source is: reached, looked at, and in words what keeps it from answering."""

from __future__ import annotations

import datetime as dt
import re
import socket
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from typing import Any

import polars as pl
import pymysql
import sqlalchemy as sa
from sqlalchemy.dialects import mysql
from sqlalchemy.exc import SQLAlchemyError

from ironmark.core.formula import ColumnType
from ironmark.tables.cells import NoPeriod
from ironmark.tables.table import Column, Role, identifiers

CONNECT_S, STATEMENT_S = 4, 25
_MAY_WRITE = ("ALL PRIVILEGES", "INSERT", "UPDATE", "DELETE", "DROP", "ALTER", "CREATE", "SUPER", "FILE")


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
        how: dict[str, Any] = {"connect_args": options}
        if local:
            known = {"user": self.user, "password": self.password, "database": self.database}
            how = {"creator": lambda: over_socket(self.host, **known, **options)}
        engine = sa.create_engine(
            url, pool_size=4, max_overflow=2, pool_timeout=10, pool_recycle=600, pool_pre_ping=True, **how
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


def tables(connection: Connection) -> list[str]:
    """The tables and views the account may see. Raises LiveProblem."""
    with opened(connection) as engine:
        inspector = sa.inspect(engine)
        return sorted([*inspector.get_table_names(), *inspector.get_view_names()])


def first_rows(connection: Connection, columns: Sequence[Column], limit: int) -> pl.DataFrame:
    """Some rows of the table, typed. Raises LiveProblem."""
    held = sa.table(connection.table, *(sa.column(column.label) for column in columns))
    with opened(connection) as engine, engine.connect() as open_:
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
        return date_of(cell)
    return cell not in (0, b"\x00") if kind == "flag" else str(cell)


def may_write(connection: Connection) -> bool:
    """Whether the account could change data; one that may only read is better. Raises LiveProblem."""
    with opened(connection) as engine, engine.connect() as open_:
        grants = [str(row[0]) for row in open_.execute(sa.text("SHOW GRANTS"))]
    return any(re.search(rf"\b{right}\b", grant.split(" ON ")[0]) for grant in grants for right in _MAY_WRITE)


def columns(connection: Connection) -> tuple[Column, ...]:
    """The columns of the table, typed, each with the role it most likely has. Raises LiveProblem."""
    with opened(connection) as engine:
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


# Answers of a server that is full, ending, or held up: asking again may help.
_AWAY = (1040, 1053, 1203, 1205, 1213, 1226, 1927)


class InWords:
    """Turns what a database driver says into words for whoever set the source up."""

    def __init__(self, connection: Connection) -> None:
        self.connection = connection

    def __enter__(self) -> None:
        pass

    def __exit__(self, _: Any, error: BaseException | None, __: Any) -> None:
        if (
            error is None
            or isinstance(error, LiveProblem | NoPeriod)
            or not isinstance(error, SQLAlchemyError | OSError | UnicodeError)
        ):
            return
        at = self.connection
        if isinstance(error, UnicodeEncodeError) and error.encoding == "latin-1":
            raise Wrong("The server’s protocol takes names and passwords of western letters and signs only.") from None
        if isinstance(error, UnicodeError):
            raise Wrong(
                f"“{at.host[:80]}” is no name of a host. Type it as it is reached, such as db.example.org."
            ) from None
        code = getattr(getattr(error, "orig", None), "args", [None])[0]
        looked_up = getattr(getattr(error, "orig", None), "original_exception", None)
        if isinstance(looked_up, socket.gaierror) and looked_up.errno == socket.EAI_NONAME:
            raise Wrong(f"There is no host called “{at.host[:80]}”. Check how it is written.") from None
        where = at.host if at.host.startswith("/") else f"{at.host}:{at.port}"
        if code in (1044, 1045, 1142, 1698):
            raise Wrong(
                f"The server at {where} refuses “{at.user}”. Check the name, the password and its rights."
            ) from None
        if code in (1102, 1103, 1059, 1300):
            raise Wrong(
                f"“{at.database[:80]}” or “{at.table[:80]}” is no name a database or a table can have."
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
        told = str((getattr(getattr(error, "orig", None), "args", None) or [None, ""])[-1])[:200]
        if isinstance(code, int) and code in range(1000, 2000) and code not in _AWAY:
            raise Wrong(f"The server at {where} refuses this. It was said: {told}") from None
        raise LiveProblem(
            f"The server at {where} does not answer. Check that it runs and can be reached."
            + (f" It was said: {told}" if told else "")
        ) from None


@contextmanager
def opened(connection: Connection) -> Iterator[sa.Engine]:
    engine = connection.engine()
    try:
        with InWords(connection):
            yield engine
    finally:
        engine.dispose()


def date_of(value: Any) -> dt.date:
    return value.date() if isinstance(value, dt.datetime) else dt.date.fromisoformat(str(value)[:10])
