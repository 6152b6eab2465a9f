"""Workbooks, records and Parquet: read as the same rows as their delimited text would be."""

import datetime as dt
import io
import json
import tempfile
import unittest
import zipfile
from pathlib import Path
from typing import Any

import polars as pl
import xlsxwriter

from ironmark.pages.datasets.intake import Reading, require_room
from ironmark.tables.formats import read_file, sheet_names, unpacked_size
from ironmark.tables.pieces import frames_of
from ironmark.tables.table import Unreadable

HEADER = ["Day", "Route", "Fare", "Late"]
ROWS: list[list[Any]] = [
    [dt.date(2026, 1, 31), "North", 12.5, True],
    [dt.date(2026, 2, 1), "South", 3, False],
    [dt.date(2026, 2, 2), "=1+1", None, True],
]
EXPECTED = [
    (dt.date(2026, 1, 31), "North", 12.5, True),
    (dt.date(2026, 2, 1), "South", 3.0, False),
    (dt.date(2026, 2, 2), "=1+1", None, True),
]


def workbook(sheets: dict[str, list[list[Any]]], *, merge: bool = False) -> bytes:
    buffer = io.BytesIO()
    book = xlsxwriter.Workbook(
        buffer, {"in_memory": True, "strings_to_formulas": False, "default_date_format": "dd/mm/yyyy"}
    )
    for name, rows in sheets.items():
        sheet = book.add_worksheet(name)
        for at, row in enumerate(rows):
            sheet.write_row(at, 0, row)
        if merge:
            sheet.merge_range(0, 0, 0, 3, "Sailings of the company")
            sheet.write_formula(len(rows), 2, "=1+2", value=3)
    book.close()
    return buffer.getvalue()


def ods(rows: list[list[str]]) -> bytes:
    cells = "".join(
        "<table:table-row>"
        + "".join(
            f'<table:table-cell office:value-type="string"><text:p>{cell}</text:p></table:table-cell>' for cell in row
        )
        + "</table:table-row>"
        for row in rows
    )
    space = "urn:oasis:names:tc:opendocument:xmlns"
    content = (
        f'<?xml version="1.0"?><office:document-content xmlns:office="{space}:office:1.0" xmlns:table="{space}:table:1.0" '
        f'xmlns:text="{space}:text:1.0"><office:body><office:spreadsheet><table:table table:name="One">{cells}'
        "</table:table></office:spreadsheet></office:body></office:document-content>"
    )
    manifest = (
        f'<?xml version="1.0"?><manifest:manifest xmlns:manifest="{space}:manifest:1.0">'
        '<manifest:file-entry manifest:full-path="/" manifest:media-type="application/vnd.oasis.opendocument.spreadsheet"/>'
        "</manifest:manifest>"
    )
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as packed:
        packed.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        packed.writestr("META-INF/manifest.xml", manifest)
        packed.writestr("content.xml", content)
    return buffer.getvalue()


