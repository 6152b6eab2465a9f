"""Whose marks are: look-up against a plain loop, and a worked example of every sentence on marks."""

import datetime as dt
import unittest
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from ironmark.core.formula import parse
from ironmark.core.mark_lines import why_none
from ironmark.core.marks import (
    EVERYONE,
    TOGETHER,
    MarkEntry,
    Owner,
    candidates,
    look_up,
    narrowed,
    owner_of,
    piece_amounts,
    spread,
)
from ironmark.core.periods import Period, months, timeline
from ironmark.core.reading import read
from ironmark.core.readings import Kpi, Readings
from ironmark.core.why_nothing import no_mark
from ironmark.tables.columns import ColumnSource


class OwnerOfAPage(unittest.TestCase):
    def test_a_mark_that_is_set_on_a_page_is_that_of_what_it_reads(self) -> None:
        self.assertEqual(owner_of({}), TOGETHER)
        self.assertEqual(owner_of({"depot": (), "service": ("Plain",)}), Owner.member(service="Plain"))
        self.assertEqual(
            owner_of({"depot": ("East",), "service": ("Plain",)}), Owner.member(depot="East", service="Plain")
        )
        self.assertIsNone(owner_of({"depot": ("East", "West")}), "several together")
        self.assertIsNone(owner_of({"a": ("1",), "b": ("2",), "c": ("3",)}), "more segments than a mark has")


MEMBERS = {"depot": ("East", "North", "West"), "service": ("Express", "Plain"), "company": ("Only",)}
MAY = Period.parse("2026-05")
owners = st.sampled_from(
    [
        TOGETHER, EVERYONE, Owner.each("depot"), Owner.each("service"), Owner.member(depot="East"), Owner.member(service="Express"),
        Owner.member(depot="East", service="Express"), Owner.member(depot="nobody"),
    ]
)  # fmt: skip
books = st.lists(
    st.builds(
        MarkEntry,
        st.sampled_from(("target", "limit")),
        owners,
        st.integers(24_300, 24_320).map(Period),
        st.floats(-9, 9),
    ),
    max_size=14,
    unique_by=lambda entry: (entry.name, entry.owner, entry.since),
)


class LookUp(unittest.TestCase):
    @given(books, st.lists(st.integers(24_300, 24_325).map(Period), min_size=1, max_size=5, unique=True).map(sorted))
    def test_agrees_with_a_plain_loop(self, book: list[MarkEntry], periods: list[Period]) -> None:
        readings: list[dict[str, str]] = [{}, {"depot": "East"}, {"depot": "East", "service": "Express"}]
        for adds in (True, False):
            wanted = [candidates(of, MEMBERS, adds) for of in readings]
            days = np.array([period.start.toordinal() for period in periods])
            entry = look_up(book, "target", days, wanted, MEMBERS)
            for p, period in enumerate(periods):
                for k, keys in enumerate(wanted):
                    found = -1
                    for key in keys:
                        held = [
                            at for at, e in enumerate(book)
                            if e.name == "target" and e.since <= period
                            and (e.owner if e.owner.whose in ("each", "everyone") else frozenset(e.owner.of)) == key
                        ]  # fmt: skip
                        if held and found < 0:
                            found = max(held, key=lambda at: book[at].since)
                    self.assertEqual(entry[p, k], found)

    def test_whose_a_reading_may_be_held_to_in_order(self) -> None:
        pair = {"service": "Express", "depot": "East"}
        both, depot, service = (
            frozenset(pair.items()),
            frozenset({("depot", "East")}),
            frozenset({("service", "Express")}),
        )
        self.assertEqual(candidates(pair, MEMBERS, adds=True), [both])
        wider = [both, depot, service, Owner.each("depot"), Owner.each("service"), EVERYONE]
        self.assertEqual(candidates(pair, MEMBERS, adds=False), wider)
        self.assertEqual(candidates({"depot": "East"}, MEMBERS, adds=True), [depot, Owner.each("depot")])
        self.assertEqual(candidates({}, MEMBERS, adds=False), [frozenset(), Owner.each("company"), EVERYONE])

    def test_of_two_from_the_same_day_the_shorter_period_s_holds(self) -> None:
        book = [
            MarkEntry("t", TOGETHER, Period.parse("2026"), 1.0),
            MarkEntry("t", TOGETHER, Period.parse("2026-01"), 2.0),
        ]
        day = np.array([dt.date(2026, 1, 1).toordinal()])
        for some in (book, book[::-1]):
            entry = look_up(some, "t", day, [[frozenset()]], {})
            self.assertEqual(some[int(entry[0, 0])].value, 2.0)

    def test_two_segments_at_most_and_in_any_order(self) -> None:
        self.assertEqual(Owner.of_members({"b": "1", "a": "2"}), Owner.of_members({"a": "2", "b": "1"}))
        for of in ({}, {"a": "1", "b": "2", "c": "3"}):
            with self.assertRaises(ValueError):
                Owner.of_members(of)


