"""Functions over aggregates: months back, windows, shares, tests; and other KPIs."""

import unittest

import numpy as np

from ironmark.core import formula as f
from ironmark.core import formula_nodes
from ironmark.core.check import check as hold
from ironmark.core.evaluate import evaluate
from ironmark.core.expand import expand, read_from
from ironmark.core.prose import reads_as, warnings
from ironmark.core.workings import describe, in_numbers
from ironmark.core.written import written
from tests.styles import ENGLISH

COLUMNS: dict[str, formula_nodes.ColumnType] = {"fare": "number", "miles": "number", "route": "text", "late": "flag"}


def checked(text: str) -> formula_nodes.Node:
    tree = f.parse(text)
    hold(tree, COLUMNS)
    return tree


def worked(text: str, **values: list[float]) -> list[float]:
    """A formula over given values of its sums by month, for one member."""
    tree = expand(checked(text))
    parts = {
        a: np.array([values[a.of.name]]).T
        for a in formula_nodes.aggregates(tree)
        if isinstance(a.of, formula_nodes.Column)
    }
    return [
        float(value) for value in np.broadcast_to(evaluate(tree, parts), (len(next(iter(values.values()))), 1))[:, 0]
    ]


class Checked(unittest.TestCase):
    def refuse(self, text: str, says: str) -> None:
        with self.assertRaises(formula_nodes.FormulaError) as caught:
            checked(text)
        self.assertIn(says, caught.exception.message)

    def test_everything_that_is_written_right(self) -> None:
        for text in (
            "abs(sum(fare))", "round(mean(fare), 1)", "round(mean(fare))", "least(sum(fare), sum(miles), 3)",
            "if(count() > 30 and not sum(fare) = 0, mean(fare), 0)", "prior(sum(fare))", "prior(sum(fare), 3)",
            "year_ago(sum(fare) / sum(miles))", "to_date(sum(fare))", "rolling(mean(fare), 12)", "share(sum(fare))",
            "@other / sum(fare)", "@other", "distinct(route)", "median(fare where late = yes)", "stdev(fare)",
        ):  # fmt: skip
            with self.subTest(text):
                checked(text)

    def test_what_is_not_says_how_it_is_written(self) -> None:
        for text, says in (
            ("abs()", "abs is written like"),
            ("if(count(), 1, 2)", "needs a comparison first"),
            ("if(count() > 1, 2)", "if is written like"),
            ("least(sum(fare))", "least is written like"),
            ("rolling(sum(fare), 1.5)", "whole number of periods"),
            ("rolling(sum(fare), sum(fare))", "whole number of periods"),
            ("prior(sum(fare), 0)", "whole number of periods"),
            ("prior(sum(fare), 1000)", "whole number of periods"),
            ("round(sum(fare), 99)", "from 0 to 10"),
            ("to_date(rolling(sum(fare), 3))", "cannot stand inside"),
            ("sum(prior(fare))", "stands outside of aggregates"),
            ("sum(@other)", "stands outside of aggregates"),
            ("abs(sum(fare) where late = yes)", "belongs inside an aggregate"),
            ("roling(sum(fare), 3)", "did you mean rolling?"),
            ("prior(fare)", "say how to sum it up"),
        ):
            with self.subTest(text):
                self.refuse(text, says)


