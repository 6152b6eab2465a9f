"""Many rows are read column by column, within the room there is: every page says the same."""

import datetime as dt
import io
import unittest
from contextlib import nullcontext
from unittest import mock

import polars as pl

from ironmark.api.start_options import bytes_of
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.context.source_registry import LEAST_MEMORY, Sources
from ironmark.pages.model.page import Page
from ironmark.pages.reading.read import read_page
from ironmark.store import datasets, records
from ironmark.tables import columns, pieces
from ironmark.tables.cells import NoPeriod
from ironmark.tables.column_rows import ALL, ColumnRows
from ironmark.tables.pieces import Pieces, Read
from tests import world

# Piano tuners, with a town that has no name, in two pieces.
TUNED = [
    pl.DataFrame({"Tag": ["2026-03-02", "2026-03-03"], "Ort": ["Ödt", None], "Klaviere": [3, 4]}),
    pl.DataFrame({"Tag": ["2026-03-04", None], "Ort": ["Oedt", "Ödt"], "Klaviere": [5, 9]}),
]


def parquet(frame: pl.DataFrame) -> bytes:
    buffer = io.BytesIO()
    frame.write_parquet(buffer)
    return buffer.getvalue()


def kept(pieces: list[bytes]) -> Read:
    return lambda: nullcontext(iter(pieces))


class ColumnByColumn(unittest.TestCase):
    def pages(self, sources: Sources) -> dict[str, Page]:
        found = {}
        with sources.readings() as session:
            keys = [head.id for head in records.heads(session, "scorecard")]
        for key in keys:
            with sources.readings() as session:
                context = ReadingContext(sources, session)
                body = context.scorecard(key)
                page = read_page(context, body, body.scope)
                if context.is_cacheable and page.settled:
                    found[key] = page
        return found

    def test_every_page_of_the_demo_says_the_same(self) -> None:
        plain = self.pages(Sources(world.engine()))
        small = Sources(world.engine(), memory=1)  # no room at all: one column, one dataset
        with mock.patch.object(pieces, "MANY_ROWS", 0):
            read = self.pages(small)
        self.assertEqual(plain.keys(), read.keys())
        self.assertGreater(len(plain), 3)
        for key, page in plain.items():
            self.assertEqual(page, read[key], key)
        self.assertEqual(len(small._held), 1)

    def test_rows_in_pieces_are_those_of_a_frame(self) -> None:
        parts = [part.with_columns(pl.col("Tag").str.to_date()) for part in TUNED]
        pieces = Pieces(kept([parquet(part) for part in parts]), {"Ort": {"Oedt": "Ödt"}})
        whole = datasets.merged(pl.concat(parts), {"Ort": {"Oedt": "Ödt"}})
        self.assertEqual(dict(pieces.schema), dict(whole.schema))
        self.assertTrue(pieces.select(["Ort", "Klaviere"]).equals(whole.select(["Ort", "Klaviere"])))

    def test_who_may_read_some_rows_is_told_no_member_of_others(self) -> None:
        parts = [
            part.with_columns(pl.col("Tag").str.to_date(), pl.Series("Art", ["Flügel", "Spinett"])) for part in TUNED
        ]
        pieces = Pieces(kept([parquet(part) for part in parts]), {})
        made = columns.ColumnSource(pieces, "Tag", ["Ort", "Art"], dt.date(2026, 3, 31), within=(("Ort", ("Oedt",)),))
        self.assertEqual((made.members, made.height), ({"Ort": ("Oedt",), "Art": ("Flügel",)}, 1))
        order = {"Ort": ["Ödt", "Nirgends"]}
        every = ColumnRows(pieces, "Tag", ["Ort"], dt.date(2026, 3, 31), order, ALL, ())
        self.assertEqual(every.members["Ort"], ("Ödt", "(blank)", "Oedt"))
        self.assertEqual(every.columns(["Ort"])[0].to_list(), ["Ödt", None, "Oedt"])

    def test_rows_that_were_given_up_are_told(self) -> None:
        with self.assertRaisesRegex(NoPeriod, "Look again"):
            Pieces(kept([]), {}).select(["Ort"])

    def test_columns_are_given_up_where_there_is_no_room(self) -> None:
        frame = pl.DataFrame({"day": pl.date_range(pl.date(2026, 1, 1), pl.date(2026, 3, 1), eager=True)})
        frame = frame.with_columns(pl.lit(float(at)).alias(f"x{at}") for at in range(9))
        made = ColumnRows(Pieces(kept([parquet(frame)]), {}), "day", [], frame["day"].max(), {}, 1000, ())  # type: ignore[arg-type]
        for at in range(9):
            self.assertEqual(made.columns([f"x{at}"])[0].sum(), at * 60.0)
        self.assertEqual(sorted(made._held), ["x7", "x8"])  # 488 bytes each

    def test_memory_is_told_in_words_people_use(self) -> None:
        self.assertEqual(bytes_of("", 1), 2 << 30)
        self.assertEqual(bytes_of("", 8), 8 * LEAST_MEMORY)
        for text, found in (("2GB", 2 << 30), ("1.5 gb", 3 << 29), ("800M", 800 << 20), ("16GiB", 16 << 30)):
            self.assertEqual(bytes_of(text, 1), found, text)
        for text in ("12", "2TB", "-1GB", "100MB", "lots"):
            with self.assertRaises(ValueError, msg=text):
                bytes_of(text, 1)
