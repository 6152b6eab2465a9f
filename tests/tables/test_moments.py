"""How long it was from one moment of a row to another, of repairs of a cable car, of blood samples, of calls."""

from __future__ import annotations

import datetime as dt
import random
import tempfile
import unittest
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from ironmark.core.drafting import draft
from ironmark.tables.facts import facts_of
from ironmark.tables.files import read_table
from ironmark.tables.long_lists import read_long
from ironmark.tables.refresh import conform
from ironmark.tables.table import LongTable, Table

FORMS = ("%Y-%m-%d %H:%M:%S", "%Y-%m-%dT%H:%M:%S+01:00", "%d.%m.%Y %H:%M", "%d/%m/%Y %H:%M", "%m/%d/%Y %I:%M %p")


def repairs(rows: int, form: str, above: str = "") -> tuple[bytes, list[float | None]]:
    """A list of repairs, what was mended standing before what was reported, and the minutes between."""
    rng, first = random.Random(7), dt.datetime(2026, 2, 11, 6, 30)
    lines, wanted = [f"{above}Auftrag;Behoben;Gemeldet;Gondel"], list[float | None]()
    for n in range(rows):
        began, took = first + dt.timedelta(minutes=411 * n), rng.randint(2, 3000)
        open_yet = n % 9 == 8
        done = "" if open_yet else (began + dt.timedelta(minutes=took)).strftime(form)
        lines.append(f"A{n};{done};{began.strftime(form)};{n % 14}")
        wanted.append(None if open_yet else float(took))
    return "\n".join(lines).encode(), wanted


def table_of(body: bytes, listed: bool = False) -> Table:
    found = read_table(body, listed=listed).table
    assert isinstance(found, Table)
    return found


