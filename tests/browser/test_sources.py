"""Data, KPIs, the mark book and the yardstick page."""

import io

import xlsxwriter
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from sqlalchemy.orm import Session

from ironmark.clock import now
from ironmark.store.models import Notice
from tests import world
from tests.browser.page import PageTest

CSV = "Datum;Lager;Menge (kg);Geprüft?;Menge (kg)\n31.12.2025;Nord;1.200,5;ja;1\n05.01.2026;Süd;;nein;2\n06.01.2026;Nord;300;ja;x\n"


class Data(PageTest):
    def upload(self, text: str | bytes, name: str = "lager bestand.csv") -> None:
        path = world.temporary(name, text)
        self.one("main .act")
        self.driver.find_element(By.CSS_SELECTOR, "input[type=file]").send_keys(str(path))

    def test_a_file_of_another_trade_becomes_a_first_scorecard(self) -> None:
        self.sweep("datasets"), self.sweep("kpis"), self.sweep("yardsticks"), self.sweep("scorecards")
        self.open("/data")
        self.upload(CSV)
        self.see(
            "Lager bestand",
            "3 rows from lager bestand.csv",
            "Menge (kg)",
            "menge_kg_2",
            "1 blank",
            "31 Dec 2025",
            "6 January 2026",
        )
        self.press("New KPI from it")
        self.see("Formula")
        field = self.one('[aria-label="Formula"]')
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys("sum(menge_kg where geprüft = ja")
        self.see("a bracket is not closed")
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys("sum(menge_kg where geprüft = yes)")
        self.see("By lager, December 2025", "1,201")
        self.type("Name of the KPI", "Bestand", enter=False)
        self.press("Save KPI")
        self.see("Where it is used")
        self.assertIn("bestand", [found["body"]["handle"] for found in self.client.get("/api/kpis").json()])

    def test_a_role_is_changed_and_one_that_does_not_fit_is_not_offered(self) -> None:
        self.sweep("datasets")
        self.open("/data")
        self.upload("day,code,fare\n2026-01-02,7,1\n2026-01-03,8,2\n", "roles.csv")
        self.see("Roles")
        self.slot("Role of code")
        period = next(e for e in self.all(".choice") if "period" in e.text)
        self.assertEqual(period.get_attribute("aria-disabled"), "true")
        self.choose("segment")
        found = next(d for d in self.client.get("/api/datasets").json() if d["name"] == "Roles")
        self.wait(lambda: self.client.get(f"/api/datasets/{found['id']}").json()["columns"][1]["role"] == "segment")

    def test_problems_are_told_beside_their_column_and_bad_files_refused(self) -> None:
        self.sweep("datasets")
        self.open("/data")
        self.upload(b"PK\x03\x04 not a table", "book.xlsx.csv")
        self.see("Save the sheet as CSV and upload that.")
        self.upload("day,share\n2026-01-02,88%\n2026-01-03,0.9\n", "shares.csv")
        self.see("Some cells have a percent sign and some have none")

    def test_a_workbook_with_several_sheets_asks_which(self) -> None:
        self.sweep("datasets")
        buffer = io.BytesIO()
        book = xlsxwriter.Workbook(buffer)
        for name, fare in (("North", 7), ("South", 9)):
            book.add_worksheet(name).write_column(0, 0, ["2026-01-02"])
            book.get_worksheet_by_name(name).write_row(0, 0, ["day", "fare"])
            book.get_worksheet_by_name(name).write_row(1, 0, ["2026-01-02", fare])
        book.close()
        self.open("/data")
        self.upload(buffer.getvalue(), "two sheets.xlsx")
        self.see("Which sheet of two sheets.xlsx?")
        self.press("South")
        self.see("Two sheets", "The sheet “South” was read. The workbook also has North.", "9")


