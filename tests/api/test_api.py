"""The API over a real MariaDB: documents, uploads, readings, strips, workings."""

import threading
import unittest
from typing import Any

from tests import world


class WithServer(unittest.TestCase):
    def setUp(self) -> None:
        self.client = world.running().client

    def ok(self, answer: Any, status: int = 200) -> Any:
        self.assertEqual(answer.status_code, status, answer.text[:400])
        return answer.json() if answer.content else None

    def post(self, path: str, body: Any, status: int = 200) -> Any:
        return self.ok(self.client.post(path, json=body), status)

    def drop(self, kind: str, key: str) -> None:
        found = self.client.get(f"/api/{kind}/{key}")
        if found.status_code == 200:
            self.client.delete(f"/api/{kind}/{key}", headers={"If-Match": found.headers["etag"]})

    def create(self, kind: str, body: dict[str, Any]) -> dict[str, Any]:
        made: dict[str, Any] = self.post(f"/api/{kind}", body, 201)
        self.addCleanup(self.drop, kind, made["id"])
        return made

    def upload(self, text: str | bytes, name: str = "rows.csv", status: int = 201) -> Any:
        body = text.encode() if isinstance(text, str) else text
        made = self.ok(self.client.post("/api/datasets", files={"file": (name, body)}), status)
        if status == 201:
            self.addCleanup(self.drop, "datasets", made["id"])
        return made


KPI = {"handle": "test_kpi", "name": "Test KPI", "dataset": "sailings", "formula": "count()"}


class Datasets(WithServer):
    CSV = "\ufeffDatum;Linie;Verspätung (min);Verspätung (min);;Pünktlich?\n31/12/2025;A;3,5;1;x;ja\n01/01/2026;B;;2;;nein\n"

    def test_a_file_of_another_trade_with_hostile_headers(self) -> None:
        made = self.upload(self.CSV, "../../linien_fahrten.csv")
        self.assertEqual(
            (made["name"], made["file_name"], made["row_count"]), ("Linien fahrten", "linien_fahrten.csv", 2)
        )
        columns = {c["name"]: (c["type"], c["role"]) for c in made["columns"]}
        self.assertEqual(columns["verspätung_min"], ("number", "measure"))
        self.assertEqual(columns["pünktlich"], ("flag", "flag"))
        self.assertEqual(columns["datum"], ("date", "period"))
        self.assertEqual(made["through"], "2026-01-01")
        rows = self.ok(self.client.get(f"/api/datasets/{made['id']}/rows"))
        self.assertEqual(rows["rows"][0], ["31 Dec 2025", "A", "3.5", "1", "x", "yes"])
        self.assertEqual(rows["summary"][2]["blanks"], 1)

    def test_a_role_can_be_changed_where_its_type_allows(self) -> None:
        made = self.upload(self.CSV)
        columns = [{"name": c["name"], "label": c["label"], "role": c["role"]} for c in made["columns"]]
        columns[1]["role"] = "text"
        change = {"name": "Lines", "columns": columns, "through": "2026-01-31"}
        saw = {"If-Match": '"1"'}
        done = self.ok(self.client.patch(f"/api/datasets/{made['id']}", json=change, headers=saw))
        self.assertEqual(
            (done["version"], done["name"], done["columns"][1]["role"], done["through"]),
            (2, "Lines", "text", "2026-01-31"),
        )
        self.assertEqual(self.client.patch(f"/api/datasets/{made['id']}", json=change, headers=saw).status_code, 412)
        columns[1]["role"] = "measure"
        refused = self.client.patch(f"/api/datasets/{made['id']}", json=change, headers={"If-Match": '"2"'})
        self.assertEqual(refused.status_code, 422)
        self.assertIn("needs number", refused.json()["detail"])

    def test_the_complete_day_is_said_and_follows_the_rows_again(self) -> None:
        made = self.upload("day,x\n2026-01-01,1\n2026-01-05,2\n,3\n")
        self.assertIn("1 row has no day", str(made["problems"]))
        path, body = f"/api/datasets/{made['id']}", {"name": "Rows", "columns": []}
        said = self.ok(self.client.patch(path, json=body | {"through": "2026-01-31"}, headers={"If-Match": '"1"'}))
        self.assertEqual((said["through"], said["fixed_through"]), ("2026-01-31", True))
        kept = self.ok(self.client.patch(path, json=body, headers={"If-Match": '"2"'}))
        self.assertEqual(kept["through"], "2026-01-31", "left out, it stays")
        back = self.ok(self.client.patch(path, json=body | {"through": None}, headers={"If-Match": '"3"'}))
        self.assertEqual((back["through"], back["fixed_through"]), ("2026-01-05", False))

    def test_what_is_no_table_is_refused_and_nothing_is_kept(self) -> None:
        before = self.ok(self.client.get("/api/datasets"))
        for body in (b"", b"PK\x03\x04", b"\x00\x01"):
            self.assertIn("CSV" if body else "empty", self.upload(body, status=422)["detail"])
        self.assertEqual(self.ok(self.client.get("/api/datasets")), before)

    def test_a_dataset_in_use_is_not_deleted(self) -> None:
        refused = self.client.delete("/api/datasets/sailings", headers={"If-Match": '"1"'})
        self.assertEqual(refused.status_code, 409)
        self.assertIn("On-time departures", refused.json()["detail"])

    def test_no_rows_and_no_dates_can_be_kept_and_say_so_when_read(self) -> None:
        for text in ("day,x\n", "a,b\n1,2\n"):
            made = self.upload(text)
            preview = self.post("/api/kpis/preview", {"body": KPI | {"dataset": made["id"]}})
            self.assertTrue(preview["note"])

    def test_rows_changed_in_role_are_read_anew(self) -> None:
        made = self.upload("day,route,fare\n2026-01-02,a,1\n2026-01-03,b,2\n")
        body = KPI | {"dataset": made["id"]}
        self.assertEqual(self.post("/api/kpis/preview", {"body": body})["by"], "route")
        columns = [
            {"name": c["name"], "label": c["label"], "role": "text" if c["name"] == "route" else c["role"]}
            for c in made["columns"]
        ]
        self.ok(
            self.client.patch(
                f"/api/datasets/{made['id']}", json={"name": "X", "columns": columns}, headers={"If-Match": '"1"'}
            )
        )
        self.assertIsNone(self.post("/api/kpis/preview", {"body": body})["by"])


