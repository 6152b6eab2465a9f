"""Aggregating columns in memory, against a plain loop over rows."""

import datetime as dt
import math
import unittest
from collections.abc import Callable
from typing import Any
from unittest import mock

import numpy as np
import polars as pl
from hypothesis import given, settings
from hypothesis import strategies as st

from ironmark.core import formula as f
from ironmark.core import formula_nodes
from ironmark.core.evaluate import evaluate
from ironmark.core.expand import expand
from ironmark.core.periods import Period, months
from ironmark.core.readings import Totals
from ironmark.tables import columns
from ironmark.tables.cells import NoPeriod
from ironmark.tables.columns import ColumnSource

SCHEMA = {
    "day": pl.Date,
    "route": pl.String,
    "vessel": pl.String,
    "fare": pl.Float64,
    "delay": pl.Int64,
    "late": pl.Boolean,
}
rows = st.lists(
    st.tuples(
        st.dates(dt.date(2026, 1, 1), dt.date(2026, 4, 30)),
        st.sampled_from(("a", "b", None)),
        st.sampled_from(("x", "y")),
        st.one_of(st.none(), st.floats(-1e6, 1e6)),
        st.one_of(st.none(), st.integers(-5, 30)),
        st.one_of(st.none(), st.booleans()),
    ),
    min_size=1,
    max_size=40,
)
Row = dict[str, Any]


def aggregated(made: ColumnSource, tree: formula_nodes.Node, by: str | None = None, where: Any = None) -> Totals:
    return made.aggregate(formula_nodes.aggregates(tree), by, where or {}, months(made.first, made.last))


def source(data: list[tuple[Any, ...]]) -> ColumnSource:
    return ColumnSource(
        pl.DataFrame(data, schema=SCHEMA, orient="row"), "day", ["route", "vessel"], dt.date(2026, 4, 30)
    )


# Formulas and the same over a list of rows; None is no reading.
FORMULAS: dict[str, Callable[[list[Row]], float | None]] = {
    "sum(fare)": lambda rs: _sum(rs, [r["fare"] for r in rs]),
    "count()": lambda rs: float(len(rs)),
    "count(fare)": lambda rs: float(sum(r["fare"] is not None for r in rs)),
    "count(where delay <= 5)": lambda rs: float(sum(r["delay"] is not None and r["delay"] <= 5 for r in rs)),
    "mean(delay)": lambda rs: _over(rs, "delay", lambda v: sum(v) / len(v)),
    "min(fare)": lambda rs: _over(rs, "fare", min),
    "max(fare where late = yes)": lambda rs: _over([r for r in rs if r["late"] is True], "fare", max),
    "count(where not late = yes)": lambda rs: float(sum(r["late"] is False for r in rs)),
    "count(where late is blank or delay > 10 and fare != 0)": lambda rs: float(
        sum(
            r["late"] is None or bool(r["delay"] is not None and r["delay"] > 10 and r["fare"] not in (None, 0))
            for r in rs
        )
    ),
    'count(where vessel in ("x", "q"))': lambda rs: float(sum(r["vessel"] == "x" for r in rs)),
    'sum(delay where day >= "2026-02-15")': lambda rs: _sum(
        [r for r in rs if r["day"] >= dt.date(2026, 2, 15)],
        [r["delay"] for r in rs if r["day"] >= dt.date(2026, 2, 15)],
    ),
}


def _sum(matching: list[Row], values: list[float | None]) -> float | None:
    known = [value for value in values if value is not None]
    return None if matching and not known else float(sum(known))


def _over(found: list[Row], name: str, what: Callable[[list[float]], float]) -> float | None:
    known = [r[name] for r in found if r[name] is not None]
    return float(what(known)) if known else None


class AgainstALoop(unittest.TestCase):
    @settings(max_examples=60)
    @given(
        rows,
        st.sampled_from(sorted(FORMULAS)),
        st.sampled_from((None, "route", "vessel")),
        st.sampled_from(((), ("a",), ("a", "(blank)"))),
        st.booleans(),
    )
    def test_every_aggregate_and_condition(
        self, data: list[tuple[Any, ...]], text: str, by: str | None, chosen: tuple[str, ...], many: bool
    ) -> None:
        tree = f.parse(text)
        with mock.patch.object(
            columns, "MANY_ROWS", 0 if many else len(data) + 1
        ):  # of many, cells are those of finer ones
            totals = aggregated(source(data), tree, by, {"route": chosen} if chosen else {})
        values = np.where(totals.rows > 0, evaluate(tree, totals.parts), np.nan)
        dicts = [dict(zip(SCHEMA, row, strict=True)) for row in data]
        for p, period in enumerate(totals.periods):
            for m, member in enumerate(totals.members):
                mine = [
                    r
                    for r in dicts
                    if Period.of(r["day"]) == period
                    and (not chosen or (r["route"] or "(blank)") in chosen)
                    and (by is None or (r[by] or "(blank)") == member)
                ]
                expected = FORMULAS[text](mine) if mine else None
                self.assertEqual(int(totals.rows[p, m]), len(mine))
                if expected is None:
                    self.assertTrue(math.isnan(values[p, m]))
                else:
                    self.assertAlmostEqual(values[p, m], expected, delta=1e-6 * max(1, abs(expected)))


