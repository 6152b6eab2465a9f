"""Instruments beyond one reading: repeated, rolled up, grouped, shaded, cut in four, taken out, set by hand."""

import csv
import io
import unittest
import zipfile
from typing import Any

import python_calamine

from tests import world

ROWS = "day,site,crew,x,y\n" + "".join(
    f"2026-{month:02d}-{30 + month // 7},{site},{crew},{x + month - 8},{y}\n"
    for month in (6, 7, 8)
    for site, crew, x, y in (
        ("North", "a", 10, 4), ("North", "b", 30, 6), ("South", "a", 20, 10), ("South", "b", 40, 10),
        ("West", "a", 5, 1), ("East", "a", 60, 2),
    )
)  # fmt: skip
BANDS = ["short", "near", "met", "beyond"]


class Instruments(unittest.TestCase):
    client: Any
    ids: dict[str, str]

    @classmethod
    def setUpClass(cls) -> None:
        cls.client = world.running().client
        dataset = cls.client.post("/api/datasets", files={"file": ("sites.csv", ROWS.encode())}).json()
        cls.ids = {"dataset": dataset["id"]}
        for handle, formula, rest in (
            ("site_sum", "sum(x)", {"nature": "flow"}),
            ("site_rate", "sum(x) / sum(y)", {"unit": {"kind": "number", "decimals": 2}}),
            ("site_low", "sum(y)", {"direction": "lower", "nature": "flow"}),
        ):
            body = {"handle": handle, "name": handle.replace("_", " ").capitalize(), "formula": formula}
            made = cls.client.post("/api/kpis", json=body | {"dataset": dataset["id"]} | rest)
            cls.ids[handle] = made.json()["id"]
        body = {"name": "Sites", "bands": BANDS, "cuts": [{"offset": 15}, {"offset": 30}, {"offset": 55}]}
        cls.ids["yardstick"] = cls.client.post("/api/yardsticks", json=body).json()["id"]

    @classmethod
    def tearDownClass(cls) -> None:
        for handle in ("site_sum", "site_rate", "site_low"):
            cls.drop("kpis", cls.ids[handle])
        cls.drop("yardsticks", cls.ids["yardstick"])
        cls.drop("datasets", cls.ids["dataset"])

    @classmethod
    def drop(cls, kind: str, key: str) -> None:
        tag = cls.client.get(f"/api/{kind}/{key}").headers["etag"]
        cls.client.delete(f"/api/{kind}/{key}", headers={"If-Match": tag}).raise_for_status()

    def slots(self, **slots: Any) -> dict[str, Any]:
        kpi = self.ids[slots.pop("kpi", "site_sum")]
        made = {"id": "i", "kpi": kpi, "yardstick": self.ids["yardstick"], "marks": [], "face": "ledger"}
        return made | slots

    def draw(self, period: str = "2026-08", members: Any = None, **slots: Any) -> Any:
        body = {"title": "t", "sections": [{"id": "s", "title": "S", "instruments": [self.slots(**slots)]}]}
        ask = {"body": body, "scope": {"period": period, "members": members or {}}}
        answer = self.client.post("/api/scorecards/read", json=ask)
        self.assertEqual(answer.status_code, 200, answer.text)
        self.card = answer.json()
        return self.card["instruments"][0]

    def made(self, kind: str, body: dict[str, Any]) -> str:
        answer = self.client.post(f"/api/{kind}", json=body)
        self.assertEqual(answer.status_code, 201, answer.text)
        key = str(answer.json()["id"])
        self.addCleanup(self.drop, kind, key)
        return key


