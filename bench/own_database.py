"""A database of a bench's own."""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from contextlib import contextmanager

from sqlalchemy import Engine

from ironmark.store import database, scratch
from ironmark.store.mariadb import MariaDB


@contextmanager
def own_database() -> Iterator[Engine]:
    """An empty one, for as long as the block."""
    directory = scratch.make("bench")
    mariadb = MariaDB(directory).start()
    try:
        database.migrate(mariadb.url)
        engine = database.connect(mariadb.url)
        yield engine
        engine.dispose()
    finally:
        mariadb.stop()
        shutil.rmtree(directory, ignore_errors=True)