class Workbooks(unittest.TestCase):
    def test_a_sheet_is_read_with_its_dates_numbers_and_flags(self) -> None:
        table = read_file(workbook({"Sailings": [HEADER, *ROWS]}))
        self.assertEqual(table.frame.rows(), EXPECTED)
        self.assertEqual([(c.type, c.role) for c in table.columns][:1], [("date", "period")])
        self.assertEqual(table.problems, ())

    def test_the_header_is_found_under_a_merged_title_and_formulas_read_as_values(self) -> None:
        rows = [
            ["", "", "", ""],
            ["", "", "", ""],
            HEADER,
            *[[*row[:2], row[2] or 1, row[3]] for row in ROWS],
            ["", "North", "", ""],
        ]
        table = read_file(workbook({"Sailings": rows}, merge=True))
        self.assertEqual([c.label for c in table.columns], HEADER)
        self.assertIn("found in line", " ".join(p.message for p in table.problems))
        self.assertEqual(table.frame["fare"].to_list()[-1], 3.0, "the formula’s value")

    def test_the_first_sheet_with_cells_is_read_or_the_one_named(self) -> None:
        body = workbook({"Empty": [], "First": [HEADER, *ROWS], "Second": [["x"], [1]]})
        table = read_file(body)
        self.assertEqual(table.frame.height, 3)
        self.assertIn(
            "The sheet “First” was read. The workbook also has Empty, Second.", [p.message for p in table.problems]
        )
        self.assertEqual(read_file(body, "Second").frame["x"].to_list(), [1.0])
        self.assertEqual(sheet_names(body), ["First", "Second"])
        self.assertEqual(sheet_names(b"a,b\n1,2\n"), [])
        with self.assertRaises(Unreadable) as caught:
            read_file(body, "Third")
        self.assertIn("Empty, First, Second", str(caught.exception))

    def test_ods(self) -> None:
        table = read_file(ods([["day", "fare"], ["2026-01-31", "1.200,5"], ["2026-02-01", "3"]]))
        self.assertEqual(table.frame["day"].to_list(), [dt.date(2026, 1, 31), dt.date(2026, 2, 1)])
        self.assertEqual(table.frame["fare"].to_list(), [1200.5, 3.0])

    def test_what_only_looks_like_one_is_refused_in_words(self) -> None:
        broken = workbook({"Sailings": [HEADER, *ROWS]})[:-40]
        plain = io.BytesIO()
        with zipfile.ZipFile(plain, "w") as packed:
            packed.writestr("hello.txt", "not a workbook")
        for body in (b"PK\x03\x04", broken, plain.getvalue(), workbook({"Empty": []})):
            with self.subTest(body[:20]), self.assertRaises(Unreadable) as caught:
                read_file(body)
            self.assertRegex(str(caught.exception), "Save the sheet as CSV|no cells")

    def test_a_bomb_is_refused_before_it_is_unpacked(self) -> None:
        buffer = io.BytesIO()
        with (
            zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as packed,
            packed.open("xl/worksheets/sheet1.xml", "w", force_zip64=True) as member,
        ):
            for _ in range(1100):
                member.write(bytes(1024 * 1024))
        self.assertLess(len(buffer.getvalue()), 4 * 1024 * 1024)
        with self.assertRaises(Unreadable) as caught:
            read_file(buffer.getvalue())
        self.assertIn("more than 1 GB", str(caught.exception))


class Records(unittest.TestCase):
    RECORDS = [
        {"day": "2026-01-31", "route": "North", "fare": 12.5, "late": True},
        {"day": "2026-02-01", "route": "South", "extra": [1]},
    ]

    def test_a_list_one_inside_an_object_and_one_a_line(self) -> None:
        lines = "\n".join(json.dumps(record) for record in self.RECORDS)
        for text in (
            json.dumps(self.RECORDS),
            json.dumps({"rows": self.RECORDS}),
            lines,
            "\ufeff" + json.dumps(self.RECORDS),
        ):
            with self.subTest(text[:20]):
                table = read_file(text.encode())
                self.assertEqual([c.name for c in table.columns], ["day", "route", "fare", "late", "extra"])
                self.assertEqual(table.frame["fare"].to_list(), [12.5, None])
                self.assertEqual(table.frame["late"].to_list(), [True, None])

    def test_objects_within_objects_are_columns_of_their_own(self) -> None:
        records = [{"at": "2026-05-01", "kiln": {"id": "K1", "at": "Hall"}, "tags": ["a", "b"], "held": [{"x": 1}]}]
        table = read_file(json.dumps({"meta": [1], "data": {"items": records}}).encode())
        self.assertEqual([c.label for c in table.columns], ["at", "kiln id", "kiln at", "tags", "held"])
        self.assertEqual(table.frame.row(0)[1:4], ("K1", "Hall", "a, b"))

    def test_other_json_is_refused_in_words(self) -> None:
        for text in ("{", "[1, 2]", "[]", '{"a": [}', "[" * 5000):
            with self.subTest(text[:10]), self.assertRaises(Unreadable) as caught:
                read_file(text.encode())
            self.assertIn("objects", str(caught.exception))