class Worked(unittest.TestCase):
    def test_prior_moves_the_aggregates(self) -> None:
        tree = expand(checked("prior(sum(fare) - prior(sum(miles), 2)) + prior(sum(fare), 3)"))
        self.assertEqual([a.back for a in formula_nodes.aggregates(tree)], [1, 3, 3])
        self.assertEqual(describe(formula_nodes.aggregates(tree)[1]), "sum(miles), 3 periods before")

    def test_sizes_and_choices(self) -> None:
        self.assertEqual(worked("abs(sum(fare))", fare=[-1, 2]), [1, 2])
        self.assertEqual(worked("round(sum(fare), 1)", fare=[1.26, 2.04]), [1.3, 2.0])
        self.assertEqual(worked("least(sum(fare), sum(miles), 5)", fare=[1, 9], miles=[3, 7]), [1, 5])
        self.assertEqual(worked("greatest(sum(fare), sum(miles))", fare=[1, 9], miles=[3, 7]), [3, 9])

    def test_if_asks_and_no_reading_stays_none(self) -> None:
        text = "if(sum(miles) >= 5 or sum(fare) = 1, sum(fare), -1)"
        np.testing.assert_equal(worked(text, fare=[1, 2, 3], miles=[0, 6, np.nan]), [1, 2, np.nan])
        self.assertEqual(worked("if(not sum(fare) != 2, 7, 8)", fare=[2, 3]), [7, 8])

    def test_a_year_ago_moves_the_aggregates(self) -> None:
        tree = expand(checked("year_ago(sum(fare) / year_ago(count()))"))
        self.assertEqual([(a.name, a.years) for a in formula_nodes.aggregates(tree)], [("sum", 1), ("count", 2)])
        self.assertEqual(describe(formula_nodes.aggregates(tree)[1]), "count(), 2 years before")

    def test_windows_and_wholes_mark_the_aggregates(self) -> None:
        tree = expand(checked("rolling(sum(fare), 3) / share(sum(miles))"))
        windows = {
            (a.of.name, a.window, a.whole)
            for a in formula_nodes.aggregates(tree)
            if isinstance(a.of, formula_nodes.Column)
        }
        self.assertEqual(
            windows, {("fare", formula_nodes.Window(3), False), ("miles", None, False), ("miles", None, True)}
        )


class Natures(unittest.TestCase):
    def test_what_a_formula_most_likely_is(self) -> None:
        for text, nature in (
            ("sum(fare)", "flow"), ("prior(sum(fare))", "flow"), ("sum(fare) / 2", "flow"), ("sum(fare) / count()", "rate"),
            ("to_date(sum(fare))", "stock"), ("rolling(count(), 3) * 2", "stock"), ("rolling(mean(fare), 3)", "rate"),
            ("share(sum(fare))", "rate"), ("@income", "flow"), ("@crew + 1", "stock"), ("@unknown", "rate"),
            ("sum(fare) - to_date(sum(fare))", "rate"), ("if(count() > 3, sum(fare), 0)", "flow"),
        ):  # fmt: skip
            with self.subTest(text):
                self.assertEqual(formula_nodes.nature_of(checked(text), {"income": "flow", "crew": "stock"}), nature)

    def test_running_totals_and_shares_are_never_flows(self) -> None:
        for text, never in (("to_date(sum(fare))", True), ("share(sum(fare))", True), ("prior(sum(fare))", False)):
            self.assertEqual(formula_nodes.never_a_flow(expand(checked(text))), never, text)

    def test_what_adds_up_over_members(self) -> None:
        for text, adds in (
            ("sum(fare)", True), ("to_date(sum(fare)) - count()", True), ("prior(sum(fare)) / 2", True),
            ("sum(fare) / count()", False), ("mean(fare)", False), ("share(sum(fare))", False), ("max(fare)", False),
        ):  # fmt: skip
            self.assertEqual(formula_nodes.adds_members(expand(checked(text))), adds, text)


class OtherKpis(unittest.TestCase):
    def test_a_reference_becomes_the_other_formula_read_from_its_dataset(self) -> None:
        other = read_from(expand(checked("sum(fare)")), "there", "here")
        tree = expand(checked("@other / sum(miles)"), lambda _: other)
        self.assertEqual(
            [(a.dataset, written(a)) for a in formula_nodes.aggregates(tree)],
            [("there", "sum(fare)"), (None, "sum(miles)")],
        )
        back = read_from(tree, "here", "there")
        self.assertEqual([a.dataset for a in formula_nodes.aggregates(back)], [None, "here"])

    def test_a_handle_is_renamed_where_it_stands_and_nothing_else_moves(self) -> None:
        text = "@old  /\n  sum(fare) + @old_too - @old"
        self.assertEqual(f.renamed(text, "old", "brand_new"), "@brand_new  /\n  sum(fare) + @old_too - @brand_new")
        self.assertEqual(formula_nodes.references(f.parse(text)), ("old", "old_too"))