class Kpis(PageTest):
    def test_a_kpi_is_written_with_its_result_while_typing(self) -> None:
        self.sweep("kpis")
        self.open("/kpis?new")
        field = self.one('[aria-label="Formula"]')
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys("mean(delay)")
        self.see("no column “delay”; did you mean delay_minutes?")
        self.assertTrue(self.all("pre .bad"), "the place of the error is marked")
        self.assertFalse(self.named("Save KPI").is_enabled())
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys("mean(delay_minutes)")
        self.see("Result by month", "By route, October 2026")
        self.slot("Unit")
        self.see("proposed: “delay_minutes” is in min")
        self.wait(lambda: self.all(".unit select"))[-1].send_keys("2")
        self.keys(Keys.ESCAPE)
        self.slot("Direction")
        self.choose("lower")
        self.type("Name of the KPI", "Mean delay", enter=False)
        self.press("Save KPI")
        self.wait(lambda: "Mean delay" in [k["body"]["name"] for k in self.client.get("/api/kpis").json()])
        kept = next(k["body"] for k in self.client.get("/api/kpis").json() if k["body"]["name"] == "Mean delay")
        self.assertEqual((kept["handle"], kept["direction"], kept["unit"]["decimals"]), ("mean_delay", "lower", 2))

    def test_a_changed_kpi_is_saved_dropped_and_deleted(self) -> None:
        key = self.make("kpis", {"handle": "trips", "name": "Trips", "dataset": "sailings", "formula": "count()"})
        self.open(f"/kpis/{key}")
        self.type("Name of the KPI", "Journeys", enter=False)
        self.press("Drop changes")
        self.wait(lambda: self.one('[aria-label="Name of the KPI"]').get_attribute("value") == "Trips")
        self.type("Name of the KPI", "Journeys", enter=False)
        self.press("Save changes")
        self.see("Saved. Every instrument that shows it follows.")
        self.assertEqual(self.body("kpis", key)["name"], "Journeys")
        self.press("Delete")
        self.press("Delete “Journeys”")
        self.wait(lambda: self.client.get(f"/api/kpis/{key}").status_code == 404)

    def test_one_in_use_is_not_deleted_and_says_where(self) -> None:
        self.open("/kpis/on-time")
        self.press("Delete")
        self.press("Delete “On-time departures”")
        self.see("It is used on", "Network performance", "Take it off there first.")

    def test_a_column_is_put_in_where_the_cursor_is(self) -> None:
        self.open("/kpis?new")
        field = self.one('[aria-label="Formula"]')
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys(Keys.DELETE)
        self.slot("Functions")
        self.choose("max")
        self.wait(lambda: field.get_attribute("value") == "max()")
        self.slot("A column")
        self.choose("passengers")
        self.wait(lambda: field.get_attribute("value") == "max(passengers)")
        field.send_keys(Keys.END, " / ")
        self.slot("Another KPI")
        self.choose("Fare revenue")
        self.wait(lambda: field.get_attribute("value") == "max(passengers) / @fare_revenue")
        self.see("Reads as: The largest passengers, divided by @fare_revenue.")
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys("mean(fare_revenue / passengers)")
        self.see("A mean of ratios weighs every row alike")