class Kpis(WithServer):
    def test_a_preview_shows_months_and_members_while_typing(self) -> None:
        body = KPI | {
            "formula": "count(where delay_minutes <= 5) / count(where cancelled = no)",
            "unit": {"kind": "percent", "decimals": 1},
        }
        found = self.post("/api/kpis/preview", {"body": body, "by": "vessel"})
        self.assertIsNone(found["problem"])
        self.assertEqual((found["period_label"], found["by"], len(found["results"])), ("October 2026", "vessel", 22))
        self.assertTrue(found["results"][-1]["partial"])
        self.assertRegex(found["results"][-2]["shown"], r"^\d\d\.\d%$")
        self.assertEqual(len(found["members"]), 5)

    def test_a_formula_that_cannot_be_read_is_an_answer_with_its_place(self) -> None:
        found = self.post("/api/kpis/preview", {"body": KPI | {"formula": "sum(delay)"}})
        self.assertEqual((found["problem"]["start"], found["problem"]["end"]), (4, 9))
        self.assertIn("delay_minutes", found["problem"]["message"])

    def test_it_is_kept_only_when_it_fits(self) -> None:
        refused = self.client.post("/api/kpis", json=KPI | {"formula": "sum(nothing)"})
        self.assertEqual((refused.status_code, refused.json()["where"]["start"]), (422, 4))
        self.assertEqual(self.client.post("/api/kpis", json=KPI | {"handle": "on_time"}).status_code, 409)
        self.assertEqual(self.client.post("/api/kpis", json=KPI | {"handle": "on time"}).status_code, 422)
        self.assertEqual(
            self.client.post("/api/kpis", json=KPI | {"unit": {"kind": "currency", "currency": "ZZZ"}}).status_code, 422
        )
        self.assertEqual(self.client.post("/api/kpis", json=KPI | {"dataset": "nowhere"}).status_code, 404)

    def test_revisions_keep_what_was(self) -> None:
        made = self.create("kpis", KPI)
        with world.called(self.client, "Æsa"):
            saved = self.ok(
                self.client.put(f"/api/kpis/{made['id']}", json=KPI | {"name": "Renamed"}, headers={"If-Match": '"1"'})
            )
        self.assertEqual((saved["version"], saved["body"]["name"]), (2, "Renamed"))
        kept = self.ok(self.client.get(f"/api/kpis/{made['id']}/revisions"))
        self.assertEqual([(r["version"], r["body"]["name"]) for r in kept], [(2, "Renamed"), (1, "Test KPI")])
        self.assertEqual([r["saved_by"] for r in kept], ["Æsa", ""])

    def test_one_in_use_is_not_deleted_and_says_where(self) -> None:
        refused = self.client.delete("/api/kpis/on-time", headers={"If-Match": '"1"'})
        self.assertEqual(refused.status_code, 409)
        self.assertIn("Network performance", refused.json()["detail"])
        uses = {use["scorecard"]: use["instruments"] for use in self.ok(self.client.get("/api/kpis/on-time/uses"))}
        self.assertEqual(uses, {"network-performance": 2, "service-health": 6, "where-and-when": 2})

    def test_the_percent_guard(self) -> None:
        for text in ("88", "88%", "0.88"):
            found = self.post("/api/kpis/understand", {"text": text, "kpi": "on-time"})
            self.assertEqual((round(found["value"], 6), found["shown"], found["doubt"]), (0.88, "88.0%", ""))
        self.assertIn("far from", self.post("/api/kpis/understand", {"text": "0.88%", "kpi": "on-time"})["doubt"])
        self.assertIn("far from", self.post("/api/kpis/understand", {"text": "8800", "kpi": "on-time"})["doubt"])
        self.assertIn("not a number", self.post("/api/kpis/understand", {"text": "many", "kpi": "on-time"})["problem"])


