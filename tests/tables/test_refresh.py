"""New rows for a dataset in use, what is found in rows as a whole, and checklists."""

import datetime as dt
import unittest

import polars as pl

from ironmark.tables import checklist
from ironmark.tables.checklist import Checklist
from ironmark.tables.findings import findings, late_rows, spellings
from ironmark.tables.pieces import merged
from ironmark.tables.reader import read_delimited
from ironmark.tables.refresh import changes, combined, conform
from ironmark.tables.table import Table, Unreadable

OLD = read_delimited(b"Day,Route,Fare,Late\n2026-01-01,North,10,yes\n2026-01-02,South,20,no\n2026-02-01,North,30,no\n")


def table(text: str) -> Table:
    return read_delimited(text.encode())


class Conform(unittest.TestCase):
    def test_columns_are_found_by_name_in_any_order_and_new_ones_come_behind(self) -> None:
        new = conform(
            table("Fare,Note,Late,day,ROUTE\n5,hello,no,2026-03-01,North\n6,,no,2026-03-02,South\n"), OLD.columns
        )
        self.assertEqual(new.frame.columns, ["day", "route", "fare", "late", "note"])
        self.assertEqual(new.columns[:4], OLD.columns)
        self.assertEqual(new.frame.row(0), (dt.date(2026, 3, 1), "North", 5.0, False, "hello"))

    def test_a_missing_column_is_named(self) -> None:
        with self.assertRaisesRegex(Unreadable, "no column “Route”, “Late”"):
            conform(table("Day,Fare\n2026-01-01,5\n"), OLD.columns)

    def test_another_type_is_refused_with_an_example_and_a_text_takes_any(self) -> None:
        with self.assertRaisesRegex(Unreadable, "“Fare” holds numbers so far, and texts .* “cheap”"):
            conform(table("Day,Route,Fare,Late\n2026-01-01,North,cheap,no\n"), OLD.columns)
        new = conform(table("Day,Route,Fare,Late\n2026-01-01,7,5,no\n2026-01-01,8,5,no\n"), OLD.columns)
        self.assertEqual(new.frame["route"].to_list(), ["7", "8"])
        new = conform(table("Day,Route,Fare,Late\n2026-01-01,2026. 03. 05.,5,no\n"), OLD.columns)
        self.assertEqual(new.frame["route"].to_list(), ["2026-03-05"])
        self.assertIn("stand in it as texts", next(p.message for p in new.problems if p.column == "route"))

    def test_a_column_left_blank_keeps_its_type(self) -> None:
        new = conform(table("Day,Route,Fare,Late\n2026-01-01,North,,\n"), OLD.columns)
        self.assertEqual([c.type for c in new.columns], ["date", "text", "number", "flag"])
        self.assertEqual(new.frame.schema["fare"], pl.Float64)


class Combined(unittest.TestCase):
    NEW = conform(table("Day,Route,Fare,Late\n2026-01-02,East,7,no\n2026-02-10,East,8,no\n"), OLD.columns)

    def test_replace_append_and_the_days_covered(self) -> None:
        self.assertEqual(combined(OLD.frame, self.NEW, "replace", "day")["fare"].to_list(), [7, 8])
        self.assertEqual(combined(OLD.frame, self.NEW, "append", "day")["fare"].to_list(), [10, 20, 30, 7, 8])
        self.assertEqual(combined(OLD.frame, self.NEW, "periods", "day")["fare"].to_list(), [10, 7, 8])
        with self.assertRaisesRegex(Unreadable, "no days"):
            combined(OLD.frame, self.NEW, "periods", None)

    def test_what_changed_is_told(self) -> None:
        frame = combined(OLD.frame, self.NEW, "periods", "day")
        told = changes(OLD.frame, frame, self.NEW.frame, OLD.columns, "periods")
        self.assertEqual((told.before, told.after, told.taken_out, told.put_in), (3, 3, 2, 2))
        self.assertEqual((told.came, told.went), ({"route": ["East"]}, {"route": ["South"]}))
        self.assertEqual((told.last_before, told.last), (dt.date(2026, 2, 1), dt.date(2026, 2, 10)))

    def test_of_rows_behind_others_these_are_gone_through_alone(self) -> None:
        frame = combined(OLD.frame, self.NEW, "append", "day")
        told = changes(OLD.frame, frame, self.NEW.frame, OLD.columns, "append")
        self.assertEqual(told, changes(OLD.frame, frame, self.NEW.frame, OLD.columns, "periods"))
        self.assertEqual((told.came, told.went, told.taken_out), ({"route": ["East"]}, {}, 0))
        self.assertEqual((told.first, told.last), (told.first_before, dt.date(2026, 2, 10)))

    def test_a_new_column_is_blank_in_the_old_rows(self) -> None:
        new = conform(table("Day,Route,Fare,Late,Crew\n2026-03-01,North,5,no,4\n"), OLD.columns)
        self.assertEqual(combined(OLD.frame, new, "append", "day")["crew"].to_list(), [None, None, None, 4.0])

    def test_merged_spellings(self) -> None:
        frame = merged(OLD.frame, {"route": {"South": "North"}, "fare": {"10": "11"}, "gone": {"a": "b"}})
        self.assertEqual((frame["route"].unique().to_list(), frame["fare"].sum()), (["North"], 60))


