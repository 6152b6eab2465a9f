"""What is derived, looked up and compared in many rows is gone through piece by piece, and comes to the same."""

import datetime as dt
import unittest
from typing import Any
from unittest import mock

import polars as pl

from ironmark.pages.context.source_registry import Sources
from ironmark.pages.datasets import changed_days
from ironmark.pages.datasets.lookup_columns import (
    DerivedBody,
    KeyBody,
    LookupBody,
    RowsThere,
    TakenBody,
    derive,
    look_up,
)
from ironmark.store import dataset_versions, datasets
from ironmark.tables import pieces
from ironmark.tables.table import Column, Table
from tests import world
from tests.styles import ENGLISH

# Kilns: what was fired in which, at how many degrees; and who looks after each.
FIRED = (
    Column("dag", "Dag", "date", "period"),
    Column("ugn", "Ugn", "text", "segment"),
    Column("grader", "Grader", "number", "measure"),
    Column("skålar", "Skålar", "number", "measure"),
)
KEEPERS = (Column("ugn", "Ugn", "text", "segment"), Column("mästare", "Mästare", "text", "segment"))


def fired(days: int = 300, more: float = 0.0) -> Table:
    rows = [
        (dt.date(2026, 1, 1) + dt.timedelta(day), kiln, 900.0 + day % 40 if day % 9 else None, 10.0 + day % 4 + more * (day == 77))
        for day in range(days)
        for kiln in ("Östra", "<b>Västra</b>", None)
    ]  # fmt: skip
    return Table(pl.DataFrame(rows, schema=[column.name for column in FIRED], orient="row"), FIRED)


class Many(unittest.TestCase):
    def setUp(self) -> None:
        with Sources(world.engine()).changes() as session:
            self.key = dataset_versions.create(session, "Ugnar", "ugnar.csv", fired()).id
            keepers = pl.DataFrame(
                {"ugn": ["Östra", "Södra"], "mästare": ["Åsa", "Gun"]}, schema={"ugn": pl.String, "mästare": pl.String}
            )
            self.other = dataset_versions.create(session, "Mästare", "m.csv", Table(keepers, KEEPERS)).id
        for key in (self.key, self.other):
            self.addCleanup(self.away, key)

    def away(self, key: str) -> None:
        with Sources(world.engine()).changes() as session:
            datasets.remove(session, key, datasets.get(session, key).version)

    def same(self, look: Any) -> Any:
        """What is seen of rows in memory, and of the same in pieces."""

        def seen() -> Any:
            sources = Sources(world.engine())
            with sources.readings() as session:
                return look(RowsThere(sources, session), datasets.get(session, self.key))

        plain = seen()
        in_memory = AssertionError("all rows were in memory")
        with (
            mock.patch.object(pieces, "MANY_ROWS", 0),
            mock.patch.object(pieces, "PIECE_ROWS", 100),
            mock.patch.object(datasets, "rows_of", side_effect=in_memory),
        ):
            self.assertEqual(seen(), plain)
        return plain

    def test_a_formula_is_tried_in_all_rows(self) -> None:
        for formula, kind in (
            ("grader > 920", "flag"), ("grader / skålar", "number"), ('if(grader > 920, "het", "ljum")', "text"),
            ("month(dag)", "text"),
        ):  # fmt: skip
            found = self.same(
                lambda there, dataset, formula=formula: derive(
                    there, dataset, DerivedBody(label="Ny", formula=formula, role="text"), ENGLISH
                )
            )
            self.assertEqual((found.type, len(found.first) > 0), (kind, True))
        self.assertEqual(sum(one.rows for one in found.values), 900)

    def test_few_rows_that_take_much_room_are_read_in_pieces_too(self) -> None:
        sources = Sources(world.engine())
        with sources.readings() as session:
            dataset = datasets.get(session, self.key)
            plain = sources.rows_of(session, dataset)
            assert isinstance(plain, pl.DataFrame)
            with mock.patch.object(datasets, "FEW_ROWS", 100), mock.patch.object(datasets, "MOST_PACKED", 1000):
                for heavy in (sources.rows_of(session, dataset), datasets.raw(session, dataset)):
                    self.assertIsInstance(heavy, pieces.Pieces)
                    self.assertTrue(heavy.select(plain.columns).equals(plain))
                self.assertIsInstance(sources.rows_of(session, datasets.get(session, self.other)), pl.DataFrame)

    def test_a_lookup_is_tried_in_all_rows(self) -> None:
        body = LookupBody(dataset=self.other, on=[KeyBody(here="ugn", there="ugn")], take=[TakenBody(column="mästare")])
        found = self.same(lambda there, dataset: look_up(there, dataset, body, ENGLISH))
        self.assertEqual((found.rows, found.found, found.blank, found.keys_missing), (900, 300, 300, 1))
        self.assertEqual([(one.name, one.rows) for one in found.missing], [("<b>Västra</b>", 300)])

    def test_days_that_changed_are_told_by_pieces(self) -> None:
        with Sources(world.engine()).changes() as session:
            dataset_versions.refresh(session, self.key, None, "ny.csv", fired(301, more=5.0), "replace")

        def days(there: RowsThere, _: object) -> list[dt.date]:
            changed_days._DAYS.clear()
            return changed_days.days_that_differ(there.session, self.key, 1, 2)

        found = self.same(days)
        self.assertEqual(found, [dt.date(2026, 3, 19), dt.date(2026, 10, 28)])