class NamedKpis(WithServer):
    """KPIs that name other KPIs by their handle."""

    def kpi(self, handle: str, formula: str, **rest: Any) -> dict[str, Any]:
        return KPI | {"handle": handle, "name": handle, "formula": formula} | rest

    def latest(self, body: dict[str, Any]) -> Any:
        found = self.post("/api/kpis/preview", {"body": body})
        self.assertIsNone(found["problem"], found["problem"])
        return found["results"][-2]["value"]

    def test_one_names_another_of_its_own_dataset_and_of_another(self) -> None:
        revenue = self.latest(self.kpi("a", "sum(fare_revenue)"))
        self.assertAlmostEqual(self.latest(self.kpi("b", "@fare_revenue / 1000")), revenue / 1000)
        crew = self.latest(self.kpi("c", "sum(crew)", dataset="safety-sheet"))
        self.create("kpis", self.kpi("crew_all", "sum(crew)", dataset="safety-sheet"))
        self.assertAlmostEqual(self.latest(self.kpi("d", "@fare_revenue / @crew_all")), revenue / crew)
        split = self.post("/api/kpis/preview", {"body": self.kpi("d", "@fare_revenue / @crew_all"), "by": "vessel"})
        self.assertEqual(len(split["members"]), 5)
        unsplit = self.post("/api/kpis/preview", {"body": self.kpi("d", "@fare_revenue / @crew_all"), "by": "route"})
        self.assertEqual(unsplit["members"], [], "the safety sheet has no routes")

    def test_circles_and_strangers_are_refused_and_named(self) -> None:
        one = self.create("kpis", self.kpi("one", "sum(fare_revenue)"))
        self.create("kpis", self.kpi("two", "@one * 2"))
        answer = self.client.put(
            f"/api/kpis/{one['id']}", json=self.kpi("one", "@two + 1"), headers={"If-Match": '"1"'}
        )
        self.assertEqual(answer.status_code, 422)
        self.assertIn("@one → @two → @one", answer.json()["detail"])
        found = self.post("/api/kpis/preview", {"body": self.kpi("x", "@on_tim")})
        self.assertIn("did you mean @on_time?", found["problem"]["message"])
        self.assertEqual((found["problem"]["start"], found["problem"]["end"]), (0, 7))
        self.assertIn("circle", self.post("/api/kpis/preview", {"body": self.kpi("x", "@x")})["problem"]["message"])

    def test_a_renamed_handle_is_followed_and_a_named_kpi_not_deleted(self) -> None:
        one = self.create("kpis", self.kpi("first", "sum(fare_revenue)"))
        two = self.create("kpis", self.kpi("second", "@first  / count()"))
        self.ok(
            self.client.put(
                f"/api/kpis/{one['id']}", json=self.kpi("primus", "sum(fare_revenue)"), headers={"If-Match": '"1"'}
            )
        )
        self.assertEqual(self.ok(self.client.get(f"/api/kpis/{two['id']}"))["body"]["formula"], "@primus  / count()")
        refused = self.client.delete(f"/api/kpis/{one['id']}", headers={"If-Match": '"2"'})
        self.assertEqual(refused.status_code, 409)
        self.assertIn("named in second", refused.json()["detail"])

    def test_a_preview_reads_in_words_and_warns(self) -> None:
        found = self.post(
            "/api/kpis/preview", {"body": self.kpi("x", 'mean(fare_revenue / passengers where route = "Nowhere")')}
        )
        self.assertIn("The mean of (fare_revenue divided by passengers) where route is “Nowhere”.", found["reads_as"])
        self.assertEqual(len(found["warnings"]), 2)

    def test_workings_of_functions_over_months(self) -> None:
        made = self.create(
            "kpis",
            self.kpi(
                "growth", "sum(fare_revenue) / year_ago(sum(fare_revenue)) - 1", unit={"kind": "percent", "decimals": 1}
            ),
        )
        instrument = {"id": "i", "kpi": made["id"], "marks": []}
        found = self.post("/api/scorecards/workings", {"instrument": instrument})
        now, before = (part["figure"] for part in found["parts"])
        self.assertNotEqual(now, before)
        self.assertTrue(found["lines"][0]["text"].startswith(f"{now} ÷ {before} − 1 = "), found["lines"][0])
        self.assertTrue(found["parts"][1]["source"].endswith("a year before (Oct 2025)"))
        early = {"instrument": instrument, "scope": {"period": "2025-03"}}
        found = self.post("/api/scorecards/workings", early)
        self.assertEqual(found["verdict"], "no reading: no rows in March 2024, which it looks back to")
        rolling = self.create("kpis", self.kpi("year", "rolling(sum(fare_revenue), 12)"))
        found = self.post("/api/scorecards/workings", {"instrument": instrument | {"kpi": rolling["id"]}})
        self.assertEqual(found["parts"][0]["source"], "sum(fare_revenue), over the last 12 periods")