class Findings(unittest.TestCase):
    def found(self, text: str) -> str:
        read = table(text)
        return " ".join(problem.message for problem in findings(read.frame, read.columns))

    def test_rows_there_twice(self) -> None:
        self.assertIn("1 row is the same", self.found("Day,Fare\n2026-01-01,5\n2026-01-01,5\n2026-01-01,6\n"))

    def test_months_without_rows(self) -> None:
        self.assertIn("no rows in Feb 2026, Mar 2026.", self.found("Day,Fare\n2026-01-31,5\n2026-04-01,5\n"))
        self.assertIn("mistyped", self.found("Day,Fare\n0202-01-31,5\n2026-04-01,5\n"))

    def test_fractions_and_percents_in_one_column(self) -> None:
        self.assertIn("2 cells look like fractions and 1 like percents", self.found("Share\n0.88\n0.91\n88\n"))
        for fine in ("0.88\n0.91\n1\n", "88\n91\n1\n", "12\n0.5\n8\n200\n"):
            self.assertNotIn("fractions", self.found("Share\n" + fine))

    def test_nothing_is_found_where_all_is_well(self) -> None:
        self.assertEqual(findings(OLD.frame, OLD.columns), ())
        self.assertEqual(findings(OLD.frame.clear(), OLD.columns), ())

    def test_rows_after_the_day_it_is_complete_through(self) -> None:
        late = late_rows(OLD.frame, "day", dt.date(2026, 1, 31))
        assert late is not None
        self.assertIn("1 row lies after 31 January 2026", late.message)
        self.assertIsNone(late_rows(OLD.frame, "day", dt.date(2026, 2, 1)))

    def test_spellings_alike(self) -> None:
        self.assertEqual(
            spellings(["Night freight", "Night Freight ", "night-freight", "Day freight", "–", "—"]),
            [("Night Freight ", "Night freight"), ("night-freight", "Night freight")],
        )


class Checklists(unittest.TestCase):
    FIRST = Checklist(dt.date(2026, 1, 10), ("hull", "mast"), ("planned", "done"), ((True, False), (False, False)))

    def test_ticks_are_rows_and_rows_are_ticks(self) -> None:
        frame = checklist.ticked(checklist.rows(self.FIRST).clear(), self.FIRST).frame
        self.assertEqual(frame.height, 4)
        self.assertEqual(checklist.on(frame, dt.date(2026, 3, 1)).done, self.FIRST.done)
        later = Checklist(dt.date(2026, 3, 5), ("hull", "mast"), ("planned", "done"), ((True, True), (True, False)))
        frame = checklist.ticked(frame, later).frame
        self.assertEqual(checklist.on(frame, dt.date(2026, 3, 4)).done, self.FIRST.done)
        self.assertEqual(checklist.on(frame, dt.date(2026, 3, 5)).done, later.done)
        self.assertEqual(checklist.ticked(frame, later).frame.height, 8)

    def test_a_tick_holds_through_months_in_which_nothing_is_said(self) -> None:
        frame = checklist.ticked(checklist.rows(self.FIRST).clear(), self.FIRST).frame
        carried = checklist.carried(frame, dt.date(2026, 3, 20))
        days = sorted(carried["day"].unique().to_list())
        self.assertEqual(days, [dt.date(2026, 1, 10), dt.date(2026, 2, 28), dt.date(2026, 3, 20)])
        self.assertEqual(carried.filter(pl.col("day") == days[-1])["done"].sum(), 1)

    def test_no_item_one_twice_and_too_many_are_refused(self) -> None:
        for items, steps, says in (
            ((), ("a",), "at least one item"), (("a",), ("",), "at least one step"), (("a", "A"), ("b",), "same name"),
            (tuple(f"i{n}" for n in range(100)), tuple(f"s{n}" for n in range(60)), "at most"),
        ):  # fmt: skip
            with self.assertRaisesRegex(Unreadable, says):
                checklist.rows(Checklist(dt.date(2026, 1, 1), items, steps, ()))