class MarkBook(PageTest):
    def setUp(self) -> None:
        super().setUp()
        self.kpi = self.make(
            "kpis",
            {
                "handle": "punctual",
                "name": "Punctual",
                "dataset": "sailings",
                "formula": "count(where delay_minutes <= 5) / count(where cancelled = no)",
                "unit": {"kind": "percent", "decimals": 1},
            },
        )

    def cell(self, row: int, column: int) -> str:
        return self.one(f'[data-cell="{row}-{column}"]').text

    def test_marks_are_typed_carried_inherited_and_taken_out(self) -> None:
        self.open(f"/marks/{self.kpi}?year=2026")
        self.see("Everyone", "All together", "Each route", "0 of 84")
        self.wait(lambda: self._click('[data-cell="0-2"]'))
        self.keys("88")
        self.see("Read as 88.0% for everyone, from Mar 2026 on.")
        self.keys(Keys.ENTER)
        self.wait(lambda: self.cell(0, 2) == "88%")
        self.assertEqual([self.cell(0, 1), self.cell(0, 3), self.cell(5, 5)], ["–", "88%", "88%"])
        self.see("70 of 84")
        self.assertIn("inherited", self.one('[data-cell="5-5"]').get_attribute("class") or "")
        self.wait(lambda: self._click('[data-cell="5-4"]'))
        self.keys(Keys.CONTROL, "a")
        self.chord(Keys.CONTROL, "a")
        self.keys("0.91", Keys.ENTER)
        self.wait(lambda: self.cell(5, 4) == "91%")
        self.chord(Keys.CONTROL, "z")
        self.wait(lambda: self.cell(5, 4) == "88%")
        self.chord(Keys.CONTROL, Keys.SHIFT, "z")
        self.wait(lambda: self.cell(5, 4) == "91%")
        self.driver.refresh()
        self.wait(lambda: self.cell(5, 4) == "91%")

    def test_a_doubtful_percent_is_questioned_before_it_is_kept(self) -> None:
        self.open(f"/marks/{self.kpi}?year=2026")
        self.wait(lambda: self._click('[data-cell="0-2"]'))
        self.keys("0.88%", Keys.ENTER)
        self.see("is far from this KPI’s history")
        self.press("Drop it")
        self.wait(lambda: self.cell(0, 2) == "–")
        self.wait(lambda: self._click('[data-cell="0-2"]'))
        self.keys("many", Keys.ENTER)
        self.see("is not a number")

    def test_a_block_is_pasted_from_a_spreadsheet_and_taken_back_at_once(self) -> None:
        self.open(f"/marks/{self.kpi}?year=2026")
        self.see("Each route")
        self.driver.execute_script("document.querySelector('[data-cell=\"3-9\"]').focus()")
        self.paste("88\t0.89\t90%\t91\r\n85\t\tmany\r\n")
        self.see(
            "4 marks were pasted. 1 cell was no number and left out. 1 fell outside of the grid and were left out."
        )
        self.wait(lambda: [self.cell(3, c) for c in (9, 10, 11)] == ["88%", "89%", "90%"])
        self.assertEqual([self.cell(4, c) for c in (9, 10, 11)], ["85%", "85%", "85%"])
        self.press("Undo")
        self.wait(lambda: [self.cell(r, 9) for r in (3, 4)] == ["–", "–"])

    def test_a_selection_is_filled_copied_and_cleared(self) -> None:
        self.open(f"/marks/{self.kpi}?year=2026")
        self.wait(lambda: self._click('[data-cell="3-3"]'))
        self.keys("80", Keys.ENTER)
        self.wait(lambda: self.cell(3, 3) == "80%")
        self.wait(lambda: self.driver.execute_script("return document.activeElement.dataset.cell") == "3-3")
        self.chord(Keys.SHIFT, Keys.ARROW_DOWN)
        self.chord(Keys.SHIFT, Keys.ARROW_DOWN)
        self.press("Fill down")
        self.wait(lambda: [self.cell(row, 3) for row in (3, 4, 5, 6)] == ["80%", "80%", "80%", "–"])
        self.assertEqual(self.copied(), "80%\n80%\n80%")
        self.driver.execute_script("document.querySelector('[data-cell=\"5-3\"]').focus()")
        self.keys(Keys.DELETE)
        self.wait(lambda: [self.cell(row, 3) for row in (3, 4, 5)] == ["–", "–", "–"])

    def test_what_an_edit_changes_is_told_while_it_is_typed(self) -> None:
        self.open("/marks/on-time?year=2026")
        self.wait(lambda: self._click('[data-cell="5-9"]'))
        self.chord(Keys.CONTROL, "a")
        self.keys("75")
        self.see("What this edit changes", "graded by Punctuality", "Lowsay – Brae Holm")
        self.keys(Keys.ESCAPE)
        self.gone("What this edit changes")

    def test_the_whole_grid_goes_by_keys(self) -> None:
        self.open(f"/marks/{self.kpi}?year=2026")
        self.see("Each route")
        self.driver.execute_script("document.querySelector('[data-cell=\"0-0\"]').focus()")
        self.keys(Keys.ARROW_RIGHT, Keys.ARROW_DOWN, "9")
        self.keys("0", Keys.TAB)
        self.wait(lambda: self.cell(1, 1) == "90%")
        self.wait(lambda: self.driver.execute_script("return document.activeElement.dataset.cell") == "1-2")
        self.keys(Keys.ARROW_LEFT, Keys.DELETE)
        self.wait(lambda: self.cell(1, 1) == "–")


