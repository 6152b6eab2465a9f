"""Grading: every value falls in exactly one band, and the words and the proof say the same."""

import itertools
import unittest

import numpy as np
from hypothesis import example, given
from hypothesis import strategies as st

from ironmark.core import words
from ironmark.core import yardstick as y
from ironmark.core.numbers import Unit
from ironmark.core.propose import propose
from ironmark.core.yardstick import Cut, Yardstick
from tests.styles import ENGLISH

PERCENT = Unit("percent", 1)
PUNCTUALITY = Yardstick(("short", "near", "met", "beyond"), (Cut(0.85), Cut(0.92), Cut(0.96)))


def graded(yardstick: Yardstick, values: list[float], marks: dict[str, list[float]] | None = None) -> list[int]:
    array = np.array(values, dtype=float)
    lines = {name: np.array(line, dtype=float) for name, line in (marks or {}).items()}
    return y.grade(yardstick, array, y.resolve(yardstick, lines, array.shape)).tolist()


class Grading(unittest.TestCase):
    def test_values_on_and_around_the_cuts(self) -> None:
        self.assertEqual(graded(PUNCTUALITY, [0, 0.8499, 0.85, 0.9199, 0.92, 0.96, 5]), [0, 0, 1, 1, 2, 3, 3])

    def test_a_cut_may_belong_to_the_band_below(self) -> None:
        limit = Yardstick(("met", "short"), (Cut(14, belongs="below"),))
        self.assertEqual(graded(limit, [13.9, 14, 14.1]), [0, 0, 1])

    def test_floating_point_noise_at_a_cut_counts_as_on_it(self) -> None:
        self.assertEqual(graded(PUNCTUALITY, [0.1 * 3 + 0.55, 0.92 - 1e-12, 0.92 - 1e-8]), [1, 2, 1])
        below = Yardstick(("met", "short"), (Cut(0.3, belongs="below"),))
        self.assertEqual(graded(below, [0.1 + 0.2]), [0])

    def test_cuts_from_a_mark_grade_each_against_its_own_line(self) -> None:
        own = Yardstick(("short", "near", "met"), (Cut(0, "target", 0.9), Cut(0, "target")))
        self.assertEqual(graded(own, [95, 95, 95], {"target": [90, 100, 110]}), [2, 1, 0])
        offset = Yardstick(("short", "met"), (Cut(-0.05, "target"),))
        self.assertEqual(graded(offset, [0.85, 0.849], {"target": [0.9, 0.9]}), [1, 0])

    def test_no_mark_is_not_graded_and_no_value_no_reading(self) -> None:
        own = Yardstick(("short", "met"), (Cut(0, "target"),))
        nan = float("nan")
        self.assertEqual(
            graded(own, [1, nan, nan], {"target": [nan, 1, nan]}), [y.NOT_GRADED, y.NO_READING, y.NO_READING]
        )
        self.assertEqual(graded(own, [1.0]), [y.NOT_GRADED])
        self.assertEqual(y.why_not_graded(own, [nan]), "no target in the mark book")

    def test_cuts_out_of_order_never_colour(self) -> None:
        crossed = Yardstick(("short", "near", "met"), (Cut(0, "target"), Cut(10)))
        self.assertEqual(graded(crossed, [5, 5], {"target": [4, 20]}), [1, y.NOT_GRADED])
        self.assertIn("out of order", y.why_not_graded(crossed, [20, 10]))

    def test_cuts_on_one_value_leave_an_empty_band_or_are_refused(self) -> None:
        above = Yardstick(("short", "near", "met"), (Cut(5), Cut(5)))
        self.assertEqual(graded(above, [4.9, 5, 5.1]), [0, 2, 2])
        torn = Yardstick(("short", "near", "met"), (Cut(5, belongs="below"), Cut(5)))
        self.assertEqual(graded(torn, [5]), [y.NOT_GRADED])

    def test_lower_and_inside_differ_only_in_the_states(self) -> None:
        inside = Yardstick(y.default_bands("inside"), tuple(Cut(c) for c in (50, 60, 75, 85)))
        self.assertEqual(
            [inside.bands[b] for b in graded(inside, [40, 55, 70, 80, 90])], ["short", "near", "met", "near", "short"]
        )
        self.assertEqual(y.default_bands("lower"), ("beyond", "met", "near", "short"))

    def test_a_wrong_shape_is_refused_in_words(self) -> None:
        for bands, cuts in (
            (("short",), ()),
            (("short", "met"), ()),
            (("short", "odd"), (Cut(1),)),
            (("met",) * 13, (Cut(1),) * 12),
        ):
            with self.subTest(bands), self.assertRaises(ValueError):
                Yardstick(bands, cuts)


