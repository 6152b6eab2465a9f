"""One reading, one answer: what is read decides value, mark and state, never how it was asked for."""

import datetime as dt
import unittest
from typing import Any

import numpy as np
import polars as pl
from hypothesis import given, settings
from hypothesis import strategies as st

from ironmark.core.distances import gap_and_attainment, headroom
from ironmark.core.expand import as_level, expand
from ironmark.core.formula import parse
from ironmark.core.marks import EVERYONE, TOGETHER, MarkEntry, Owner
from ironmark.core.periods import Period
from ironmark.core.reading import read
from ironmark.core.readings import Kpi, Readings
from ironmark.core.yardstick import Cut, Yardstick
from ironmark.tables.columns import ColumnSource

DEPOTS, SERVICES = ("East", "North", "West"), ("Express", "Plain")
MEMBERS = {"depot": DEPOTS, "service": SERVICES}
FORMULAS = {
    "flow": ("sum(x)", "sum(x) - prior(sum(x))", "greatest(sum(x), 5)", "sum(1)"),
    "stock": ("sum(x)", "sum(x) / sum(y)", "to_date(sum(x))"),
    "rate": ("sum(x) / sum(y)", "mean(x)", "share(sum(x))", "median(x)", "year_ago(sum(x)) / sum(y)"),
}
rows = st.lists(
    st.tuples(
        st.dates(dt.date(2025, 1, 1), dt.date(2026, 4, 30)), st.sampled_from(DEPOTS), st.sampled_from(SERVICES),
        st.one_of(st.none(), st.integers(-20, 50).map(float)), st.integers(1, 9).map(float),
    ),
    min_size=3, max_size=40,
)  # fmt: skip
owners = st.one_of(
    st.sampled_from([TOGETHER, Owner.each("depot"), Owner.each("service")]),
    st.sampled_from(DEPOTS).map(lambda name: Owner.member(depot=name)),
    st.tuples(st.sampled_from(DEPOTS), st.sampled_from(SERVICES)).map(
        lambda of: Owner.member(depot=of[0], service=of[1])
    ),
)
entries = st.lists(
    st.builds(
        MarkEntry, st.sampled_from(("target", "limit")), owners, st.sampled_from(("2024-01", "2025-03", "2026", "2026-Q1")).map(Period.parse),
        st.integers(1, 60).map(float),
    ),
    max_size=8, unique_by=lambda entry: (entry.name, entry.owner, entry.since),
)  # fmt: skip
REGIONS = {"East": "Down", "North": "Up", "West": "Up"}
A_MARK = MarkEntry("target", TOGETHER, Period.parse("2024-01"), 9.0)
regional = st.builds(
    MarkEntry, st.just("target"), st.sampled_from([Owner.each("region"), Owner.member(region="Up"), EVERYONE]),
    st.sampled_from(("2024-01", "2026")).map(Period.parse), st.integers(1, 60).map(float),
)  # fmt: skip
kpis = st.sampled_from([(nature, text) for nature, texts in FORMULAS.items() for text in texts])
scopes = st.fixed_dictionaries(
    {}, optional={name: st.lists(st.sampled_from(every), min_size=1, unique=True) for name, every in MEMBERS.items()}
)
keys = st.sampled_from(("2026-04", "2026-02", "2026-Q1", "2026-Q2", "2025", "2026", "2025-11..2026-02"))
CUTS = Yardstick(("short", "near", "met"), (Cut(0, "target", 0.9), Cut(20.0)))


def source(data: list[Any], segments: list[str]) -> ColumnSource:
    frame = pl.DataFrame(data, schema=["day", "depot", "service", "x", "y"], orient="row").cast({"x": pl.Float64})
    frame = frame.with_columns(region=pl.col("depot").replace_strict(REGIONS, return_dtype=pl.String))
    return ColumnSource(
        frame,
        "day",
        segments,
        dt.date(2026, 4, 21)
        if max(r[0] for r in data) > dt.date(2026, 4, 21) and min(r[0] for r in data) <= dt.date(2026, 4, 21)
        else dt.date(2026, 4, 30),
    )


def taken(rows_: ColumnSource, kpi: tuple[str, str], book: list[MarkEntry], key: str, **how: Any) -> Readings:
    nature, text = kpi
    tree = expand(parse(text))
    if nature != "flow" and EVERYONE not in [entry.owner for entry in book] and text == "mean(x)":
        book = [*book, MarkEntry("target", EVERYONE, Period.parse("2024-01"), 33.0)]
    made = Kpi("k", "K", as_level(tree) if nature == "stock" else tree, nature=nature)  # type: ignore[arg-type]
    return read(made, rows_, book, ["target"], CUTS, periods=[Period.parse(key)], **how)