class Moments(unittest.TestCase):
    @contextmanager
    def by_parts(self, body: bytes) -> Iterator[LongTable]:
        """A text as a long list is read: some lines at a time."""
        with tempfile.TemporaryDirectory() as place:
            path, folder = Path(place) / "list.csv", Path(place) / "pieces"
            path.write_bytes(body)
            folder.mkdir()
            found = read_long(path, folder, lambda share: None, room=2_000_000)
            assert found is not None
            yield found

    def test_however_they_are_written_the_minutes_between_are_a_column(self) -> None:
        for form in FORMS:
            body, wanted = repairs(80, form)
            table = table_of(body)
            last = table.columns[-1]
            self.assertEqual((last.name, last.label, last.role, last.unit), ("gemeldet_to_behoben", "Gemeldet to Behoben", "measure", "min"), form)  # fmt: skip
            self.assertEqual(table.frame[last.name].to_list(), wanted, form)
            self.assertEqual(
                next(c.name for c in table.columns if c.role == "period"), "gemeldet", "it began on all rows"
            )

    def test_below_a_title_too(self) -> None:
        body, wanted = repairs(60, "%d.%m.%Y %H:%M", "Störungen der Gondelbahn;;;\n;;;\n")
        self.assertEqual(table_of(body).frame["gemeldet_to_behoben"].to_list(), wanted)

    def test_a_long_list_comes_to_the_same(self) -> None:
        for form in FORMS[:3]:
            body, wanted = repairs(60_000, form)
            held = table_of(body)
            self.assertEqual(held.frame["gemeldet_to_behoben"].to_list(), wanted, form)
            with self.by_parts(body) as found:
                self.assertEqual(found.columns, held.columns)
                self.assertTrue(found.rows.select(held.frame.columns).equals(held.frame), form)

    def test_what_ended_before_it_began_is_left_blank_and_told(self) -> None:
        body, _ = repairs(80, FORMS[0])
        lines = body.decode().split("\n")
        lines[3] = "A2;2026-02-01 08:00:00;2026-02-11 20:12:00;3"
        table = table_of("\n".join(lines).encode())
        self.assertIsNone(table.frame["gemeldet_to_behoben"][2])
        self.assertIn("One row has the second moment before the first", " ".join(p.message for p in table.problems))

    def test_days_alone_midnights_and_what_is_said_already_make_none(self) -> None:
        rows = [dt.datetime(2026, 3, 1) + dt.timedelta(days=n) for n in range(40)]
        for lines in (
            [f"{a:%Y-%m-%d};{a + dt.timedelta(days=3):%Y-%m-%d};5" for a in rows],
            [f"{a:%Y-%m-%d %H:%M};{a + dt.timedelta(days=3):%Y-%m-%d %H:%M};5" for a in rows],
            [f"{a:%Y-%m-%d} 08:10;{a:%Y-%m-%d} {9 + n % 8:02d}:10;{60 + n % 8 * 60}" for n, a in enumerate(rows)],
            [f"{a:%Y-%m-%d} 08:10;{a:%Y-%m-%d} {9 + n % 8:02d}:10;{1 + n % 8}" for n, a in enumerate(rows)],
        ):
            columns = table_of("\n".join(["Taken;Read;Took", *lines]).encode()).columns
            self.assertEqual([c.label for c in columns], ["Taken", "Read", "Took"])

    def test_times_of_a_day_too_past_midnight_or_early(self) -> None:
        lines = [
            f"2026-03-{1 + n % 28:02d};{(22 + n % 3) % 24:02d}:{n % 60:02d};0{4 + n % 3}:{n % 60:02d}"
            for n in range(60)
        ]
        table = table_of("\n".join(["Day;On;Off", *lines]).encode())
        self.assertEqual(table.frame["on_to_off"].to_list()[:3], [360.0, 360.0, 360.0])
        lines = [f"2026-03-{1 + n % 28:02d};10:30;10:{26 + n % 20}" for n in range(60)]
        table = table_of("\n".join(["Day;Due;Came", *lines]).encode())
        self.assertEqual(table.frame["due_to_came"].to_list()[:6], [-4.0, -3.0, -2.0, -1.0, 0.0, 1.0])
        body = "\n".join(["Day;Due;Came", *(lines * 1000)]).encode()
        with self.by_parts(body) as found:
            self.assertEqual(found.columns, table_of(body).columns)

    def test_two_durations_are_no_times_of_a_day(self) -> None:
        lines = [f"2026-03-{1 + n % 28:02d};00:00:{n % 60:02d};00:{1 + n % 9:02d}:30" for n in range(1, 60)]
        columns = table_of("\n".join(["Day;Wait;Talk", *lines]).encode()).columns
        self.assertEqual([c.label for c in columns], ["Day", "Wait", "Talk"])

    def test_rows_of_which_none_has_ended_fit_a_dataset_that_has_them(self) -> None:
        body, _ = repairs(80, FORMS[0])
        held = table_of(body)
        more = table_of(b"Auftrag;Behoben;Gemeldet;Gondel\nA90;;2026-04-11 08:00:00;3\n", listed=True)
        made = conform(more, held.columns)
        self.assertEqual(made.frame.columns, held.frame.columns)
        self.assertEqual(made.frame["gemeldet_to_behoben"].to_list(), [None])

    def test_a_first_draft_takes_them_for_how_many_days_it_was(self) -> None:
        lines = [f"2026-05-{1 + n % 28:02d} 09:{n:02d};2026-05-{1 + n % 28:02d} 1{n % 9}:30;{n % 3}" for n in range(60)]
        table = table_of("\n".join(["Called;Answered;Line", *lines]).encode())
        kpis = {kpi.formula: kpi for kpi in draft("Calls", facts_of(table.frame, table.columns)).kpis}
        self.assertEqual(kpis["mean(called_to_answered)"].direction, "lower")
        self.assertFalse(any("days(" in formula for formula in kpis))
        lines = [f"2026-05-{1 + n % 28:02d};{n % 3};{n * 7 % 60}" for n in range(60)]
        table = table_of("\n".join(["Day;Line;Total minutes lost to breakdowns", *lines]).encode())
        kpis = {kpi.formula: kpi for kpi in draft("Days", facts_of(table.frame, table.columns)).kpis}
        self.assertEqual(
            kpis["sum(total_minutes_lost_to_breakdowns)"].direction, "lower", "no span, whatever it is called"
        )


if __name__ == "__main__":
    unittest.main()