class OverMonths(unittest.TestCase):
    """Windows, wholes, and aggregates that have to see their rows together."""

    DATA = [
        (dt.date(2025, month, 3), member, "x", float(value), value, value > 5)
        for month, values in ((10, (1, 10)), (11, (2, 20)), (12, (3, 30)))
        for member, value in zip(("a", "b"), values, strict=True)
    ] + [(dt.date(2026, 1, 3), "a", "y", 4.0, 4, False), (dt.date(2026, 1, 4), "a", "y", 8.0, 4, False)]

    def worked(self, text: str, by: str | None = "route", **where: list[str]) -> list[list[float]]:
        tree = expand(f.parse(text))
        totals = aggregated(source(self.DATA), tree, by, where)
        found: list[list[float]] = np.broadcast_to(evaluate(tree, totals.parts), totals.rows.shape).T.tolist()
        return found

    def same(self, found: list[list[float]], expected: list[list[float]]) -> None:
        np.testing.assert_allclose(np.array(found), np.array(expected))

    @settings(max_examples=60, deadline=None)
    @given(rows, st.sampled_from([*FORMULAS, "share(sum(fare))", "rolling(mean(fare), 2)"]), st.data())
    def test_rows_kept_of_a_scope_come_to_the_same(self, data: list[tuple[Any, ...]], text: str, drawn: Any) -> None:
        """Of many rows those of a scope are kept; of few all combinations are."""
        tree = expand(f.parse(text), lambda _: None)  # type: ignore[arg-type, return-value]
        by = drawn.draw(st.sampled_from([None, "route", "vessel"]))
        made = source(data)
        scope = {
            name: drawn.draw(st.lists(st.sampled_from([*made.members[name], "nobody"]), min_size=1, unique=True))
            for name in drawn.draw(st.lists(st.sampled_from(["route", "vessel"]), unique=True))
        }
        plain = aggregated(made, tree, by, scope)
        with mock.patch.object(columns, "MANY_ROWS", 0):
            kept = aggregated(source(data), tree, by, scope)
        self.assertEqual(plain.members, kept.members)
        np.testing.assert_array_equal(plain.rows, kept.rows)
        for one, held in plain.parts.items():
            np.testing.assert_allclose(held, kept.parts[one], rtol=1e-9, atol=1e-6)

    def test_cells_are_given_up_where_they_take_too_much_room(self) -> None:
        days = [dt.date(2026, 1, 1 + n % 28) for n in range(400)]
        frame = pl.DataFrame({"day": days, "x": [float(n) for n in range(400)]} | {
            f"s{at}": [f"{n % 20}" for n in range(400)] for at in range(6)
        })  # fmt: skip
        with mock.patch.object(columns, "MOST_PART_BYTES", 20_000):
            made = ColumnSource(frame, "day", [f"s{at}" for at in range(6)], dt.date(2026, 1, 28))
            tree = f.parse("sum(x)")
            for one in range(6):
                for other in range(one):
                    found = aggregated(made, tree, f"s{one}", {f"s{other}": ["3"]})
                    self.assertEqual(found.rows.sum(), sum(n % 20 == 3 for n in range(400)))
            held = sum(columns._bytes(cells) for cells in made._cells.values())
        self.assertLess(held, 60_000)
        self.assertLess(len(made._cells), 15)  # of as many pairs

    def test_rolling_adds_up_full_windows_only(self) -> None:
        nan = math.nan
        self.same(self.worked("rolling(sum(fare), 2)"), [[nan, 3, 5, 15], [nan, 30, 50, 30]])
        self.same(self.worked("rolling(mean(fare), 2)"), [[nan, 1.5, 2.5, 5], [nan, 15, 25, 30]])
        self.same(self.worked("rolling(max(fare), 3)", by=None), [[nan, nan, 30, 30]])

    def test_a_mean_over_months_of_members_without_rows_is_none(self) -> None:
        frame = pl.DataFrame({"day": [dt.date(2026, 5, 3)], "orchard": ["Hill"], "crates": [4.0]})
        rows = ColumnSource(frame, "day", ["orchard"], dt.date(2026, 5, 31))
        tree = expand(f.parse("rolling(mean(crates), 2)"))
        found = rows.aggregate(formula_nodes.aggregates(tree), None, {"orchard": ("Dale",)}, [Period.parse("2026-05")])
        self.assertTrue(all(np.isnan(part).all() for part in found.parts.values()))

    def test_the_year_so_far_starts_anew_in_january(self) -> None:
        self.same(self.worked("to_date(sum(fare))"), [[1, 3, 6, 12], [10, 30, 60, math.nan]])
        self.same(self.worked("to_date(min(fare))", by=None), [[1, 1, 1, 4]])

    def test_a_share_is_of_all_members_whichever_are_read(self) -> None:
        self.same(self.worked("share(sum(fare))"), [[1 / 11, 2 / 22, 3 / 33, 1], [10 / 11, 20 / 22, 30 / 33, math.nan]])
        self.same(self.worked("share(sum(fare))", route=["a"]), [[1 / 11, 2 / 22, 3 / 33, 1]])
        self.same(self.worked("share(sum(fare))", by=None, route=["b"]), [[10 / 11, 20 / 22, 30 / 33, math.nan]])

    def test_distinct_median_and_stdev_see_all_rows_of_a_cell(self) -> None:
        self.same(self.worked("distinct(vessel)"), [[1, 1, 1, 1], [1, 1, 1, math.nan]])
        self.same(self.worked("median(fare)", by=None), [[5.5, 11, 16.5, 6]])
        self.same(self.worked("stdev(fare)", by=None)[0][3:], np.array([math.sqrt(8)]))  # type: ignore[arg-type]
        self.same(self.worked("median(fare where late = yes)", by=None), [[10, 20, 30, math.nan]])
        self.same(self.worked("distinct(route)", by="vessel", route=["a"]), [[1, 1, 1, math.nan], [math.nan] * 3 + [1]])

    def test_windows_of_what_does_not_add_up_see_their_rows_together(self) -> None:
        nan = math.nan
        self.same(self.worked("rolling(median(fare), 2)", by=None), [[nan, 6, 11.5, 6]])
        self.same(self.worked("to_date(distinct(vessel))", by=None), [[1, 1, 1, 1]])
        self.same(self.worked("rolling(distinct(fare), 3)"), [[nan, nan, 3, 4], [nan, nan, 3, 2]])

    def test_days_weeks_quarters_and_spans_have_their_rows_and_no_other(self) -> None:
        made, tree = source(self.DATA), f.parse("sum(fare)")
        for key, expected in (
            ("2025-10-03", [11]), ("2025-W40", [11]), ("2025-Q4", [66]), ("2025", [66]), ("2025-11..2026-01", [67]),
            ("2025-10-04", [nan := math.nan]), ("2031", [nan]), ("1999-Q1", [nan]),
        ):  # fmt: skip
            totals = made.aggregate(formula_nodes.aggregates(tree), None, {}, [Period.parse(key)])
            values = np.where(totals.rows > 0, totals.parts[tree], nan)  # type: ignore[index]
            np.testing.assert_equal(values[:, 0], expected, key)


