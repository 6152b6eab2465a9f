"""Usual ranges, signals, few rows, outlooks, what moved it, what it takes: by hand, at edges, and by simulation. A hospital's
wards, a theatre's seats, a mill."""

from __future__ import annotations

import math
import unittest
from itertools import pairwise
from unittest import mock

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from bench import signals as simulated
from ironmark.core import moved, takes
from ironmark.core import usual as usual_ranges
from ironmark.core.chance import landing, middle_for
from ironmark.core.few_rows import wilson
from ironmark.core.formula import parse
from ironmark.core.outlook import Stretch, outlook
from ironmark.core.ratio import kind_of, ratio_of
from ironmark.core.usual import (
    FEWEST,
    ON_ONE_SIDE,
    OUTSIDE,
    STEADY,
    TWO_OF_THREE,
    drawn,
    usual,
)

WARD = [39, 41, 41, 41, 43, 44, 41, 42, 40, 41, 44, 40]  # beds taken, a dozen weeks
SETTLED = [50, 52, 49, 51, 50, 48, 51, 49, 52, 50, 49, 51]


def column(*values: float | None) -> np.ndarray:
    return np.array([[math.nan if value is None else value] for value in values], dtype=float)


class Ranges(unittest.TestCase):
    def test_an_individuals_chart_as_worked_out_by_hand(self) -> None:
        found = usual(column(*WARD, 42))
        mean = sum(WARD) / 12
        moving = sum(abs(b - a) for a, b in pairwise(WARD)) / 11
        self.assertAlmostEqual(float(found.middle[12, 0]), mean)
        self.assertAlmostEqual(float(found.high[12, 0] - mean), 3 * moving / 1.128)
        self.assertAlmostEqual(float(mean - found.low[12, 0]) / moving, 2.66, places=3)
        self.assertTrue(np.isnan(found.middle[:FEWEST]).all(), "none of fewer than a dozen")
        self.assertEqual(int(found.count[12, 0]), 12)

    def test_shares_by_each_denominator_widened_as_worked_out_by_hand(self) -> None:
        of = [200, 340, 150, 500, 260, 300, 410, 220, 380, 290, 310, 450, 90]
        good = [180, 311, 139, 442, 240, 262, 381, 199, 352, 258, 287, 401, 80]
        value = column(*(g / n for g, n in zip(good, of, strict=True)))
        found = usual(value, "share", column(*of))
        p = sum(good[:12]) / sum(of[:12])
        z = [(g / n - p) / math.sqrt(p * (1 - p) / n) for g, n in zip(good[:12], of[:12], strict=True)]
        wide = max(1.0, sum(abs(b - a) for a, b in pairwise(z)) / 11 / 1.128)
        self.assertAlmostEqual(float(found.middle[12, 0]), p)
        self.assertAlmostEqual(float(found.low[12, 0]), p - 3 * wide * math.sqrt(p * (1 - p) / 90))
        self.assertLessEqual(float(found.high[12, 0]), 1.0)

    def test_a_reading_never_makes_its_own_range(self) -> None:
        calm, wild = usual(column(*SETTLED, 50)), usual(column(*SETTLED, 500))
        self.assertEqual(float(calm.high[12, 0]), float(wild.high[12, 0]))
        self.assertEqual(int(wild.signals[12, 0]) & OUTSIDE, OUTSIDE)
        self.assertEqual(int(calm.signals[12, 0]), 0)

    def test_each_rule(self) -> None:
        run = usual(column(*SETTLED, *([50.6] * 8)))
        self.assertEqual([int(f) & ON_ONE_SIDE for f in run.signals[12:, 0]], [0] * 7 + [ON_ONE_SIDE])
        rising = usual(column(*SETTLED, 49.2, 49.6, 50.1, 50.5, 50.9, 51.3))
        self.assertEqual([int(f) & STEADY for f in rising.signals[12:, 0]][-1], STEADY)
        self.assertEqual(int(rising.steady[-1, 0]), 6)
        two = usual(column(*SETTLED, 54.6, 50, 55))
        self.assertEqual(int(two.signals[-1, 0]) & TWO_OF_THREE, TWO_OF_THREE)
        self.assertEqual(int(two.side[-1, 0]), 1)

    def test_a_lasting_shift_and_a_named_date_begin_a_new_range(self) -> None:
        higher = [value + 4 for value in SETTLED]
        found = usual(column(*SETTLED, *higher))
        self.assertEqual(int(found.start[-1, 0]), 12)
        self.assertGreater(float(found.middle[-1, 0]), 53.5)
        lines = drawn(found)
        self.assertEqual([int(row) for row in lines.start[:, 0]], [0] * 12 + [12] * 12)
        self.assertLess(float(lines.middle[3, 0]), 51)
        named = usual(column(*SETTLED, *higher), named=[12])
        self.assertTrue(np.isnan(named.middle[12:20]).all())
        self.assertFalse(named.signals[12:20].any())
        self.assertAlmostEqual(float(named.middle[20, 0]), sum(higher[:8]) / 8)

    def test_seasons_are_taken_out_where_two_years_show_them(self) -> None:
        rng = np.random.default_rng(3)
        year = np.array([0, 5, 20, 40, 60, 80, 90, 85, 50, 30, 10, 2.0])
        seats = np.tile(year, 4)[:, None] + 300 + rng.normal(0, 4, (48, 60))
        found = usual(seats, season=12)
        self.assertTrue(found.seasonal[25:].all())
        self.assertLess(float((found.signals[25:] > 0).mean()), 0.09)
        # A July of an ordinary year lies over any range that knows no seasons, and a July like January under this one.
        dull = seats.copy()
        dull[42] = dull[36]
        self.assertTrue((usual(dull, season=12).signals[42] & OUTSIDE).all())
        noise = usual(rng.normal(300, 4, (48, 200)), season=12)
        self.assertLess(float(noise.seasonal[24:].mean()), 0.12)

    def test_gaps_zeros_one_value_and_outliers(self) -> None:
        gaps = usual(column(*SETTLED[:6], None, None, *SETTLED[6:], 50, None, 80))
        self.assertEqual(int(gaps.signals[-1, 0]) & OUTSIDE, OUTSIDE)
        self.assertEqual(int(gaps.count[-2, 0]), 13)
        self.assertTrue(np.isfinite(gaps.middle[15, 0]), "there is a range where there is no reading")
        self.assertEqual(int(gaps.signals[15, 0]), 0)
        zeros = usual(column(*[0] * 14, 3))
        self.assertEqual((float(zeros.high[14, 0]), int(zeros.signals[14, 0]) & OUTSIDE), (0.0, OUTSIDE))
        self.assertFalse(zeros.signals[:14].any())
        never = usual(column(*[0.0] * 14), "share", column(*[20] * 14))
        self.assertFalse(never.signals.any())
        self.assertTrue(np.isnan(usual(column(*[None] * 20)).middle).all())
        self.assertEqual(usual(np.empty((0, 3))).low.shape, (1, 3))
        self.assertTrue(
            (usual(column(1, 0, 2, 1, 0, 3, 1, 2, 0, 1, 2, 1, 1)).low[12] >= 0).all(), "none lies under nothing"
        )

    def test_members_side_by_side_are_as_each_alone(self) -> None:
        rng = np.random.default_rng(4)
        value = rng.normal(10, 1, (40, 25))
        value[rng.random((40, 25)) < 0.1] = math.nan
        value[20:, 3] += 5
        below = rng.integers(1, 50, (40, 25)).astype(float)
        for kind in ("level", "ratio"):
            together = usual(value, kind, below, season=12)
            for m in range(25):
                alone = usual(value[:, [m]], kind, below[:, [m]], season=12)
                np.testing.assert_allclose(together.high[:, m], alone.high[:, 0])
                np.testing.assert_array_equal(together.signals[:, m], alone.signals[:, 0])

    def test_many_members_come_to_the_same_some_at_a_time(self) -> None:
        rng = np.random.default_rng(8)
        value, below = rng.random((40, 23)), rng.integers(1, 60, (40, 23)).astype(float)
        value[22:, ::4] += 0.7
        value[rng.random((40, 23)) < 0.1] = np.nan
        kinds = [("share", "count", "level")[m % 3] for m in range(23)]
        scale = np.linspace(-2, 3, 23)
        whole = usual(value, kinds, below, scale, 1.5, (9,), 12)  # type: ignore[arg-type]
        with mock.patch.object(usual_ranges, "AT_ONCE", 200):
            parts = usual(value, kinds, below, scale, 1.5, (9,), 12)  # type: ignore[arg-type]
        for name, found in whole.__dict__.items():
            np.testing.assert_allclose(getattr(parts, name), found, rtol=1e-12, err_msg=name)

    def test_what_a_formula_divides(self) -> None:
        def told(text: str) -> tuple[float, float] | None:
            found = ratio_of(parse(text))
            return found and (found.scale, found.offset)

        self.assertEqual(told("sum(late) / count()"), (1, 0))
        self.assertEqual(told("1 - 100 * sum(late) / count()"), (-100, 1))
        self.assertEqual(told("sum(late) / count() * 10000"), (10000, 0))
        self.assertEqual(told("mean(wait)"), (1, 0))
        self.assertIsNone(told("sum(a) / 3"))
        self.assertIsNone(told("sum(a) / count() + sum(b)"))
        self.assertEqual(kind_of(ratio_of(parse("sum(a) / count()")), column(3, 4), column(5, 6)), "share")
        self.assertEqual(kind_of(ratio_of(parse("count() / sum(km)")), column(3, 4), column(5.5, 3)), "count")
        self.assertEqual(kind_of(ratio_of(parse("sum(fare) / sum(seats)")), column(3.5, 4), column(2, 3)), "ratio")
        self.assertEqual(kind_of(None, None, None), "level")

    def test_a_share_that_counts_what_is_good_is_that_of_what_is_bad_turned_round(self) -> None:
        rng = np.random.default_rng(9)
        of = rng.integers(50, 90, (30, 4)).astype(float)
        bad = rng.binomial(of.astype(int), 0.2)
        one, other = usual(bad / of, "share", of), usual(1 - bad / of, "share", of, scale=-1, offset=1)
        np.testing.assert_allclose(one.low[12:], 1 - other.high[12:])
        np.testing.assert_array_equal(one.signals, other.signals)
        np.testing.assert_array_equal(one.side, -other.side)