class OneAnswer(unittest.TestCase):
    def same(self, one: Readings, m: int, other: Readings, n: int = 0) -> None:
        pairs = [(one.value, other.value), (one.marks["target"], other.marks["target"])]
        pairs += zip(gap_and_attainment(one), gap_and_attainment(other), strict=True)
        pairs.append((headroom(one), headroom(other)))
        for mine, theirs in pairs:
            np.testing.assert_allclose(mine[0, m], theirs[0, n], rtol=1e-9, atol=1e-9)
        self.assertEqual(one.state(0, m), other.state(0, n))

    @settings(max_examples=120, deadline=None)
    @given(rows, kpis, entries, scopes, keys, st.randoms())
    def test_however_it_is_asked_for(
        self, data: list[Any], kpi: Any, book: Any, where: Any, key: str, rng: Any
    ) -> None:
        here = source(data, ["depot", "service"])
        one = taken(here, kpi, book, key, where=where)
        # All members named is none named.
        everything = {name: list(reversed(here.members[name])) for name in MEMBERS if name not in where}
        self.same(one, 0, taken(here, kpi, book, key, where={**everything, **where}))
        # Rows, members, entries and segments in another order.
        shuffled, members = data[:], {name: rng.sample(names, len(names)) for name, names in where.items()}
        rng.shuffle(shuffled)
        there = source(shuffled, ["service", "depot"])
        self.same(one, 0, taken(there, kpi, book[::-1], key, where=dict(reversed(members.items()))))
        # A ledger's row is the dial of that row, under whatever else the page is narrowed to.
        for by in MEMBERS:
            block = taken(here, kpi, book, key, by=by, where=where)
            for m, member in enumerate(block.members):
                self.same(block, m, taken(here, kpi, book, key, where={**where, by: [member]}))

    @settings(max_examples=50, deadline=None)
    @given(
        rows,
        kpis,
        st.lists(
            st.one_of(regional, entries.flatmap(lambda book: st.sampled_from(book or [A_MARK]))),
            max_size=8,
            unique_by=lambda e: (e.name, e.owner, e.since),
        ),
        keys,
    )
    def test_a_region_is_its_depots(self, data: list[Any], kpi: Any, book: Any, key: str) -> None:
        here = source(data, ["depot", "service", "region"])
        everything = [*here.members["region"], None]
        for region in everything:
            its = [depot for depot in here.members["depot"] if region in (None, REGIONS[depot])]
            where = {"region": [region]} if region else {}
            one = taken(here, kpi, book, key, where=where)
            for named in ({"depot": its}, {"depot": its, **where}):
                self.same(one, 0, taken(here, kpi, book, key, where=named))
            # A depot under its region's heading is that depot.
            block = taken(here, kpi, book, key, by="depot", where=where)
            for m, depot in enumerate(block.members):
                if depot in its:
                    self.same(block, m, taken(here, kpi, book, key, where={"depot": [depot]}))

    def test_a_region_without_marks_of_its_own_takes_those_of_its_depots(self) -> None:
        may = dt.date(2026, 4, 1)
        rows_ = [(may, depot, "Express", 10.0, y) for depot, y in (("East", 1.0), ("North", 1.0), ("West", 3.0))]
        here, april = source(rows_, ["depot", "region"]), "2026-04"
        book = [MarkEntry("target", Owner.member(depot=name), Period.parse("2026"), value)
                for name, value in (("East", 100.0), ("North", 10.0), ("West", 30.0))]  # fmt: skip
        rate = taken(here, ("rate", "sum(x) / sum(y)"), book, april, where={"region": ["Up"]})
        self.assertEqual(rate.marks["target"][0, 0], (10 * 1 + 30 * 3) / 4)
        stock = taken(here, ("stock", "sum(x)"), book, april, where={"region": ["Up"]})
        self.assertEqual(stock.marks["target"][0, 0], 40)
        own = [*book, MarkEntry("target", Owner.member(region="Up"), Period.parse("2026"), 7.0)]
        self.assertEqual(
            taken(here, ("stock", "sum(x)"), own, april, where={"depot": ["North", "West"]}).marks["target"][0, 0], 7
        )
        self.assertEqual(
            taken(here, ("rate", "mean(x)"), own[3:], april, where={"depot": ["West"]}).marks["target"][0, 0], 7
        )

    def test_a_member_without_rows_has_no_reading_of_a_window(self) -> None:
        here = source([(dt.date(2025, 1, 1), "North", "Express", 5.0, 1.0)] * 3, ["depot", "service"])
        for nature, text in (("stock", "to_date(sum(x))"), ("flow", "rolling(max(x), 2)")):
            for by in (None, "depot"):
                block = taken(here, (nature, text), [], "2025-01", by=by, where={"depot": ["East"]})
                self.assertFalse(np.isfinite(block.value).any())
        # Nor have several members that are not there a mark.
        book = [MarkEntry("target", Owner.each("depot"), Period.parse("2024-01"), 5.0)]
        for kpi in (("rate", "mean(x)"), ("flow", "sum(x)")):
            several = taken(here, kpi, book, "2025-01", where={"depot": ["East", "West"]})
            self.assertTrue(np.isnan(several.marks["target"]).all())

    @settings(max_examples=60, deadline=None)
    @given(rows, entries, scopes)
    def test_a_year_s_marks_are_the_sum_of_its_months(self, data: list[Any], book: Any, where: Any) -> None:
        here, kpi = source(data, ["depot", "service"]), ("flow", "sum(x)")
        for year in ("2025", "2026"):
            whole = taken(here, kpi, book, year, where=where).marks["target"][0, 0]
            months = [
                taken(here, kpi, book, f"{year}-{m:02d}", where=where).marks["target"][0, 0] for m in range(1, 13)
            ]
            begun = [mark for m, mark in enumerate(months, 1) if Period.parse(f"{year}-{m:02d}").start <= here.through]
            np.testing.assert_allclose(whole, sum(begun), rtol=1e-9)
