"""First drafts of tables as they are kept in other languages: what their heads, signs of money and yes and no tell."""

from __future__ import annotations

import datetime as dt
import unittest
from collections.abc import Sequence

from ironmark.core.drafting import draft
from ironmark.core.formula import parse
from ironmark.core.measuring import is_average
from ironmark.tables.facts import facts_of
from ironmark.tables.files import read_table

# A head, two lines that take turns (# stands for a number that differs from row to row), and what is made of them.
TABLES = {
    "Finnish": (
        "Päivä;Saha;Tilavuus (m³);Kosteus %;Hinta;Hylätty;Sahausaika", "Äänekoski;#,5;#,2;1#,90 €;kyllä;#", "Ylä;#,4;#,8;2#,10 €;ei;#",
        "count(where hylätty = \"kyllä\") / count() < | sum(tilavuus_m3) | sum(hinta) | mean(kosteus) | mean(sahausaika)",
    ),
    "Polish": (
        "Data;Scena;Sprzedane bilety;Przychody;Zwroty;Odwołany", "Duża;#;1 2#,50 zł;#;tak", "Mała;#;3#,00 zł;#;nie",
        "count(where odwołany = \"tak\") / count() < | sum(sprzedane_bilety) | sum(przychody) > | sum(zwroty) <",
    ),
    "Hungarian": (
        "Nap;Könyvtár;Kölcsönzések;Bírság Ft;Késés (perc);Visszahozta", "Fő;#;#00;#;igen", "Őr;#;#50;#;nem",
        "count(where visszahozta = \"igen\") / count() | sum(kölcsönzések) | sum(bírság_ft) | mean(késés_perc) <",
    ),
    "Turkish": (
        "Tarih;Fırın;Üretim (adet);İade;Maliyet;Bekleme süresi", "Ada;#;#;#,5;#", "Kıyı;#;#;#,2;#",
        "sum(üretim_adet) > | sum(iade) < | sum(maliyet) < | mean(bekleme_süresi) <",
    ),
    "Greek": (
        "Ημερομηνία;Φούρνος;Πωλήσεις (€);Επιστροφές;Αναμονή (λεπτά)", "Άνω;#,5;#;#", "Κάτω;#,2;#;#",
        "sum(πωλήσεις) > | sum(επιστροφές) < | mean(αναμονή_λεπτά) <",
    ),
    "Russian": (
        "Дата;Ферма;Поголовье;Брак;Температура;Выручка", "Север;1#;#;#,5;#00 руб.", "Юг;2#;#;#,1;#50 руб.",
        "sum(поголовье) | sum(брак) < | mean(температура) | sum(выручка) >",
    ),
    "Japanese": (
        "日付;旅館;宿泊者数;売上高;満足度;キャンセル", "山荘;#;#000;#.5;はい", "海荘;#;#500;#.2;いいえ",
        "count(where キャンセル = \"はい\") / count() < | sum(宿泊者数) | sum(売上高) > | mean(満足度) >",
    ),
    "Korean": (
        "날짜;병원;환자수;대기시간(분);불만 건수;재방문", "강북;#;#;#;예", "강남;#;#;#;아니오",
        "count(where 재방문 = \"예\") / count() | sum(환자수) | mean(대기시간_분) < | sum(불만_건수) <",
    ),
}  # fmt: skip


def rows_of(head: str, *lines: str) -> bytes:
    """120 days of both lines, one a day."""
    found = [head]
    for n in range(120):
        cells = lines[n % len(lines)].replace("#", "{}")
        numbers = [10 + (n * step) % 83 for step in (7, 11, 13, 29, 31, 37)]
        found.append(f"2025-{1 + n // 28:02d}-{1 + n % 28:02d};{cells.format(*numbers[: cells.count('{}')])}")
    return "\n".join(found).encode()


