"""What going through many rows came to is kept beside them: a page says the same, and reads none of them."""

import datetime as dt
import gc
import json
import unittest
import weakref
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any
from unittest import mock

import polars as pl
from sqlalchemy import select

from ironmark.core.periods import Period
from ironmark.pages.authoring.from_rows import propose
from ironmark.pages.context import cells_keeper
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.context.source_registry import Sources
from ironmark.pages.datasets.summaries import summaries
from ironmark.pages.model.kpi import KpiBody
from ironmark.pages.model.page import Page
from ironmark.pages.model.scorecard import InstrumentBody, ScopeBody, ScorecardBody, SectionBody
from ironmark.pages.reading.read import read_page
from ironmark.store import dataset_versions, datasets, eyes, records
from ironmark.store.eyes import Eyes, Narrowed
from ironmark.store.worked_out import WorkedOut
from ironmark.tables import columns, pieces
from ironmark.tables.table import Column, Table
from ironmark.work.looking_ahead import look_ahead
from tests import world

# Mushroom growers: what was cut in which cellar, and how much of it was thrown away.
COLUMNS = (
    Column("päivä", "Päivä", "date", "period"),
    Column("kellari", "Kellari", "text", "segment"),
    Column("laji", "Laji", "text", "segment"),
    Column("sato_kg", "Sato (kg)", "number", "measure"),
    Column("hävikki_kg", "Hävikki (kg)", "number", "measure"),
)


def mushrooms(days: int = 400) -> Table:
    cellars, kinds = ("Ylä", "Ala", "Ö-halli"), ("herkkusieni", "osterivinokas")
    rows = [
        (dt.date(2025, 1, 1) + dt.timedelta(day), cellar, kind, 20.0 + day % 7 + 3 * at, 1.0 + (day * at) % 3)
        for day in range(days)
        for at, (cellar, kind) in enumerate((c, k) for c in cellars for k in kinds)
    ]
    return Table(pl.DataFrame(rows, schema=[column.name for column in COLUMNS], orient="row"), COLUMNS)


@contextmanager
def many() -> Iterator[None]:
    """Few rows are as many."""
    with (
        mock.patch.object(columns, "MANY_ROWS", 0),
        mock.patch.object(pieces, "MANY_ROWS", 0),
        mock.patch.object(columns.ColumnSource, "_is_wide", lambda *_: False),
    ):
        yield


class AtOnce:
    """A timer that is up as soon as it begins."""

    def __init__(self, _: float, work: Any, given: Any) -> None:
        self.daemon, self.start = True, lambda: work(*given)


