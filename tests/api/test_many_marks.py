"""Many marks at once: spread, raised, computed, and in and out of sheets."""

import io
from typing import Any

import python_calamine
import xlsxwriter

from tests.api.test_api import WithServer

REVENUE = "/api/kpis/fare-revenue/marks"


class Proposals(WithServer):
    def test_a_yearly_figure_is_spread_to_the_last_unit(self) -> None:
        for way, weights in (("even", []), ("days", []), ("last_year", []), ("weights", [1, 0, *[2] * 10])):
            ask = {
                "name": "target",
                "whose": "together",
                "over": "2026",
                "value": 10_000_001,
                "way": way,
                "weights": weights,
            }
            found = self.post(f"{REVENUE}/spread", ask)
            values = [change["value"] for change in found["changes"]]
            self.assertEqual((len(values), sum(values)), (12, 10_000_001), way)
            self.assertEqual(found["changes"][1]["since"], "2026-02")
            self.assertEqual("12 months, together £10,000,001.", found["report"][0])
        self.assertEqual(values[1], 0)

    def test_what_cannot_be_spread_says_why(self) -> None:
        ask: dict[str, Any] = {"name": "target", "whose": "together", "over": "2026", "value": 100}
        self.assertIn("do not add up", self.post("/api/kpis/on-time/marks/spread", ask, 422)["detail"])
        self.assertIn(
            "one for each", self.post(f"{REVENUE}/spread", ask | {"way": "weights", "weights": [1]}, 422)["detail"]
        )
        self.assertIn(
            "above zero", self.post(f"{REVENUE}/spread", ask | {"way": "weights", "weights": [0] * 12}, 422)["detail"]
        )
        self.assertIn(
            "by days instead", self.post(f"{REVENUE}/spread", ask | {"over": "2020", "way": "last_year"}, 422)["detail"]
        )
        self.assertIn("whole weeks", self.post(f"{REVENUE}/spread", ask | {"grain": "week"}, 422)["detail"])
        self.post(f"{REVENUE}/spread", ask | {"over": "soon"}, 422)

    def test_last_year_and_some_more(self) -> None:
        body = {"handle": "x_r", "name": "x", "dataset": "sailings", "formula": "sum(fare_revenue)"}
        year = {f["label"]: f["value"] for f in self.post("/api/kpis/preview", {"body": body})["results"]}
        ask = {"name": "target", "members": [None], "over": "2026", "more": 0.05}
        found = self.post(f"{REVENUE}/raise", ask)
        self.assertEqual(len(found["changes"]), 11)  # nothing is known of January 2025
        self.assertIn("1 periods have no reading", found["report"][0])
        self.assertEqual(found["changes"][0]["whose"], "together")
        self.assertAlmostEqual(found["changes"][0]["value"], year["Feb 2025"] * 1.05, delta=0.6)
        found = self.post(f"{REVENUE}/raise", ask | {"by": "route", "members": ["Night freight"], "over": "2026-Q3"})
        self.assertEqual([c["since"] for c in found["changes"]], ["2026-07", "2026-08", "2026-09"])
        refused = self.post(f"{REVENUE}/raise", ask | {"by": "route", "members": ["Night"]}, 422)
        self.assertIn("did you mean", refused["detail"])
        self.assertEqual(refused["where"]["field"], "members.0")
        for over in ("0001", "0001-01"):
            for way in ("spread", "raise"):
                body = (
                    ask | {"over": over}
                    if way == "raise"
                    else {"name": "t", "whose": "together", "over": over, "value": 9}
                )
                self.assertEqual(self.post(f"{REVENUE}/{way}", body, 422)["where"]["field"], "over")


