"""Live sources: the same figures as from a file, and words for everything that keeps them from answering."""

import datetime as dt
import socket
import threading
import time
import unittest
from typing import Any

import numpy as np
import polars as pl
from hypothesis import given, settings
from hypothesis import strategies as st
from sqlalchemy import text

from ironmark.core import formula as f
from ironmark.core.evaluate import evaluate
from ironmark.core.expand import as_level, expand
from ironmark.core.periods import Period, timeline
from ironmark.core.reading import Kpi, Source, read
from ironmark.store.mariadb import READER, ROWS_DATABASE, reader_password
from ironmark.tables import connections
from ironmark.tables.columns import ColumnSource
from ironmark.tables.connections import Connection, LiveProblem, Slow, Wrong
from ironmark.tables.live import LiveSource
from ironmark.tables.patience import Patient, patiently
from ironmark.tables.table import Column
from tests import world

TABLE = f"{ROWS_DATABASE}.live_rows"
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
    " where fare != 0 and vessel = \"x\"", " where route = \"a\"", " where route in (\"A\", \"ä\")", " where route > \"a\"",
    " where late is blank", " where fare is filled and not delay = 3", " where day >= \"2026-02-15\"", " where route is blank",
    " where route starts with \"a\"", " where weekday(day) in (\"Monday\", \"Sunday\")", " where month(day) = \"February\"",
    " where steps(delay, -2, 5, 20) = \"5 to under 20\"", " where if(late, delay > 3, fare < 0)", " where not route starts with \"A\"",
)  # fmt: skip
FORMULAS = [
    *(f"{name}({of}{where})" for name in f.AGGREGATES for of in VALUES for where in CONDITIONS),
    *(f"count({where.strip()})" for where in CONDITIONS),
    *(f"distinct({name}{where})" for name in ("route", "day", "late", "weekday(day)", "steps(fare, 0, 1_000)", "delay > 2") for where in CONDITIONS[:3]),
    "rolling(sum(fare), 2)", "to_date(mean(delay))", "rolling(median(fare), 2)", "to_date(distinct(route))",
    "share(sum(delay))", "year_ago(sum(fare))", "prior(sum(fare))", "prior(median(fare))", "sum(1)", "count(5)", "sum(fare) / count(where late = yes)", "rolling(max(fare), 2)",
]  # fmt: skip


class WithTable(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        url = world.engine().url
        cls.engine = world.engine()
        assert url.host and url.username and url.password
        cls.connection = Connection(
            url.host, url.port or 3306, ROWS_DATABASE, url.username, "live_rows", str(url.password)
        )
        with cls.engine.begin() as open_:
            open_.execute(text(f"DROP TABLE IF EXISTS {TABLE}"))
            open_.execute(
                text(
                    f"CREATE TABLE {TABLE} (day DATE, route VARCHAR(20), vessel VARCHAR(20), fare DECIMAL(12,2), "
                    "delay INT, late BOOLEAN) CHARACTER SET utf8mb4 COLLATE utf8mb4_general_ci"
                )
            )
        cls.addClassCleanup(cls.drop)

    @classmethod
    def drop(cls) -> None:
        with cls.engine.begin() as open_:
            open_.execute(text(f"DROP TABLE IF EXISTS {TABLE}"))

    def live(self, *options: Any, **named: Any) -> LiveSource:
        made = LiveSource(self.connection, COLUMNS, *options, **named)
        self.addCleanup(made.close)
        return made

    def fill(self, data: list[tuple[Any, ...]]) -> None:
        with self.engine.begin() as open_:
            open_.execute(text(f"DELETE FROM {TABLE}"))
            insert = text(f"INSERT INTO {TABLE} VALUES (:day, :route, :vessel, :fare, :delay, :late)")
            open_.execute(insert, [dict(zip(SCHEMA, row, strict=True)) for row in data])


class TheSameFigures(WithTable):
    """Every aggregate and condition, by every segment, over every kind of period, from a file and from a live source."""

    @settings(max_examples=80)
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

    def test_merged_spellings_and_an_order_hold_there_too(self) -> None:
        day = dt.date(2026, 1, 5)
        self.fill([(day, "a", "x", 1, 1, True), (day, "A", "x", 2, 1, True), (day, "z", "y", 4, 1, True)])
        source = self.live({"route": {"A": "a"}}, {"route": ["z"]})
        self.assertEqual(source.members["route"], ("z", "a"))
        tree = f.parse('sum(fare where route = "a")')
        found = source.aggregate(f.aggregates(tree), "route", {}, [Period.parse("2026-01")])
        self.assertEqual(evaluate(tree, found.parts).tolist(), [[0, 3]])

    def test_first_days_of_months_are_complete_to_their_end(self) -> None:
        self.fill([(dt.date(2026, 1, 1), "a", "x", 1, 1, True), (dt.date(2026, 2, 1), "a", "x", 1, 1, True)])
        self.assertEqual(self.live().through, dt.date(2026, 2, 28))


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
            ({"database": "nowhere"}, "refuses"),
            ({"table": "gone"}, "gone"),
            ({"port": world.free_port()}, "does not answer"),
            ({"host": "/nowhere/db.sock"}, "does not answer"),
        ):
            with self.subTest(says), self.assertRaises(LiveProblem) as caught:
                connections.columns(Connection(**{**vars(self.connection), **edit}))  # type: ignore[arg-type]
            self.assertIn(says, str(caught.exception))
            self.assertNotIn("hush-hush", str(caught.exception))
        self.assertNotIn("words", repr(Connection("h", 1, "d", "u", "t", "words")))


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
        patient = Patient("Bookings", lambda: LiveSource(connection, COLUMNS), patience=0.2)
        with self.assertRaises(Slow):
            _ = patient.first

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
