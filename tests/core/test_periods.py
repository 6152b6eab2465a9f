"""Grains, financial years, spans, and readings over them: every sentence of how periods behave."""

import dataclasses
import datetime as dt
import itertools
import unittest
from typing import Any

import numpy as np
import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from ironmark.core import formula as f
from ironmark.core import formula_nodes
from ironmark.core.expand import as_level, expand
from ironmark.core.marks import EVERYONE, TOGETHER, MarkEntry, Owner
from ironmark.core.periods import GRAINS, Grain, PartSoFar, Period, complete_for_most, part_of, pieces, timeline
from ironmark.core.reading import read
from ironmark.core.readings import Kpi, Readings
from ironmark.core.yardstick import Cut, Yardstick
from ironmark.tables.cells import NoPeriod
from ironmark.tables.columns import ColumnSource

APRIL = 4


class Grains(unittest.TestCase):
    def test_what_is_written_is_read_and_written_again(self) -> None:
        for key, start, end, label, short in (
            ("2026-10-07", "2026-10-07", "2026-10-07", "7 October 2026", "7 Oct 2026"),
            ("2026-W01", "2025-12-29", "2026-01-04", "Week 1, 2026", "W1 2026"),
            ("2026-10", "2026-10-01", "2026-10-31", "October 2026", "Oct 2026"),
            ("2026-Q4", "2026-10-01", "2026-12-31", "Q4 2026", "Q4 2026"),
            ("2026", "2026-01-01", "2026-12-31", "2026", "2026"),
            ("2026-04..2026-09", "2026-04-01", "2026-09-30", "Apr 2026 – Sep 2026", "Apr 2026 – Sep 2026"),
        ):
            period = Period.parse(key)
            self.assertEqual(
                (period.key, period.start.isoformat(), period.end.isoformat(), period.label, period.short),
                (key, start, end, label, short),
            )

    def test_a_span_of_one_is_that_one(self) -> None:
        self.assertEqual(Period.parse("2026-01..2026-01"), Period.parse("2026-01"))

    def test_a_financial_year_begins_in_any_month_and_is_named_so(self) -> None:
        year, quarter = Period.parse("2026", APRIL), Period.parse("2026-Q4", APRIL)
        self.assertEqual((year.label, year.start, year.end), ("2026/27", dt.date(2026, 4, 1), dt.date(2027, 3, 31)))
        self.assertEqual((quarter.label, quarter.start), ("Q4 2026/27", dt.date(2027, 1, 1)))
        self.assertEqual(Period.of(dt.date(2027, 3, 31), "year", APRIL), year)
        self.assertEqual(Period.of(dt.date(2027, 3, 31), "quarter", APRIL), quarter)

    def test_what_cannot_be_read_says_how_it_is_written(self) -> None:
        for text in (
            "soon",
            "2026-13",
            "2026-Q5",
            "2026-W54",
            "2026-02-30",
            "2026-01..2026-Q3",
            "2026-03..2026-01",
            "..",
        ):
            with self.assertRaises(ValueError, msg=text):
                Period.parse(text)

    @given(
        st.dates(dt.date(1900, 1, 1), dt.date(2200, 1, 1)),
        st.sampled_from(GRAINS),
        st.integers(1, 12),
        st.integers(1, 9),
    )
    def test_every_day_lies_in_one_period_of_a_grain(self, day: dt.date, grain: Grain, start: int, length: int) -> None:
        period = Period.of(day, grain, start)
        self.assertTrue(period.start <= day <= period.end)
        self.assertEqual(period.shift(1).start, period.end + dt.timedelta(days=1))
        self.assertEqual(Period.parse(period.key, start), period)
        span = Period(period.ordinal - length + 1, grain, length, start)
        self.assertEqual(Period.parse(span.key, start), span)
        line = timeline(span, day - dt.timedelta(days=400), day)
        self.assertEqual(line[-1], span)
        self.assertTrue(line[0].start <= day - dt.timedelta(days=400))
        self.assertTrue(all(a.shift(1) == b for a, b in itertools.pairwise(line)))
        first, last = span.units
        self.assertEqual(Period(first, span.unit).start, span.start)
        self.assertEqual(Period(last - 1, span.unit).end, span.end)

    def test_a_year_back_is_the_same_day_week_or_month(self) -> None:
        for key, expected in (
            ("2024-02-29", "2023-02-28"), ("2026-03-01", "2025-03-01"), ("2027-W01", "2026-W01"), ("2021-W53", None),
            ("2020-W53", "2019-W52"), ("2026-02", "2025-02"), ("2026-Q2", "2025-Q2"), ("2026-02..2026-06", "2025-02..2025-06"),
        ):  # fmt: skip
            if expected:
                self.assertEqual(Period.parse(key).years_back(1).key, expected)

    def test_pieces(self) -> None:
        parts, of = pieces([Period.parse("2026-Q1"), Period.parse("2026-Q2")], "month")
        self.assertEqual([p.key for p in parts][2:4], ["2026-03", "2026-04"])
        self.assertEqual(of, [0, 0, 0, 1, 1, 1])
        self.assertEqual(len(pieces([Period.parse("2026-W05")], "day")[0]), 7)

    def test_a_year_or_a_span_can_be_partial_too(self) -> None:
        part = part_of(Period.parse("2026"), dt.date(2026, 11, 21))
        assert part is not None
        self.assertEqual(part.words, "325 of 365 days")


