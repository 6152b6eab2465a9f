"""Editions: frozen, published, withdrawn, and beside what holds now, each difference with its cause."""

import calendar
import itertools
import re
import time
import unittest
from typing import Any

from tests import world

NAMES = itertools.count()
BANDS = {"bands": ["short", "near", "met", "beyond"]}


def rows(fog: float = 0.0, months: tuple[int, ...] = (8, 9, 10)) -> str:
    """Crossings by quay: the fares of 9 to 12 October are lower by ``fog``."""
    lines = []
    for month in months:
        for day in range(1, calendar.monthrange(2026, month)[1] + 1):
            for quay, fare in (("Alder", 100.0), ("Birch", 60.0)):
                lower = fog if month == 10 and 9 <= day <= 12 else 0.0
                lines.append(f"2026-{month:02d}-{day:02d},{quay},{fare + day + month - lower},{2 + day % 3}")
    return "day,quay,fare,trips\n" + "\n".join(lines) + "\n"


class Publishing(unittest.TestCase):
    """Every test makes rows, KPIs, a yardstick, a palette and a scorecard of its own, and leaves them behind."""

    @classmethod
    def setUpClass(cls) -> None:
        cls.client = world.running().client

    def setUp(self) -> None:
        self.n = next(NAMES)
        self.dataset = self.send("post", "/api/datasets", files={"file": (f"crossings{self.n}.csv", rows())})["id"]
        self.palette = self.send("post", "/api/palettes", json={
            "name": f"Tide {self.n}",
            "states": [{"key": k, "name": k.capitalize(), "sign": s, "colour": c} for k, s, c in (
                ("low", "far-under", "#b03a48"), ("fair", "just-over", "#2a7f78"), ("high", "far-over", "#2f4e9e"))],
        })["id"]  # fmt: skip
        states = [f"{self.palette}-{word}" for word in ("low", "fair", "high")]
        self.yardstick = self.send("post", "/api/yardsticks", json={
            "name": f"Income {self.n}", "bands": states,
            "cuts": [{"mark": "target", "factor": 0.9}, {"mark": "target", "factor": 1.1}],
        })["id"]  # fmt: skip
        self.kpi = self.make_kpi("Fares", "sum(fare)", "flow")
        self.mean = self.make_kpi("Fare a trip", "sum(fare) / sum(trips)", "rate")
        for kpi, each in ((self.kpi, 2500.0), (self.mean, 30.0)):
            self.mark(kpi, "target", each, {"whose": "each", "of": {"quay": ""}} if kpi == self.kpi else {})
        body = {"title": f"Crossings {self.n}", "scope": {"period": "2026-10"}, "sections": [
            {"id": "a", "title": "Income", "instruments": [
                self.instrument("all", self.kpi, face="dial", w=3),
                self.instrument("quays", self.kpi, face="ledger", by="quay", w=6, x=3),
                self.instrument("mean", self.mean, face="figure", w=3, x=9)]},
            {"id": "b", "title": "In words", "texts": [{"id": "t", "text": f"Fares were {{fares_{self.n}}}.", "w": 6}]},
        ]}  # fmt: skip
        self.card = self.send("post", "/api/scorecards", json=body)["id"]

    def send(self, method: str, path: str, status: int | None = None, **options: Any) -> Any:
        answer = self.client.request(method.upper(), path, **options)
        if status is None:
            self.assertLess(answer.status_code, 300, answer.text)
        else:
            self.assertEqual(answer.status_code, status, answer.text)
        return answer.json() if answer.content else None

    def make_kpi(self, name: str, formula: str, nature: str) -> str:
        handle = f"{name.lower().replace(' ', '_')}_{self.n}"
        body = {"name": f"{name} {self.n}", "handle": handle, "dataset": self.dataset, "formula": formula, "nature": nature}  # fmt: skip
        return str(self.send("post", "/api/kpis", json=body)["id"])

    def instrument(self, key: str, kpi: str, **slots: Any) -> dict[str, Any]:
        return {"id": key, "kpi": kpi, "yardstick": self.yardstick, **slots}

    def mark(self, kpi: str, name: str, value: float | None, whose: dict[str, Any]) -> None:
        found = self.client.get(f"/api/kpis/{kpi}/marks")
        change = {"name": name, "since": "2026-01", "value": value, **whose}
        with world.called(self.client, "Keeper Osk"):
            answer = self.client.post(
                f"/api/kpis/{kpi}/marks", json={"changes": [change], "sure": True},
                headers={"If-Match": found.headers["etag"]},
            )  # fmt: skip
        self.assertEqual(answer.status_code, 200, answer.text)

    def change(self, kind: str, key: str, **slots: Any) -> None:
        found = self.client.get(f"/api/{kind}/{key}")
        with world.called(self.client, "Analyst Vey"):
            self.send(
                "put",
                f"/api/{kind}/{key}",
                json=found.json()["body"] | slots,
                headers={"If-Match": found.headers["etag"]},
            )

    def replace_rows(self, text: str) -> None:
        tag = self.client.get(f"/api/datasets/{self.dataset}").headers["etag"]
        self.send(
            "post", f"/api/datasets/{self.dataset}/rows?how=replace", files={"file": ("again.csv", text)},
            headers={"If-Match": tag},
        )  # fmt: skip

    def edition(self, **slots: Any) -> str:
        return str(self.send("post", "/api/editions", json={"scorecard": self.card, **slots})["id"])

    def compared(self, key: str, beside: str = "now") -> Any:
        return self.send("get", f"/api/editions/{key}/compare?with={beside}")

    def causes(self, key: str) -> dict[str, list[str]]:
        """The causes of each reading that differs now, by its name."""
        found = self.compared(key)["differences"]
        return {f"{d['kpi']}/{d['name']}": sorted({b["cause"] for b in d["because"]}) for d in found}

    def everything(self, key: str) -> list[bytes]:
        """Whatever an edition says: its picture, its page, and the workings of each of its readings."""
        whole = self.client.get(f"/api/editions/{key}")
        page = self.client.get(f"/api/editions/{key}?data=true")
        found = [whole.content, page.content]
        for sheet, readings in whole.json()["explained"].items():
            for reading in readings:
                asked = {"sheet": sheet, "reading": reading}
                answer = self.client.get(f"/api/editions/{key}/workings", params=asked)
                self.assertEqual(answer.status_code, 200, answer.text)
                found.append(answer.content)
        for kind in ("json", "html", "csv"):
            answer = self.client.get(f"/api/editions/{key}/export/{kind}")
            self.assertEqual(answer.status_code, 200, answer.text)
            found.append(answer.content)
        return found

    def test_it_is_drafted_published_and_withdrawn(self) -> None:
        made = self.send("post", "/api/editions", 201, json={"scorecard": self.card, "note": "In fog."})
        self.assertEqual((made["number"], made["state"], made["period"]), ("1", "draft", "2026-10"))
        key, tag = made["id"], {"If-Match": f'"{made["version"]}"'}
        changed = self.send(
            "put", f"/api/editions/{key}", json={"title": "October", "note": "In less fog."}, headers=tag
        )
        self.send("put", f"/api/editions/{key}", 412, json={"title": "Lost"}, headers=tag)
        self.assertEqual(changed["title"], "October")
        self.send("post", f"/api/editions/{key}/withdraw", 409, json={"why": "too early"})
        with world.called(self.client, "Vey"):
            published = self.send("post", f"/api/editions/{key}/publish")
        self.assertEqual((published["state"], published["published_by"]), ("published", "Vey"))
        tag = {"If-Match": f'"{published["version"]}"'}
        self.send("put", f"/api/editions/{key}", 409, json={"title": "Other"}, headers=tag)
        self.send("delete", f"/api/editions/{key}", 409, headers=tag)
        self.send("post", f"/api/editions/{key}/publish", 409)
        self.send("post", f"/api/editions/{key}/withdraw", 422, json={"why": ""})
        gone = self.send("post", f"/api/editions/{key}/withdraw", json={"why": "the wrong fares"})
        self.assertEqual((gone["state"], gone["why"]), ("withdrawn", "the wrong fares"))
        self.send("post", f"/api/editions/{key}/publish", 409)
        self.assertEqual(self.client.get(f"/api/editions/{key}").json()["edition"]["state"], "withdrawn")

    def test_numbers_go_on_and_restatements_take_a_letter(self) -> None:
        first = self.edition()
        numbers = [self.send("get", f"/api/editions/{self.edition()}")["edition"]["number"]]
        for _ in range(2):
            again = self.edition(restates=first)
            numbers.append(self.send("get", f"/api/editions/{again}")["edition"]["number"])
        self.assertEqual(numbers, ["2", "1a", "1b"])
        listed = self.send("get", f"/api/editions?scorecard={self.card}")
        self.assertEqual(len(listed), 4)
        draft = self.client.get(f"/api/editions/{first}")
        self.send("delete", f"/api/editions/{first}", 204, headers={"If-Match": draft.headers["etag"]})
        self.assertEqual(len(self.send("get", f"/api/editions?scorecard={self.card}")), 3)
        self.send("post", "/api/editions", 404, json={"scorecard": "nowhere"})
        self.send("post", "/api/editions", 404, json={"scorecard": self.card, "restates": "nowhere"})

    def test_nothing_that_changes_later_changes_it(self) -> None:
        key = self.edition()
        self.send("post", f"/api/editions/{key}/publish")
        before = self.everything(key)
        self.assertIn(b"Fares were", before[0])
        self.replace_rows(rows(fog=40))
        self.mark(self.kpi, "target", 9000.0, {"whose": "each", "of": {"quay": ""}})
        self.change("yardsticks", self.yardstick, cuts=[{"mark": "target", "factor": 0.5}, {"mark": "target", "factor": 0.6}])  # fmt: skip
        states = [{"key": k, "name": f"Now {k}", "sign": s, "colour": c} for k, s, c in (("low", "deep-under", "#404040"), ("fair", "on", "#808080"), ("high", "deep-over", "#a0a0a0"))]  # fmt: skip
        self.change("palettes", self.palette, states=states)
        self.change("kpis", self.kpi, formula="sum(fare) * 2", name="Takings")
        self.change("scorecards", self.card, title="Another", sections=[])
        tag = self.client.get("/api/calendar").headers["etag"]
        ways = self.client.get("/api/calendar").json()
        self.send("put", "/api/calendar", json={"year_start": ways["year_start"], "locale": "de_DE"}, headers={"If-Match": tag})  # fmt: skip
        for kind, one in (
            ("scorecards", self.card),
            ("kpis", self.mean),
            ("kpis", self.kpi),
            ("datasets", self.dataset),
        ):
            tag = self.client.get(f"/api/{kind}/{one}").headers["etag"]
            self.send("delete", f"/api/{kind}/{one}", headers={"If-Match": tag})
        try:
            self.assertEqual(self.without_count(self.everything(key)), self.without_count(before))
            found = self.compared(key)
            self.assertEqual({d["kind"] for d in found["differences"]}, {"went"})
        finally:
            tag = self.client.get("/api/calendar").headers["etag"]
            body = {"year_start": ways["year_start"], "locale": ways["locale"]}
            self.send("put", "/api/calendar", json=body, headers={"If-Match": tag})

    def without_count(self, said: list[bytes]) -> list[bytes]:
        """What is said of an edition, without how much of it was restated since."""
        return [re.sub(rb'"restated":(null|\d+)', b"", one) for one in said]

    def test_rows_restated_are_told_by_their_days_and_versions(self) -> None:
        key = self.edition()
        self.assertEqual(self.compared(key)["differences"], [])
        self.replace_rows(rows(fog=40))
        found = self.compared(key)
        self.assertEqual((found["counted"], found["restated"], found["same"]), (4, 4, 0))
        said = found["differences"][0]["because"][0]
        self.assertEqual(said["cause"], "rows")
        self.assertRegex(said["text"], r"^rows of 9–12 October 2026 replaced \(.*, version 1 → 2\)$")
        self.assertTrue(said["at"])
        # Rows of another month that came with them are not told of October.
        self.replace_rows(rows(fog=40, months=(7, 8, 9, 10)))
        said = self.compared(key)["differences"][0]["because"][0]
        self.assertRegex(said["text"], r"^rows of 9–12 October 2026 replaced \(.*, version 1 → 3\)$")

    def test_a_mark_is_told_with_who_set_it(self) -> None:
        key = self.edition()
        self.mark(self.kpi, "target", 3100.0, {"of": {"quay": "Alder"}})
        found = {d["name"]: d for d in self.compared(key)["differences"]}
        self.assertEqual(set(found), {"Alder", f"Fares {self.n}"})
        said = found["Alder"]["because"][0]
        self.assertEqual((said["cause"], said["text"], said["by"]), ("mark", "target 2,500 → 3,100", "Keeper Osk"))
        self.assertIn("mark", found["Alder"]["what"])
        self.assertNotIn("value", found["Alder"]["what"])

    def test_a_yardstick_a_formula_and_a_palette_are_told(self) -> None:
        key, kpi, mean = self.edition(), f"Fares {self.n}", f"Fare a trip {self.n}"
        self.change("yardsticks", self.yardstick, cuts=[{"mark": "target", "factor": 0.8}, {"mark": "target", "factor": 1.1}])  # fmt: skip
        self.assertEqual(set(map(tuple, self.causes(key).values())), {("yardstick",)})
        said = self.compared(key)["differences"][0]["because"][0]
        self.assertEqual((said["text"], said["by"]), (f"yardstick Income {self.n}: cut 0.9 × target → 0.8 × target", "Analyst Vey"))  # fmt: skip
        key = self.edition()
        self.change("kpis", self.mean, formula="sum(fare) / count()")
        self.assertEqual(self.causes(key), {f"{mean}/{mean}": ["formula"]})
        key = self.edition()
        states = [{"key": k, "name": n, "sign": s, "colour": c} for k, n, s, c in (("low", "Low", "far-under", "#b03a48"), ("fair", "Good", "just-over", "#2a7f78"), ("high", "High", "far-over", "#204080"))]  # fmt: skip
        self.change("palettes", self.palette, states=states)
        found = self.compared(key)
        self.assertEqual(found["restated"], 0)
        self.assertEqual({tuple(d["what"]) for d in found["differences"]}, {("palette",)})
        self.assertIn(f"{kpi}/Alder", self.causes(key))

    def test_two_causes_at_once_are_both_told_and_no_third(self) -> None:
        key, mean = self.edition(), f"Fare a trip {self.n}"
        self.mark(self.mean, "target", 31.0, {})
        self.replace_rows(rows(fog=40))
        self.assertEqual(self.causes(key)[f"{mean}/{mean}"], ["mark", "rows"])
        self.assertEqual(self.causes(key)[f"Fares {self.n}/Alder"], ["rows"])
        # A formula and rows: September's rows are not October's, so October's differ by the formula alone.
        key = self.edition()
        self.change("kpis", self.mean, formula="sum(fare) / count()")
        self.replace_rows(rows(fog=40, months=(7, 8, 9, 10)))
        self.assertEqual(self.causes(key), {f"{mean}/{mean}": ["formula"]})
        key = self.edition()
        self.change("kpis", self.mean, formula="sum(fare) / sum(trips)")
        self.replace_rows(rows(fog=20, months=(7, 8, 9, 10)))
        self.assertEqual(self.causes(key)[f"{mean}/{mean}"], ["formula", "rows"])

    def test_what_came_and_went_and_another_month(self) -> None:
        key = self.edition()
        september = self.edition(scope={"period": "2026-09"})
        found = self.compared(september, key)
        self.assertTrue(all(b["cause"] == "period" for d in found["differences"] for b in d["because"]))
        body = self.client.get(f"/api/scorecards/{self.card}").json()["body"]
        held = body["sections"][0]["instruments"]
        body["sections"][0]["instruments"] = [*held[:2], {**held[0], "id": "new", "own": {"period": "before"}}]
        self.change("scorecards", self.card, sections=body["sections"])
        kinds = sorted(d["kind"] for d in self.compared(key)["differences"])
        self.assertEqual(kinds, ["came", "went"])
        self.assertEqual(self.compared(key)["restated"], 1)

    def test_restatements_are_counted_by_themselves(self) -> None:
        key = self.edition()
        self.send("post", f"/api/editions/{key}/publish")
        self.counted(key, 0)
        self.mark(self.kpi, "target", 3100.0, {"of": {"quay": "Alder"}})
        self.counted(key, 2)
        self.replace_rows(rows(fog=40))
        self.counted(key, 4)

    def counted(self, key: str, many: int) -> None:
        """Wait until so many of its readings are told to be restated."""
        until, found = time.monotonic() + 60, None
        while time.monotonic() < until:
            listed = self.send("get", f"/api/editions?scorecard={self.card}")
            found = next(one["restated"] for one in listed if one["id"] == key)
            if found == many:
                return
            time.sleep(0.1)
        self.fail(f"{found} are told to be restated, not {many}")
