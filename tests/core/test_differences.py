"""What is told of two forms of a document."""

from __future__ import annotations

import unittest
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from ironmark.core.differences import LONGEST, MOST, Difference, differences

PLAIN = st.none() | st.booleans() | st.integers() | st.text(max_size=20)
TREES = st.recursive(
    PLAIN, lambda of: st.lists(of, max_size=4) | st.dictionaries(st.text(max_size=5), of, max_size=4), max_leaves=12
)


class Differences(unittest.TestCase):
    def told(self, before: Any, after: Any) -> list[tuple[str, str, str]]:
        return [(one.what, one.before, one.after) for one in differences(before, after)]

    def test_a_slot_is_told_by_the_way_to_it(self) -> None:
        before = {"name": "Ward round", "unit": {"kind": "percent", "decimals": 1}}
        after = {"name": "Ward rounds", "unit": {"kind": "percent", "decimals": 0}}
        found = [("name", "Ward round", "Ward rounds"), ("unit › decimals", "1", "0")]
        self.assertEqual(self.told(before, after), found)

    def test_entries_are_known_by_their_id_wherever_they_stand(self) -> None:
        a, b = {"id": "a", "title": "Beds", "w": 3}, {"id": "b", "title": "Meals", "w": 3}
        self.assertEqual(self.told([a, b], [b, a | {"w": 4}]), [("Beds › w", "3", "4")])
        self.assertEqual(self.told([a, b], [b, a]), [("order", "", "another order")])
        self.assertEqual(self.told([a], [a, b]), [("Meals", "", "Meals")])
        self.assertEqual(self.told([a, b], [b]), [("Beds", "Beds", "")])

    def test_what_is_long_and_what_is_much_is_cut_and_says_so(self) -> None:
        (one,) = differences({"text": ""}, {"text": "é" * 900})
        self.assertEqual((len(one.after), one.after[-1]), (LONGEST, "…"))
        many = differences({}, {str(n): n for n in range(100)})
        self.assertEqual((len(many), many[-1]), (MOST, Difference("more", "", f"{101 - MOST} other differences")))

    @given(TREES)
    def test_nothing_is_told_of_what_is_the_same(self, tree: Any) -> None:
        self.assertEqual(differences(tree, tree), [])

    @given(TREES, TREES)
    def test_something_is_told_of_what_is_not(self, before: Any, after: Any) -> None:
        self.assertEqual(bool(differences(before, after)), before != after)
