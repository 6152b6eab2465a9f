"""Colours, palettes and ramps, against published values and worked examples."""

import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from ironmark.core import colour, palette
from ironmark.core.ramp import RAMPS, Ramp, anchored

# Sharma, Wu & Dalal (2005), table 1: L*, a*, b* of two colours and their CIEDE2000 difference.
PUBLISHED = [
    ((50.0, 2.6772, -79.7751), (50.0, 0.0, -82.7485), 2.0425),
    ((50.0, 3.1571, -77.2803), (50.0, 0.0, -82.7485), 2.8615),
    ((50.0, 2.8361, -74.02), (50.0, 0.0, -82.7485), 3.4412),
    ((50.0, -1.3802, -84.2814), (50.0, 0.0, -82.7485), 1.0),
    ((50.0, -0.9009, -85.5211), (50.0, 0.0, -82.7485), 1.0),
    ((50.0, 0.0, 0.0), (50.0, -1.0, 2.0), 2.3669),
    ((50.0, 2.49, -0.001), (50.0, -2.49, 0.0009), 7.1792),
    ((50.0, 2.49, -0.001), (50.0, -2.49, 0.0011), 7.2195),
    ((50.0, -0.001, 2.49), (50.0, 0.0009, -2.49), 4.8045),
    ((50.0, 2.5, 0.0), (73.0, 25.0, -18.0), 27.1492),
    ((50.0, 2.5, 0.0), (61.0, -5.0, 29.0), 22.8977),
    ((50.0, 2.5, 0.0), (56.0, -27.0, -3.0), 31.903),
    ((50.0, 2.5, 0.0), (58.0, 24.0, 15.0), 19.4535),
    ((60.2574, -34.0099, 36.2677), (60.4626, -34.1751, 39.4387), 1.2644),
    ((63.0109, -31.0961, -5.8663), (62.8187, -29.7946, -4.0864), 1.263),
    ((22.7233, 20.0904, -46.694), (23.0331, 14.973, -42.5619), 2.0373),
    ((90.8027, -2.0831, 1.441), (91.1528, -1.6435, 0.0447), 1.4441),
    ((6.7747, -0.2908, -2.4247), (5.8714, -0.0985, -2.2286), 0.6377),
    ((2.0776, 0.0795, -1.135), (0.9033, -0.0636, -0.5514), 0.9082),
]
hexes = st.integers(0, 0xFFFFFF).map(lambda number: f"#{number:06x}")


class Colours(unittest.TestCase):
    def test_differences_are_the_published_ones(self) -> None:
        ones, others, expected = (np.array(column) for column in zip(*PUBLISHED, strict=True))
        np.testing.assert_allclose(colour.distance(ones, others), expected, atol=5e-5)
        np.testing.assert_allclose(colour.distance(others, ones), expected, atol=5e-5)

    def test_contrast_is_that_of_the_guidelines(self) -> None:
        self.assertAlmostEqual(colour.contrast("#000000", "#ffffff"), 21.0)
        self.assertAlmostEqual(colour.contrast("#777777", "#ffffff"), 4.48, places=2)
        self.assertAlmostEqual(colour.contrast("#ffffff", "#767676"), 4.54, places=2)

    def test_lab_of_the_primaries(self) -> None:
        expected = [(53.24, 80.09, 67.20), (87.73, -86.18, 83.18), (32.30, 79.19, -107.86), (100.0, 0.0, 0.0)]
        found = colour.lab(colour.rgb(["#ff0000", "#00ff00", "#0000ff", "#ffffff"]))
        np.testing.assert_allclose(found, expected, atol=0.02)

    def test_greys_stay_grey_for_everybody(self) -> None:
        greys = colour.rgb(["#000000", "#404040", "#8a8a8a", "#ffffff"])
        for vision in colour.VISIONS:
            np.testing.assert_allclose(colour.seen(greys, vision), greys, atol=2e-3)

    def test_without_red_or_green_cones_red_and_green_come_near_each_other(self) -> None:
        both = colour.rgb(["#c0392b", "#3f8f3f"])
        far = colour.distance(*(colour.lab(both[i : i + 1]) for i in (0, 1)))[0]
        for vision in ("protan", "deutan"):
            seen = colour.seen(both, vision)
            near = colour.distance(*(colour.lab(seen[i : i + 1]) for i in (0, 1)))[0]
            self.assertLess(near, far / 2, vision)

    @given(hexes)
    def test_written_and_read_back(self, text: str) -> None:
        self.assertEqual(colour.written(colour.rgb([text])), [text])
        back = colour.from_oklab(colour.oklab(colour.rgb([text])))
        np.testing.assert_allclose(back, colour.rgb([text]), atol=2e-3)

    def test_what_is_no_colour_is_told(self) -> None:
        for text in ("red", "#12345", "#12345g", ""):
            with self.assertRaisesRegex(ValueError, "write it as"):
                colour.rgb([text])