class Repeated(Instruments):
    def test_over_members_on_one_axis(self) -> None:
        found = self.draw(by="site", face="dial", order="value")
        self.assertEqual([r["label"] for r in found["readings"]], ["East", "South", "North", "West"])
        self.assertTrue(all(r["axis"] is None and r["cuts"] for r in found["readings"]))

    def test_over_the_last_periods(self) -> None:
        found = self.draw(last=2, face="column")
        self.assertEqual([(r["role"], r["label"], r["value"]) for r in found["readings"]],
            [("period", "Jul 2026", 159.0), ("period", "Aug 2026", 165.0)])  # fmt: skip
        self.assertEqual(found["readings"][0]["ask"]["period"], "2026-07")
        self.assertEqual(self.card["tally"], [], "earlier periods are not counted again")

    def test_the_first_two_and_the_rest_as_one(self) -> None:
        found = self.draw(by="site", first=2, order="value", face="ranked", kpi="site_rate")
        self.assertEqual([r["label"] for r in found["readings"]], ["East", "West", "2 others"])
        rest = found["readings"][-1]
        self.assertAlmostEqual(rest["value"], 100 / 30, msg="recomputed from totals, not averaged")
        self.assertEqual(rest["ask"]["members"], {"site": ["North", "South"]})
        self.assertEqual(sum(part["count"] for part in self.card["tally"]), 4)  # the others one by one

    def test_by_state_the_worst_first(self) -> None:
        found = self.draw(by="site", order="state")
        self.assertEqual([r["state"] for r in found["readings"]], ["short", "met", "beyond", "beyond"])

    def test_several_kpis_each_on_its_own_axis(self) -> None:
        further = [{"kpi": self.ids["site_rate"]}, {"kpi": self.ids["site_low"], "yardstick": self.ids["yardstick"]}]
        found = self.draw(further=further, face="profile")
        self.assertEqual([r["label"] for r in found["readings"]], ["Site sum", "Site rate", "Site low"])
        self.assertEqual([r["role"] for r in found["readings"]], ["kpi"] * 3)
        self.assertTrue(all(r["axis"] for r in found["readings"]))
        self.assertEqual(found["readings"][1]["status"], "not_graded")

    def test_a_deleted_further_kpi_says_so_alone(self) -> None:
        found = self.draw(further=[{"kpi": "gone"}])
        self.assertEqual(found["readings"][0]["value"], 165.0)
        self.assertIn("deleted", found["readings"][1]["reason"])


class Ledgers(Instruments):
    COLUMNS = {"ledger": {"columns": ["value", "strokes", "headroom", "trail", "state"], "group": "crew"}}

    def test_groups_are_recomputed_and_hold_their_rows(self) -> None:
        found = self.draw(by="site", look=self.COLUMNS, kpi="site_rate", order="name")
        rows = [(r["role"], r["label"], round(r["value"], 4)) for r in found["readings"]]
        self.assertEqual(rows[0], ("group", "a", round(95 / 17, 4)))
        self.assertEqual([row[1] for row in rows], ["a", "East", "North", "South", "West", "b", "North", "South"])
        self.assertEqual(len({r["key"] for r in found["readings"]}), 8)
        self.assertEqual(found["readings"][2]["ask"]["members"], {"crew": ["a"]})

    def test_strokes_round_up_and_histories_end_with_the_period(self) -> None:
        found = self.draw(by="site", look={"ledger": {"columns": ["strokes", "trail"], "stroke": 25}}, order="name")
        self.assertEqual([r["strokes"] for r in found["readings"]], [3, 2, 3, 1])
        self.assertEqual([m["short"] for m in found["readings"][0]["trail"]], ["Jun 2026", "Jul 2026", "Aug 2026"])
        self.assertEqual(found["stroke"], "25")

    def take(self, kind: str, **slots: Any) -> bytes:
        ask = {"instrument": self.slots(**slots), "scope": {"period": "2026-08"}}
        answer = self.client.post(f"/api/scorecards/ledger?kind={kind}", json=ask)
        self.assertEqual(answer.status_code, 200, answer.text)
        self.assertIn("attachment", answer.headers["content-disposition"])
        return bytes(answer.content)

    def test_taken_out_as_csv_figures_are_numbers(self) -> None:
        columns = {"ledger": {"columns": ["value", "strokes", "state"]}}
        body = self.take("csv", by="site", look=columns, order="name", title="=HYPERLINK(1)")
        rows = list(csv.reader(io.StringIO(body.decode("utf-8-sig"))))
        self.assertEqual(rows[0], ["'=HYPERLINK(1)", "Value", "Tally", "State", "Unit", "Period"])
        self.assertEqual(rows[1], ["East", "60", "24", "Beyond", "", "August 2026"])

    def test_taken_out_as_xlsx_with_number_types(self) -> None:
        body = self.take("xlsx", by="site", look={"ledger": {"columns": ["value", "state"]}}, order="value")
        sheet = python_calamine.load_workbook(io.BytesIO(body)).get_sheet_by_index(0).to_python()
        self.assertEqual(sheet[1], ["East", 60.0, "Beyond", "", "August 2026"])
        styles = zipfile.ZipFile(io.BytesIO(body)).read("xl/styles.xml").decode()
        self.assertIn('fgColor rgb="FF2F4E9E"', styles, "the state stands in its colour")

    def test_one_that_cannot_be_read_says_why(self) -> None:
        answer = self.client.post("/api/scorecards/ledger", json={"instrument": self.slots(by="harbour")})
        self.assertEqual(answer.status_code, 422)
        self.assertIn("harbour", answer.json()["detail"])


