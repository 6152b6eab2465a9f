"""Mark look-up, against a plain loop."""

import unittest
from typing import Any

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from ironmark.core.marks import TOGETHER, MarkEntry, amounts, look_up, over
from ironmark.core.periods import Period, months

MEMBERS = ("a", "b", "c")
entries = st.lists(
    st.builds(
        MarkEntry,
        name=st.sampled_from(("target", "limit")),
        segment=st.just("route"),
        member=st.sampled_from((*MEMBERS, None, "other")),
        since=st.integers(24_000, 24_040).map(Period),
        value=st.floats(-100, 100),
    ),
    max_size=14,
    unique_by=lambda entry: (entry.name, entry.member, entry.since),
).map(lambda found: [MarkEntry(e.name, e.segment if e.member else None, e.member, e.since, e.value) for e in found])


def by_hand(book: list[MarkEntry], name: str, period: Period, member: str | None) -> float:
    for who in (member, None):
        held = [e for e in book if e.name == name and e.member == who and e.since <= period]
        if held:
            return max(held, key=lambda entry: entry.since).value
    return float("nan")


class LookUp(unittest.TestCase):
    @given(entries, st.lists(st.integers(24_000, 24_045).map(Period), min_size=1, max_size=6, unique=True).map(sorted))
    def test_agrees_with_a_plain_loop(self, book: list[MarkEntry], periods: list[Period]) -> None:
        members: list[str | None] = [*MEMBERS, None]
        found = over(book, "target", periods, "rate", "route", members)
        for p, period in enumerate(periods):
            for m, member in enumerate(members):
                expected = by_hand(book, "target", period, member)
                np.testing.assert_equal(found.value[p, m], expected)
                if found.entry[p, m] >= 0:
                    self.assertEqual(book[found.entry[p, m]].value, expected)

    def test_a_member_of_another_segment_is_not_meant(self) -> None:
        book = [MarkEntry("target", "vessel", "a", MAY, 1.0)]
        self.assertEqual(look_up(book, "target", np.array([MAY.start.toordinal()]), "route", ["a"]).tolist(), [[-1]])

    def test_no_entry_before_the_period_is_no_mark(self) -> None:
        book = [MarkEntry("target", None, None, MAY, 1.0)]
        found = over(book, "target", [MAY.shift(-1), MAY], "rate", None, [None])
        np.testing.assert_equal(found.value[:, 0], [np.nan, 1.0])

    def test_all_together_has_its_own_line_which_no_member_takes(self) -> None:
        book = [MarkEntry("target", None, None, MAY, 10.0), MarkEntry("target", TOGETHER, TOGETHER, MAY, 60.0)]
        found = over(book, "target", [MAY], "flow", "route", ["a", None])
        self.assertEqual(found.value.tolist(), [[10.0, 60.0]])


MAY = Period.parse("2026-05")


def flat(value: float, since: str = "2026-01") -> MarkEntry:
    return MarkEntry("target", None, None, Period.parse(since), value)


class OverPeriods(unittest.TestCase):
    """Marks follow the period that is read, as its values do."""

    def mark(self, book: list[MarkEntry], key: str, nature: str, weigh: Any = None) -> float:
        found = over(book, "target", [Period.parse(key)], nature, None, [None], weigh)  # type: ignore[arg-type]
        return float(found.value[0, 0])

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
        self.assertAlmostEqual(sum(self.mark(book, p.key, "flow") for p in months(MAY.start, MAY.shift(11).end)), 365)
        self.assertAlmostEqual(self.mark([flat(7, "2026-W01")], "2026-03", "flow"), 31)
        self.assertEqual(self.mark([flat(365, "2026"), flat(1)], "2026-01", "flow"), 1)

    def test_a_part_without_a_mark_leaves_the_whole_without_one(self) -> None:
        for nature in ("flow", "rate"):
            self.assertTrue(np.isnan(self.mark([flat(10, "2026-02")], "2026-Q1", nature)))

    def test_a_stock_takes_its_last_mark(self) -> None:
        self.assertEqual(self.mark([flat(10), flat(20, "2026-03")], "2026-Q1", "stock"), 20)

    def test_a_rate_takes_the_one_it_has_throughout_else_the_mean_weighted(self) -> None:
        self.assertEqual(self.mark([flat(0.9)], "2026", "rate", lambda _: self.fail("nothing to weigh")), 0.9)
        book = [flat(0.8), flat(0.9, "2026-03")]
        weighed = self.mark(book, "2026-Q1", "rate", lambda pieces: np.array([[10.0], [20.0], [70.0]]))
        self.assertAlmostEqual(weighed, 0.3 * 0.8 + 0.7 * 0.9)
        by_days = self.mark(book, "2026-Q1", "rate", lambda pieces: None)
        self.assertAlmostEqual(by_days, (59 * 0.8 + 31 * 0.9) / 90)
        self.assertAlmostEqual(self.mark(book, "2026-Q1", "rate", lambda pieces: np.zeros((3, 1))), by_days)

    def test_how_many_months_a_period_holds(self) -> None:
        periods = [Period.parse(key) for key in ("2026-01", "2026-02")]
        self.assertEqual(amounts(periods, "month").tolist(), [1, 1])
        self.assertEqual(amounts([Period.parse("2026-Q1")], "month").tolist(), [3])
        self.assertAlmostEqual(amounts([Period.parse("2026-02-10")], "month")[0], 1 / 28)
        self.assertAlmostEqual(amounts([Period.parse("2026-Q1")], "year")[0], 90 / 365)
