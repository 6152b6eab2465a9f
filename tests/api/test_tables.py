"""Tables made for the eye, by every road: read as they were meant, kept as a recipe, asked about where they no longer fit."""

import json
import unittest
from typing import Any

from tests import apiary, world

WORKSHOP = """Werkstatt Nord, 1. Halbjahr 2026
Kennzahl;Einheit;Ziel;Jan;Feb;Mrz
Termintreue;%;92 %;90,4 %;91,8 %;k.A.
Wartezeit;min;14;16,2;15,1;13,8
Umsatz;k€;118;96,2;99,0;110,4
Quelle: Auftragsbuch
"""
QUARTERS = "Filiale;Q1 2025;Q2 2025;Q3 2025;Q4 2025;Q1 2026;Q2 2026\nKöln;1;2;3;4;5;6\nŁódź;5;6;7;8;9;10\n"


class Tables(unittest.TestCase):
    def setUp(self) -> None:
        self.at = apiary.apiary()

    def send(
        self, text: str, name: str = "tabelle.csv", path: str = "/api/datasets", method: str = "post", **more: Any
    ) -> Any:
        return self.at.client.request(method, path, files={"file": (name, text.encode())}, **more)

    def dataset(self, text: str, name: str = "tabelle.csv") -> Any:
        made = self.send(text, name)
        self.assertEqual(made.status_code, 201, made.text)
        self.addCleanup(self.drop, f"/api/datasets/{made.json()['id']}")
        return made.json()

    def drop(self, path: str) -> None:
        held = self.at.client.get(path)
        if held.status_code == 200:
            self.at.ok("delete", path, headers={"If-Match": held.headers["etag"]})

    def test_a_look_tells_what_everything_is_taken_for(self) -> None:
        look = self.send(WORKSHOP, path="/api/uploads/look").json()
        self.assertEqual([line["kind"] for line in look["lines"]], ["title", "head", "row", "row", "row", "note"])
        said = " ".join("".join(piece["text"] for piece in sentence) for sentence in look["sentences"])
        for part in (
            "Each of 3 rows is a KPI named by Kennzahl",
            "months of 2026",
            "“k.A.” is read as blank",
            "1 title line",
        ):
            self.assertIn(part, said)
        again = self.send(WORKSHOP, path="/api/uploads/look", data={"recipe": json.dumps(look["recipe"] | {"down": "members", "lines": {"3": "out"}})})  # fmt: skip
        self.assertEqual(again.json()["lines"][2]["kind"], "out")
        self.assertEqual(again.json()["rows"], 6)
        for recipe in ("{", '{"lines": {"1": "roof"}}', '{"year": 12}', "[]"):
            refused = self.send(WORKSHOP, path="/api/uploads/look", data={"recipe": recipe})
            self.assertEqual((refused.status_code, refused.json()["type"]), (422, "no-recipe"), recipe)

    def test_rows_of_kpis_become_a_graded_page_with_their_own_units_and_targets(self) -> None:
        made = self.dataset(WORKSHOP)
        self.assertEqual({c["label"]: c["type"] for c in made["columns"]}["Month"], "date")
        self.assertEqual(made["through"], "2026-03-31")
        before = {kind: {d["id"] for d in self.at.ok("get", f"/api/{kind}")} for kind in ("kpis", "yardsticks", "scorecards")}  # fmt: skip
        card = self.at.ok("post", "/api/from-rows/make", json={"dataset": made["id"], "title": "Werkstatt"})
        for kind in ("kpis", "yardsticks", "scorecards"):
            for document in self.at.ok("get", f"/api/{kind}"):
                if document["id"] not in before[kind]:
                    self.addCleanup(self.drop, f"/api/{kind}/{document['id']}")
        page = self.at.ok("get", f"/api/scorecards/{card['id']}/page")
        shown = {i["title"]: i["readings"][0] for i in page["instruments"] if i["readings"]}
        self.assertEqual(shown["Umsatz"]["value"], 110_400)
        self.assertIn("€", shown["Umsatz"]["shown"])
        self.assertEqual(shown["Umsatz"]["marks"][0]["value"], 118_000)
        self.assertIn("min", shown["Wartezeit"]["shown"])
        self.assertEqual(shown["Termintreue"]["value"], None, "March is blank")
        self.assertNotIn("Number of tabelle", shown)
        kpi = next(k for k in self.at.ok("get", "/api/kpis") if k["body"]["name"] == "Umsatz")
        asked = {"instrument": {"id": "x", "kpi": kpi["id"], "face": "figure"}, "scope": {}, "member": None}
        lines = {
            line["label"]: line["text"] for line in self.at.ok("post", "/api/scorecards/workings", json=asked)["lines"]
        }
        self.assertRegex(lines["From"], r"^row 5, tabelle\.csv of ")

    def test_targets_below_months_are_marks_and_hours_across_stand_in_their_order(self) -> None:
        months = "Månad;Försäljning (tkr);Svinn\njanuari 2026;1 220;1,9 %\nfebruari 2026;1 310;1,2 %\nmars 2026;1 250;1,4 %\nMål;1 300;1,5 %"
        hours = "\n".join(
            [
                "Day," + ",".join(f"{h:02}:00" for h in range(24)),
                *(f"2026-05-{d:02}," + ",".join(str(d + h % 5) for h in range(24)) for d in range(1, 29)),
            ]
        )
        before = {kind: {d["id"] for d in self.at.ok("get", f"/api/{kind}")} for kind in ("kpis", "yardsticks", "scorecards")}  # fmt: skip
        pages = {}
        for text, title in ((months, "Butik"), (hours, "Gates")):
            made = self.dataset(text)
            card = self.at.ok("post", "/api/from-rows/make", json={"dataset": made["id"], "title": title})
            pages[title] = self.at.ok("get", f"/api/scorecards/{card['id']}/page")
        for kind in before:
            for document in self.at.ok("get", f"/api/{kind}"):
                if document["id"] not in before[kind]:
                    self.addCleanup(self.drop, f"/api/{kind}/{document['id']}")
        shown = {i["title"]: i["readings"][0] for i in pages["Butik"]["instruments"]}
        self.assertEqual([mark["value"] for mark in shown["Försäljning"]["marks"]], [1_300_000.0])
        self.assertEqual((shown["Svinn"]["marks"][0]["value"], shown["Svinn"]["status"]), (0.015, "graded"))
        by_hour = next(i for i in pages["Gates"]["instruments"] if len(i["readings"]) == 24)
        self.assertEqual([r["label"] for r in by_hour["readings"]][:3], ["00 h", "01 h", "02 h"])
        look = self.send(months, path="/api/uploads/look").json()
        said = ["".join(piece["text"] for piece in sentence) for sentence in look["sentences"]]
        self.assertIn("“Mål” holds a target for each column.", said)
        look = self.send(hours, path="/api/uploads/look").json()
        said = ["".join(piece["text"] for piece in sentence) for sentence in look["sentences"]]
        self.assertIn("00:00 to 23:00 are hours of one figure", said[0])

    def test_rows_by_quarters_have_no_months(self) -> None:
        made = self.dataset(QUARTERS)
        self.assertEqual(made["through"], "2026-09-30", "their years begin in April")
        kpi = self.at.ok("post", "/api/kpis", json={"handle": "je_quartal", "name": "Je Quartal", "dataset": made["id"], "formula": "sum(value)", "nature": "flow"})  # fmt: skip
        self.addCleanup(self.drop, f"/api/kpis/{kpi['id']}")
        body = {"title": "Quartale", "scope": {"period": "complete", "grain": "quarter"}, "sections": [
            {"id": "s", "instruments": [{"id": "x", "kpi": kpi["id"], "face": "figure", "marks": []}]}]}  # fmt: skip
        card = self.at.ok("post", "/api/scorecards", json=body)
        self.addCleanup(self.drop, f"/api/scorecards/{card['id']}")

        def page(**scope: str) -> Any:
            return self.at.ok("get", f"/api/scorecards/{card['id']}/page", params=scope)

        found = page()
        self.assertEqual((found["period"], found["grains"]), ("2026-Q2", ["quarter", "year"]))
        self.assertEqual(found["instruments"][0]["readings"][0]["value"], 16)
        self.assertIsNone(found["instruments"][0]["readings"][0]["partial"])
        for scope in ({"period": "2026-08", "grain": "month"}, {"period": "2026-W35", "grain": "week"}):
            reading = page(**scope)["instruments"][0]["readings"][0]
            self.assertEqual((reading["value"], reading["reason"]), (None, "these rows are by quarter"), scope)
        self.assertEqual(page(period="2025", grain="year")["instruments"][0]["readings"][0]["value"], 36)

    def test_the_next_file_by_upload_and_by_token(self) -> None:
        key = self.dataset(WORKSHOP)["id"]
        rows = f"/api/datasets/{key}/rows"
        more = WORKSHOP.replace("Jan;Feb;Mrz", "Jan;Feb;Mrz;Apr").replace("k.A.", "k.A.;93 %").replace("13,8", "13,8;13,1").replace("110,4", "110,4;111")  # fmt: skip
        tag = lambda: {"If-Match": self.at.client.get(f"/api/datasets/{key}").headers["etag"]}  # noqa: E731
        taken = self.send(more, path=rows, headers=tag())
        self.assertEqual(
            (taken.status_code, taken.json()["row_count"], taken.json()["through"]), (200, 4, "2026-04-30"), taken.text
        )
        word = self.at.ok("post", f"/api/datasets/{key}/token")["token"]
        other = more.replace("k€", "€").replace("Kennzahl", "Größe")
        refused = self.send(other, path=rows, headers={"Authorization": f"Bearer {word}"})
        self.assertEqual((refused.status_code, refused.json()["type"]), (409, "recipe-differs"), refused.text)
        differs = refused.json()["where"]["differs"]
        self.assertIn("No column is called “Kennzahl” any more.", differs)
        self.assertIn("Umsatz was in 1,000 EUR and is in EUR now.", differs)
        self.assertEqual(self.at.ok("get", f"/api/datasets/{key}")["row_count"], 4, "nothing was replaced")
        forced = self.send(other, path=f"{rows}?force=true", headers={"Authorization": f"Bearer {word}"})
        self.assertEqual(forced.status_code, 200, forced.text)
        # Going back to the rows before goes back to how they were read.
        back = self.at.client.post(f"/api/datasets/{key}/versions/2/show", headers=tag())
        self.assertEqual(back.status_code, 200, back.text)
        self.assertEqual(self.send(more, path=rows, headers=tag()).status_code, 200)

    def test_a_table_without_a_day_is_as_of_one(self) -> None:
        text = "Filiale;Mitglieder\nKöln;10\nŁódź;20\n"
        begun = self.send(
            text, path="/api/uploads", data={"recipe": json.dumps({"as_of": "2026-07-03"}), "name": "Stand"}
        )
        done = world.until(lambda: self.at.client.get(f"/api/uploads/{begun.json()['id']}").json(), lambda u: u["state"] != "running")  # fmt: skip
        self.assertEqual(done["state"], "done", done)
        key = done["dataset"]
        self.addCleanup(self.drop, f"/api/datasets/{key}")
        self.assertEqual(self.at.ok("get", f"/api/datasets/{key}")["through"], "2026-07-03")
        self.send(
            text.replace("20", "25"), path=f"/api/datasets/{key}/rows", headers=self.at.tag(f"/api/datasets/{key}")
        )
        self.assertEqual(self.at.ok("get", f"/api/datasets/{key}")["row_count"], 4, "another day beside the first")

    def test_cells_pasted_into_a_typed_sheet_become_rows(self) -> None:
        cells = [line.split(";") for line in ["Filiale;Jan 2026;Feb 2026", "Köln;1,5;2", "Łódź;3;k.A."]]
        found = self.at.ok("post", "/api/uploads/unfold", json={"cells": cells})
        self.assertEqual(found["labels"], ["Filiale", "Month", "Value"])
        self.assertEqual(found["rows"][0], ["Köln", "2026-01-01", "1.5"])
        self.assertIn("Jan 2026 to Feb 2026 are months", found["said"])
        self.assertIsNone(
            self.at.ok("post", "/api/uploads/unfold", json={"cells": [["Tag", "Wert"], ["2026-01-05", "3"]]})
        )
        self.assertEqual(self.at.client.post("/api/uploads/unfold", json={"cells": [["x"]]}).status_code, 422)
