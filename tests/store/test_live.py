"""Live sources: the same figures as from a file, and words for everything that keeps them from answering."""

import datetime as dt
import shutil
import socket
import threading
import time
import unittest
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from typing import Any
from unittest import mock

import numpy as np
import polars as pl
import pymysql
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import text

from ironmark.core import formula as f
from ironmark.core import formula_nodes
from ironmark.core.evaluate import evaluate
from ironmark.core.expand import as_level, expand
from ironmark.core.periods import Period, timeline
from ironmark.core.reading import read
from ironmark.core.readings import Kpi, Source
from ironmark.store import scratch
from ironmark.store.mariadb import READER, ROWS_DATABASE, reader_password
from ironmark.tables import connections, folders, joined_columns
from ironmark.tables.cells import NoPeriod, Within
from ironmark.tables.columns import ColumnSource
from ironmark.tables.connections import Connection, LiveProblem, Slow, Wrong
from ironmark.tables.folders import FolderSource, FolderTable
from ironmark.tables.joined_columns import Derived, Lookup, Wide
from ironmark.tables.live import LiveSource
from ironmark.tables.live_relation import LiveTable
from ironmark.tables.live_waiting import Patient, patiently
from ironmark.tables.table import Column
from tests import clickhouse, postgres, world

COLUMNS = (
    Column("day", "day", "date", "period"),
    Column("route", "route", "text", "segment"),
    Column("vessel", "vessel", "text", "segment"),
    Column("fare", "fare", "number", "measure"),
    Column("delay", "delay", "number", "measure"),
    Column("late", "late", "flag", "flag"),
)
SCHEMA = {
    "day": pl.Date, "route": pl.String, "vessel": pl.String, "fare": pl.Float64, "delay": pl.Float64, "late": pl.Boolean,
}  # fmt: skip
ROUTES = {"route": pl.String, "region": pl.String, "berths": pl.Float64}
# Taken from the routes, and derived by formulas over all the others.
TAKEN = (
    Column("region", "region", "text", "segment", "lookup"),
    Column("berths", "berths", "number", "measure", "lookup"),
)
WIDE = Wide(
    (Lookup("routes", (("route", "route"),), tuple(zip(("region", "berths"), TAKEN, strict=True))),),
    (
        Derived(Column("part", "part", "text", "segment", "derived"), 'if(weekday(day) in ("Saturday", "Sunday"), "end", region)'),
        Derived(Column("each", "each", "number", "measure", "derived"), "fare / berths"),
        Derived(Column("size", "size", "text", "text", "derived"), "steps(each, 0, 10, 1_000)"),
    ),
)  # fmt: skip
routes = st.lists(
    st.tuples(
        st.sampled_from(("a", "A", "a ", "ä")),
        st.sampled_from(("up", "down", None)),
        st.sampled_from((None, 0.0, 2.0, 7.0)),
    ),
    unique_by=lambda line: line[0],
)
rows = st.lists(
    st.tuples(
        st.one_of(st.none(), st.dates(dt.date(2026, 1, 1), dt.date(2026, 4, 30))),
        st.sampled_from(("a", "A", "a ", "ä", None)),
        st.sampled_from(("x", "y")),
        st.one_of(st.none(), st.floats(-1e6, 1e6).map(lambda x: round(x, 2))),
        st.one_of(st.none(), st.integers(-5, 30).map(float)),
        st.one_of(st.none(), st.booleans()),
    ),
    min_size=1,
    max_size=30,
).filter(lambda found: any(row[0] for row in found))
VALUES = (
    "fare",
    "delay",
    "fare - delay",
    "fare / delay",
    "-delay * 2",
    "if(late = yes, fare, delay)",
    "days(day, day) + 1",
)
CONDITIONS = (
    "", " where late = yes", " where not late = no", " where delay <= 5", " where delay > 10 or fare < 0",
    " where fare != 0 and vessel = \"x\"", " where route = \"a\"", " where route in (\"A\", \"ä\")", " where not vessel in (\"y\", \"z\")", " where route > \"a\"",
    " where late is blank", " where fare is filled and not delay = 3", " where day >= \"2026-02-15\"", " where route is blank",
    " where route starts with \"a\"", " where weekday(day) in (\"Monday\", \"Sunday\")", " where month(day) = \"February\"",
    " where steps(delay, -2, 5, 20) = \"5 to under 20\"", " where if(late, delay > 3, fare < 0)", " where not route starts with \"A\"",
)  # fmt: skip
FORMULAS = [
    *(f"{name}({of}{where})" for name in formula_nodes.AGGREGATES for of in VALUES for where in CONDITIONS),
    *(f"count({where.strip()})" for where in CONDITIONS),
    *(f"distinct({name}{where})" for name in ("route", "day", "late", "weekday(day)", "steps(fare, 0, 1_000)", "delay > 2") for where in CONDITIONS[:3]),
    "rolling(sum(fare), 2)", "to_date(mean(delay))", "rolling(median(fare), 2)", "to_date(distinct(route))",
    "share(sum(delay))", "year_ago(sum(fare))", "prior(sum(fare))", "prior(median(fare))", "sum(1)", "count(5)", "sum(fare) / count(where late = yes)", "rolling(max(fare), 2)",
]  # fmt: skip


