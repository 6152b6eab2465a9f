"""Periods as people write them."""

import datetime as dt
import unittest

import polars as pl
from babel import Locale
from babel.dates import format_date

from ironmark.tables.celltypes import typed_cells
from ironmark.tables.eras import in_common_era
from ironmark.tables.files import read_table
from ironmark.tables.notations import Settled, notations_of, read_periods
from ironmark.tables.period_words import LANGUAGES, MORE_LANGUAGES, month_called, months_of

D = dt.date
EACH = {
    "2026-01-15": (D(2026, 1, 15), "day"), "2026-01-15 08:30": (D(2026, 1, 15), "day"), "20260115": (D(2026, 1, 15), "day"),
    "15/01/2026": (D(2026, 1, 15), "day"), "1/15/2026": (D(2026, 1, 15), "day"), "15.1.26": (D(2026, 1, 15), "day"),
    "15 Jan 2026": (D(2026, 1, 15), "day"), "15. Januar 2026": (D(2026, 1, 15), "day"), "Mon, 15 Jan 2026": (D(2026, 1, 15), "day"),
    "jeudi 15 janvier 2026": (D(2026, 1, 15), "day"), "15 de enero de 2026": (D(2026, 1, 15), "day"), "January 15, 2026": (D(2026, 1, 15), "day"),
    "46037": (D(2026, 1, 15), "day"), "1768435200": (D(2026, 1, 15), "day"),
    "Jan 2026": (D(2026, 1, 1), "month"), "Jan-26": (D(2026, 1, 1), "month"), "January 2026": (D(2026, 1, 1), "month"),
    "Jan '26": (D(2026, 1, 1), "month"), "2026 Jan": (D(2026, 1, 1), "month"), "01/2026": (D(2026, 1, 1), "month"),
    "2026-01": (D(2026, 1, 1), "month"), "202601": (D(2026, 1, 1), "month"), "2026M01": (D(2026, 1, 1), "month"),
    "März 2026": (D(2026, 3, 1), "month"), "Mrz 26": (D(2026, 3, 1), "month"), "févr. 2026": (D(2026, 2, 1), "month"),
    "październik 2026": (D(2026, 10, 1), "month"), "enero de 2026": (D(2026, 1, 1), "month"),
    "Q1 2026": (D(2026, 1, 1), "quarter"), "2026 Q2": (D(2026, 4, 1), "quarter"), "1Q26": (D(2026, 1, 1), "quarter"),
    "Q3/26": (D(2026, 7, 1), "quarter"), "2026-Q4": (D(2026, 10, 1), "quarter"), "3. Quartal 2026": (D(2026, 7, 1), "quarter"),
    "T2 2026": (D(2026, 4, 1), "quarter"), "H2 2026": (D(2026, 7, 1), "half"), "1H26": (D(2026, 1, 1), "half"),
    "2. Halbjahr 2026": (D(2026, 7, 1), "half"), "2026-W05": (D(2026, 1, 26), "week"), "W5 2026": (D(2026, 1, 26), "week"),
    "KW 5 2026": (D(2026, 1, 26), "week"), "KW05/26": (D(2026, 1, 26), "week"), "Week 5, 2026": (D(2026, 1, 26), "week"),
    "w/c 26/01/2026": (D(2026, 1, 26), "week"), "Week commencing 26 January 2026": (D(2026, 1, 26), "week"), "Woche vom 26.01.2026": (D(2026, 1, 26), "week"),
    "W/E 1/2/2026": (D(2026, 1, 26), "week"), "Week ending 31 Jan 2026": (D(2026, 1, 26), "week"), "semaine du 26 janvier 2026": (D(2026, 1, 26), "week"),
    "week of 1/25/2026": (D(2026, 1, 26), "week"), "wc 2026-01-26": (D(2026, 1, 26), "week"), "Week of 5/1/2026": (D(2026, 1, 5), "week"),
    "2026": (D(2026, 1, 1), "year"), "FY2025/26": (D(2025, 1, 1), "year"), "2025/26": (D(2025, 1, 1), "year"), "FY26": (D(2026, 1, 1), "year"),
    "Q3 FY26": (D(2026, 7, 1), "quarter"), "FY26 Q3": (D(2026, 7, 1), "quarter"), "Q2 2025/26": (D(2025, 4, 1), "quarter"), "2025/26 Q2": (D(2025, 4, 1), "quarter"),
    "H2 FY26": (D(2026, 7, 1), "half"), "P03 FY26": (D(2026, 3, 1), "month"), "FY2026-P12": (D(2026, 12, 1), "month"),
}  # fmt: skip
NONE = (
    "Upper",
    "Total",
    "12",
    "1.5",
    "A1",
    "2026-13",
    "31/31/2026",
    "Q5 2026",
    "W60 2026",
    "May be",
    "2025/28",
    "Q5 FY26",
    "P13 FY26",
    "Hall 3",
    "We are 3",
    "week of travel",
    "W/E",
    "x",
)


