"""A scorecard from rows of unlike trades: what is proposed makes sense, and what is made is a drawn page."""

import datetime as dt
import random
import unittest
from typing import Any

from tests import world

Rows = list[list[str]]


def days(months: int) -> list[dt.date]:
    last = dt.date(2026, 10, 31)
    return [last - dt.timedelta(days=n) for n in range(months * 30 - 1, -1, -1)]


def clinic() -> tuple[list[str], Rows]:
    roll = random.Random(1)
    rows = []
    for day in days(16):
        for ward in ("Harbour ward", "Hill ward", "Day ward"):
            booked = roll.randint(18, 30)
            rows.append([
                day.isoformat(), ward, str(booked), str(roll.randint(0, 4)), f"{roll.uniform(8, 55):.1f}",
                str(roll.randint(1, 5)),
            ])  # fmt: skip
    return ["Date", "Ward", "Appointments", "No-shows", "Wait minutes", "Satisfaction score"], rows


def depot() -> tuple[list[str], Rows]:
    roll = random.Random(2)
    rows = [
        [day.isoformat(), van, str(roll.randint(60, 110)), f"{roll.uniform(20, 48):.1f}", f"{roll.uniform(90, 240):.2f}",
         "yes" if roll.random() < 0.93 else "no"]
        for day in days(5) for van in ("Van 1", "Van 2", "Van 3", "Van 4")
    ]  # fmt: skip
    return ["Day", "Van", "Parcels delivered", "Fuel litres", "Cost £", "On time"], rows


def school() -> tuple[list[str], Rows]:
    roll = random.Random(3)
    rows = [
        [day.isoformat(), year, str(enrolled := 90), str(roll.randint(2, 9)), f"{roll.uniform(0.7, 0.97):.3f}", str(enrolled * 0 + roll.randint(1, 4))]
        for day in days(4) if day.weekday() < 5 for year in ("Year 7", "Year 8", "Year 9")
    ]  # fmt: skip
    return ["Date", "Year group", "Enrolled pupils", "Absent", "Homework handed in share", "Detentions"], rows


def plant() -> tuple[list[str], Rows]:
    roll = random.Random(4)
    rows = [
        [day.isoformat(), line, str(out := roll.randint(900, 1200)), "1100", str(int(out * roll.uniform(0.01, 0.05))),
         f"{roll.uniform(0, 3):.1f}", "A-100"]
        for day in days(15) for line in ("Line A", "Line B")
    ]  # fmt: skip
    return ["Date", "Line", "Output units", "Planned output units", "Scrap units", "Downtime hours", "Order no"], rows


def help_desk() -> tuple[list[str], Rows]:
    roll = random.Random(5)
    rows = [
        [day.isoformat(), str(1000 + n), roll.choice(("Mail", "Phone", "Chat")), roll.choice(("resolved", "resolved", "resolved", "open", "escalated")),
         f"{roll.uniform(5, 300):.0f}", "yes" if roll.random() < 0.05 else "no"]
        for n, day in enumerate(day for day in days(6) for _ in range(4))
    ]  # fmt: skip
    return ["Opened on", "Ticket id", "Channel", "Status", "Resolution minutes", "Reopened"], rows


# What has to be among the proposed KPIs: a part of the formula, its direction and its nature; and what must not be read.
TRADES: dict[str, tuple[Any, list[tuple[str, str, str]], list[str]]] = {
    "Clinic days": (
        clinic,
        [("sum(no_shows) / sum(appointments)", "lower", "rate"), ("mean(wait_minutes)", "lower", "rate"),
         ("mean(satisfaction_score)", "higher", "rate"), ("sum(appointments)", "open", "flow")],
        ["mean(appointments)", "sum(wait_minutes)", "sum(satisfaction_score)"],
    ),
    "Depot rounds": (
        depot,
        [("count(where on_time = yes) / count()", "higher", "rate"), ("sum(parcels_delivered)", "higher", "flow"),
         ("sum(cost)", "lower", "flow"), ("sum(fuel_litres)", "lower", "flow")],
        ["mean(cost)"],
    ),
    "School days": (
        school,
        [("sum(absent) / sum(enrolled_pupils)", "lower", "rate"), ("mean(homework_handed_in_share)", "open", "rate"),
         ("sum(detentions) / sum(enrolled_pupils)", "lower", "rate")],
        ["sum(homework_handed_in_share)"],
    ),
    "Plant shifts": (
        plant,
        [("sum(scrap_units) / sum(", "lower", "rate"), ("sum(output_units)", "higher", "flow"), ("mean(downtime_hours)", "lower", "rate")],
        ["planned_output_units)", "order_no"],
    ),
    "Help desk tickets": (
        help_desk,
        [('count(where status = "resolved") / count()', "higher", "rate"), ("mean(resolution_minutes)", "open", "rate"),
         ("count(where reopened = yes) / count()", "lower", "rate"), ("count()", "open", "flow")],
        ["ticket_id"],
    ),
}  # fmt: skip