def source(days: dict[str, list[float]], through: str = "2026-12-31") -> ColumnSource:
    """Rows of routes a and b by day: their amounts."""
    rows = [
        (dt.date.fromisoformat(day), route, v, 10.0)
        for day, vs in days.items()
        for route, v in zip("ab", vs, strict=False)
    ]
    frame = pl.DataFrame(
        rows, schema={"day": pl.Date, "route": pl.String, "fare": pl.Float64, "trips": pl.Float64}, orient="row"
    )
    return ColumnSource(frame, "day", ["route"], dt.date.fromisoformat(through))


def taken(text: str, nature: Any, rows: ColumnSource, key: str, entries: Any = (), **how: Any) -> Readings:
    tree = expand(f.parse(text))
    kpi = Kpi(
        "k", "K", as_level(tree) if nature == "stock" else tree, nature=nature, pro_rating=how.pop("pro_rating", "days")
    )
    period = Period.parse(key, how.pop("year_start", 1))
    return read(kpi, rows, entries, ["target"] if entries else [], how.pop("yardstick", None),
                periods=timeline(period, rows.first, rows.last), **how)  # fmt: skip


def at(readings: Readings, key: str, member: int = 0) -> float:
    p = readings.period_index(Period.parse(key, readings.periods[0].year_start))
    assert p is not None
    return float(readings.value[p, member])


MONTHS = {f"2026-{m:02d}-15": [float(m), 2.0 * m] for m in range(1, 13)}
TARGET = [MarkEntry("target", TOGETHER, Period.parse("2025-01"), 10.0)]
ALIKE = [MarkEntry("target", EVERYONE, Period.parse("2025-01"), 10.0)]