class Eras(unittest.TestCase):
    def test_years_of_other_eras_are_read_in_the_common_one(self) -> None:
        for text, wanted in (
            ("28/11/2569", "28/11/2026"), ("2569-11", "2026-11"), ("พ.ย. 2569", "พ.ย. 2026"), ("28 พฤศจิกายน 2569", "28 พฤศจิกายน 2026"), ("28/11/2569 10:20", "28/11/2026 10:20"),
            ("令和8年11月", "2026年11月"), ("令和元年5月1日", "2019年5月1日"), ("民國115年11月", "2026年11月"), ("2569", "2569"), ("Order 2569", "Order 2569"), ("2569 kWh", "2569 kWh"),
        ):  # fmt: skip
            self.assertEqual(in_common_era(text), wanted)

    def test_months_past_december_are_of_the_next_year(self) -> None:
        def read(*months: str) -> list[str]:
            found = read_periods(months, Settled(2025))
            return [f"{day:%Y-%m}" for day in found.days if day] if found else []

        self.assertEqual(read("Jul", "Oct", "Jan", "Apr"), ["2025-07", "2025-10", "2026-01", "2026-04"])
        self.assertEqual(read("Dec", "Dec", "Jan"), ["2025-12", "2025-12", "2026-01"])
        self.assertEqual(read("4月", "12月", "1月"), ["2025-04", "2025-12", "2025-01"], "too far apart to tell")
        self.assertEqual(read("Mar", "Feb", "Jan"), ["2025-03", "2025-02", "2025-01"])
        self.assertEqual(read("Jan", "Feb", "Dec"), ["2025-01", "2025-02", "2025-12"])

    def test_columns_of_them(self) -> None:
        for cells in ([f"{n:02d}/02/2567" for n in range(1, 30)], [f"{n} ก.พ. 2567" for n in range(1, 30)]):
            typed = typed_cells(pl.Series("วันที่", cells), "วันที่")
            self.assertEqual((typed.kind, typed.cells[28]), ("date", dt.date(2024, 2, 29)))
            self.assertIn("common era", typed.found[0].message)
        codes = typed_cells(pl.Series("code", [f"2500-{n:02d}" for n in range(1, 60)]), "Code")
        self.assertEqual((codes.kind, codes.cells[0]), ("text", "2500-01"))


