"""Lists too long to be held: read by parts to what they come to as a whole, and refreshed so."""

import dataclasses
import datetime as dt
import io
import tempfile
import unittest
from contextlib import contextmanager
from pathlib import Path
from unittest import mock

import numpy as np
import polars as pl
from hypothesis import given, settings
from hypothesis import strategies as st

from ironmark.pages.context.source_registry import Sources
from ironmark.pages.datasets.intake import Reading
from ironmark.store import dataset_versions, datasets
from ironmark.store.datasets import StoredDataset
from ironmark.tables import column_looks, facts, files, long_lists, pieces, reader
from ironmark.tables.files import of_long, read_table
from ironmark.tables.findings import findings
from ironmark.tables.list_ends import list_ends, outer_lines
from ironmark.tables.long_lists import read_long
from ironmark.tables.table import LongTable, Table, Unreadable, complete_through
from tests import world
from tests.tables import test_reader


@contextmanager
def in_small_parts(bytes_at_a_time=300, different=4):  # type: ignore[no-untyped-def]
    with (
        mock.patch.object(long_lists, "AT_A_TIME", bytes_at_a_time),
        mock.patch.object(long_lists, "MOST_DIFFERENT", different),
        mock.patch.object(reader, "_SAMPLE", 120),
        tempfile.TemporaryDirectory() as folder,
    ):
        yield Path(folder)


def by_parts(body: bytes, folder: Path) -> LongTable | None:
    path, pieces = folder / "file", folder / "pieces"
    path.write_bytes(body)
    pieces.mkdir()
    long = read_long(path, pieces, lambda share: None)
    return long and of_long(long).table


def held_whole(body: bytes) -> Table:
    return files._with_units(reader._careful(body), files.units_given(body))


def brewery(rows: int) -> str:
    """A brewery's batches, as its program writes them."""
    rng = np.random.default_rng(rows)
    days = [dt.date(2025, 11, 3) + dt.timedelta(days=int(n)) for n in np.sort(rng.integers(0, 700, rows))]
    lines = ["Abgefüllt am;Sud;Sorte;Hektoliter;geprüft;Zeitpunkt;Anteil Bruch"]
    for at, day in enumerate(days):
        sort = ["Märzen", '"Böck; dunkel"', "Pils <script>", '"„Zwickl“ ""naturtrüb"""'][int(rng.integers(4))]
        liters = f"{int(rng.integers(1, 9))}.{int(rng.integers(100, 999))},{int(rng.integers(0, 99)):02d}"
        lines.append(
            f"{day:%d.%m.%Y};S-{at:06d};{sort};{liters};{'ja' if at % 3 else 'nein'};{day.isoformat()} 14:05;{at % 7}%"
        )
    return "\n".join(lines) + "\n"