class Marks(WithServer):
    def change(self, version: int, *changes: dict[str, Any], status: int = 200) -> Any:
        answer = self.client.post(
            "/api/kpis/drills/marks", json={"changes": list(changes)}, headers={"If-Match": f'"{version}"'}
        )
        return self.ok(answer, status)

    def test_set_carried_inherited_and_none(self) -> None:
        grid = self.ok(self.client.get("/api/kpis/on-time/marks", params={"year": 2026}))
        kinds = {row["member"]: [cell["kind"] for cell in row["cells"]] for row in grid["rows"]}
        everyone = next(row for row in grid["rows"] if row["whose"] == "everyone")
        self.assertEqual([cell["kind"] for cell in everyone["cells"]][2:5], ["carried", "set", "carried"])
        self.assertEqual(set(kinds["Hollin – Skarra"]), {"inherited"})
        self.assertEqual(kinds["Lowsay – Brae Holm"][8:11], ["carried", "set", "carried"])
        self.assertEqual((grid["covered"], grid["coverable"]), (84, 84))
        bare = self.ok(self.client.get("/api/kpis/revenue-per-sailing/marks", params={"year": 2026}))
        self.assertEqual(
            {c["kind"] for row in bare["rows"] if row["member"] in (None, "Tarn Point – Lowsay") for c in row["cells"]},
            {"none"},
        )

    def test_a_sum_s_book_has_all_together_on_top_and_adds_its_members_up(self) -> None:
        grid = self.ok(self.client.get("/api/kpis/cancelled/marks", params={"year": 2026, "name": "limit"}))
        self.assertEqual(
            [row["label"] for row in grid["rows"]][:3], ["All together", "Each route", "Hollin – Brae Holm"]
        )
        self.assertTrue(grid["adds"])
        made = self.create(
            "kpis",
            {"handle": "x_adds", "name": "Adds", "dataset": "sailings", "formula": "sum(passengers)", "nature": "flow"},
        )
        path = f"/api/kpis/{made['id']}/marks"
        each = {"name": "target", "whose": "each", "of": {"route": ""}, "since": "2026-01", "value": 9000}
        self.ok(self.client.post(path, json={"changes": [each]}, headers={"If-Match": '"0"'}))
        grid = self.ok(self.client.get(path, params={"year": 2026, "by": "route"}))
        cells = {row["label"]: (row["cells"][0]["value"], row["cells"][0]["kind"]) for row in grid["rows"]}
        self.assertEqual(cells["All together"], (54_000, "together"))
        self.assertEqual((cells["Each route"], cells["Night freight"]), ((9000, "set"), (9000, "inherited")))
        narrow = self.ok(
            self.client.get(path, params={"year": 2026, "by": "route", "within": "vessel", "member": "Thrift"})
        )
        self.assertEqual(narrow["rows"][0]["label"], "All of Thrift")
        self.assertEqual(narrow["rows"][1]["of"], {"route": "Hollin – Brae Holm", "vessel": "Thrift"})
        self.assertEqual(
            {row["cells"][0]["kind"] for row in narrow["rows"]}, {"none"}, "a part is not held to the whole's"
        )

    def test_one_figure_of_a_sum_is_asked_about(self) -> None:
        path = "/api/kpis/fare-revenue/marks"
        version = self.ok(self.client.get(path))["version"]
        change: dict[str, Any] = {"name": "stretch", "since": "2026-01", "value": 18_000}
        for owner in ({}, {"whose": "everyone"}):
            body = {"changes": [change | owner]}
            problem = self.ok(self.client.post(path, json=body, headers={"If-Match": f'"{version}"'}), 422)
            self.assertEqual((problem["type"], problem["where"]["field"]), ("whose-mark", "changes.0.whose"))
            self.assertIn("each route’s (6 of them, together £108.00k)", problem["detail"])
            self.assertIn("all together’s (£18.00k)", problem["detail"])

    def test_a_cut_from_a_mark_that_does_not_exist_is_refused_with_the_nearest(self) -> None:
        body = {"name": "x", "kpi": "on-time", "bands": ["short", "met"], "cuts": [{"mark": "targt"}]}
        problem = self.post("/api/yardsticks", body, 422)
        self.assertEqual((problem["type"], problem["where"]["field"]), ("no-mark", "cuts.0.mark"))
        self.assertIn("did you mean “target”?", problem["detail"])

    def test_there_is_nothing_to_tell_where_nothing_was_changed(self) -> None:
        self.assertEqual(self.ok(self.client.get("/api/notices")), [])
        self.ok(self.client.post("/api/notices/99999999999999999999/read"), 404)

    def test_members_and_segments_that_do_not_exist_are_refused_with_the_nearest(self) -> None:
        path = "/api/kpis/on-time/marks"
        version = self.ok(self.client.get(path))["version"]
        for of, field, near in (
            ({"route": "Night frieght"}, "changes.0.of", "“Night freight”"), ({"rout": "Night freight"}, "changes.0.of", "“route”"),
        ):  # fmt: skip
            body = {"changes": [{"name": "target", "of": of, "since": "2026-01", "value": 0.9}]}
            problem = self.ok(self.client.post(path, json=body, headers={"If-Match": f'"{version}"'}), 422)
            self.assertEqual(problem["where"]["field"], field)
            self.assertIn(near, problem["detail"])

    def test_a_value_far_from_its_member_s_history_is_asked_about_before_it_is_kept(self) -> None:
        path = "/api/kpis/on-time/marks"
        version = self.ok(self.client.get(path))["version"]
        change = {"name": "stretch", "of": {"route": "Night freight"}, "since": "2026-01", "value": 88}
        headers = {"If-Match": f'"{version}"'}
        problem = self.ok(self.client.post(path, json={"changes": [change]}, headers=headers), 422)
        self.assertEqual((problem["type"], problem["where"]["field"]), ("doubtful", "changes.0.value"))
        self.assertIn("8,800", problem["question"])
        self.assertEqual(problem["detail"], f"{problem['question']} Send sure: true to keep it.")
        self.assertEqual(self.ok(self.client.get(path))["version"], version)
        self.assertIn("8,800", self.post(f"{path}/try", {"changes": [change]})["doubts"][0])
        done = self.ok(self.client.post(path, json={"changes": [change], "sure": True}, headers=headers))
        back = {"changes": done["back"]}
        self.ok(self.client.post(path, json=back, headers={"If-Match": f'"{done["version"]}"'}))

    def test_a_change_and_its_way_back(self) -> None:
        version = self.ok(self.client.get("/api/kpis/drills/marks"))["version"]
        change = {"name": "target", "segment": "vessel", "member": "Thrift", "since": "2026-03", "value": 0.8}
        done = self.change(version, change)
        back = {"name": "target", "whose": "member", "of": {"vessel": "Thrift"}, "since": "2026-03", "value": None}
        self.assertEqual(done["back"], [back])
        self.change(version, change, status=412)
        self.change(done["version"], *done["back"])

    def test_what_an_edit_would_change_is_told_before_it_is_kept(self) -> None:
        before = self.ok(self.client.get("/api/kpis/on-time/marks"))["version"]
        change = {
            "name": "target",
            "segment": "route",
            "member": "Lowsay – Brae Holm",
            "since": "2026-09",
            "value": 0.75,
        }
        found = self.post("/api/kpis/on-time/marks/try", {"changes": [change], "by": "route"})
        self.assertEqual(found["yardstick"], "Punctuality")
        self.assertEqual({c["label"] for c in found["changes"]}, {"Lowsay – Brae Holm"})
        self.assertTrue(all(c["before"] != c["after"] and c["period"] in ("Sep 2026",) for c in found["changes"]))
        everyone = {"name": "target", "since": "2026-10", "value": 0.5}
        found = self.post("/api/kpis/on-time/marks/try", {"changes": [everyone], "by": "route"})
        self.assertIn("all together", {c["label"] for c in found["changes"]})
        self.assertNotIn("Night freight", {c["label"] for c in found["changes"]}, "it has its own")
        same = {"name": "stretch", "since": "2026-10", "value": 0.5}
        self.assertEqual(self.post("/api/kpis/on-time/marks/try", {"changes": [same]})["count"], 0)
        self.assertEqual(self.ok(self.client.get("/api/kpis/on-time/marks"))["version"], before)

    def test_many_typed_numbers_are_understood_at_once(self) -> None:
        found = self.post("/api/kpis/on-time/understand", {"texts": ["88", "0.9", "many", "0.1%"]})
        self.assertEqual([u["shown"] for u in found], ["88.0%", "90.0%", "", "0.1%"])
        self.assertIn("not a number", found[2]["problem"])
        self.assertEqual(found[3]["doubt"], "", "whose they are is not known yet: that is asked when they are kept")

    def test_half_a_place_or_no_month_is_refused_whole(self) -> None:
        version = self.ok(self.client.get("/api/kpis/drills/marks"))["version"]
        good = {"name": "target", "since": "2026-03", "value": 0.8}
        self.change(version, good, good | {"segment": "vessel"}, status=422)
        self.change(version, good, good | {"since": "March"}, status=422)
        self.assertEqual(self.ok(self.client.get("/api/kpis/drills/marks"))["version"], version)


