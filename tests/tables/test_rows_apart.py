"""Rows of some members are read apart from all others, of rows in pieces: they say what a frame of all says."""

import datetime as dt
import unittest
from collections.abc import Callable, Iterator
from contextlib import contextmanager, nullcontext
from dataclasses import replace
from typing import Any
from unittest import mock

import numpy as np
import polars as pl
from hypothesis import given, settings
from hypothesis import strategies as st

from ironmark.core import formula as f
from ironmark.core.expand import expand
from ironmark.core.formula_nodes import aggregates
from ironmark.core.periods import Period, timeline
from ironmark.core.readings import Totals
from ironmark.tables import by_cell, columns
from ironmark.tables import pieces as tables_pieces
from ironmark.tables.cells import NoPeriod, Within
from ironmark.tables.column_rows import ALL, RowsToRead
from ironmark.tables.columns import ColumnSource
from ironmark.tables.kept_cells import narrowed, packed, unpacked
from ironmark.tables.labels import labels_of
from ironmark.tables.pieces import Pieces, in_pieces

# Slate: when it was split, in which quarry, by which crew, on which floor, how many tons, and whether it rained.
SLATE = {
    "dyddiad": pl.Date, "chwarel": pl.String, "criw": pl.String, "llawr": pl.Float64, "glaw": pl.Boolean, "tunelli": pl.Float64,
}  # fmt: skip
SEGMENTS = ["chwarel", "criw", "llawr", "glaw"]
MEMBERS: dict[str, tuple[Any, ...]] = {
    "chwarel": ("Y Graig", "Pen-ŵyn", None), "criw": ("<b>Siân</b>", "Twm", "Łucja"), "llawr": (1.0, 2.5, None),
    "glaw": (True, False, None),
}  # fmt: skip
MERGED = {"criw": {"Łucja": "Twm"}}
LAST = dt.date(2027, 2, 20)
slate = st.lists(
    st.tuples(
        st.one_of(st.none(), st.dates(dt.date(2026, 12, 1), dt.date(2027, 3, 9))),
        *(st.sampled_from(MEMBERS[name]) for name in SEGMENTS),
        st.one_of(st.none(), st.floats(-1e4, 1e4)),
    ),
    min_size=1, max_size=30,
)  # fmt: skip
FORMULAS = (
    "sum(tunelli)", "mean(tunelli)", "median(tunelli)", "distinct(chwarel)", "distinct(criw where glaw = yes)", "stdev(tunelli)",
    "max(tunelli where llawr > 1)", "count(where chwarel is blank)", "rolling(distinct(criw), 2)", "level: sum(tunelli)", "share(count())",
)  # fmt: skip


def pieces(rows: pl.DataFrame, size: int) -> Pieces:
    """Rows as they are kept, so many to a piece."""
    bodies = [body for part in rows.iter_slices(size) for body, _ in in_pieces(part)]
    return Pieces(lambda: nullcontext(bodies), MERGED, rows.height)


def totals(source: ColumnSource, text: str, by: str | None, where: Any) -> Totals:
    periods = timeline(Period.of(source.last, "month"), source.first, source.last)
    asked = aggregates(expand(f.parse(text.removeprefix("level: "))))
    return source.aggregate([replace(a, last=text.startswith("level")) for a in asked], by, where, periods)


@contextmanager
def as_many() -> Iterator[None]:
    """Few rows are as many, and members as many beside them."""
    with (
        mock.patch.object(columns, "MANY_ROWS", 0),
        mock.patch.object(ColumnSource, "_is_wide", lambda _, some: bool([*some])),
    ):
        yield


def labels(*values: Any) -> tuple[str, ...]:
    found = {"1.0": "1"}
    return tuple(found.get(label, label) for label in labels_of(pl.Series(values)).to_list())