class Simulated(unittest.TestCase):
    def test_false_signals_stay_what_docs_say(self) -> None:
        most = {
            "normal": 2.6,
            "skewed": 5,
            "counts": 2,
            "shares": 1.8,
            "overdispersed shares": 3.4,
            "autocorrelated": 11,
        }
        for kind in simulated.KINDS:
            with self.subTest(kind):
                self.assertLess(simulated.false_signals(kind)[0], most[kind])

    def test_a_shift_is_told_soon(self) -> None:
        self.assertLessEqual(simulated.delay(2.0)[0], 4)
        self.assertGreater(simulated.delay(2.0)[1], 0.95)
        self.assertGreater(simulated.delay(1.0)[1], 0.5)

    def test_eight_of_ten_outlooks_hold(self) -> None:
        for kind in simulated.OUTLOOKS:
            held, said = simulated.outlooks(kind)
            with self.subTest(kind, held=held, said=said):
                self.assertLess(abs(held - 0.8), 0.05)
                self.assertLess(abs(said - 0.8), 0.05)


class FewRows(unittest.TestCase):
    def test_wilson_as_printed(self) -> None:
        low, high = wilson(np.array([18.0, 0, 20, 5]), np.array([20.0, 20, 20, 0]))
        self.assertAlmostEqual(float(low[0]), 0.69897, places=4)
        self.assertAlmostEqual(float(high[0]), 0.97213, places=4)
        self.assertEqual(float(low[1]), 0.0)
        self.assertAlmostEqual(float(high[1]), 0.16113, places=4)
        self.assertTrue(np.isnan(low[3]))