class ComputedMarks(WithServer):
    def kpi(self) -> str:
        made = self.create(
            "kpis",
            {"handle": "x_own", "name": "Own", "dataset": "sailings", "formula": "sum(passengers)", "nature": "flow"},
        )
        return str(made["id"])

    def compute(self, key: str, formula: str | None, version: int = 0, status: int = 200) -> Any:
        body = {"name": "last year", "formula": formula}
        return self.ok(
            self.client.put(f"/api/kpis/{key}/marks/computed", json=body, headers={"If-Match": f'"{version}"'}), status
        )

    def test_a_kpi_is_measured_against_its_own_last_year_and_an_entry_goes_before(self) -> None:
        key = self.kpi()
        self.compute(key, "year_ago(@x_own) * 1.1")
        grid = self.ok(
            self.client.get(f"/api/kpis/{key}/marks", params={"name": "last year", "year": 2026, "by": "route"})
        )
        self.assertEqual(grid["formula"], "year_ago(@x_own) * 1.1")
        night = next(row for row in grid["rows"] if row["member"] == "Night freight")
        self.assertEqual({cell["kind"] for cell in night["cells"][1:9]}, {"computed"})
        self.assertEqual(night["cells"][0]["kind"], "none")
        instrument = {"id": "i", "kpi": key, "marks": ["last year"]}
        card = {"title": "x", "scope": {"period": "2026-10"}, "sections": [{"id": "s", "instruments": [instrument]}]}
        reading = self.post("/api/scorecards/read", {"body": card})["instruments"][0]["readings"][0]
        body = {"handle": "y", "name": "y", "dataset": "sailings", "formula": "sum(passengers)"}
        months = {f["label"]: f["value"] for f in self.post("/api/kpis/preview", {"body": body})["results"]}
        self.assertAlmostEqual(reading["marks"][0]["value"], months["Oct 2025"] * 1.1)
        told = self.post("/api/scorecards/workings", {"instrument": instrument, "scope": card["scope"]})
        self.assertIn("computed: year_ago(@x_own) * 1.1", str(told["lines"]))
        # The running month is measured against the same part of the one a year ago.
        card["scope"] = {"period": "2026-11"}
        partial = self.post("/api/scorecards/read", {"body": card})["instruments"][0]["readings"][0]
        card["scope"] = {"period": "2025-11-01..2025-11-21"}
        part = self.post("/api/scorecards/read", {"body": card})["instruments"][0]["readings"][0]
        self.assertLess(part["value"], months["Nov 2025"])
        self.assertAlmostEqual(partial["marks"][0]["value"], part["value"] * 1.1)
        set_one = {"name": "last year", "whose": "together", "since": "2026-10", "value": 7}
        self.ok(
            self.client.post(
                f"/api/kpis/{key}/marks", json={"changes": [set_one], "sure": True}, headers={"If-Match": '"1"'}
            )
        )
        card["scope"] = {"period": "2026-10"}
        reading = self.post("/api/scorecards/read", {"body": card})["instruments"][0]["readings"][0]
        self.assertEqual(reading["marks"][0]["value"], 7)

    def test_a_renamed_handle_is_followed_and_a_formula_that_does_not_fit_refused(self) -> None:
        key = self.kpi()
        self.assertIn("did you mean", self.compute(key, "sum(passenger)", status=422)["detail"])
        self.compute(key, "prior(@x_own)")
        self.compute(key, "prior(@x_own, 2)", 0, 412)
        kpi = self.ok(self.client.get(f"/api/kpis/{key}"))
        body = kpi["body"] | {"handle": "x_new"}
        self.ok(self.client.put(f"/api/kpis/{key}", json=body, headers={"If-Match": f'"{kpi["version"]}"'}))
        grid = self.ok(self.client.get(f"/api/kpis/{key}/marks", params={"name": "last year"}))
        self.assertEqual(grid["formula"], "prior(@x_new)")
        self.compute(key, None, grid["version"])
        grid = self.ok(self.client.get(f"/api/kpis/{key}/marks", params={"name": "last year"}))
        self.assertIsNone(grid["formula"])