class Plain(unittest.TestCase):
    def test_a_constant_counts_once_a_row(self) -> None:
        day = dt.date(2026, 1, 5)
        made = source([(day, "a", "x", 1.0, 1, True), (day, "a", "x", None, 1, None), (day, "b", "y", 2.0, 1, True)])
        for text, expected in (
            ("sum(1)", [2, 1]), ("count(5)", [2, 1]), ("count(where 1 = 1)", [2, 1]), ("sum(2.5)", [5, 2.5]), ("mean(3)", [3, 3]),
            ("count(where 1 = 2)", [0, 0]), ("sum(1 where late = yes)", [1, 1]), ("distinct(7)", [1, 1]), ("median(4)", [4, 4]),
        ):  # fmt: skip
            tree = f.parse(text)
            (found,) = aggregated(made, tree, "route").parts.values()
            self.assertEqual(found[0].tolist(), expected, text)

    def test_a_month_between_without_rows_is_there_and_empty(self) -> None:
        data = [(dt.date(2026, 1, 5), "a", "x", 1.0, 1, True), (dt.date(2026, 3, 5), "a", "x", 2.0, 1, True)]
        tree = f.parse("count()")
        totals = aggregated(source(data), tree)
        self.assertEqual([period.key for period in totals.periods], ["2026-01", "2026-02", "2026-03"])
        self.assertEqual(totals.rows[:, 0].tolist(), [1, 0, 1])

    def test_a_sum_is_the_same_to_the_last_digit_however_often_it_is_made(self) -> None:
        rng = np.random.default_rng(3)
        days = [dt.date(2026, 1, 1) + dt.timedelta(int(n)) for n in rng.integers(0, 120, 60_000)]
        routes = [f"r{n:03}" for n in rng.integers(0, 200, 60_000)]
        fares = (rng.random(60_000) * 1000).tolist()
        rows = [(day, route, "x", fare, None, None) for day, route, fare in zip(days, routes, fares, strict=True)]
        for text in ("sum(fare)", "stdev(fare)"):
            tree = f.parse(text)
            found = [aggregated(source(rows), tree, "route").parts[formula_nodes.aggregates(tree)[0]] for _ in range(6)]
            self.assertEqual(len({values.tobytes() for values in found}), 1, text)
        january = [fare for day, route, _, fare, _, _ in rows if day.month == 1 and route == "r001"]
        tree = f.parse("sum(fare)")
        total = aggregated(source(rows), tree, "route").parts[formula_nodes.aggregates(tree)[0]]
        self.assertAlmostEqual(total[0, 1], math.fsum(january), places=6)

    def test_a_row_that_divides_by_zero_is_blank(self) -> None:
        data = [(dt.date(2026, 1, 5), "a", "x", 10.0, 0, True), (dt.date(2026, 1, 6), "a", "x", 10.0, 5, True)]
        tree = f.parse("sum(fare / delay)")
        self.assertEqual(aggregated(source(data), tree).parts[tree][0, 0], 2.0)  # type: ignore[index]

    def test_another_scope_reuses_what_was_worked_out(self) -> None:
        made = source([(dt.date(2026, 1, 5), "a", "x", 1.0, 1, True), (dt.date(2026, 1, 5), "b", "y", 2.0, 1, True)])
        tree = f.parse("sum(fare)")
        for members in (("a",), ("b",), ("a", "b")):
            aggregated(made, tree, None, {"route": members})
        self.assertEqual(list(made._cells), [("month", ("route",))])
        self.assertEqual(len(made._cells["month", ("route",)].parts), 3)

    def test_a_member_nobody_has_and_a_segment_nobody_knows(self) -> None:
        made = source([(dt.date(2026, 1, 5), "a", "x", 1.0, 1, True)])
        tree = f.parse("sum(fare)")
        self.assertEqual(aggregated(made, tree, None, {"route": ["nowhere"]}).rows.sum(), 0)
        with self.assertRaises(KeyError):
            aggregated(made, tree, "harbour")

    def test_rows_without_any_day_are_refused_in_words(self) -> None:
        for data in ([], [(None, "a", "x", 1.0, 1, True)]):
            with self.assertRaises(NoPeriod):
                source(data)

    def test_a_level_is_kept_by_the_rows_own_segments_alone(self) -> None:
        frame = pl.DataFrame(
            {"day": [dt.date(2026, 1, 2), dt.date(2026, 1, 9)], "site": ["a", "a"], "part": ["weekday", "weekend"], "beds": [11.0, 10.0]}
        )  # fmt: skip
        level = formula_nodes.Aggregate("sum", formula_nodes.Column("beds", span=(0, 0)), None, last=True, span=(0, 0))
        january, through = [Period.parse("2026-01")], dt.date(2026, 1, 31)
        for segments in (["site"], ["site", "part"]):
            rows = ColumnSource(frame, "day", segments, through, own=["site"])
            self.assertEqual(rows.aggregate([level], None, {}, january).parts[level].tolist(), [[10.0]])
        by = rows.aggregate([level], "part", {}, january)
        self.assertEqual((by.members, by.parts[level][0, 1]), (("weekday", "weekend"), 10.0))
        self.assertTrue(np.isnan(by.parts[level][0, 0]), "its last rows are all of the weekend")

    def test_numbers_and_flags_can_split_rows_too(self) -> None:
        frame = pl.DataFrame(
            {"day": [dt.date(2026, 1, 1)] * 3, "year": [2025.0, 2026.0, None], "late": [True, False, None]}
        )
        made = ColumnSource(frame, "day", ["year", "late"], dt.date(2026, 1, 31))
        self.assertEqual(made.members, {"year": ("(blank)", "2025", "2026"), "late": ("(blank)", "no", "yes")})