class ByChance(unittest.TestCase):
    def test_it_adds_up_and_says_where_the_middle_has_to_be(self) -> None:
        parts = landing(92.0, 1.0, [88, 92, 96])
        self.assertAlmostEqual(float(parts.sum()), 1.0)
        self.assertAlmostEqual(float(parts[2]), 0.49997, places=4)
        self.assertEqual(landing(5, 0, [4, 6]).tolist(), [0, 1, 0])
        middle = middle_for(92, 1.5, 0.9)
        self.assertAlmostEqual(float(landing(middle, 1.5, [92])[1]), 0.9)
        self.assertAlmostEqual(float(landing(middle_for(3, 0.5, 0.9, above=False), 0.5, [3])[0]), 0.9)


class Going(unittest.TestCase):
    def test_where_every_week_is_alike_the_end_is_known(self) -> None:
        week = [5.0, 6, 7, 8, 9, 2, 1]
        days = np.array([week[d % 7] for d in range(420)])[:, None]
        past = [Stretch(28 * k, 28) for k in range(1, 14)]
        now = Stretch(392, 28)
        so_far = days[:402]
        found = outlook(so_far, None, now, past, 10)
        for line in (found.end, found.low, found.high):
            self.assertAlmostEqual(float(line[0]), 4 * sum(week))
        self.assertEqual((float(found.held[0]), float(found.tried[0])), (13, 13))

    def test_last_year_is_followed_where_it_was_nearer(self) -> None:
        shape = np.concatenate([np.full(20, 1.0), np.full(10, 30.0)])  # all comes at the end of a month
        days = np.tile(shape, 26)[:, None] * np.repeat(np.linspace(1, 2, 26), 30)[:, None]
        past = [Stretch(30 * k, 30) for k in range(13, 25)]
        before = [Stretch(30 * (k - 12), 30) for k in range(13, 26)]
        found = outlook(days[: 25 * 30 + 15], None, Stretch(750, 30), past, 15, before)
        self.assertAlmostEqual(float(found.end[0]) / float(days[750:780].sum()), 1.0, places=2)

    def test_of_few_periods_nothing_is_told(self) -> None:
        days = np.ones((100, 2))
        found = outlook(days, None, Stretch(90, 30), [Stretch(30 * k, 30) for k in range(3)], 10)
        self.assertTrue(np.isnan(found.end).all())
        self.assertEqual(found.tried.tolist(), [0, 0])


