"""What a newcomer's hands met, over tables of another trade: guesses, guards and nearest names."""

import unittest
from typing import Any

from tests import apiary
from tests.apiary import STANDS

# Two towns that lend tools; what one hands out is a hundredth of what both do.
TOWNS = ("Köln-Süd", "Łódź", "Ærøskøbing")


class Newcomer(unittest.TestCase):
    def setUp(self) -> None:
        self.at = apiary.apiary()

    def dataset(self, head: str, rows: list[str], name: str = "Verleih") -> str:
        made = self.at.ok(
            "post", "/api/datasets", files={"file": (f"{name}.csv", "\n".join([head, *rows, ""]).encode())}
        )
        self.addCleanup(self.drop, f"/api/datasets/{made['id']}")
        return str(made["id"])

    def lent(self) -> str:
        rows = [
            f"2026-{month:02d}-0{day},{town},{1 + 99 * n},{3 + n},{day % 2},{12.5 * month}"
            for month in range(1, 11) for day in range(1, 8) for n, town in enumerate(TOWNS)
        ]  # fmt: skip
        return self.dataset("Tag,Stadt,Ausleihen,Tage,Zu spät,Gebühr €", rows)

    def drop(self, path: str) -> None:
        held = self.at.client.get(path)
        if held.status_code == 200:
            self.at.ok("delete", path, headers={"If-Match": held.headers["etag"]})

    def kpi(self, dataset: str, formula: str, **more: Any) -> str:
        handle = f"probe_{abs(hash((dataset, formula)))}"
        made = self.at.ok("post", "/api/kpis", json={"handle": handle, "name": handle, "dataset": dataset, "formula": formula, **more})  # fmt: skip
        self.addCleanup(self.drop, f"/api/kpis/{made['id']}")
        return str(made["id"])

    def preview(self, dataset: str, formula: str) -> Any:
        body = {"handle": "p", "name": "P", "dataset": dataset, "formula": formula}
        return self.at.ok("post", "/api/kpis/preview", json={"body": body, "grain": "month", "period": "complete"})

    def test_a_mark_is_held_against_whose_it_is_and_one_range_is_told(self) -> None:
        key = self.kpi(self.lent(), "sum(ausleihen)", nature="flow")
        each = {"name": "target", "whose": "each", "of": {"stadt": ""}, "since": "2026-03"}
        together = {"name": "target", "whose": "together", "of": {}, "since": "2026-03"}
        for mark, value, doubtful in ((each, 8, False), (each, 200_000, True), (together, 8, True), (together, 2000, False)):  # fmt: skip
            with self.subTest(mark=mark["whose"], value=value):
                read = self.at.ok("post", "/api/kpis/understand", json={"text": str(value), "kpi": key, "mark": mark})
                kept = self.at.client.post(
                    f"/api/kpis/{key}/marks",
                    json={"changes": [mark | {"value": value}]},
                    headers=self.at.tag(f"/api/kpis/{key}/marks"),
                )
                self.assertEqual(bool(read["doubt"]), doubtful, read)
                self.assertEqual(kept.status_code, 422 if doubtful else 200, kept.text)
                if doubtful:
                    self.assertIn(read["doubt"], kept.json()["detail"], "one and the same range is told")

    def test_units_are_proposed_from_counts_and_euros(self) -> None:
        key = self.lent()
        fees = self.kpi(key, "sum(gebühr)", nature="flow", unit={"kind": "currency", "decimals": 0, "currency": "EUR"})
        handle = self.at.ok("get", f"/api/kpis/{fees}")["body"]["handle"]
        for formula, kind in (
            ("count(where zu_spät = 1) / count()", "percent"), ("1 - count(where zu_spät = 1) / count()", "percent"),
            ("sum(gebühr)", "currency"), ("sum(gebühr) / sum(ausleihen)", "currency"), (f"@{handle} / sum(tage)", "currency"),
            (f"@{handle} - sum(gebühr) * 0.2", "currency"),
        ):  # fmt: skip
            unit = self.preview(key, formula)["unit"]
            self.assertEqual((unit or {}).get("kind"), kind, formula)

    def test_headings_in_any_alphabet_give_names_that_formulas_can_use(self) -> None:
        rows = [
            f"2026-{month:02d}-0{day},{town},{day + n},{2 * day + month},{3 * day + 1}"
            for month in range(1, 11) for day in range(1, 8) for n, town in enumerate(TOWNS)
        ]  # fmt: skip
        for head, measures in (
            ("日付,店,売上,返品,客", 3),
            ("День,Город,Выдано,Опоздания,Дни", 3),
            ("Tag,Ort,Säcke,Sacke,Sæcke", 3),
        ):
            with self.subTest(head=head):
                key = self.dataset(head, rows, head[:2])
                ask = {"dataset": key}
                first = self.at.ok("post", "/api/from-rows", json=ask)
                handles = [
                    kpi["handle"] for kpi in (*first["kpis"], *first["waiting"]) if kpi["formula"].startswith("sum(")
                ]
                self.assertEqual(len({*handles}), measures, handles)
                self.assertFalse([handle for handle in handles if handle.startswith("value_of") or "__" in handle])
                drafted = self.at.ok("post", "/api/from-rows", json=ask | {"taken": handles})
                ids = [sheet["id"] for sheet in drafted["sheets"]]
                self.assertEqual(len(ids), len({*ids}))
                made = self.at.ok("post", "/api/from-rows/make", json=ask | {"taken": handles, "title": head[:2]})
                self.addCleanup(self.taken_back, made["id"])
                page = self.at.ok("get", f"/api/scorecards/{made['id']}/page")
                self.assertEqual([one["problem"] for one in page["instruments"] if one.get("problem")], [])

    def taken_back(self, card: str) -> None:
        self.at.ok("post", "/api/from-rows/back", json={"scorecard": card})

    def test_from_rows_keeps_euros_and_makes_nothing_twice(self) -> None:
        key = self.lent()
        there = self.kpi(key, "sum(gebühr)", nature="flow", unit={"kind": "currency", "decimals": 0, "currency": "EUR"})
        mark = {"name": "target", "whose": "together", "of": {}, "since": "2026-01", "value": 250}
        self.at.ok("post", f"/api/kpis/{there}/marks", json={"changes": [mark], "sure": True}, headers=self.at.tag(f"/api/kpis/{there}/marks"))  # fmt: skip
        before = {kind: {d["id"] for d in self.at.ok("get", f"/api/{kind}")} for kind in ("kpis", "yardsticks", "scorecards")}  # fmt: skip
        proposed = self.at.ok("post", "/api/from-rows", json={"dataset": key})
        reasons = {kpi["name"]: kpi["reason"] for kpi in proposed["kpis"]}
        name = self.at.ok("get", f"/api/kpis/{there}")["body"]["name"]
        self.assertIn("there already", reasons[name])
        for _ in range(2):
            made = self.at.ok("post", "/api/from-rows/make", json={"dataset": key, "title": "Verleih"})
        for kind in ("kpis", "yardsticks", "scorecards"):  # taken away the other way round
            for document in self.at.ok("get", f"/api/{kind}"):
                if document["id"] not in before[kind]:
                    self.addCleanup(self.drop, f"/api/{kind}/{document['id']}")
        bodies = [d["body"] for d in self.at.ok("get", "/api/kpis") if d["body"]["dataset"] == key]
        formulas = [body["formula"] for body in bodies]
        self.assertEqual(len(formulas), len(set(formulas)), formulas)
        self.assertTrue(all(b["unit"]["kind"] == "currency" for b in bodies if "gebühr" in b["formula"]), bodies)
        page = self.at.ok("get", f"/api/scorecards/{made['id']}/page")
        shown = [i for i in page["instruments"] if i["title"] == name]
        self.assertTrue(shown and shown[0]["readings"][0]["marks"][0]["value"] == 250, "its own mark is kept")

    def test_a_period_that_is_none_any_more_leaves_nothing_behind(self) -> None:
        key = self.dataset("Tag,Menge", ["2026-01-05,1", ",2", "2026-04-06,3", "2026-09-07,4"])
        path = f"/api/datasets/{key}"
        self.at.change("patch", path, {"name": "V", "columns": [], "through": "2026-09-30"})
        before = self.at.ok("get", path)
        self.assertTrue(before["problems"])
        as_text = {"name": "V", "columns": [{"name": "tag", "label": "Tag", "role": "text"}]}
        told = self.at.change("patch", path, as_text)
        self.assertEqual((told["through"], told["fixed_through"], told["problems"]), (None, False, []))
        again = self.at.change("patch", path, {"name": "V", "columns": [{"name": "tag", "label": "Tag", "role": "period"}]})  # fmt: skip
        self.assertEqual((again["through"], again["problems"]), ("2026-09-07", before["problems"]))

    def test_what_another_face_reads_otherwise_is_told(self) -> None:
        kpis = self.at.keys["kpis"]
        instrument = {"id": "x", "kpi": kpis[0], "face": "history", "last": 6, "further": [{"kpi": kpis[3]}]}
        offers = self.at.ok("post", "/api/scorecards/faces", json={"instrument": instrument, "scope": {}})
        says = {offer["instrument"]["face"]: offer["says"] for offer in offers}
        self.assertTrue([face for face, said in says.items() if "draws one KPI: Kosten is left out" in said], says)
        instrument = {"id": "x", "kpi": kpis[0], "face": "bar", "last": 6}
        offers = self.at.ok("post", "/api/scorecards/faces", json={"instrument": instrument, "scope": {}})
        self.assertTrue([o for o in offers if "reads each stand now, not the last 6 periods" in o["says"]])

    def test_mistakes_in_formulas_get_the_nearest_name(self) -> None:
        key = self.lent()
        for formula, told in (
            ("avg(tage)", "did you mean mean?"), ("average(tage)", "did you mean mean?"), ("meen(tage)", "did you mean mean?"),
            ("sum(gebuhr)", "did you mean gebühr?"), ("sum(tag_e)", "did you mean tage?"),
        ):  # fmt: skip
            self.assertIn(told, self.preview(key, formula)["problem"]["message"], formula)
        found = self.preview(key, 'count(where stadt = "Koln-Sud")')
        self.assertIn("did you mean “Köln-Süd”?", found["warnings"][0]["message"])
        found = self.preview(key, 'count(where stadt in ("Lodz", "Łódź"))')
        self.assertIn("did you mean “Łódź”?", found["warnings"][0]["message"])
        for formula in ("sum(tage) / 0", "sum(tage) / (2 - 2)"):
            self.assertIn("divides by zero", self.preview(key, formula)["warnings"][0]["message"], formula)
        path = f"/api/datasets/{key}/derived/try"
        for formula, told in (("", "as in ausleihen * 2"), ("sum(tage)", "as in ausleihen * 2"), ("avg(tage)", "did you mean mean?")):  # fmt: skip
            refused = self.at.client.post(path, json={"label": "N", "formula": formula})
            self.assertEqual(refused.status_code, 422)
            self.assertIn(told, refused.text, formula)

    def test_a_member_is_found_without_its_accents(self) -> None:
        card = self.at.keys["scorecards"][0]
        refused = self.at.client.get(f"/api/scorecards/{card}/page", params={"stand": "Sud & Sohne"})
        self.assertIn(STANDS[0], refused.json()["detail"])