class Parquet(unittest.TestCase):
    def test_types_are_kept_and_nested_columns_left_blank(self) -> None:
        frame = pl.DataFrame(
            {
                "Day": [r[0] for r in ROWS],
                "Route": ["a", "b", None],
                "Fare": [1, 2, 3],
                "Late": [True, False, None],
                "n": [[1], [2], [3]],
            }
        )
        buffer = io.BytesIO()
        frame.write_parquet(buffer)
        table = read_file(buffer.getvalue())
        self.assertEqual(table.frame.rows()[0][:4], (dt.date(2026, 1, 31), "a", 1.0, True))
        self.assertEqual(table.frame["n"].null_count(), 3)

    def test_a_damaged_one_is_refused_in_words(self) -> None:
        with self.assertRaises(Unreadable):
            read_file(b"PAR1" + b"\x00" * 50)


class Delimited(unittest.TestCase):
    def test_what_is_none_of_these_is_delimited_text(self) -> None:
        self.assertEqual(read_file(b"a,b\n1,2\n").frame.rows(), [(1.0, 2.0)])


class BeyondTheRoom(unittest.TestCase):
    """Glass works, in a workbook with a cover and a table below its title."""

    def setUp(self) -> None:
        blown = [
            [dt.date(2026, 1 + at % 12, 1 + at % 28), f"Huť {at % 3}", "Váza “Žlutá”, velká" if at % 2 else None, at * 1.5, at % 4 == 0]
            for at in range(600)
        ]  # fmt: skip
        sheets = {"Obálka": [["Sklárny"], ["leden až prosinec"]], "Výroba": [["Výroba skla"], [], ["Den", "Huť", "Kus", "Váha (kg)", "Vada"], *blown]}  # fmt: skip
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "sklo.xlsx"
        self.path.write_bytes(workbook(sheets))
        self.pieces = Path(folder.name) / "pieces"
        self.pieces.mkdir()
        self.unpacked = unpacked_size(self.path)

    def read(self, room: int, **how: Any) -> Any:
        return Reading(**how).of_file(self.path, "sklo.xlsx", self.pieces, room).table

    def test_its_largest_sheet_is_read_row_by_row(self) -> None:
        whole = read_file(self.path.read_bytes(), "Výroba")
        for how in ({}, {"sheet": "Výroba"}):
            by_rows = self.read(self.unpacked * 3, **how)
            self.assertTrue(pl.concat(frames_of(by_rows.rows)).equals(whole.frame), how)
            self.assertEqual([c.name for c in by_rows.columns], [c.name for c in whole.columns])
            said = " ".join(problem.message for problem in by_rows.problems)
            self.assertRegex(said, "“Výroba” was read.*also has Obálka.*header was found in line 3")

    def test_what_takes_more_than_that_says_what_to_do(self) -> None:
        for room, how in ((self.unpacked, {}), (self.unpacked * 3, {"recipe": {"seen": {}}})):
            with self.assertRaisesRegex(Unreadable, "sheet you need as CSV, or start with --memory 1GB"):
                self.read(room, **how)
        with self.assertRaisesRegex(Unreadable, "There is no sheet “Sklo”; the workbook has Obálka, Výroba"):
            self.read(self.unpacked * 3, sheet="Sklo")
        body = self.path.read_bytes()
        require_room(body, self.unpacked * 3, rows=False)
        for room, text in ((self.unpacked * 3, body), (self.unpacked * 3, b"den,kusy\n" * self.unpacked)):
            with self.assertRaisesRegex(Unreadable, "start with --memory 1GB"):
                require_room(text, room)
        self.path.write_text(json.dumps([{"den": "2026-01-01", "kusy": at} for at in range(500)]))
        size = self.path.stat().st_size
        self.assertEqual(self.read(size * 13).rows.height, 500)
        with self.assertRaisesRegex(Unreadable, "save them as CSV or Parquet, or start with"):
            self.read(size * 11)
