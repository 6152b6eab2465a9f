"""Spreading a figure, headings that are periods, and cells that must not run."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from ironmark.core.marks import spread
from ironmark.core.numbers import Unit
from ironmark.core.periods import Period
from ironmark.publish.sheets import as_csv, number_form, safe
from tests.styles import ENGLISH


class Spread(unittest.TestCase):
    @given(
        st.integers(-(10**12), 10**12),
        st.lists(st.floats(0, 1e6), min_size=1, max_size=40).filter(lambda found: sum(found) > 0),
        st.integers(0, 4),
    )
    def test_parts_add_up_to_the_last_unit_and_stay_within_one_of_their_share(
        self, units: int, weights: list[float], decimals: int
    ) -> None:
        total = units / 10**decimals
        parts = spread(total, np.array(weights), decimals)
        self.assertEqual(sum(round(float(part) * 10**decimals) for part in parts), units)
        exact = units * np.array(weights) / sum(weights)
        self.assertLessEqual(float(np.abs(parts * 10**decimals - exact).max()), 1 + 1e-3 + 1e-9 * abs(units))

    def test_nothing_to_go_by_is_refused(self) -> None:
        for weights in ([], [0.0, 0.0], [1.0, -1.0]):
            with self.assertRaises(ValueError):
                spread(1, np.array(weights), 0)


class Headings(unittest.TestCase):
    def test_periods_as_people_head_columns(self) -> None:
        for text, key in (
            ("Oct 2026", "2026-10"), ("october 2026", "2026-10"), ("Oct. 2026", "2026-10"), ("2026-10", "2026-10"),
            ("2026-10-01", "2026-10"), ("2026-10-01T00:00:00", "2026-10"), ("2026-10-07", "2026-10-07"), ("Q3 2026", "2026-Q3"),
            ("Q3 2026/27", "2026-Q3"), ("2026/27", "2026"), ("2026", "2026"), ("2026-W07", "2026-W07"),
        ):  # fmt: skip
            found = Period.guess(text)
            assert found is not None, text
            self.assertEqual(found.key, key)
        for text in ("Note", "Route", "", "Octopus 2026", "12", "Q5 2026"):
            self.assertIsNone(Period.guess(text), text)


class Cells(unittest.TestCase):
    def test_nothing_runs(self) -> None:
        self.assertEqual(
            [safe(t) for t in ("=1+1", "+1", "-1", "@x", "a=b", "")], ["'=1+1", "'+1", "'-1", "'@x", "a=b", ""]
        )
        self.assertIn(b"'=cmd", as_csv(["=cmd"], [["x", 1.5, None, 2.0]]))
        self.assertIn(b"x,1.5,,2\r\n", as_csv(["a"], [["x", 1.5, None, 2.0]]))

    def test_units_as_number_formats(self) -> None:
        self.assertEqual(number_form(Unit("percent", 1), ENGLISH), "0.0%")
        self.assertEqual(number_form(Unit("currency", 2), ENGLISH), '"£"#,##0.00')
        self.assertEqual(number_form(Unit(), ENGLISH), "#,##0")
