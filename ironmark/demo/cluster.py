"""Three shards of ClickHouse with tickets of the ferry company, for anyone who wants to try rows that outgrow one
machine: ``scripts/cluster``."""

from __future__ import annotations

import secrets
import signal
import tempfile
import threading
import time
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Annotated

import typer

from ironmark.demo.sailings import ROUTES, VESSELS
from ironmark.demo.shards import CLUSTER, Shards

DAYS = 1096  # three years from FIRST, the last day complete
FIRST = "2024-01-01"
CABINS = ("Deck", "Upper", "Saloon")
# Names of which there are few take a byte a row; written out as texts they are grouped several times slower.
_COLUMNS = "day Date, route {routes}, vessel {vessels}, cabin {cabins}, fare Decimal(9, 2), minutes Float64, late UInt8"
# Every figure comes from the row's number alone, so that each filling is the same.
_FILL = """INSERT INTO tickets_here SELECT
  toDate('{first}') + toUInt32(intHash64(n) % {days}), {routes}[intHash64(n + 1) % {many_routes} + 1],
  {vessels}[intHash64(n + 2) % {many_vessels} + 1], {cabins}[intHash64(n + 3) % 3 + 1],
  toDecimal32(8 + (intHash64(n + 4) % 4200) / 100, 2), (intHash64(n + 5) % 240) / 10, intHash64(n + 6) % 11 = 0
FROM (SELECT number + {start} AS n FROM system.numbers LIMIT {rows})"""
_STEP = 2_000_000


def fill(shards: Shards, rows: int, say: Callable[[str], object] = str) -> None:
    """Make the table ``tickets`` on each shard, and over all of them, with so many rows in all."""
    columns = _COLUMNS.format(routes=_enum(ROUTES), vessels=_enum(VESSELS), cabins=_enum(CABINS))
    shards.everywhere(
        "DROP TABLE IF EXISTS tickets", "DROP TABLE IF EXISTS tickets_here",
        f"CREATE TABLE tickets_here ({columns}) ENGINE = MergeTree PARTITION BY toYear(day) ORDER BY (day, route)",
        f"CREATE TABLE tickets ({columns}) ENGINE = Distributed({CLUSTER}, default, tickets_here, rand())",
    )  # fmt: skip
    names = {"routes": str(list(ROUTES)), "vessels": str(list(VESSELS)), "cabins": str(list(CABINS))}
    known = names | {"first": FIRST, "days": DAYS, "many_routes": len(ROUTES), "many_vessels": len(VESSELS)}
    many, done, lock = len(shards.ports), 0, threading.Lock()

    def one(at: int) -> None:
        nonlocal done
        client = shards.client(at)
        start, end = rows * at // many, rows * (at + 1) // many
        for first in range(start, end, _STEP):
            some = min(_STEP, end - first)
            client.execute(_FILL.format(start=first, rows=some, **known))
            with lock:
                done += some
                say(f"{done:,} of {rows:,} rows")
        client.disconnect()

    with ThreadPoolExecutor(many) as pool:
        list(pool.map(one, range(many)))


def _enum(names: Iterable[str]) -> str:
    return f"Enum8({', '.join(f'{name!r} = {at}' for at, name in enumerate(names, start=1))})"


def main(
    rows: Annotated[
        int, typer.Option(min=1, max=10_000_000_000, help="How many tickets, over all shards.")
    ] = 30_000_000,
    directory: Annotated[Path | None, typer.Option(help="Where they are kept; a new directory unless named.")] = None,
) -> None:
    """Start three shards on this machine, fill them, and keep them until Ctrl-C."""
    base = directory or Path(tempfile.mkdtemp(prefix="ironmark-cluster-"))
    began = time.monotonic()
    shards = Shards(base, secrets.token_hex(8))
    try:
        shards.start()
        fill(shards, rows, lambda far: print(f"\r{far}", end="", flush=True))
        took = time.monotonic() - began
        print(f"\n{rows:,} rows on {len(shards.ports)} shards in {took:.0f} s, in {base}")
        print("Under Data, connect a table that stays where it is:")
        print(
            f"  a ClickHouse at 127.0.0.1, port {shards.port}; database default, user looker, password {shards.password}, table tickets"
        )
        print("Ctrl-C ends them.")
        signal.sigwait({signal.SIGINT, signal.SIGTERM})
    finally:
        shards.stop()


if __name__ == "__main__":
    signal.pthread_sigmask(signal.SIG_BLOCK, {signal.SIGINT, signal.SIGTERM})
    typer.run(main)
