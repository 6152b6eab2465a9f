"""Formulas written out again: the same tree, whatever was written."""

import unittest
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from ironmark.core import formula as f
from ironmark.core import formula_nodes
from ironmark.core.written import written

names = st.sampled_from(("fare", "delay_minutes", "überfahrt", "x1"))
numbers = st.one_of(st.integers(0, 10**9).map(float), st.floats(0, 1e9, allow_subnormal=False)).map(
    formula_nodes.Number
)
texts = st.text(st.characters(blacklist_characters='"“”\n', blacklist_categories=("Cs",)), max_size=8).map(
    formula_nodes.Text
)
literals = st.one_of(numbers, texts, st.booleans().map(formula_nodes.Flag))
listed = st.one_of(literals, st.floats(-1e6, -1e-3).map(formula_nodes.Number))


def in_rows(parts: Any) -> Any:
    """What may stand in a row, or in a condition over one."""
    several = st.lists(parts, min_size=2, max_size=3).map(tuple)
    return st.one_of(
        st.builds(formula_nodes.Minus, parts),
        st.builds(formula_nodes.Binary, st.sampled_from("+-*/"), parts, parts),
        st.builds(formula_nodes.Compare, st.sampled_from(("=", "!=", "<", "<=", ">", ">=")), parts, parts),
        st.builds(formula_nodes.Among, parts, st.lists(listed, min_size=1, max_size=3).map(tuple)),
        st.builds(formula_nodes.Blank, parts, st.booleans()),
        st.builds(formula_nodes.Logic, st.sampled_from(("and", "or")), several),
        st.builds(formula_nodes.Not, parts),
    )


rows = st.recursive(st.one_of(literals, names.map(formula_nodes.Column)), in_rows, max_leaves=8)
aggregates = st.builds(
    formula_nodes.Aggregate, st.sampled_from(formula_nodes.AGGREGATES), st.none() | rows, st.none() | rows
)


def over_aggregates(parts: Any) -> Any:
    def call(name: str) -> Any:
        least, most, _ = formula_nodes.FUNCTIONS[name]
        return st.lists(parts, min_size=least, max_size=min(most, 3)).map(
            lambda args: formula_nodes.Call(name, tuple(args))
        )

    return in_rows(parts) | st.sampled_from(sorted(formula_nodes.FUNCTIONS)).flatmap(call)


formulas = st.recursive(
    st.one_of(aggregates, numbers, names.map(formula_nodes.Reference)), over_aggregates, max_leaves=6
)


class Written(unittest.TestCase):
    @given(formulas)
    def test_parsed_again_it_is_the_same(self, tree: formula_nodes.Node) -> None:
        text = written(tree)
        if len(text) < f.MAX_LENGTH:
            self.assertEqual(f.parse(text), tree)
            self.assertEqual(written(f.parse(text)), text)

    def test_no_more_brackets_than_needed(self) -> None:
        for text in (
            "sum(fare) - (sum(a) - sum(b)) * 2", "-(sum(a) + 1)", "count(where not (a = 1 or b = 2) and c in (1, -2))",
            "if(count() > 30, mean(score), 0.5)", "@on_time / (1 + 0.000001)", "sum(a where b is filled)",
        ):  # fmt: skip
            self.assertEqual(written(f.parse(text)), text)
        self.assertEqual(written(f.parse("( sum( a ) ) ÷ 88%")), "sum(a) / 0.88")
