"""Axes and ticks."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from ironmark.core.axis import Axis, choose, ticks, with_ends

sizes = st.floats(-1e12, 1e12, allow_nan=False).filter(lambda value: value == 0 or abs(value) > 1e-9)


class Worked(unittest.TestCase):
    def test_ticks_are_round(self) -> None:
        self.assertEqual(ticks(Axis(0, 100)), [0, 20, 40, 60, 80, 100])
        self.assertEqual([round(t, 3) for t in ticks(Axis(0.7, 1.0))], [0.7, 0.8, 0.9, 1.0])
        self.assertEqual(ticks(Axis(36, 50)), [40, 45, 50])
        self.assertEqual(ticks(Axis(-6, 4)), [-6, -4, -2, 0, 2, 4])

    def test_a_share_ends_at_one_and_amounts_start_at_zero(self) -> None:
        axis = choose([0.804, 0.967, 0.85, 0.92, 0.96], ceiling=1.0)
        self.assertEqual(axis.high, 1.0)
        self.assertTrue(axis.broken)
        self.assertEqual(choose([5, 580_000]).low, 0)
        self.assertFalse(choose([5, 580_000]).broken)
        self.assertEqual(choose([40, 45], from_zero=True).low, 0)

    def test_nothing_or_one_value_still_makes_an_axis(self) -> None:
        self.assertEqual(choose([]), Axis(0, 1))
        self.assertEqual(choose([float("nan")], ceiling=1), Axis(0, 1))
        self.assertEqual(choose([0.914], ceiling=1), Axis(0, 1))
        for value in (0.0, 5.0, -5.0, 0.0001, 1e10):
            axis = choose([value])
            self.assertTrue(axis.low <= value <= axis.high, value)

    def test_fractions_are_held_within_and_past_is_told(self) -> None:
        axis = Axis(0, 10)
        self.assertEqual(axis.fraction([-5, 0, 2.5, 10, 20]).tolist(), [0, 0, 0.25, 1, 1])
        self.assertEqual([axis.past(v) for v in (-1, 0, 10, 10 + 1e-12, 11)], [-1, 0, 0, 0, 1])

    def test_a_backward_or_endless_axis_is_refused(self) -> None:
        for low, high in ((1, 1), (2, 1), (0, float("inf")), (float("nan"), 1), (-1.7e308, 1.7e308)):
            with self.assertRaises(ValueError):
                Axis(low, high)

    def test_given_ends_have_one_answer(self) -> None:
        chosen = Axis(10, 30)
        for low, high, wanted in (
            (None, None, (10, 30)), (0, None, (0, 30)), (None, 50, (10, 50)), (0, 50, (0, 50)),
            (40, None, (40, 60)), (None, 5, (-15, 5)), (30, None, (30, 50)),  # the chosen end gives way
            (7, 7, (10, 30)), (9, 8, (10, 30)), (1e300, None, (10, 30)), (None, -1e300, (10, 30)),  # nothing to draw
            (-1.7e308, 1.7e308, (10, 30)),
        ):  # fmt: skip
            with self.subTest(low=low, high=high):
                found = with_ends(chosen, low, high)
                self.assertEqual((found.low, found.high), wanted)


class Properties(unittest.TestCase):
    @given(st.lists(sizes, min_size=1, max_size=12), st.booleans())
    def test_everything_fits_and_ticks_lie_inside_in_order(self, values: list[float], from_zero: bool) -> None:
        axis = choose(values, from_zero=from_zero)
        slack = (axis.high - axis.low) * 1e-9
        self.assertLessEqual(axis.low - slack, min(values))
        self.assertGreaterEqual(axis.high + slack, max(values))
        found = ticks(axis)
        self.assertLessEqual(len(found), 6)
        self.assertEqual(found, sorted(found))
        self.assertTrue(all(axis.low <= tick <= axis.high for tick in found))

    @given(sizes, sizes, st.integers(1, 12))
    def test_never_more_ticks_than_asked(self, one: float, other: float, most: int) -> None:
        if one == other:
            return
        self.assertLessEqual(len(ticks(Axis(min(one, other), max(one, other)), most)), most)
