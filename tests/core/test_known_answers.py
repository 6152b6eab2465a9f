"""Core answers as it did, but for what somebody has looked at and kept anew."""

import unittest

from tests.core import known_answers


class KnownAnswers(unittest.TestCase):
    maxDiff = 4000

    def holds(self, section: str) -> None:
        known = [line for line in known_answers.FILE.read_text().splitlines() if line.startswith(f"{section}: ")]
        found = known_answers.lines(section)
        differ = [(was, now) for was, now in zip(known, found, strict=False) if was != now]
        self.assertEqual(differ[:5], [], f"{len(differ)} differ")
        self.assertEqual(len(known), len(found))

    def test_days(self) -> None:
        self.holds("days")

    def test_periods(self) -> None:
        self.holds("periods")

    def test_numbers(self) -> None:
        self.holds("numbers")

    def test_formulas(self) -> None:
        self.holds("formulas")

    def test_rules(self) -> None:
        self.holds("rules")

    def test_colours(self) -> None:
        self.holds("colours")

    def test_axes(self) -> None:
        self.holds("axes")

    def test_yardsticks(self) -> None:
        self.holds("yardsticks")

    def test_marks(self) -> None:
        self.holds("marks")

    def test_distances(self) -> None:
        self.holds("distances")

    def test_reasons(self) -> None:
        self.holds("reasons")

    def test_measures(self) -> None:
        self.holds("measures")

    def test_drafts(self) -> None:
        self.holds("drafts")

    def test_words_at_edges(self) -> None:
        self.holds("words at edges")

    def test_axes_at_edges(self) -> None:
        self.holds("axes at edges")

    def test_shares_at_edges(self) -> None:
        self.holds("shares at edges")

    def test_colours_at_edges(self) -> None:
        self.holds("colours at edges")

    def test_measures_at_edges(self) -> None:
        self.holds("measures at edges")

    def test_drafts_at_edges(self) -> None:
        self.holds("drafts at edges")

    def test_rules_at_edges(self) -> None:
        self.holds("rules at edges")

    def test_formulas_at_edges(self) -> None:
        self.holds("formulas at edges")

    def test_columns_at_edges(self) -> None:
        self.holds("columns at edges")

    def test_worlds(self) -> None:
        self.holds("worlds")

    def test_odds_and_ends(self) -> None:
        self.holds("odds and ends")

    def test_no_section_is_left_out(self) -> None:
        named = {name.removeprefix("test_").replace("_", " ") for name in dir(self) if name.startswith("test_")}
        self.assertLessEqual(set(known_answers.SECTIONS), named)
