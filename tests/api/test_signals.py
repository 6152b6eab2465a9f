"""Signals through the server: a lending library in Finnish, ragged, with a branch that burnt down and one with a tag for a name."""

from __future__ import annotations

import csv
import datetime as dt
import io
import math
import unittest
import zipfile
from typing import Any, ClassVar

import httpx
import numpy as np

from ironmark.core.usual import usual
from tests import world

BRANCHES = ("Töölö", "Käpylä", "Sörnäinen <b>", "Kirjastoauto")
FIRST, LAST = dt.date(2024, 1, 1), dt.date(2026, 9, 19)


def rows() -> str:
    """Loans and late returns a day and branch; Töölö is late far more often from June 2026, the bus lends little and not every
    day, one branch has a gap of two months."""
    rng = np.random.default_rng(26)
    lines = ["päivä,toimipiste,aineisto,lainat,myöhässä"]
    for n in range((LAST - FIRST).days + 1):
        day = FIRST + dt.timedelta(days=n)
        for branch, usual_loans in zip(BRANCHES, (60, 34, 20, 1), strict=True):
            if branch == "Käpylä" and dt.date(2025, 2, 1) <= day <= dt.date(2025, 3, 31):
                continue
            if branch == "Kirjastoauto" and day.weekday() != 2:
                continue
            for kind, share in (("kirja", 0.7), ("levy", 0.3)):
                loans = int(rng.poisson(usual_loans * share * (0.5 if day.weekday() > 4 else 1.2)))
                late = 0.08 + (0.09 if branch == "Töölö" and day >= dt.date(2026, 6, 1) else 0)
                lines.append(f"{day},{branch},{kind},{loans},{int(rng.binomial(loans, late))}")
    return "\n".join(lines) + "\n"


class Library(unittest.TestCase):
    card: ClassVar[str] = ""

    @classmethod
    def setUpClass(cls) -> None:
        if Library.card:
            return
        cls = Library  # one for all classes here
        cls.client = world.running().client
        cls.data = cls.post("/api/datasets", files={"file": ("Kirjasto.csv", rows().encode())})["id"]
        percent = {"kind": "percent", "decimals": 1}
        cls.late = cls.kpi("myohassa", "sum(myöhässä) / sum(lainat)", unit=percent, direction="lower")
        cls.loans = cls.kpi("lainat", "sum(lainat)", nature="flow")
        cls.kinds = cls.kpi("kesto", "mean(lainat)")
        cut = {"offset": 0.09}
        body = {"name": "Myöhässä", "kpi": cls.late, "bands": ["met", "short"], "cuts": [cut]}
        cls.yardstick = cls.post("/api/yardsticks", json=body)["id"]
        change = {"name": "target", "since": "2024-01", "value": 0.09, "whose": "everyone"}
        cls.post(f"/api/kpis/{cls.late}/marks", json={"changes": [change], "sure": True}, headers={"If-Match": '"0"'})
        sheet = {"id": "a", "kpi": cls.late, "face": "bar", "by": "toimipiste", "yardstick": cls.yardstick, "w": 6}
        ledger = sheet | {"id": "b", "face": "ledger", "x": 6, "look": {"ledger": {"columns": ["value", "usual", "signal", "state"]}}}  # fmt: skip
        course = {"id": "c", "kpi": cls.late, "face": "history", "yardstick": cls.yardstick, "y": 8}
        flow = {"id": "d", "kpi": cls.loans, "face": "figure", "x": 6, "y": 8}
        cls.body = {"title": "Kirjasto", "sections": [{"id": "s", "instruments": [sheet, ledger, course, flow]}]}
        cls.card = cls.post("/api/scorecards", json=cls.body)["id"]

    @classmethod
    def post(cls, path: str, **more: Any) -> Any:
        answer = cls.client.post(path, **more)
        assert answer.is_success, answer.text
        return answer.json()

    @classmethod
    def kpi(cls, handle: str, formula: str, **slots: Any) -> str:
        body = {"handle": handle, "name": handle.capitalize(), "dataset": cls.data, "formula": formula} | slots
        return str(cls.post("/api/kpis", json=body)["id"])

    def get(self, path: str, **params: str) -> httpx.Response:
        return self.client.get(path, params=params)

    def signals(self, kpi: str, **params: str) -> dict[str, Any]:
        answer = self.get(f"/api/kpis/{kpi}/signals", **params)
        self.assertEqual(answer.status_code, 200, answer.text)
        return dict(answer.json())

    def page(self, **params: str) -> dict[str, Any]:
        return dict(self.get(f"/api/scorecards/{self.card}/page", **params).json())

    def named(self, dates: list[dict[str, Any]]) -> httpx.Response:
        kept = self.get(f"/api/kpis/{self.late}").json()
        head = {"If-Match": f'"{kept["version"]}"'}
        return self.client.put(f"/api/kpis/{self.late}", json=kept["body"] | {"named_dates": dates}, headers=head)


