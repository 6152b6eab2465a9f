"""A scorecard of 60 instruments over 300,000,000 rows on three shards of ClickHouse: first read, and another scope."""

from __future__ import annotations

import secrets
import shutil
import time
from collections.abc import Callable

import numpy as np
import polars as pl
from pydantic import TypeAdapter

from ironmark.demo.cluster import fill
from ironmark.demo.sailings import ROUTES
from ironmark.demo.shards import Shards
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.context.source_registry import Sources
from ironmark.pages.drawing.draw import draw_page
from ironmark.pages.model.kpi import KpiBody
from ironmark.pages.model.pictures import ScorecardPicture
from ironmark.pages.model.scorecard import InstrumentBody, ScopeBody, ScorecardBody, SectionBody
from ironmark.pages.reading.read import read_page
from ironmark.store import database, dataset_versions, records, scratch
from ironmark.store.mariadb import MariaDB
from ironmark.tables import connections
from ironmark.tables.connections import Connection
from ironmark.tables.live_waiting import patiently
from ironmark.tables.table import Table
from tests.styles import ENGLISH

ROWS = 300_000_000
FORMULAS = (
    "count(where minutes <= 5) / sum(1)", "sum(fare)", "sum(fare) / sum(1)", "mean(minutes)", "max(minutes)",
    "count(where late = yes) / sum(1)", 'sum(fare where cabin = "Saloon")', "min(fare)", "sum(minutes where late = yes)",
    'count(where cabin in ("Upper", "Saloon")) / sum(1)',
)  # fmt: skip
SEGMENTS = (None, "route", "vessel", "cabin")
PICTURES = TypeAdapter(ScorecardPicture)


def main() -> None:
    directory = scratch.make("bench")
    shards = Shards(directory / "shards", secrets.token_hex(8))
    mariadb = MariaDB(directory).start()
    try:
        began = time.perf_counter()
        shards.start()
        fill(shards, ROWS)
        print(
            f"\nA scorecard of 60 instruments over {ROWS:,} rows on three shards, filled in {time.perf_counter() - began:.0f} s"
        )
        _measure(mariadb, shards)
    finally:
        shards.stop()
        mariadb.stop()
        shutil.rmtree(directory, ignore_errors=True)


def _measure(mariadb: MariaDB, shards: Shards) -> None:
    database.migrate(mariadb.url)
    sources = Sources(database.connect(mariadb.url))
    plain = {
        "host": "127.0.0.1", "port": shards.port, "database": "default", "user": "looker", "table": "tickets",
        "protocol": "clickhouse", "tls": "off", "seconds": 60,
    }  # fmt: skip
    at = Connection(**plain, password=shards.password)  # type: ignore[arg-type]
    columns = connections.columns(at)
    with sources.changes() as session:
        empty = Table(pl.DataFrame(schema={column.name: pl.Float64 for column in columns}), columns)
        dataset = dataset_versions.create(
            session,
            "Tickets",
            "tickets",
            empty,
            kind="live",
            settings={"connection": plain},
            secret=shards.password,
            findings_too=False,
        )
        for n, formula in enumerate(FORMULAS):
            body = KpiBody(handle=f"k{n}", name=f"KPI {n}", dataset=dataset.id, formula=formula)
            records.create(session, "kpi", body.model_dump(), name="k", key=f"k{n}")
    instruments = [
        InstrumentBody(id=f"i{n}", kpi=f"k{n % len(FORMULAS)}", by=SEGMENTS[n % len(SEGMENTS)], face="bullet")
        for n in range(60)
    ]
    card = ScorecardBody(title="Sixty", sections=[SectionBody(id="s", instruments=instruments)])

    def answered(scope: ScopeBody, patience: float = 2.0) -> ScorecardPicture:
        def attempt() -> ScorecardPicture:
            with sources.readings() as session:
                return draw_page(read_page(ReadingContext(sources, session), card, scope), ENGLISH)

        found = patiently(attempt, patience)
        PICTURES.dump_json(found)
        return found

    def until_whole(scope: ScopeBody) -> tuple[float, list[str]]:
        """How long until every sheet is read, asked as the browser asks, and what the sheets said on the way."""
        began, said = time.perf_counter(), list[str]()
        while (found := answered(scope)).waiting:
            said += [sheet.problem for sheet in found.instruments[:1] if sheet.problem]
            time.sleep(0.1)
        return time.perf_counter() - began, said

    first, said = until_whole(ScopeBody(period="2026-10"))
    for one in list(dict.fromkeys(said))[:: max(1, len(said) // 4)]:
        print(f"    {one}")
    told("first read, all sheets of it", first, 30.0)
    steps = [f"{year}-{month:02d}" for year in (2024, 2025) for month in range(1, 13)]

    def read(step: str, **members: list[str]) -> float:
        return timed(lambda: answered(ScopeBody(period=step, members=members)))

    within = [read(step) for step in steps]
    told("another month, p95", float(np.quantile(within, 0.95)), 0.1)
    told("a year", read("2025"), 0.1)
    narrowed = until_whole(ScopeBody(period="2026-09", members={"route": [next(iter(ROUTES))]}))[0]
    told("narrowed to a route", narrowed, 0.1)
    more = [read(step, route=[list(ROUTES)[1]]) for step in steps]
    told("another month narrowed to another route, p95", float(np.quantile(more, 0.95)), 0.1)


def timed(work: Callable[[], object]) -> float:
    began = time.perf_counter()
    work()
    return time.perf_counter() - began


def told(what: str, seconds: float, budget: float) -> None:
    print(f"  {what}: {seconds:.3f} s (budget: {budget:g} s) {'kept' if seconds <= budget else 'MISSED'}")