sizes = st.floats(-1e6, 1e6, allow_nan=False)


@st.composite
def yardsticks(draw: st.DrawFn) -> Yardstick:
    lines = sorted(draw(st.lists(sizes, min_size=1, max_size=11, unique=True)))
    belongs = draw(st.lists(st.sampled_from(("above", "below")), min_size=len(lines), max_size=len(lines)))
    states = draw(
        st.lists(
            st.sampled_from([s.key for s in y.STATES.values() if "-" not in s.key]),
            min_size=len(lines) + 1,
            max_size=len(lines) + 1,
        )
    )
    return Yardstick(tuple(states), tuple(Cut(line, belongs=side) for line, side in zip(lines, belongs, strict=True)))


def by_hand(yardstick: Yardstick, value: float) -> int:
    """Grading as a plain loop over the cuts from the top down."""
    for at in range(len(yardstick.cuts), 0, -1):
        cut = yardstick.cuts[at - 1]
        on = abs(value - cut.offset) <= 1e-9 * abs(cut.offset)
        if (on and cut.belongs == "above") or (not on and value > cut.offset):
            return at
    return 0


class Properties(unittest.TestCase):
    @given(yardsticks(), st.lists(sizes, min_size=1, max_size=20))
    def test_grading_agrees_with_a_plain_loop(self, yardstick: Yardstick, values: list[float]) -> None:
        lines = [cut.offset for cut in yardstick.cuts]
        # Cuts nearer to each other than noise are one cut to the reader; they are not tried here.
        if any(b - a <= 4e-9 * max(abs(a), abs(b)) for a, b in itertools.pairwise(lines)):
            return
        values += lines
        self.assertEqual(graded(yardstick, values), [by_hand(yardstick, value) for value in values])

    @given(yardsticks())
    def test_proof_sweep_and_grading_agree(self, yardstick: Yardstick) -> None:
        lines = [cut.offset for cut in yardstick.cuts]
        if any(b - a <= 1e-3 * max(abs(a), abs(b), 1) for a, b in itertools.pairwise(lines)):
            return
        for at, proof in enumerate(y.prove(yardstick, lines)):
            above = yardstick.cuts[at].belongs == "above"
            self.assertEqual((proof.under, proof.at, proof.over), (at, at + 1 if above else at, at + 1))
        steps = y.sweep(yardstick, lines, lines[0] - 1, lines[-1] + 1)
        self.assertEqual([band for _, band in steps], list(range(len(yardstick.bands))))
        self.assertEqual([start for start, _ in steps[1:]], lines)


class Proposed(unittest.TestCase):
    VALUES = np.array([[0.81], [0.88], [0.9], [0.93], [np.nan], [0.97]])
    NONE = np.full((6, 1), np.nan)

    def test_around_the_target_where_there_is_one(self) -> None:
        made = propose(self.VALUES * 100, np.full((6, 1), 90.0), "higher", False)
        self.assertEqual(
            [(cut.mark, cut.factor) for cut in made.cuts], [("target", 0.9), ("target", 1.0), ("target", 1.1)]
        )

    def test_a_share_s_cuts_stay_below_the_whole(self) -> None:
        made = propose(self.VALUES, np.full((6, 1), 0.92), "higher", True)
        self.assertEqual([cut.offset for cut in made.cuts], [-0.06, 0.0, 0.04])
        whole = propose(self.VALUES, np.full((6, 1), 1.0), "higher", True)
        self.assertEqual((whole.bands, [cut.offset for cut in whole.cuts]), (("short", "near", "met"), [-0.05, 0.0]))

    def test_else_at_round_quantiles_of_the_history(self) -> None:
        made = propose(self.VALUES, self.NONE, "lower", True)
        lines = [cut.offset for cut in made.cuts]
        self.assertEqual(lines, sorted(lines))
        self.assertTrue(all(0.81 <= line <= 0.97 for line in lines))
        self.assertEqual(len(propose(self.VALUES, self.NONE, "inside", True).bands), 5)

    @given(st.lists(st.floats(allow_nan=False), max_size=8), st.sampled_from(("higher", "lower", "inside")))
    @example([5e-324], "higher")
    def test_whatever_the_history_the_cuts_rise_and_grade(self, values: list[float], direction: str) -> None:
        made = propose(np.array(values), np.array([np.nan]), direction, False)
        lines = y.resolve(made, {}, (1,))
        self.assertTrue(np.isfinite(lines).all())
        self.assertTrue(bool(y.ordered(made, lines)[0]))