class Elsewhere(unittest.TestCase):
    def test_a_first_draft_says_what_the_table_measures(self) -> None:
        signs = {"higher": " >", "lower": " <"}
        for language, (head, one, other, wanted) in TABLES.items():
            with self.subTest(language):
                table = read_table(rows_of(head, one, other)).table
                made = draft("Rows", facts_of(table.frame, table.columns)).kpis
                formulas = {f"{k.formula}{signs.get(k.direction, '')}" for k in made if k.place == "made"}
                self.assertEqual(formulas, {"count()", *wanted.split(" | ")})

    def test_what_is_not_so_in_any_language_is_a_share_of_what_is(self) -> None:
        for head, is_so, is_not, wanted in (
            ("Esito", "conforme", "non conforme", 'count(where esito = "conforme") / count()'),
            ("Rechnung", "bezahlt", "nicht bezahlt", 'count(where rechnung = "bezahlt") / count()'),
            ("Invoice", "Paid", "Unpaid", 'count(where invoice = "Paid") / count()'),
            ("検査", "合格", "不合格", 'count(where 検査 = "合格") / count()'),
            ("Durum", "uygun", "uygun değil", 'count(where durum = "uygun") / count()'),
            ("Falsklarm (J/N)", "J", "N", 'count(where falsklarm_j_n = "J") / count()'),
            ("Tarkastettu (K/E)", "K", "E", 'count(where tarkastettu_k_e = "K") / count()'),
            ("Prüfung", "OK", "NOK", 'count(where prüfung = "OK") / count()'),
        ):
            with self.subTest(head):
                self.assertIn(wanted, self.made(f"Day;Area;{head}", "north;" + is_so, "south;" + is_not))

    def test_north_and_south_are_no_yes_and_no(self) -> None:
        for one, other in (("N", "S"), ("N", "O"), ("Door", "Outdoor"), ("Early", "Late")):
            made = self.made("Day;Side;Calls", f"{one};#", f"{other};#")
            self.assertFalse([formula for formula in made if "where side" in formula], (one, made))

    def test_who_is_called_after_a_fault_is_no_fault(self) -> None:
        made = self.made("Day;Queue;Calls", "Faults;#", "Billing;#", "Sales;#")
        self.assertNotIn('count(where queue = "Faults") / count()', made)

    def made(self, head: str, *lines: str) -> set[str]:
        table = read_table(rows_of(head, *lines)).table
        return {kpi.formula for kpi in draft("Rows", facts_of(table.frame, table.columns)).kpis if kpi.place == "made"}

    def test_what_is_an_average_is_never_added_up(self) -> None:
        for head in (
            "Average spend £",
            "gasto medio (€)",
            "Ø Umsatz",
            "panier moyen",
            "Średnia sprzedaż",
            "средний чек",
            "平均売上",
        ):
            with self.subTest(head):
                column = (
                    read_table(rows_of(f"Day;Area;{head};Visitors", "north;#.5;#", "south;#.2;1#"))
                    .table.columns[2]
                    .name
                )
                made = self.made(f"Day;Area;{head};Visitors", "north;#.5;#", "south;#.2;1#")
                self.assertIn(f"sum({column} * visitors) / sum(visitors)", made)
                self.assertNotIn(f"sum({column})", made)
        self.assertFalse(
            is_average("Social media")
            or is_average("Calls per day")
            or is_average("Pro members")
            or is_average("Gadget Pro units")
        )
        made = self.made("Day;Area;Umsatz je Kunde;Umsatz;Kunden", "north;#.5;#;#", "south;#.2;1#;#")
        self.assertIn("sum(umsatz_je_kunde * kunden) / sum(kunden)", made)
        self.assertIn("mean(average_sales)", self.made("Day;Area;Average sales;Sales", "north;#.5;1#", "south;#.2;2#"))
        self.assertTrue(is_average("Umsatz je VZÄ") and is_average("Cost per patient"))
        self.assertIn("sum(total_downtime_hours)", self.made("Day;Area;Total downtime hours", "north;#.5", "south;#.2"))

    def test_an_answer_on_a_scale_is_a_rating(self) -> None:
        for head in ("Would recommend (0-100)", "Sauberkeit (1 bis 100)", "Ambiance /100", "Wait was fine, out of 100"):
            made = self.made(f"Day;Area;{head}", "north;#", "south;#")
            self.assertTrue(any(formula.startswith("mean(") for formula in made), head)

    def test_so_many_of_so_many_are_two_figures_and_a_share(self) -> None:
        for head, cells, name in (
            ("Hand hygiene", ("7 of 12", "9 of 14"), "hand_hygiene"), ("Dienste besetzt", ("7 von 8", "8 von 8"), "dienste_besetzt"),
            ("Responded on time", ("17/20", "9 / 30"), "responded_on_time"), ("Conformes", ("7 sur 9", "9 sur 11"), "conformes"),
        ):  # fmt: skip
            with self.subTest(head):
                table = read_table(rows_of(f"Day;Area;{head}", f"north;{cells[0]}", f"south;{cells[1]}")).table
                self.assertEqual([c.label for c in table.columns[2:]], [head, f"{head}, all"])
                self.assertIn(
                    f"sum({name}) / sum({name}_all)",
                    self.made(f"Day;Area;{head}", *(f"north;{cell}" for cell in cells)),
                )
                self.assertTrue(any("was read as a figure of another" in problem.message for problem in table.problems))
        lines = [f"2026-01-{n:02d};{n} of 31" for n in range(1, 29)]
        table = read_table("\n".join(["Day;Handed in", *lines, "2026-01-29;lost it", "2026-01-30;n/a"]).encode()).table
        self.assertEqual(table.frame["handed_in"].to_list()[-3:], [28.0, None, None])
        self.assertTrue(
            any("1 of 29 cells are no number" in problem.message for problem in table.problems), table.problems
        )
        table = read_table(rows_of("Day;Area;Pain score", "north;7/10", "south;3/10")).table
        self.assertEqual([(c.label, c.type) for c in table.columns[2:]], [("Pain score", "number")])
        for head, cells in (
            ("Season", ("24/25", "25/26")),
            ("Flat", ("2/14", "3/20")),
            ("Note", ("1/2", "2/3")),
            ("Due", ("3/11", "4/12")),
        ):
            table = read_table(rows_of(f"Day;Area;{head}", f"north;{cells[0]}", f"south;{cells[1]}")).table
            self.assertEqual([c.label for c in table.columns[2:]], [head])

    def test_a_plan_of_the_only_figure_is_its_target(self) -> None:
        table = read_table(rows_of("Day;Area;Act;Bud;Var %", "north;#;#;1.5%", "south;#;#;-2.5%")).table
        made = draft("Rows", facts_of(table.frame, table.columns), counted_rows=False)
        kpis = [kpi for kpi in made.kpis if kpi.place == "made"]
        self.assertEqual([(kpi.formula, kpi.plan) for kpi in kpis], [("sum(act)", "bud")])
        self.assertEqual({one.label for one in made.left_out}, {"Bud", "Var %"})

    def test_numbers_that_recur_once_in_each_period_name_what_rows_are_of(self) -> None:
        def roles(cows: Sequence[int], more: str = "") -> list[str]:
            lines = [f"2026-11-{day:02};{cow};{20 + (cow * day) % 17},5{more}" for day in range(1, 8) for cow in cows]
            body = f"Datum;Koe;Melk (kg){';Stal' * bool(more)}\n" + "\n".join(lines)
            return [column.role for column in read_table(body.encode()).table.columns]

        self.assertEqual(roles((101, 102, 103, 104)), ["period", "segment", "measure"])
        self.assertEqual(roles((101, 102, 103, 103)), ["period", "measure", "measure"])
        self.assertEqual(roles((101, 102)), ["period", "measure", "measure"])  # it may well be chance
        self.assertEqual(roles((101, 102, 103, 104), ";Oost"), ["period", "measure", "measure", "segment"])

    def test_how_long_things_took_is_told_from_when_they_were(self) -> None:
        for head, cells, wanted in (
            ("Ø Dauer", ("0:45", "2:05"), [45.0, 125.0]), ("Väntetid", ("0:07:30", "1:00:00"), [7.5, 60.0]),
            ("Handling time (mm:ss)", ("4:30", "12:15"), [4.5, 12.25]), ("Downtime", ("26:00", "0:30"), [1560.0, 30.0]),
            ("Turn-out (mm:ss)", ("01:45", "02:15"), [1.75, 2.25]),
            ("Uhrzeit", ("14:35", "08:10"), None), ("Startzeit", ("0:35", "1:10"), None), ("Reaktionszeit", ("14:35", "18:10"), None),
            ("Score", ("2:1", "3:2"), None), ("Result", ("2:10", "3:20"), None),
        ):  # fmt: skip
            for many in (40, 4_000):  # the second are read as a file of a machine
                with self.subTest(head, many=many):
                    days = [dt.date(2020, 1, 1) + dt.timedelta(n // 3) for n in range(many)]
                    lines = [f"{day};{'north' if n % 3 else 'south'};{cells[n % 2]}" for n, day in enumerate(days)]
                    body = "\n".join([f"Day;Area;{head}", *lines]).encode()
                    column = read_table(body).table.columns[2]
                    self.assertEqual((column.type, column.unit), ("number", "min") if wanted else ("text", ""))
                    if wanted:
                        self.assertEqual(read_table(body).table.frame[column.name].to_list()[:2], wanted)

    def test_what_is_per_hour_or_in_a_litre_is_no_duration_and_never_added_up(self) -> None:
        for head in (
            "Wind (km/h)",
            "E. coli [CFU/100 ml]",
            "Nitrat (mg/l)",
            "Rate (€/word)",
            "Days of cover",
            "active_power_kw",
        ):
            made = self.made(f"Day;Area;{head}", "north;#", "south;#")
            self.assertFalse(
                any("sum(" in formula for formula in made if "count" not in formula) and "km" not in head, head
            )
            table = read_table(rows_of(f"Day;Area;{head}", "north;#", "south;#")).table
            (kpi,) = (k for k in draft("R", facts_of(table.frame, table.columns)).kpis if table.columns[2].name in k.formula and k.place == "made")  # fmt: skip
            self.assertNotEqual(kpi.unit.kind, "duration", head)

    def test_a_bound_is_read_as_its_figure_and_age_bands_stay_names(self) -> None:
        cells = ["<0.5", "0.7", "n.d.", "<0.5", "1.2"] * 6
        table = read_table("\n".join(["Day;Lead", *(f"2026-05-{1 + n % 28:02d};{cell}" for n, cell in enumerate(cells))]).encode()).table  # fmt: skip
        self.assertEqual(table.frame["lead"].to_list()[:5], [0.5, 0.7, None, 0.5, 1.2])
        self.assertIn("12 cells say no more than a bound, such as “<0.5”", table.problems[0].message)
        bands = ["<18", ">65", "<18"] * 9
        table = read_table("\n".join(["Day;Age", *(f"2026-05-{1 + n % 28:02d};{cell}" for n, cell in enumerate(bands))]).encode()).table  # fmt: skip
        self.assertEqual(table.columns[1].type, "text")

    def test_what_is_ticked_is_a_share_and_stars_are_counted(self) -> None:
        self.assertIn(
            "count(where late is filled) / count()", self.made("Day;Area;Late;Stops", "north;x;#", "south;;#")
        )
        self.assertIn('count(where gel = "✓") / count()', self.made("Day;Area;Gel", "north;✓", "south;✗"))
        table = read_table(rows_of("Day;Film;Rating;Price", "one;★★★★☆;1.5#,-", "two;★★;2.5#,-")).table
        self.assertEqual(table.frame["rating"].to_list()[:2], [4.0, 2.0])
        self.assertEqual([c.type for c in table.columns[2:]], ["number", "number"])
        self.assertIn("sum(total_price)", self.made("Day;Area;Total price", "north;#.5", "south;#.2"))
        self.assertIn('count(where status = "🟢") / count()', self.made("Day;Kiln;Status", "a;🟢", "a;🔴"))

    def test_two_days_of_a_row_tell_how_long_it_was_and_what_was_late(self) -> None:
        first = dt.date(2026, 3, 1)
        rows = [
            (first + dt.timedelta(n), first + dt.timedelta(n + n % 7) if n % 9 else "", first + dt.timedelta(n + 4))
            for n in range(60)
        ]
        lines = [f"{sent};{back};{due};{'A' if n % 2 else 'B'}" for n, (sent, back, due) in enumerate(rows)]
        table = read_table("\n".join(["Sent;Delivered;Due;Kiln", *lines]).encode()).table
        kpis = {kpi.formula: kpi for kpi in draft("Jobs", facts_of(table.frame, table.columns)).kpis}
        self.assertEqual(kpis["mean(days(sent, delivered))"].direction, "lower")
        by_then = kpis["count(where days(delivered, due) >= 0) / count(where delivered is filled)"]
        self.assertEqual((by_then.name, by_then.direction), ("Delivered by Due", "higher"))
        self.assertNotIn("mean(days(sent, due))", kpis)
        stays = "\n".join(["Anreise;Abreise", *(f"{a};{d}" for a, _, d in rows)]).encode()
        table = read_table(stays).table
        kpis = {kpi.formula: kpi for kpi in draft("Stays", facts_of(table.frame, table.columns)).kpis}
        self.assertEqual(kpis["mean(days(anreise, abreise))"].direction, "open")

    def test_amounts_of_several_currencies_are_never_added_up(self) -> None:
        made = self.made("Day;Area;Currency;Amount", "north;EUR;#", "south;CHF;1#")
        self.assertLessEqual({'sum(amount where currency = "EUR")', 'sum(amount where currency = "CHF")'}, made)
        self.assertNotIn("sum(amount)", made)
        self.assertIn("sum(amount)", self.made("Day;Area;Currency;Amount", "north;EUR;#", "south;EUR;1#"))

    def test_weights_are_counts_and_no_plans(self) -> None:
        self.assertIn("mean(availability)", self.made("Day;Area;Availability;Output kWh", "north;9#%;#", "south;8#%;#"))
        self.assertIn("sum(within_sla) / sum(tickets)", self.made("Day;Area;Tickets;Within SLA", "north;2#;1#", "south;3#;2#"))  # fmt: skip

    def test_the_only_figures_are_what_their_table_is_called(self) -> None:
        table = read_table(b"Shop,Jan 2026,Feb 2026\nA,1,2\nB,3,4").table
        made = draft("Takings", facts_of(table.frame, table.columns), counted_rows=False).kpis
        self.assertEqual([kpi.name for kpi in made if kpi.place == "made"], ["Takings"])
        table = read_table(b"Project,Jan 2026,Feb 2026\nA,On track,Delayed\nB,Delayed,On track").table
        made = draft("Projects", facts_of(table.frame, table.columns)).kpis
        self.assertIn('count(where value = "On track") / count()', {kpi.formula for kpi in made if kpi.place == "made"})

    def test_a_plan_that_says_no_more_is_of_what_is_near_it(self) -> None:
        for head in (
            "Цех;Выпуск, шт;Брак, шт;План, шт",
            "Κατάστημα;Πωλήσεις;Επιστροφές;Στόχος",
            "סניף;מכירות;החזרות;יעד",
            "지점;매출;반품;목표",
            "สาขา;ยอดขาย;คืน;เป้าหมาย",
        ):
            table = read_table(rows_of(f"Day;{head}", "one;9#;#;1200", "two;1#0;#;1200")).table
            plans = {kpi.formula: kpi.plan for kpi in draft("Rows", facts_of(table.frame, table.columns)).kpis}
            figure, _, plan = (column.name for column in table.columns[2:])
            self.assertEqual(plans[f"sum({figure})"], plan, head)
        table = read_table(rows_of("Day;Area;Trips;Staff;Target", "one;#;#;55", "two;#;#;55")).table
        self.assertFalse(any(kpi.plan for kpi in draft("Rows", facts_of(table.frame, table.columns)).kpis))

    def test_a_column_is_called_what_its_head_says_without_its_unit(self) -> None:
        for head, name, unit, formula in (
            ("BOD (mg/l)", "BOD", "mg/l", "mean"), ("Flow m3/d", "Flow", "m³/d", "mean"), ("Käive, €", "Käive", "EUR", "sum"), ("매출(원)", "매출", "KRW", "sum"),
            ("Druck [bar]", "Druck", "bar", "mean"), ("Leisure days", "Leisure days", "d", "mean"), ("Umsatz Mio EUR", "Umsatz", "EUR", "sum"),
        ):  # fmt: skip
            table = read_table(rows_of(f"Day;Area;{head}", "one;#.5", "two;1#.5")).table
            made = draft("Rows", facts_of(table.frame, table.columns)).kpis
            self.assertEqual(table.columns[2].unit, unit, head)
            found = next(kpi for kpi in made if kpi.formula.startswith(formula))
            self.assertEqual(found.name, name, head)
        for head in ("Calls per day", "Litres per 100 km", "Output per h"):
            table = read_table(rows_of(f"Day;Area;{head}", "one;#.5", "two;1#.5")).table
            self.assertEqual(table.columns[2].unit, "", head)

    def test_answers_in_words_are_read_by_those_that_agree(self) -> None:
        for agrees, less, middle, no in (
            ("Strongly agree", "Agree", "Neutral", "Disagree"),
            ("Very satisfied", "Satisfied", "Neither", "Dissatisfied"),
            ("stimme voll zu", "stimme eher zu", "teils/teils", "stimme nicht zu"),
            ("Tout à fait d'accord", "Plutôt d'accord", "Sans opinion", "Pas d'accord"),
            ("Muy de acuerdo", "De acuerdo", "Indiferente", "En desacuerdo"),
        ):
            lines = [
                f"2026-05-{1 + n % 28:02d};{('a', 'b')[n % 2]};{(agrees, less, middle, no)[n % 4]}" for n in range(80)
            ]
            table = read_table("\n".join(["Day;Ward;Friendly", *lines]).encode()).table
            kpi = next(k for k in draft("Rows", facts_of(table.frame, table.columns)).kpis if "friendly" in k.formula)
            self.assertIn(f'"{agrees}"', kpi.formula)
            self.assertIn(f'"{less}"', kpi.formula)
            self.assertTrue(kpi.formula.endswith("/ count(where friendly is filled)"), kpi.formula)
            self.assertNotIn(f'"{middle}"', kpi.formula)
            self.assertEqual(kpi.direction, "higher")

    def test_running_totals_and_the_year_before_are_no_kpis_of_their_own(self) -> None:
        table = read_table(
            rows_of(
                "Day;Area;Tonnes;YTD tonnes;Budget;YTD budget;Tonnes PY", "one;#;#00;50;#50;#", "two;#;#00;50;#50;#"
            )
        ).table
        made = draft("Rows", facts_of(table.frame, table.columns), counted_rows=False)
        placed = {kpi.formula: (kpi.place, kpi.plan) for kpi in made.kpis}
        self.assertEqual(placed["sum(tonnes)"], ("made", "budget"))
        self.assertEqual(placed["sum(tonnes_py)"][0], "offered")
        self.assertIn("it is Tonnes since the year began", " ".join(one.reason for one in made.left_out))

    def test_a_bound_tells_which_way_is_better(self) -> None:
        table = read_table(b"KPI,Target,Jan 2026,Feb 2026\nWaste per head,<= 40,41,39\nRecycling,> 50%,44%,46%").table
        self.assertEqual([c.better for c in table.columns[1:]], ["lower", "", "higher", ""])
        formulas = {kpi.formula for kpi in draft("Rows", facts_of(table.frame, table.columns), counted_rows=False).kpis}
        self.assertIn("mean(waste_per_head)", formulas, "nothing is weighed by its own plan")

    def test_names_keep_the_vowels_above_their_letters(self) -> None:
        table = read_table(rows_of("วันที่;สาขา;จำนวนลูกค้า;ग्राहक", "หนึ่ง;#;#", "สอง;#;#")).table
        self.assertEqual([c.name for c in table.columns], ["วันที่", "สาขา", "จำนวนลูกค้า", "ग्राहक"])
        for kpi in draft("Rows", facts_of(table.frame, table.columns)).kpis:
            parse(kpi.formula)

    def test_no_clock_shows_how_long_it_took(self) -> None:
        def unit(cells: list[str]) -> str:
            return read_table("\n".join(["Day;Talk", *(f"2026-05-{n:02d};{cell}" for n, cell in enumerate(cells, 1))]).encode()).table.columns[1].unit  # fmt: skip

        self.assertEqual(unit([f"00:{n:02d}:30" for n in range(1, 20)]), "min")
        self.assertEqual(unit([f"{n + 14}:10:00" for n in range(1, 20)]), "min")
        self.assertEqual(unit([f"{n % 24:02d}:10:00" for n in range(1, 20)]), "")
        self.assertEqual(unit([f"00:{n:02d}" for n in range(1, 20)]), "")

    def test_money_is_told_by_how_it_is_written(self) -> None:
        for cell, unit in (("{} zł", "PLN"), ("{} Kč", "CZK"), ("{} Ft", "HUF"), ("₺{}", "TRY"), ("{} грн", "UAH"), ("CHF {}", "CHF"), ("US$ {}", "USD"), ("{}円", "JPY"), ("R$ {}", "BRL"), ("Rp {}", "IDR"), ("{} kr", "kr"), ("{} บาท", "THB")):  # fmt: skip
            lines = [f"2025-03-{1 + n % 28:02d};{cell.format(f'{n} {100 + n},50')}" for n in range(1, 40)]
            table = read_table("\n".join(["Day;Amount", *lines]).encode()).table
            self.assertEqual([c.type for c in table.columns], ["date", "number"], cell)
            self.assertEqual(table.frame["amount"].to_list()[:2], [1101.5, 2102.5], cell)
            self.assertEqual(table.columns[1].unit, unit, cell)
        table = read_table(
            b"Bulan;Penjualan\n" + b"".join(b"2026-03-%02d;Rp %d.500.000\n" % (n, n) for n in range(1, 29))
        ).table
        self.assertEqual((table.columns[1].unit, table.frame["penjualan"][0]), ("IDR", 1_500_000.0))