class Ramps(Instruments):
    def test_by_the_value_between_its_own_ends(self) -> None:
        found = self.draw(by="site", order="value", ramp={"colours": "slate"})
        self.assertEqual((found["readings"][0]["shade"], found["readings"][-1]["shade"]), ("#2b4a63", "#e3e1d8"))
        self.assertEqual([a["label"] for a in found["ramp"]["anchors"]], ["5", "60"])

    def test_by_another_kpi(self) -> None:
        found = self.draw(by="site", order="name", ramp={"colours": "slate", "kpi": self.ids["site_low"]})
        shades = {r["label"]: r["shade"] for r in found["readings"]}
        self.assertEqual((shades["South"], shades["West"]), ("#2b4a63", "#e3e1d8"))
        self.assertEqual(found["ramp"]["name"], "Site low")

    def test_a_middle_and_falling_ends(self) -> None:
        found = self.draw(by="site", ramp={"colours": "dusk", "anchor": "midpoint", "middle": 30})
        self.assertEqual([a["label"] for a in found["ramp"]["anchors"]], ["5", "30", "60"])
        falling = self.slots(ramp={"anchor": "ends", "low": 5, "high": 1})
        answer = self.client.post("/api/scorecards/faces", json={"instrument": falling})
        self.assertEqual(answer.status_code, 422)
        self.assertIn("smaller to a larger", answer.text)


class Quadrants(Instruments):
    def quadrant(self, **look: Any) -> Any:
        look = {"across": self.ids["site_low"], "size": self.ids["site_rate"]} | look
        return self.draw(by="site", face="quadrant", look={"quadrant": look})["quadrant"]

    def test_a_gap_to_the_mark_is_told_not_the_value(self) -> None:
        instrument = {
            "id": "q", "kpi": "revenue-per-sailing", "by": "route", "face": "quadrant", "marks": ["target"],
            "look": {"quadrant": {"across": "complaints", "mark": "limit"}},
        }  # fmt: skip
        body = {"title": "t", "sections": [{"id": "s", "instruments": [instrument]}]}
        ask = {"body": body, "scope": {"period": "2026-10"}}
        found = self.client.post("/api/scorecards/read", json=ask).json()["instruments"][0]
        self.assertIn("gap to target", found["quadrant"]["up"]["name"])
        reading = next(r for r in found["readings"] if r["member"] == "Night freight")
        dot = next(d for d in found["quadrant"]["dots"] if d["member"] == "Night freight")
        self.assertIn(f"gap to target {'+' if reading['gap'] > 0 else '−'}£", dot["shown"])
        self.assertNotIn(reading["shown"], dot["shown"].partition(",")[2].partition(",")[0])

    def test_members_lie_in_the_quarter_of_both_cuts(self) -> None:
        found = self.quadrant(cut_up=35, cut_across=5)
        quarters = [sorted(quarter["members"]) for quarter in found["quarters"]]
        self.assertEqual(quarters, [["East"], ["North", "South"], ["West"], []])
        self.assertTrue(found["good_up"] and not found["good_across"], "less is better across")
        self.assertEqual(max(dot["size"] for dot in found["dots"]), 1.0)

    def test_reversed_the_good_side_turns(self) -> None:
        plain, turned = self.quadrant(cut_across=5), self.quadrant(cut_across=5, reverse_across=True)
        self.assertTrue(turned["good_across"])
        for one, other in zip(plain["dots"], turned["dots"], strict=True):
            self.assertAlmostEqual(one["x"], 1 - other["x"])
            self.assertEqual(one["quarter"], other["quarter"])

    def test_without_marks_the_middle_member_cuts(self) -> None:
        self.assertEqual(self.quadrant()["up"]["cut_words"], "cut at the middle member")

    def test_without_a_second_kpi_there_is_none(self) -> None:
        self.assertIsNone(self.draw(by="site", face="quadrant")["quadrant"])


