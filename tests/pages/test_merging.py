"""Two changes to one scorecard as one."""

from __future__ import annotations

import unittest
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from ironmark.pages.authoring.scorecard_merging import merged

Body = dict[str, Any]


def sheet(key: str, y: int = 0, **slots: Any) -> Body:
    return {"id": key, "kpi": "loaves", "face": "dial", "x": 0, "y": y, "w": 3, "h": 4} | slots


def card(*sheets: Body, **slots: Any) -> Body:
    return {"title": "Bakery", "scope": {}, "sections": [section("s", *sheets)]} | slots


def section(key: str, *sheets: Body, **slots: Any) -> Body:
    return {"id": key, "title": "Ovens", "instruments": list(sheets), "texts": [], "pictures": []} | slots


A, B = sheet("a"), sheet("b", 5)


class Merging(unittest.TestCase):
    base = card(A, B)

    def both(self, mine: Body, theirs: Body) -> Body:
        found = merged(self.base, mine, theirs)
        assert found is not None
        self.assertEqual(found, merged(self.base, theirs, mine), "whoever was first")
        return found

    def test_changes_to_different_sheets_both_stand(self) -> None:
        found = self.both(card(A | {"face": "bar"}, B), card(A, B | {"face": "column"}))
        self.assertEqual([one["face"] for one in found["sections"][0]["instruments"]], ["bar", "column"])

    def test_a_title_and_a_sheet_both_stand(self) -> None:
        found = self.both(card(A, B, title="Bakeries"), card(A, B | {"h": 6}))
        self.assertEqual((found["title"], found["sections"][0]["instruments"][1]["h"]), ("Bakeries", 6))

    def test_one_takes_a_sheet_away_and_the_other_puts_one_in(self) -> None:
        found = self.both(card(B), card(A, B, sheet("c", 10)))
        self.assertEqual([one["id"] for one in found["sections"][0]["instruments"]], ["b", "c"])

    def test_a_new_section_of_each(self) -> None:
        base = self.base["sections"]
        mine, theirs = (self.base | {"sections": [*base, section(key)]} for key in ("t", "u"))
        found = merged(self.base, mine, theirs)
        assert found is not None
        self.assertEqual(sorted(one["id"] for one in found["sections"]), ["s", "t", "u"])

    def test_what_both_changed_is_told_and_not_merged(self) -> None:
        for mine, theirs in (
            (card(A | {"face": "bar"}, B), card(A | {"face": "ring"}, B)),
            (card(A, B, title="One"), card(A, B, title="Two")),
            (card(B), card(A | {"face": "ring"}, B)),
            (self.base | {"sections": []}, card(A, B, sheet("c", 10))),
        ):
            self.assertIsNone(merged(self.base, mine, theirs))
            self.assertIsNone(merged(self.base, theirs, mine))

    def test_sheets_never_come_to_lie_over_one_another(self) -> None:
        self.assertIsNone(merged(self.base, card(A | {"h": 8}, B | {"y": 9}), card(A, B, sheet("c", 10))))

    @given(st.permutations(["a", "b", "c"]), st.sampled_from(["a", "b", "c"]), st.sampled_from(["bar", "ring"]))
    def test_what_one_alone_changed_is_what_stands(self, order: list[str], changed: str, face: str) -> None:
        sheets = {key: sheet(key, 5 * at) for at, key in enumerate("abc")}
        base = card(*sheets.values())
        mine = card(*((sheets[key] | {"face": face} if key == changed else sheets[key]) for key in order))
        self.assertEqual(merged(base, mine, base), mine)
        self.assertEqual(merged(base, base, mine), mine)
        self.assertEqual(merged(base, mine, mine), mine)