class WithTable(unittest.TestCase):
    """A table of rows in a MariaDB, and one of routes beside it."""

    made = ("day DATE, route VARCHAR(20), vessel VARCHAR(20), fare DECIMAL(12,2), delay INT, late BOOLEAN",
            "route VARCHAR(20), region VARCHAR(20), berths INT")  # fmt: skip
    options = "CHARACTER SET utf8mb4 COLLATE utf8mb4_general_ci"
    where = f"{ROWS_DATABASE}."

    @classmethod
    def place(cls) -> tuple[Any, Connection]:
        """An engine that may write, and how the table is reached."""
        url = world.engine().url
        assert url.host and url.username and url.password
        return world.engine(), Connection(
            url.host, url.port or 3306, ROWS_DATABASE, url.username, "live_rows", str(url.password)
        )

    @classmethod
    def setUpClass(cls) -> None:
        cls.engine, cls.connection = cls.place()
        cls.drop()
        with cls.engine.begin() as open_:
            for name, columns in zip(("live_rows", "live_routes"), cls.made, strict=True):
                open_.execute(text(f"CREATE TABLE {cls.where}{name} ({columns}) {cls.options}"))
        cls.addClassCleanup(cls.drop)

    @classmethod
    def drop(cls) -> None:
        with cls.engine.begin() as open_:
            for name in ("live_rows", "live_routes"):
                open_.execute(text(f"DROP TABLE IF EXISTS {cls.where}{name} CASCADE"))

    def live(self, merges: Any = None, order: Any = None, through: Any = None, within: Within = ()) -> LiveSource:
        made = LiveSource(LiveTable(self.connection, COLUMNS, merges or {}), order, through, within)
        self.addCleanup(made.close)
        return made

    def wide(self, through: Any = None) -> Any:
        """The same with what is looked up in the routes and derived."""
        columns = tuple(Column(name, name, "number" if name == "berths" else "text", "segment") for name in ROUTES)
        other = LiveTable(replace(self.connection, table="live_routes"), columns)
        made = LiveSource(LiveTable(self.connection, COLUMNS, {}, WIDE, {"routes": other}), through=through)
        self.addCleanup(made.close)
        return made

    def fill(self, data: list[tuple[Any, ...]], routes: Any = ()) -> None:
        with self.engine.begin() as open_:
            for name, names, lines in (("live_rows", SCHEMA, data), ("live_routes", ROUTES, routes)):
                open_.execute(text(f"DELETE FROM {self.where}{name}"))
                insert = text(f"INSERT INTO {self.where}{name} VALUES ({', '.join(f':{one}' for one in names)})")
                if lines:
                    open_.execute(insert, [dict(zip(names, line, strict=True)) for line in lines])


class InPostgreSql(WithTable):
    """The same in a PostgreSQL."""

    made = ("day DATE, route TEXT, vessel VARCHAR(20), fare NUMERIC(12,2), delay INT, late BOOLEAN",
            "route TEXT, region TEXT, berths INT")  # fmt: skip
    options, where = "", ""

    @classmethod
    def place(cls) -> tuple[Any, Connection]:
        server = postgres.running()
        return server.engine(), server.connection("live_rows")


class InClickHouse(WithTable):
    """The same in three shards of ClickHouse, each with a part of the rows."""

    made = ("day Nullable(Date), route Nullable(String), vessel String, fare Nullable(Float64), delay Nullable(Int32), "
            "late Nullable(UInt8)", "route String, region Nullable(String), berths Nullable(Int32)")  # fmt: skip

    @classmethod
    def setUpClass(cls) -> None:
        cls.cluster = clickhouse.running()
        cls.connection = cls.cluster.connection("live_rows")
        for name, columns in zip(("live_rows", "live_routes"), cls.made, strict=True):
            cls.cluster.make(name, columns)
            cls.addClassCleanup(cls.cluster.drop, name)

    def fill(self, data: list[tuple[Any, ...]], routes: Any = ()) -> None:
        rows = [
            (*row[:4], None if row[4] is None else int(row[4]), None if row[5] is None else int(row[5])) for row in data
        ]
        beside = [(*line[:2], None if line[2] is None else int(line[2])) for line in routes]
        for name, lines in (("live_rows", rows), ("live_routes", beside)):
            self.cluster.fill(name, lines)


WIDE_FORMULAS = [
    *(f"{name}({of}{where})" for name in formula_nodes.AGGREGATES for of in ("each", "fare * berths", "berths")
      for where in ("", ' where region = "up"', ' where region = "(not found)"', ' where part in ("end", "down")',
                    ' where size = "0 to under 10" or size is blank')),
    *(f"distinct({name})" for name in ("region", "part", "size")), "share(sum(each))", "prior(sum(berths))",
]  # fmt: skip


