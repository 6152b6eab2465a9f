"""Cells that were kept say what the rows say, which are read for nothing but what these do not tell."""

import datetime as dt
import unittest
from collections.abc import Callable
from typing import Any
from unittest import mock

import numpy as np
import polars as pl
from hypothesis import given, settings
from hypothesis import strategies as st

from ironmark.core import formula as f
from ironmark.core.formula_nodes import aggregates
from ironmark.core.periods import Period, timeline
from ironmark.core.readings import Totals
from ironmark.tables import columns, kept_cells
from ironmark.tables.column_rows import ALL, RowsToRead
from ironmark.tables.columns import ColumnSource
from ironmark.tables.kept_cells import KeptCells, packed, unpacked
from ironmark.tables.pieces import Gone

# Hives: when they were looked into, where they stand, whose they are.
HIVES = {"dan": pl.Date, "lega": pl.String, "čebelar": pl.String, "med": pl.Float64, "rojenje": pl.Boolean}
LAST = dt.date(2027, 3, 31)
SEGMENTS = ["lega", "čebelar"]
hives = st.lists(
    st.tuples(
        st.dates(dt.date(2026, 12, 1), LAST),
        st.sampled_from(("Lipa", "Kostanj", None)),
        st.sampled_from(("Žiga", "Ančka", "Đuro")),
        st.one_of(st.none(), st.floats(-1e4, 1e4)),
        st.one_of(st.none(), st.booleans()),
    ),
    min_size=1, max_size=30,
)  # fmt: skip
FORMULAS = (
    "sum(med)", "count()", "count(where rojenje = yes)", "mean(med)", "min(med)", "max(med where rojenje = no)", "sum(med where lega is blank)",
)  # fmt: skip


def frame(data: list[Any]) -> pl.DataFrame:
    return pl.DataFrame(data, schema=HIVES, orient="row")


def totals(source: ColumnSource, text: str, by: str | None, where: Any) -> Totals:
    periods = timeline(Period.of(source.last, "month"), source.first, source.last)
    return source.aggregate(aggregates(f.parse(text)), by, where, periods)


def kept_of(source: ColumnSource) -> KeptCells:
    body = packed(source.worth_keeping())
    assert body is not None
    return unpacked(body)


def never() -> pl.DataFrame:
    raise AssertionError("the rows were read")


def of_cells(kept: KeptCells, rows: Callable[[], pl.DataFrame] = never) -> ColumnSource:
    return ColumnSource.of_cells(kept, LAST, SEGMENTS, ALL, RowsToRead(rows, "dan", SEGMENTS, LAST, {}, ALL))


class Kept(unittest.TestCase):
    def setUp(self) -> None:
        # As if these few rows were many, and their members few beside them.
        for patched in (
            mock.patch.object(columns, "MANY_ROWS", 0),
            mock.patch.object(columns, "FEW_ROWS", -1),
            mock.patch.object(ColumnSource, "_is_wide", lambda *_: False),
        ):
            patched.start()
            self.addCleanup(patched.stop)

    @settings(max_examples=40, deadline=None)
    @given(
        hives,
        st.sampled_from(FORMULAS),
        st.sampled_from((None, *SEGMENTS)),
        st.sampled_from(({}, {"lega": ("Lipa",)}, {"čebelar": ("Žiga", "Đuro")})),
    )
    def test_they_say_what_the_rows_say(self, data: list[Any], text: str, by: str | None, where: Any) -> None:
        source = ColumnSource(frame(data), "dan", SEGMENTS, LAST)
        said = totals(source, text, by, where)
        found = totals(of_cells(kept_of(source)), text, by, where)
        self.assertEqual((found.members, found.rows.tolist()), (said.members, said.rows.tolist()))
        for part, values in said.parts.items():
            np.testing.assert_array_equal(found.parts[part], values)

    def test_what_they_do_not_tell_is_read_and_worth_keeping_from_then_on(self) -> None:
        rows = frame([(dt.date(2027, 1, day), "Lipa", "Žiga", float(day), None) for day in (3, 5, 9)])
        source = ColumnSource(rows, "dan", SEGMENTS, LAST)
        totals(source, "count()", None, {})
        reads, told = [], []

        def read() -> pl.DataFrame:
            reads.append(1)
            return rows

        made = of_cells(kept_of(source), read)
        made.worked_out = lambda: told.append(1)
        totals(made, "count()", "lega", {})
        self.assertEqual((reads, told), ([], []))
        found = totals(made, "sum(med)", "lega", {})
        self.assertEqual(sum(float(part.sum()) for key, part in found.parts.items() if key.name == "sum"), 17.0)
        self.assertEqual(
            float(totals(made, "median(med)", None, {}).parts[aggregates(f.parse("median(med)"))[0]][0, 0]), 5.0
        )
        self.assertEqual((reads, told), ([1], [1]), "a median is no part of any")
        totals(of_cells(kept_of(made)), "sum(med) / count()", "čebelar", {"lega": ("Lipa",)})

    def test_rows_that_are_others_by_now_are_told(self) -> None:
        rows = frame([(dt.date(2027, 1, 3), "Lipa", "Žiga", 1.0, None)])
        source = ColumnSource(rows, "dan", SEGMENTS, LAST)
        totals(source, "count()", None, {})
        others = pl.concat([rows, rows])
        with self.assertRaisesRegex(Gone, "Look again"):
            totals(of_cells(kept_of(source), lambda: others), "sum(med)", None, {})

    def test_of_too_much_the_parts_that_were_asked_for_last_are_kept(self) -> None:
        rng = np.random.default_rng(5)
        rows = frame([(dt.date(2027, 1, 1 + at % 31), "Lipa", "Žiga", float(at), None) for at in range(400)])
        rows = rows.with_columns(pl.Series(f"x{at}", rng.normal(size=400)) for at in range(12))
        source = ColumnSource(rows, "dan", SEGMENTS, LAST)
        periods = timeline(Period.of(source.last, "day"), source.first, source.last)
        for at in range(12):
            source.aggregate(aggregates(f.parse(f"sum(x{at})")), None, {}, periods)
        whole = packed(source.worth_keeping())
        assert whole is not None
        with mock.patch.object(kept_cells, "MOST_BYTES", len(whole) - 1):
            (plain,) = kept_of(source).cells.values()
        self.assertIn("x11", "".join(plain.parts))
        self.assertNotIn("'x0'", "".join(plain.parts))
        with mock.patch.object(kept_cells, "MOST_BYTES", 10):
            self.assertIsNone(packed(source.worth_keeping()))
