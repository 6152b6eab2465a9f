"""Long tables with periods across the top: read by their first and last lines and by columns, they come to what every cell
comes to; and whatever is odd in them has every cell looked at."""

import random
import tempfile
import unittest
from pathlib import Path
from typing import Any
from unittest import mock

from ironmark.pages.datasets.intake import Reading
from ironmark.tables import files, wide_lists
from ironmark.tables.files import MOST_UNFOLDED, look_at, read_table
from ironmark.tables.table import Unreadable

HEADS = ["Tytuł", "Filia", *(f"{month:02d}.2026" for month in range(1, 13))]


def loans(many: int = 160, heads: list[str] = HEADS) -> list[list[str]]:
    """Titles lent by the branches of a library, month by month; some were not on the shelf yet."""
    rng = random.Random(5)
    rows = [heads]
    for at in range(many):
        figures = ["" if rng.random() < 0.1 else f"{rng.randint(1, 900) / 4:g}" for _ in heads[2:]]
        rows.append([f"Księga {at:04d}", ("Rynek", "Łąkowa", "Zamkowa")[at % 3], *figures])
    return rows


def written(rows: list[list[str]], sign: str = ";") -> bytes:
    return "\n".join(sign.join(row) for row in rows).encode()


class TheSame(unittest.TestCase):
    def setUp(self) -> None:
        for what, name, value in ((wide_lists, "FEWEST", 100), (files, "_SMALL", 100)):
            patched = mock.patch.object(what, name, value)
            patched.start()
            self.addCleanup(patched.stop)

    def both(self, rows: list[list[str]], sign: str = ";", **how: Any) -> tuple[files.ReadFile, bool]:
        """A table read in both ways, which must come to the same; and whether it was read by columns at all."""
        body, used = written(rows, sign), []
        whole = files.unfolded

        def noted(*of: Any) -> Any:
            used.append(whole(*of))
            return used[-1]

        with mock.patch.object(files, "unfolded", noted):
            quick = read_table(body, **how)
        with mock.patch.object(files, "unfolded", lambda *_: None):
            slow = read_table(body, **how)
        self.assertEqual(quick.table.columns, slow.table.columns)
        self.assertEqual(quick.table.frame.rows(), slow.table.frame.rows())
        self.assertEqual(quick.table.problems, slow.table.problems)
        self.assertEqual(quick.recipe, slow.recipe)
        return quick, any(one is not None for one in used)

    def test_one_with_nothing_odd_in_it(self) -> None:
        read, by_columns = self.both(loans())
        self.assertTrue(by_columns)
        self.assertEqual(read.table.frame.height, 160 * 12)
        self.assertEqual([column.role for column in read.table.columns], ["segment", "segment", "period", "measure"])

    def test_other_separators_a_column_of_totals_and_a_line_twice(self) -> None:
        rows = loans()
        self.assertTrue(self.both(rows, "\t")[1])
        self.assertTrue(self.both([*rows, rows[7]], ",")[1])
        beside = [
            [str(at) if at else "Nr", *row, "" if at % 9 else "Uwagi" if not at else "w oprawie"]
            for at, row in enumerate(rows)
        ]
        self.assertTrue(self.both(beside)[1])
        totals = [[*row, "Razem" if at == 0 else "1"] for at, row in enumerate(rows)]
        self.assertTrue(self.both(totals)[1])

    def test_decimal_signs(self) -> None:
        rows = loans()
        self.assertTrue(self.both([*rows, ["Księga X", "Rynek", *["1.234"] * 12]])[1])
        commas = [[cell.replace(".", ",") if at else cell for cell in row] for at, row in enumerate(rows)]
        read, by_columns = self.both(commas)
        self.assertTrue(by_columns)
        self.assertEqual(read.table.frame["value"].sum(), self.both(rows)[0].table.frame["value"].sum())
        for odd in ("1,234", "1.234,5", "7 000"):
            self.assertFalse(self.both([*commas, ["Księga X", "Rynek", *[odd] * 12]])[1], odd)

    def test_what_is_odd_has_every_cell_looked_at(self) -> None:
        rows = loans()
        sums = [str(sum(float(row[at] or 0) for row in rows[1:])) for at in range(2, 14)]
        parts = [str(sum(float(row[at] or 0) for row in rows[1:6])) for at in range(2, 14)]
        for what, odd in {
            "a total": [*rows, ["Razem", "", *sums]],
            "a total that is called nothing": [*rows[:6], ["Księga zbiorcza", "Rynek", *parts], *rows[6:]],
            "a target below its line": [*rows[:60], ["Cel", "Rynek", *["90"] * 12], *rows[60:]],
            "names with units": [*rows[:60], ["Koszt (PLN)", "Rynek", *["9"] * 12], ["Czas (min)", "Rynek", *["9"] * 12], *rows[60:]],
            "a heading of those below": [*rows[:60], ["Dział B", *[""] * 13], *rows[60:]],
            "figures with a unit": [*rows[:60], ["Księga X", "Rynek", *["9 min"] * 12], *rows[60:]],
            "a footnote": [*rows[:60], ["Księga X*", "Rynek", *["12"] * 12], *rows[60:]],
            "years": [*rows[:60], ["Księga X", "Rynek", *["2025"] * 12], *rows[60:]],
            "branches told once": [[row[0], row[1] if at % 3 == 1 or at == 0 else "", *row[2:]] for at, row in enumerate(rows)],
            "a title": [["Wypożyczenia 2026"], *rows],
        }.items():  # fmt: skip
            with self.subTest(what):
                self.assertFalse(self.both(odd)[1])

    def test_the_next_file_is_read_by_the_recipe_of_the_one_before(self) -> None:
        first, _ = self.both(loans())
        after, by_columns = self.both(loans(170), recipe=first.recipe)
        self.assertTrue(by_columns)
        self.assertEqual((after.table.frame.height, after.differs), (170 * 12, ()))
        other, _ = self.both(loans(170, ["Tytuł", "Oddział", *HEADS[2:]]), recipe=first.recipe)
        self.assertEqual(other.differs, ("No column is called “Filia” any more.",))

    def test_a_look_tells_how_many_lines_there_are(self) -> None:
        found = look_at(written(loans()), {})
        self.assertEqual((found.line_count, found.rows, found.down), (161, 160, "members"))