class TheSameFigures(WithTable):
    """Every aggregate and condition, by every segment, over every kind of period, from a file and from a live source."""

    @settings(max_examples=60, suppress_health_check=[HealthCheck.differing_executors])
    @given(
        rows,
        st.lists(st.sampled_from(FORMULAS), min_size=6, max_size=6),
        st.sampled_from((None, "route", "vessel")),
        st.sampled_from(((), ("a",), ("a", "(blank)", "gone"))),
        st.sampled_from(
            (
                "2026-01",
                "2026-01-05",
                "2026-W03",
                "2026-Q1",
                "2026",
                "2026-01..2026-02",
                "2026-W02..2026-W04",
                "2026-01,2026-03",
                "2026-W02,2026-W05",
            )
        ),
        st.sampled_from(("rate", "stock", "flow")),
        st.sampled_from((dt.date(2026, 4, 30), dt.date(2026, 3, 10))),
    )
    def test_agree(
        self,
        data: Any,
        texts: list[str],
        by: str | None,
        chosen: tuple[str, ...],
        key: str,
        nature: Any,
        through: dt.date,
    ) -> None:
        self.fill(data)
        through = max(through, min(row[0] for row in data if row[0]))  # later rows are not read in either
        here = ColumnSource(pl.DataFrame(data, schema=SCHEMA, orient="row"), "day", ["route", "vessel"], through)
        there = self.live(through=through)
        try:
            self.compare(here, there, data, texts, by, chosen, key, nature)
        finally:
            there.close()

    def compare(
        self,
        here: Source,
        there: Source,
        data: Any,
        texts: list[str],
        by: str | None,
        chosen: Any,
        key: str,
        nature: Any,
    ) -> None:
        self.assertEqual(here.members, there.members)
        self.assertEqual((here.first, here.last), (there.first, there.last))
        periods = timeline(Period.parse(key), here.first, here.last)
        for written in texts:
            tree = expand(f.parse(written))
            kpi = Kpi("k", "K", as_level(tree) if nature == "stock" else tree, nature=nature)
            found = [
                read(kpi, source, [], [], None, by=by, where={"route": chosen}, periods=periods)
                for source in (here, there)
            ]
            self.assertEqual(found[0].members, found[1].members)
            np.testing.assert_array_equal(found[0].totals.rows, found[1].totals.rows)
            # Sums of mixed signs lose digits by their order alone; the size of what is summed sets the measure.
            size = max(1.0, float(np.nansum([abs(row[3] or 0) + abs(row[4] or 0) for row in data])))
            np.testing.assert_allclose(found[1].value, found[0].value, rtol=1e-9, atol=1e-9 * size, err_msg=written)

    @settings(max_examples=25, suppress_health_check=[HealthCheck.differing_executors])
    @given(
        rows,
        st.lists(st.sampled_from(FORMULAS), min_size=5, max_size=5),
        st.sampled_from((None, "route", "vessel")),
        st.sampled_from(
            (
                (("route", ("A", "ä")),),
                (("route", ("(blank)",)), ("vessel", ("x", "z"))),
                (("vessel", ("y",)),),
                (("route", ("nobody's",)),),
            )
        ),
        st.sampled_from(("2026-01", "2026-Q1", "2026-W03")),
    )
    def test_whoever_reads_some_rows_reads_what_those_alone_say(
        self, data: Any, texts: list[str], by: str | None, within: Within, key: str
    ) -> None:
        self.fill(data)
        through = max(dt.date(2026, 4, 30), *(row[0] for row in data if row[0]))
        place = {"route": 1, "vessel": 2}
        own = [row for row in data if all((row[place[name]] or "(blank)") in names for name, names in within)]
        made = [
            lambda: ColumnSource(pl.DataFrame(own, schema=SCHEMA, orient="row"), "day", ["route", "vessel"], through),
            lambda: ColumnSource(pl.DataFrame(data, schema=SCHEMA, orient="row"), "day", ["route", "vessel"], through, within=within),
            lambda: self.live(through=through, within=within),
        ]  # fmt: skip
        if not any(row[0] for row in own):
            for make in made:
                self.assertRaises(NoPeriod, make)
            return
        alone, held, there = (make() for make in made)
        try:
            self.compare(alone, held, own, texts, by, (), key, "rate")
            self.compare(alone, there, own, texts, by, (), key, "rate")
        finally:
            there.close()

    @settings(max_examples=30, suppress_health_check=[HealthCheck.differing_executors])
    @given(
        rows,
        routes,
        st.lists(st.sampled_from(WIDE_FORMULAS), min_size=5, max_size=5),
        st.sampled_from((None, "route", "region", "part")),
        st.sampled_from(((), ("a",), ("ä", "(blank)"))),
        st.sampled_from(("2026-01", "2026-Q1", "2026-W03", "2026-01,2026-03")),
    )
    def test_agree_on_what_is_looked_up_and_derived(
        self, data: Any, beside: Any, texts: list[str], by: str | None, chosen: tuple[str, ...], key: str
    ) -> None:
        self.fill(data, beside)
        frame = joined_columns.looked_up(
            pl.DataFrame(data, schema=SCHEMA, orient="row"),
            pl.DataFrame(beside, schema=ROUTES, orient="row"),
            WIDE.lookups[0],
        )
        for column in WIDE.derived:
            frame = joined_columns.derived(frame, column)
        through = max(dt.date(2026, 4, 30), *(row[0] for row in data if row[0]))
        here = ColumnSource(frame, "day", ["route", "vessel", "region", "part"], through)
        there = self.wide(through)
        try:
            self.compare(here, there, data, texts, by, chosen, key, "rate")
            self.assertEqual({s: here.within("route", s) for s in ("region", "part")},
                             {s: there.within("route", s) for s in ("region", "part")})  # fmt: skip
        finally:
            there.close()

    def test_a_key_that_stands_twice_there_is_told_and_not_read(self) -> None:
        self.fill([(dt.date(2026, 1, 5), "a", "x", 1, 1, True)], [("a", "up", 1), ("a", "down", 2)])
        with self.assertRaises(LiveProblem) as caught:
            self.wide()
        self.assertIn("“a” stands in several", str(caught.exception))

    def test_merged_spellings_and_an_order_hold_there_too(self) -> None:
        day = dt.date(2026, 1, 5)
        self.fill([(day, "a", "x", 1, 1, True), (day, "A", "x", 2, 1, True), (day, "z", "y", 4, 1, True)])
        source = self.live({"route": {"A": "a"}}, {"route": ["z"]})
        self.assertEqual(source.members["route"], ("z", "a"))
        tree = f.parse('sum(fare where route = "a")')
        found = source.aggregate(formula_nodes.aggregates(tree), "route", {}, [Period.parse("2026-01")])
        self.assertEqual(evaluate(tree, found.parts).tolist(), [[0, 3]])

    def test_what_many_kpis_ask_for_is_one_statement(self) -> None:
        self.fill([(dt.date(2026, 1, n + 1), "ab"[n % 2], "x", n, 1, True) for n in range(20)])
        source = self.live()
        asked: list[Any] = []
        known = "_collected" if isinstance(source, FolderSource) else "_ask"
        real = getattr(source, known)
        setattr(source, known, lambda query: asked.append(query) or real(query))
        patient = Patient("Live", lambda: source)
        trees = [
            f.parse(text)
            for text in ("sum(fare)", "mean(delay where fare > 3)", "count(where late = yes)", "max(fare)")
        ]
        month = Period.parse("2026-01")
        patient.ahead_of_page(
            (("month", ("route",), tuple(a for tree in trees for a in formula_nodes.aggregates(tree))),)
        )
        found = [patient.aggregate(formula_nodes.aggregates(tree), "route", {}, [month]) for tree in trees]
        self.assertEqual(len(asked), 1, "all parts of all KPIs")
        self.assertEqual(evaluate(trees[0], found[0].parts).tolist(), [[90, 100]])

    def test_first_days_of_months_are_complete_to_their_end(self) -> None:
        self.fill([(dt.date(2026, 1, 1), "a", "x", 1, 1, True), (dt.date(2026, 2, 1), "a", "x", 1, 1, True)])
        self.assertEqual(self.live().through, dt.date(2026, 2, 28))