class Histories(Instruments):
    def test_a_history_ends_with_the_period_read(self) -> None:
        found = self.draw(face="history", period="2026-07")["readings"][0]["history"]
        self.assertEqual([p["short"] for p in found["points"]], ["Jun 2026", "Jul 2026"])
        self.assertEqual(len(found["cuts"]), 3)

    def test_a_strip_has_one_cell_a_period_for_each_member(self) -> None:
        found = self.draw(face="strip", by="site", order="name", look={"history": {"periods": 2}})
        self.assertEqual([m["state"] for m in found["readings"][0]["trail"]], ["beyond", "beyond"])
        self.assertTrue(all(len(r["trail"]) == 2 for r in found["readings"]))


class Composites(Instruments):
    def composite(self, **rest: Any) -> dict[str, Any]:
        parts = [
            {"kpi": self.ids["site_sum"], "weight": 3, "yardstick": self.ids["yardstick"]},
            {"kpi": self.ids["site_low"], "weight": 1, "yardstick": self.ids["yardstick"]},
        ]
        body = {"handle": "rolled", "name": "Rolled up", "dataset": self.ids["dataset"], "unit": {"kind": "percent"}}
        return body | {"composite": {"parts": parts} | rest}

    def test_the_mean_of_states_by_weight_for_every_member(self) -> None:
        key = self.made("kpis", self.composite())
        self.ids["rolled"] = key
        found = self.draw(kpi="rolled", by="site", order="name", yardstick=None)
        # East: 60 beyond, 2 short; North: 40 met, 10 short; South: 60 beyond, 20 near; West: 5 and 1 short.
        self.assertEqual([round(r["value"], 4) for r in found["readings"]], [0.75, 0.5, 0.8333, 0])

    def test_workings_list_what_each_part_adds(self) -> None:
        key = self.made("kpis", self.composite())
        instrument = {"id": "i", "kpi": key, "by": "site", "marks": []}
        ask = {"instrument": instrument, "scope": {"period": "2026-08"}, "member": "East"}
        found = self.client.post("/api/scorecards/workings", json=ask).json()
        lines = {line["label"]: line["text"] for line in found["lines"]}
        self.assertEqual(lines["Site sum"], "60, score 100.0% × 3 of 4 = 75.0%")
        self.assertEqual(lines["Reading"], "75.0% + 0.0% = 75%")

    def test_nested_in_another_and_never_in_a_circle(self) -> None:
        inner = self.made("kpis", self.composite())
        outer_body = self.composite() | {"handle": "outer", "name": "Outer"}
        outer_body["composite"] = {"by": "attainment", "parts": [{"kpi": inner}, {"kpi": self.ids["site_sum"]}]}
        outer = self.made("kpis", outer_body)
        circle = self.composite()
        circle["composite"] = {"parts": [{"kpi": outer}]}
        answer = self.client.put(f"/api/kpis/{inner}", json=circle, headers={"If-Match": '"1"'})
        self.assertEqual(answer.status_code, 422)
        self.assertIn("circle", answer.text)
        blocked = self.client.delete(f"/api/kpis/{inner}", headers={"If-Match": '"1"'})
        self.assertEqual((blocked.status_code, "Outer" in blocked.json()["detail"]), (409, True))

    def test_a_formula_cannot_name_one(self) -> None:
        self.made("kpis", self.composite())
        body = {"handle": "odd", "name": "Odd", "dataset": self.ids["dataset"], "formula": "@rolled * 2"}
        answer = self.client.post("/api/kpis", json=body)
        self.assertEqual(answer.status_code, 422)
        self.assertIn("composite", answer.json()["detail"])

    def test_a_part_twice_or_none_is_refused(self) -> None:
        twice = [{"kpi": self.ids["site_sum"]}] * 2
        for parts in ([], twice):
            answer = self.client.post("/api/kpis", json=self.composite(parts=parts))
            self.assertEqual(answer.status_code, 422, answer.text)

    def test_its_page_previews_it(self) -> None:
        found = self.client.post("/api/kpis/preview", json={"body": self.composite()}).json()
        self.assertIn("2 KPIs rolled up by their states", found["reads_as"])
        self.assertEqual(found["warnings"], [])