class OnAPage(Library):
    def test_what_stands_out_is_ringed_and_nothing_else(self) -> None:
        readings = {one["member"]: one for one in self.page(period="2026-07")["instruments"][0]["readings"]}
        self.assertRegex(readings["Töölö"]["usual"]["signal"], "over its usual range")
        self.assertIn("a signal: over its usual range", readings["Töölö"]["spoken"])
        self.assertEqual(
            [(readings[name]["usual"] or {}).get("signal", "") for name in ("Käpylä", "Sörnäinen <b>")], ["", ""]
        )

    def test_ranges_are_those_of_the_rows_before(self) -> None:
        by_month: dict[tuple[str, str], list[int]] = {}
        for row in csv.DictReader(io.StringIO(rows())):
            held = by_month.setdefault((row["toimipiste"], row["päivä"][:7]), [0, 0])
            held[0] += int(row["myöhässä"])
            held[1] += int(row["lainat"])
        months = sorted({month for _, month in by_month if month <= "2026-08"})
        above, below = (np.array([[by_month.get((b, m), [np.nan] * 2)[at] for b in BRANCHES] for m in months], dtype=float) for at in (0, 1))  # fmt: skip
        found = usual(above / below, "share", below, season=12)
        for month in ("2025-03", "2026-02", "2026-08"):
            page = self.page(period=month)["instruments"][1]["readings"]
            rows_ = {one["member"]: one["usual"] for one in page}
            for m, branch in enumerate(BRANCHES):
                at = months.index(month)
                told = rows_.get(branch)
                if told is None:
                    self.assertTrue(math.isnan(found.low[at, m]) or math.isnan(above[at, m]), (branch, month))
                    continue
                expected = f"{100 * found.low[at, m]:.1f}% to {100 * found.high[at, m]:.1f}%"
                self.assertEqual(told["range"], expected, (branch, month))
                self.assertEqual(bool(told["signal"]), bool(found.signals[at, m]), (branch, month))

    def test_few_rows_say_which_states_they_could_be_in(self) -> None:
        bus = [
            {one["member"]: one for one in self.page(period=f"2026-0{month}")["instruments"][0]["readings"]}[
                "Kirjastoauto"
            ]
            for month in range(1, 9)
        ]
        self.assertTrue(any("could be" in one["few"] for one in bus), [one["shown"] for one in bus])
        town = {one["member"]: one for one in self.page(period="2026-08")["instruments"][0]["readings"]}["Töölö"]
        self.assertEqual(town["few"], "")

    def test_a_period_under_way_says_where_it_is_going(self) -> None:
        page = self.page(period="2026-09")
        loans = page["instruments"][3]["readings"][0]
        self.assertRegex(loans["going"]["told"], "on its way to [0-9.,]+")
        self.assertIsNone(loans["usual"])
        self.assertIsNotNone(page["instruments"][2]["readings"][0]["history"]["points"][-1]["going"])
        self.assertIsNone(self.page(period="2026-08")["instruments"][3]["readings"][0]["going"])

    def test_the_tally_and_what_changed_tell_signals(self) -> None:
        page = self.page(period="2026-07")
        self.assertGreaterEqual(sum(part["signals"] for part in page["tally"]), 1)
        changed = self.page(period="2026-06")["changed"]
        self.assertRegex(changed, "signal")

    def test_a_sheet_can_hide_them(self) -> None:
        body = {**self.body, "sections": [{"id": "s", "instruments": [i | {"signals": False} for i in self.body["sections"][0]["instruments"]]}]}  # fmt: skip
        answer = self.post("/api/scorecards/read", json={"body": body, "scope": {"period": "2026-07"}})
        for sheet in answer["instruments"]:
            for reading in sheet["readings"]:
                self.assertEqual((reading["usual"], reading["few"], reading["going"]), (None, "", None))

    def test_what_leaves_has_them_in_columns(self) -> None:
        answer = self.client.post(
            "/api/scorecards/export/csv", json={"body": self.body, "scope": {"period": "2026-07"}}
        )
        self.assertEqual(answer.status_code, 200, answer.text[:300])
        with zipfile.ZipFile(io.BytesIO(answer.content)) as files:
            text = next(
                files.read(name).decode("utf-8-sig") for name in files.namelist() if name.endswith("readings.csv")
            )
        table = list(csv.DictReader(io.StringIO(text)))
        town = next(row for row in table if row["member"] == "Töölö")
        self.assertLess(float(town["usual_low"]), float(town["usual_high"]))
        self.assertIn("over its usual range", town["signal"])
        ledger = self.client.post("/api/scorecards/ledger", params={"kind": "csv"}, json={"instrument": self.body["sections"][0]["instruments"][1], "scope": {"period": "2026-07"}})  # fmt: skip
        self.assertIn("Usual range", ledger.text)
        self.assertIn("over its usual range", ledger.text)

    def test_an_edition_keeps_them(self) -> None:
        made = self.post("/api/editions", json={"scorecard": self.card, "scope": {"period": "2026-07"}})
        told = self.get(f"/api/editions/{made['id']}").text
        self.assertIn("over its usual range", told)

    def test_the_front_page_puts_signals_first(self) -> None:
        body = self.body | {"title": "Kirjasto heinäkuussa", "scope": {"period": "2026-06"}}
        key = self.post("/api/scorecards", json=body)["id"]
        front = world.until(
            lambda: self.get("/api/front").json(),
            lambda front: any(row["scorecard"] == key for row in front["changed"]),
        )
        rows_ = [row for row in front["changed"] if row["scorecard"] == key]
        self.assertTrue(rows_[0]["signal"])
        first = next((n for n, row in enumerate(front["changed"]) if not row["signal"]), len(front["changed"]))
        self.assertFalse(any(row["signal"] for row in front["changed"][first:]))