class TheSameInPostgreSql(InPostgreSql, TheSameFigures):
    """All of it once more."""


class TheSameInClickHouse(InClickHouse, TheSameFigures):
    """And on the shards of a cluster."""


class TheSamePacked(InClickHouse, TheSameFigures):
    """Names as numbers and figures without blanks, as large tables there keep them."""

    made = (InClickHouse.made[0].replace("vessel String", "vessel Enum8('x' = 1, 'y' = 2)").replace("Nullable(Float64)", "Float64"),
            InClickHouse.made[1])  # fmt: skip

    def fill(self, data: list[tuple[Any, ...]], routes: Any = ()) -> None:
        super().fill([(*row[:3], float("nan") if row[3] is None else row[3], *row[4:]) for row in data], routes)

    def test_a_statement_has_no_blanks_in_it(self) -> None:
        self.fill([(dt.date(2026, 1, 2), "a", "x", 3.0, 1.0, True)])
        source = self.live()
        self.addCleanup(source.close)
        with mock.patch.object(source, "_ask", wraps=source._ask) as asked:
            found = f.parse('sum(fare where vessel in ("x", "z")) + count(where vessel = "z")')
            months = [Period.parse("2026-01")]
            totals = source.aggregate(formula_nodes.aggregates(found), None, {}, months)
            self.assertEqual(evaluate(found, totals.parts).tolist(), [[3.0]])
        said = str(asked.call_args[0][0])
        self.assertIn("sumIf(", said)
        self.assertNotIn("toString(", said)


class TheSameInAFolder(TheSameFigures):
    """And once more from files that are read where they are: Parquet, CSV, and folders that say a column."""

    kind = "parquet"

    @classmethod
    def setUpClass(cls) -> None:
        cls.folder = scratch.make("folder")
        cls.addClassCleanup(lambda: shutil.rmtree(cls.folder))

    def fill(self, data: list[tuple[Any, ...]], routes: Any = ()) -> None:
        shutil.rmtree(self.folder)
        frame, half = pl.DataFrame(data, schema=SCHEMA, orient="row"), len(data) // 2
        for name, piece in (("one", frame[:half]), ("two", frame[half:])):
            for vessel in ("x", "y"):
                path = self.folder / f"vessel={vessel}" / f"{name}.{self.kind}"
                path.parent.mkdir(parents=True, exist_ok=True)
                piece.filter(pl.col("vessel") == vessel).drop("vessel").write_parquet(path)
        self.routes = pl.DataFrame(list(routes), schema=ROUTES, orient="row")

    def live(self, merges: Any = None, order: Any = None, through: Any = None, within: Within = ()) -> Any:
        return FolderSource(FolderTable(self.folder, COLUMNS, merges or {}), order, through, within)

    def wide(self, through: Any = None) -> Any:
        return FolderSource(FolderTable(self.folder, COLUMNS, {}, WIDE, {"routes": self.routes}), through=through)