class ManyMarks(PageTest):
    def setUp(self) -> None:
        super().setUp()
        body = {"handle": "takings", "name": "Takings", "dataset": "sailings", "formula": "sum(fare_revenue)", "nature": "flow",
                "unit": {"kind": "currency"}}  # fmt: skip
        self.kpi = self.make("kpis", body)

    def cells(self, row: int) -> list[str]:
        return [self.one(f'[data-cell="{row}-{column}"]').text for column in range(12)]

    def test_a_yearly_figure_is_spread_looked_at_and_kept(self) -> None:
        self.open(f"/marks/{self.kpi}?year=2026")
        self.press("Spread a yearly figure")
        self.type("Yearly figure", "12m")
        self.see("Spread a yearly target")
        self.wait(lambda: self.named("Show the marks").is_enabled())
        self.press("Show the marks")
        self.see("12 months, together £12,000,000")
        self.press("Keep 12 marks")
        self.see("12 marks were kept.")
        self.wait(lambda: self.cells(0)[:2] == ["£1,019,178", "£920,548"])
        self.press("Undo")
        self.wait(lambda: self.cells(0)[0] == "–")

    def test_a_mark_is_computed_from_the_kpi_s_own_last_year(self) -> None:
        self.open(f"/marks/{self.kpi}?year=2026&mark=last+year")
        self.press("Compute")
        self.press("a year before")
        self.press("Compute it so")
        self.see("computed by year_ago(@takings)")
        self.wait(lambda: "computed" in (self.one('[data-cell="0-3"]').get_attribute("class") or ""))
        self.press("Compute")
        self.press("No longer")
        self.gone("computed by year_ago")

    def test_one_figure_of_a_sum_is_each_route_s_or_all_together_s(self) -> None:
        self.open(f"/marks/{self.kpi}?year=2026")
        self.wait(lambda: self._click('[data-cell="0-9"]'))
        self.keys("200000")
        self.see("One figure could be either", "all together: £200,000")
        self.press("each of the 6: together £1,200,000")
        self.wait(lambda: self.cells(1)[9] == "£200,000")
        self.wait(lambda: self._click('[data-cell="1-9"]'))
        self.keys("3")
        self.assertEqual(
            self.driver.switch_to.active_element.get_attribute("value"), "3", "it takes the place of what was there"
        )
        self.keys(Keys.ESCAPE)
        self.wait(lambda: self.cells(0)[9:11] == ["£1,200,000", "£1,200,000"], "its members' marks together")
        self.assertIn("together", self.one('[data-cell="0-9"]').get_attribute("class") or "")
        self.slot("Of which rows")
        self.choose("Thrift")
        self.see("All of Thrift")
        self.wait(lambda: self.cells(0)[9] == "–", "a part is not held to the whole's mark")

    def test_a_pasted_value_that_is_far_from_usual_is_asked_about(self) -> None:
        self.open(f"/marks/{self.kpi}?year=2026")
        self.see("Each route")
        self.driver.execute_script("document.querySelector('[data-cell=\"2-9\"]').focus()")
        self.paste("99000000000")
        self.see("is far from this KPI’s history")
        self.assertEqual(self.cells(2)[9], "–")
        self.press("Keep it")
        self.wait(lambda: self.cells(2)[9] != "–")

    def test_a_sheet_of_marks_is_read_with_a_report(self) -> None:
        self.open(f"/marks/{self.kpi}?year=2026")
        self.press("Sheets")
        path = world.temporary("marks.csv", "Route,Jan 2026,Feb 2026\nNight freight,100,200\nNowhere,1,2\n")
        self.driver.find_element(By.CSS_SELECTOR, '[aria-label="Sheet of marks"]').send_keys(str(path))
        self.see("2 marks were read.", "No member is called “Nowhere”.")
        self.press("Keep 2 marks")
        self.wait(lambda: self.cells(5)[:3] == ["£100", "£200", "£200"])

    def test_quarters_and_three_years(self) -> None:
        self.open(f"/marks/{self.kpi}?year=2026")
        self.slot("Grain")
        self.choose("quarter")
        self.wait(lambda: len(self.all("thead th")) == 5)
        self.slot("Years shown")
        self.choose("3 years")
        self.wait(lambda: len(self.all("thead th")) == 13)
        self.see("Q4 2028")

    def test_a_thousand_members_are_scrolled_through(self) -> None:
        rows = "".join(f"2026-01-0{1 + n % 9},M{n:04d},1\n" for n in range(1000))
        made = self.client.post("/api/datasets", files={"file": ("many.csv", f"day,member,x\n{rows}".encode())}).json()
        self.addCleanup(self.drop, "datasets", made["id"])
        columns = [
            {"name": c["name"], "label": c["label"], "role": "segment" if c["name"] == "member" else c["role"]}
            for c in made["columns"]
        ]
        self.client.patch(
            f"/api/datasets/{made['id']}", json={"name": "Many", "columns": columns}, headers={"If-Match": '"1"'}
        )
        kpi = self.make("kpis", {"handle": "many_x", "name": "Many", "dataset": made["id"], "formula": "sum(x)"})
        self.addCleanup(self.drop, "kpis", kpi)
        self.open(f"/marks/{kpi}?years=3&year=2024")
        self.see("Everyone", "Each member")
        self.assertLess(len(self.all("tbody tr")), 80)
        self.assertEqual(len(self.all("thead th")), 37)
        self.wait(lambda: self._click('[data-cell="1-0"]'))
        self.keys(Keys.ESCAPE)
        down = "const s = document.querySelector('.scroll.long'); s.scrollTop = s.scrollHeight"

        def at_the_end() -> bool:  # the cell that was left may be brought into sight once more before
            self.driver.execute_script(down)
            return "M0999" in self.text()

        self.wait(at_the_end)


