"""One table of faces, agreed on by the server, the documents and the drawings."""

import re
import unittest
from pathlib import Path

from pydantic import ValidationError

from ironmark.core.faces import FACES, TABLE
from ironmark.pages.model.scorecard import InstrumentBody

WEB = Path(__file__).parents[2] / "web" / "src"


class Faces(unittest.TestCase):
    def test_every_face_stands_once(self) -> None:
        self.assertEqual(len(FACES), len(TABLE))
        self.assertEqual(len({face.name for face in TABLE}), len(TABLE))

    def test_every_face_is_drawn_and_no_other(self) -> None:
        drawn = re.search(
            r"const faces: Record<.*?> = \{(.*?)\n  \}", (WEB / "faces" / "Face.svelte").read_text(), re.S
        )
        assert drawn is not None
        self.assertEqual(re.findall(r"^    (\w+):", drawn[1], re.M), list(FACES))

    def test_an_instrument_takes_any_of_them_and_no_other(self) -> None:
        for key in FACES:
            self.assertEqual(InstrumentBody(id="i", kpi="k", face=key).face, key)
        with self.assertRaisesRegex(ValidationError, "no face “dail”; did you mean “dial”"):
            InstrumentBody(id="i", kpi="k", face="dail")

    def test_what_they_can_do_fits_together(self) -> None:
        for face in TABLE:
            with self.subTest(face=face.key):
                self.assertTrue(1 <= face.size[0] <= 12 and 1 <= face.size[1] <= 60)
                self.assertFalse(face.drags and face.many == "only")
                self.assertFalse(face.names_state and not face.states)