class ByHand(Instruments):
    def set(self, instrument: dict[str, Any], period: str, **what: Any) -> Any:
        return self.client.post(
            "/api/scorecards/by-hand", json={"instrument": instrument, "scope": {"period": period}} | what
        )

    def test_a_step_of_a_checklist_is_ticked(self) -> None:
        sheet = {"name": "Docking", "day": "2026-08-03", "items": ["One", "Two"], "steps": ["Hull", "Paint"]}
        made = self.client.post(
            "/api/datasets/checklists", json=sheet | {"done": [[True, False], [False, False]]}
        ).json()
        self.addCleanup(self.drop, "datasets", made["id"])
        formula = "count(where done = yes) / count()"
        kpi = {"handle": "docked", "name": "Docked", "dataset": made["id"], "formula": formula, "nature": "stock"}
        instrument = {"id": "i", "kpi": self.made("kpis", kpi), "by": "item", "face": "pips", "marks": []}
        body = {"title": "t", "sections": [{"id": "s", "instruments": [instrument]}]}

        def steps() -> Any:
            ask = {"body": body, "scope": {"period": "2026-08"}}
            drawn = self.client.post("/api/scorecards/read", json=ask).json()["instruments"][0]
            self.assertEqual(drawn["by_hand"], "steps")
            return {r["member"]: [(s["name"], s["done"]) for s in r["steps"]] for r in drawn["readings"]}

        self.assertEqual(steps()["One"], [("Hull", 1.0), ("Paint", 0.0)])
        answer = self.set(instrument, "2026-08", member="One", step="Paint", done=True)
        self.assertEqual(answer.status_code, 200, answer.text)
        self.assertEqual(steps(), {"One": [("Hull", 1.0), ("Paint", 1.0)], "Two": [("Hull", 0.0), ("Paint", 0.0)]})
        self.assertEqual(self.set(instrument, "2026-08", member="One", step="Keel", done=True).status_code, 404)

    def test_a_score_kept_by_hand_is_set_where_it_is_one_cell(self) -> None:
        sheet = {"name": "Scores", "labels": ["day", "pier", "score"],
            "rows": [["2026-08-01", "East", "2"], ["2026-08-01", "West", "1"], ["2026-07-01", "East", "3"]]}  # fmt: skip
        made = self.client.post("/api/datasets/typed", json=sheet).json()
        self.addCleanup(self.drop, "datasets", made["id"])
        kpi = {"handle": "pier_score", "name": "Pier score", "dataset": made["id"], "formula": "mean(score)"}
        instrument = {"id": "i", "kpi": self.made("kpis", kpi), "by": "pier", "face": "pips", "marks": []}
        self.assertEqual(self.set(instrument, "2026-08", member="West", value=3).status_code, 200)
        rows = self.client.get(f"/api/datasets/{made['id']}/sheet").json()["rows"]
        self.assertEqual([row[2] for row in rows], ["2", "3", "3"])
        together = instrument | {"by": None}
        many = self.set(together, "2026-08", value=1)
        self.assertEqual((many.status_code, "2 rows" in many.json()["detail"]), (409, True))
        none = self.set(instrument, "2026-07", member="West", value=1)
        self.assertIn("no row", none.json()["detail"])

    def test_what_is_computed_from_a_file_is_not(self) -> None:
        answer = self.set(self.slots(), "2026-08", value=4)
        self.assertEqual((answer.status_code, answer.json()["type"]), (422, "not-by-hand"))


