"""One cut moved, typed, made a number or put into a band: hives of an apiary, graded by their honey."""

import unittest
from typing import Any

from ironmark.pages.authoring.cut_changes import CutChange, changed_cuts
from ironmark.pages.model.problems import Refused
from ironmark.pages.model.yardstick import YardstickBody

HONEY = YardstickBody.model_validate(
    {"name": "Honey", "bands": ["short", "near", "met"], "cuts": [{"offset": 10}, {"mark": "target", "factor": 0.9}]}
)


def cuts(**ask: Any) -> list[tuple[float, str | None, float]]:
    found = changed_cuts(CutChange(body=HONEY, marks={"target": 40}, **ask))
    return [(cut.offset, cut.mark, cut.factor) for cut in found.cuts]


class Changed(unittest.TestCase):
    def test_one_that_is_moved_is_held_by_its_neighbours(self) -> None:
        self.assertEqual(cuts(how="move", at=0, to=12), [(12, None, 1), (0, "target", 0.9)])
        self.assertEqual(cuts(how="move", at=0, to=99)[0], (36, None, 1))
        self.assertEqual(cuts(how="move", at=1, to=-5)[1], (0, "target", 0.25))

    def test_one_that_is_typed_is_taken_at_its_word(self) -> None:
        self.assertEqual(cuts(how="type", at=0, to=99)[0], (99, None, 1))

    def test_one_becomes_a_number_where_it_is(self) -> None:
        self.assertEqual(cuts(how="number", at=1, to=36, scale=3)[1], (12, None, 1))

    def test_a_band_is_split(self) -> None:
        found = changed_cuts(CutChange(body=HONEY, how="split", at=1, to=20, marks={"target": 40}))
        self.assertEqual(found.bands, ["short", "near", "near", "met"])
        self.assertEqual([cut.offset for cut in found.cuts], [10, 20, 0])
        self.assertEqual(HONEY.bands, ["short", "near", "met"], "what is changed is another one")

    def test_what_cannot_be_done_is_refused_with_the_way_out(self) -> None:
        with self.assertRaises(Refused) as gone:
            cuts(how="move", at=2, to=1)
        self.assertIn("Open it anew", gone.exception.problem.detail)
        with self.assertRaises(Refused) as missing:
            changed_cuts(CutChange(body=HONEY, how="move", at=1, to=30))
        self.assertIn("mark book", missing.exception.problem.detail)
        full = HONEY.model_copy(update={"bands": ["short"] * 12, "cuts": HONEY.cuts[:1] * 11})
        with self.assertRaises(Refused) as many:
            changed_cuts(CutChange(body=full, how="split", at=0, to=1))
        self.assertIn("Take one out", many.exception.problem.detail)