class OfOneReading(Library):
    def test_the_page_of_one_reading(self) -> None:
        told = self.signals(self.late, period="2026-07")
        self.assertTrue(told["signal"])
        self.assertRegex(told["verdict"], "signal")
        self.assertEqual(told["members"][0]["member"], "Töölö")
        self.assertEqual((told["members"][0]["ring"], told["each"]), (True, "toimipiste"))
        self.assertRegex(told["method"], "p′, Laney")
        self.assertEqual(told["going"]["period"], "2026-09", "the one under way, whichever is read")
        one = self.signals(self.late, period="2026-07", segment="toimipiste", member="Käpylä")
        self.assertFalse(one["signal"])

    def test_what_moved_it_adds_up_as_it_is_written(self) -> None:
        for against in ("before", "year ago"):
            for by in ("toimipiste", "aineisto", "*", ""):
                moved = self.signals(self.late, period="2026-07", against=against, by=by)["moved"]
                self.assertEqual(moved["why_not"], "")
                shown = sum(float(step["shown"].split()[0].replace("−", "-")) for step in moved["steps"])
                ends = [float(moved[f"{end}_shown"].rstrip("%")) for end in ("from", "to")]
                self.assertAlmostEqual(shown, ends[1] - ends[0], places=6, msg=f"{against} {by} {moved['steps']}")
        by_branch = self.signals(self.late, period="2026-06", by="toimipiste")["moved"]
        self.assertEqual(by_branch["steps"][0]["name"], "Töölö")
        self.assertEqual(by_branch["within"], "Töölö")
        target = self.signals(self.late, period="2026-07", against="target", by="toimipiste")["moved"]
        self.assertEqual((target["from_shown"], target["from_label"]), ("9.00%", "target"))
        self.assertEqual(self.signals(self.loans, period="2026-07", by="toimipiste")["moved"]["why_not"], "")

    def test_where_it_is_going_and_what_it_takes(self) -> None:
        told = self.signals(self.late, period="2026-08")["going"]
        self.assertEqual((told["period"], told["day"]), ("2026-09", "day 19 of 30"))
        self.assertRegex(told["takes"], "cannot be reached any more, since|may be counted")
        self.assertLessEqual(told["held"], told["tried"])
        self.assertGreaterEqual(told["tried"], 9)
        one = self.signals(self.late, period="2026-08", segment="toimipiste", member="Käpylä")["going"]
        self.assertRegex(one["takes"], r"\d+ of the next \d+ may be counted, to reach 9%")

    def test_how_good_the_target_is(self) -> None:
        fair = self.signals(self.late, period="2026-05")["fair"]
        self.assertAlmostEqual(sum(part["share"] for part in fair["parts"]), 1, places=1)
        self.assertRegex(fair["met"], r"met in \d+ of 10 months")
        change = {"name": "target", "since": "2026-09", "value": 0.07, "whose": "together"}
        tried = self.post(f"/api/kpis/{self.late}/marks/try", json={"changes": [change]})
        self.assertRegex(" ".join(tried["chances"]), "nine times in ten, its middle has to fall from")

    def test_other_grains_and_kpis(self) -> None:
        for kpi in (self.late, self.loans, self.kinds):
            for grain in ("day", "week", "month", "quarter", "year"):
                for period in ("complete", "latest"):
                    with self.subTest(kpi=kpi, grain=grain, period=period):
                        self.signals(kpi, grain=grain, period=period)
        self.assertEqual(self.signals(self.late, period="2024-03")["verdict"], "Too early to tell")
        self.assertTrue(self.signals(self.late, period="2027-03")["moved"]["why_not"])

    def test_a_named_day_begins_a_new_range(self) -> None:
        self.assertEqual(self.named([{"day": "2026-13-01", "reason": "x"}]).status_code, 422)
        self.assertEqual(self.named([{"day": "2025-09-10", "reason": "Uusi <b>järjestelmä</b>"}]).status_code, 200)
        told = self.signals(self.late, period="2026-07")
        self.assertIn("since October 2025", " ".join(one["shown"] for one in told["figures"]))
        point = next(one for one in told["history"]["points"] if one["key"] == "2025-10")
        self.assertEqual((point["named"], point["new_range"]), ("Uusi <b>järjestelmä</b>", True))
        self.assertEqual(self.signals(self.late, period="2026-02")["verdict"], "Too early to tell")
        self.assertEqual(self.named([]).status_code, 200)

    def test_a_day_of_the_rows_is_one_of_every_kpi_read_from_them(self) -> None:
        place = f"/api/datasets/{self.data}"

        def name(*days: dict[str, Any]) -> httpx.Response:
            held = self.client.get(place).json()
            columns = [{name: one[name] for name in ("name", "label", "role")} for one in held["columns"]]
            body = {"name": held["name"], "columns": columns, "named_dates": list(days)}
            return self.client.patch(place, json=body, headers={"If-Match": f'"{held["version"]}"'})

        self.assertEqual(name({"day": "soon", "reason": "x"}).status_code, 422)
        before = self.signals(self.late, period="2026-07")["figures"]
        self.assertEqual(name({"day": "2025-09-10", "reason": "Uusi lainaus 館"}).status_code, 200)
        for kpi in (self.late, self.loans):
            with self.subTest(kpi=kpi):
                told = self.signals(kpi, period="2026-07")
                self.assertIn("Uusi lainaus 館", [one["shown"] for one in told["named_dates"]])
                point = next(one for one in told["history"]["points"] if one["key"] == "2025-10")
                self.assertEqual((point["named"], point["new_range"]), ("Uusi lainaus 館", True))
        self.assertNotEqual(self.signals(self.late, period="2026-07")["figures"], before)
        self.assertEqual(name().status_code, 200)
        self.assertEqual(self.signals(self.late, period="2026-07")["figures"], before)

    def test_garbage_is_told(self) -> None:
        for params, status in (
            ({"period": "soon"}, 422), ({"grain": "fortnight"}, 422), ({"segment": "nothing", "member": "x"}, 422),
            ({"against": "hope"}, 422), ({"member": "x" * 500}, 422), ({"unknown": "1"}, 422), ({"by": "nothing"}, 200),
            ({"segment": "toimipiste", "member": "nobody"}, 200), ({"each": "nothing"}, 200), ({"period": "1066-01"}, 422), ({"period": "8999-01"}, 422), ({"period": "2031-01"}, 422),
        ):  # fmt: skip
            answer = self.get(f"/api/kpis/{self.late}/signals", **params)
            self.assertEqual(answer.status_code, status, f"{params}: {answer.text[:300]}")
        self.assertEqual(self.get("/api/kpis/nothing-there/signals").status_code, 404)

    def test_rows_of_one_day_no_rows_and_a_composite(self) -> None:
        one = self.post("/api/datasets", files={"file": ("Yksi.csv", b"p,t,n\n2026-05-04,A,3\n")})["id"]
        body = {"handle": "yksi", "name": "Yksi", "dataset": one, "formula": "sum(n)", "nature": "flow"}
        key = self.post("/api/kpis", json=body)["id"]
        self.assertEqual([one["words"] for one in self.signals(key)["members"]], [""])
        parts = {"parts": [{"kpi": self.late, "yardstick": self.yardstick}, {"kpi": self.loans}], "by": "attainment"}
        made = self.post("/api/kpis", json={"handle": "yhteensa", "name": "Yhteensä", "dataset": self.data, "composite": parts})  # fmt: skip
        told = self.signals(made["id"])
        self.assertTrue(told["moved"]["why_not"])

    def compute(self, name: str, formula: str | None) -> None:
        head = {"If-Match": self.get(f"/api/kpis/{self.late}/marks").headers["etag"]}
        body = {"name": name, "formula": formula}
        self.client.put(f"/api/kpis/{self.late}/marks/computed", json=body, headers=head).raise_for_status()

    def test_formulas_take_what_is_usual(self) -> None:
        ends: dict[str, float] = {}
        for name, line in (("usual_low", "low"), ("usual_middle", "middle"), ("usual_high", "high")):
            key = self.kpi(name, f"{name}(sum(myöhässä) / sum(lainat))", unit={"kind": "percent", "decimals": 4})
            own = self.signals(self.late, period="2026-05")["figures"]
            label = {"low": "lower limit, middle − 3 × that", "middle": "middle", "high": "upper limit, middle + 3 × that"}[line]  # fmt: skip
            exact = ends[name] = float(next(one["shown"] for one in own if one["name"] == label))
            shown = self.signals(key, period="2026-05")["shown"]
            self.assertEqual(shown, f"{100 * exact:.4f}%")
        self.compute("limit", "1.1 * usual_high(@myohassa)")
        body = {**self.body["sections"][0]["instruments"][0], "by": None, "marks": ["limit"]}
        card = {"title": "x", "sections": [{"id": "s", "instruments": [body]}]}
        read = self.post("/api/scorecards/read", json={"body": card, "scope": {"period": "2026-05"}})
        mark = read["instruments"][0]["readings"][0]["marks"][0]
        self.assertEqual(mark["name"], "limit")
        self.assertAlmostEqual(mark["value"], 1.1 * ends["usual_high"], places=6)
        self.compute("limit", None)
        wrong = self.client.post("/api/kpis/preview", json={"body": {"handle": "x", "name": "x", "dataset": self.data, "formula": "usual_low()"}})  # fmt: skip
        self.assertIn("usual_low(sum(", wrong.text)

    def test_workings_say_it_in_short(self) -> None:
        ask = {
            "instrument": self.body["sections"][0]["instruments"][0],
            "scope": {"period": "2026-07"},
            "member": "Töölö",
        }
        lines = {one["label"]: one["text"] for one in self.post("/api/scorecards/workings", json=ask)["lines"]}
        self.assertRegex(lines["Usual range"], r"of \d+ months since")
        self.assertRegex(lines["Signal"], "over its usual range")
        self.assertRegex(lines["By usual variation alone"], r"target met in \d+ of 10 months")