class Apart(unittest.TestCase):
    def same(self, one: Totals, other: Totals) -> None:
        self.assertEqual(one.members, other.members)
        np.testing.assert_array_equal(one.rows, other.rows)
        for key, part in one.parts.items():
            np.testing.assert_allclose(part, other.parts[key], rtol=1e-9, atol=1e-6)

    def sources(self, rows: pl.DataFrame, size: int, within: Within) -> tuple[ColumnSource, ColumnSource]:
        """Of a frame, and of pieces; the same refusal where nothing is to be read."""
        whole = rows.with_columns(pl.col("criw").replace(MERGED["criw"]))

        def made(of: pl.DataFrame | Pieces) -> ColumnSource:
            return ColumnSource(of, "dyddiad", SEGMENTS, LAST, within=within)

        try:
            plain = made(whole)
        except NoPeriod:
            with self.assertRaises(NoPeriod):
                made(pieces(rows, size))
            raise unittest.SkipTest("no rows") from None
        return plain, made(pieces(rows, size))

    @settings(max_examples=60, deadline=None)
    @given(slate, st.integers(1, 12), st.sampled_from(FORMULAS), st.data())
    def test_they_say_what_a_frame_says(self, data: list[Any], size: int, text: str, drawn: Any) -> None:
        rows = pl.DataFrame(data, schema=SLATE, orient="row")
        some = st.sampled_from([(), ("chwarel",), ("criw",), ("chwarel", "glaw"), ("llawr",)])
        within = tuple((name, labels(*MEMBERS[name][1:])) for name in drawn.draw(some))
        try:
            plain, apart = self.sources(rows, size, within)
        except unittest.SkipTest:
            return
        by = drawn.draw(st.sampled_from([None, *SEGMENTS]))
        where = {
            name: tuple(drawn.draw(st.lists(st.sampled_from([*plain.members[name], "neb"]), min_size=1, unique=True)))
            for name in drawn.draw(st.lists(st.sampled_from(SEGMENTS), unique=True))
        }
        with as_many():
            found = totals(apart, text, by, where)
            self.same(totals(plain, text, by, where), found)
            body = packed(apart.worth_keeping())
            if body is not None and not within:  # cells are kept of all rows alone
                read = RowsToRead(lambda: pieces(rows, size), "dyddiad", SEGMENTS, LAST, {}, ALL)
                kept = ColumnSource.of_cells(unpacked(body), LAST, SEGMENTS, ALL, read)
                self.same(found, totals(kept, text, by, where))

    def test_a_few_of_many_rows_are_read_alone_until_all_are_told_apart(self) -> None:
        known = ["chwarel", "criw"]
        rows = pl.DataFrame(
            [(dt.date(2026, 12, 1 + n % 28), f"Y Graig {n % 5}", f"Siân {n % 3}", None, None, n) for n in range(60)],
            schema=SLATE, orient="row",
        )  # fmt: skip
        whole = ColumnSource(rows, "dyddiad", known, LAST)
        totals(whole, "count()", None, {})
        body = packed(whole.worth_keeping())
        assert body is not None
        with mock.patch.object(columns, "MANY_ROWS", 0), mock.patch.object(columns, "finest", lambda *_: ()):
            read = RowsToRead(lambda: pieces(rows, 7), "dyddiad", known, LAST, {}, ALL)
            source, where = ColumnSource.of_cells(unpacked(body), LAST, known, ALL, read), {"chwarel": ("Y Graig 3",)}
            self.assertTrue(source.is_apart("month", ["chwarel"], where))
            found = totals(source, "count()", None, where)
            self.assertEqual((int(found.rows.sum()), source._rows_read), (12, None))
            totals(source, "count()", "chwarel", {})  # takes all of them
            self.assertFalse(source.is_apart("month", ["chwarel"], where))
            self.same(found, totals(source, "count()", None, where))

    @settings(max_examples=40, deadline=None)
    @given(slate, st.integers(1, 12), st.booleans())
    def test_which_members_share_rows(self, data: list[Any], size: int, narrowed: bool) -> None:
        rows = pl.DataFrame(data, schema=SLATE, orient="row")
        try:
            plain, apart = self.sources(rows, size, (("glaw", ("yes", "no")),) if narrowed else ())
        except unittest.SkipTest:
            return
        with as_many():
            for one in SEGMENTS:
                for other in SEGMENTS:
                    if one != other:
                        self.assertEqual(plain.within(one, other), apart.within(one, other), (one, other))

    @settings(max_examples=60, deadline=None)
    @given(slate, st.sampled_from(FORMULAS), st.data())
    def test_cells_of_all_rows_tell_those_of_some(self, data: list[Any], text: str, drawn: Any) -> None:
        """As if there were no others: members, first day and figures."""
        rows = pl.DataFrame(data, schema=SLATE, orient="row")
        names = drawn.draw(st.lists(st.sampled_from(["chwarel", "criw", "glaw"]), min_size=1, unique=True))
        within = tuple((name, labels(*MEMBERS[name][1:])) for name in sorted(names))
        try:
            plain, _ = self.sources(rows, 5, within)
        except unittest.SkipTest:
            return
        by = drawn.draw(st.sampled_from([None, *SEGMENTS]))
        where = {"glaw": ("yes", "no")} if drawn.draw(st.booleans()) and "glaw" in plain.members else {}
        few = drawn.draw(st.booleans())  # segments by whose cells all others are known
        with mock.patch.object(columns, "finest", lambda *_: tuple(sorted(SEGMENTS[: 3 if few else 4]))):
            whole = ColumnSource(pieces(rows, 7), "dyddiad", SEGMENTS, LAST)
            with (
                mock.patch.object(columns, "MANY_ROWS", 0),
                mock.patch.object(ColumnSource, "_is_wide", lambda *_: False),
            ):
                for unit in ("day", "month"):
                    whole.ahead(unit, ("criw",), aggregates(f.parse("mean(tunelli)")))
                whole.know_members()
                body = packed(whole.worth_keeping())
                assert body is not None
                kept = narrowed(unpacked(body), within)
            if kept is None:  # of several segments, which others share their rows is not known
                self.assertTrue(few and len(within) > 1)
                return
            self.assertEqual(kept.head, plain._head)
            read = RowsToRead(lambda: pieces(rows, 7), "dyddiad", SEGMENTS, LAST, {}, ALL, within)
            made = ColumnSource.of_cells(kept, LAST, SEGMENTS, ALL, read)
            self.same(totals(plain, text, by, where), totals(made, text, by, where))
            for one, other in (("chwarel", "criw"), ("llawr", "glaw"), ("criw", "llawr")):
                self.assertEqual(plain.within(one, other), made.within(one, other))

    @settings(max_examples=60, deadline=None)
    @given(
        slate,
        st.sampled_from(("distinct(criw)", "median(tunelli)")),
        st.sampled_from(("", "rolling", "to_date")),
        st.data(),
    )
    def test_what_sees_its_rows_together_against_a_loop(
        self, data: list[Any], plain: str, window: str, drawn: Any
    ) -> None:
        rows = pl.DataFrame(data, schema=SLATE, orient="row")
        until = drawn.draw(st.sampled_from([None, dt.date(2027, 1, 9)]))
        where = drawn.draw(st.sampled_from([{}, {"glaw": ("yes",)}]))
        try:
            source, _ = self.sources(rows, 5, ())
        except unittest.SkipTest:
            return
        text = {"": plain, "rolling": f"rolling({plain}, 2)", "to_date": f"to_date({plain})"}[window]
        asked = aggregates(expand(f.parse(text)))
        periods = timeline(Period.of(source.last, "month"), source.first, source.last)
        with mock.patch.object(by_cell, "MOST_TOGETHER", drawn.draw(st.sampled_from([2, 1000]))):
            found = source.aggregate(asked, "chwarel", where, periods, until)
        kept = rows.with_columns(pl.col("criw").replace(MERGED["criw"])).filter(
            pl.col("dyddiad").is_between(source.first, min(LAST, until or LAST))
        )
        for m, member in enumerate(found.members):
            for p, period in enumerate(periods):
                start = period.start
                if window == "rolling":
                    start = (period.start - dt.timedelta(1)).replace(day=1)
                elif window == "to_date":
                    start = period.start.replace(month=1)
                mine = kept.filter(
                    pl.col("dyddiad").is_between(start, period.end)
                    & (pl.col("chwarel").fill_null("(blank)") == member)
                    & (pl.col("glaw").fill_null(False) if where else pl.lit(True))
                )
                value = found.parts[asked[0]][p, m]
                one = mine["tunelli"].median() if "median" in plain else mine["criw"].drop_nulls().n_unique()
                before = window == "rolling" and start < source.first.replace(day=1)
                if one is None or before or not mine.height:
                    self.assertTrue(np.isnan(value), (member, period, value, one))
                else:
                    self.assertAlmostEqual(value, one)  # type: ignore[arg-type]

    def source(self, rows: Callable[[], Pieces], of: ColumnSource) -> ColumnSource:
        body = packed(of.worth_keeping())
        assert body is not None
        read = RowsToRead(rows, "dyddiad", SEGMENTS, LAST, {}, ALL)
        return ColumnSource.of_cells(unpacked(body), LAST, SEGMENTS, ALL, read)

    def test_members_that_share_rows_are_told_once_and_kept(self) -> None:
        rows = pl.DataFrame(
            [(dt.date(2027, 1, 5), "Y Graig", crew, 1.0, True, 2.0) for crew in ("Siôn", "Twm", "Ifan")], schema=SLATE, orient="row",
        )  # fmt: skip
        reads: list[int] = []

        def read() -> Pieces:
            reads.append(1)
            return pieces(rows, 2)

        with mock.patch.object(columns, "MANY_ROWS", 0), mock.patch.object(columns, "finest", lambda *_: ("glaw",)):
            first = ColumnSource(read(), "dyddiad", SEGMENTS, LAST)
            totals(first, "count()", "glaw", {})
            told: list[int] = []
            first.worked_out = lambda: told.append(1)
            first.know_members()
            self.assertTrue(told)
            again = self.source(read, first)
            reads.clear()
            self.assertEqual(again.within("criw", "chwarel")["Twm"], {"Y Graig"})
            self.assertEqual(again.within("chwarel", "criw")["Y Graig"], {"Siôn", "Twm", "Ifan"})
            self.assertEqual(reads, [], "a segment is asked of what was kept")

    def test_rows_beyond_the_room_are_not_read_apart(self) -> None:
        rows = pl.DataFrame(
            [(dt.date(2027, 1, 1 + at % 28), "Y Graig", f"C{at}", 1.0, True, float(at)) for at in range(500)], schema=SLATE, orient="row",
        )  # fmt: skip
        some = pieces(rows, 100)
        self.assertIsNone(some.of_members({"chwarel": ("Y Graig",)}, 1000))
        found = some.of_members({"criw": ("C7", "C400")}, 1000)
        assert found is not None
        self.assertEqual(found["tunelli"].to_list(), [7.0, 400.0])
        with as_many():
            made = ColumnSource(some, "dyddiad", SEGMENTS, LAST, room=1000)
            self.assertEqual(int(totals(made, "count()", None, {"chwarel": ("Y Graig",)}).rows.sum()), 500)

    def test_long_texts_are_kept_in_smaller_pieces(self) -> None:
        rows = pl.DataFrame({"criw": [f"C{at}" for at in range(100)], "sylw": ["glaw trwm " * 100] * 100})
        with mock.patch.object(tables_pieces, "PIECE_HELD", 10_000):
            made = [*in_pieces(rows)]
        self.assertGreater(len(made), 5)
        self.assertEqual(sum(height for _, height in made), 100)
        held = Pieces(lambda: nullcontext([body for body, _ in made]), {})
        self.assertTrue(held.select(["criw", "sylw"]).equals(rows))

    def test_each_piece_tells_its_first_and_last_member(self) -> None:
        """So those that have none of some members are left out."""
        rows = pl.DataFrame({"criw": [f"C{at:03}" for at in range(400)], "tunelli": [1.0] * 400})
        for body, first, last in zip([b for b, _ in in_pieces(rows)], [b"C000"], [b"C399"], strict=True):
            footer = body[-8 - int.from_bytes(body[-8:-4], "little") :]
            self.assertTrue(first in footer and last in footer)
