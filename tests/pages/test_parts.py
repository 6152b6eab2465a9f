"""A page in parts: every reading of every sheet stands in one of them, once, in its order, however much room there was."""

import unittest
from types import SimpleNamespace
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from ironmark.pages.model.scorecard import ScorecardBody
from ironmark.publish.parts import MOST, Part, parts

TEXTS = ("key", "label", "shown", "gap_shown", "attainment_shown", "headroom_shown", "status", "state")
READING = SimpleNamespace(**dict.fromkeys(TEXTS, "x"), marks=[], trail=[])


def leaf_of(sections: list[list[int]], face: str = "ledger") -> Any:
    """A page whose sheets list so many readings each."""
    sheets, body = [], []
    for at, counts in enumerate(sections):
        own = []
        for n, count in enumerate(counts):
            key = f"s{at}-{n}"
            own.append({"id": key, "kpi": "k", "face": face, "x": 0, "y": n * 8, "w": 12, "h": 8})
            sheets.append(
                (
                    "",
                    SimpleNamespace(id=key, instrument=SimpleNamespace(face=face)),
                    SimpleNamespace(readings=[READING] * count),
                )
            )
        body.append({"id": f"section{at}", "title": str(at), "instruments": own})
    scorecard = ScorecardBody.model_validate({"title": "Vault", "sections": body})
    return SimpleNamespace(frozen=SimpleNamespace(body=scorecard), sheets=lambda: iter(sheets))


def all_of(leaf: Any, share: float) -> list[tuple[Part, int]]:
    """Every part with how many readings of its open list found room, which is some of them."""
    found: list[tuple[Part, int]] = []
    coming = parts(leaf)
    part = next(coming)
    while True:
        placed = 0
        if part.open:
            start, end = part.rows[part.open]
            placed = start + max(1, int((end - start) * share))
        found.append((part, placed))
        try:
            part = coming.send(placed)
        except StopIteration:
            return found


class Parts(unittest.TestCase):
    @settings(deadline=None, max_examples=25)
    @given(
        st.lists(st.lists(st.sampled_from([0, 1, 7, MOST, MOST + 1, 900, 2_003]), max_size=4), max_size=5),
        st.floats(0.05, 1.0),
    )
    def test_nothing_is_lost_and_nothing_twice(self, sections: list[list[int]], share: float) -> None:
        leaf = leaf_of(sections)
        found = all_of(leaf, share)
        self.assertEqual([part.first for part, _ in found], [True, *[False] * (len(found) - 1)])
        self.assertEqual([part.last for part, _ in found], [*[False] * (len(found) - 1), True])
        shown: dict[str, list[int]] = {}
        for part, placed in found:
            for key in (key for keys in part.sheets.values() for key in keys):
                start, end = part.rows.get(key, (0, -1))
                if part.open == key:
                    end = placed
                shown.setdefault(key, []).extend(range(start, end) if end >= 0 else [-1])
        for _, sheet, picture in leaf.sheets():
            count = len(picture.readings)
            wanted = [-1] if count <= MOST else list(range(count))
            self.assertEqual(shown[sheet.id], wanted, sheet.id)

    def test_what_is_one_drawing_is_not_cut(self) -> None:
        found = all_of(leaf_of([[5_000]], "quadrant"), 1.0)
        self.assertEqual(len(found), 1)
        self.assertEqual(found[0][0].rows, {})

    def test_a_section_that_goes_on_is_told(self) -> None:
        found = all_of(leaf_of([[3, 700]]), 0.9)
        self.assertIsNone(found[0][0].on)
        self.assertEqual({part.on for part, _ in found[1:]}, {"section0"})


if __name__ == "__main__":
    unittest.main()