class Palettes(Instruments):
    STATES = [
        {"key": "ebb", "name": "Ebb", "sign": "far-under", "colour": "#8a2f5d"},
        {"key": "flow", "name": "<b>Flow</b>", "sign": "far-over", "colour": "#1f6f8b"},
    ]

    def test_an_own_palette_grades_tallies_and_stays_while_it_is_used(self) -> None:
        palette = self.made("palettes", {"name": "Ours", "states": self.STATES})
        bands = [f"{palette}-ebb", f"{palette}-flow"]
        yardstick = self.made("yardsticks", {"name": "By ours", "bands": bands, "cuts": [{"offset": 35}]})
        found = self.draw(by="site", order="name", yardstick=yardstick)
        self.assertEqual([r["state"] for r in found["readings"]], [bands[1], bands[1], bands[1], bands[0]])
        self.assertEqual([(p["name"], p["count"]) for p in self.card["tally"]], [("Ebb", 1), ("<b>Flow</b>", 3)])
        tag = {"If-Match": '"1"'}
        for answer in (
            self.client.delete(f"/api/palettes/{palette}", headers=tag),
            self.client.put(f"/api/palettes/{palette}", headers=tag, json={"name": "Ours", "states": [
                self.STATES[0], self.STATES[1] | {"key": "other"}]}),
        ):  # fmt: skip
            self.assertEqual((answer.status_code, "By ours" in answer.json()["detail"]), (409, True))

    def test_the_states_of_every_palette_are_listed_with_their_looks(self) -> None:
        listed = {palette["key"]: palette for palette in self.client.get("/api/states").json()}
        self.assertGreaterEqual(len(listed), 4)
        self.assertEqual([state["name"] for state in listed["standard"]["states"]], ["Short", "Near", "Met", "Beyond"])
        self.assertEqual(
            {view["vision"] for view in listed["tide"]["seen"]}, {"full", "protan", "deutan", "tritan", "grey"}
        )

    def test_a_check_names_the_pair_that_looks_alike(self) -> None:
        states = [self.STATES[0], self.STATES[1] | {"colour": "#8a3060"}]
        found = self.client.post("/api/palettes/check", json={"name": "x", "states": states}).json()
        self.assertIn("Ebb and <b>Flow</b> look alike to everybody", found["doubts"][0]["words"])

    def test_two_of_a_name_sign_or_key_are_refused(self) -> None:
        for same in ("key", "name", "sign"):
            states = [self.STATES[0], self.STATES[1] | {same: self.STATES[0][same]}]
            answer = self.client.post("/api/palettes", json={"name": "x", "states": states})
            self.assertEqual((answer.status_code, f"same {same}" in answer.text), (422, True))

    def test_unknown_or_mixed_states_are_refused(self) -> None:
        for bands, told in ((["gone-a", "gone-b"], "no state"), (["short", "tide-flood"], "two palettes")):
            answer = self.client.post("/api/yardsticks", json={"name": "x", "bands": bands, "cuts": [{"offset": 1}]})
            self.assertEqual((answer.status_code, told in answer.text), (422, True), answer.text)


