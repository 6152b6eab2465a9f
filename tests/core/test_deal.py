"""Bands dealt out evenly and by shares."""

import itertools
import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from ironmark.core.propose import deal, dealt_states, shares_of
from ironmark.core.yardstick import MAX_BANDS, MIN_BANDS, STATES


class Shares(unittest.TestCase):
    def test_what_is_missing_or_too_much_is_told(self) -> None:
        for typed, says in (
            ((0.4, 0.3, 0.2), "come to 90 %; 10 % is missing"), ((0.6, 0.5), "come to 110 %; 10 % is too much"),
            ((1.0,), "2 to 12 shares"), ((0.5, 0.5, 0.0), "above zero"), ((float("nan"), 1.0), "above zero"),
        ):  # fmt: skip
            with self.assertRaisesRegex(ValueError, says):
                shares_of(typed)
        self.assertEqual(shares_of((0.7, 0.2, 0.1)).tolist(), [0.7, 0.2, 0.1])
        self.assertEqual(len(shares_of([1 / 3] * 3)), 3)


class Dealt(unittest.TestCase):
    def test_an_even_split_and_uneven_shares_of_an_axis(self) -> None:
        self.assertEqual([c.offset for c in deal("higher", shares_of([0.25] * 4)).cuts], [0.25, 0.5, 0.75])
        made = deal("lower", shares_of([0.7, 0.2, 0.1]), low=0, high=200)
        self.assertEqual(([c.offset for c in made.cuts], made.bands), ([140, 180], ("met", "near", "short")))

    def test_shares_of_readings_are_quantiles(self) -> None:
        made = deal("higher", shares_of([0.5, 0.5]), values=np.arange(101.0))
        self.assertEqual([c.offset for c in made.cuts], [50])
        self.assertEqual(len(deal("higher", shares_of([0.5, 0.5]), values=np.array([np.nan])).cuts), 1)

    @given(st.integers(MIN_BANDS, MAX_BANDS), st.sampled_from(("higher", "lower", "inside")))
    def test_states_run_from_worst_to_best_as_the_direction_has_it(self, count: int, direction: str) -> None:
        ranks = [STATES[key].rank for key in dealt_states(direction, count)]
        self.assertEqual(len(ranks), count)
        if direction == "inside":
            self.assertEqual(ranks, ranks[::-1])
            self.assertEqual(ranks[: (count + 1) // 2], sorted(ranks[: (count + 1) // 2]))
        else:
            self.assertEqual(ranks, sorted(ranks, reverse=direction == "lower"))

    @given(st.lists(st.integers(1, 40), min_size=2, max_size=12), st.floats(-1e6, 1e6), st.floats(0.001, 1e6))
    def test_cuts_rise_within_the_axis(self, parts: list[int], low: float, span: float) -> None:
        made = deal("higher", np.array(parts) / sum(parts), low=low, high=low + span)
        cuts = [low, *(cut.offset for cut in made.cuts), low + span]
        self.assertTrue(all(a <= b + 1e-6 * span for a, b in itertools.pairwise(cuts)))