class WhatWasChanged(PageTest):
    def test_it_is_listed_once_until_it_was_read(self) -> None:
        change = {"kpi": "cancelled", "kpi_name": "Cancelled sailings", "mark": "limit", "since": "2025-01", "value": 14.0,
                  "whose": "each", "segment": "route"}  # fmt: skip
        with Session(world.engine()) as session:
            session.add(Notice(kind="whose-marks", body={"changes": [change]}, made_at=now()))
            session.commit()
        self.open("/data")
        self.see("A new version changed marks that are kept here.")
        self.open("/changed")
        self.see("Cancelled sailings", "January 2025", "now each route’s")
        self.press("I have read this")
        self.wait(lambda: "/scorecards" in self.driver.current_url)
        self.open("/changed")
        self.see("Nothing that is kept was changed")


class KpiPages(PageTest):
    def test_the_list_has_histories_and_a_period_is_chosen_in_the_chart(self) -> None:
        self.open("/kpis/on-time")
        self.wait(lambda: len(self.all("nav.list svg")) >= 12)
        self.see("Result by month", "graded by Punctuality", "By route, October 2026", "Workings")
        bars = self.wait(lambda: self.all(".history .names button"))
        bars[-4].click()
        self.see("By route, August 2026")
        self.slot("Grain")
        self.choose("quarter")
        self.see("By route, Q3 2026")

    def test_the_editor_offers_columns_members_and_kpis(self) -> None:
        self.open("/kpis?new=sailings")
        field = self.one('[aria-label="Formula"]')
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys("sum(fare")
        self.see("a column")
        field.send_keys(Keys.TAB)
        self.wait(lambda: field.get_attribute("value") == "sum(fare_revenue")
        field.send_keys(" where rou")
        field.send_keys(Keys.ENTER)
        field.send_keys(' = "nig')
        self.see("a member of route")
        field.send_keys(Keys.TAB, ")")
        self.wait(lambda: field.get_attribute("value") == 'sum(fare_revenue where route = "Night freight")')
        self.assertEqual(len(self.all("pre .pair")), 2)
        field.send_keys(" / @on_t")
        self.see("@on_time")
        field.send_keys(Keys.TAB)
        self.see("divided by @on_time")

    def test_an_earlier_form_is_returned_to_and_its_author_told(self) -> None:
        key = self.make(
            "kpis",
            {"handle": "returns", "name": "Returns", "dataset": "sailings", "formula": "count()", "nature": "flow"},
        )
        self.open(f"/kpis/{key}")
        self.slot("Your name")
        self.type("What you are called", "Ada Quill")
        self.addCleanup(self.client.patch, "/api/me", json={"name": ""})
        field = self.one('[aria-label="Formula"]')
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys("sum(passengers)")
        self.wait(
            lambda: "assengers" in self.one(".reads").text
        )  # the page moves when that comes, and a press would miss
        self.press("Save changes")
        self.see("Saved.")
        self.press("History")
        self.see("changed formula", "Ada Quill", "first saved")
        self.press("Return to this")
        self.see("This is the earlier form.")
        self.press("Save changes")
        self.wait(lambda: self.body("kpis", key)["formula"] == "count()")