class OverSpans(unittest.TestCase):
    def test_over_a_span_a_flow_is_summed_and_a_rate_recomputed(self) -> None:
        rows = source(MONTHS)
        self.assertEqual(at(taken("sum(fare)", "flow", rows, "2026-Q2"), "2026-Q2"), 45)
        self.assertEqual(at(taken("sum(fare)", "flow", rows, "2026-02..2026-06"), "2026-02..2026-06"), 60)
        rate = taken("sum(fare) / sum(trips)", "rate", rows, "2026-Q2", by="route")
        self.assertEqual(at(rate, "2026-Q2"), 0.5)

    def test_a_flow_that_does_not_add_up_by_its_formula_is_summed_month_by_month(self) -> None:
        rows = source(MONTHS)
        self.assertEqual(at(taken("greatest(sum(fare) - 12, 0)", "flow", rows, "2026-Q2"), "2026-Q2"), 0 + 3 + 6)
        self.assertEqual(at(taken("greatest(sum(fare) - 12, 0)", "rate", rows, "2026-Q2"), "2026-Q2"), 33)
        self.assertEqual(at(taken("distinct(route)", "flow", rows, "2026-Q2"), "2026-Q2"), 6)

    def test_a_stock_takes_its_last_value_of_each_member(self) -> None:
        rows = source({"2026-01-05": [1, 2], "2026-01-19": [3], "2026-02-02": [7, 8], "2026-03-30": [9]})
        by = taken("sum(fare)", "stock", rows, "2026-01", by="route")
        self.assertEqual((at(by, "2026-01", 0), at(by, "2026-01", 1)), (3, 2))
        quarter = taken("sum(fare)", "stock", rows, "2026-Q1", by="route")
        self.assertEqual((at(quarter, "2026-Q1", 0), at(quarter, "2026-Q1", 1)), (9, 8))
        self.assertEqual(at(taken("sum(fare)", "stock", rows, "2026-02"), "2026-02"), 15)

    def test_levels_of_several_members_add_up_each_its_own_last(self) -> None:
        rows = source({"2026-01-05": [1, 2], "2026-01-19": [3], "2026-02-02": [7, 8], "2026-03-30": [9]})
        self.assertEqual(at(taken("sum(fare)", "stock", rows, "2026-01"), "2026-01"), 3 + 2)
        self.assertEqual(at(taken("sum(fare)", "stock", rows, "2026-Q1"), "2026-Q1"), 9 + 8)
        ratio = taken("sum(fare) / sum(trips)", "stock", rows, "2026-Q1")
        self.assertEqual(at(ratio, "2026-Q1"), 17 / 20)  # recomputed from those last rows
        self.assertEqual(at(taken("median(fare)", "stock", rows, "2026-Q1"), "2026-Q1"), 8.5)

    def test_marks_follow_and_a_two_year_sum_never_meets_a_one_year_target(self) -> None:
        rows = source({**MONTHS, "2025-01-15": [1, 1]})
        found = taken("sum(fare)", "flow", rows, "2025..2026", TARGET)
        self.assertEqual(found.marks["target"].ravel().tolist(), [240.0])
        rate = taken("sum(fare) / sum(trips)", "rate", rows, "2025..2026", ALIKE)
        self.assertEqual(rate.marks["target"].ravel().tolist(), [10.0])

    def test_a_rate_s_changing_mark_is_weighted_by_its_denominator(self) -> None:
        rows = source({"2026-01-10": [1], "2026-02-10": [1], "2026-02-11": [1], "2026-02-12": [1]})
        entries = [*ALIKE, MarkEntry("target", EVERYONE, Period.parse("2026-02"), 20.0)]
        found = taken("sum(fare) / sum(trips)", "rate", rows, "2026-01..2026-02", entries)
        self.assertAlmostEqual(found.marks["target"][0, 0], (10 * 10 + 20 * 30) / 40)

    def test_plain_cuts_of_a_flow_are_for_a_month_and_grow_with_the_period(self) -> None:
        rows, cuts = source(MONTHS), Yardstick(("short", "met"), (Cut(15.0),))
        for key, expected in (("2026-05", 15), ("2026-Q2", 45), ("2026", 180)):
            found = taken("sum(fare)", "flow", rows, key, yardstick=cuts)
            self.assertEqual(found.cuts[0, -1, 0], expected)
        rate = taken("sum(fare) / sum(trips)", "rate", rows, "2026", yardstick=cuts)
        self.assertEqual(rate.cuts[0, 0, 0], 15)

    def test_several_members_together_are_measured_against_theirs_together(self) -> None:
        long_ago = Period.parse("2025-01")
        entries = [
            MarkEntry("target", Owner.each("route"), long_ago, 10.0),
            MarkEntry("target", Owner.member(route="b"), long_ago, 4.0),
        ]
        rows = source(MONTHS)
        flow = taken("sum(fare)", "flow", rows, "2026-01", entries, where={"route": ["a", "b"]})
        self.assertEqual(flow.marks["target"][0, 0], 14)
        rate = taken("sum(fare) / sum(trips)", "rate", rows, "2026-01", entries, where={"route": ["a", "b"]})
        self.assertEqual(rate.marks["target"][0, 0], 7)