class PackedFolder(unittest.TestCase):
    """CSV files kept once more as Parquet: read so, and made anew only where one has changed."""

    def test_what_changed_alone_is_packed_again(self) -> None:
        base = scratch.make("folder")
        self.addCleanup(shutil.rmtree, base)
        folder, packed = base / "soaps", base / "packed"
        (folder / "works=north").mkdir(parents=True)
        (folder / "works=south").mkdir()
        north, south = folder / "works=north" / "a.csv", folder / "works=south" / "a.csv"
        north.write_text("day;soap;bars\n2026-01-02;Olive;3\n2026-02-03;Тёмное;4.5\n")
        south.write_text("day;soap;bars\n2026-02-04;<b>Lye</b>;5\n2026-02-05;;\n")
        columns = folders.columns_of(folder)

        def bars() -> tuple[Any, ...]:
            found = [FolderSource(FolderTable(folder, columns, packed=where)) for where in (None, packed)]
            tree = f.parse("sum(bars) + count()")
            months = [Period.parse("2026-01"), Period.parse("2026-02")]
            asked = [
                evaluate(tree, one.aggregate(formula_nodes.aggregates(tree), "soap", {}, months).parts) for one in found
            ]
            self.assertEqual(found[0].members, found[1].members)
            np.testing.assert_array_equal(*asked)
            return tuple(sorted((path.name, path.stat().st_mtime_ns) for path in packed.iterdir()))

        first = bars()
        self.assertEqual(len(first), 2)
        self.assertEqual(bars(), first)
        south.write_text("day;soap;bars\n2026-02-04;<b>Lye</b>;50\n")
        again = bars()
        self.assertEqual(len(set(again) & set(first)), 1)
        self.assertEqual(len(again), 2)
        north.unlink()
        self.assertEqual(len(bars()), 1)

    def test_decimal_commas_are_numbers_and_other_letters_are_told(self) -> None:
        base = scratch.make("folder")
        self.addCleanup(shutil.rmtree, base)
        (base / "sagardoa").mkdir()
        file, lines = (
            base / "sagardoa" / "a.csv",
            "Eguna;Upela;Litro;Kodea\n02.01.2026;Ñ1;16,83;1.234\n03.01.2026;Ñ2;6,5;1\n",
        )
        file.write_text(lines)
        columns = folders.columns_of(file.parent)
        self.assertEqual([(c.type, c.role) for c in columns][:3], [("date", "period"), ("text", "segment"), ("number", "measure")])  # fmt: skip
        for packed in (None, base / "packed"):
            rows = FolderTable(file.parent, columns, packed=packed).scan().collect()
            self.assertEqual(rows["litro"].to_list(), [16.83, 6.5])
            self.assertEqual(rows["eguna"][0], dt.date(2026, 1, 2))
        file.write_bytes(lines.encode("cp1252"))
        with self.assertRaisesRegex(LiveProblem, "is not UTF-8. Save the files there as UTF-8"):
            folders.columns_of(file.parent)

    def test_a_file_that_cannot_be_read_is_told_and_nothing_half_made_is_left(self) -> None:
        base = scratch.make("folder")
        self.addCleanup(shutil.rmtree, base)
        (base / "soaps").mkdir()
        file = base / "soaps" / "a.csv"
        file.write_text("day,bars\n" + "2026-01-02,3\n" * 12_000)
        columns = folders.columns_of(base / "soaps")
        file.write_text("day,bars\n" + "2026-01-02,3\n" * 12_000 + "2026-01-02,many\n")
        with self.assertRaisesRegex(LiveProblem, "cannot be read as one table"):
            FolderSource(FolderTable(base / "soaps", columns, packed=base / "packed"))
        self.assertEqual(list((base / "packed").iterdir()), [])


