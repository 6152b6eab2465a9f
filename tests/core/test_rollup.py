"""Composites, ledgers and quadrants; gap and headroom inside a range; grading on the shown value."""

import unittest
from dataclasses import replace
from typing import Any

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from ironmark.core import composite, distances, ledger, quadrant, words
from ironmark.core import reading as core
from ironmark.core.formula import parse
from ironmark.core.numbers import Unit
from ironmark.core.periods import Period
from ironmark.core.readings import Kpi, Readings, Totals
from ironmark.core.yardstick import Cut, Yardstick
from tests.styles import ENGLISH

amounts = st.floats(-1e6, 1e6).map(lambda value: round(value, 6))


def block(values: list[float], target: float | None = None, **kpi: Any) -> Readings:
    """One period of members with these values."""
    value = np.array([values], dtype=float)
    names = tuple(f"m{i}" for i in range(len(values)))
    totals = Totals((Period.parse("2026-10"),), names, np.ones(value.shape, dtype=np.int64), {})
    marks = {} if target is None else {"target": np.full(value.shape, target)}
    made = Kpi("k", "K", parse("count()"), **kpi)
    return Readings(made, "team", totals, value, marks, {}, (None,))


FOUR = Yardstick(("short", "near", "met", "beyond"), (Cut(10), Cut(20), Cut(30)))
RANGE = Yardstick(("short", "near", "met", "near", "short"), (Cut(50), Cut(60), Cut(75), Cut(85)))


class Composites(unittest.TestCase):
    def test_states_are_worth_their_rank(self) -> None:
        graded = core.regrade(block([5, 15, 25, 35, np.nan]), FOUR)
        np.testing.assert_allclose(composite.state_scores(graded)[0], [0, 1 / 3, 2 / 3, 1, np.nan])

    def test_the_worst_of_their_own_yardstick_is_nothing_its_best_all(self) -> None:
        three = Yardstick(("near", "met", "near"), (Cut(10), Cut(20)))
        np.testing.assert_allclose(composite.state_scores(core.regrade(block([5, 15, 25]), three))[0], [0, 1, 0])
        alike = Yardstick(("near", "near"), (Cut(10),))
        np.testing.assert_allclose(composite.state_scores(core.regrade(block([5.0]), alike))[0], [1])

    def test_without_a_yardstick_no_score(self) -> None:
        self.assertTrue(np.isnan(composite.state_scores(block([5.0]))).all())

    def test_attainment_is_held_between_its_ends(self) -> None:
        found = composite.attainment_scores(block([50, 100, 500, -20], 100.0), "target", 0.0, 1.2)
        np.testing.assert_allclose(found[0], [0.5, 1.0, 1.2, 0.0])

    def test_lower_is_better_on_the_limit_is_one(self) -> None:
        found = composite.attainment_scores(block([100, 80, 130], 100.0, direction="lower"), "target", 0.0, 1.5)
        np.testing.assert_allclose(found[0], [1.0, 1.2, 0.7])

    def part(self, weight: float, *score: float) -> composite.WeightedPart:
        return composite.WeightedPart("P", weight, np.array([score], dtype=float), block(list(score)))

    def test_a_worked_example(self) -> None:
        parts = [self.part(3, 1 / 3), self.part(2, 2 / 3), self.part(1, 2 / 3)]
        self.assertAlmostEqual(composite.compose(parts)[0, 0], 0.5)
        np.testing.assert_allclose(composite.contributions(parts, 0, 0), [1 / 6, 2 / 9, 1 / 9])

    def test_a_part_without_a_score_leaves_the_others_their_proportions(self) -> None:
        parts = [self.part(3, np.nan), self.part(2, 1.0), self.part(1, 0.4)]
        self.assertAlmostEqual(composite.compose(parts)[0, 0], 0.8)
        self.assertTrue(np.isnan(composite.contributions(parts, 0, 0)[0]))

    def test_no_score_at_all_is_no_reading(self) -> None:
        self.assertTrue(np.isnan(composite.compose([self.part(1, np.nan)])[0, 0]))

    @given(st.lists(st.tuples(st.floats(0.01, 100), st.floats(0, 1.5) | st.just(float("nan"))), min_size=1, max_size=8))
    def test_it_lies_among_its_parts_and_is_the_sum_of_what_they_add(self, given: list[tuple[float, float]]) -> None:
        parts = [self.part(weight, score) for weight, score in given]
        value = float(composite.compose(parts)[0, 0])
        known = [score for _, score in given if np.isfinite(score)]
        if not known:
            self.assertTrue(np.isnan(value))
            return
        self.assertTrue(min(known) - 1e-9 <= value <= max(known) + 1e-9)
        self.assertAlmostEqual(float(np.nansum(composite.contributions(parts, 0, 0))), value)


