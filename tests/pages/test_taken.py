"""Readings are worked out once while nothing that they rest on changes, and anew as soon as something does."""

import datetime as dt
import gc
import threading
import unittest
import weakref
from typing import Any

import polars as pl

from ironmark.core.marks import TOGETHER, MarkEntry
from ironmark.core.periods import Period
from ironmark.pages.context.fair_semaphore import Turns
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.context.source_registry import Sources
from ironmark.pages.drawing.draw import draw_page
from ironmark.pages.model.kpi import KpiBody
from ironmark.pages.model.page import Page
from ironmark.pages.model.scorecard import InstrumentBody, ScopeBody, ScorecardBody, SectionBody
from ironmark.pages.reading.read import read_page
from ironmark.store import dataset_versions, datasets, marks, records
from ironmark.store.marks import Change
from ironmark.tables.table import Column, Table
from tests import world
from tests.styles import ENGLISH
from tests.world import until

COLUMNS = (
    Column("day", "Day", "date", "period"), Column("pier", "Pier", "text", "segment"), Column("x", "X", "number", "measure"),
)  # fmt: skip


def rows(x: float) -> pl.DataFrame:
    days = [dt.date(2026, month, day) for month in range(1, 11) for day in (1, 28)]
    return pl.DataFrame({"day": days, "pier": ["n", "s"] * 10, "x": [x] * 20})


class Shared(unittest.TestCase):
    def setUp(self) -> None:
        world.running()
        self.sources = Sources(world.engine())
        with self.sources.changes() as session:
            self.dataset = dataset_versions.create(session, f"Piers {self.id()}", "p.csv", Table(rows(1.0), COLUMNS)).id
            base = KpiBody(handle="taken_base", name="Base", dataset=self.dataset, formula="sum(x)", nature="flow")
            of_base = base.model_copy(update={"handle": "taken", "name": "Taken", "formula": "@taken_base * 2"})
            self.base = records.create(session, "kpi", base.model_dump(), name="Base").id
            self.kpi = records.create(session, "kpi", of_base.model_dump(), name="Taken").id
            tide = {"name": "Tide", "states": [
                {"key": name.lower(), "name": name, "colour": colour, "sign": sign}
                for name, colour, sign in (("Ebb", "#B03A48", "far-under"), ("Flood", "#2F4E9E", "far-over"))
            ]}  # fmt: skip
            self.palette = records.create(session, "palette", tide, name="Tide").id
            body = {"name": "Y", "bands": ["short", "met"], "cuts": [{"mark": "target", "factor": 1.0}]}
            self.yardstick = records.create(session, "yardstick", body, name="Y").id
            marks.apply(session, self.kpi, [Change("target", TOGETHER, "2026-01", 3.0)], 0)
        self.addCleanup(self.clear)

    def clear(self) -> None:
        with self.sources.changes() as session:
            for kind, key in (("kpi", self.kpi), ("kpi", self.base), ("yardstick", self.yardstick), ("palette", self.palette)):  # fmt: skip
                records.remove(session, kind, key, records.get(session, kind, key).version)  # type: ignore[arg-type]
            marks.remove(session, self.kpi)
            datasets.remove(session, self.dataset, datasets.get(session, self.dataset).version)

    def page(self, sources: Sources, **tried: Any) -> Page:
        one = InstrumentBody(id="a", kpi=self.kpi, yardstick=self.yardstick, face="bullet", marks=["target"])
        card = ScorecardBody(title="T", sections=[SectionBody(id="s", instruments=[one])])
        with sources.readings() as session:
            context = ReadingContext(sources, session)
            if tried:
                context.try_mark(self.kpi, MarkEntry("target", TOGETHER, Period.parse("2026-01"), tried["target"]))
            return read_page(context, card, ScopeBody(period="2026-10"))

    def save(self, kind: Any, key: str, **slots: Any) -> None:
        with self.sources.changes() as session:
            held = records.get(session, kind, key)
            records.save(session, kind, key, {**held.body, **slots}, held.version)

    def test_the_same_question_is_answered_by_the_same_readings(self) -> None:
        taken = []
        for _ in range(2):
            with self.sources.readings() as session:
                context = ReadingContext(self.sources, session)
                periods = (Period.parse("2026-09"), Period.parse("2026-10"))
                taken.append(context.cached_readings(self.kpi, ["target"], None, by=None, where={}, periods=periods))
        self.assertIs(*taken)

    def test_whatever_changes_is_read_at_once(self) -> None:
        def change_mark() -> None:
            with self.sources.changes() as session:
                marks.apply(
                    session,
                    self.kpi,
                    [Change("target", TOGETHER, "2026-02", 5.0)],
                    marks.version(session, self.kpi),
                )

        def compute_mark() -> None:
            with self.sources.changes() as session:
                marks.compute(session, self.kpi, "target", "prior(@taken, 1) + 1", marks.version(session, self.kpi))
                change = Change("target", TOGETHER, "2026-01", None), Change("target", TOGETHER, "2026-02", None)
                marks.apply(session, self.kpi, change, marks.version(session, self.kpi))

        def refresh() -> None:
            with self.sources.changes() as session:
                saw = datasets.get(session, self.dataset).version
                dataset_versions.refresh(session, self.dataset, saw, "p.csv", Table(rows(4.0), COLUMNS), "replace")

        seen = [self.page(self.sources)]
        for change in (
            change_mark,
            lambda: self.save("kpi", self.base, formula="sum(x) + 7"),  # which the one that is read only names
            lambda: self.save("kpi", self.kpi, direction="lower"),
            lambda: self.save("yardstick", self.yardstick, cuts=[{"mark": "target", "factor": 0.5}]),
            lambda: self.save(
                "yardstick", self.yardstick, bands=[f"{self.palette}-{name}" for name in ("ebb", "flood")]
            ),
            compute_mark,
            refresh,
        ):
            change()
            page, fresh = self.page(self.sources), self.page(Sources(world.engine()))
            self.assertEqual(page.sheets, fresh.sheets)
            self.assertNotEqual(page.sheets, seen[-1].sheets)
            seen.append(page)

    def test_what_is_tried_is_seen_by_nobody_else(self) -> None:
        before = self.page(self.sources)
        tried = self.page(self.sources, target=9.0)
        self.assertNotEqual(tried.sheets, before.sheets)
        self.assertEqual(self.page(self.sources).sheets, before.sheets)

    def test_readings_do_not_hold_on_to_rows_that_were_replaced(self) -> None:
        self.page(self.sources)
        with self.sources.changes() as session:
            saw = datasets.get(session, self.dataset).version
            dataset_versions.refresh(session, self.dataset, saw, "p.csv", Table(rows(4.0), COLUMNS), "replace")
        self.page(self.sources)
        rows_read = {
            version for key in self.sources.taken.keys for name, version, _ in key.rows if name == self.dataset
        }
        self.assertEqual(rows_read, {saw + 1})

    def test_a_page_is_let_go_of_at_once(self) -> None:
        """What only the collector finds stays for hours: it is seldom asked, and the rows of earlier versions with it."""
        gc.collect()
        gc.disable()
        self.addCleanup(gc.enable)
        for key in (self.kpi, self.base):
            with self.sources.readings() as session:
                context = ReadingContext(self.sources, session)
                seen = weakref.ref(context)
                one = InstrumentBody(
                    id="a", kpi=key, yardstick=self.yardstick, face="bullet", marks=["target"], by="pier"
                )
                card = ScorecardBody(title="T", sections=[SectionBody(id="s", instruments=[one])])
                draw_page(read_page(context, card, ScopeBody(period="2026-10")), ENGLISH)
                context.assumed_by(key)
                del context
            self.assertIsNone(seen())