class Incomplete(unittest.TestCase):
    ROWS = {"2025-11-05": [30.0], "2025-11-25": [10.0], "2026-11-05": [33.0]}

    def test_a_flow_s_marks_are_pro_rated_by_days_and_a_rate_s_are_not(self) -> None:
        rows = source(self.ROWS, "2026-11-21")
        self.assertAlmostEqual(taken("sum(fare)", "flow", rows, "2026-11", TARGET).marks["target"][-1, 0], 7)
        self.assertEqual(taken("mean(fare)", "rate", rows, "2026-11", ALIKE).marks["target"][-1, 0], 10)
        self.assertEqual(taken("sum(fare)", "stock", rows, "2026-11", TARGET).marks["target"][-1, 0], 10)

    def test_or_by_last_year_s_shape_of_the_same_period(self) -> None:
        rows = source(self.ROWS, "2026-11-21")
        found = taken("sum(fare)", "flow", rows, "2026-11", TARGET, pro_rating="last_year")
        self.assertEqual(found.marks["target"][-1, 0], 7.5)
        self.assertEqual(found.state(len(found.periods) - 1, 0), None)
        year = taken("sum(fare)", "flow", rows, "2026", TARGET, pro_rating="last_year")
        self.assertAlmostEqual(year.marks["target"][-1, 0], 10 * 10 + 10 * 0.75)  # December is to come

    def test_a_year_its_quarters_and_its_months_tell_the_same_story(self) -> None:
        # 20,000 a month, November and December 120,000, rows through 21 October.
        entries = [
            MarkEntry("target", TOGETHER, Period.parse("2025-01"), 20_000.0),
            MarkEntry("target", TOGETHER, Period.parse("2026-11"), 120_000.0),
        ]
        rows = source({f"2026-{m:02d}-15": [1.0] for m in range(1, 11)}, "2026-10-21")
        expected = 9 * 20_000 + 20_000 * 21 / 31
        for key in ("2026", "2026-01..2026-10", "2026-Q1..2026-Q4"):
            self.assertAlmostEqual(
                taken("sum(fare)", "flow", rows, key, entries).marks["target"][-1, 0], expected, msg=key
            )
        quarters = taken("sum(fare)", "flow", rows, "2026-Q4", entries).marks["target"][:, 0]
        months = taken("sum(fare)", "flow", rows, "2026-10", entries).marks["target"][:, 0]
        self.assertAlmostEqual(quarters.sum(), expected)
        self.assertAlmostEqual(months.sum(), expected)
        cuts = Yardstick(("short", "met"), (Cut(1000.0),))
        year = taken("sum(fare)", "flow", rows, "2026", entries, yardstick=cuts)
        self.assertAlmostEqual(year.cuts[0, -1, 0], 9_000 + 1_000 * 21 / 31)

    def test_rows_after_the_complete_day_are_not_read(self) -> None:
        rows = source({"2026-11-05": [33.0], "2026-11-22": [1000.0], "2026-12-01": [5.0]}, "2026-11-21")
        self.assertEqual((rows.last, rows.height), (dt.date(2026, 11, 5), 1))
        self.assertEqual(at(taken("sum(fare)", "flow", rows, "2026-11"), "2026-11"), 33)
        with self.assertRaises(NoPeriod):
            source({"2026-11-22": [1.0]}, "2026-11-21")

    def test_without_a_last_year_it_goes_by_days(self) -> None:
        rows = source({"2026-11-05": [33.0]}, "2026-11-21")
        found = taken("sum(fare)", "flow", rows, "2026-11", TARGET, pro_rating="last_year")
        self.assertAlmostEqual(found.marks["target"][-1, 0], 7)