class Words(unittest.TestCase):
    def test_a_band_says_to_whom_its_cuts_belong(self) -> None:
        said = [words.band_words(PUNCTUALITY, [0.85, 0.92, 0.96], band, PERCENT, ENGLISH) for band in range(4)]
        self.assertEqual(
            said, ["under 85%", "85% up to, not including, 92%", "92% up to, not including, 96%", "96% and over"]
        )
        limit = Yardstick(("met", "near", "short"), (Cut(10, belongs="below"), Cut(14, belongs="below")))
        said = [words.band_words(limit, [10, 14], band, Unit(), ENGLISH) for band in range(3)]
        self.assertEqual(said, ["10 and under", "over 10 up to and including 14", "over 14"])

    def test_a_cut_says_how_it_is_derived(self) -> None:
        self.assertEqual(words.cut_words(Cut(0, "target", 0.9), PERCENT, ENGLISH), "0.9 × target")
        self.assertEqual(words.cut_words(Cut(-0.05, "target"), PERCENT, ENGLISH), "target − 5 points")
        self.assertEqual(words.cut_words(Cut(0, "floor"), PERCENT, ENGLISH), "floor")
        self.assertEqual(words.cut_words(Cut(0.92), PERCENT, ENGLISH), "92%")

    def test_gaps_by_direction(self) -> None:
        self.assertEqual(
            words.gap_words(0.908, 0.92, "target", "higher", PERCENT, ENGLISH), "1.2 points under target 92%"
        )
        self.assertEqual(words.gap_words(11, 14, "limit", "lower", Unit(), ENGLISH), "3 to spare, limit 14")
        self.assertEqual(words.gap_words(15, 14, "limit", "lower", Unit(), ENGLISH), "1 past it, limit 14")
        self.assertEqual(words.gap_words(0.92, 0.92, "target", "higher", PERCENT, ENGLISH), "on target 92%")

    def test_a_reading_for_a_screen_reader(self) -> None:
        said = words.spoken("On-time departures", "90.8%", "near", "1.2 points under target")
        self.assertEqual(said, "On-time departures, 90.8%, near, 1.2 points under target")


class Moved(unittest.TestCase):
    """Crates of an orchard: plain numbers are a month's, a quarter's are three times as many."""

    def test_a_number_is_moved_in_what_it_is_counted_in(self) -> None:
        self.assertEqual(y.moved(Cut(20), 66, None, 3), Cut(22))

    def test_a_factor_of_a_mark_stays_one_and_an_offset_an_offset(self) -> None:
        self.assertEqual(y.moved(Cut(0, "target", 0.9, "below"), 60, 80), Cut(0, "target", 0.75, "below"))
        self.assertEqual(y.moved(Cut(5, "target"), 60, 80), Cut(-20, "target"))
        self.assertEqual(y.moved(Cut(0, "target", 0.9), 60, 0), Cut(60, "target", 0.9), "there is no factor of nothing")

    @given(
        st.sampled_from([Cut(7), Cut(0, "target", 0.9), Cut(-3, "target")]),
        st.floats(1, 1e6),
        st.sampled_from([1, 3, 12]),
    )
    def test_where_a_cut_is_moved_to_there_it_is(self, cut: Cut, to: float, scale: int) -> None:
        found = y.value_of(y.moved(cut, to, 50.0, scale), 50.0, scale)
        self.assertAlmostEqual(found, to, delta=50 * 0.00005 + to * 1e-11)

    def test_without_its_mark_it_comes_to_nothing_and_cannot_be_moved(self) -> None:
        self.assertTrue(np.isnan(y.value_of(Cut(1, "limit"), None)))
        with self.assertRaisesRegex(ValueError, "no limit"):
            y.moved(Cut(1, "limit"), 5, None)

    def test_numbers_lose_what_reckoning_in_binary_leaves(self) -> None:
        self.assertEqual(y.tidy(0.1 + 0.2), 0.3)
