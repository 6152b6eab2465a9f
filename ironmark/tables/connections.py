"""Where the table of a live source is: reached, looked at, and in words what keeps it from answering."""

from __future__ import annotations

import datetime as dt
import re
import socket
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from typing import Any, Literal

import sqlalchemy as sa
from sqlalchemy.exc import SQLAlchemyError

from ironmark.core.periods import RowGrain
from ironmark.tables.cells import NoPeriod
from ironmark.tables.clickhouse import ClickHouse
from ironmark.tables.dialects import Dialect, MariaDb, PostgreSql, Protocol, causes
from ironmark.tables.table import Column, Role, identifiers

STATEMENT_S, MANY = 25, 1_000_000
DIALECTS: dict[Protocol, Dialect] = {one.protocol: one for one in (MariaDb(), PostgreSql(), ClickHouse())}
Tls = Literal["off", "on", "verified"]


class LiveProblem(Exception):
    """A live source that cannot be read; the message says why and what to do. passes: it may answer again by itself."""

    status = 503
    passes = True


class Slow(LiveProblem):
    """It has not answered yet; asking goes on, so that reading again soon finds the answer."""


class Wrong(LiveProblem):
    """Settings that do not lead to a table."""

    status = 422
    passes = False


@dataclass(frozen=True)
class Connection:
    """Where a table is. ``host`` that begins with a slash is the path of a socket. seconds: how long one statement
    may take. tls: "on" keeps others from reading along, "verified" also holds the server's certificate to its name."""

    host: str
    port: int
    database: str
    user: str
    table: str
    password: str = field(default="", repr=False)
    protocol: Protocol = "mariadb"
    tls: Tls = "off"
    seconds: int = STATEMENT_S

    @property
    def dialect(self) -> Dialect:
        return DIALECTS[self.protocol]

    @property
    def place(self) -> tuple[str | None, str]:
        """The schema of the table, where one is named, and its own name."""
        return self.dialect.place(self)

    def engine(self) -> sa.Engine:
        return self.dialect.engine(self)

    def progress(self) -> str:
        """How far it has come with what is being asked, in words; none where that is not known."""
        read, every = self.dialect.rows_read(self)
        late = self.dialect.late(self)
        if every < read or not read:
            return late
        far = f"{_many(read, every)} of {_many(every, every)}{' million' if every >= MANY else ''} rows are read"
        return f"{far}; {late}" if late else far

    def rows(self, columns: Sequence[Column]) -> sa.TableClause:
        schema, name = self.place
        return sa.table(name, *(sa.column(column.label) for column in columns), schema=schema)


def _many(rows: int, of: int) -> str:
    return f"{rows / 1e6:.{0 if of >= 10 * MANY else 1}f}" if of >= MANY else str(rows)


def tables(connection: Connection) -> list[str]:
    """The tables and views the account may see, those of another schema with its name. Raises LiveProblem."""
    usual = connection.dialect.usual(connection)
    with opened(connection) as engine:
        inspector = sa.inspect(engine)
        if not usual:
            return sorted([*inspector.get_table_names(), *inspector.get_view_names()])
        found = []
        for schema in inspector.get_schema_names():
            if schema == "information_schema" or schema.startswith("pg_"):
                continue
            named = [*inspector.get_table_names(schema), *inspector.get_view_names(schema)]
            named += inspector.get_materialized_view_names(schema)
            found += [name if schema == usual else f"{schema}.{name}" for name in named]
        return sorted(found)


def may_write(connection: Connection) -> bool:
    """Whether the account could change data; one that may only read is better. Raises LiveProblem."""
    with opened(connection) as engine, engine.connect() as open_:
        return connection.dialect.may_write(open_, connection)


def columns(connection: Connection) -> tuple[Column, ...]:
    """The columns of the table, typed, each with the role it most likely has. Raises LiveProblem."""
    with opened(connection) as engine:
        schema, name = connection.place
        found = sa.inspect(engine).get_columns(name, schema)
        maybe = {str(one["name"]) for one in found if connection.dialect.may_be_a_flag(one["type"])}
        names = identifiers(column["name"] for column in found)
        made = [
            Column(name, str(column["name"]), connection.dialect.type_of(column["type"]), "text")
            for name, column in zip(names, found, strict=True)
        ]
        made = _with_roles(engine, connection, made, maybe)
    return tuple(made)


def _with_roles(
    engine: sa.Engine, connection: Connection, made: Sequence[Column], maybe_flags: set[str]
) -> list[Column]:
    """Roles by type, and a text a segment where the first rows hold it often."""
    held = connection.rows(made)
    few = {}
    with engine.connect() as open_:
        sample = open_.execute(sa.select(held).limit(2000)).mappings().all()
    flags = {name for name in maybe_flags if {row[name] for row in sample} <= {0, 1, None}} if sample else set()
    made = [replace(column, type="flag") if column.label in flags else column for column in made]
    texts = [column for column in made if column.type == "text"]
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
            grain=_grain({row[c.label] for row in sample}) if c.type == "date" else None,
        )
        for c in made
    ]


def _grain(days: Iterable[Any]) -> RowGrain | None:
    """Days that are all the first of a month stand for months."""
    found = {day for day in days if isinstance(day, dt.date)}
    return "month" if len(found) > 1 and all(day.day == 1 for day in found) else None


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
        original = getattr(error, "orig", None)
        unknown = any(isinstance(one, socket.gaierror) and one.errno == socket.EAI_NONAME for one in causes(original))
        if unknown or re.search("Name or service not known|could not translate host name", str(original)):
            raise Wrong(f"There is no host called “{at.host[:80]}”. Check how it is written.") from None
        where = at.host if at.host.startswith("/") else f"{at.host}:{at.port}"
        trouble, said = at.dialect.trouble(original)
        if isinstance(error, sa.exc.NoSuchTableError):
            trouble = "no_table"
        told = {
            "refused": f"The server at {where} refuses “{at.user}”. Check the name, the password and its rights.",
            "name": f"“{at.database[:80]}” or “{at.table[:80]}” is no name a database or a table can have.",
            "no_database": f"There is no database “{at.database}” at {where}, or “{at.user}” may not use it.",
            "no_table": f"There is no table “{at.table}” in “{at.database}” at {where}. Look at how it is called there, and "
            "choose it in the source’s settings.",
            "no_right": f"“{at.user}” may not read “{at.table}” at {where}. Have the account given the right to select from it.",
            "gone": f"“{at.table}” is not as it was: a column is gone. Look at the source’s settings.",
            "said": f"The server at {where} refuses this. It was said: {said}",
            "leaves_out": f"The server at {where} leaves out shards that do not answer, so that a figure may be only part "
            f"of the truth. Have skip_unavailable_shards turned off for “{at.user}”.",
        }
        if trouble in told:
            raise Wrong(told[trouble]) from None
        if trouble == "slow":
            raise LiveProblem(
                f"The server at {where} took longer than {at.seconds} s. Give the table an index on its period, or a view with fewer rows."
            ) from None
        if trouble == "short":
            raise LiveProblem(
                f"A part of the cluster behind {where} does not answer ({said}). Nothing is shown that would be only "
                "part of the truth; it is read again by itself."
            ) from None
        if trouble == "full":
            raise LiveProblem(
                f"The server at {where} has no room for what it works out meanwhile. Make room where it keeps temporary "
                f"files; it is read again by itself. It was said: {said}"
            ) from None
        if trouble == "too_large":
            raise LiveProblem("A figure is too large for the database to hold.") from None
        raise LiveProblem(
            f"The server at {where} does not answer. Check that it runs and can be reached."
            + (f" It was said: {said}" if said else "")
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