class SeveralDatasets(unittest.TestCase):
    """A formula over several datasets reads them over the same days."""

    def both(self, text: str, key: str, entries: Any = (), nature: Any = "flow") -> Readings:
        days = lambda last: {f"2026-{m:02d}-{d:02d}": [1.0] for m in (8, 9, 10) for d in range(1, 31) if f"2026-{m:02d}-{d:02d}" <= last}  # noqa: E731  # fmt: skip
        fines, costs = source(days("2026-10-14"), "2026-10-14"), source(days("2026-10-31"), "2026-10-31")
        its = expand(f.parse("sum(fare)"))
        costs_of = lambda _: formula_nodes.rebuilt(its, lambda n: dataclasses.replace(n, dataset="costs") if isinstance(n, formula_nodes.Aggregate) else n)  # noqa: E731  # fmt: skip
        kpi = Kpi("k", "K", expand(f.parse(text), costs_of), nature=nature)
        line = timeline(Period.parse(key), fines.first, costs.last)
        return read(kpi, fines, entries, ["target"] if entries else [], None, others={"costs": costs}, periods=line)

    def test_both_are_read_as_far_as_the_first_of_them_goes(self) -> None:
        for key, expected in (("2026-09", 0.0), ("2026-10", 0.0), ("2026-08..2026-10", 0.0), ("2026", 0.0)):
            found = self.both("sum(fare) - @costs", key)
            self.assertEqual(at(found, key), expected, key)
        only = self.both("@costs + 0 * sum(fare)", "2026-10")
        self.assertEqual((at(only, "2026-10"), only.partial_periods[-1]), (14, PartSoFar(14, 31)))
        self.assertEqual(at(self.both("@costs", "2026-10"), "2026-10"), 30, "what it reads alone goes to its own end")

    def test_its_mark_is_of_the_same_days(self) -> None:
        found = self.both("sum(fare) + @costs", "2026-10", TARGET)
        self.assertAlmostEqual(found.marks["target"][-1, 0], 10 * 14 / 31)
        before = self.both("prior(@costs) + 0 * sum(fare)", "2026-10")
        self.assertEqual(at(before, "2026-10"), 14, "of the month before the same part")

    def test_complete_is_what_most_is_complete_for(self) -> None:
        first, last = Period.parse("2026-01"), Period.parse("2026-11")
        october, september, november = dt.date(2026, 10, 31), dt.date(2026, 9, 30), dt.date(2026, 11, 30)
        for through, expected in (
            ([(october, 1)], "2026-10"), ([(september, 3), (november, 2)], "2026-09"), ([(september, 2), (november, 3)], "2026-11"),
            ([(september, 1), (november, 1)], "2026-09"), ([(september, 1), (october, 1), (november, 1)], "2026-10"),
            ([(dt.date(2026, 10, 14), 5), (october, 1)], "2026-09"),
        ):  # fmt: skip
            self.assertEqual(complete_for_most(first, last, through).key, expected, through)