class Palettes(unittest.TestCase):
    def test_every_palette_of_the_product_passes(self) -> None:
        self.assertGreaterEqual(len(palette.PALETTES), 4)
        for known in palette.PALETTES.values():
            with self.subTest(known.name):
                self.assertEqual([doubt.words for doubt in palette.doubts(known.states)], [])

    def test_states_of_a_palette_have_signs_of_their_own(self) -> None:
        for known in palette.PALETTES.values():
            self.assertEqual(len({state.sign for state in known.states}), len(known.states))
            self.assertEqual([state.rank for state in known.states], list(range(1, len(known.states) + 1)))
            self.assertEqual({palette.palette_of(state.key) for state in known.states}, {known.key})

    def test_a_failing_pair_is_named_with_how_far_it_is_apart(self) -> None:
        short, near, *rest = palette.STANDARD.states
        alike = replace(near, colour="#b2404c", dark="")
        found = palette.doubts((short, alike, *rest))
        first = next(doubt for doubt in found if doubt.vision == "full")
        self.assertEqual(first.states, ("short", "near"))
        self.assertLess(first.found, first.needed)
        self.assertRegex(first.words, r"Short and Near look alike to everybody: \d\.\d apart, 15 needed")

    def test_red_and_green_are_flagged_for_those_who_cannot_tell_them(self) -> None:
        states = (
            palette.State("a", "Bad", 1, "far-under", "#b0503a"),
            palette.State("b", "Good", 2, "far-over", "#6d7a2a"),
        )
        visions = {doubt.vision for doubt in palette.doubts(states)}
        self.assertTrue(visions & {"protan", "deutan"})
        self.assertNotIn("full", visions)

    def test_a_colour_lost_on_the_page_is_flagged(self) -> None:
        pale = replace(palette.STANDARD.states[1], colour="#f4efe0", dark="")
        self.assertTrue(any("lost on the page" in doubt.words for doubt in palette.doubts((pale,))))

    @given(hexes, st.booleans())
    def test_words_can_be_read_on_their_tint_and_on_the_plate(self, text: str, dark: bool) -> None:
        shades = palette.shades(palette.State("x", "X", 1, "on", text), dark)
        self.assertGreaterEqual(colour.contrast(shades.word, shades.tint), palette.READ - 1e-9)
        self.assertGreaterEqual(colour.contrast(shades.on, shades.full), 4.0)


class Ramps(unittest.TestCase):
    def test_anchors_take_their_colours_and_what_lies_past_them_too(self) -> None:
        ramp = Ramp(("#000000", "#ffffff"), (10.0, 20.0))
        self.assertEqual(ramp.shades(np.array([5.0, 10.0, 20.0, 99.0])), ["#000000", "#000000", "#ffffff", "#ffffff"])
        self.assertEqual(ramp.shades(np.array([np.nan])), [None])

    def test_the_extent_is_the_data_s_own(self) -> None:
        ramp = anchored(("#000000", "#ffffff"), np.array([3.0, np.nan, 7.0]), "extent", 0, None, 100)
        self.assertEqual(ramp.anchors, (3.0, 7.0))

    def test_given_ends_and_an_open_one(self) -> None:
        ramp = anchored(("#000000", "#ffffff"), np.array([3.0, 7.0]), "ends", None, None, 10.0)
        self.assertEqual(ramp.anchors, (3.0, 10.0))

    def test_around_a_middle_each_side_runs_to_its_own_end(self) -> None:
        ramp = anchored(RAMPS["tideline"], np.array([-2.0, 10.0]), "midpoint", None, 0.0, None)
        self.assertEqual(ramp.anchors, (-2.0, 0.0, 10.0))
        self.assertEqual(ramp.shades(np.array([0.0])), [RAMPS["tideline"][1]])

    def test_low_middle_and_high_that_are_given_are_all_used(self) -> None:
        for colours in (RAMPS["tideline"], RAMPS["slate"]):
            ramp = anchored(colours, np.array([-2.0, 10.0]), "midpoint", 0.0, 2.0, 10.0)
            self.assertEqual(ramp.anchors, (0.0, 2.0, 10.0))
            self.assertEqual((ramp.colours[0], ramp.colours[-1]), (colours[0], colours[-1]))
        one_given = anchored(RAMPS["tideline"], np.array([-2.0, 10.0]), "midpoint", None, 0.0, 4.0)
        self.assertEqual(one_given.anchors, (-2.0, 0.0, 4.0))

    def test_a_side_on_which_there_is_nothing_runs_as_far_as_the_other(self) -> None:
        for middle, anchors in ((20.0, (-2.0, 20.0, 42.0)), (-6.0, (-22.0, -6.0, 10.0)), (10.0, (-2.0, 10.0, 22.0))):
            ramp = anchored(RAMPS["tideline"], np.array([-2.0, 10.0]), "midpoint", None, middle, None)
            self.assertEqual(ramp.anchors, anchors)
        alone = anchored(RAMPS["tideline"], np.array([3.0]), "midpoint", None, 3.0, None)
        self.assertEqual(alone.anchors, (2.0, 3.0, 4.0))

    def test_one_value_alone_has_a_place(self) -> None:
        for value in (0.0, 5.0, -3.0):
            ramp = anchored(("#000000", "#ffffff"), np.array([value]), "extent", None, None, None)
            self.assertLess(ramp.anchors[0], ramp.anchors[1])

    def test_falling_anchors_are_refused(self) -> None:
        with self.assertRaisesRegex(ValueError, "rise"):
            Ramp(("#000000", "#ffffff"), (2.0, 1.0))
        with self.assertRaisesRegex(ValueError, "two or three"):
            Ramp(("#000000",), (2.0,))

    def test_two_colours_grow_darker_all_the_way(self) -> None:
        for name in ("slate", "heather", "moss"):
            light = colour.lab(colour.rgb(Ramp(RAMPS[name], (0.0, 1.0)).steps(9)))[:, 0]
            self.assertTrue(np.all(np.diff(light) < 0), name)

    def test_the_two_ends_around_a_middle_are_told_apart_by_everybody(self) -> None:
        for name in ("tideline", "dusk"):
            for vision in ("full", "protan", "deutan", "tritan"):
                ends = colour.lab(colour.seen(colour.rgb([RAMPS[name][0], RAMPS[name][2]]), vision))
                self.assertGreater(colour.distance(ends[:1], ends[1:])[0], 15, f"{name} {vision}")