class Readings(WithServer):
    def read(self, **ask: Any) -> Any:
        body = self.ok(self.client.get("/api/scorecards/network-performance"))["body"]
        return self.post("/api/scorecards/read", {"body": body} | ask)

    def instrument(self, found: Any, key: str) -> Any:
        return next(i for i in found["instruments"] if i["id"] == key)

    def test_year_one_is_no_period(self) -> None:
        for period in ("0001", "0001-01", "0999-W01"):
            body = self.ok(self.client.get("/api/scorecards/network-performance"))["body"]
            self.post("/api/scorecards/read", {"body": body, "scope": {"period": period}}, 422)
        far = self.read(scope={"period": "9000-01..9000-12"})
        self.assertEqual({r["status"] for i in far["instruments"] for r in i["readings"]}, {"no_reading"})

    def test_the_demo_reads_in_every_state(self) -> None:
        found = self.read()
        self.assertEqual(found["period"], "2026-10")
        self.assertEqual(
            [part["state"] for part in found["tally"]], ["short", "near", "met", "beyond", "not_graded", "no_reading"]
        )
        self.assertIn("since September", found["sections"][0]["words"])
        crew = self.instrument(found, "i8")["readings"][0]
        self.assertEqual((crew["shown"], crew["state"], crew["gap_words"]), ("85%", "met", "on target 85%"))

    def test_a_member_without_rows_and_one_without_a_mark_say_so(self) -> None:
        found = self.read()
        absent = next(r for r in self.instrument(found, "i9")["readings"] if r["member"] == "Sandpiper")
        self.assertEqual((absent["status"], absent["shown"], absent["value"]), ("no_reading", "no reading", None))
        self.assertIn("no rows in October 2026", absent["reason"])
        bare = next(r for r in self.instrument(found, "i6")["readings"] if r["member"] == "Tarn Point – Lowsay")
        self.assertEqual((bare["status"], bare["state"]), ("not_graded", None))
        self.assertEqual(bare["reason"], "no target for Tarn Point – Lowsay in the mark book")

    def test_the_partial_month_says_so_and_flows_are_pro_rated(self) -> None:
        found = self.read(scope={"period": "latest", "members": {}})
        self.assertEqual(found["partial"], "21 of 30 days")
        revenue = self.instrument(found, "i5")["readings"][0]
        self.assertEqual(revenue["partial"], {"days": 21, "of": 30, "words": "21 of 30 days", "pro_rated": True})
        self.assertAlmostEqual(revenue["marks"][0]["value"], 1_180_000 * 21 / 30)
        punctual = self.instrument(found, "i1")["readings"][0]
        self.assertFalse(punctual["partial"]["pro_rated"])
        self.assertAlmostEqual(punctual["marks"][0]["value"], 0.92)

    def test_scope_follows_to_members_and_says_where_it_cannot(self) -> None:
        found = self.read(scope={"period": "2026-10", "members": {"route": ["Night freight"]}})
        alone = self.instrument(found, "i1")["readings"][0]
        self.assertAlmostEqual(alone["marks"][0]["value"], 0.85, msg="its own mark")
        self.assertEqual([r["member"] for r in self.instrument(found, "i2")["readings"]], ["Night freight"])
        self.assertEqual(self.instrument(found, "i8")["notes"], ["not split by route: all rows are read"])
        early = self.read(scope={"period": "2019-01", "members": {}})
        self.assertEqual({part["state"] for part in early["tally"]}, {"no_reading"})

    def test_what_cannot_be_read_holds_up_nothing_else(self) -> None:
        body = self.ok(self.client.get("/api/scorecards/network-performance"))["body"]
        first = body["sections"][0]["instruments"]
        first[0]["kpi"], first[1]["by"], first[2]["yardstick"] = "gone", "harbour", "gone"
        found = self.post("/api/scorecards/read", {"body": body})
        self.assertIn("deleted", self.instrument(found, "i1")["problem"])
        self.assertIn("harbour", self.instrument(found, "i2")["problem"])
        self.assertIn("yardstick", self.instrument(found, "i3")["problem"])
        self.assertIsNone(self.instrument(found, "i4")["problem"])

    def test_rehearsal_and_drafts_are_read_but_not_kept(self) -> None:
        before = self.ok(self.client.get("/api/yardsticks/punctuality"))
        found = self.read(rehearse={"i1": {"value": 0.97}, "i2": {"value": 0.5, "member": "Night freight"}})
        self.assertEqual(self.instrument(found, "i1")["readings"][0]["state"], "beyond")
        self.assertTrue(self.instrument(found, "i1")["rehearsed"])
        self.assertEqual(self.instrument(found, "i2")["readings"][0]["member"], "Night freight", "now the worst")
        draft = before["body"] | {"bands": ["short", "met"], "cuts": [{"offset": 0.5}]}
        found = self.read(yardsticks={"punctuality": draft})
        self.assertEqual({r["state"] for r in self.instrument(found, "i2")["readings"]}, {"met"})
        self.assertEqual(self.ok(self.client.get("/api/yardsticks/punctuality")), before)

    def test_faces_each_choose_their_axis(self) -> None:
        instrument = {"id": "x", "kpi": "fare-revenue", "yardstick": "share-of-target"}
        drawn = {
            p["picture"]["id"]: p["picture"] for p in self.post("/api/scorecards/faces", {"instrument": instrument})
        }
        self.assertEqual(len(drawn), 16)
        self.assertEqual(drawn["bar"]["axis"]["low"], 0)
        self.assertAlmostEqual(drawn["bar"]["axis"]["high"], 1_180_000)
        self.assertGreater(drawn["dial"]["axis"]["high"], 1_180_000)

    def test_an_axis_end_past_the_other_makes_way(self) -> None:
        instrument = {"id": "x", "kpi": "on-time", "yardstick": "punctuality", "axis": {"low": 5.0}}
        found = self.post("/api/scorecards/faces", {"instrument": instrument})
        self.assertEqual(found[0]["picture"]["readings"][0]["past"], -1)

    def test_workings_tell_the_whole_way(self) -> None:
        body = self.ok(self.client.get("/api/scorecards/network-performance"))["body"]
        punctual, revenue = body["sections"][0]["instruments"][1], body["sections"][1]["instruments"][0]
        found = self.post("/api/scorecards/workings", {"instrument": punctual, "member": "Lowsay – Brae Holm"})
        lines = {line["label"]: line["text"] for line in found["lines"]}
        self.assertRegex(lines["Reading"], r"^\d+ ÷ \d+ = 0\.\d+, shown \d\d\.\d%$")
        self.assertEqual(lines["Target"], "88%, from the mark book: Lowsay – Brae Holm, from Oct 2026")
        self.assertRegex(lines["Band"], r"→ Short$")
        self.assertIn("more", lines["To reach Near"])
        self.assertEqual(found["parts"][0]["source"], "count(where delay_minutes <= 5)")
        latest = {"period": "latest", "members": {}}
        found = self.post("/api/scorecards/workings", {"instrument": revenue, "scope": latest})
        lines = {line["label"]: line["text"] for line in found["lines"]}
        self.assertIn("of 21 of 30 days, by its share of days: £826.00k", lines["Target"])
        self.assertIn("pro-rated", lines["Partial"])
        refused = self.client.post("/api/scorecards/workings", json={"instrument": punctual, "member": "Atlantis"})
        self.assertEqual(refused.status_code, 404)


