"""Notes on readings: one for each, on every page that shows it, with live figures, history and what is asked for."""

import io
import unittest
import zipfile
from typing import Any

from tests import world

CARD = "network-performance"
NIGHT = {"route": ["Night freight"]}


class Notes(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.client = world.running().client

    def about(self, kpi: str = "on-time", members: Any = None, period: str = "2026-10") -> dict[str, Any]:
        return {"kpi": kpi, "members": NIGHT if members is None else members, "period": period}

    def sheet(self, **of: Any) -> Any:
        answer = self.client.post("/api/notes/about", json=self.about(**of))
        self.assertEqual(answer.status_code, 200, answer.text)
        return answer.json()

    def write(self, text: str, saw: int | None = None, **of: Any) -> Any:
        seen = self.sheet(**of)["version"] if saw is None else saw
        body = self.about(**of) | {"text": text}
        with world.called(self.client, "Mira"):
            answer = self.client.put("/api/notes", json=body, headers={"If-Match": f'"{seen}"'})
        self.assertEqual(answer.status_code, 200, answer.text)
        self.addCleanup(self.take_back, of)
        return answer.json()

    def take_back(self, of: dict[str, Any]) -> None:
        headers = {"If-Match": f'"{self.sheet(**of)["version"]}"'}
        self.client.put("/api/notes", json=self.about(**of) | {"text": ""}, headers=headers)

    def page(self, **query: str) -> Any:
        return self.client.get(f"/api/scorecards/{CARD}/page", params=query).json()

    def said(self, note: Any) -> str:
        return " ".join("".join(span["text"] for span in block["spans"]) for block in note["blocks"])

    def on_page(self, note: str, **query: str) -> Any:
        return next((one for one in self.page(**query)["notes"] if one["id"] == note), None)

    def test_it_stands_on_every_reading_of_the_same_rows_and_no_other(self) -> None:
        before = self.client.get(f"/api/scorecards/{CARD}/page").headers["etag"]
        made = self.write("A **calm** month")
        answer = self.client.get(f"/api/scorecards/{CARD}/page", headers={"If-None-Match": before})
        self.assertEqual(answer.status_code, 200, "a note is part of the page, so that it has another tag")
        noted = {
            (i["id"], r["member"]) for i in answer.json()["instruments"] for r in i["readings"] if r["word"] == "noted"
        }
        self.assertIn(("i2", "Night freight"), noted)
        narrowed = self.page(period="2026-10", route="Night freight")  # the dial reads the same rows now
        self.assertEqual(narrowed["instruments"][0]["readings"][0]["word"], "noted")
        self.assertIsNone(self.on_page(made["id"], period="2026-09"))
        self.assertEqual(self.on_page(made["id"])["saved_by"], "Mira")
        self.assertIn(made["id"], [one["id"] for one in self.client.get("/api/notes?kpi=on-time").json()])

    def test_naming_all_members_is_naming_none(self) -> None:
        routes = next(s["members"] for s in self.page()["segments"] if s["name"] == "route")
        every, none = self.sheet(members={"route": routes}), self.sheet(members={})
        self.assertEqual(every["id"], none["id"])

    def test_members_are_the_same_in_any_order(self) -> None:
        two = ["Night freight", "Hollin – Skarra"]
        made = self.write("Both of them", members={"route": two})
        self.assertEqual(self.sheet(members={"route": two[::-1]})["id"], made["id"])
        for order in (two, two[::-1]):
            page = self.client.get(f"/api/scorecards/{CARD}/page", params={"period": "2026-10", "route": order}).json()
            self.assertEqual(page["instruments"][0]["readings"][0]["word"], "noted")

    def test_what_is_written_is_made_harmless(self) -> None:
        made = self.write("<script>x</script> [bad](javascript:alert(1)) [good](https://example.org) *so*")
        spans = [span for block in made["note"]["blocks"] for span in block["spans"]]
        self.assertEqual([s["href"] for s in spans if s["href"]], ["https://example.org"])
        self.assertIn("<script>x</script>", self.said(made["note"]))

    def test_figures_of_it_read_as_its_reading_does(self) -> None:
        made = self.write(
            "{on_time} against {on_time: mark} in {on_time: period}; {on_time: value in the period before} before, "
            "{on_time: of Hollin – Skarra}, {cancelled: in 2026-Q3}; {on_time: of Atlantis} {nonsense} {on_time: hue}"
        )
        said = self.said(made["note"])
        self.assertIn("93.5% against 85% in October 2026;", said)
        self.assertIn("93.3%", said)
        self.assertNotIn("{", said)
        self.assertEqual(len(made["note"]["problems"]), 3)
        self.assertIn("On-time departures has no member “Atlantis”", made["note"]["problems"])
        frozen = self.client.post("/api/editions", json={"scorecard": CARD, "scope": {"period": "2026-10"}}).json()
        told = self.client.get(f"/api/editions/{frozen['id']}").json()
        kept = next(note for note in told["picture"]["notes"] if note["id"] == made["id"])
        self.assertEqual(self.said(kept), said)

    def test_it_says_when_its_reading_has_changed_since(self) -> None:
        body = self.client.get("/api/kpis/on-time").json()["body"] | {"handle": "for_a_note", "name": "For a note"}
        own = self.client.post("/api/kpis", json=body).json()
        self.addCleanup(self.drop, own["id"])
        self.write("As it was", kpi=own["id"], members={})
        self.assertEqual(self.sheet(kpi=own["id"], members={})["note"]["was"], "")
        changed = own["body"] | {"formula": "count(where delay_minutes <= 9) / count()"}
        self.client.put(f"/api/kpis/{own['id']}", json=changed, headers={"If-Match": f'"{own["version"]}"'})
        self.assertEqual(self.sheet(kpi=own["id"], members={})["note"]["was"], "91.4%")

    def drop(self, kpi: str) -> None:
        """A KPI that is gone takes nothing down with it."""
        now = self.client.get(f"/api/kpis/{kpi}").json()["version"]
        self.client.delete(f"/api/kpis/{kpi}", headers={"If-Match": f'"{now}"'})
        self.assertEqual(self.client.get(f"/api/notes?kpi={kpi}").status_code, 404)

    def test_stale_writes_are_refused_and_history_is_kept(self) -> None:
        first = self.write("One")
        stale = self.client.put(
            "/api/notes", json=self.about() | {"text": "Other"}, headers={"If-Match": f'"{first["version"] - 1}"'}
        )
        self.assertEqual(stale.status_code, 412)
        self.write("Two")
        self.write("")
        forms = self.client.get(f"/api/notes/{first['id']}/revisions").json()
        self.assertEqual([form["text"] for form in forms][:3], ["", "Two", "One"])
        self.assertIsNone(self.on_page(first["id"]))
        self.assertEqual(self.client.put("/api/notes", json=self.about() | {"text": "x"}).status_code, 428)

    def test_the_note_of_the_period_before_is_offered(self) -> None:
        self.write("Dredging went on", period="2026-08")
        offered = self.sheet(period="2026-09")
        self.assertEqual((offered["offered"], offered["of"]), ("Dredging went on", "August 2026"))

    def test_what_cannot_be_noted_is_refused_with_words(self) -> None:
        for wrong in (self.about(members={"route": ["Atlantis"]}), self.about(period="soon")):
            answer = self.client.post("/api/notes/about", json=wrong)
            self.assertEqual(answer.status_code, 422, answer.text)
            self.assertTrue(answer.json()["detail"])
        self.assertEqual(self.client.post("/api/notes/about", json=self.about(kpi="nowhere")).status_code, 404)

    def test_a_page_says_which_readings_lack_a_word(self) -> None:
        page = self.page()
        self.assertEqual((page["asked"], len(page["wanted"])), (3, 2))
        short = {r["about"] for i in page["instruments"] for r in i["readings"] if r["word"] == "wanted"}
        self.assertEqual(short, {one["about"] for one in page["wanted"]})
        body = self.client.get(f"/api/scorecards/{CARD}").json()["body"]
        fell = self.client.post(
            "/api/scorecards/read",
            json={"body": body | {"asks": {"worst": False, "fell": True, "readings": ["on-time|"]}}},
        ).json()
        wanted = {one["heading"] for one in fell["wanted"]}
        self.assertTrue(all(r["step"] < 0 for i in fell["instruments"] for r in i["readings"] if r["word"] == "wanted"))
        self.assertGreater(len(wanted), 2)
        self.assertIn("Grey Wether", wanted.pop() + "".join(wanted))

    def test_a_sheet_lists_the_notes_and_they_leave_with_the_page(self) -> None:
        self.write("Said in every form: {on_time}")
        body = self.client.get(f"/api/scorecards/{CARD}").json()["body"]
        body["sections"][0]["texts"] = [{"id": "n1", "lists": "notes", "text": "", "x": 0, "y": 9, "w": 6, "h": 4}]
        page = self.client.post("/api/scorecards/read", json={"body": body}).json()
        text = next(one for one in page["texts"] if one["id"] == "n1")
        lines = ["".join(span["text"] for span in block["spans"]) for block in text["blocks"]]
        self.assertEqual(lines[0], "Short")
        self.assertIn("Night freight · On-time departures 93.5%. Said in every form: 93.5%", lines)
        file = self.client.post("/api/scorecards/export/csv", json={"body": body}).content
        with zipfile.ZipFile(io.BytesIO(file)) as packed:
            self.assertIn("Said in every form: 93.5%", packed.read("readings.csv").decode())
