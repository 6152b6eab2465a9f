"""The rows that pages read: who waits for whom, what is held, and when a live source closes."""

import datetime as dt
import gc
import shutil
import threading
import unittest
from dataclasses import replace
from typing import Any
from unittest import mock

import numpy as np
import polars as pl

from ironmark.core.formula import parse
from ironmark.core.formula_nodes import aggregates
from ironmark.core.periods import Period
from ironmark.pages.context import source_registry as held_sources
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.context.source_registry import Sources
from ironmark.store import scratch
from ironmark.store.datasets import StoredDataset
from ironmark.tables import columns, live_waiting
from ironmark.tables.columns import ColumnSource
from ironmark.tables.connections import LiveProblem
from ironmark.tables.folders import FolderSource, FolderTable, columns_of
from ironmark.tables.table import Column

DAY = dt.date(2026, 10, 31)
COLUMNS = (Column("day", "Day", "date", "period"), Column("x", "X", "number", "measure"))
FRAME = pl.DataFrame({"day": [dt.date(2026, 10, 1), DAY], "x": [1.0, 2.0]})


def dataset(key: str, version: int = 1, kind: str = "table") -> StoredDataset:
    return StoredDataset(key, version, key, version, 2, "", COLUMNS, (), DAY, dt.datetime(2026, 11, 1), kind)  # type: ignore[arg-type]


class Shares(unittest.TestCase):
    def test_the_program_takes_its_part_of_the_memory_first(self) -> None:
        """In each process, and once more where there are several; of little that is told less, since rows have to be held."""
        for memory, workers in ((2 << 30, 1), (2 << 30, 2), (8 << 30, 4), (16 << 30, 2)):
            each = held_sources.share_of(memory, workers)
            processes = workers + (workers > 1)
            self.assertLessEqual(each * workers + held_sources.OWN * processes, memory, (memory, workers))
            self.assertGreater(each, memory / workers / 3)
        self.assertEqual(held_sources.share_of(512 << 20, 1), 512 << 20)
        self.assertGreaterEqual(held_sources.share_of(1 << 30, 2), 200 << 20)


class RoomForPages(unittest.TestCase):
    def test_what_is_worked_out_behind_lets_pages_and_looks_go_first(self) -> None:
        sources, went_on = Sources(mock.MagicMock()), threading.Event()

        def behind() -> None:
            sources.make_way()
            went_on.set()

        for turns in (sources.turns, sources.looks):
            went_on.clear()
            with mock.patch.object(sources, "has_room", lambda: False):
                with turns:
                    thread = threading.Thread(target=behind)
                    thread.start()
                    self.assertFalse(went_on.wait(0.5))
                self.assertTrue(went_on.wait(30))
                thread.join()

    def test_a_page_of_very_many_readings_has_rows_make_room_until_it_is_done(self) -> None:
        sources = Sources(mock.MagicMock(), memory=1 << 30)
        held = mock.Mock(weight=400 << 20)
        held.lighten.side_effect = lambda: setattr(held, "weight", 90 << 20)
        sources._held = {mock.Mock(): held}  # type: ignore[dict-item]  # the last one used, which is never given up
        with sources.readings() as session:
            sources.make_room(session, 100)
            self.assertEqual((held.lighten.call_count, sources._lent), (0, 0))
            sources.make_room(session, 9_000)
            self.assertEqual((held.lighten.call_count, len(sources._held)), (1, 1))
            self.assertGreater(sources._lent, 300 << 20)
        self.assertEqual(sources._lent, 0)


class FakeLive:
    """A live source that says when it is closed."""

    def __init__(self) -> None:
        self.closed = threading.Event()
        self.first = self.last = self.through = DAY
        self.members: dict[str, Any] = {}

    def aggregate(self, *_: Any) -> str:
        if self.closed.is_set():
            raise AssertionError("asked after it was closed")
        return "totals"

    def close(self) -> None:
        self.closed.set()


