"""How SQLAlchemy speaks to a ClickHouse: its native protocol, and the little SQL that is asked of it."""

from __future__ import annotations

import re
import uuid
from collections.abc import Mapping
from typing import Any

import clickhouse_driver
import sqlalchemy as sa
from clickhouse_driver import dbapi
from clickhouse_driver.dbapi.connection import Connection as DbConnection
from clickhouse_driver.dbapi.cursor import Cursor as DbCursor
from clickhouse_driver.errors import NetworkError
from sqlalchemy.engine.default import DefaultDialect
from sqlalchemy.sql.compiler import IdentifierPreparer, SQLCompiler
from sqlalchemy.types import UserDefinedType

from ironmark.tables.reach import Connection

_OWN = ("system", "information_schema", "INFORMATION_SCHEMA", "_temporary_and_external_tables")
_PART = re.compile(r"Distributed\(('?)[^,']+\1, *'?([^,']+)'?, *'?([^,')]+)'?")
NAME = "clickhouse+native"


class _Cursor(DbCursor):  # type: ignore[misc]
    def close(self) -> None:
        """The connection goes on with its one client."""
        self._state = self._states.CURSOR_CLOSED

    def execute(self, operation: str, parameters: Any = None) -> None:
        self._connection.busy = statement = str(uuid.uuid4())
        self.set_query_id(statement)  # by which shards are asked about it
        try:
            super().execute(operation, parameters)
        except EOFError as error:  # the driver's word for a server that has gone
            raise dbapi.OperationalError(NetworkError(str(error))) from error
        finally:
            self._connection.busy = ""


class Client(DbConnection):  # type: ignore[misc]
    """One client for all cursors: a connection is not made anew for every statement."""

    _client: clickhouse_driver.Client | None = None
    at: Connection
    busy = ""  # the id of the statement that it is asked

    def _make_client(self) -> clickhouse_driver.Client:
        if self._client is None:
            self._client = super()._make_client()
        return self._client

    def cursor(self, cursor_factory: Any = _Cursor) -> Any:
        return super().cursor(cursor_factory)

    def be_patient(self, seconds: int) -> None:
        """Wait for answers that long from now on: until it has said a first word it is not waited for as long."""
        assert self._client is not None
        held = self._client.connection
        held.send_receive_timeout = seconds
        held.socket.settimeout(seconds)

    def close(self) -> None:
        if self._client is not None:
            self._client.disconnect()
        self.is_closed = True


class _Compiler(SQLCompiler):
    def visit_column(self, column: Any, *args: Any, **kw: Any) -> str:
        """Without its table: there is one in each select."""
        return super().visit_column(column, *args, **(kw | {"include_table": False}))

    def visit_truediv_binary(self, binary: Any, operator: Any, **kw: Any) -> str:
        """Figures are divided as such here."""
        return f"{self.process(binary.left, **kw)} / {self.process(binary.right, **kw)}"

    def visit_spread_func(self, function: Any, **kw: Any) -> str:
        """The standard deviation. Of the two there are, one loses digits where figures lie close to each other far
        from 0, and the other could not be put together from the shards of servers before 2021."""
        figures = self.process(function.clauses.clauses[0], **kw)
        if (self.dialect.server_version_info or (0,)) >= (21,):
            return f"stddevSampStable({figures})"
        return f"arrayReduce('stddevSampStable', groupArray({figures}))"

    def visit_true(self, expr: Any, **kw: Any) -> str:
        return "1"

    def visit_false(self, expr: Any, **kw: Any) -> str:
        return "0"


class _Names(IdentifierPreparer):
    def __init__(self, dialect: Any) -> None:
        super().__init__(dialect, initial_quote="`", final_quote="`")

    def _escape_identifier(self, value: str) -> str:
        value = value.replace("\\", "\\\\").replace("`", "\\`")
        return value.replace("%", "%%")

    def _requires_quotes(self, value: str) -> bool:
        return True


class _Day(sa.Date):
    """A day is told from a text."""

    def bind_expression(self, bindvalue: Any) -> Any:
        return sa.func.toDate(bindvalue)


class Named(UserDefinedType[Any]):
    """A type by its name."""

    cache_ok = True

    def __init__(self, name: str) -> None:
        self.name = name

    def get_col_spec(self, **_: Any) -> str:
        return self.name


class Sql(DefaultDialect):
    """What SQLAlchemy has to know of it to write selects and to look at tables."""

    name, driver = "clickhouse", "native"
    statement_compiler = _Compiler
    preparer: type[IdentifierPreparer] = _Names  # type: ignore[assignment]
    supports_statement_cache, supports_sane_rowcount = True, False
    default_paramstyle = "pyformat"
    colspecs: Mapping[Any, Any] = {sa.Date: _Day}  # type: ignore[assignment]

    @classmethod
    def import_dbapi(cls) -> Any:
        return dbapi

    def initialize(self, connection: Any) -> None:
        said = connection.execute(sa.text("SELECT version()")).scalar()
        self.server_version_info = tuple(int(part) for part in re.findall(r"\d+", said)[:2])

    def do_ping(self, dbapi_connection: Any) -> bool:
        dbapi_connection.cursor().execute("SELECT 1")
        return True

    def is_disconnect(self, e: Any, connection: Any, cursor: Any) -> bool:
        return isinstance(cause_of(e), OSError | EOFError | NetworkError)

    def get_schema_names(self, connection: Any, **_: Any) -> list[str]:
        found = connection.execute(sa.text("SELECT name FROM system.databases ORDER BY name"))
        return [row[0] for row in found if row[0] not in _OWN]

    def get_table_names(self, connection: Any, schema: str | None = None, **_: Any) -> list[str]:
        """Its tables and views, but for those that hold one shard's part of another."""
        asked = "SELECT name, engine_full FROM system.tables WHERE database = :place AND name NOT LIKE '.inner%'"
        found = {str(row[0]): str(row[1]) for row in connection.execute(sa.text(asked), {"place": schema})}
        matches = (_PART.match(engine) for engine in found.values())
        parts = {(match[2].strip(), match[3].strip()) for match in matches if match}
        return sorted(name for name in found if (schema, name) not in parts)

    def get_view_names(self, connection: Any, schema: str | None = None, **_: Any) -> list[str]:
        return []  # they are among the tables

    def get_materialized_view_names(self, connection: Any, schema: str | None = None, **_: Any) -> list[str]:
        return []

    def get_columns(self, connection: Any, table_name: str, schema: str | None = None, **_: Any) -> Any:
        asked = sa.text("SELECT name, type FROM system.columns WHERE database = :place AND table = :name")
        found = connection.execute(asked, {"place": schema, "name": table_name}).all()
        if not found:
            raise sa.exc.NoSuchTableError(table_name)
        return [
            {"name": name, "type": Named(kind), "nullable": True, "default": None} for name, kind in found
        ]  # fmt: skip


sa.dialects.registry.register("clickhouse.native", __name__, Sql.__name__)


def cause_of(error: Any) -> Any:
    """What the driver said, within what its interface says of it."""
    first = (getattr(error, "args", None) or [None])[0]
    return first if isinstance(first, BaseException) else error
