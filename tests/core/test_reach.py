"""The reach of an instrument: which period it reads beside the page's own."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from ironmark.core.periods import Period
from ironmark.core.scope_shift import REACHES, reached, shift_words


def key(page: str, reach: str, *, year_start: int = 1, **more: object) -> str:
    return reached(Period.parse(page, year_start), reach, **more).key  # type: ignore[arg-type]


class Reach(unittest.TestCase):
    def test_each_beside_october(self) -> None:
        self.assertEqual(key("2026-10", "page"), "2026-10")
        self.assertEqual(key("2026-10", "before"), "2026-09")
        self.assertEqual(key("2026-10", "year_earlier"), "2025-10")
        self.assertEqual(key("2026-10", "to_date"), "2026-01..2026-10")
        self.assertEqual(key("2026-10", "last", last=3), "2026-08..2026-10")
        self.assertEqual(key("2026-10", "year"), "2026")
        self.assertEqual(key("2026-10", "fixed", fixed="2023"), "2023")

    def test_the_financial_year_begins_where_the_calendar_says(self) -> None:
        self.assertEqual(key("2026-10", "to_date", year_start=4), "2026-04..2026-10")
        self.assertEqual(key("2026-02", "to_date", year_start=4), "2025-04..2026-02")
        self.assertEqual(key("2026-02", "year", year_start=4), "2025")
        self.assertEqual(key("2026-Q2", "to_date", year_start=4), "2026-Q1..2026-Q2")

    def test_spans_move_by_their_own_length(self) -> None:
        self.assertEqual(key("2026-04..2026-06", "before"), "2026-01..2026-03")
        self.assertEqual(key("2026-04..2026-06", "last", last=2), "2026-05..2026-06")
        self.assertEqual(key("2026-04..2026-06", "last", last=12), "2025-07..2026-06")
        self.assertEqual(key("2026-04..2026-06", "to_date"), "2026-01..2026-06")

    def test_weeks_belong_to_the_year_their_thursday_is_in(self) -> None:
        # 2026 has 53 weeks: the last one ends on 3 January 2027.
        self.assertEqual(key("2026-W53", "to_date"), "2026-W01..2026-W53")
        self.assertEqual(key("2027-W01", "to_date"), "2027-W01")
        self.assertEqual(key("2027-W02", "to_date"), "2027-W01..2027-W02")
        self.assertEqual(key("2025-W01", "to_date"), "2025-W01")  # it begins on 30 December 2024
        self.assertEqual(key("2026-W53", "year"), "2026")
        self.assertEqual(key("2026-W53", "year_earlier"), "2025-W52")
        # The financial year from April 2026 begins on a Wednesday: its first Thursday is the next day.
        self.assertEqual(key("2026-W14", "to_date", year_start=4), "2026-W14")
        self.assertEqual(key("2026-W13", "to_date", year_start=4), "2025-W14..2026-W13")

    @given(
        st.sampled_from(("2026-10", "2026-Q3", "2026", "2026-W43", "2026-10-21", "2026-04..2026-09")),
        st.integers(1, 12),
    )
    def test_what_is_up_to_now_ends_with_the_page_and_begins_with_the_year(self, page: str, start: int) -> None:
        period = Period.parse(page, start)
        to_date = reached(period, "to_date")
        self.assertEqual(to_date.end, period.end)
        self.assertEqual(to_date, period.year if period.grain == "year" else to_date)
        self.assertLess(abs((to_date.start - period.year.start).days), 4)  # weeks go by their Thursday
        self.assertEqual(period.year, to_date.first_unit.year)
        for reach in REACHES:
            read = reached(period, reach, 4, "2024-05")
            self.assertEqual(read, Period.parse(read.key, start))
            self.assertEqual(bool(shift_words(period, read, reach, 4)), reach != "page")