class Held(unittest.TestCase):
    def setUp(self) -> None:
        self.sources = Sources(mock.MagicMock())

    def live(self, made: Any) -> Any:
        return mock.patch.object(Sources, "_patient", lambda *_: live_waiting.Patient("Live", made))

    def test_a_stalled_live_source_delays_no_other_dataset(self) -> None:
        stalled, asked = threading.Event(), threading.Event()
        self.addCleanup(stalled.set)

        def slow(*_: Any) -> Any:
            asked.set()
            stalled.wait(30)
            return live_waiting.Patient("Live", FakeLive)  # type: ignore[arg-type]

        with (
            mock.patch.object(Sources, "_patient", slow),
            mock.patch.object(held_sources.datasets, "rows", lambda *_: FRAME),
        ):
            waiting = threading.Thread(
                target=self.sources.source, args=(None, dataset("live", kind="live")), daemon=True
            )
            waiting.start()
            self.assertTrue(asked.wait(10))
            found: list[Any] = []
            other = threading.Thread(
                target=lambda: found.append(self.sources.source(None, dataset("rows"))), daemon=True
            )  # type: ignore[arg-type]
            other.start()
            other.join(10)
            self.assertTrue(found, "the rows in memory waited for the live source")
            stalled.set()
            waiting.join(10)

    def test_a_live_source_that_is_given_up_serves_who_still_reads_from_it(self) -> None:
        made: list[FakeLive] = []

        def make() -> Any:
            made.append(FakeLive())
            return made[-1]

        with self.live(make):
            first = self.sources.source(None, dataset("live", 1, "live"))  # type: ignore[arg-type]
            self.assertEqual(first.first, DAY)
            second = self.sources.source(None, dataset("live", 2, "live"))  # type: ignore[arg-type]
            self.assertIsNot(first, second)
            self.assertEqual(first.aggregate((), None, {}, (Period.parse("2026-10"),)), "totals")
            self.assertFalse(made[0].closed.is_set())
            del first
            gc.collect()
            self.assertTrue(made[0].closed.wait(10), "nobody reads from it, and it is still open")

    def test_an_old_live_source_serves_until_the_new_one_is_there(self) -> None:
        ready = threading.Event()
        self.addCleanup(ready.set)
        made: list[FakeLive] = []

        def make() -> Any:
            if made:
                ready.wait(30)
            made.append(FakeLive())
            return made[-1]

        with self.live(make):
            first: Any = self.sources.source(None, dataset("live", 1, "live"))  # type: ignore[arg-type]
            self.assertEqual(first.first, DAY)
            first._made_at -= live_waiting.FRESH_S + 1
            self.assertIs(self.sources.source(None, dataset("live", 1, "live")), first)  # type: ignore[arg-type]
            ready.set()
            for _ in range(500):
                now: Any = self.sources.source(None, dataset("live", 1, "live"))  # type: ignore[arg-type]
                if now is not first:
                    break
                threading.Event().wait(0.02)
            self.assertIsNot(now, first)
            self.assertEqual(now.first, DAY)
            self.assertEqual(len(made), 2)

    def test_everything_in_a_request_reads_one_generation(self) -> None:
        with self.live(FakeLive):
            context = ReadingContext(self.sources, None)  # type: ignore[arg-type]
            context._datasets["live"] = dataset("live", 1, "live")
            one: Any = context.source_of("live")
            one._made_at -= 10 * live_waiting.FRESH_S
            self.assertIs(context.source_of("live"), one)

    def test_several_first_readers_load_rows_once(self) -> None:
        loads, begun = [], threading.Barrier(8)

        def rows(*_: Any) -> pl.DataFrame:
            loads.append(1)
            threading.Event().wait(0.1)
            return FRAME

        found: list[Any] = []

        def read() -> None:
            begun.wait(10)
            found.append(self.sources.source(None, dataset("rows")))  # type: ignore[arg-type]

        with mock.patch.object(held_sources.datasets, "rows", rows):
            readers = [threading.Thread(target=read) for _ in range(8)]
            for reader in readers:
                reader.start()
            for reader in readers:
                reader.join(20)
        self.assertEqual((len(loads), len({id(one) for one in found}), len(found)), (1, 1, 8))

    def test_rows_are_held_by_their_weight(self) -> None:
        with mock.patch.object(held_sources.datasets, "rows", lambda *_: FRAME):
            self.sources.source(None, dataset("a"))  # type: ignore[arg-type]
            self.sources._most = sum(held.weight for held in self.sources._held.values()) * 2
            for key in "bcd":
                self.sources.source(None, dataset(key))  # type: ignore[arg-type]
            self.assertEqual(sorted(key for key, *_ in self.sources._held), ["c", "d"])
            self.sources.source(None, dataset("d", 2))  # type: ignore[arg-type]
            self.assertEqual(
                sorted(key[:2] for key in self.sources._held),
                [("c", 1), ("d", 2)],
                "an earlier version is not asked for again",
            )

    def test_rows_make_room_for_printers_and_come_back(self) -> None:
        with mock.patch.object(held_sources.datasets, "rows", lambda *_: FRAME):
            for key in "ab":
                self.sources.source(None, dataset(key))  # type: ignore[arg-type]
            each = next(iter(self.sources._held.values())).weight
            self.sources._most = 4 * each
            with self.sources.lent(3 * each):
                self.assertEqual([key for key, *_ in self.sources._held], ["b"])
                self.sources.source(None, dataset("c"))  # type: ignore[arg-type]
                self.assertEqual([key for key, *_ in self.sources._held], ["c"], "the one that is read stays")
            for key in "ab":
                self.sources.source(None, dataset(key))  # type: ignore[arg-type]
            self.assertEqual(sorted(key for key, *_ in self.sources._held), ["a", "b", "c"])

    def test_a_folder_is_read_anew_only_when_a_file_has_changed(self) -> None:
        folder = scratch.make("folder")
        self.addCleanup(shutil.rmtree, folder)
        # A nursery that writes a file a day, in Finnish.
        head = "päivä;laji;määrä\n"
        (folder / "a.csv").write_text(f"{head}2026-03-01;pihlaja;3\n2026-03-02;kuusi;4\n", encoding="utf-8")
        table = FolderTable(folder, columns_of(folder))
        passes: list[str] = []
        collected = FolderSource._collected

        def counted(source: FolderSource, frame: pl.LazyFrame) -> pl.DataFrame:
            passes.append("")
            return collected(source, frame)

        with mock.patch.object(FolderSource, "_collected", counted):
            first = self.sources._folder(dataset("taimisto", kind="live"), (), table, None)
            self.assertEqual(len(passes), 1, "its days and members are found in one pass")
            self.assertIs(self.sources._folder(dataset("taimisto", kind="live"), (), table, None), first)
            self.assertEqual(len(passes), 1)
            (folder / "b.csv").write_text(f"{head}2026-03-03;vaahtera;5\n", encoding="utf-8")
            second = self.sources._folder(dataset("taimisto", kind="live"), (), table, None)
            (folder / "b.csv").write_text(f"{head}2026-03-04;vaahtera;55\n", encoding="utf-8")
            third = self.sources._folder(dataset("taimisto", kind="live"), (), table, None)
        self.assertEqual([one.through.day for one in (first, second, third)], [2, 3, 4])
        self.assertEqual(second.members[table.columns[1].name], ("kuusi", "pihlaja", "vaahtera"))
        # What is among later rows alone is no member.
        early = self.sources._folder(dataset("taimisto", 2, kind="live"), (), table, dt.date(2026, 3, 2))
        self.assertEqual(
            (early.last, early.members[table.columns[1].name]), (dt.date(2026, 3, 2), ("kuusi", "pihlaja"))
        )
        with self.assertRaises(LiveProblem):
            for path in folder.iterdir():
                path.unlink()
            self.sources._folder(dataset("taimisto", 2, kind="live"), (), table, None)

    def test_typed_formulas_do_not_pile_up(self) -> None:
        source = ColumnSource(FRAME, "day", [], DAY)
        with mock.patch.object(columns, "MOST_PART_BYTES", 8 * 40):
            for at in range(200):
                wanted = aggregates(parse(f"sum(x * {at})"))
                totals = source.aggregate(wanted, None, {}, (Period.parse("2026-10"),))
                np.testing.assert_allclose(totals.parts[wanted[0]], [[3.0 * at]])
        (held,) = source._cells.values()
        self.assertLess(len(held.parts), 60)
        self.assertEqual(replace(held).parts, held.parts)