class ByParts(unittest.TestCase):
    def same(self, long: LongTable, whole: Table) -> None:
        self.assertEqual(long.columns, whole.columns)
        self.assertTrue(long.rows.select(long.rows.columns).equals(whole.frame), whole.frame)
        self.assertEqual(findings(long.rows, long.columns), findings(whole.frame, whole.columns))
        self.assertEqual(complete_through(long.rows, long.columns), complete_through(whole.frame, whole.columns))

    @settings(max_examples=120)
    @given(st.data(), st.sampled_from((",", ";", "\t")), st.booleans())
    def test_the_same_by_parts_or_not_at_all(self, data: st.DataObject, separator: str, ends: bool) -> None:
        names = [name for name in test_reader.LargeFiles.CELLS if name != "money" or separator != ","]
        chosen = data.draw(st.lists(st.sampled_from(names), min_size=2, max_size=5, unique=True))
        rows = data.draw(
            st.lists(st.tuples(*(test_reader.LargeFiles.CELLS[name] for name in chosen)), min_size=8, max_size=60)
        )
        lines = [separator.join(chosen), *(separator.join(row) for row in rows)]
        body = ("\n".join(lines) + ("\n" if ends else "")).encode()
        with in_small_parts() as folder:
            around = list_ends(*outer_lines(body))  # what looks like a title or a note is left out of lists alone
            if (long := by_parts(body, folder)) is None or around.before or around.after:
                return
            whole = held_whole(body)
            # Where the first of many are words, words are kept, though the rest may be figures.
            pairs = [(one, other) for one, other in zip(long.columns, whole.columns, strict=True) if one.type == "text"]
            words = {one.name for one, other in pairs if other.type != "text"}
            self.assertLessEqual(words, {p.column for p in whole.problems if "left blank" in p.message})
            # And of more of them than are looked at together nobody knows how many there are.
            words |= {one.name for one, other in pairs if one != other and whole.frame[one.name].n_unique() > 4}
            if not words:
                self.same(long, whole)

    def test_a_brewery_with_decimal_commas_and_days_before_months(self) -> None:
        body = brewery(3000).encode()
        with in_small_parts(20_000, 1000) as folder:
            long = by_parts(body, folder)
            assert long is not None
            self.same(long, read_table(body).table)
            self.assertEqual([c.role for c in long.columns], ["period", "text", "segment", "measure", "flag", "text", "measure"])  # fmt: skip
            self.assertGreater(len(list((folder / "pieces").glob("*.parquet"))), 5)

    def test_a_table_gives_the_same_units_however_many_rows_it_has(self) -> None:
        def loads(rows: int) -> bytes:
            lines = [
                f"{1 + n % 28}.{1 + n % 12}.2025;Saha {n % 7};{n % 40},5;{30 + n % 9},25;{n % 900},90 €"
                for n in range(rows)
            ]
            return "\n".join(["Päivä;Saha;Tilavuus (m³);Kosteus %;Hinta", *lines]).encode()

        for rows in (12, 300, 3000, 120_000):  # looked at cell by cell, by its ends, and as a long list
            columns = read_table(loads(rows)).table.columns
            self.assertEqual([c.unit for c in columns], ["", "", "m³", "", "EUR"], rows)
        with in_small_parts(20_000, 1000) as folder:
            long = by_parts(loads(3000), folder)
            self.assertEqual(long and [c.unit for c in long.columns], ["", "", "m³", "", "EUR"])
            long = (
                by_parts(b"Sahan kuormat\n\n" + loads(3000), folder / "titled")
                if (folder / "titled").mkdir() is None
                else None
            )
            self.assertEqual(long and [c.unit for c in long.columns], ["", "", "m³", "", "EUR"])
        frame = read_table(loads(40)).table.frame.rename({"tilavuus_m3": "Tilavuus (m³)", "hinta": "Hinta in EUR"})
        buffer = io.BytesIO()
        frame.write_parquet(buffer)
        units = {c.label: c.unit for c in read_table(buffer.getvalue()).table.columns}
        self.assertEqual((units["Tilavuus (m³)"], units["Hinta in EUR"], units["kosteus"]), ("m³", "EUR", ""))

    def test_with_a_mark_of_its_encoding(self) -> None:
        body = b"\xef\xbb\xbf" + brewery(400).encode()
        with in_small_parts(20_000, 1000) as folder:
            long = by_parts(body, folder)
            assert long is not None
            self.same(long, read_table(body).table)

    def test_an_odd_cell_far_down_is_left_blank_and_told(self) -> None:
        plain = "11.12.2026;S-1;Pils;1.000,00;ja;2026-01-01 14:05;3%\n"
        for odd, said in (
            ("11.13.2026;S-1;Pils;1.000,00;ja;2026-01-01 14:05;3%\n", "1 of 2,002 cells are no date"),
            ("11.12.2026;S-1;Pils;viel;ja;2026-01-01 14:05;3%\n", "1 of 2,002 cells are no number"),
            ("11.12.2026;S-1;Pils;1.000,00;ja;2026-01-01 14:05\n", "1 row has another number of cells"),
            ('11.12.2026;S-1;5" Pils;1.000,00;ja;2026-01-01 14:05;3%\n', ""),
            (";;;;;;\n\n", ""),
            ("Abgefüllt am;Sud;Sorte;Hektoliter;geprüft;Zeitpunkt;Anteil Bruch\n", ""),
        ):
            body = (brewery(2000) + odd + plain).encode()
            with self.subTest(odd), in_small_parts(20_000, 1000) as folder:
                long = by_parts(body, folder)
                assert long is not None
                self.same(long, held_whole(body))
                found = [p.message for p in long.problems]
                self.assertEqual([said in message for message in found], [True] if said else [], found)

    def test_a_quote_that_does_not_end_and_it_is_not_read_by_parts(self) -> None:
        odd = '11.12.2026;S-1;"Pils;1.000,00;ja;2026-01-01 14:05;3%\n'
        with in_small_parts(20_000, 1000) as folder:
            self.assertIsNone(by_parts((brewery(2000) + odd).encode(), folder))

    def test_what_stands_above_a_list_and_below_it_is_left_out(self) -> None:
        above, below = "Sude 2025–2027\nQuelle: Sudhaus\n\n", "\nSumme;;;12.345,00;;;\nStand: gestern\n"
        body = (above + brewery(3000) + below).encode()
        plain = read_table(brewery(3000).encode()).table
        with in_small_parts(20_000, 1000) as folder:
            long = by_parts(body, folder)
            assert long is not None
            self.same(long, plain)
            self.assertEqual(
                long.problems[0].message,
                "“Sude 2025–2027”, “Quelle: Sudhaus”, “Summe” and 1 more: what stands above its head and below its rows was left out.",
            )
        odd = (above + brewery(3000) + "11.13.2026;S-1;Pils;1.000,00;ja;2026-01-01 14:05;3%\n").encode()
        with in_small_parts(20_000, 1000) as folder:
            long = by_parts(odd, folder)
            assert long is not None
            self.assertIn("stands above its head was left out", long.problems[0].message)
            self.assertEqual(odd.splitlines()[long.problems[1].rows[0] - 1][:10], b"11.13.2026")
        with mock.patch.object(files, "MOST_LOOKED_AT", 1000):
            self.assertEqual(read_table(body).table.columns, plain.columns)

    def test_many_figures_with_blanks_for_a_while(self) -> None:
        lines = [
            f"2026-03-{1 + n % 28:02d};{'' if 200 < n < 500 else f'{n},5'};{f'{n},25' if n > 600 else ''}"
            for n in range(900)
        ]
        body = ("Eguna;Litro;Prezioa\n" + "\n".join(lines)).encode()
        with in_small_parts(2000, 20) as folder:
            long = by_parts(body, folder)
            assert long is not None
            self.same(long, held_whole(body))
            self.assertEqual([c.type for c in long.columns], ["date", "number", "number"])

    def test_columns_that_turn_out_to_be_words_and_those_that_begin_blank(self) -> None:
        lines = [f"{1 + n % 28:02d}.03.2026;{n if n < 400 else f'K{n % 9}'};{n * 1.5 if n > 500 else ''};{'ja' if n < 600 else 'vielleicht'}" for n in range(900)]  # fmt: skip
        body = ("Eguna;Kodea;Litro;Ona\n" + "\n".join(lines)).encode()
        with in_small_parts(2000, 1000) as folder:
            long = by_parts(body, folder)
            assert long is not None
            self.same(long, held_whole(body))
            self.assertEqual([c.type for c in long.columns], ["date", "text", "number", "text"])

    def test_what_comes_late_may_tell_that_months_stand_first(self) -> None:
        lines = [f"0{n % 9 + 1}/04/2026,0{n % 9 + 1}/04/2026,{n},K{n % 5}\n" for n in range(900)]
        body = f"when,when,x,keg\n{''.join(lines)}04/25/2026,25/04/2026,1,K1\n".encode()
        with in_small_parts(3000, 1000) as folder:
            long = by_parts(body, folder)
            assert long is not None
            self.same(long, held_whole(body))
            self.assertEqual(long.rows.select(["when", "when_2"]).row(0), (dt.date(2026, 1, 4), dt.date(2026, 4, 1)))

    def test_parquet(self) -> None:
        frame = read_table(brewery(5000).encode()).table.frame.with_columns(
            pl.col("hektoliter").cast(pl.Float32).alias("Hl 32"),
            pl.lit(None, dtype=pl.List(pl.Int64)).alias("liste"),
            pl.when(pl.int_range(pl.len()) % 9 == 0)
            .then(float("nan"))
            .otherwise(pl.int_range(pl.len()))
            .alias("mit NaN"),
            pl.duration(seconds=pl.int_range(pl.len()) % 900).alias("Dauer"),
        )
        body = io.BytesIO()
        frame.write_parquet(body, row_group_size=700)
        with in_small_parts() as folder, mock.patch.object(pieces, "PIECE_ROWS", 333):
            long = by_parts(body.getvalue(), folder)
            assert long is not None
            self.same(long, read_table(body.getvalue()).table)
            self.assertEqual(long.rows.select(["dauer"])["dauer"][90], 1.5)
            self.assertIn("in minutes", long.problems[0].message)
            damaged = body.getvalue()[:-200] + b"\0" * 200
            with self.assertRaisesRegex(Unreadable, "damaged"):
                read_long(folder / "none.parquet", folder, lambda share: None) if (folder / "none.parquet").write_bytes(damaged) else None  # fmt: skip

    def test_what_cannot_be_read_by_parts_and_does_not_fit_is_refused_with_a_way_out(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            path = Path(name) / "brewery.csv"
            path.write_text(brewery(2000))
            size, by_hand = path.stat().st_size, Reading(decimal="comma")  # what is said by hand is of all cells
            (Path(name) / "pieces").mkdir()
            with self.assertRaisesRegex(Unreadable, "as Parquet, or start with --memory 1GB"):
                by_hand.of_file(path, "brewery.csv", Path(name) / "pieces", size * 3)
            read = by_hand.of_file(path, "brewery.csv", Path(name) / "pieces", size * 5)
            self.assertEqual(read.table.rows.height, 2000)


class OneFile(unittest.TestCase):
    def test_pieces_go_into_one_file_and_come_back_as_they_were(self) -> None:
        frame = read_table(brewery(3000).encode()).table.frame
        with tempfile.TemporaryDirectory() as name, mock.patch.object(pieces, "PIECE_ROWS", 400):
            folders = [Path(name) / str(at) for at in range(5)]
            for folder in folders:
                folder.mkdir()
            kept = pieces.filed(folders[0], pieces.in_pieces(frame))
            bodies = [pieces.one_file(kept, folder) for folder in folders[1:3]]
            self.assertEqual(*bodies)
            self.assertTrue(pl.read_parquet(io.BytesIO(bodies[0])).equals(frame))
            with mock.patch.object(pieces, "MANY_ROWS", 0):
                again = pieces.of_one_file(bodies[0], folders[3])
            assert isinstance(again, pieces.Pieces)
            self.assertTrue(again.select(again.columns).equals(frame))
            for offset, length in ((0, 5), (398, 10), (2995, 50), (3000, 1), (5000, 10)):
                self.assertTrue(again.slice(offset, length).equals(frame.slice(offset, length)), offset)


class Looked(unittest.TestCase):
    """What the page of a dataset shows of many rows is what it shows of few."""

    def test_rows_and_columns(self) -> None:
        few = read_table(brewery(2500).encode()).table
        frame = few.frame.with_columns(
            pl.when(pl.int_range(pl.len()) % 11 > 0).then(pl.col("hektoliter")).alias("hektoliter")
        )
        with tempfile.TemporaryDirectory() as name, mock.patch.object(pieces, "PIECE_ROWS", 300):
            many = pieces.filed(Path(name), pieces.in_pieces(frame))
            for sort in (None, *frame.columns):
                for down in (False, True):
                    for offset, limit, text in ((0, 12, ""), (0, 500, "böck"), (290, 40, ""), (30, 700, "S-0001"), (2490, 30, ""), (9000, 5, "")):  # fmt: skip
                        ask = offset, limit, sort, down, text
                        mine, theirs = (column_looks.some_rows(rows, *ask) for rows in (many, frame))
                        self.assertEqual(mine.total, theirs.total, ask)
                        self.assertTrue(mine.rows.equals(theirs.rows), ask)
            for most in (10**6, 3):
                with mock.patch.object(column_looks, "MOST_COUNTED", most):
                    for column in few.columns:
                        mine, theirs = (column_looks.look_at(rows, column.name, column.type) for rows in (many, frame))
                        self.assertAlmostEqual(mine.mean or 0, theirs.mean or 0)
                        counts = None if most == 3 and mine.counts is None else sorted(theirs.counts or [])
                        self.assertEqual(
                            None if mine.counts is None and most == 3 else sorted(mine.counts or []), counts
                        )
                        self.assertEqual(
                            dataclasses.replace(mine, mean=None, counts=None),
                            dataclasses.replace(theirs, mean=None, counts=None),
                        )
            with mock.patch.object(column_looks, "FURTHEST", 100), self.assertRaises(column_looks.TooFar):
                column_looks.some_rows(many, 95, 10, "sud", down=False, text="")

    def test_a_draft_takes_many_rows_for_what_they_are(self) -> None:
        few = read_table(brewery(2500).encode()).table
        segments = [c.name for c in few.columns if c.role == "segment"]
        with tempfile.TemporaryDirectory() as name, mock.patch.object(pieces, "PIECE_ROWS", 300), mock.patch.object(facts, "LOOKED_AT", 170):  # fmt: skip
            many = pieces.filed(Path(name), pieces.in_pieces(few.frame))
            self.assertEqual(facts.facts_of(many, few.columns), facts.facts_of(few.frame, few.columns))
            self.assertFalse(facts.is_panel(many, "abgefüllt_am", segments))
            self.assertTrue(
                facts.is_panel(many, "abgefüllt_am", ["sud"]) == facts.is_panel(few.frame, "abgefüllt_am", ["sud"])
            )


class Refreshed(unittest.TestCase):
    """Rows that are many go the same way as few ones, step for step."""

    def setUp(self) -> None:
        world.running()
        self.sessions = Sources(world.engine())
        self.made: list[str] = []

    def tearDown(self) -> None:
        with self.sessions.changes() as session:
            for key in self.made:
                datasets.remove(session, key, datasets.get(session, key).version)

    def taken_in(self, body: str, into: str | None, how: str, *, many: bool) -> StoredDataset:
        with (
            in_small_parts(5000, 1000) as folder,
            mock.patch.object(pieces, "MANY_ROWS", 0 if many else 10**9),
        ):
            table = by_parts(body.encode(), folder) if many else read_table(body.encode()).table
            assert table is not None
            with self.sessions.changes() as session:
                if into is None:
                    stored = dataset_versions.create(session, "Brewery", "b.csv", table)
                    self.made.append(stored.id)
                else:
                    stored = dataset_versions.refresh(session, into, None, "b.csv", table, how)  # type: ignore[arg-type]
        return stored

    def test_step_for_step(self) -> None:
        few, many = (self.taken_in(brewery(400), None, "", many=one) for one in (False, True))
        head, *lines = brewery(900).splitlines(keepends=True)
        steps = (
            ("append", "".join([head, *lines[500:600]])),
            ("append", "".join([head, *lines[500:600]])),  # the same once more: nothing of it is kept
            ("periods", "".join([head, *lines[200:260]])),
            ("append", head.replace("Sud", "Sud;Keller").replace("Sud;Keller", "Keller;Sud") + "".join(
                ";".join([line.split(";")[0], "K 2", *line.split(";")[1:]]) for line in lines[600:700]
            )),
            ("replace", brewery(700)),
            ("replace", brewery(700)),
        )  # fmt: skip
        for how, body in steps:
            with self.subTest(how):
                try:
                    few = self.taken_in(body, few.id, how, many=False)
                except Unreadable as error:
                    with self.assertRaisesRegex(Unreadable, str(error)[:40]):
                        self.taken_in(body, many.id, how, many=True)
                    continue
                many = self.taken_in(body, many.id, how, many=True)
                for what in ("version", "rows_version", "row_count", "columns", "problems", "through"):
                    self.assertEqual(getattr(few, what), getattr(many, what), what)
                with self.sessions.readings() as session:
                    frames = [datasets.rows(session, one) for one in (few, many)]
                    told = [datasets.versions(session, one.id)[0].changes for one in (few, many)]
                self.assertTrue(frames[0].equals(frames[1]))
                self.assertEqual(*told)

    def test_another_type_is_refused_and_a_number_becomes_a_text(self) -> None:
        first = "day,code,x\n" + "".join(f"2026-01-{n % 28 + 1:02d},A{n},{n}\n" for n in range(60))
        few, many = (self.taken_in(first, None, "", many=one) for one in (False, True))
        words = "day,code,x\n" + "".join(f"2026-02-{n % 28 + 1:02d},A{n},many\n" for n in range(60))
        numbers = "day,code,x\n" + "".join(f"2026-03-{n % 28 + 1:02d},{n}.5,{n}\n" for n in range(60))
        for one, is_many in ((few, False), (many, True)):
            with self.assertRaisesRegex(Unreadable, "“x” holds numbers so far, and texts"):
                self.taken_in(words, one.id, "append", many=is_many)
            stored = self.taken_in(numbers, one.id, "append", many=is_many)
            with self.sessions.readings() as session:
                self.assertEqual(datasets.rows(session, stored)["code"].to_list()[-1], "59.5")