class Narrowed(unittest.TestCase):
    def test_naming_all_is_naming_none_and_order_does_not_matter(self) -> None:
        for where, expected in (
            ({"service": ["Plain", "Express"], "depot": []}, {}),
            ({"depot": ["West", "East", "West"]}, {"depot": ("East", "West")}),
            ({"company": ["Only"]}, {}),
            ({"depot": ["nobody"]}, {"depot": ("nobody",)}),
            ({"depot": ["nobody", "East"]}, {"depot": ("East",)}),
            ({"elsewhere": ["x"]}, {"elsewhere": ("x",)}),
        ):
            self.assertEqual(narrowed(where, MEMBERS), expected)


def source() -> ColumnSource:
    """East and North run express and plain, West plain alone; in June West has no rows."""
    rows = [
        (dt.date(2026, month, 10), depot, service, fare, trips)
        for month in (5, 6)
        for depot, service, fare, trips in (
            ("East", "Express", 30.0, 1.0), ("East", "Plain", 50.0, 4.0), ("North", "Express", 20.0, 2.0),
            ("North", "Plain", 40.0, 3.0), ("West", "Plain", 60.0, 10.0),
        )
        if (month, depot) != (6, "West")
    ]  # fmt: skip
    frame = pl.DataFrame(rows, schema=["day", "depot", "service", "fare", "trips"], orient="row")
    return ColumnSource(frame, "day", ["depot", "service"], dt.date(2026, 6, 30))


SOURCE = source()
NATURES: dict[str, Any] = {"flow": "sum(fare)", "stock": "sum(fare)", "rate": "sum(fare) / sum(trips)"}


def entry(owner: Owner, value: float, since: str = "2026-01") -> MarkEntry:
    return MarkEntry("target", owner, Period.parse(since), value)


def taken(
    nature: str, book: Sequence[MarkEntry], key: str = "2026-05", by: str | None = None,
    where: Mapping[str, Sequence[str]] | None = None,
) -> Readings:  # fmt: skip
    kpi = Kpi("k", "K", parse(NATURES[nature]), nature=nature)  # type: ignore[arg-type]
    line = timeline(Period.parse(key), SOURCE.first, SOURCE.last)
    return read(kpi, SOURCE, book, ["target"], None, by=by, where=where, periods=line)


