"""Numbers as typed and as shown."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from ironmark.core.numbers import (
    NotANumber,
    Unit,
    UnitKind,
    round_half_up,
    rounded,
    show,
    show_gap,
    style_of,
    understand,
)
from ironmark.core.words import show_cut, show_line, show_mark
from tests.styles import ENGLISH, GERMAN

PERCENT = Unit("percent", 1)
POUNDS = Unit("currency", 1, "GBP", compact=True)
LITRES = Unit("number", 1, text="L")


class Marks(unittest.TestCase):
    def test_a_mark_has_the_decimals_it_was_typed_with_and_one_put_together_those_of_the_readings(self) -> None:
        pounds = Unit("currency", 0, "GBP")
        self.assertEqual(
            [show_mark(value, PERCENT, ENGLISH) for value in (0.92, 0.8825, 0.914741)], ["92%", "88.25%", "91.5%"]
        )
        self.assertEqual(show_mark(127.8274123, Unit("number", 2), ENGLISH), "127.83")
        self.assertEqual(
            [show_line(value, PERCENT, ENGLISH) for value in (0.92, 0.85125, 0.850968)], ["92%", "85.125%", "85.10%"]
        )
        self.assertEqual(
            [show_mark(value, pounds, ENGLISH) for value in (470, 976.5, 976.6938)], ["£470", "£976.5", "£977"]
        )


class Typed(unittest.TestCase):
    def test_a_percent_typed_in_three_ways_is_one_number(self) -> None:
        for text in ("88", "88%", "0.88", " 88 % ", "88,0", "0,88", "+88"):
            self.assertAlmostEqual(understand(text, PERCENT, ENGLISH), 0.88, msg=text)

    def test_a_percent_sign_always_counts(self) -> None:
        self.assertAlmostEqual(understand("0.5%", PERCENT, ENGLISH), 0.005)
        self.assertAlmostEqual(understand("1%", PERCENT, ENGLISH), 0.01)
        self.assertEqual(understand("1", PERCENT, ENGLISH), 1.0)
        for text in ("0,885", "0.885", ",885", "88,5", "88.5%"):
            self.assertAlmostEqual(understand(text, PERCENT, ENGLISH), 0.885, msg=text)
        self.assertAlmostEqual(understand("−7 points", PERCENT, ENGLISH), -0.07)

    def test_thousands_and_decimals_are_told_apart(self) -> None:
        for text, value in (
            ("£1,234.50", 1234.5), ("1.234,50", 1234.5), ("1 234,5", 1234.5), ("1,234", 1234), ("1.2k", 1200),
            ("£3m", 3e6), ("2bn", 2e9), ("1,234,567", 1234567), ("1.234.567", 1234567), ("-12", -12), ("−12", -12),
            ("12,5", 12.5), (".5", 0.5), ("1e3", 1000), ("GBP 40", 40),
        ):  # fmt: skip
            self.assertAlmostEqual(understand(text, POUNDS, ENGLISH), value, msg=text)

    def test_what_is_no_number_says_what_to_type(self) -> None:
        for text in ("", "abc", "12 apples", "1..2e", "--3", "%", "=1+1"):
            with self.subTest(text), self.assertRaises(NotANumber) as caught:
                understand(text, PERCENT, ENGLISH)
            self.assertIn("88%", str(caught.exception))
        with self.assertRaises(NotANumber):
            understand("5%", LITRES, ENGLISH)
        with self.assertRaises(NotANumber):
            understand("1e308k", LITRES, ENGLISH)

    @given(st.floats(-1e9, 1e9).map(lambda value: round(value, 1)))
    def test_what_is_shown_reads_back(self, value: float) -> None:
        self.assertAlmostEqual(understand(show(value, LITRES, ENGLISH), LITRES, ENGLISH), value)

    @given(st.floats(-5, 5).filter(lambda value: abs(value) > 0.02).map(lambda value: round(value, 3)))
    def test_a_shown_percent_reads_back(self, value: float) -> None:
        self.assertAlmostEqual(understand(show(value, PERCENT, ENGLISH), PERCENT, ENGLISH), value)


class Shown(unittest.TestCase):
    def test_by_unit(self) -> None:
        for value, unit, text in (
            (0.90785, PERCENT, "90.8%"), (412_600, POUNDS, "£412.6k"), (1_154_000, POUNDS, "£1.2m"), (-3, Unit(), "−3"),
            (41.23, LITRES, "41.2 L"), (12_345, Unit(), "12,345"), (999_960, POUNDS, "£1.0m"), (0.0001, Unit("number", 4), "0.0001"),
            (10_000_000_000, Unit(), "10,000,000,000"), (-0.0001, Unit(), "0"), (5, Unit("currency", 2, "EUR"), "€5.00"), (5, Unit("currency", 0, "SEK"), "SEK\u00a05"),
            (float("nan"), PERCENT, ""),
        ):  # fmt: skip
            self.assertEqual(show(value, unit, ENGLISH), text)

    def test_cuts_show_the_decimals_they_need(self) -> None:
        for value, unit, text in (
            (0.92, PERCENT, "92%"), (0.925, PERCENT, "92.5%"), (1_180_000, POUNDS, "£1.18m"), (14, Unit(), "14"),
            (46.25, LITRES, "46.25 L"), (0.85 + 1e-17, PERCENT, "85%"), (401_123, POUNDS, "£401.123k"),
        ):  # fmt: skip
            self.assertEqual(show_cut(value, unit, ENGLISH), text)

    def test_durations(self) -> None:
        minutes, seconds = Unit("duration", 1, text="min"), Unit("duration", 0, text="s")
        for value, unit, text in (
            (4.25, minutes, "4.3 min"), (95, minutes, "1 h 35 min"), (0.5, minutes, "0.5 min"), (-95, minutes, "−1 h 35 min"),
            (42, seconds, "42 s"), (90, seconds, "2 min"), (1.5, Unit("duration", text="h"), "1 h 30 min"), (3599.9, seconds, "1 h 00 min"),
            (0, minutes, "0.0 min"),
        ):  # fmt: skip
            self.assertEqual(show(value, unit, ENGLISH), text)
        for text, value in (("1:35", 95), ("1 h 35 min", 95), ("95", 95), ("42 min", 42), ("90 s", 1.5), ("-2h", -120)):
            self.assertEqual(understand(text, minutes, ENGLISH), value, text)
        for value in (4.26, 59.97, 95.4, 0.01):
            self.assertEqual(show(rounded(value, minutes), minutes, ENGLISH), show(value, minutes, ENGLISH))

    def test_a_plus_where_it_is_wanted(self) -> None:
        signed = Unit("percent", 1, sign=True)
        self.assertEqual([show(v, signed, ENGLISH) for v in (0.031, -0.031, 0.0)], ["+3.1%", "−3.1%", "0.0%"])

    def test_numbers_as_another_locale_writes_them(self) -> None:
        self.assertEqual(show(1234.5, Unit("number", 1), GERMAN), "1.234,5")
        self.assertEqual(show(0.908, PERCENT, GERMAN), "90,8\u00a0%")
        self.assertEqual(show(1234, Unit("currency", 2, "EUR"), GERMAN), "1.234,00\u00a0€")
        self.assertEqual(understand("1.234,5", Unit(), GERMAN), 1234.5)
        with self.assertRaises(ValueError):
            style_of("nowhere_at_all")

    def test_gaps_of_percents_are_points(self) -> None:
        self.assertEqual(show_gap(-0.012, PERCENT, ENGLISH), "1.2 points")
        self.assertEqual(show_gap(0.01, Unit("percent", 0), ENGLISH), "1 point")

    def test_rounded_is_what_is_shown(self) -> None:
        self.assertEqual(rounded(0.91996, PERCENT), 0.92)
        self.assertEqual(rounded(2.345, LITRES), 2.3)
        for value, text in ((0.5, "1"), (1.5, "2"), (2.5, "3"), (-2.5, "−3"), (1.005 * 1000, "1,005")):
            self.assertEqual(show(value, Unit(), ENGLISH), text)
            self.assertEqual(show(rounded(value, Unit()), Unit(), ENGLISH), text)

    def test_a_half_goes_away_from_zero_whatever_it_is_a_half_of(self) -> None:
        for value, places, expected in (
            (2.5, 0, 3.0), (0.285, 2, 0.29), (-0.5, 0, -1.0), (25.0, -1, 30.0), (5e-7, 6, 1e-6), (1e300, 2, 1e300), (1.005, 2, 1.01),
        ):  # fmt: skip
            self.assertEqual(round_half_up(value, places), expected, value)
        minutes = Unit("duration", 0, text="min")
        self.assertEqual((show(2.5, minutes, ENGLISH), rounded(2.5, minutes)), ("3 min", 3.0))
        self.assertEqual((show(62.5, minutes, ENGLISH), rounded(62.5, minutes)), ("1 h 03 min", 63.0))
        few = Unit("number", 1, compact=True)
        self.assertEqual((show(227.4, few, ENGLISH), rounded(227.4, few)), ("227", 227.0))

    @given(
        st.floats(-1e14, 1e14) | st.integers(-4000, 4000).map(lambda n: n / 2) | st.integers(-99_999, 99_999).map(lambda n: n / 1000),
        st.sampled_from(["number", "percent", "currency", "duration"]), st.integers(0, 3), st.booleans(), st.sampled_from(["s", "min", "h"]),
    )  # fmt: skip
    def test_what_is_rounded_is_shown_as_before(
        self, value: float, kind: UnitKind, decimals: int, compact: bool, base: str
    ) -> None:
        unit = Unit(kind, decimals, text=base if kind == "duration" else "", compact=compact)
        shown = rounded(value, unit)
        self.assertEqual(show(shown, unit, ENGLISH), show(value, unit, ENGLISH))
        self.assertEqual(rounded(shown, unit), shown)

    @given(st.floats(allow_nan=False, allow_infinity=False), st.sampled_from([PERCENT, POUNDS, LITRES, Unit()]))
    def test_any_number_can_be_shown(self, value: float, unit: Unit) -> None:
        self.assertTrue(show(value, unit, ENGLISH))
        self.assertTrue(show_cut(value, unit, ENGLISH))
