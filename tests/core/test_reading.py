"""Readings from totals: values, marks, partial periods, grades, words of how they came about."""

import datetime as dt
import unittest
from collections.abc import Sequence

import numpy as np

from ironmark.core import formula as f
from ironmark.core import formula_nodes
from ironmark.core.distances import gap_and_attainment
from ironmark.core.evaluate import evaluate
from ironmark.core.marks import EVERYONE, TOGETHER, MarkEntry, Owner
from ironmark.core.numbers import Unit
from ironmark.core.periods import PartSoFar, Period, latest_complete, part_of
from ironmark.core.reading import read, regrade
from ironmark.core.readings import Kpi, Members, Totals
from ironmark.core.workings import figure, in_numbers
from ironmark.core.yardstick import NO_READING, NOT_GRADED, Cut, Yardstick
from tests.styles import ENGLISH

OCTOBER = Period.parse("2026-10")
LONG_AGO = Period.parse("2001-01")
GRADES = Yardstick(("short", "near", "met"), (Cut(0, "target", 0.9), Cut(0, "target")))


class Fixed:
    """A source with given totals of one aggregate by month: (P, M), NaN where there are no rows."""

    def __init__(self, values: list[list[float]], members: Sequence[str | None], through: dt.date) -> None:
        self.values, self.through = np.array(values), through
        self.names, self.members, self.grain = tuple(members), {"route": ("a", "b", "c")}, "day"
        self.first, self.last = OCTOBER.start, OCTOBER.shift(len(values) - 1).end

    def aggregate(
        self,
        wanted: Sequence[formula_nodes.Aggregate],
        by: str | None,
        where: Members,
        periods: Sequence[Period],
        until: dt.date | None = None,
    ) -> Totals:
        names = self.names if by is None or len(self.names) > 1 else tuple(where.get(by, self.members[by]))
        values = np.full((len(periods), len(names)), np.nan)
        for p, period in enumerate(periods):
            if (at := period.ordinal - OCTOBER.ordinal) in range(len(self.values)):
                values[p] = self.values[at]
        return Totals(tuple(periods), names, np.where(np.isnan(values), 0, 3), {a: values for a in wanted})

    def within(self, segment: str, other: str) -> dict[str, frozenset[str]]:
        return {}


def flow(nature: str = "flow", direction: str = "higher") -> Kpi:
    return Kpi("revenue", "Revenue", f.parse("sum(fare)"), Unit(), direction, nature)  # type: ignore[arg-type]


class Periods(unittest.TestCase):
    def test_months_know_their_days_and_labels(self) -> None:
        self.assertEqual((OCTOBER.label, OCTOBER.short, OCTOBER.days), ("October 2026", "Oct 2026", 31))
        self.assertEqual(OCTOBER.shift(3).key, "2027-01")
        self.assertEqual(Period.of(dt.date(2024, 2, 9)).end, dt.date(2024, 2, 29))
        for text in (
            "26",
            "2026-13",
            "10/2026",
            "0000-01",
            "0001",
            "0001-01",
            "9999-12",
            "2026-02-30",
            "2026-Q5",
            "2026-W54",
        ):
            with self.assertRaises(ValueError):
                Period.parse(text)

    def test_a_period_past_the_last_complete_day_is_partial(self) -> None:
        through = dt.date(2026, 11, 21)
        self.assertIsNone(part_of(OCTOBER, through))
        self.assertEqual(part_of(OCTOBER.shift(1), through), PartSoFar(21, 30))
        self.assertEqual(part_of(OCTOBER.shift(2), through), PartSoFar(0, 31))
        self.assertEqual(latest_complete(OCTOBER, OCTOBER.shift(1), through), OCTOBER)
        self.assertEqual(latest_complete(OCTOBER, OCTOBER, dt.date(2026, 10, 2)), OCTOBER)


class Arithmetic(unittest.TestCase):
    def test_dividing_by_zero_is_no_reading(self) -> None:
        tree = f.parse("sum(a) / sum(b)")
        one, other = formula_nodes.aggregates(tree)
        values = evaluate(tree, {one: np.array([1.0, 4, np.nan]), other: np.array([0.0, 2, 1])})
        np.testing.assert_equal(values, [np.nan, 2, np.nan])

    def test_overflow_is_no_reading_either(self) -> None:
        tree = f.parse("sum(a) * sum(a)")
        (one,) = formula_nodes.aggregates(tree)
        self.assertTrue(np.isnan(evaluate(tree, {one: np.array([1e308])})).all())


