"""Rules written by hand: read in many spellings, mended, and turned into bands that grade the same."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from ironmark.core.numbers import Unit
from ironmark.core.pasted_rules import NotARule, turn
from ironmark.core.yardstick import Yardstick, grade
from tests.styles import ENGLISH

PLAIN, PERCENT = Unit("number", 1), Unit("percent", 1)


def states(yardstick: Yardstick, values: list[float]) -> list[str]:
    cuts = np.array([cut.offset for cut in yardstick.cuts])
    bands = grade(yardstick, np.array(values), np.repeat(cuts[:, None], len(values), axis=1))
    return [yardstick.bands[band] for band in bands]


class Spellings(unittest.TestCase):
    def test_one_meaning_in_many_spellings(self) -> None:
        for text in (
            "< 500 red\n>= 500 and < 700 amber\n>= 700 green",
            "green: at least 700\namber: between 500 and 699.999\nbelow 500: red",
            "under 500 → short; 500 - 700 near; 700 and above met",
            "700 or more good\n500 to 700 warning\nless than 500 bad",
            "700 <= x green\n500 <= x amber\nx < 500 red",
            "if x >= 700 then green\nif 500 <= x < 700 then amber\notherwise red",
            "≥ 700 Met\n500–700 Near\nelse Short",
            "x >= £700 green\nx >= £500 amber\nx < £500 red",
        ):
            with self.subTest(text):
                found = turn(text, PLAIN, ENGLISH).yardstick
                assert found is not None
                self.assertEqual(
                    states(found, [-10, 499.9, 500, 650, 700, 5000]), ["short", "short", "near", "near", "met", "met"]
                )

    def test_percents_and_fractions_are_read_as_percents_and_told(self) -> None:
        found = turn("< 0.85 red\n0.85 to 92 amber\n>= 92% green", PERCENT, ENGLISH)
        assert found.yardstick is not None
        self.assertEqual([cut.offset for cut in found.yardstick.cuts], [0.85, 0.92])
        self.assertEqual([f.kind for f in found.findings], ["scale"])
        self.assertEqual(turn("< 85 red\n>= 85% green", PERCENT, ENGLISH).findings, ())

    def test_which_side_a_cut_belongs_to(self) -> None:
        found = turn("<= 5 green\n> 5 red", PLAIN, ENGLISH).yardstick
        assert found is not None
        self.assertEqual((found.bands, found.cuts[0].belongs), (("met", "short"), "below"))
        self.assertEqual(states(found, [5, 5.1]), ["met", "short"])

    def test_a_range_takes_what_its_neighbour_leaves_out(self) -> None:
        for text, at_85, at_92 in (
            ("amber 85-92\ngreen > 92\nred < 85", "near", "near"),
            ("amber 85 - 92; green >= 92; red <= 85", "short", "met"),
            ("amber 85 to 92\ngreen 92 to 100\nred < 85", "near", "met"),
            ("amber 85 up to but not including 92\ngreen 92–100\nred below 85", "near", "met"),
        ):
            with self.subTest(text):
                found = turn(text, PLAIN, ENGLISH)
                assert found.yardstick is not None
                self.assertEqual(states(found.yardstick, [85, 92]), [at_85, at_92])
                self.assertNotIn("overlap", [finding.kind for finding in found.findings])

    def test_of_two_bounds_on_one_side_the_tighter_holds(self) -> None:
        for text in ("> 5 and >= 5 red", ">= 5 and > 5 red", "> 5 and > 3 red"):
            rule = turn(f"{text}\n<= 5 green", PLAIN, ENGLISH).rules[0]
            self.assertEqual((rule.low, rule.closed[0]), (5, False), text)

    def test_a_rule_may_hold_for_one_number_and_must_for_any(self) -> None:
        found = turn(">= 5 and <= 5 amber\n< 5 red\n> 5 green", PLAIN, ENGLISH)
        first = found.rules[0]
        self.assertEqual((first.low, first.high, first.closed), (5, 5, (True, True)))
        for text in ("> 5 and <= 5 amber", ">= 5 and < 5 amber", "> 6 and < 5 amber"):
            with self.assertRaisesRegex(NotARule, "ends before it begins"):
                turn(text, PLAIN, ENGLISH)

    def test_a_range_with_a_dash_or_the_word_to_is_one(self) -> None:
        for low, high in (("500", "700"), ("-7", "-2"), ("85%", "92%")):
            unit = PERCENT if "%" in low else PLAIN
            made = [
                turn(f"{low} {sign} {high} amber\n> {high} green\n< {low} red", unit, ENGLISH)
                for sign in ("to", "-", "–")
            ]
            self.assertEqual(made[0].yardstick, made[1].yardstick)
            self.assertEqual(made[0].yardstick, made[2].yardstick)

    def test_what_is_no_rule_says_what_to_write(self) -> None:
        for text, says in (
            ("", "one rule a line"), (">= 500 purple", "names no state"), ("green", "names no number"),
            ("> 700 and < 500 red", "ends before it begins"), ("\n".join(["> 1 red"] * 99), "at most 60"),
        ):  # fmt: skip
            with self.assertRaisesRegex(NotARule, says):
                turn(text, PLAIN, ENGLISH)


class Mended(unittest.TestCase):
    def kinds(self, text: str) -> list[str]:
        return [finding.kind for finding in turn(text, PLAIN, ENGLISH).findings]

    def test_a_gap_is_told_and_given_to_the_worse_neighbour(self) -> None:
        found = turn("< 500 red\n> 600 green", PLAIN, ENGLISH)
        assert found.yardstick is not None
        self.assertEqual(states(found.yardstick, [550, 600, 601]), ["short", "met", "met"])
        self.assertEqual([f.kind for f in found.findings], ["gap"])
        self.assertIn("500.0 to 600.0 is; it was given to Short and Met", found.findings[0].message)

    def test_a_single_number_nobody_has_goes_up(self) -> None:
        found = turn("< 500 red\n> 500 green", PLAIN, ENGLISH)
        assert found.yardstick is not None
        self.assertEqual(states(found.yardstick, [500]), ["met"])
        self.assertIn("exactly 500.0", found.findings[0].message)

    def test_rules_in_the_wrong_order(self) -> None:
        found = turn("> 500 amber\n> 700 green\n<= 500 red", PLAIN, ENGLISH)
        assert found.yardstick is not None
        self.assertEqual(states(found.yardstick, [500, 600, 701]), ["short", "near", "met"])
        self.assertEqual({f.kind for f in found.findings}, {"order", "unreachable"})

    def test_an_overlap_goes_to_the_first(self) -> None:
        found = turn("<= 600 red\n>= 500 green", PLAIN, ENGLISH)
        assert found.yardstick is not None
        self.assertEqual(states(found.yardstick, [550, 600, 601]), ["short", "short", "met"])
        self.assertEqual(self.kinds("<= 600 red\n>= 500 green"), ["overlap"])

    def test_one_band_is_no_yardstick(self) -> None:
        self.assertIsNone(turn("> 5 green\n<= 5 green", PLAIN, ENGLISH).yardstick)

    @given(
        st.lists(st.integers(-50, 50), min_size=1, max_size=6, unique=True).map(sorted),
        st.data(),
    )
    def test_rules_without_fault_grade_as_they_are_written(self, cuts: list[int], data: st.DataObject) -> None:
        names = ["red", "amber", "green", "blue"]
        chosen = [data.draw(st.sampled_from(names))]
        for _ in cuts:
            chosen.append(data.draw(st.sampled_from([name for name in names if name != chosen[-1]])))
        ends = [data.draw(st.booleans()) for _ in cuts]  # whether the number belongs to the band above
        lines = []
        for at, name in enumerate(chosen):
            low = f"{'>=' if ends[at - 1] else '>'} {cuts[at - 1]}" if at else ""
            high = f"{'<' if ends[at] else '<='} {cuts[at]}" if at < len(cuts) else ""
            lines.append(" and ".join(part for part in (low, high) if part) + f" {name}")
        found = turn("\n".join(data.draw(st.permutations(lines))), PLAIN, ENGLISH)
        self.assertEqual(found.findings, ())
        assert found.yardstick is not None
        keys = {"red": "short", "amber": "near", "green": "met", "blue": "beyond"}
        values = [float(v) for cut in cuts for v in (cut - 0.25, cut, cut + 0.25)]
        expected = [
            keys[chosen[sum(v > cut or (v == cut and end) for cut, end in zip(cuts, ends, strict=True))]]
            for v in values
        ]
        self.assertEqual(states(found.yardstick, values), expected)
