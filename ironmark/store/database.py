"""The connection to MariaDB, and what every repository shares."""

from __future__ import annotations

import datetime as dt
import re
import secrets
import unicodedata
from contextvars import ContextVar
from pathlib import Path
from typing import Any

from alembic import command
from alembic.config import Config
from pymysql.constants import SERVER_STATUS
from sqlalchemy import URL, Engine, create_engine, event, text
from sqlalchemy.orm import Session, sessionmaker

# Who makes the change, as they call themselves; for the revisions.
author: ContextVar[str] = ContextVar("author", default="")


class StaleVersion(Exception):
    """A write that names a version somebody else has since replaced."""

    def __init__(self, saw: int, current: int) -> None:
        super().__init__(f"saw version {saw}, current is {current}")
        self.saw, self.current = saw, current


class Missing(LookupError):
    """There is no such record."""

    def __init__(self, kind: str, key: str) -> None:
        super().__init__(f"There is no {kind} “{key}”. It may have been deleted.")


def connect(url: URL) -> Engine:
    # REPEATABLE READ: what is read in one request is of one moment. Changes are made otherwise, see ``changing``.
    engine = create_engine(
        url,
        pool_pre_ping=True,
        pool_reset_on_return=None,  # by ``_end_transaction``
        pool_size=10,
        isolation_level="REPEATABLE READ",
        hide_parameters=True,  # errors are logged, and a live source's password is a parameter like any other
        connect_args={"connect_timeout": 5, "read_timeout": 120, "write_timeout": 120},
    )
    event.listen(engine, "reset", _end_transaction)
    return engine


def _end_transaction(connection: Any, _record: Any, _state: Any) -> None:
    """Before a connection is lent again. A session has ended its own transaction by then: asking the server to do it
    once more would be a round trip for every request."""
    if connection.server_status & SERVER_STATUS.SERVER_STATUS_IN_TRANS:
        connection.rollback()


def changing(engine: Engine) -> Engine:
    """The engine for changes. READ COMMITTED: a request that waited for a row lock must see what the other wrote."""
    return engine.execution_options(isolation_level="READ COMMITTED")


def sessions(engine: Engine) -> sessionmaker[Session]:
    return sessionmaker(engine, expire_on_commit=False)


def migrate(url: URL, revision: str = "head") -> None:
    """Bring the tables to the newest revision, or to an earlier one than that."""
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    config.attributes["url"] = url
    command.upgrade(config, revision)


def alive(engine: Engine) -> bool:
    with engine.connect() as connection:
        return bool(connection.execute(text("SELECT 1")).scalar() == 1)


def now() -> dt.datetime:
    """UTC without a zone, as MariaDB keeps it."""
    return dt.datetime.now(dt.UTC).replace(tzinfo=None)


def new_key(name: str) -> str:
    """A key that can be read in an address: ``fuel-per-mile-3f9a``."""
    plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode().lower()
    return (re.sub(r"[^a-z0-9]+", "-", plain).strip("-")[:60] + "-" + secrets.token_hex(3)).lstrip("-")
