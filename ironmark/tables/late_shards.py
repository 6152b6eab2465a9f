"""Which shards of a ClickHouse are late, asked of each of them beside statements that have not been answered yet."""

from __future__ import annotations

import re
import threading
import time
from collections.abc import Callable, Collection
from concurrent.futures import ThreadPoolExecutor
from typing import Literal

from clickhouse_driver import Client
from clickhouse_driver.errors import Error, SocketTimeoutError

Found = Literal["silent", "at work", "done", "unknown"]
Ask = Callable[[str, int], Client]  # one without patience, for a host and a port; "": for the source itself
AGAIN_S, ANSWER_S, MOST = 3.0, 2.0, 64
_CLUSTER = re.compile(r"Distributed\(\s*'?([^',)]+)'?\s*,")
_GIVEN_UP = (SocketTimeoutError, TimeoutError)


class LateShards:
    """The shards of one table. They are looked at in threads of their own: nobody waits for that, and what is known so far is
    told. Each is asked with the source's own account; one that does not take it is said nothing of."""

    def __init__(self, ask: Ask, database: str, table: str) -> None:
        self._ask, self._database, self._table = ask, database, table
        self._lock = threading.Lock()
        self._looked_at, self._looking = -1e9, False
        self._of: frozenset[str] = frozenset()
        self._said = ""

    def told(self, statements: Collection[str]) -> str:
        """In words, which shards have not answered some statements, by their ids; "" where that is not known."""
        wanted, now = frozenset(statements), time.monotonic()
        with self._lock:
            if not self._looking and now - self._looked_at > AGAIN_S:
                self._looking, self._looked_at = True, now
                threading.Thread(target=self._look, args=(wanted,), name="shards", daemon=True).start()
            return self._said if wanted & self._of else ""

    def _look(self, statements: frozenset[str]) -> None:
        said = ""
        try:
            said = in_words(self._found(statements))
        except (Error, OSError, EOFError):
            pass  # the source itself tells what is wrong with it
        finally:
            with self._lock:
                self._said, self._of, self._looking = said, statements, False

    def _found(self, statements: frozenset[str]) -> dict[str, Found]:
        """By shard, as its servers are called."""
        with self._ask("", 0) as client:
            where = {"database": self._database, "table": self._table}
            engine = client.execute(
                "SELECT engine_full FROM system.tables WHERE database = %(database)s AND name = %(table)s", where
            )
            named = _CLUSTER.match(engine[0][0]) if engine else None
            if named is None:
                return {}
            rows = client.execute(
                "SELECT shard_num, host_name, port, is_local FROM system.clusters WHERE cluster = %(name)s "
                "ORDER BY shard_num, replica_num",
                {"name": named[1].strip()},
            )
        shards: dict[int, list[tuple[str, int, bool]]] = {}
        for number, host, port, is_local in rows:
            shards.setdefault(number, []).append((host, port, bool(is_local)))
        first = list(shards.values())[:MOST]
        servers = [one for some in first for one in some]
        with ThreadPoolExecutor(len(servers) or 1, thread_name_prefix="shard") as pool:
            asked = dict(zip(servers, pool.map(lambda one: self._of_server(one, statements), servers), strict=True))
        return {
            " or ".join(f"{host}:{port}" for host, port, _ in some): _of_shard([asked[one] for one in some])
            for some in first
        }

    def _of_server(self, server: tuple[str, int, bool], statements: frozenset[str]) -> Found:
        host, port, is_local = server
        if is_local:  # it waits for the others under the same id: what of it is done is not known
            return "unknown"
        try:
            with self._ask(host, port) as client:
                asked = "SELECT count() FROM system.processes WHERE initial_query_id IN %(ids)s"
                return "at work" if client.execute(asked, {"ids": tuple(statements)})[0][0] else "done"
        except _GIVEN_UP:
            return "silent"
        except (Error, OSError, EOFError):
            return "unknown"


def _of_shard(servers: list[Found]) -> Found:
    """One of its servers is asked; what none of them has done, it has not."""
    return next((found for found in ("at work", "silent", "unknown") if found in servers), "done")  # type: ignore[return-value]


def in_words(found: dict[str, Found]) -> str:
    """Those that are late while others are not."""
    silent = [shard for shard, one in found.items() if one == "silent"]
    working = [shard for shard, one in found.items() if one == "at work"]
    parts = []
    if silent:
        parts.append(f"{' and '.join(silent)} {'does' if len(silent) == 1 else 'do'} not answer")
    if working and "done" in found.values():
        parts.append(f"{' and '.join(working)} {'is' if len(working) == 1 else 'are'} still at work")
    return "; ".join(parts)