class OverTime(unittest.TestCase):
    def test_a_year_ago_holds_at_every_grain_and_for_any_span(self) -> None:
        rows = source({"2025-02-10": [5], "2025-03-01": [7], "2026-02-10": [10], "2026-03-01": [21]})
        for key, expected in (
            ("2026-02-10", 2), ("2026-02", 2), ("2026-Q1", 31 / 12), ("2026", 31 / 12), ("2026-02..2026-06", 31 / 12), ("2026-W09", 3),
        ):  # fmt: skip
            found = taken("sum(fare) / year_ago(sum(fare))", "rate", rows, key)
            self.assertAlmostEqual(at(found, key), expected, msg=key)

    def test_prior_and_rolling_count_periods_of_the_grain(self) -> None:
        rows = source(MONTHS)
        self.assertEqual(at(taken("prior(sum(fare))", "rate", rows, "2026-Q2"), "2026-Q2"), 18)
        self.assertEqual(at(taken("rolling(sum(fare), 2)", "rate", rows, "2026-Q2"), "2026-Q2"), 63)

    def test_a_level_over_a_span_reads_its_last_period(self) -> None:
        rows = source(MONTHS)
        for nature in ("rate", "stock"):
            for n, expected in ((2, 3 * (5 + 6)), (6, 3 * 21), (12, float("nan"))):
                found = at(taken(f"rolling(sum(fare), {n})", nature, rows, "2026-04..2026-06"), "2026-04..2026-06")
                np.testing.assert_equal(found, expected, f"{nature} {n}")
        year = taken("rolling(sum(fare), 12)", "rate", rows, "2026-10..2026-12")
        self.assertEqual(at(year, "2026-10..2026-12"), 3 * 78)
        together = taken("rolling(sum(fare), 2)", "rate", rows, "2026-01,2026-04")
        self.assertEqual(at(together, "2026-01,2026-04"), 3 * (3 + 4))

    def test_a_window_as_a_flow_s_mark_adds_up_over_a_span(self) -> None:
        rows = source({f"2026-{m:02d}-02": [31.0 * m] for m in range(1, 11)}, "2026-10-21")
        formula = expand(f.parse("rolling(sum(fare), 3) / 3"))
        kpi = Kpi("k", "K", f.parse("sum(fare)"), nature="flow")

        def mark(key: str) -> float:
            line = timeline(Period.parse(key), rows.first, rows.last)
            found = read(kpi, rows, [], ["target"], None, periods=line, computed={"target": formula})
            p = found.period_index(Period.parse(key))
            assert p is not None
            return float(found.marks["target"][p, 0])

        self.assertAlmostEqual(mark("2026-08"), 31 * 7)
        self.assertAlmostEqual(mark("2026-08..2026-10"), 31 * 7 + 31 * 8 + 31 * 9 * 21 / 31)
        self.assertAlmostEqual(mark("2026-09..2026-12"), 31 * 8 + 31 * 9 * 21 / 31)  # what is to come has none

    def test_a_year_so_far_by_weeks_goes_by_their_thursdays(self) -> None:
        first = dt.date(2025, 12, 29)  # the Monday of week 1 of 2026
        days = {(first + dt.timedelta(days=n)).isoformat(): [1.0] for n in range(7 * 55)}
        rows = source(days, "2027-01-17")
        for key, expected in (("2026-W01", 7), ("2026-W53", 371), ("2027-W01", 7), ("2027-W02", 14)):
            self.assertEqual(at(taken("to_date(sum(fare))", "rate", rows, key), key), expected, key)
        self.assertEqual(at(taken("year_ago(sum(fare))", "rate", rows, "2027-W01"), "2027-W01"), 7)

    def test_the_year_so_far_is_the_financial_one(self) -> None:
        rows = source(MONTHS)
        found = taken("to_date(sum(fare))", "rate", rows, "2026-06", year_start=APRIL)
        self.assertEqual(at(found, "2026-06"), 45)
        self.assertEqual(at(found, "2026-03"), 18)
        self.assertEqual(at(taken("to_date(sum(fare))", "rate", rows, "2026-06"), "2026-06"), 63)

    def test_they_have_a_value_wherever_their_rows_do(self) -> None:
        rows = source({"2026-01-10": [4.0], "2026-03-10": [6.0]})
        self.assertEqual(at(taken("to_date(sum(fare))", "stock", rows, "2026-02"), "2026-02"), 4)
        self.assertEqual(at(taken("rolling(sum(fare), 2)", "stock", rows, "2026-02"), "2026-02"), 4)
        self.assertEqual(at(taken("prior(sum(fare))", "flow", rows, "2026-02"), "2026-02"), 4)
        self.assertTrue(np.isnan(at(taken("sum(fare)", "flow", rows, "2026-02"), "2026-02")))

    def test_a_flow_s_prior_is_the_period_of_the_same_length_before(self) -> None:
        rows = source(MONTHS)
        for text in ("prior(sum(fare))", "prior(least(sum(fare), 100))"):  # the second is summed month by month
            self.assertEqual(at(taken(text, "flow", rows, "2026-Q2"), "2026-Q2"), 18, text)
        as_mark = taken(
            "sum(fare)", "flow", rows, "2026-Q2", TARGET, computed={"target": expand(f.parse("prior(sum(fare))"))}
        )
        self.assertEqual(as_mark.marks["target"][1, 0], 30)  # the book goes before the formula
        alone = read(
            Kpi("k", "K", f.parse("sum(fare)"), nature="flow"), rows, [], ["target"], None,
            periods=as_mark.periods, computed={"target": expand(f.parse("prior(sum(fare))"))},
        )  # fmt: skip
        self.assertEqual(alone.marks["target"][1, 0], 18)

    def test_of_a_partial_period_the_same_part_is_read(self) -> None:
        rows = source(
            {"2025-11-05": [3.0], "2025-11-25": [4.0], "2026-10-05": [5.0], "2026-10-25": [6.0], "2026-11-05": [7.0]},
            "2026-11-21",
        )
        self.assertEqual(at(taken("year_ago(sum(fare))", "flow", rows, "2026-11"), "2026-11"), 3)
        self.assertEqual(at(taken("prior(sum(fare))", "flow", rows, "2026-11"), "2026-11"), 5)
        self.assertEqual(at(taken("year_ago(sum(fare))", "flow", rows, "2026"), "2026"), 3)
        self.assertEqual(at(taken("year_ago(to_date(sum(fare)))", "stock", rows, "2026-11"), "2026-11"), 3)

    def test_both_ways_back_read_through_the_same_day(self) -> None:
        # Rows every day of 2023 and of 2024, a leap year, through 20 October.
        first, last = dt.date(2023, 1, 1), dt.date(2024, 10, 20)
        rows = source({(first + dt.timedelta(days=n)).isoformat(): [1.0] for n in range((last - first).days + 1)}, str(last))  # fmt: skip
        for text in ("prior(sum(fare))", "year_ago(sum(fare))"):
            self.assertEqual(at(taken(text, "rate", rows, "2024"), "2024"), 293, text)
        # Quarter and span: the day so many months earlier; a month that is shorter is read whole.
        self.assertEqual(at(taken("prior(sum(fare))", "rate", rows, "2024-Q4"), "2024-Q4"), 20)
        self.assertEqual(at(taken("prior(sum(fare))", "rate", rows, "2024-09..2024-10"), "2024-09..2024-10"), 31 + 20)
        for through, key, expected in (("2024-02-28", "2024-02", 28), ("2024-03-30", "2024-03", 29), ("2024-02-29", "2024-Q1", 59)):  # fmt: skip
            cut = source({(first + dt.timedelta(days=n)).isoformat(): [1.0] for n in range(460)}, through)
            text = "prior(sum(fare))" if key == "2024-03" else "year_ago(sum(fare))"
            self.assertEqual(at(taken(text, "rate", cut, key), key), expected, key)
        weeks = source({(first + dt.timedelta(days=n)).isoformat(): [1.0] for n in range(60)}, "2023-02-22")
        self.assertEqual(at(taken("prior(sum(fare))", "rate", weeks, "2023-W08"), "2023-W08"), 3)

    def test_a_computed_window_is_whole_so_a_flow_s_mark_of_it_is_pro_rated(self) -> None:
        rows = source({f"2026-{m:02d}-02": [31.0] for m in range(1, 11)}, "2026-10-21")
        formula = expand(f.parse("prior(rolling(sum(fare), 3)) / 3"))
        kpi = Kpi("k", "K", f.parse("sum(fare)"), nature="flow")
        line = timeline(Period.parse("2026-10"), rows.first, rows.last)
        found = read(kpi, rows, [], ["target"], None, periods=line, computed={"target": formula})
        np.testing.assert_allclose(found.marks["target"][-2:, 0], [31, 21])

    def test_a_share_is_one_of_everything_however_it_is_read(self) -> None:
        rows = source(MONTHS)
        by = taken("share(sum(fare))", "rate", rows, "2026-03", by="route")
        self.assertAlmostEqual(at(by, "2026-03", 0), 1 / 3)
        for where in ({"route": ["a"]}, {"route": ("a",), "none": []}):
            self.assertAlmostEqual(
                at(taken("share(sum(fare))", "rate", rows, "2026-03", where=where), "2026-03"), 1 / 3
            )
        self.assertEqual(at(taken("share(sum(fare))", "rate", rows, "2026-03"), "2026-03"), 1)

    def test_a_level_in_another_formula_is_still_read_as_one(self) -> None:
        rows = source({"2026-01-05": [100], "2026-01-31": [50], "2026-02-01": [1]})
        level = as_level(expand(f.parse("sum(trips)")))
        tree = expand(f.parse("sum(fare) / @crew"), lambda _: level)
        kpi = Kpi("k", "K", tree)
        found = read(kpi, rows, [], [], None, periods=timeline(Period.parse("2026-01"), rows.first, rows.last))
        # Of each series the last rows of the month: 10 trips, 10 trips.
        np.testing.assert_equal(found.value[:, 0], [15.0, 0.1])


