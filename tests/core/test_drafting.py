"""First KPIs from the columns of rows: natures, directions and units as somebody of the trade would choose them."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from ironmark.core.draft_kpis import Draft
from ironmark.core.drafting import Facts, draft
from ironmark.core.formula import parse
from ironmark.core.formula_nodes import references
from ironmark.core.names import is_name


def number(name: str, least: float = 0, most: float = 100, *, whole: bool = True, distinct: int = 50) -> Facts:
    return Facts(name, name.replace("_", " ").capitalize(), "number", "measure", least, most, whole, distinct)


class Drafted(unittest.TestCase):
    def of(self, *columns: Facts, name: str = "Visits") -> dict[str, tuple[str, str, str]]:
        return {
            kpi.formula: (kpi.direction, kpi.nature, kpi.unit.kind)
            for kpi in draft(name, columns).kpis
            if kpi.place == "made"
        }

    def test_what_is_a_part_of_something_is_a_ratio_of_totals(self) -> None:
        found = self.of(number("parcels", 20, 80), number("damaged", 0, 5))
        self.assertEqual(found["sum(damaged) / sum(parcels)"], ("lower", "rate", "percent"))
        self.assertNotIn("sum(damaged)", found)
        larger = self.of(number("parcels", 20, 80), number("damaged", 0, 500))
        self.assertNotIn("sum(damaged) / sum(parcels)", larger, "a part is never more than its whole")

    def test_what_came_of_all_there_were_is_a_share_where_both_move_together(self) -> None:
        def repairs(closeness: float) -> dict[str, tuple[str, str, str]]:
            within = (("repairs", closeness),)
            part = Facts("repairs_in_time", "Repairs in time", "number", "measure", 0, 19, True, 20, (), within)
            return self.of(number("repairs", 1, 20), part, number("parts_cost_gbp", 1, 900), number("hours", 1, 90))

        found = repairs(0.9)
        self.assertEqual(found["sum(repairs_in_time) / sum(repairs)"], ("higher", "rate", "percent"))
        self.assertEqual(found["sum(repairs)"], ("open", "flow", "number"))
        self.assertEqual(found["sum(parts_cost_gbp)"][:2], ("lower", "flow"))
        self.assertEqual(found["mean(hours)"][1:], ("rate", "duration"))
        self.assertNotIn("sum(repairs_in_time) / sum(repairs)", repairs(0.2))

    def test_words_are_read_whole_where_their_beginning_says_something_else(self) -> None:
        found = self.of(
            number("calls_handled", 20, 90), number("marketing_spend_eur", 1, 900), number("tools_made", 1, 40),
            number("agents", 1, 9), number("number_of_missions", 1, 5),
        )  # fmt: skip
        self.assertEqual(found["sum(calls_handled)"][:2], ("higher", "flow"))
        self.assertEqual(found["sum(agents)"][:2], ("open", "stock"))
        self.assertEqual(found["sum(number_of_missions)"][:2], ("open", "flow"))
        self.assertEqual(self.of(number("energy_produced", 1, 9000))["sum(energy_produced)"][:2], ("higher", "flow"))
        self.assertEqual(self.of(number("passengers", 1, 400))["sum(passengers)"][:2], ("higher", "flow"))
        self.assertEqual(found["sum(marketing_spend_eur)"][:2], ("lower", "flow"))

    def test_what_there_can_be_at_most_is_what_a_share_is_of(self) -> None:
        within = (("rooms_available", 0.0),)
        sold = Facts("rooms_sold", "Rooms sold", "number", "measure", 20, 80, True, 60, (), within)
        found = self.of(number("rooms_available", 80, 80, distinct=1), sold, number("year", 2025, 2026, distinct=2))
        self.assertEqual(found["sum(rooms_sold) / sum(rooms_available)"], ("higher", "rate", "percent"))
        self.assertFalse([formula for formula in found if "year" in formula])

    def test_a_flag_is_a_share_and_its_direction_is_told_by_its_name(self) -> None:
        late, kept = Facts("late", "Late", "flag", "flag"), Facts("kept", "Kept", "flag", "flag")
        found = self.of(late, kept)
        self.assertEqual(found["count(where late = yes) / count()"], ("lower", "rate", "percent"))
        self.assertEqual(found["count(where kept = yes) / count()"], ("higher", "rate", "percent"))

    def test_amounts_add_up_levels_stand_and_scores_are_means(self) -> None:
        found = self.of(
            number("revenue_eur", 0, 9000), number("stock", 0, 900), number("rating", 1, 5, distinct=5),
            number("handling_minutes", 1, 90, whole=False), number("fill", 0, 0.9, whole=False),
        )  # fmt: skip
        self.assertEqual(found["sum(revenue_eur)"], ("higher", "flow", "currency"))
        self.assertEqual(found["sum(stock)"], ("open", "stock", "number"))
        self.assertEqual(found["mean(rating)"], ("higher", "rate", "number"))
        self.assertEqual(found["mean(handling_minutes)"], ("open", "rate", "duration"))
        self.assertEqual(found["mean(fill)"], ("open", "rate", "percent"))

    def test_a_plan_is_the_target_of_its_column_and_no_kpi(self) -> None:
        made: Draft = draft("Shifts", [number("output"), number("planned_output")])
        self.assertEqual({kpi.formula: kpi.plan for kpi in made.kpis}["sum(output)"], "planned_output")
        self.assertEqual([one.label for one in made.left_out], ["Planned output"])

    def test_so_it_is_in_other_languages_and_amounts_of_one_length_are_no_codes(self) -> None:
        for head, plan in (
            ("erlos", "ziel_erlos"),
            ("ventas", "presupuesto_ventas"),
            ("recettes", "objectif_recettes"),
        ):
            laundry = [Facts(name, name, "number", "measure", 1337, 2840, True, 40, rows=40) for name in (head, plan)]
            washed = Facts("kilo", "Kilo gewaschen", "number", "measure", 1337, 2840, True, 40, rows=40)
            made = draft("Rows", [*laundry, washed], counted_rows=False)
            plans = {kpi.formula: kpi.plan for kpi in made.kpis}
            self.assertEqual((plans[f"sum({head})"], plans["sum(kilo)"]), (plan, ""), head)
            self.assertEqual([one.label for one in made.left_out], [plan])
        codes = Facts("site", "Site", "number", "measure", 1012, 9873, True, 38, rows=40)
        self.assertIn("same length", draft("Rows", [codes]).left_out[0].reason)

    def test_a_column_that_never_changes_is_left_out_with_the_reason(self) -> None:
        made = draft("Rows", [number("version", 1, 1, distinct=1)])
        self.assertEqual([one.label for one in made.left_out], ["Version"])
        self.assertIn("always the same", made.left_out[0].reason)
        self.assertEqual([kpi.formula for kpi in made.kpis if kpi.place == "made"], ["count()"])

    @given(st.lists(st.text(min_size=1, max_size=20), max_size=6), st.text(max_size=20))
    def test_whatever_columns_are_called_formulas_can_be_read(self, labels: list[str], name: str) -> None:
        columns = [Facts(f"c{at}", label, "number", "measure", 0, at + 1, True, 9) for at, label in enumerate(labels)]
        made = draft(name, columns)
        for kpi in made.kpis:
            parse(kpi.formula)
            self.assertTrue(is_name(kpi.handle), kpi.handle)
            self.assertEqual(references(parse(f"@{kpi.handle} + 1")), (kpi.handle,))
            self.assertTrue(kpi.reason.endswith("."))