class KeptRows(unittest.TestCase):
    def setUp(self) -> None:
        with Sources(world.engine()).changes() as session:
            self.key = dataset_versions.create(session, "Sienimö", "sienimö.csv", mushrooms()).id

        def away() -> None:
            with Sources(world.engine()).changes() as session:
                datasets.remove(session, self.key, datasets.get(session, self.key).version)

        self.addCleanup(away)
        for patched in (many(), mock.patch.object(cells_keeper.threading, "Timer", AtOnce)):
            patched.__enter__()
            self.addCleanup(patched.__exit__, None, None, None)

    def proposed(self, sources: Sources) -> Any:
        with sources.readings() as session:
            return propose(ReadingContext(sources, session), datasets.get(session, self.key))

    def no_rows(self) -> Any:
        return mock.patch.object(Sources, "rows_of", side_effect=AssertionError("the rows were read"))

    def test_what_is_proposed_is_known_after_a_start(self) -> None:
        said = self.proposed(Sources(world.engine()))
        self.assertGreater(len(said.sheets), 2)
        with self.no_rows():
            self.assertEqual(repr(self.proposed(Sources(world.engine()))), repr(said))

    def test_it_is_looked_ahead_while_rows_are_taken_in(self) -> None:
        look_ahead(Sources(world.engine()), self.key)
        with self.no_rows():
            self.assertGreater(len(self.proposed(Sources(world.engine())).sheets), 2)

    def test_what_its_kpis_read_is_looked_ahead_of_new_rows(self) -> None:
        body = KpiBody(handle="sieni", name="Sato", dataset=self.key, formula="sum(sato_kg) / sum(hävikki_kg)")
        with Sources(world.engine()).changes() as session:
            kpi = records.create(session, "kpi", body.model_dump(), name="Sato", key="sieni").id
        self.addCleanup(self.forget, kpi)
        instrument = InstrumentBody(id="i", kpi=kpi, by="kellari", face="ledger")
        card = ScorecardBody(title="Sienimö", sections=[SectionBody(id="s", instruments=[instrument])])

        def page() -> Page:
            sources = Sources(world.engine())
            with sources.readings() as session:
                return read_page(ReadingContext(sources, session), card, ScopeBody())

        before = page()
        with Sources(world.engine()).changes() as session:
            dataset_versions.refresh(session, self.key, None, "lisää.csv", mushrooms(500), "replace")
        look_ahead(Sources(world.engine()), self.key)
        with self.no_rows():
            after = page()
        self.assertEqual((before.period, after.period), ("2026-01", "2026-04"))
        self.assertEqual(repr(after), repr(page()))

    def forget(self, kpi: str) -> None:
        with Sources(world.engine()).changes() as session:
            records.remove(session, "kpi", kpi, records.get(session, "kpi", kpi).version)

    def test_what_stands_in_columns_is_known_after_a_start(self) -> None:
        def looks() -> Any:
            sources = Sources(world.engine())
            with sources.readings() as session:
                dataset = datasets.get(session, self.key)
                return summaries(sources, session, dataset, sources.rows_of(session, dataset))

        said = looks()
        self.assertEqual((said["päivä"].smallest, said["päivä"].largest), (dt.date(2025, 1, 1), dt.date(2026, 2, 4)))
        self.assertEqual((said["laji"].distinct, said["sato_kg"].smallest), (2, 20.0))
        gone_through = AssertionError("the rows were gone through")
        with mock.patch("ironmark.tables.column_looks.summaries", side_effect=gone_through):
            self.assertEqual(looks(), said)

    def test_a_fault_while_looking_ahead_takes_nothing_back(self) -> None:
        with mock.patch("ironmark.pages.authoring.from_rows.draft", side_effect=ZeroDivisionError("a fault of ours")):
            look_ahead(Sources(world.engine()), self.key)
        look_ahead(Sources(world.engine()), "gone")

    def test_what_was_kept_of_other_rows_or_by_another_program_is_not_taken(self) -> None:
        before = self.proposed(Sources(world.engine()))
        another = mock.patch.object(cells_keeper, "program", return_value="another")
        with another, self.no_rows(), self.assertRaisesRegex(AssertionError, "were read"):
            self.proposed(Sources(world.engine()))
        with Sources(world.engine()).changes() as session:
            dataset_versions.refresh(session, self.key, None, "uusi.csv", mushrooms(200), "replace")
            kept = session.scalars(select(WorkedOut.what).where(WorkedOut.dataset_id == self.key)).all()
        self.assertEqual(kept, [])
        after = self.proposed(Sources(world.engine()))
        self.assertNotEqual(repr(after), repr(before))
        with self.no_rows():
            self.assertEqual(repr(self.proposed(Sources(world.engine()))), repr(after))

    def test_who_may_read_some_rows_gets_nothing_of_all(self) -> None:
        sources = Sources(world.engine())
        self.proposed(sources)
        with sources.readings() as session:
            eyes.lend(session, Eyes(person="p", narrowed=((self.key, (("kellari", ("Ala",)),)),)))
            with self.assertRaises(Narrowed):
                propose(ReadingContext(sources, session), datasets.get(session, self.key))
            with self.no_rows():
                source = sources.source(session, datasets.get(session, self.key))
                self.assertEqual(source.members["kellari"], ("Ala",))
                found = source.aggregate((), "laji", {}, [Period.parse("2025-03")])
            self.assertEqual((found.members, found.rows.tolist()), (("herkkusieni", "osterivinokas"), [[31, 31]]))

    def test_what_is_given_up_is_gone_at_once(self) -> None:
        sources = Sources(world.engine())
        with sources.readings() as session:
            source = sources.source(session, datasets.get(session, self.key))
        held = weakref.ref(source)
        sources._held.clear()
        gc.disable()  # a server looks for cycles seldom
        self.addCleanup(gc.enable)
        del source
        self.assertIsNone(held())

    def test_every_page_of_the_demo_says_the_same_without_its_rows(self) -> None:
        said, found = {}, dict[str, Page]()
        with Sources(world.engine()).readings() as session:
            keys = [head.id for head in records.heads(session, "scorecard")]
        for pages in (said, found):
            sources = Sources(world.engine())
            read = mock.patch.object(Sources, "rows_of", autospec=True, side_effect=Sources.rows_of)
            for key in keys:
                with read as rows_read, sources.readings() as session:
                    context = ReadingContext(sources, session)
                    body = context.scorecard(key)
                    page = read_page(context, body, body.scope)
                    if context.is_cacheable and page.settled:
                        pages[key] = page
                    if pages is found and key == "network-performance":
                        self.assertEqual(
                            [call.args[2].id for call in rows_read.call_args_list if call.args[2].kind == "file"], []
                        )
        self.assertEqual(said.keys(), found.keys())
        self.assertGreater(len(said), 3)
        for key, page in said.items():
            self.assertEqual(page, found[key], key)

    def test_who_may_read_some_rows_is_told_the_same_from_cells_that_were_kept_of_all(self) -> None:
        with Sources(world.engine()).readings() as session:
            keys = [head.id for head in records.heads(session, "scorecard")]
            files = [one for one in datasets.list_all(session) if one.kind == "file" and "route" in one.segments]
        read = ("Hollin – Skarra", "Tarn Point – Lowsay")
        eye = Eyes(person="p", narrowed=tuple((one.id, (("route", read),)) for one in files))

        def pages(sources: Sources, whose: Eyes) -> dict[str, Any]:
            found = {}
            for key in keys:
                with sources.readings() as session:
                    eyes.lend(session, whose)
                    context = ReadingContext(sources, session)
                    body = context.scorecard(key)
                    page = json.loads(read_page(context, body, body.scope).to_json())
                    found[key] = page | {"rests_on": None}
            return found

        pages(Sources(world.engine()), Eyes())
        from_cells = Sources(world.engine())
        found = pages(from_cells, eye)
        with mock.patch.object(cells_keeper.CellsKeeper, "kept", return_value=None):
            plain = pages(Sources(world.engine()), eye)
        for key, page in plain.items():
            self.assertEqual(page, found[key], key)
        told = sum(
            isinstance(one, columns.ColumnSource) and bool(one._fine)
            for place, one in from_cells._held.items()
            if place[2]
        )
        self.assertGreater(told, 0)