class FromRows(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.client = world.running().client

    def upload(self, name: str, head: list[str], rows: Rows) -> str:
        answer = self.client.post("/api/datasets/typed", json={"name": name, "labels": head, "rows": rows})
        self.assertEqual(answer.status_code, 201, answer.text)
        key: str = answer.json()["id"]
        self.addCleanup(self.drop, "datasets", key)
        return key

    def drop(self, kind: str, key: str) -> None:
        held = self.client.get(f"/api/{kind}/{key}")
        if held.status_code == 200:
            self.client.delete(f"/api/{kind}/{key}", headers={"If-Match": f'"{held.json()["version"]}"'})

    def propose(self, key: str) -> Any:
        answer = self.client.post("/api/from-rows", json={"dataset": key})
        self.assertEqual(answer.status_code, 200, answer.text)
        return answer.json()

    def make(self, key: str, dropped: list[str], title: str = "From rows", **more: Any) -> Any:
        before = {kind: self.keys(kind) for kind in ("kpis", "yardsticks", "scorecards")}
        answer = self.client.post(
            "/api/from-rows/make", json={"dataset": key, "title": title, "dropped": dropped} | more
        )
        self.assertEqual(answer.status_code, 201, answer.text)
        for kind in ("kpis", "yardsticks", "scorecards"):
            for made in self.keys(kind) - before[kind]:
                self.addCleanup(self.drop, kind, made)
        return answer.json()

    def keys(self, kind: str) -> set[str]:
        return {one["id"] for one in self.client.get(f"/api/{kind}").json()}

    def test_five_trades_are_read_as_somebody_of_the_trade_would(self) -> None:
        for name, (rows, wanted, unwanted) in TRADES.items():
            with self.subTest(name):
                key = self.upload(name, *rows())
                found = self.propose(key)
                made = self.make(key, [])
                kpis = {i["kpi"] for section in made["body"]["sections"] for i in section["instruments"]}
                bodies = [self.client.get(f"/api/kpis/{kpi}").json()["body"] for kpi in kpis]
                told = {(body["formula"], body["direction"], body["nature"]) for body in bodies}
                for formula, direction, nature in wanted:
                    self.assertTrue(
                        any(
                            formula in text and (direction, nature) == rest
                            for text, *rest_ in told
                            for rest in [tuple(rest_)]
                        ),
                        f"{formula} {direction} {nature} is not among {told}",
                    )
                for formula in unwanted:
                    self.assertFalse([text for text, *_ in told if formula in text], formula)
                self.assertTrue(all(kpi["reason"].endswith(".") for kpi in found["kpis"]))
                self.assertEqual([i["problem"] for i in found["picture"]["instruments"] if i["problem"]], [])
                # What is drawn is what is kept, figure for figure.
                page = self.client.get(f"/api/scorecards/{made['id']}/page").json()
                drawn = [[reading["shown"] for reading in i["readings"]] for i in found["picture"]["instruments"]]
                self.assertEqual([[reading["shown"] for reading in i["readings"]] for i in page["instruments"]], drawn)
                graded = {i["title"] for i in page["instruments"] for r in i["readings"] if r["status"] == "graded"}
                held = {kpi["name"] for kpi in found["kpis"] if kpi["against"] != "nothing"}
                self.assertTrue(all(title.startswith(tuple(held)) for title in graded), "nothing is graded by a guess")
                titles = [section["title"] for section in made["body"]["sections"]]
                self.assertEqual(titles[0], "At a glance")
                self.assertTrue(any(title.startswith("By ") for title in titles))
                self.doCleanups()

    def test_members_are_those_that_differ_in_something_and_none_that_a_share_is_of(self) -> None:
        roll = random.Random(6)
        rows = [
            [day.isoformat(), mill, str(roll.randint(20, 60)), roll.choice(["kyllä", "ei", "ei"])]
            for day in days(4) for mill in ("Ylä", "Ala", "Äänekoski")
        ]  # fmt: skip
        made = self.make(self.upload("Kuormat", ["Päivä", "Saha", "Tilavuus m3", "Hylätty"], rows), [])["body"]
        self.assertEqual({i["by"] for section in made["sections"] for i in section["instruments"]}, {None, "saha"})

    def test_a_plan_in_the_rows_is_the_target_and_all_else_is_asked(self) -> None:
        found = self.propose(self.upload("Plant", *plant()))
        kpis = {kpi["name"]: kpi for kpi in found["kpis"]}
        self.assertEqual(kpis["Output units"]["against_words"], "the target in its rows")
        self.assertIn("Planned output units", {one["name"] for one in found["left_out"]})
        scrap = kpis["Scrap units of output units"]
        self.assertEqual(
            (scrap["against"], [c["key"] for c in scrap["choices"]]),
            ("nothing", ["last year", "median", "number", "nothing"]),
        )
        short = self.propose(self.upload("Depot", *depot()))
        self.assertNotIn("last year", [c["key"] for kpi in short["kpis"] for c in kpi["choices"]])

    def test_a_draft_is_changed_where_it_stands_and_kept_as_it_was_drawn(self) -> None:
        key = self.upload("Depot", *depot())
        first = self.propose(key)
        costs = next(kpi for kpi in first["kpis"] if kpi["formula"] == "sum(cost)")
        offered = next(kpi for kpi in first["waiting"] if kpi["formula"] == "sum(cost) / sum(parcels_delivered)")
        top = first["sheets"][0]["id"]
        ask = {
            "dataset": key, "title": "Runden", "dropped": [f"kpi:{costs['handle']}"], "taken": [offered["handle"]],
            "kpis": {offered["handle"]: {"name": "Kosten je Paket", "direction": "lower", "against": "number", "number": 1.5}},
            "faces": {top: "tile"},
        }  # fmt: skip
        before = {kind: self.keys(kind) for kind in ("kpis", "yardsticks", "scorecards")}
        draft = self.client.post("/api/from-rows", json=ask).json()
        self.assertEqual({kind: self.keys(kind) for kind in before}, before, "nothing is kept")
        self.assertEqual(draft["sheets"][0]["face"], "tile")
        self.assertTrue(next(one["dropped"] for one in draft["waiting"] if one["formula"] == "sum(cost)"))
        per = next(i for i in draft["picture"]["instruments"] if i["title"] == "Kosten je Paket")
        self.assertEqual(per["readings"][0]["marks"][0]["value"], 1.5)
        self.assertEqual(per["readings"][0]["status"], "graded")
        # A formula that cannot be read is refused, and nothing of the draft is lost.
        wrong = self.client.post(
            "/api/from-rows", json=ask | {"kpis": {offered["handle"]: {"formula": "sum(nothing)"}}}
        )
        self.assertEqual((wrong.status_code, wrong.json()["type"]), (422, "formula"), wrong.text)
        card = self.make(key, **{k: v for k, v in ask.items() if k != "dataset"})
        page = self.client.get(f"/api/scorecards/{card['id']}/page").json()
        shown = lambda found: [(i["id"], [r["shown"] for r in i["readings"]]) for i in found["instruments"]]  # noqa: E731
        self.assertEqual(shown(page), shown(draft["picture"]))
        formulas = {body["body"]["formula"] for body in self.client.get("/api/kpis").json()}
        self.assertNotIn("sum(cost)", formulas)

    def test_what_nobody_has_said_is_not_graded_until_somebody_does(self) -> None:
        key = self.upload("Help desk tickets", *help_desk())
        card = self.make(key, [])
        kpi = next(
            k
            for k in self.client.get("/api/kpis").json()
            if k["body"]["formula"] == "count()" and k["body"]["dataset"] == key
        )
        self.assertEqual(kpi["body"]["direction"], "open")
        refused = self.client.post("/api/yardsticks/propose", json={"kpi": kpi["id"], "name": "x"})
        self.assertEqual((refused.status_code, refused.json()["type"]), (422, "open"), refused.text)
        page = self.client.get(f"/api/scorecards/{card['id']}/page").json()
        self.assertIn("open", {i["direction"] for i in page["instruments"]})

    def test_all_of_it_is_one_step_back(self) -> None:
        key = self.upload("Depot", *depot())
        before = {kind: self.keys(kind) for kind in ("kpis", "yardsticks", "scorecards")}
        costs = next(kpi["handle"] for kpi in self.propose(key)["kpis"] if kpi["formula"] == "sum(cost)")
        card = self.make(key, [], kpis={costs: {"against": "median"}})
        back = self.client.post("/api/from-rows/back", json={"scorecard": card["id"]})
        self.assertEqual((back.status_code, back.json()), (200, []), back.text)
        self.assertEqual({kind: self.keys(kind) for kind in before}, before)
        self.assertEqual(self.client.post("/api/from-rows/back", json={"scorecard": card["id"]}).status_code, 404)

    def test_rows_without_a_period_and_live_ones_are_refused_with_what_to_do(self) -> None:
        for key in ("routes", "bookings"):
            answer = self.client.post("/api/from-rows", json={"dataset": key})
            self.assertEqual(answer.status_code, 422, answer.text)
            self.assertTrue(answer.json()["detail"])
        self.assertEqual(self.client.post("/api/from-rows", json={"dataset": "nowhere"}).status_code, 404)
        one = self.upload("One row", ["Day", "Size"], [["2026-10-01", "4"]])
        self.assertTrue(self.propose(one)["sheets"])


class HowFine(unittest.TestCase):
    def test_figures_are_told_from_each_other(self) -> None:
        """4,929 visitors of three provinces, not 5k of 2k, 2k and 1k; 290.4k, not 290k."""
        client = world.running().client
        for large, short, decimals in ((1_900, False, 0), (190_000, True, 1)):
            lines = [f"2026-{month:02d}-01,{place},{large - 7 * month * n}" for month in range(1, 11) for n, place in enumerate(("Norte", "Sur", "Este"))]  # fmt: skip
            body = "\n".join(["mes,provincia,visitantes", *lines])
            key = client.post("/api/datasets", files={"file": ("turismo.csv", body)}).json()["id"]
            kpi = next(one for one in client.post("/api/from-rows", json={"dataset": key}).json()["kpis"] if one["handle"] == "visitantes")  # fmt: skip
            self.assertEqual((kpi["unit"]["compact"], kpi["unit"]["decimals"]), (short, decimals))