class WhatMoved(unittest.TestCase):
    @settings(max_examples=150, deadline=None)
    @given(st.lists(st.tuples(*[st.integers(0, 900)] * 4), min_size=1, max_size=12))
    def test_parts_add_up_to_the_whole(self, rows: list[tuple[int, int, int, int]]) -> None:
        a0, b0, a1, b1 = (np.array(line, dtype=float) for line in zip(*rows, strict=True))
        found = moved.of_ratio(a0, b0, a1, b1)
        if b0.sum() and b1.sum():
            self.assertAlmostEqual(float(found.given.sum()), a1.sum() / b1.sum() - a0.sum() / b0.sum(), places=9)
        summed = moved.of_sum(a0, a1)
        self.assertEqual(float(summed.given.sum()), summed.change)

    @settings(max_examples=150, deadline=None)
    @given(
        st.lists(
            st.tuples(st.floats(0.01, 1e4), st.floats(0.01, 1e4), st.sampled_from([1, -1])), min_size=1, max_size=5
        )
    )
    def test_factors_add_up_to_the_change(self, rows: list[tuple[float, float, int]]) -> None:
        before, after, powers = (list(line) for line in zip(*rows, strict=True))
        found = moved.of_factors(before, after, powers)
        assert found is not None
        was, now = (math.prod(v**p for v, p in zip(side, powers, strict=True)) for side in (before, after))
        self.assertTrue(math.isclose(sum(found), now - was, rel_tol=1e-6, abs_tol=1e-9 * max(was, now)))

    def test_rate_and_mix_as_worked_out_by_hand(self) -> None:
        # Two wards: the better one grows. 80 of 100 and 30 of 100, then 240 of 300 and 30 of 100.
        found = moved.of_ratio(
            np.array([80.0, 30]), np.array([100.0, 100]), np.array([240.0, 30]), np.array([300.0, 100])
        )
        self.assertAlmostEqual(found.change, 0.675 - 0.55)
        np.testing.assert_allclose(found.rate, [0, 0], atol=1e-12)
        middle = (0.675 + 0.55) / 2
        np.testing.assert_allclose(found.mix, [0.25 * (0.8 - middle), -0.25 * (0.3 - middle)])

    def test_shown_parts_add_up_as_shown(self) -> None:
        parts = moved.shown_parts([0.333, 0.333, 0.334], 1.0, 1)
        self.assertEqual(float(sum(parts)), 1.0)
        self.assertEqual([float(one) for one in moved.shown_parts([-1.26, 0.13], -1.13, 1)], [-1.2, 0.1])
        self.assertIsNone(moved.of_factors([1, 0], [1, 2], [1, 1]))

    def test_few_members_tell_more_than_many(self) -> None:
        self.assertGreater(moved.telling(np.array([9.0, 0.1, 0.1])), moved.telling(np.array([3.0, 3.1, 3.1])))
        self.assertEqual(moved.telling(np.array([4.0])), 0.0)


class WhatItTakes(unittest.TestCase):
    def test_sums_and_shares(self) -> None:
        told = takes.of_sum(700, 1000, 10, 28)
        assert told is not None
        self.assertEqual((told.needed, told.each), (300, 30))
        self.assertIsNone(takes.of_sum(700, 1000, 0, 28))
        # 900 of 1,000 were on time; to end at 92 % of 1,420, 1,307 have to be: 407 of the next 420.
        self.assertEqual(takes.of_share(900, 1000, 0.92, 420, 0.9).may_fail, 13)
        self.assertLess(takes.of_share(500, 1000, 0.92, 420, 0.9).may_fail, 0)
        self.assertEqual(takes.of_share(30, 1000, 0.04, 500, 0.03, lower=True).may_fail, 30)

    def test_since_when_it_is_out_of_reach(self) -> None:
        good, every = np.array([10.0, 18, 20, 22]), np.array([10.0, 20, 30, 40])
        coming = np.array([40.0, 30, 20, 10])
        self.assertEqual(takes.out_of_reach_since(good, every, 0.9, coming), 2)
        self.assertIsNone(takes.out_of_reach_since(good, every, 0.5, coming))
