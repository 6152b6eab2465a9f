"""Colours for kinds are told apart by everybody and taken for no state; own ramps are checked."""

import itertools
import unittest

from ironmark.core import colour
from ironmark.core.kinds import KINDS, OTHERS, shade_of
from ironmark.core.palette import APART, DARK_SHEET, ON_SHEET, PALETTES, SHEET, STANDARD
from ironmark.core.ramp import RAMPS, doubts


def far(one: str, other: str, vision: colour.Vision = "full") -> float:
    both = colour.lab(colour.seen(colour.rgb([one, other]), vision))
    return float(colour.distance(both[:1], both[1:])[0])


class Kinds(unittest.TestCase):
    def test_any_two_are_told_apart_by_every_colour_vision(self) -> None:
        for one, other in itertools.combinations(KINDS.values(), 2):
            for vision in ("full", "protan", "deutan", "tritan"):
                self.assertGreaterEqual(far(one, other, vision), APART[vision], f"{one} {other} {vision}")  # type: ignore[index, arg-type]

    def test_neighbours_differ_in_lightness_and_all_are_seen_on_light_and_dark(self) -> None:
        for one, other in itertools.pairwise(KINDS.values()):
            self.assertGreaterEqual(far(one, other, "grey"), APART["grey"])
        for shade in KINDS.values():
            self.assertGreaterEqual(min(colour.contrast(shade, SHEET), colour.contrast(shade, DARK_SHEET)), ON_SHEET)

    def test_none_is_taken_for_a_state(self) -> None:
        for shade in (*KINDS.values(), OTHERS):
            for palette in PALETTES.values():
                for state in palette.states:
                    self.assertGreaterEqual(far(shade, state.colour), 17 if palette == STANDARD else 9, state.key)

    def test_past_the_last_colour_all_are_one(self) -> None:
        self.assertEqual([shade_of(at) for at in (0, 7, 8, 300)], ["#bf9ed9", "#907b71", OTHERS, OTHERS])


class OwnRamps(unittest.TestCase):
    def test_those_that_come_with_the_product_pass(self) -> None:
        for name, colours in RAMPS.items():
            self.assertEqual(doubts(colours), [], name)

    def test_what_is_wrong_is_told(self) -> None:
        for colours, words in (
            (("#7a7a00", "#a0522d"), "nearly as light"),  # both ends are of one lightness
            (("#96401f", "#1f5f7a", "#5a2a10"), "two ends look alike"),
            (("#96401f", "#6b6b6b", "#f0f0ff"), "neither the lightest nor the darkest"),
            (("#2a0a00", "#ffffff", "#c9b4f0"), "darker than the other"),
        ):
            self.assertTrue(any(words in doubt for doubt in doubts(colours)), (colours, doubts(colours)))