class Strips(WithServer):
    def strip(self, body: dict[str, Any], **ask: Any) -> Any:
        return self.post("/api/yardsticks/strip", {"body": body, "kpi": "on-time"} | ask)

    def body(self) -> Any:
        return self.ok(self.client.get("/api/yardsticks/punctuality"))["body"]

    def test_bands_proof_sweep_and_back_test_agree(self) -> None:
        found = self.strip(self.body(), by="route", rehearse=0.92)
        self.assertEqual([b["words"] for b in found["band_words"]][1], "85% up to, not including, 92%")
        self.assertEqual([c["shown"] for c in found["cuts"]], ["85%", "92%", "96%"])
        self.assertEqual(found["cuts"][0]["words"], "target − 7 points")
        self.assertEqual((found["proof"][1]["under"], found["proof"][1]["at"]), ("near", "met"))
        self.assertEqual([s["state"] for s in found["sweep"]], ["short", "near", "met", "beyond"])
        self.assertEqual(found["rehearsal"]["state"], "met")
        self.assertEqual(sum(c["count"] for c in found["counts"]), found["readings"])
        self.assertEqual(len(found["dots"]), found["readings"])
        self.assertEqual(found["readings"], 6 * 22 - 3, "three route-months have no rows")

    def test_a_moved_cut_says_what_would_change(self) -> None:
        body = self.body()
        body["cuts"][1] |= {"offset": -0.05}
        found = self.strip(body, by="route", saved="punctuality")
        self.assertTrue(all(c["before"] != c["after"] for c in found["changes"]))
        self.assertTrue(found["changes"])
        self.assertEqual(self.strip(self.body(), by="route", saved="punctuality")["changes"], [])

    def test_a_cut_without_its_mark_says_so_and_shows_no_bands(self) -> None:
        body = self.body() | {"bands": ["short", "met"], "cuts": [{"mark": "stretch"}]}
        found = self.strip(body)
        self.assertEqual((found["bands"], found["proof"], found["reason"]), ([], [], "no stretch in the mark book"))

    def test_plain_cuts_out_of_order_are_refused(self) -> None:
        body = self.body() | {"bands": ["short", "near", "met"], "cuts": [{"offset": 0.9}, {"offset": 0.8}]}
        refused = self.client.post("/api/yardsticks/strip", json={"body": body, "kpi": "on-time"})
        self.assertEqual(refused.status_code, 422)
        self.assertIn("cut 1 lies above cut 2", refused.json()["detail"])

    def test_values_typed_onto_cuts_are_graded_as_the_proof_says(self) -> None:
        values = [0.1, 0.2, 0.3, 0.30000000000000004, 0.7, 0.7000000000000001]
        rows = "".join(f"2026-01-05,m{i},{value}\n" for i, value in enumerate(values))
        client = self.client
        made = self.ok(
            client.post("/api/datasets", files={"file": ("cuts.csv", f"day,member,value\n{rows}".encode())}), 201
        )
        self.addCleanup(self.drop, "datasets", made["id"])
        kpi = self.create(
            "kpis", KPI | {"dataset": made["id"], "formula": "sum(value)", "unit": {"kind": "number", "decimals": 1}}
        )
        yardstick = self.create(
            "yardsticks",
            {
                "name": "Edges",
                "bands": ["short", "near", "met"],
                "cuts": [{"offset": 0.3}, {"offset": 0.7, "belongs": "below"}],
            },
        )
        instrument = {
            "id": "x",
            "kpi": kpi["id"],
            "by": "member",
            "yardstick": yardstick["id"],
            "order": "name",
            "marks": [],
        }
        # Rows of one month with all its days count as complete through the last of them.
        found = self.post(
            "/api/scorecards/read",
            {"body": {"title": "x", "sections": [{"id": "s", "instruments": [instrument | {"face": "bullet"}]}]}},
        )
        self.assertEqual(
            [r["state"] for r in found["instruments"][0]["readings"]],
            ["short", "short", "near", "near", "near", "near"],
        )

    def test_a_proposal_fits_its_kpi(self) -> None:
        for kpi in ("on-time", "cancelled", "fare-revenue", "deck-load", "berth", "complaints"):
            with self.subTest(kpi):
                body = self.post("/api/yardsticks/propose", {"kpi": kpi, "name": "Proposed"})
                found = self.strip(body, kpi=kpi)
                self.assertEqual(found["reason"], "")
                self.assertGreaterEqual(
                    len([c for c in found["counts"] if c["count"]]), 2 if kpi != "fare-revenue" else 1
                )

    def test_one_in_use_is_not_deleted(self) -> None:
        refused = self.client.delete("/api/yardsticks/punctuality", headers={"If-Match": '"1"'})
        self.assertEqual(refused.status_code, 409)
        uses = {
            use["title"]: use["instruments"] for use in self.ok(self.client.get("/api/yardsticks/punctuality/uses"))
        }
        self.assertEqual(uses["Network performance"], 2)