class Long(unittest.TestCase):
    def test_so_long_that_no_cell_is_looked_at_by_itself_it_says_what_to_mend(self) -> None:
        rows = loans(300)
        rows[50][4] = "vermutlich 9"
        with mock.patch.object(files, "MOST_LOOKED_AT", 3000), mock.patch.object(files, "MOST_UNFOLDED", 6000):
            read = read_table(written(rows))
        self.assertIn("Periods stand across the top", read.table.problems[-1].message)
        self.assertGreater(MOST_UNFOLDED, files.MOST_LOOKED_AT)

    def test_one_that_comes_to_more_rows_than_fit_is_refused_with_a_way_out(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            path = Path(name) / "loans.csv"
            path.write_bytes(written(loans(400)))
            size = path.stat().st_size
            with self.assertRaisesRegex(Unreadable, "a line for each period, in place of a column"):
                Reading().of_file(path, path.name, Path(name), size * 9)
            self.assertEqual(Reading().of_file(path, path.name, Path(name), size * 11).table.rows.height, 400 * 12)

    def test_a_line_twice_counts_twice(self) -> None:
        rows = [["Seilbahn", "Jan 2026", "Feb 2026"], ["Kogel", "3", "4"], ["Alm", "5", "6"], ["Kogel", "7", "8"]]
        read = read_table(written(rows))
        self.assertEqual(sum(read.table.frame["value"]), 33)
        self.assertEqual(read.table.frame.height, 6)


if __name__ == "__main__":
    unittest.main()
