"""Assumptions over HTTP: named numbers in formulas, tried on a page, kept together as cases and compared."""

import unittest
from typing import Any

from tests import world

ROWS = "day,site,litres,runs,late\n" + "".join(
    f"2026-{month:02d}-{day:02d},{site},{litres},{runs},{late}\n"
    for month in (1, 2)
    for day, site, litres, runs, late in ((3, "North", 100, 2, 4), (4, "South", 300, 3, 12), (9, "North", 80, 1, 7))
)


class Assumptions(unittest.TestCase):
    def setUp(self) -> None:
        self.client = world.running().client
        self.made: list[tuple[str, str]] = []
        self.addCleanup(self.drop)
        files = {"file": ("runs.csv", ROWS.encode(), "text/csv")}
        self.data = self.ok(self.client.post("/api/datasets", files=files))["id"]
        self.made.append(("datasets", self.data))
        self.price = self.make("assumptions", self.assumption("price_t", "Price", 0.5))["id"]
        self.limit = self.make("assumptions", self.assumption("late_t", "Late from", 5, unit={}, most=60, step=1))["id"]
        self.cost = self.make("kpis", self.kpi("cost_t", "Cost", "sum(litres) * @price_t", nature="flow"))["id"]
        self.each = self.make("kpis", self.kpi("each_t", "Cost of a run", "@cost_t / sum(runs)"))["id"]
        self.late = self.make("kpis", self.kpi("share_t", "Late", "count(where late > @late_t) / count()"))["id"]
        self.plain = self.make("kpis", self.kpi("runs_t", "Runs", "sum(runs)", nature="flow"))["id"]
        bands = {
            "name": "y",
            "bands": ["beyond", "met", "short"],
            "cuts": [{"offset": 100}, {"offset": 250}],
            "per": "any",
        }
        self.yardstick = self.make("yardsticks", bands)["id"]
        instruments = [
            {"id": "a", "kpi": self.cost, "face": "ledger", "by": "site", "yardstick": self.yardstick},
            {"id": "b", "kpi": self.each}, {"id": "c", "kpi": self.late}, {"id": "d", "kpi": self.plain},
        ]  # fmt: skip
        self.body = {
            "title": "Costs",
            "sections": [{"id": "s", "instruments": instruments}],
            "scope": {"period": "2026-01"},
        }
        self.card = self.make("scorecards", self.body)["id"]

    def drop(self) -> None:
        for kind, key in reversed(self.made):
            found = self.client.get(f"/api/{kind}/{key}")
            if found.status_code == 200:
                self.client.delete(f"/api/{kind}/{key}", headers={"If-Match": f'"{found.json()["version"]}"'})

    def ok(self, answer: Any) -> Any:
        self.assertLess(answer.status_code, 300, answer.text)
        return answer.json() if answer.content else None

    def make(self, kind: str, body: dict[str, Any]) -> Any:
        made = self.ok(self.client.post(f"/api/{kind}", json=body))
        self.made.append((kind, made["id"]))
        return made

    def assumption(self, handle: str, name: str, value: float, **more: Any) -> dict[str, Any]:
        unit = {"kind": "currency", "decimals": 2}
        return {
            "handle": handle,
            "name": name,
            "unit": unit,
            "value": value,
            "least": 0,
            "most": 2,
            "step": 0.01,
        } | more

    def kpi(self, handle: str, name: str, formula: str, **more: Any) -> dict[str, Any]:
        return {
            "handle": handle,
            "name": name,
            "dataset": self.data,
            "formula": formula,
            "unit": {"decimals": 2},
        } | more

    def page(self, **params: Any) -> Any:
        return self.ok(self.client.get(f"/api/scorecards/{self.card}/page", params=params))

    def values(self, page: Any) -> dict[str, list[float]]:
        return {one["id"]: [reading["value"] for reading in one["readings"]] for one in page["instruments"]}

    def put(self, kind: str, key: str, **edit: Any) -> Any:
        held = self.ok(self.client.get(f"/api/{kind}/{key}"))
        head = {"If-Match": f'"{held["version"]}"'}
        return self.client.put(f"/api/{kind}/{key}", json=held["body"] | edit, headers=head)

    def test_they_stand_in_formulas_and_in_the_conditions_of_rows(self) -> None:
        found = self.values(self.page())
        self.assertEqual(sorted(found["a"]), [90, 150])
        self.assertEqual(found["b"], [480 * 0.5 / 6])
        self.assertAlmostEqual(found["c"][0], 2 / 3)
        self.assertEqual(found["d"], [6])

    def test_a_tried_value_is_read_by_all_that_depends_on_it_and_kept_by_nobody(self) -> None:
        kept = self.page()
        tried = self.page(assume=[f"{self.price}:1", f"{self.limit}:8"])
        found = self.values(tried)
        self.assertEqual((sorted(found["a"]), found["b"], found["d"]), ([180, 300], [80], [6]))
        self.assertAlmostEqual(found["c"][0], 1 / 3)
        self.assertEqual([one["tried"] for one in tried["instruments"]], [["Price"], ["Price"], ["Late from"], []])
        self.assertIn("tried with another Price", tried["instruments"][1]["readings"][0]["spoken"])
        self.assertEqual([t["name"] for t in kept["tally"][:2]], ["Met", "Beyond"])
        self.assertEqual([t["name"] for t in tried["tally"][:2]], ["Short", "Met"])
        shown = {one["handle"]: (one["shown"], one["kept_shown"], one["tried"]) for one in tried["assumptions"]}
        self.assertEqual(shown["price_t"], ("£1.00", "£0.50", True))
        self.assertEqual(self.page(), kept)
        asked = {"body": self.body, "scope": {"period": "2026-01", "assume": {self.price: 1}}}
        unsaved = self.ok(self.client.post("/api/scorecards/read", json=asked))
        self.assertEqual(self.values(unsaved)["b"], [80])
        instrument = self.body["sections"][0]["instruments"][1]
        workings = self.ok(
            self.client.post("/api/scorecards/workings", json={"instrument": instrument, "scope": asked["scope"]})
        )
        self.assertIn("Price: £1.00, tried; £0.50 is kept", [line["text"] for line in workings["lines"]])

    def test_a_page_that_depends_on_none_has_no_sliders(self) -> None:
        body = {"title": "Runs", "sections": [{"id": "s", "instruments": [{"id": "d", "kpi": self.plain}]}]}
        self.assertEqual(self.ok(self.client.post("/api/scorecards/read", json={"body": body}))["assumptions"], [])

    def test_a_kept_value_is_another_page(self) -> None:
        path = f"/api/scorecards/{self.card}/page"
        tag = self.client.get(path).headers["ETag"]
        self.assertEqual(self.client.get(path, headers={"If-None-Match": tag}).status_code, 304)
        self.ok(self.put("assumptions", self.price, value=1))
        again = self.client.get(path, headers={"If-None-Match": tag})
        self.assertEqual((again.status_code, self.values(again.json())["b"]), (200, [80]))

    def test_values_out_of_range_and_texts_are_refused(self) -> None:
        path = f"/api/scorecards/{self.card}/page"
        for text, said in ((f"{self.price}:9", "from £0.00 to £2.00"), (f"{self.price}:x", "valid number")):
            answer = self.client.get(path, params={"assume": text})
            self.assertEqual(answer.status_code, 422)
            self.assertIn(said, answer.json()["detail"])
        gone = self.client.get(path, params={"assume": "gone:1"})
        self.assertEqual((gone.status_code, gone.json()["type"]), (422, "no-assumption"))
        for wrong in ({"least": 3}, {"value": 5}, {"step": 0}, {"handle": "two words"}, {"step": 1e-9}):
            self.assertEqual(
                self.client.post("/api/assumptions", json=self.assumption("w_t", "W", 1) | wrong).status_code,
                422,
                wrong,
            )
        kept = self.client.put(
            f"/api/scorecards/{self.card}",
            json=self.body | {"scope": {"assume": {self.price: 1}}},
            headers={"If-Match": '"1"'},
        )
        self.assertIn("keeps no tried assumptions", kept.json()["detail"])

    def test_a_handle_is_nobody_elses_and_formulas_follow_when_it_changes(self) -> None:
        taken = self.client.post("/api/assumptions", json=self.assumption("cost_t", "Cost", 1))
        self.assertEqual((taken.status_code, taken.json()["type"]), (409, "handle-taken"))
        taken = self.client.post("/api/kpis", json=self.kpi("price_t", "Price", "sum(runs)"))
        self.assertEqual(taken.status_code, 409)
        self.ok(self.put("assumptions", self.price, handle="litre_price_t"))
        self.assertEqual(
            self.ok(self.client.get(f"/api/kpis/{self.cost}"))["body"]["formula"], "sum(litres) * @litre_price_t"
        )
        self.assertEqual(self.values(self.page())["b"], [40])
        held = self.client.get(f"/api/assumptions/{self.price}").json()
        refused = self.client.delete(f"/api/assumptions/{self.price}", headers={"If-Match": f'"{held["version"]}"'})
        self.assertEqual(refused.status_code, 409)
        self.assertIn("named in Cost", refused.json()["detail"])
        about = self.ok(self.client.get(f"/api/assumptions/{self.price}/about"))
        self.assertEqual((about["step"], about["most"], about["named_in"]), ("£0.01", "£2.00", ["Cost"]))

    def test_what_a_formula_with_one_most_likely_is(self) -> None:
        body = self.kpi("new_t", "New", "sum(litres) * @price_t")
        seen = self.ok(self.client.post("/api/kpis/preview", json={"body": body}))
        self.assertEqual((seen["nature"], seen["unit"]["kind"]), ("flow", "currency"))
        alone = self.client.post("/api/kpis", json=self.kpi("alone_t", "Alone", "@price_t"))
        self.assertIn("at least one aggregate", alone.json()["detail"])
        near = self.client.post("/api/kpis", json=self.kpi("near_t", "Near", "sum(litres) * @prise_t"))
        self.assertIn("did you mean @price_t?", near.json()["detail"])

    def test_cases_are_compared_beside_what_is_kept(self) -> None:
        dear = self.make("cases", {"name": "Dear", "scorecard": self.card, "values": {self.price: 1}})
        self.make("cases", {"name": "Strict", "scorecard": self.card, "values": {self.limit: 8}})
        found = self.ok(
            self.client.post(
                "/api/cases/compare",
                json={"scorecard": self.card, "scope": {"period": "2026-01", "assume": {self.price: 0.2}}},
            )
        )
        self.assertEqual([column["name"] for column in found["columns"]], ["As kept", "As tried now", "Dear", "Strict"])
        rows = {row["label"]: [cell["shown"] for cell in row["cells"]] for row in found["rows"]}
        self.assertEqual(rows["Cost of a run"], ["40.00", "16.00", "80.00", "40.00"])
        self.assertEqual(rows["Late"], ["0.67", "0.67", "0.67", "0.33"])
        self.assertEqual(found["same"], 1)
        steps = {row["label"]: [cell["step"] for cell in row["cells"]] for row in found["rows"]}
        self.assertEqual(steps["Cost, South"], [0, 1, -2, 0])
        for values, said in (({"none": 1}, "no assumption"), ({self.price: 9}, "can be tried from")):
            refused = self.client.post("/api/cases", json={"name": "W", "scorecard": self.card, "values": values})
            self.assertEqual(refused.status_code, 422)
            self.assertIn(said, refused.json()["detail"])
        # A range that has become narrower holds the case in; a scorecard takes its cases with it.
        self.ok(self.put("assumptions", self.price, most=0.8))
        found = self.ok(self.client.post("/api/cases/compare", json={"scorecard": self.card, "cases": [dear["id"]]}))
        self.assertEqual([column["values"][0] for column in found["columns"]], ["£0.50", "£0.80"])
        self.client.delete(f"/api/scorecards/{self.card}", headers={"If-Match": '"1"'})
        self.assertEqual(self.client.get(f"/api/cases/{dear['id']}").status_code, 404)