class Whose(unittest.TestCase):
    """Every sentence on whose a mark is, with figures for a pencil."""

    def mark(self, nature: str, book: Sequence[MarkEntry], key: str = "2026-05", **where: Any) -> float:
        found = taken(
            nature, book, key, where={s: names if isinstance(names, list) else [names] for s, names in where.items()}
        )
        p = found.period_index(Period.parse(key))
        assert p is not None
        return float(found.marks["target"][p, 0])

    EACH = [entry(Owner.each("depot"), 18.0), entry(Owner.member(depot="East"), 22.0)]

    def test_no_members_named_is_all_of_them_named(self) -> None:
        for nature, expected in (("flow", 22 + 18 + 18), ("stock", 22 + 18 + 18)):
            for where in ({}, {"depot": ["West", "North", "East"]}, {"service": ["Plain", "Express"]}):
                self.assertEqual(self.mark(nature, self.EACH, **where), expected, (nature, where))

    def test_one_member_takes_its_own_else_each_member_s(self) -> None:
        for nature in NATURES:
            self.assertEqual(self.mark(nature, self.EACH, depot="East"), 22)
            self.assertEqual(self.mark(nature, self.EACH, depot="North"), 18)

    def test_the_latest_on_or_before_the_period_holds(self) -> None:
        book = [
            *self.EACH,
            entry(Owner.member(depot="East"), 25.0, "2026-06"),
            entry(Owner.each("depot"), 1.0, "2026-07"),
        ]
        self.assertEqual([self.mark("flow", book, key, depot="East") for key in ("2026-05", "2026-06")], [22, 25])
        self.assertEqual(self.mark("flow", [entry(Owner.each("depot"), 1.0, "2026-06")], depot="East"), self.none())

    def none(self) -> Any:
        class Nan:
            def __eq__(self, other: object) -> bool:
                return isinstance(other, float) and np.isnan(other)

        return Nan()

    def test_a_part_is_not_held_to_the_whole_s_mark(self) -> None:
        for nature in ("flow", "stock"):
            self.assertEqual(self.mark(nature, self.EACH, depot="East", service="Express"), self.none())
        own = [*self.EACH, entry(Owner.member(service="Express", depot="East"), 7.0)]
        self.assertEqual(self.mark("flow", own, depot="East", service="Express"), 7)

    def test_a_rate_takes_the_nearest_wider_one_then_everyone_s(self) -> None:
        book = [*self.EACH, entry(EVERYONE, 5.0), entry(TOGETHER, 6.0)]
        self.assertEqual(self.mark("rate", book, depot="East", service="Express"), 22)
        self.assertEqual(self.mark("rate", book, depot="North", service="Express"), 18)
        self.assertEqual(self.mark("rate", book, service="Express"), 5)
        self.assertEqual(self.mark("rate", book), 6)  # all together's own goes before everyone's
        self.assertEqual(self.mark("rate", book[:-1]), 5)

    def test_all_together_takes_the_sum_of_its_members_or_their_weighted_mean(self) -> None:
        own = [
            entry(Owner.member(depot=name), value) for name, value in (("East", 10.0), ("North", 20.0), ("West", 40.0))
        ]
        self.assertEqual(self.mark("flow", own), 70)
        self.assertAlmostEqual(self.mark("rate", own), (5 * 10 + 5 * 20 + 10 * 40) / 20)
        self.assertEqual(self.mark("flow", own, depot=["North", "East"]), 30)
        self.assertAlmostEqual(self.mark("rate", own, depot=["East", "West"]), (5 * 10 + 10 * 40) / 15)
        self.assertAlmostEqual(
            self.mark("rate", own, depot=["East", "North"], service="Express"), (1 * 10 + 2 * 20) / 3
        )
        self.assertEqual(self.mark("flow", own, depot=["East", "North"], service="Express"), self.none())
        pairs = [entry(Owner.member(depot=name, service="Express"), 3.0) for name in ("East", "North")]
        self.assertEqual(self.mark("flow", pairs, depot=["East", "North"], service="Express"), 6)

    def test_only_when_every_member_with_rows_has_one(self) -> None:
        some = [entry(Owner.member(depot=name), 10.0) for name in ("East", "North")]
        self.assertEqual(self.mark("flow", some), self.none())
        self.assertEqual(self.mark("flow", some, "2026-06"), 20)  # West has no rows in June
        self.assertEqual(self.mark("flow", some, depot=["East", "West"]), self.none())

    def test_another_segment_s_members_do_as_well(self) -> None:
        some = [entry(Owner.member(depot="East"), 10.0), entry(Owner.each("service"), 4.0)]
        self.assertEqual(self.mark("flow", some), 8)

    def test_everyone_s_is_members_and_all_together_alike(self) -> None:
        for where in ({}, {"depot": "East"}, {"depot": ["East", "North"]}, {"depot": "East", "service": "Plain"}):
            self.assertEqual(self.mark("rate", [entry(EVERYONE, 5.0)], **where), 5)

    def test_several_members_of_a_rate_are_held_to_theirs_together(self) -> None:
        book = [entry(EVERYONE, 5.0), entry(Owner.member(depot="East"), 8.0)]
        self.assertAlmostEqual(self.mark("rate", book, depot=["East", "West"]), (5 * 8 + 10 * 5) / 15)

    def test_a_row_of_a_ledger_is_the_dial_of_that_row(self) -> None:
        book = [
            *self.EACH,
            entry(Owner.member(depot="East", service="Express"), 7.0),
            entry(Owner.each("service"), 3.0),
        ]
        for nature in NATURES:
            for where in ({}, {"service": ["Express"]}, {"service": ["Plain"], "depot": ["East", "West"]}):
                rows = taken(nature, book, by="depot", where=where)
                for m, name in enumerate(rows.members):
                    dial = taken(nature, book, where={**where, "depot": [str(name)]})
                    np.testing.assert_equal(rows.value[0, m], dial.value[0, 0])
                    np.testing.assert_equal(rows.marks["target"][0, m], dial.marks["target"][0, 0])

    def test_the_only_member_of_a_segment_is_everything(self) -> None:
        frame = pl.DataFrame({"day": [dt.date(2026, 5, 1)], "team": ["one"], "fare": [5.0]})
        rows = ColumnSource(frame, "day", ["team"], dt.date(2026, 5, 31))
        kpi = Kpi("k", "K", parse("sum(fare)"), nature="flow")
        for owner in (TOGETHER, Owner.member(team="one"), Owner.each("team")):
            for how in ({}, {"by": "team"}, {"where": {"team": ["one"]}}):
                found = read(kpi, rows, [entry(owner, 9.0)], ["target"], None, **how)  # type: ignore[arg-type]
                self.assertEqual(found.marks["target"].tolist(), [[9.0]], (owner, how))

    def test_the_mark_of_an_only_member_is_no_part_s(self) -> None:
        day = dt.date(2026, 5, 1)
        frame = pl.DataFrame({"day": [day] * 2, "team": ["one"] * 2, "depot": ["East", "West"], "fare": [5.0, 7.0]})
        rows = ColumnSource(frame, "day", ["team", "depot"], dt.date(2026, 5, 31))
        book = [entry(Owner.each("team"), 9.0), entry(Owner.member(depot="West"), 4.0)]
        found = read(Kpi("k", "K", parse("mean(fare)")), rows, book, ["target"], None, by="depot")
        np.testing.assert_equal(found.marks["target"][0], [np.nan, 4.0])

    def test_the_reason_names_what_is_missing(self) -> None:
        some = [entry(Owner.member(depot=name), 10.0) for name in ("East", "North")]
        for where, said in (
            ({}, "no target for all together, and West has none to add up or weigh"),
            ({"depot": ["West"]}, "no target for West in the mark book"),
            (
                {"depot": ["East"], "service": ["Express"]},
                "no target for East, Express: a part is not held to the whole’s target",
            ),
        ):
            found = taken("flow", some, where=where)
            self.assertEqual(no_mark(found, SOURCE, some, "target", 0, 0), said)
        self.assertEqual(why_none([], "target", True, {}, []), "no target in the mark book")


