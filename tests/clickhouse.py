"""Three shards of ClickHouse for the tests: on loopback, in a directory of their own, gone with the run."""

from __future__ import annotations

import atexit
import secrets
import shutil
import signal
from collections.abc import Iterator
from contextlib import contextmanager
from functools import lru_cache
from typing import Any

from ironmark.demo.shards import CLUSTER, Shards
from ironmark.store import scratch
from ironmark.tables.connections import Connection


class Cluster:
    def __init__(self) -> None:
        directory = scratch.make("shards")
        self.shards = Shards(directory, secrets.token_hex(8))
        atexit.register(shutil.rmtree, directory, ignore_errors=True)
        atexit.register(self.shards.stop)
        self.shards.start()

    def connection(self, table: str, **rest: Any) -> Connection:
        known = {"user": "looker", "password": self.shards.password, "protocol": "clickhouse"} | rest
        return Connection("127.0.0.1", self.shards.port, "default", table=table, **known)

    def make(self, name: str, columns: str) -> None:
        """A table on each shard, and one over all of them."""
        self.drop(name)
        self.shards.everywhere(f"CREATE TABLE {name}_here ({columns}) ENGINE = Log")
        over = f"CREATE TABLE {name} ({columns}) ENGINE = Distributed({CLUSTER}, default, {name}_here, rand())"
        self.shards.everywhere(over)

    def drop(self, name: str) -> None:
        self.shards.everywhere(f"DROP TABLE IF EXISTS {name}", f"DROP TABLE IF EXISTS {name}_here")

    @contextmanager
    def late(self, at: int) -> Iterator[str]:
        """Have a shard stand still meanwhile; told where it is asked."""
        held = self.shards.processes[at]
        assert held is not None
        held.send_signal(signal.SIGSTOP)
        try:
            yield f"127.0.0.1:{self.shards.ports[at][0]}"
        finally:
            held.send_signal(signal.SIGCONT)

    def fill(self, name: str, rows: list[tuple[Any, ...]]) -> None:
        """Rows in place of those that were there, dealt out to the shards."""
        many = len(self.shards.ports)
        for at in range(many):
            client = self.shards.client(at)
            client.execute(f"TRUNCATE TABLE {name}_here")
            if mine := rows[at::many]:
                client.execute(f"INSERT INTO {name}_here VALUES", mine)
            client.disconnect()


@lru_cache(maxsize=1)
def running() -> Cluster:
    return Cluster()