class InsideARange(unittest.TestCase):
    def test_gap_and_headroom_are_to_the_nearer_edge(self) -> None:
        graded = core.regrade(block([55, 60, 63, 70, 75, 80, np.nan], direction="inside"), RANGE)
        gap, reached = distances.gap_and_attainment(graded)
        np.testing.assert_allclose(gap[0], [-5, 0, 3, -5, 0, 5, np.nan])
        self.assertTrue(np.isnan(reached).all())
        room = distances.headroom(graded)
        np.testing.assert_allclose(room[0], [-5 / 60, 0, 3 / 60, 5 / 75, 0, -5 / 75, np.nan])
        scores = composite.attainment_scores(graded, "target", 0.0, 2.0)
        np.testing.assert_allclose(scores[0], 1 + room[0])

    def test_the_marks_floor_and_limit_are_a_range_too(self) -> None:
        readings = block([40, 55, 60, 72, 90, np.nan], direction="inside")
        marks = {"floor": np.full((1, 6), 50.0), "limit": np.full((1, 6), 75.0)}
        for ranged in (replace(readings, marks=marks), replace(readings, edges=marks)):
            gap, _ = distances.gap_and_attainment(ranged, "floor")
            np.testing.assert_allclose(gap[0], [-10, 5, 10, -3, 15, np.nan])
            room = distances.headroom(ranged)[0]
            np.testing.assert_allclose(room, [-10 / 50, 5 / 50, 10 / 50, 3 / 75, -15 / 75, np.nan])
            # Inside is better than outside: 15 and 10 outside come before all that lie within.
            self.assertEqual(np.argsort(distances.goodness(ranged, "floor")[0][:5]).tolist(), [4, 0, 3, 1, 2])

    def test_one_edge_alone_is_an_edge(self) -> None:
        readings = replace(block([40.0, 80.0], direction="inside"), marks={"floor": np.full((1, 2), 50.0)})
        np.testing.assert_allclose(distances.gap_and_attainment(readings)[0][0], [-10, 30])

    def test_a_range_without_edges_has_none(self) -> None:
        graded = core.regrade(block([5.0], 8.0, direction="inside"), FOUR)
        self.assertTrue(np.isnan(distances.nearer_edge(graded)[0]).all())
        self.assertEqual(distances.gap_and_attainment(graded)[0][0, 0], -3)

    def test_headroom_is_what_is_left_before_the_limit_else_the_target(self) -> None:
        self.assertAlmostEqual(distances.headroom(block([110.0], 100.0))[0, 0], -0.1)
        self.assertAlmostEqual(distances.headroom(block([80.0], 100.0))[0, 0], 0.2)
        self.assertAlmostEqual(distances.headroom(block([110.0], 100.0, direction="lower"))[0, 0], -0.1)
        self.assertAlmostEqual(distances.headroom(block([-90.0], -100.0))[0, 0], -0.1)
        self.assertTrue(np.isnan(distances.headroom(block([5.0], 0.0))).all())
        limited = replace(block([80.0], 100.0), edges={"limit": np.full((1, 1), 160.0)})
        self.assertAlmostEqual(distances.headroom(limited)[0, 0], 0.5)

    def test_on_target_is_one_either_way_and_there_is_none_where_it_is_not_above_zero(self) -> None:
        for direction, value, expected in (
            ("higher", 50.0, 0.5), ("higher", 100.0, 1.0), ("lower", 100.0, 1.0), ("lower", 130.0, 0.7), ("lower", 0.0, 2.0),
        ):  # fmt: skip
            gap, reached = distances.gap_and_attainment(block([value], 100.0, direction=direction))
            self.assertEqual(gap[0, 0], value - 100)
            self.assertAlmostEqual(reached[0, 0], expected, msg=direction)
        for target in (0.0, -5.0):
            for direction in ("higher", "lower"):
                self.assertTrue(
                    np.isnan(distances.gap_and_attainment(block([3.0], target, direction=direction))[1]).all()
                )


class Shown(unittest.TestCase):
    def test_rounding_decides_only_where_it_is_chosen(self) -> None:
        yardstick = Yardstick(("short", "met"), (Cut(0.9),))
        unit = Unit("percent", 1)
        exact, shown = (
            core.regrade(block([0.8996, 0.8994], unit=unit, as_shown=as_shown), yardstick) for as_shown in (False, True)
        )
        self.assertEqual(exact.band[0].tolist(), [0, 0])
        self.assertEqual(shown.band[0].tolist(), [1, 0])

    def test_compact_figures_round_as_they_are_read(self) -> None:
        values = distances.shown_values(
            np.array([[412_649.0, -412_651.0, 42.4, np.nan]]), Unit("currency", 1, compact=True)
        )
        np.testing.assert_allclose(values[0], [412_600, -412_700, 42.4, np.nan])