class Sheets(WithServer):
    PATH = "/api/kpis/on-time/marks/sheet"

    def read(self, body: bytes, name: str = "marks.csv", **params: str) -> Any:
        return self.ok(self.client.post(self.PATH, files={"file": (name, body)}, params=params))

    def test_members_down_and_periods_across_with_a_report_of_what_did_not_match(self) -> None:
        found = self.read(
            "Route,Oct 2026,2026-11-01,Note\nhollin – skarra ,88,0.9,x\nAny route,,91%,\nHollin – Nowhere,80,80,\n"
            "All together,lots,93,\n".encode()
        )
        got = [(c["of"].get("route", c["whose"]), c["since"], c["value"]) for c in found["changes"]]
        self.assertEqual(
            got,
            [
                ("Hollin – Skarra", "2026-10", 0.88),
                ("Hollin – Skarra", "2026-11", 0.9),
                ("everyone", "2026-11", 0.91),
                ("together", "2026-11", 0.93),
            ],
        )
        told = " ".join(found["report"])
        for says in ("4 marks were read", "“Hollin – Nowhere”", "“lots” for All together", "Note"):
            self.assertIn(says, told)

    def test_one_mark_a_row_and_quarters_and_financial_years(self) -> None:
        found = self.read(b"member,from,value,mark\nNight freight,Q4 2026,80,Floor\n,2026/27,90,\n,soon,9,\n")
        self.assertEqual(
            [(c["name"], c["whose"], c["since"]) for c in found["changes"]],
            [("floor", "member", "2026-Q4"), ("target", "everyone", "2026")],
        )
        self.assertIn("soon", str(found["report"]))
        self.assertIn("No mark was found", str(self.read(b"a,b\n1,2\n")["report"]))

    def test_what_goes_out_comes_in_again_and_runs_nothing(self) -> None:
        for form in ("csv", "xlsx"):
            answer = self.client.get(self.PATH, params={"form": form, "year": "2026", "by": "route"})
            self.assertIn("attachment", answer.headers["content-disposition"])
            found = self.read(answer.content, f"marks.{form}", by="route")
            grid = self.ok(self.client.get("/api/kpis/on-time/marks", params={"year": 2026, "by": "route"}))
            expected = [cell["value"] for row in grid["rows"] for cell in row["cells"] if cell["value"] is not None]
            self.assertEqual([change["value"] for change in found["changes"]], expected)
        book = python_calamine.load_workbook(io.BytesIO(answer.content))
        rows = book.get_sheet_by_index(0).to_python()
        self.assertIsInstance(rows[1][1], float)

    def test_a_workbook_with_dates_for_headings(self) -> None:
        buffer = io.BytesIO()
        with xlsxwriter.Workbook(buffer) as book:
            page, day = book.add_worksheet(), book.add_format({"num_format": "mmm yy"})
            page.write(0, 0, "Route")
            page.write_datetime(0, 1, __import__("datetime").datetime(2026, 10, 1), day)
            page.write(1, 0, "Night freight")
            page.write(1, 1, 0.8)
        found = self.read(buffer.getvalue(), "m.xlsx")
        self.assertEqual([(c["since"], c["value"]) for c in found["changes"]], [("2026-10", 0.8)])


class Bands(WithServer):
    def test_rules_and_shares_become_bands_or_say_what_is_wrong(self) -> None:
        ask = {"kpi": "on-time", "text": "< 85 red\n85 to 92 amber\n>= 92 green"}
        found = self.post("/api/yardsticks/rules", ask)
        self.assertEqual(
            (found["bands"], [c["offset"] for c in found["cuts"]]), (["short", "near", "met"], [0.85, 0.92])
        )
        self.assertEqual(found["words"][1], "85% up to, not including, 92%")
        self.assertIn("names no state", self.post("/api/yardsticks/rules", ask | {"text": "> 5 purple"})["problem"])
        self.post("/api/yardsticks/rules", ask | {"kpi": "nobody"}, 404)
        deal = {"kpi": "on-time", "axis": {"low": 0.5, "high": 1.0}, "count": 5}
        self.assertEqual([c["offset"] for c in self.post("/api/yardsticks/deal", deal)["cuts"]], [0.6, 0.7, 0.8, 0.9])
        self.assertIn("10 % is missing", self.post("/api/yardsticks/deal", deal | {"shares": [0.6, 0.3]})["problem"])
        self.assertIn("ends before", self.post("/api/yardsticks/deal", deal | {"axis": {"low": 5}})["problem"])
        readings = self.post("/api/yardsticks/deal", deal | {"over": "readings", "by": "route", "count": 2})
        self.assertEqual(len(readings["cuts"]), 1)

    def test_no_file_goes_into_a_live_source(self) -> None:
        files = {"file": ("x.csv", b"day,route\n2026-01-01,a\n")}
        answer = self.client.post(
            "/api/uploads", params={"dataset": "bookings"}, files=files, headers={"If-Match": '"1"'}
        )
        self.ok(answer, 422)
