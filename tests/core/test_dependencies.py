"""What formulas name."""

import unittest

from ironmark.core.dependencies import handles_in


class Handles(unittest.TestCase):
    def test_a_handle_is_a_whole_word(self) -> None:
        self.assertEqual(handles_in("@fare_revenue / sum(fare)"), ("fare_revenue",))
        self.assertNotIn("fare", handles_in("@fare_revenue + @fares"))
        self.assertEqual(handles_in("@b + @a", "@a - @c"), ("b", "a", "c"))

    def test_what_cannot_be_read_names_nothing(self) -> None:
        self.assertEqual(handles_in("", "sum(", "@"), ())


if __name__ == "__main__":
    unittest.main()