class Together(unittest.TestCase):
    """Periods that are no neighbours, read as one."""

    def test_they_are_written_named_and_counted(self) -> None:
        years = Period.parse("2023,2021")
        self.assertEqual((years.key, years.label, years.days), ("2021,2023", "2021 and 2023", 730))
        self.assertEqual((years.start, years.end), (dt.date(2021, 1, 1), dt.date(2023, 12, 31)))
        self.assertEqual(Period.parse("2021,2022").key, "2021..2022")
        mixed = Period.parse("2026-06,2026-01..2026-03")
        self.assertEqual([run.key for run in mixed.runs], ["2026-01..2026-03", "2026-06"])
        self.assertEqual([hole.key for hole in mixed.holes], ["2026-04..2026-05"])
        self.assertEqual(mixed.label, "Jan 2026 – Mar 2026 and Jun 2026")
        self.assertEqual(
            [part.key for part in pieces([mixed], "month")[0]], ["2026-01", "2026-02", "2026-03", "2026-06"]
        )
        self.assertEqual((years.shift(-1).key, years.years_back(1).key), ("2018,2020", "2020,2022"))

    def test_a_part_is_counted_over_what_is_chosen(self) -> None:
        months = Period.parse("2026-01,2026-06")
        self.assertEqual(part_of(months, dt.date(2026, 6, 10)), PartSoFar(41, 61))
        self.assertEqual(part_of(months, dt.date(2026, 3, 10)), PartSoFar(31, 61))
        self.assertIsNone(part_of(months, dt.date(2026, 6, 30)))

    def test_what_cannot_be_read_together_says_why(self) -> None:
        for text, said in (
            ("2021,2026-01", "all of one kind"),
            ("2021,", "no period"),
            ("1000-01-01,2026-01-01", "apart"),
        ):
            with self.assertRaisesRegex(ValueError, said):
                Period.parse(text)
        with self.assertRaisesRegex(ValueError, "at most 60"):
            Period.parse(",".join(str(year) for year in range(1900, 2026, 2)))

    @given(st.lists(st.integers(24_000, 24_060), min_size=1, max_size=12))
    def test_it_is_parsed_back_and_holds_what_was_chosen(self, ordinals: list[int]) -> None:
        made = Period.together([Period(ordinal) for ordinal in ordinals])
        self.assertEqual(Period.parse(made.key), made)
        self.assertEqual([part.ordinal for part in pieces([made], "month")[0]], sorted(set(ordinals)))