class Together(WithServer):
    def test_of_many_writers_at_once_exactly_one_wins(self) -> None:
        made = self.create("scorecards", {"title": "Contested", "sections": []})
        answers: list[int] = []

        def write(at: int) -> None:
            body = {"title": f"Writer {at}", "sections": []}
            answers.append(
                self.client.put(f"/api/scorecards/{made['id']}", json=body, headers={"If-Match": '"1"'}).status_code
            )

        threads = [threading.Thread(target=write, args=(at,)) for at in range(8)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(sorted(answers), [200] + [412] * 7)

    def test_of_many_mark_writers_at_once_exactly_one_wins(self) -> None:
        version = self.ok(self.client.get("/api/kpis/drills/marks"))["version"]
        answers: list[Any] = []

        def write(at: int) -> None:
            change = {"name": "stretch", "since": "2026-01", "value": 0.7 + at / 100}
            answers.append(
                self.client.post(
                    "/api/kpis/drills/marks", json={"changes": [change]}, headers={"If-Match": f'"{version}"'}
                )
            )

        threads = [threading.Thread(target=write, args=(at,)) for at in range(6)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(sorted(answer.status_code for answer in answers), [200] + [412] * 5)
        won = next(answer.json() for answer in answers if answer.status_code == 200)
        self.ok(
            self.client.post(
                "/api/kpis/drills/marks", json={"changes": won["back"]}, headers={"If-Match": f'"{won["version"]}"'}
            )
        )

    def test_health_tells_when_the_database_is_away_and_when_it_is_back(self) -> None:
        server = world.Running("--no-demo").start()
        self.addCleanup(server.close)
        made = server.client.post("/api/scorecards", json={"title": "Kept", "sections": []}).json()
        import os
        import signal
        import time

        for tried in range(5):  # on a busy machine it may be there again before it is asked
            pid = server.database_pid
            os.kill(pid, signal.SIGKILL)
            body = {"title": f"Lost {tried}?", "sections": []}
            seen = {"If-Match": f'"{made["version"]}"'}
            answer = server.client.put(f"/api/scorecards/{made['id']}", json=body, headers=seen)
            if answer.status_code != 200:
                break
            made = answer.json()
        self.assertEqual((answer.status_code, answer.json()["type"]), (503, "database-away"))
        self.assertIn("Nothing was saved", answer.json()["detail"])
        until = time.monotonic() + 300  # on a busy machine it takes its time
        while server.client.get("/api/health").status_code != 200 and time.monotonic() < until:
            time.sleep(0.1)
        self.assertEqual(server.client.get(f"/api/scorecards/{made['id']}").json(), made)
        self.assertNotEqual(server.database_pid, pid)