class Grains(PageTest):
    def test_a_quarter_a_span_and_a_financial_year_are_read(self) -> None:
        self.addCleanup(self.january)
        self.open("/scorecards/network-performance")
        self.slot("Period")
        self.press("quarter")
        self.see("Reading Q3 2026", "changed state since Q2 2026")
        self.press("year")
        field = self.one(".line select")
        field.send_keys("April")
        self.wait(lambda: self.client.get("/api/calendar").json()["year_start"] == 4)
        self.see("2026/27")
        self.open("/scorecards/network-performance?period=2026-04..2026-09&grain=month")
        self.see("Reading Apr 2026 – Sep 2026")
        self.driver.refresh()
        self.see("Reading Apr 2026 – Sep 2026")

    def january(self) -> None:
        found = self.client.get("/api/calendar")
        self.client.put("/api/calendar", json={"year_start": 1}, headers={"If-Match": found.headers["etag"]})


class Yardsticks(PageTest):
    def test_one_is_proposed_changed_undone_and_deleted(self) -> None:
        self.sweep("yardsticks")
        self.open("/yardsticks")
        self.slot("For which KPI")
        self.choose("Complaints per 10k")
        self.wait(
            lambda: (
                self.one('[aria-label="Name of the yardstick"]').get_attribute("value")
                == "Complaints per 10k yardstick"
            )
        )
        self.see(
            "22 dots are this KPI’s readings so far", "lower is better", "Proof at each cut", "On no scorecard yet."
        )
        key = next(
            y["id"]
            for y in self.client.get("/api/yardsticks").json()
            if y["body"]["name"] == "Complaints per 10k yardstick"
        )
        before = self.body("yardsticks", key)
        self.wait(lambda: self.all("[role=slider].cut")[0]).send_keys(Keys.ARROW_RIGHT)
        self.wait(lambda: self.body("yardsticks", key) != before)
        self.press("undo")
        self.wait(lambda: self.body("yardsticks", key) == before)
        self.press("Delete")
        self.press("Delete “Complaints per 10k yards”")
        self.wait(lambda: self.client.get(f"/api/yardsticks/{key}").status_code == 404)

    def test_bands_are_told_in_words_and_by_member(self) -> None:
        self.open("/yardsticks/punctuality")
        self.see("85% up to, not including, 92%", "Network performance")
        self.slot("Scope")
        self.choose("each route")
        self.see("129 dots are this KPI’s readings so far, by route.")

    def test_rules_written_by_hand_become_bands_and_what_was_wrong_is_told(self) -> None:
        self.put_back("yardsticks", "punctuality")
        self.open("/yardsticks/punctuality")
        self.press("Paste rules")
        field = self.one('[aria-label="Rules, one a line"]')
        field.send_keys(">= 80 amber\n>= 92 green\n< 0.78 red")
        self.see("Order.", "Line 1 and line 2", "Gap.", "78", "Never reached.", "Percent or fraction.")
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys("under 80 red\n80 to 92 amber\n92 and above green")
        self.see("No gap, no overlap, nothing in the wrong order.")
        self.press("Use these bands")
        self.wait(lambda: [c["offset"] for c in self.body("yardsticks", "punctuality")["cuts"]] == [0.8, 0.92])
        self.press("undo")
        self.wait(lambda: len(self.body("yardsticks", "punctuality")["cuts"]) == 3)

    def test_bands_are_dealt_out_by_shares_that_must_come_to_a_hundred(self) -> None:
        self.put_back("yardsticks", "punctuality")
        self.open("/yardsticks/punctuality")
        self.press("Deal out bands")
        self.see("4 bands", "Use these bands")
        field = self.one('[aria-label="Shares in percent"]')
        field.send_keys("60 30")
        self.see("The shares come to 90 %; 10 % is missing.")
        field.send_keys(" 10")
        self.press("Use these bands")
        self.wait(lambda: self.body("yardsticks", "punctuality")["bands"] == ["short", "near", "met"])
