"""Formulas: what is read, and what an error says and points at."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from ironmark.core import formula as f
from ironmark.core import formula_nodes
from ironmark.core.check import check as hold

COLUMNS: dict[str, formula_nodes.ColumnType] = {
    "delay_minutes": "number",
    "fare": "number",
    "refund": "number",
    "cabin": "text",
    "day": "date",
    "cancelled": "flag",
    "größe": "number",
}


def check(text: str) -> formula_nodes.Node:
    tree = f.parse(text)
    hold(tree, COLUMNS)
    return tree


class Reading(unittest.TestCase):
    def test_a_ratio_of_two_conditional_counts(self) -> None:
        tree = check("count(where delay_minutes <= 5) / count(where cancelled = no)")
        late = formula_nodes.Aggregate(
            "count", None, formula_nodes.Compare("<=", formula_nodes.Column("delay_minutes"), formula_nodes.Number(5))
        )
        left = formula_nodes.Aggregate(
            "count", None, formula_nodes.Compare("=", formula_nodes.Column("cancelled"), formula_nodes.Flag(False))
        )
        self.assertEqual(tree, formula_nodes.Binary("/", late, left))

    def test_products_bind_stronger_than_sums_and_work_from_the_left(self) -> None:
        a, b, c = (
            formula_nodes.Aggregate("sum", formula_nodes.Column(name), None) for name in ("fare", "refund", "größe")
        )
        self.assertEqual(
            check("sum(fare) - sum(refund) - sum(größe)"), formula_nodes.Binary("-", formula_nodes.Binary("-", a, b), c)
        )
        self.assertEqual(
            check("sum(fare) + sum(refund) * sum(größe)"), formula_nodes.Binary("+", a, formula_nodes.Binary("*", b, c))
        )

    def test_and_binds_stronger_than_or_and_not_than_both(self) -> None:
        tree = check("count(where not cancelled = yes and fare > 1 or fare is blank)")
        assert isinstance(tree, formula_nodes.Aggregate) and isinstance(tree.where, formula_nodes.Logic)
        self.assertEqual(tree.where.op, "or")
        both = tree.where.items[0]
        assert isinstance(both, formula_nodes.Logic)
        self.assertEqual(both.op, "and")
        self.assertIsInstance(both.items[0], formula_nodes.Not)

    def test_everything_the_language_has(self) -> None:
        for text in (
            "sum(fare - refund)",
            'mean(fare where cabin in ("Upper", "Lower"))',
            "count(fare)",
            "count()",
            "min(fare) + max(fare * 2)",
            'count(where day >= "2026-01-31")',
            "count(where (fare + 1) * 2 > -3)",
            "-sum(fare) * 50% - 1_000.5",
            "sum(fare where fare is filled and delay_minutes != 0)",
            "count(where cancelled)",
            "SUM(fare WHERE cancelled = YES)",
            "sum(größe)",
            "sum(fare) × 2 ÷ 3 − 1",
            "count(where fare in (-1, 2))",
        ):
            with self.subTest(text):
                check(text)

    def test_aggregates_are_listed_once_in_the_order_written(self) -> None:
        tree = check("sum(fare) / count() + sum( fare )")
        self.assertEqual([a.name for a in formula_nodes.aggregates(tree)], ["sum", "count"])
        self.assertEqual(formula_nodes.columns_used(tree), ("fare",))

    def test_a_word_of_the_language_inside_a_name_is_part_of_the_name(self) -> None:
        self.assertEqual(
            f.parse("sum(order_in)"), formula_nodes.Aggregate("sum", formula_nodes.Column("order_in"), None)
        )


class Nature(unittest.TestCase):
    def test_sums_and_counts_add_up_all_else_is_recomputed(self) -> None:
        for text, nature in (
            ("sum(fare)", "flow"), ("count(where cancelled = yes)", "flow"), ("sum(fare) - sum(refund)", "flow"),
            ("sum(fare) / 1000", "flow"), ("-2 * sum(fare)", "flow"), ("sum(fare) / count()", "rate"), ("mean(fare)", "rate"),
            ("max(fare)", "rate"), ("sum(fare) / count() * 10000", "rate"), ("1 - sum(refund) / sum(fare)", "rate"),
            ("sum(fare) * count()", "rate"),
        ):  # fmt: skip
            self.assertEqual(formula_nodes.nature_of(check(text)), nature, text)


class Errors(unittest.TestCase):
    def refuse(self, text: str, message: str, place: str) -> None:
        with self.assertRaises(formula_nodes.FormulaError) as caught:
            check(text)
        error = caught.exception
        self.assertIn(message, error.message)
        self.assertEqual(text[error.start : error.end], place)

    def test_each_points_at_its_place_and_says_what_to_do(self) -> None:
        for text, message, place in (
            ("sum(delay)", "did you mean delay_minutes?", "delay"),
            ("coun()", "did you mean count?", "coun"),
            ("total(fare)", "did you mean sum", "total"),
            ("sum(fare", "a bracket is not closed", "(fare"),
            ("sum(fare))", "never opened", ")"),
            ("fare", "sum(fare)", "fare"),
            ("count(where cabin = 3)", "double quotes", "3"),
            ("count(where cancelled = 1)", "yes or no", "1"),
            ("count(where cancelled > no)", "= yes or = no", "cancelled > no"),
            ("sum(cabin)", "sum needs numbers", "cabin"),
            ("sum(fare) +", "stops early", "+"),
            ("count() where cancelled = yes", "belongs inside an aggregate", "where"),
            ("sum(fare, refund)", "takes one expression", "refund"),
            ('count(where cabin = "Upper)', "closing double quote", '"Upper)'),
            ("count(where fare)", "needs a condition", "fare"),
            ('count(where day = "31/12/2025")', "2026-10-31", '"31/12/2025"'),
            ("sum(sum(fare))", "cannot stand inside", "sum(fare)"),
            ("sum()", "needs a column", "sum()"),
            ("1 + 2", "at least one aggregate", "1 + 2"),
            ("sum(fare) > 3", "belongs behind", "sum(fare) > 3"),
            ("count(where fare > 1 and refund)", "no condition", "refund"),
            ("sum(fare) $ 2", "no meaning", "$"),
            ("sum(fare) sum(refund)", "was not expected", "sum"),
        ):
            with self.subTest(text):
                self.refuse(text, message, place)

    def test_empty_long_and_deep_ones(self) -> None:
        for text in ("", "   ", "1+" * 3000 + "1", "(" * 70 + "1" + ")" * 70):
            with self.subTest(text[:10]), self.assertRaises(formula_nodes.FormulaError):
                check(text)

    @given(st.text(max_size=60))
    def test_no_text_at_all_makes_it_fail_otherwise(self, text: str) -> None:
        try:
            check(text)
        except formula_nodes.FormulaError as error:
            self.assertLessEqual(0, error.start)
            self.assertLess(error.start, error.end)

    @given(
        st.lists(
            st.sampled_from(
                [
                    "sum",
                    "(",
                    ")",
                    "fare",
                    "where",
                    "cancelled",
                    "=",
                    "no",
                    "and",
                    "or",
                    "not",
                    "in",
                    "is",
                    "blank",
                    "+",
                    "-",
                    "/",
                    "5",
                    ",",
                    "cabin",
                ]
            )
        )
    )
    def test_no_heap_of_its_own_words_either(self, parts: list[str]) -> None:
        try:
            check(" ".join(parts))
        except formula_nodes.FormulaError as error:
            self.assertTrue(error.message)