class SetUpClickHouse(InClickHouse):
    def test_tables_columns_and_rights_are_found(self) -> None:
        self.fill([(dt.date(2026, 1, n + 1), "ab"[n % 2], "x", 1.0, 1.0, True) for n in range(20)])
        made = connections.columns(self.connection)
        self.assertEqual([(c.name, c.type, c.role) for c in made], [(c.name, c.type, c.role) for c in COLUMNS])
        self.assertFalse(connections.may_write(self.connection))
        self.assertTrue(connections.may_write(replace(self.connection, user="keeper")))
        found = connections.tables(self.connection)
        self.assertIn("live_rows", found)
        self.assertNotIn("live_rows_here", found, "it holds one shard's part of them")

    def test_odd_names_decimals_and_clocks(self) -> None:
        """A moment counts to its day by its column's clock; names are quoted; day 0 is a blank."""
        shards = self.cluster.shards
        shards.everywhere("DROP DATABASE IF EXISTS `Second; Place`", "CREATE DATABASE `Second; Place`")
        self.addCleanup(shards.everywhere, "DROP DATABASE `Second; Place`")
        columns = (
            "`The Day` DateTime('Asia/Tokyo'), `x%` Decimal(18, 4), `it\\`s` Enum8('one' = 1, 'two' = 2), plain Date"
        )
        with shards.client() as client:
            client.execute(f"CREATE TABLE `Second; Place`.`Rows of it` ({columns}) ENGINE = Memory")
            client.execute(
                "INSERT INTO `Second; Place`.`Rows of it` SELECT toDateTime('2026-01-31 14:59:59', 'UTC') + number % 2, "
                "toDecimal64('0.1001', 4), number % 2 + 1, toDate(0) FROM system.numbers LIMIT 20000"
            )
        at = replace(self.connection, table="Second; Place.Rows of it")
        self.assertIn(at.table, connections.tables(self.connection))
        found = connections.columns(at)
        self.assertEqual([(c.label, c.type) for c in found],
                         [("The Day", "date"), ("x%", "number"), ("it`s", "text"), ("plain", "date")])  # fmt: skip
        source = LiveSource(LiveTable(at, found))
        self.addCleanup(source.close)
        tree = f.parse("sum(x)")
        months = [Period.parse("2026-01"), Period.parse("2026-02")]
        asked = source.aggregate(formula_nodes.aggregates(tree), found[2].name, {}, months)
        np.testing.assert_allclose(evaluate(tree, asked.parts), [[1001, np.nan], [np.nan, 1001]], rtol=1e-12)
        blank = f.parse("count(where plain is blank)")
        self.assertEqual(
            evaluate(blank, source.aggregate(formula_nodes.aggregates(blank), None, {}, months).parts).tolist(),
            [[10_000], [10_000]],
        )

    def test_what_is_wrong_is_said_and_the_password_is_not(self) -> None:
        for change, said in (
            ({"password": "so secret"}, "refuses “looker”"), ({"user": "nobody"}, "refuses “nobody”"),
            ({"database": "nowhere"}, "no database “nowhere”"), ({"table": "gone"}, "There is no table “gone”"),
            ({"user": "careless"}, "skip_unavailable_shards turned off for “careless”"),
            ({"port": world.free_port()}, "does not answer"),
        ):  # fmt: skip
            with self.assertRaises(LiveProblem) as caught:
                LiveSource(LiveTable(replace(self.connection, **change), COLUMNS))
            self.assertIn(said, str(caught.exception))
            self.assertNotIn("so secret", repr(caught.exception))

    def test_too_many_rows_to_look_into_are_told(self) -> None:
        self.fill([(dt.date(2026, 1, 5), "a", "x", 1.0, 1.0, True)], [(f"r{n}", "up", 1.0) for n in range(10_001)])
        with self.assertRaises(Wrong) as caught:
            self.wide()
        self.assertIn("more than can be looked into", str(caught.exception))

    def test_a_shard_that_is_late_is_named_while_it_is_waited_for(self) -> None:
        self.fill([(dt.date(2026, 1, n + 1), "ab"[n % 2], "x", 1.0, 1.0, True) for n in range(20)])
        source, tree, month = self.live(), f.parse("sum(fare)"), [Period.parse("2026-01")]
        with ThreadPoolExecutor(1) as pool:
            with self.cluster.late(2) as place:
                asked = pool.submit(source.aggregate, formula_nodes.aggregates(tree), None, {}, month)
                told = world.until(self.connection.progress, bool)
                self.assertRegex(told, rf"{place} does not answer$")
                self.assertFalse(asked.done())
            self.assertEqual(evaluate(tree, asked.result(60).parts).tolist(), [[20]])
        self.assertEqual(self.connection.progress(), "")

    def test_a_shard_that_is_away_is_named_and_comes_back(self) -> None:
        self.fill([(dt.date(2026, 1, n + 1), "ab"[n % 2], "x", 1.0, 1.0, True) for n in range(20)])
        source, tree, shards = self.live(), f.parse("sum(fare)"), self.cluster.shards
        month = [Period.parse("2026-01")]
        shards.stop_one(1)
        try:
            with self.assertRaises(LiveProblem) as caught:
                source.aggregate(formula_nodes.aggregates(tree), None, {}, month)
            self.assertIn(f"127.0.0.1:{shards.ports[1][0]}", str(caught.exception))
            self.assertTrue(caught.exception.passes)
        finally:
            shards.start_one(1)
            shards.wait_for(1)
        self.fill(
            [(dt.date(2026, 1, n + 1), "ab"[n % 2], "x", 1.0, 1.0, True) for n in range(20)]
        )  # they were in memory
        again = source.aggregate(formula_nodes.aggregates(tree), None, {}, month)
        self.assertEqual(evaluate(tree, again.parts).tolist(), [[20]])


