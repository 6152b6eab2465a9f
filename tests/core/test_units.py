"""The unit a formula most likely comes out in."""

import unittest

from ironmark.core.formula import parse
from ironmark.core.numbers import Unit
from ironmark.core.units import proposed_unit, unit_of_label

LABELS = {
    "claims": "Claims £",
    "overtime": "Overtime hrs",
    "kept": "Kept",
    "booked": "Booked",
    "delay_minutes": "delay_minutes",
}
UNITS = {"money": Unit("currency", 0, "EUR"), "trips": Unit("number", 0), "done": Unit("percent", 0)}


class Proposed(unittest.TestCase):
    def unit(self, text: str) -> tuple[str, int] | None:
        found = proposed_unit(parse(text), LABELS, UNITS)
        return (found.unit.kind, found.unit.decimals) if found else None

    def test_a_ratio_of_like_things_is_a_percent_with_one_decimal(self) -> None:
        for text in (
            "count(where kept > 0) / count()", "distinct(booked where kept = 1) / distinct(booked)",
            "sum(claims where kept = 1) / sum(claims)", "sum(kept where booked > 1) / sum(kept)",
            "share(sum(kept))", "@money / sum(1) / (@money / count())", "sum(1) / count()",
        ):  # fmt: skip
            self.assertEqual(self.unit(text), ("percent", 1), text)

    def test_columns_give_their_unit_away(self) -> None:
        self.assertEqual(self.unit("sum(claims)"), ("currency", 0))
        self.assertEqual(self.unit("sum(claims - 5) * 2"), ("currency", 0))
        self.assertEqual(self.unit("sum(overtime)"), ("duration", 0))
        self.assertEqual(self.unit("rolling(sum(claims), 3)"), ("currency", 0))
        found = proposed_unit(parse("sum(overtime)"), LABELS, {})
        assert found is not None
        self.assertEqual((found.unit.text, found.why), ("h", "“Overtime hrs” is in h"))

    def test_an_amount_for_one_keeps_its_columns_unit(self) -> None:
        self.assertEqual(self.unit("mean(claims)"), ("currency", 2))
        self.assertEqual(self.unit("sum(claims) / count(where kept = 1)"), ("currency", 2))
        self.assertEqual(self.unit("mean(delay_minutes)"), ("duration", 1))

    def test_money_stays_money_whatever_it_is_put_together_with(self) -> None:
        for text in ("sum(claims) / sum(overtime)", "sum(claims) / sum(kept)", "@money / @trips"):
            self.assertEqual(self.unit(text), ("currency", 2), text)
        for text in ("sum(claims) + sum(kept)", "5 + sum(claims)", "@money - sum(kept)", "sum(claims * kept)", "@money * sum(kept)"):  # fmt: skip
            self.assertEqual(self.unit(text), ("currency", 0), text)
        self.assertEqual(self.unit("1 - count(where kept = 1) / count()"), ("percent", 1), "what is left of a whole")
        self.assertEqual(self.unit("@trips / sum(1)"), ("percent", 1))
        for label in ("Gebühr in Euro", "Kosten (euros)"):
            found = unit_of_label(label)
            self.assertEqual(found.unit.currency if found else "", "EUR", label)

    def test_other_kpis_bring_theirs(self) -> None:
        self.assertEqual(self.unit("@money - @money"), ("currency", 0))
        self.assertEqual(self.unit("@done"), ("percent", 0))

    def test_where_nothing_tells_nothing_is_proposed(self) -> None:
        for text in (
            "count()",
            "sum(kept)",
            "sum(kept) / sum(booked)",
            "sum(claims) * sum(claims)",
            "sum(kept) / sum(claims)",
            "sum(claims) + sum(overtime)",
        ):
            self.assertIsNone(self.unit(text), text)

    def test_names_that_only_look_like_units(self) -> None:
        for label in ("H block", "Minister", "min_fare", "Second leg", "Euromarket"):
            self.assertIsNone(unit_of_label(label), label)
        for label, kind in (
            ("fare_eur", "currency"),
            ("Downtime (h)", "duration"),
            ("Minutes", "duration"),
            ("$ spent", "currency"),
        ):
            found = unit_of_label(label)
            self.assertEqual(found.unit.kind if found else None, kind, label)