class Prose(unittest.TestCase):
    def test_formulas_read_as_sentences(self) -> None:
        for text, says in (
            ("sum(fare)", "Total fare."),
            ("count(where late = no)", "The number of rows where late is no."),
            (
                'count(where route in ("a", "b") and fare is filled) / count()',
                "The number of rows where route is one of “a”, “b” and fare is filled, divided by the number of "
                "rows. A ratio of totals, so larger members weigh more.",
            ),
            ("(sum(fare) - 1) * 2", "(total fare, minus 1), times 2."),
            ("rolling(mean(fare), 12)", "The mean of fare, over the last 12 periods."),
            ("prior(max(fare))", "The largest fare, 1 period before."),
            (
                "if(count() > 30, median(fare), 0)",
                "If the number of rows is over 30: the median of fare; otherwise 0.",
            ),
            ("share(sum(fare - miles))", "Total (fare minus miles), as a share of that of all members."),
            ("greatest(@other, -sum(fare))", "The greatest of @other and minus total fare."),
            ("distinct(route where not late = yes)", "The number of different route where not (late is yes)."),
        ):
            with self.subTest(text):
                self.assertEqual(reads_as(checked(text), ENGLISH), says)

    def warned(self, text: str, nature: str = "rate", unit: str = "number") -> str:
        members = {"route": frozenset({"North", "South"})}
        return " ".join(message for message, _, _ in warnings(checked(text), nature, unit, members))

    def test_warnings_teach(self) -> None:
        self.assertIn("mean of ratios weighs every row alike", self.warned("mean(fare / miles)"))
        self.assertIn("does not add up over time", self.warned("sum(fare) / count()", nature="flow"))
        self.assertIn("add up over time: a flow", self.warned("sum(fare)"))
        self.assertIn("without “* 100”", self.warned("sum(fare) / sum(miles) * 100", unit="percent"))
        self.assertIn("shares do not add up", self.warned("share(mean(fare))"))
        percents = warnings(checked("@a / @b"), "rate", "percent", {}, {"a", "b"})
        self.assertIn("percent relative to a percent", percents[0][0])
        self.assertEqual(warnings(checked("@a / @b"), "rate", "percent", {}, {"a"}), [])
        self.assertIn("matches none", self.warned('count(where route = "Nort") / count()'))
        self.assertIn("matches every", self.warned('count(where route != "Nort") / count()'))
        self.assertEqual(self.warned('count(where route > "F") / count()'), "")
        self.assertEqual(warnings(checked("share(@income)"), "rate", "percent", {}, (), {"income": "flow"}), [])
        self.assertIn(
            "shares do not add up",
            warnings(checked("share(@on_time)"), "rate", "percent", {}, (), {"on_time": "rate"})[0][0],
        )
        self.assertIn("running total is a level", self.warned("to_date(sum(fare))", nature="flow"))

    def test_and_hold_their_peace_where_all_is_well(self) -> None:
        for text, nature in (
            ("sum(fare) / sum(miles)", "rate"), ("sum(fare)", "flow"), ("mean(fare)", "rate"), ("mean(fare / 2)", "rate"),
            ('count(where route = "North") / count()', "rate"), ("rolling(sum(fare), 12)", "rate"),
        ):  # fmt: skip
            self.assertEqual(self.warned(text, nature), "", text)


class Workings(unittest.TestCase):
    def test_functions_in_numbers(self) -> None:
        tree = expand(checked("if(sum(fare) > 2, abs(sum(miles)), prior(sum(fare)))"))
        self.assertEqual(in_numbers(tree, lambda a: 3.0 - a.back, ENGLISH), "if(3 > 2, abs(3), 2)")

    def test_a_windowed_aggregate_says_over_what(self) -> None:
        tree = expand(checked("rolling(sum( fare ), 3) + to_date(sum(miles)) + share(count())"))
        self.assertEqual(
            [describe(a) for a in formula_nodes.aggregates(tree)],
            [
                "sum(fare), over the last 3 periods",
                "sum(miles), over the year so far",
                "count()",
                "count(), over all members",
            ],
        )