class Shared(Instruments):
    def test_what_a_change_does_to_every_instrument(self) -> None:
        section = {"id": "s", "instruments": [self.slots(by="site", id="one"), self.slots(kpi="site_low", id="two")]}
        card = self.made("scorecards", {"title": "Shared", "scope": {"period": "2026-08"}, "sections": [section]})
        key = self.ids["yardstick"]
        before = self.client.get(f"/api/yardsticks/{key}").json()["body"]
        after = before | {"cuts": [{"offset": 2}, {"offset": 30}, {"offset": 70}]}
        found = self.client.post(f"/api/yardsticks/{key}/impact", json={"before": before, "after": after}).json()
        mine = [one for one in found if one["scorecard"] == card]
        moved = {change["label"]: (change["before"], change["after"]) for change in mine[0]["changes"]}
        self.assertEqual(moved, {"West": ("short", "near"), "East": ("beyond", "met"), "South": ("beyond", "met")})
        self.assertEqual(mine[1]["changes"], [])
        self.assertEqual(self.client.get(f"/api/yardsticks/{key}").json()["body"], before, "nothing is kept")

    def test_the_back_test_lists_earlier_readings_too(self) -> None:
        key = self.ids["yardstick"]
        body = self.client.get(f"/api/yardsticks/{key}").json()["body"]
        tried = body | {"cuts": [{"offset": 15}, {"offset": 30}, {"offset": 59}]}
        ask = {"body": tried, "saved": key, "kpi": self.ids["site_sum"], "by": "site", "scope": {"period": "2026-08"}}
        found = self.client.post("/api/yardsticks/strip", json=ask).json()
        self.assertEqual(found["changes"], [])
        labels = [change["label"] for change in found["past_changes"]]
        self.assertEqual((found["past_count"], labels), (3, ["South Jul 2026", "East Jun 2026", "South Jun 2026"]))

    def test_bands_around_last_year_s_level(self) -> None:
        ask = {"kpi": self.ids["site_sum"], "over": "last year"}
        found = self.client.post("/api/yardsticks/deal", json=ask).json()
        level = (153 + 159 + 165) / 3
        self.assertEqual([cut["offset"] for cut in found["cuts"]], [level * f for f in (0.9, 1.0, 1.1)])

    def test_a_mark_is_tried_and_not_kept(self) -> None:
        tried = {"kpi": self.ids["site_sum"], "name": "target", "whose": "together", "since": "2026-08", "value": 150}
        body = {"title": "t", "sections": [{"id": "s", "instruments": [self.slots(marks=["target"])]}]}
        ask = {"body": body, "scope": {"period": "2026-08"}, "marks": [tried]}
        found = self.client.post("/api/scorecards/read", json=ask).json()["instruments"][0]["readings"][0]
        self.assertEqual((found["marks"][0]["value"], found["gap"]), (150, 15))
        again = self.client.post("/api/scorecards/read", json=ask | {"marks": []}).json()
        self.assertEqual(again["instruments"][0]["readings"][0]["marks"], [])
        wrong = self.client.post("/api/scorecards/read", json=ask | {"marks": [tried | {"since": "soon"}]})
        self.assertEqual(wrong.status_code, 422)


class Specimens(Instruments):
    def test_every_face_in_every_condition(self) -> None:
        conditions = [condition["key"] for condition in self.client.get("/api/specimens").json()]
        self.assertGreaterEqual(len(conditions), 14)
        for key in conditions:
            found = self.client.get(f"/api/specimens/{key}").json()
            self.assertEqual(len(found), 16)
            for specimen in found:
                with self.subTest(key, face=specimen["instrument"]["face"]):
                    self.assertIsNone(specimen["picture"]["problem"])
                    self.assertTrue(specimen["picture"]["readings"])
                    for reading in specimen["picture"]["readings"]:
                        self.assertTrue(0 <= reading["fraction"] <= 1)
        self.assertEqual(self.client.get("/api/specimens/none").status_code, 404)