class SetUpPostgreSql(InPostgreSql):
    def test_tables_columns_and_rights_are_found(self) -> None:
        self.fill([(dt.date(2026, 1, n + 1), "ab"[n % 2], "x", 1, 1, True) for n in range(20)])
        made = connections.columns(self.connection)
        self.assertEqual([(c.name, c.type, c.role) for c in made], [(c.name, c.type, c.role) for c in COLUMNS])
        self.assertTrue(connections.may_write(self.connection))
        with self.engine.begin() as open_:
            for asked in (
                "DROP SCHEMA IF EXISTS \"Second Place\" CASCADE", "CREATE SCHEMA \"Second Place\"",
                "CREATE VIEW \"Second Place\".\"Rows; of it\" AS SELECT day AS \"The Day\", fare AS \"x%\" FROM live_rows",
                "DROP ROLE IF EXISTS looker", "CREATE ROLE looker LOGIN PASSWORD 'lo:k@r'",
                "GRANT USAGE ON SCHEMA \"Second Place\" TO looker", "GRANT SELECT ON ALL TABLES IN SCHEMA \"Second Place\" TO looker",
            ):  # fmt: skip
                open_.execute(text(asked))
        looker = replace(self.connection, user="looker", password="lo:k@r", table="Second Place.Rows; of it")
        self.assertIn("Second Place.Rows; of it", connections.tables(looker))
        self.assertIn("live_rows", connections.tables(self.connection))
        self.assertFalse(connections.may_write(looker))
        found = connections.columns(looker)
        self.assertEqual(
            [(c.name, c.label, c.type) for c in found], [("the_day", "The Day", "date"), ("x", "x%", "number")]
        )
        source = LiveSource(LiveTable(looker, found))
        self.addCleanup(source.close)
        tree = f.parse("sum(x)")
        asked = source.aggregate(formula_nodes.aggregates(tree), None, {}, [Period.parse("2026-01")])
        self.assertEqual(evaluate(tree, asked.parts).tolist(), [[20]])
        self.assertEqual(LiveTable(looker, found).first(3).height, 3)

    def test_decimals_and_clocks(self) -> None:
        """Fixed-point figures stay exact to what is shown; a moment counts to its day by the server's clock."""
        with self.engine.begin() as open_:
            open_.execute(text("DROP TABLE IF EXISTS moments"))
            open_.execute(text("CREATE TABLE moments (at TIMESTAMPTZ, paid NUMERIC(14,4))"))
            open_.execute(text(
                "INSERT INTO moments SELECT TIMESTAMPTZ '2026-01-31 23:59:59.9+00' + (n % 2) * INTERVAL '1 second', 0.1001 FROM generate_series(1, 20000) n"
            ))  # fmt: skip
            zone = open_.execute(text("SHOW TIMEZONE")).scalar()
        at = replace(self.connection, table="moments")
        source = LiveSource(LiveTable(at, connections.columns(at)))
        self.addCleanup(source.close)
        tree = f.parse("sum(paid)")
        found = evaluate(
            tree,
            source.aggregate(
                formula_nodes.aggregates(tree), None, {}, [Period.parse("2026-01"), Period.parse("2026-02")]
            ).parts,
        )
        if zone in ("UTC", "Etc/UTC", "GMT"):
            np.testing.assert_allclose(found[:, 0], [1001, 1001], rtol=1e-12)
        np.testing.assert_allclose(np.nansum(found), 2002, rtol=1e-12)

    def test_what_is_wrong_is_said_and_the_password_is_not(self) -> None:
        for edit, says in (
            ({"password": "hush-hush"}, "refuses “keeper”"),
            ({"user": "nobody"}, "refuses “nobody”"),
            ({"database": "nowhere"}, "no database “nowhere”"),
            ({"table": "gone"}, "There is no table “gone”"),
            ({"port": world.free_port()}, "does not answer"),
            ({"host": "no-such-host.invalid"}, "no host called"),
            ({"tls": "verified"}, "does not answer"),  # nobody stands for its certificate
        ):
            with self.subTest(says), self.assertRaises(LiveProblem) as caught:
                connections.columns(replace(self.connection, **edit))  # type: ignore[arg-type]
            self.assertIn(says, str(caught.exception))
            self.assertNotIn("hush-hush", str(caught.exception))

    def test_the_way_there_is_encrypted_where_it_has_to_be(self) -> None:
        at = replace(self.connection, tls="on")
        with connections.opened(at) as engine, engine.connect() as open_:
            self.assertTrue(open_.execute(text("SELECT ssl FROM pg_stat_ssl WHERE pid = pg_backend_pid()")).scalar())

    def test_a_statement_ends_when_its_time_is_over(self) -> None:
        short = replace(self.connection, seconds=1)
        with (
            self.assertRaises(LiveProblem) as caught,
            connections.opened(short) as engine,
            engine.connect() as open_,
        ):
            open_.execute(text("SELECT pg_sleep(5)"))
        self.assertIn("took longer than 1 s", str(caught.exception))


class SetUp(WithTable):
    def test_tables_columns_and_rights_are_found(self) -> None:
        self.fill([(dt.date(2026, 1, n + 1), "ab"[n % 2], "x", 1, 1, True) for n in range(20)])
        self.assertIn("live_rows", connections.tables(self.connection))
        made = connections.columns(self.connection)
        self.assertEqual([(c.name, c.type, c.role) for c in made], [(c.name, c.type, c.role) for c in COLUMNS])
        self.assertTrue(connections.may_write(self.connection))
        password = reader_password(self.connection.password)
        reader = Connection(**{**vars(self.connection), "user": READER, "password": password})
        self.assertFalse(connections.may_write(reader))
        self.assertIn("live_rows", connections.tables(reader))

    def test_what_is_wrong_is_said_and_the_password_is_not(self) -> None:
        for edit, says in (
            ({"password": "hush-hush"}, "refuses “ironmark”"),
            ({"database": "nowhere"}, "There is no database “nowhere”"),
            ({"table": "gone"}, "There is no table “gone”"),
            ({"port": world.free_port()}, "does not answer"),
            ({"host": "/nowhere/db.sock"}, "does not answer"),
        ):
            with self.subTest(says), self.assertRaises(LiveProblem) as caught:
                connections.columns(Connection(**{**vars(self.connection), **edit}))  # type: ignore[arg-type]
            self.assertIn(says, str(caught.exception))
            self.assertNotIn("hush-hush", str(caught.exception))
        self.assertNotIn("words", repr(Connection("h", 1, "d", "u", "t", "words")))


class Months(WithTable):
    def test_days_that_are_all_the_first_of_a_month_stand_for_months(self) -> None:
        for days, grain in (((1, 1), "month"), ((1, 2), None)):
            self.fill(
                [(dt.date(2026, month, day), "a", "x", 1.0, 1.0, True) for month, day in enumerate(days, start=3)]
            )
            made = {column.name: column for column in connections.columns(self.connection)}
            self.assertEqual(made["day"].grain, grain)