def flat(value: float, since: str = "2026-01") -> MarkEntry:
    return entry(TOGETHER, value, since)


class OverPeriods(unittest.TestCase):
    """Marks follow the period that is read, as its values do."""

    def mark(self, book: list[MarkEntry], key: str, nature: str, rows: ColumnSource = SOURCE) -> float:
        kpi = Kpi("k", "K", parse(NATURES[nature]), nature=nature)  # type: ignore[arg-type]
        found = read(kpi, rows, book, ["target"], None, periods=[Period.parse(key)])
        return float(found.lines["target"].value[0, 0])

    def test_a_flow_s_marks_add_up(self) -> None:
        book = [flat(10), flat(20, "2026-03")]
        self.assertEqual(self.mark(book, "2026-Q1", "flow"), 40)
        self.assertEqual(self.mark(book, "2026", "flow"), 220)
        self.assertEqual(self.mark([flat(10)], "2026-01..2027-12", "flow"), 240)
        self.assertAlmostEqual(self.mark(book, "2026-01-15", "flow"), 10 / 31)
        self.assertAlmostEqual(self.mark(book, "2026-W09", "flow"), 6 * 10 / 28 + 20 / 31)

    def test_a_yearly_amount_falls_to_its_months_by_their_days(self) -> None:
        book = [flat(365, "2026")]
        self.assertAlmostEqual(self.mark(book, "2026-02", "flow"), 28)
        line = months(dt.date(2026, 1, 1), dt.date(2026, 12, 31))
        self.assertAlmostEqual(sum(self.mark(book, p.key, "flow") for p in line), 365)
        self.assertAlmostEqual(self.mark([flat(7, "2026-W01")], "2026-03", "flow"), 31)
        self.assertEqual(self.mark([flat(365, "2026"), flat(1)], "2026-01", "flow"), 1)

    def test_a_year_s_marks_are_the_sum_of_its_months(self) -> None:
        # All together has none before May; until then its members' marks make it up.
        book = [entry(Owner.each("depot"), 5.0), flat(100, "2026-05")]
        months_of = [self.mark(book, f"2026-{m:02d}", "flow") for m in range(1, 13)]
        self.assertEqual(months_of, [15.0] * 4 + [100.0] * 8)
        self.assertEqual(self.mark(book, "2026", "flow"), sum(months_of))

    def test_a_part_without_a_mark_leaves_the_whole_without_one(self) -> None:
        for nature in ("flow", "rate"):
            self.assertTrue(np.isnan(self.mark([flat(10, "2026-02")], "2026-Q1", nature)))

    def test_a_stock_takes_its_last_mark(self) -> None:
        self.assertEqual(self.mark([flat(10), flat(20, "2026-03")], "2026-Q1", "stock"), 20)

    def test_of_a_year_under_way_a_stock_takes_the_mark_of_what_has_begun(self) -> None:
        book = [flat(10), flat(20, "2026-06"), flat(30, "2026-12")]
        self.assertEqual(self.mark(book, "2026", "stock"), 20)  # rows through June
        self.assertEqual(self.mark(book, "2026-Q4", "stock"), 30)  # all of it to come

    def test_a_rate_needs_no_mark_where_there_are_no_rows(self) -> None:
        # Rows in April and May; none before.
        book = [flat(0.8, "2026-04"), flat(0.9, "2026-06")]
        self.assertAlmostEqual(self.mark(book, "2026", "rate"), (20 * 0.8 + 10 * 0.9) / 30)
        self.assertEqual(self.mark([flat(0.8, "2026-04")], "2026", "rate"), 0.8)
        self.assertTrue(np.isnan(self.mark([flat(0.8, "2026-06")], "2026", "rate")))  # April has rows
        self.assertTrue(np.isnan(self.mark([flat(0.8, "2026-02")], "2026-Q1", "rate")))  # nothing has

    def test_a_stock_s_members_are_those_with_rows_in_the_whole_period(self) -> None:
        some = [entry(Owner.member(depot=name), 10.0) for name in ("East", "North")]
        self.assertTrue(np.isnan(self.mark(some, "2026-Q2", "stock")))  # West's level of May still counts
        self.assertEqual(self.mark(some, "2026-06", "stock"), 20)

    def test_a_rate_takes_the_one_it_has_throughout_else_the_mean_weighted(self) -> None:
        self.assertEqual(self.mark([flat(0.9)], "2026", "rate"), 0.9)
        book = [flat(0.8), flat(0.9, "2026-06")]
        self.assertAlmostEqual(self.mark(book, "2026-Q2", "rate"), (20 * 0.8 + 10 * 0.9) / 30)
        # Without rows there is nothing to weigh by but the days.
        self.assertAlmostEqual(
            self.mark([flat(0.8), flat(0.9, "2026-03")], "2026-Q1", "rate"), (59 * 0.8 + 31 * 0.9) / 90
        )

    def test_how_much_of_an_amount_falls_to_a_piece(self) -> None:
        months = [Period.parse(key) for key in ("2026-01", "2026-02", "2026-03")]
        self.assertEqual(piece_amounts(months, "month", 1).tolist(), [1, 1, 1])
        self.assertAlmostEqual(piece_amounts(months, "year", 1).sum(), 90 / 365)
        self.assertAlmostEqual(piece_amounts([Period.parse("2026-02-10")], "month", 1)[0], 1 / 28)


class Spread(unittest.TestCase):
    @given(st.floats(0, 1e9), st.lists(st.floats(0, 1e6), min_size=1, max_size=20), st.integers(0, 2))
    def test_adds_up_to_the_last_unit(self, total: float, weights: list[float], decimals: int) -> None:
        if sum(weights) <= 1e-9:
            return
        parts = spread(total, np.array(weights), decimals)
        self.assertEqual(
            round(float(parts.sum()), decimals), round(round(total * 10**decimals) / 10**decimals, decimals)
        )

    def test_the_largest_remainders_take_what_is_left(self) -> None:
        self.assertEqual(spread(10, np.array([1.0, 1, 1]), 0).tolist(), [4, 3, 3])
        self.assertEqual(spread(100, np.array([1.0, 2, 4]), 0).tolist(), [14, 29, 57])