class InTurn(unittest.TestCase):
    def test_who_comes_first_goes_first(self) -> None:
        turns, went, threads = Turns(1), list[int](), []
        with turns:
            for at in range(6):

                def go(at: int = at) -> None:
                    with turns:
                        went.append(at)

                thread = threading.Thread(target=go)
                thread.start()
                threads.append(thread)
                while turns.waiting <= at:
                    thread.join(0.002)
        for thread in threads:
            thread.join(10)
        self.assertEqual(went, list(range(6)))
        with turns:
            self.assertEqual(turns.waiting, 0)

    def test_one_begins_beside_another_only_where_there_is_room(self) -> None:
        there_is = [False]
        turns, went = Turns(2, lambda: there_is[0]), list[str]()

        def go(name: str, behind: bool = False) -> threading.Thread:
            def work() -> None:
                with turns.behind() if behind else turns:
                    went.append(name)

            thread = threading.Thread(target=work)
            thread.start()
            return thread

        with turns.behind():
            go("a page").join(10)  # somebody waits for it: never only since something is worked out behind
            self.assertEqual(went, ["a page"])
        with turns:
            waiting = [go("behind", True), go("first"), go("second")]
            until(lambda: turns.waiting, lambda found: found == 3)
            self.assertEqual(went, ["a page"])
            there_is[0] = True
            waiting.append(go("last"))
            for thread in waiting:
                thread.join(10)
        self.assertEqual(set(went), {"a page", "behind", "first", "second", "last"})
        there_is[0] = False
        with turns:
            behind = go("behind again", True)
            until(lambda: turns.waiting, lambda found: found == 1)
            page = go("page again")
            until(lambda: turns.waiting, lambda found: found == 2)
        page.join(10)
        behind.join(10)
        self.assertEqual(turns.waiting, 0)