class Notations(unittest.TestCase):
    def test_each_is_read(self) -> None:
        for text, (day, grain) in EACH.items():
            found = read_periods([text], Settled(), "Period")
            self.assertIsNotNone(found, text)
            assert found is not None
            self.assertEqual((found.days[0], found.grain), (day, grain), text)

    def test_others_are_none(self) -> None:
        for text in NONE:
            found = read_periods([text], Settled(), "Name")
            self.assertIsNone(found, f"{text}: {found}")

    def test_month_names_of_every_language(self) -> None:
        for language in LANGUAGES:
            for number, name in Locale.parse(language).months["format"]["wide"].items():
                found = read_periods([f"{name} 2026"], Settled())
                self.assertTrue(found and found.days[0] == D(2026, number, 1), f"{language} {name}")
        self.assertEqual(month_called("okt"), 10)

    def test_days_as_every_language_writes_them(self) -> None:
        """With and without words, a time behind them, and the day of the week."""
        days = [D(2024, 1, 1) + dt.timedelta(days=37 * n) for n in range(24)]
        odd = {  # by language: months of two words, two figures for the year, an own form of the month
            "ga": {"long", "full"}, "eu": {"short", "long", "full"}, "bg": {"short"}, "ko": {"short"}, "cy": {"full"}, "th": {"full"},
            "fa": {"full"}, "vi": {"full"}, "ne": {"short"}, "gd": {"long", "full"}, "ml": {"full"},
        }  # fmt: skip
        read = 0
        for language in (*LANGUAGES, *MORE_LANGUAGES):
            locale = Locale.parse(language)
            for width in ("short", "medium", "long", "full"):
                texts = [format_date(day, width, locale) for day in days]
                if width in odd.get(language, ()):
                    continue
                found = read_periods(texts, Settled())
                self.assertEqual(list(found.days) if found else None, days, f"{language} {width}: {texts[3]}")
                read += 1
        self.assertGreater(read, 250)

    def test_months_quarters_and_weeks_in_other_orders(self) -> None:
        for text, day, grain in (
            ("2026. március", D(2026, 3, 1), "month"), ("2026年3月", D(2026, 3, 1), "month"), ("03.2026.", D(2026, 3, 1), "month"),
            ("tháng 3 năm 2026", D(2026, 3, 1), "month"), ("апрель 2026 г.", D(2026, 4, 1), "month"), ("2026. II. negyedév", D(2026, 4, 1), "quarter"),
            ("II kw. 2026", D(2026, 4, 1), "quarter"), ("2026年第2四半期", D(2026, 4, 1), "quarter"), ("2. čtvrtletí 2026", D(2026, 4, 1), "quarter"),
            ("2026. 7. hét", D(2026, 2, 9), "week"), ("II półrocze 2026", D(2026, 7, 1), "half"), ("2026. 03. 05. 14:05", D(2026, 3, 5), "day"),
            ("2026/3/5 下午2:05", D(2026, 3, 5), "day"), ("٢٠٢٦/٠٣/٠٥", D(2026, 3, 5), "day"),
        ):  # fmt: skip
            found = read_periods([text], Settled())
            self.assertEqual((found.days[0], found.grain) if found else None, (day, grain), text)

    def test_every_minute_of_a_laundry_is_of_a_day(self) -> None:
        """More different times than are looked at one by one, in a short list and in one that is read by columns."""
        for rows in (300, 60_000):
            moments = [dt.datetime(2024, 1, 1, 6) + dt.timedelta(minutes=17 * at) for at in range(rows)]
            for written in (
                "{0:%Y}. {0:%m}. {0:%d}. {0:%H:%M:%S}",
                "{0.day}. {0.month}. {0:%Y %H:%M}",
                "{0.day} березня 2024 р., {0:%H:%M}",
            ):
                days = [one.date() if "березня" not in written else D(2024, 3, one.day) for one in moments]
                lines = (f"{written.format(one)};Mosoda {one.day % 7};{one.hour},5" for one in moments)
                table = read_table("\n".join(["mikor;mosoda;súly", *lines]).encode()).table
                self.assertEqual([column.role for column in table.columns], ["period", "segment", "measure"], written)
                self.assertEqual(table.frame["mikor"].to_list(), days)

    def test_a_month_is_what_the_language_of_its_column_calls_it(self) -> None:
        polish = read_periods(["5 listopada 2026", "5 grudnia 2026"], Settled())
        croatian = read_periods(["5. listopada 2026.", "5. prosinca 2026."], Settled())
        assert polish is not None and croatian is not None
        self.assertEqual(
            (polish.days, croatian.days), ((D(2026, 11, 5), D(2026, 12, 5)), (D(2026, 10, 5), D(2026, 12, 5)))
        )
        self.assertEqual(months_of(["srpen"]), ({"srpen": 8}, ""))
        self.assertEqual(months_of(["listopada"])[0], {"listopada": 11})
        self.assertIn("read as November; in Croatian it is October", months_of(["listopada"])[1])
        self.assertEqual(months_of(["Mar"]), ({"Mar": 3}, ""))

    def test_the_financial_year_begins_where_the_calendar_says(self) -> None:
        april = Settled(year_start=4)
        for text, day in (("FY2025/26", D(2025, 4, 1)), ("FY26", D(2025, 4, 1)), ("2026 Q1", D(2026, 4, 1)), ("H2 2026", D(2026, 10, 1)), ("2026", D(2026, 4, 1)), ("Q3 FY26", D(2025, 10, 1)), ("2025/26 Q4", D(2026, 1, 1)), ("P10 FY26", D(2026, 1, 1))):  # fmt: skip
            found = read_periods([text], april, "Year")
            self.assertTrue(found and found.days[0] == day, f"{text} {found}")

    def test_day_and_month_are_settled_by_the_whole_column(self) -> None:
        cells = ["01/02/2026", "01/13/2026", "02/03/2026"]
        found = read_periods(cells, Settled())
        assert found is not None
        self.assertEqual((found.days[0], found.told), (D(2026, 1, 2), ""))
        found = read_periods(["01/02/2026", "02/03/2026"], Settled())
        assert found is not None
        self.assertEqual(found.days[0], D(2026, 2, 1))
        self.assertIn("could not be told apart", found.told)
        found = read_periods(["01/02/2026", "02/03/2026"], Settled(day_first=False))
        self.assertTrue(found and found.days[0] == D(2026, 1, 2) and not found.told)
        found = read_periods(["1/1/2026", "2/1/2026", "3/1/2026"], Settled())
        self.assertTrue(found and found.days[1] == D(2026, 2, 1), "the first of each month")

    def test_what_stays_unread_is_listed_and_years_are_told_from_measures(self) -> None:
        found = read_periods([*[f"2026-{m:02d}" for m in range(1, 13)], "later"], Settled())
        self.assertTrue(found and found.unread == ("later",) and found.days[-1] is None)
        self.assertIsNone(read_periods(["2024", "1999", "2050"], Settled(), "Amount"))
        self.assertIsNotNone(read_periods(["2024", "2025", "2026"], Settled(), "Jahr"))
        self.assertIsNone(read_periods(["46023", "46024"], Settled(), "Tagesumsatz"))
        found = read_periods(["Jan", "Feb"], Settled())
        self.assertTrue(found and found.yearless)
        found = read_periods(["Jan", "Feb"], Settled(year=2025))
        self.assertTrue(found and found.days[1] == D(2025, 2, 1) and not found.yearless)
        self.assertEqual(notations_of("nothing of the kind"), ())