class Read(unittest.TestCase):
    def test_marks_of_the_member_then_of_any_then_none(self) -> None:
        entries = [
            MarkEntry("target", Owner.each("route"), OCTOBER, 100),
            MarkEntry("target", Owner.member(route="b"), OCTOBER, 50),
        ]
        source = Fixed([[95, 95, np.nan]], ["a", "b", "c"], dt.date(2026, 12, 31))
        found = read(flow(), source, entries, ["target"], GRADES, by="route")
        self.assertEqual([found.state(0, m) for m in range(3)], ["near", "met", None])
        self.assertEqual(found.band[0, 2], NO_READING)
        bare = read(flow(), source, [], ["target"], GRADES, by="route")
        self.assertEqual(bare.band[0].tolist(), [NOT_GRADED, NOT_GRADED, NO_READING])

    def test_one_chosen_member_read_alone_keeps_its_own_marks(self) -> None:
        entries = [
            MarkEntry("target", Owner.each("route"), LONG_AGO, 100),
            MarkEntry("target", Owner.member(route="b"), LONG_AGO, 50),
        ]
        source = Fixed([[60]], [None], dt.date(2026, 12, 31))
        alone = read(flow(), source, entries, ["target"], GRADES, where={"route": ["b"], "vessel": []})
        self.assertEqual(alone.marks["target"][0, 0], 50)
        several = read(flow(), source, entries, ["target"], GRADES, where={"route": ["b", "c"]})
        self.assertEqual(several.marks["target"][0, 0], 150)

    def test_a_partial_flow_is_measured_against_its_share_of_the_mark(self) -> None:
        entries = [MarkEntry("target", TOGETHER, LONG_AGO, 300)]
        source = Fixed([[300], [215]], [None], dt.date(2026, 11, 21))
        found = read(flow(), source, entries, ["target"], GRADES)
        self.assertEqual(found.marks["target"][:, 0].tolist(), [300, 210])
        self.assertEqual(found.state(1, 0), "met")
        entries = [MarkEntry("target", EVERYONE, LONG_AGO, 300)]
        rate = read(flow("rate"), source, entries, ["target"], GRADES)
        self.assertEqual(rate.marks["target"][1, 0], 300)
        self.assertEqual(rate.state(1, 0), "short")

    def test_a_flow_s_plain_cuts_shrink_with_the_period_too(self) -> None:
        cuts = Yardstick(("short", "met"), (Cut(300),))
        offset = Yardstick(("short", "met"), (Cut(-30, "target"),))
        source = Fixed([[0], [200]], [None], dt.date(2026, 11, 21))
        self.assertAlmostEqual(read(flow(), source, [], [], cuts).cuts[0, 1, 0], 210)
        entries = [MarkEntry("target", TOGETHER, LONG_AGO, 300)]
        self.assertAlmostEqual(read(flow(), source, entries, ["target"], offset).cuts[0, 1, 0], 189)

    def test_gap_and_attainment_by_direction(self) -> None:
        entries = [MarkEntry("target", TOGETHER, LONG_AGO, 50)]
        source = Fixed([[40]], [None], dt.date(2026, 12, 31))
        gap, attainment = gap_and_attainment(read(flow(), source, entries, ["target"], None))
        self.assertEqual((gap[0, 0], attainment[0, 0]), (-10, 0.8))
        _, reached = gap_and_attainment(read(flow(direction="lower"), source, entries, ["target"], None))
        self.assertAlmostEqual(reached[0, 0], 1.2)
        gap, _ = gap_and_attainment(read(flow(), source, [], [], None))
        self.assertTrue(np.isnan(gap).all())

    def test_a_rehearsed_value_is_graded_without_touching_rows(self) -> None:
        entries = [MarkEntry("target", TOGETHER, LONG_AGO, 50)]
        found = read(flow(), Fixed([[40]], [None], dt.date(2026, 12, 31)), entries, ["target"], GRADES)
        self.assertEqual(found.state(0, 0), "short")
        self.assertEqual(regrade(found, GRADES, np.array([[50.0]])).state(0, 0), "met")


class Workings(unittest.TestCase):
    def test_the_formula_in_numbers_keeps_its_brackets(self) -> None:
        tree = f.parse("(sum(a) - sum(b)) / (count() * 2) - -sum(a)")
        values = dict(zip(formula_nodes.aggregates(tree), (1862.0, 12.5, 2051.0), strict=True))
        self.assertEqual(in_numbers(tree, lambda a: values[a], ENGLISH), "(1,862 − 12.5) ÷ (2,051 × 2) − −1,862")
        self.assertEqual(
            in_numbers(f.parse("sum(a) - (sum(b) - 1)"), lambda a: values[a], ENGLISH), "1,862 − (12.5 − 1)"
        )

    def test_figures(self) -> None:
        for value, text in (
            (2051.0, "2,051"),
            (0.00012345, "0.00012345"),
            (-3.5, "−3.5"),
            (float("nan"), "nothing"),
            (0.0, "0"),
        ):
            self.assertEqual(figure(value, ENGLISH), text)