class Patience(unittest.TestCase):
    def test_a_slow_answer_is_not_waited_for_and_is_there_later(self) -> None:
        go_on = threading.Event()

        class Late:
            first = dt.date(2026, 1, 1)

            def close(self) -> None:
                pass

        def make() -> Any:
            go_on.wait(10)
            return Late()

        patient = Patient("Bookings", make, patience=0.1)
        began = time.monotonic()
        for _ in range(5):
            with self.assertRaises(Slow) as caught:
                _ = patient.first
        self.assertLess(time.monotonic() - began, 1)
        self.assertIn("Bookings", str(caught.exception))
        go_on.set()
        time.sleep(0.2)
        self.assertEqual(patient.first, dt.date(2026, 1, 1))

    def test_a_server_that_takes_the_call_and_says_nothing_holds_nobody_up(self) -> None:
        silent = socket.create_server(("127.0.0.1", 0))
        self.addCleanup(silent.close)
        connection = Connection("127.0.0.1", silent.getsockname()[1], "d", "u", "t")
        patient = Patient("Bookings", lambda: LiveSource(LiveTable(connection, COLUMNS)), patience=0.2)
        with self.assertRaises(Slow):
            _ = patient.first

    def test_each_that_says_nothing_is_told_in_a_moment(self) -> None:
        for protocol in ("mariadb", "clickhouse", "postgresql"):
            silent = socket.create_server(("127.0.0.1", 0))
            self.addCleanup(silent.close)
            at = Connection("127.0.0.1", silent.getsockname()[1], "d", "u", "t", protocol=protocol, seconds=60)  # type: ignore[arg-type]
            began = time.monotonic()
            with self.assertRaises(LiveProblem) as caught:
                connections.tables(at)
            self.assertIn("does not answer", str(caught.exception), protocol)
            self.assertLess(time.monotonic() - began, 30, protocol)  # far less than the 65 s of a statement

    def test_a_silent_one_holds_no_healthy_one_up(self) -> None:
        go_on = threading.Event()
        self.addCleanup(go_on.set)

        class There:
            first, last, through = (dt.date(2026, 1, n) for n in (1, 2, 3))

            def within(self, segment: str, other: str) -> dict[str, frozenset[str]]:
                time.sleep(0.2)
                return {}

            def close(self) -> None:
                pass

        silent = Patient("Silent", lambda: go_on.wait(30))  # type: ignore[arg-type, return-value]
        healthy = Patient("Healthy", lambda: time.sleep(0.2) or There())  # type: ignore[arg-type, return-value, func-returns-value]

        def attempt() -> list[str]:
            found = []
            for source in (silent, healthy):
                try:
                    found.append(f"{source.name} {source.first} {source.within('a', 'b')} {source.within('b', 'c')}")
                except Slow as error:
                    found.append(str(error))
            return found

        first, second = patiently(attempt, 3)
        self.assertIn("“Silent” has not answered yet", first)
        self.assertIn("within 25 s", first)
        self.assertEqual(second, "Healthy 2026-01-01 {} {}")

    def test_what_is_full_away_or_not_there_is_told_apart(self) -> None:
        for protocol, code, said, trouble in (
            ("mariadb", 1049, "Unknown database", "no_database"), ("mariadb", 1146, "no such", "no_table"),
            ("mariadb", 1054, "Unknown column", "gone"), ("mariadb", 1142, "command denied", "no_right"),
            ("mariadb", 1021, "Disk full (/tmp); waiting", "full"), ("mariadb", 3, "Error writing file '/tmp/MY1' (Errcode: 28 \"No space left on device\")", "full"),
            ("mariadb", 1030, "Got error 28 \"No space left on device\" from storage engine", "full"), ("mariadb", 1045, "denied", "refused"),
            ("mariadb", 2013, "Lost connection", "away"),
        ):  # fmt: skip
            found, _ = connections.DIALECTS[protocol].trouble(pymysql.err.OperationalError(code, said))  # type: ignore[index]
            self.assertEqual(found, trouble, said)

    def test_nothing_is_held_while_a_source_is_waited_for(self) -> None:
        holding, seen = threading.Event(), list[bool]()

        class Late:
            first = dt.date(2026, 1, 1)

            def close(self) -> None:
                pass

        def make() -> Any:
            for _ in range(500):  # until the attempt has given up what it held
                if attempts and not holding.is_set():
                    break
                time.sleep(0.01)
            seen.append(holding.is_set())
            return Late()

        patient, attempts = Patient("Bookings", make), list[int]()

        def attempt() -> dt.date:
            attempts.append(1)
            holding.set()
            try:
                return patient.first
            finally:
                holding.clear()

        self.assertEqual(patiently(attempt, 30), dt.date(2026, 1, 1))
        self.assertEqual(seen, [False])
        self.assertGreater(len(attempts), 1)

    def test_a_source_that_says_nothing_is_looked_at_until_patience_ends(self) -> None:
        go_on = threading.Event()
        self.addCleanup(go_on.set)
        patient = Patient("Bookings", lambda: go_on.wait(30))  # type: ignore[arg-type, return-value]
        with self.assertRaises(Slow):
            patiently(lambda: patient.first, 0.2)

    def test_what_failed_is_not_asked_again_at_once(self) -> None:
        asked = []

        def make() -> Any:
            asked.append(1)
            raise Wrong("no such table")

        patient: Source = Patient("Bookings", make)
        for _ in range(3):
            with self.assertRaises(Wrong) as caught:
                _ = patient.first
        self.assertEqual((len(asked), str(caught.exception)), (1, "“Bookings”: no such table"))