class Ledgers(unittest.TestCase):
    def test_a_little_is_never_nothing(self) -> None:
        found = ledger.strokes(np.array([0.0, 0.01, 10.0, 10.1, 49.0, np.nan]), 10.0)
        self.assertEqual(found.tolist(), [0, 1, 1, 2, 5, 0])

    @given(st.lists(amounts, min_size=1, max_size=30))
    def test_the_largest_takes_at_most_so_many(self, given: list[float]) -> None:
        values = np.array(given)
        found = ledger.strokes(values, ledger.stroke_of(values))
        self.assertLessEqual(found.max(), ledger.MOST_STROKES)
        self.assertTrue(np.all((found > 0) == (values != 0)))

    def test_bars_both_ways_share_one_scale(self) -> None:
        np.testing.assert_allclose(ledger.both_ways(np.array([0.1, -0.2, np.nan])), [0.5, -1.0, np.nan])
        np.testing.assert_allclose(ledger.both_ways(np.array([0.0, np.nan])), [0.0, np.nan])


class Quadrants(unittest.TestCase):
    @given(st.lists(st.tuples(amounts, amounts), min_size=1, max_size=20), amounts, amounts, st.booleans())
    def test_quarters_agree_with_a_plain_loop(
        self, members: list[tuple[float, float]], up_cut: float, across_cut: float, lower: bool
    ) -> None:
        ups, acrosses = (np.array(side) for side in zip(*members, strict=True))
        found = quadrant.quarters(
            quadrant.good(ups, up_cut, "lower" if lower else "higher"),
            quadrant.good(acrosses, across_cut, "higher"),
            np.ones(len(members), dtype=bool),
        )
        for (up, across), quarter in zip(members, found, strict=True):
            slack = 1e-9 * abs(up_cut)
            fine_up = up <= up_cut + slack if lower else up >= up_cut - slack
            fine_across = across >= across_cut - 1e-9 * abs(across_cut)
            self.assertEqual(
                quarter, {(True, True): 0, (True, False): 1, (False, True): 2, (False, False): 3}[fine_up, fine_across]
            )

    def test_who_lacks_one_of_the_two_is_nowhere(self) -> None:
        yes = np.array([True, True])
        self.assertEqual(quadrant.quarters(yes, yes, np.array([True, False])).tolist(), [0, -1])

    def test_an_axis_is_cut_by_its_mark_by_gaps_or_in_the_middle(self) -> None:
        values = np.array([1.0, 2.0, 9.0])
        self.assertEqual(quadrant.cut_of(values, np.full(3, 5.0)), (5.0, False))
        self.assertEqual(quadrant.cut_of(values, np.array([5.0, 6.0, np.nan])), (0.0, True))
        self.assertEqual(quadrant.cut_of(values, np.full(3, np.nan)), (2.0, False))
        self.assertEqual(quadrant.cut_of(np.array([np.nan]), None), (0.0, False))

    def test_the_area_of_a_dot_tells_the_amount(self) -> None:
        radii = quadrant.radii(np.array([4.0, 1.0, 0.0, -3.0, np.nan]))
        np.testing.assert_allclose(radii, [1.0, 0.5, 0.0, 0.0, 0.0])


class InNumbers(unittest.TestCase):
    def test_marks_become_numbers(self) -> None:
        made = Yardstick(("short", "near", "met"), (Cut(0, "target", 0.9), Cut(-5, "target", belongs="below")))
        cuts = made.in_numbers({"target": 200.0}).cuts
        self.assertEqual(cuts, (Cut(180.0), Cut(195.0, belongs="below")))

    def test_states_of_two_palettes_do_not_mix(self) -> None:
        with self.assertRaisesRegex(ValueError, "two palettes"):
            Yardstick(("short", "tide-flood"), (Cut(1),))
        self.assertEqual(replace(FOUR, per="year").states[0].name, "Short")


class EdgeWords(unittest.TestCase):
    def test_how_far_from_which_edge_on_which_side(self) -> None:
        percent = Unit("percent", 0)
        self.assertEqual(words.edge_words(0.75, -0.07, True, percent, ENGLISH), "7 points inside 75%")
        self.assertEqual(words.edge_words(0.6, -0.03, False, percent, ENGLISH), "3 points outside 60%")
        self.assertEqual(words.edge_words(0.6, 0.0, True, percent, ENGLISH), "on the edge 60%")

    def test_a_small_cut_is_written_with_the_figures_it_needs(self) -> None:
        self.assertEqual(words.show_cut(0.00012, Unit(), ENGLISH), "0.00012")
        self.assertEqual(words.show_cut(0.25, Unit(), ENGLISH), "0.25")
        self.assertEqual(words.show_cut(1 / 3, Unit(), ENGLISH), "0.3333")
