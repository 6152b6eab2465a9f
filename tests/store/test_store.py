"""Records, marks and rows in a real MariaDB."""

import datetime as dt
import json
import shutil
import threading
import unittest
from typing import Any

import polars as pl
from sqlalchemy import select, text
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session

from ironmark import clock
from ironmark.core.marks import EVERYONE, TOGETHER, MarkEntry, Owner
from ironmark.core.periods import Period
from ironmark.store import (
    change_log,
    database,
    dataset_versions,
    datasets,
    exports,
    marks,
    notes,
    notices,
    records,
    scratch,
)
from ironmark.store.mariadb import MariaDB
from ironmark.store.marks import Change
from ironmark.store.models import DatasetSegment, Export
from ironmark.tables import pieces
from ironmark.tables.table import Column, Problem, Table
from tests import world


class InDatabase(unittest.TestCase):
    """Every test works in one transaction that is taken back."""

    def setUp(self) -> None:
        self.session = Session(world.engine(), expire_on_commit=False)
        self.addCleanup(self.session.close)

    def make(self, body: dict[str, Any]) -> records.Document:
        return records.create(self.session, "yardstick", body, name="Test of records")


class Records(InDatabase):
    def test_a_write_names_the_version_it_saw(self) -> None:
        made = self.make({"a": 1})
        self.assertEqual(made.version, 1)
        self.assertTrue(made.id.startswith("test-of-records-"))
        saved = records.save(self.session, "yardstick", made.id, {"a": 2}, 1)
        self.assertEqual((saved.version, saved.body), (2, {"a": 2}))
        with self.assertRaises(database.StaleVersion) as caught:
            records.save(self.session, "yardstick", made.id, {"a": 3}, 1)
        self.assertEqual((caught.exception.saw, caught.exception.current), (1, 2))

    def test_saving_the_same_again_is_no_new_version(self) -> None:
        made = self.make({"a": 1})
        self.assertEqual(records.save(self.session, "yardstick", made.id, {"a": 1}, 1).version, 1)

    def test_every_earlier_form_is_kept_also_of_a_deleted_one(self) -> None:
        made = self.make({"a": 1})
        records.save(self.session, "yardstick", made.id, {"a": 2}, 1)
        records.remove(self.session, "yardstick", made.id, 2)
        kept = records.revisions(self.session, "yardstick", made.id)
        self.assertEqual([(r.version, r.body) for r in kept], [(2, {"a": 2}), (1, {"a": 1})])
        with self.assertRaises(database.Missing):
            records.get(self.session, "yardstick", made.id)

    def test_of_what_one_person_saves_within_minutes_the_forms_between_are_not_kept(self) -> None:
        began, made = clock.now(), self.make({"a": 0})

        def save(version: int, who: str, minutes: float) -> None:
            with clock.going_on_from(began + dt.timedelta(minutes=minutes)):
                token = database.author.set(who)
                records.save(self.session, "yardstick", made.id, {"a": version}, version)
                database.author.reset(token)

        for version, (who, minutes) in enumerate(
            [("Ann", 10), ("Ann", 10.5), ("Ann", 11), ("Bo", 11.2), ("Bo", 11.4), ("Bo", 30), ("Bo", 30.1)], start=1
        ):
            save(version, who, minutes)
        kept = [r.version for r in records.revisions(self.session, "yardstick", made.id)]
        # The form before Ann began, her last one, Bo’s last one, and the one he made after a while.
        self.assertEqual(kept, [7, 6, 4, 1])

    def test_old_forms_are_thinned_to_one_a_day(self) -> None:
        made, began = self.make({"a": 0}), clock.now()
        for version in range(1, 9):
            with clock.going_on_from(began - dt.timedelta(days=200 - version // 3)):
                records.save(self.session, "yardstick", made.id, {"a": version}, version)
        before = records.thinnable(self.session)
        self.assertEqual(records.thin(self.session), before)
        self.assertEqual(records.thinnable(self.session), 0)
        kept = [r.version for r in records.revisions(self.session, "yardstick", made.id)]
        self.assertEqual(kept[0], 8)
        self.assertLess(len(kept), 8)

    def test_texts_of_any_alphabet_come_back(self) -> None:
        body = {"name": "路线 ‮עברית Ærø 🚢 <script>"}
        made = self.make(body)
        self.session.expire_all()
        self.assertEqual(records.get(self.session, "yardstick", made.id).body, body)

    def test_keys_can_be_read_in_an_address(self) -> None:
        self.assertRegex(database.new_key("Fuel per mile, Ærø!"), r"^fuel-per-mile-r-[0-9a-f]{6}$")
        self.assertRegex(database.new_key("路线"), r"^[0-9a-f]{6}$")


class Errors(InDatabase):
    def test_what_is_written_stands_in_no_error(self) -> None:
        with self.assertRaises(DBAPIError) as caught:
            self.session.execute(text("INSERT INTO nowhere VALUES (:word)"), {"word": "hush-hush"})
        self.assertNotIn("hush-hush", str(caught.exception))


class Marks(InDatabase):
    KPI = "test-of-marks"

    def setUp(self) -> None:
        super().setUp()
        records.create(self.session, "kpi", {"name": "Marks"}, name="Marks", key=self.KPI)

    def test_they_go_with_their_kpi(self) -> None:
        marks.apply(self.session, self.KPI, [Change("target", EVERYONE, "2026-01", 0.9)], 0)
        notes.save(self.session, self.KPI, "", {}, "2026-01", "Storms", 0.8, 0)
        records.remove(self.session, "kpi", self.KPI, 1)
        left = "SELECT (SELECT COUNT(*) FROM mark_books WHERE kpi_id = :kpi), (SELECT COUNT(*) FROM marks WHERE kpi_id = :kpi), (SELECT COUNT(*) FROM notes WHERE kpi_id = :kpi)"
        self.assertEqual(tuple(self.session.execute(text(left), {"kpi": self.KPI}).one()), (0, 0, 0))

    def test_changes_come_with_their_way_back(self) -> None:
        first = Change("target", EVERYONE, "2026-01", 0.9)
        version, back = marks.apply(
            self.session, self.KPI, [first, Change("target", Owner.member(route="a"), "2026-02", 0.8)], 0
        )
        self.assertEqual(version, 1)
        self.assertEqual([c.value for c in back], [None, None])
        version, back = marks.apply(self.session, self.KPI, [Change("target", EVERYONE, "2026-01", 0.95)], 1)
        self.assertEqual(back, [first])
        version, _ = marks.apply(self.session, self.KPI, back, 2)
        found = marks.entries(self.session, [self.KPI, "nobody"])
        expected = [
            MarkEntry("target", EVERYONE, Period.parse("2026-01"), 0.9),
            MarkEntry("target", Owner.member(route="a"), Period.parse("2026-02"), 0.8),
        ]
        self.assertEqual(found, {self.KPI: expected, "nobody": []})
        self.assertEqual(marks.version(self.session, self.KPI), 3)

    def test_whose_they_are_is_kept(self) -> None:
        owners = [EVERYONE, TOGETHER, Owner.each("route"), Owner.member(route="a"), Owner.member(vessel="x", route="a")]
        changes = [Change("target", owner, "2026-01", float(n)) for n, owner in enumerate(owners)]
        marks.apply(self.session, self.KPI, changes, 0)
        self.session.expire_all()
        found = {entry.owner: entry.value for entry in marks.entries(self.session, [self.KPI])[self.KPI]}
        self.assertEqual(found, {owner: float(n) for n, owner in enumerate(owners)})

    def test_one_place_twice_in_a_change_ends_as_the_last_says(self) -> None:
        place = ("target", EVERYONE, "2026-01")
        _, back = marks.apply(self.session, self.KPI, [Change(*place, 1), Change(*place, None), Change(*place, 3)], 0)
        self.assertEqual([entry.value for entry in marks.entries(self.session, [self.KPI])[self.KPI]], [3])
        marks.apply(self.session, self.KPI, back, 1)
        self.assertEqual(marks.entries(self.session, [self.KPI])[self.KPI], [])

    def test_a_stale_change_is_refused_whole(self) -> None:
        marks.apply(self.session, self.KPI, [Change("target", EVERYONE, "2026-01", 1)], 0)
        with self.assertRaises(database.StaleVersion):
            marks.apply(self.session, self.KPI, [Change("target", EVERYONE, "2026-01", 2)], 0)
        self.assertEqual(marks.entries(self.session, [self.KPI])[self.KPI][0].value, 1)

    def test_taking_out_what_is_not_there_changes_nothing(self) -> None:
        marks.apply(self.session, self.KPI, [Change("target", EVERYONE, "2026-01", None)], 0)
        self.assertEqual(marks.entries(self.session, [self.KPI])[self.KPI], [])


class Datasets(InDatabase):
    def table(self, rows: int, wide: bool = False) -> Table:
        data: dict[str, Any] = {
            "day": [dt.date(2026, 1, 1 + i % 28) for i in range(rows)],
            "x": [float(i) for i in range(rows)],
        }
        columns = [Column("day", "Day", "date", "period"), Column("x", "X", "number", "measure")]
        if wide:
            # Texts that do not compress, so that the rows need several pieces.
            import random

            random.seed(3)
            data["note"] = [f"{random.getrandbits(800):x}" for _ in range(rows)]
            columns.append(Column("note", "Note", "text", "text"))
        schema = {"day": pl.Date, "x": pl.Float64} | ({"note": pl.String} if wide else {})
        return Table(pl.DataFrame(data, schema=schema), tuple(columns), (Problem("odd", "x", (2, 3)),))

    def test_rows_and_columns_come_back_as_they_were(self) -> None:
        table = self.table(100)
        made = dataset_versions.create(self.session, "Rows", "rows.csv", table)
        self.session.expire_all()
        self.assertEqual(made.columns, table.columns)
        self.assertEqual(made.problems, table.problems)
        self.assertEqual((made.row_count, made.period, made.through), (100, "day", dt.date(2026, 1, 28)))
        self.assertTrue(datasets.rows(self.session, made).equals(table.frame))

    def test_many_rows_lie_in_pieces_within_the_limit(self) -> None:
        table = self.table(100_000, wide=True)
        made = dataset_versions.create(self.session, "Large", "large.csv", table)
        query = select(DatasetSegment.body).where(DatasetSegment.dataset_id == made.id)
        sizes = [len(body) for body in self.session.scalars(query)]
        self.assertGreater(len(sizes), 1)
        self.assertLessEqual(max(sizes), pieces.PIECE_BYTES)
        self.assertTrue(datasets.rows(self.session, made).equals(table.frame))

    def test_no_rows_at_all(self) -> None:
        made = dataset_versions.create(self.session, "None", "none.csv", self.table(0))
        self.assertEqual(datasets.rows(self.session, made).shape, (0, 2))
        self.assertIsNone(made.through)

    def test_a_dataset_goes_with_its_rows(self) -> None:
        made = dataset_versions.create(self.session, "Gone", "gone.csv", self.table(5))
        datasets.remove(self.session, made.id, 1)
        query = select(DatasetSegment.place).where(DatasetSegment.dataset_id == made.id)
        self.assertEqual(list(self.session.scalars(query)), [])
        with self.assertRaises(database.Missing):
            datasets.get(self.session, made.id)


class WhoseMarksWere(unittest.TestCase):
    """Tables of an earlier version, with marks of any member."""

    @classmethod
    def setUpClass(cls) -> None:
        directory = scratch.make("test")
        cls.addClassCleanup(shutil.rmtree, directory, True)
        mariadb = MariaDB(directory).start()
        cls.addClassCleanup(mariadb.stop)
        database.migrate(mariadb.url, "0002")
        cls.engine = database.connect(mariadb.url)
        cls.addClassCleanup(cls.engine.dispose)
        kpis = {
            "income": ("flow", "sum(x)"), "visits": ("flow", "count()"), "crew": ("stock", "sum(x)"), "ready": ("stock", "sum(x) / sum(y)"),
            "share": ("rate", "sum(x) / sum(y)"),
        }  # fmt: skip
        old = [
            ("income", "", "", "2026-01", 18_000), ("income", "depot", "East", "2026-01", 22_000), ("income", "depot", "West", "2026-01", 1),
            ("income", "service", "Express", "2026-01", 3), ("visits", "", "", "2026-01", 500), ("visits", "", "", "2026-06", 600),
            ("visits", "*", "*", "2026-06", 900), ("crew", "", "", "2026-01", 40), ("ready", "", "", "2026-01", 0.9), ("share", "", "", "2026-01", 0.5),
        ]  # fmt: skip
        with Session(cls.engine) as session:
            for key, (nature, formula) in kpis.items():
                body = {
                    "name": key.title(),
                    "nature": nature,
                    "formula": formula,
                    "handle": "one" if key in ("share", "ready") else key,
                }
                record = "INSERT INTO records (kind, id, version, body, created_at, updated_at, saved_by) VALUES ('kpi', :key, 1, :body, :now, :now, '')"
                session.execute(text(record), {"key": key, "body": json.dumps(body), "now": clock.now()})
                session.execute(text("INSERT INTO mark_books (kpi_id, version) VALUES (:key, 1)"), {"key": key})
            session.execute(text("INSERT INTO mark_books (kpi_id, version) VALUES ('gone', 1), ('gone too', 1)"))
            for entry in old:
                insert = "INSERT INTO marks (kpi_id, name, segment, member, since, value) VALUES (:k, 'target', :s, :m, :f, :v)"
                session.execute(text(insert), dict(zip("ksmfv", entry, strict=True)))
            session.commit()
        database.migrate(mariadb.url)

    def owners(self, key: str) -> list[tuple[Owner, str, float]]:
        with Session(self.engine) as session:
            return [(e.owner, e.since.key, e.value) for e in marks.entries(session, [key])[key]]

    def test_any_of_a_sum_is_each_member_s_where_a_segment_has_own_ones_else_all_together_s(self) -> None:
        self.assertIn((Owner.each("depot"), "2026-01", 18_000), self.owners("income"))
        self.assertEqual(len(self.owners("income")), 4)
        self.assertEqual(self.owners("crew"), [(TOGETHER, "2026-01", 40)])
        # Where all together had a mark of its own from the same period, that one holds.
        self.assertEqual(self.owners("visits"), [(TOGETHER, "2026-01", 500), (TOGETHER, "2026-06", 900)])

    def test_of_a_rate_and_of_a_ratio_it_is_everyone_s(self) -> None:
        self.assertEqual(self.owners("share"), [(EVERYONE, "2026-01", 0.5)])
        self.assertEqual(self.owners("ready"), [(EVERYONE, "2026-01", 0.9)])

    def test_of_two_kpis_with_one_handle_the_first_keeps_it(self) -> None:
        with Session(self.engine) as session:
            kept = dict(session.execute(text("SELECT id, handle FROM records")).tuples().all())
        self.assertEqual(kept, {"income": "income", "visits": "visits", "crew": "crew", "ready": "one", "share": None})

    def test_what_was_changed_is_told_until_it_was_read(self) -> None:
        with Session(self.engine) as session:
            notice, mended = notices.unread(session)
            self.assertEqual(mended.body["mended"], ["2 marks of KPIs that are gone"])
            notices.read(session, mended.number)
            told = {(c["kpi"], c["since"]): (c["whose"], c["segment"]) for c in notice.body["changes"]}
            self.assertEqual(
                told,
                {
                    ("income", "2026-01"): ("each", "depot"),
                    ("visits", "2026-01"): ("together", ""),
                    ("visits", "2026-06"): ("dropped", ""),
                    ("crew", "2026-01"): ("together", ""),
                },
            )
            notices.read(session, notice.number)
            self.assertEqual(notices.unread(session), [])
            with self.assertRaises(database.Missing):
                notices.read(session, 10**12)


class ChangeLog(InDatabase):
    def test_every_change_makes_another_stamp(self) -> None:
        seen = [change_log.stamp(self.session)]

        def changed(by: object) -> None:
            del by
            seen.append(change_log.stamp(self.session))
            self.assertNotEqual(seen[-1], seen[-2])

        changed(made := records.create(self.session, "kpi", {"name": "Log"}, name="Log"))
        changed(records.save(self.session, "kpi", made.id, {"name": "Logs"}, 1))
        changed(marks.apply(self.session, made.id, [Change("target", EVERYONE, "2026-01", 1)], 0))
        changed(marks.compute(self.session, made.id, "last year", "1", 1))
        changed(notes.save(self.session, made.id, "", {}, "2026-01", "Frost", 1, 0))
        table = Table(pl.DataFrame({"crates": [1.0]}), (Column("crates", "Crates", "number", "measure"),))
        changed(dataset_versions.create(self.session, "Orchard", "orchard.csv", table))
        changed(records.remove(self.session, "kpi", made.id, 2))
        records.get_many(self.session, "kpi", ["nobody"])
        self.assertEqual(change_log.stamp(self.session), seen[-1])

    def test_old_entries_are_given_up_and_new_ones_never(self) -> None:
        with clock.going_on_from(clock.now() - dt.timedelta(days=1)):
            change_log.append(self.session, *[("kpi", "old")] * 1500)
        for _ in range(3):
            change_log.append(self.session, *[("kpi", "new")] * 100)
        counted = dict(
            self.session.execute(text("SELECT record_id, COUNT(*) FROM change_log GROUP BY record_id")).tuples().all()
        )
        self.assertEqual(counted["new"], 300)
        self.assertLess(counted["old"], 1000)

    def test_a_change_is_told_also_where_a_later_one_ends_first(self) -> None:
        engine = database.changing(world.engine())
        self.addCleanup(self._forget)
        with Session(engine) as first, Session(engine) as second, Session(engine) as looks:
            change_log.append(first, ("kpi", "test-of-log"))
            change_log.append(second, ("kpi", "test-of-log"))
            second.commit()
            before = change_log.stamp(looks)
            first.commit()
            self.assertNotEqual(change_log.stamp(looks), before)

    def _forget(self) -> None:
        with world.engine().begin() as connection:
            connection.execute(text("DELETE FROM change_log WHERE record_id = 'test-of-log'"))


def own_database(test: unittest.TestCase) -> MariaDB:
    """A server of its own, empty: no worker takes what waits in it."""
    directory = scratch.make("test")
    test.addCleanup(shutil.rmtree, directory, ignore_errors=True)
    mariadb = MariaDB(directory).start()
    test.addCleanup(mariadb.stop)
    return mariadb


class Exports(unittest.TestCase):
    def test_what_was_left_in_the_middle_is_drawn_once_more_and_then_told(self) -> None:
        """Left by another that ended, or by the same as its database went away: it asks for the next, so it draws none."""
        engine = database.connect(own_database(self).url)
        self.addCleanup(engine.dispose)
        Export.metadata.create_all(engine, [Export.metadata.tables[Export.__tablename__]])
        with Session(engine) as session:
            key = exports.ask(session, "pdf", b"x", None, {}, "x.pdf")
            for worker in ("one", "one"):
                taken = exports.next_one(session, worker)
                self.assertEqual((taken and taken.id, taken and taken.state), (key, "running"))
            self.assertIsNone(exports.next_one(session, "another"))
            row = exports.get(session, key)
            session.refresh(row)
            self.assertEqual((row.state, (row.problem or {})["status"]), ("failed", 500))


class Accounts(unittest.TestCase):
    def test_they_keep_their_rights_while_they_are_made_sure_of(self) -> None:
        mariadb = own_database(self)
        again = threading.Thread(target=lambda: [mariadb._grant() for _ in range(50)])
        again.start()
        asked = 0
        while again.is_alive():  # a database that was started again answers while its accounts are seen to
            engine = database.connect(mariadb.url)
            with engine.connect() as connection:
                asked += connection.execute(text("SELECT 1")).scalar_one()
            engine.dispose()
        again.join()
        self.assertTrue(asked)


class Migrations(unittest.TestCase):
    def test_the_tables_are_what_the_models_say(self) -> None:
        from alembic.autogenerate import compare_metadata
        from alembic.migration import MigrationContext

        from ironmark.store.models import Base

        with world.engine().connect() as connection:
            context = MigrationContext.configure(connection, opts={"compare_type": True})
            self.assertEqual(compare_metadata(context, Base.metadata), [])
