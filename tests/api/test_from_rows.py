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
         ("mean(satisfaction_score)", "higher", "rate"), ("sum(appointments)", "higher", "flow")],
        ["mean(appointments)", "sum(wait_minutes)", "sum(satisfaction_score)"],
    ),
    "Depot rounds": (
        depot,
        [("count(where on_time = yes) / count()", "higher", "rate"), ("sum(parcels_delivered)", "higher", "flow"),
         ("sum(cost) / sum(parcels_delivered)", "lower", "rate"),
         ("sum(fuel_litres) / sum(parcels_delivered)", "lower", "rate")],
        ["mean(cost)"],
    ),
    "School days": (
        school,
        [("sum(absent) / sum(enrolled_pupils)", "lower", "rate"), ("mean(homework_handed_in_share)", "higher", "rate"),
         ("sum(detentions) / sum(enrolled_pupils)", "lower", "rate")],
        ["sum(homework_handed_in_share)"],
    ),
    "Plant shifts": (
        plant,
        [("sum(scrap_units) / sum(", "lower", "rate"), ("sum(output_units)", "higher", "flow"), ("sum(downtime_hours)", "lower", "flow")],
        ["planned_output_units)", "order_no"],
    ),
    "Help desk tickets": (
        help_desk,
        [('count(where status = "resolved") / count()', "higher", "rate"), ("mean(resolution_minutes)", "lower", "rate"),
         ("count(where reopened = yes) / count()", "lower", "rate"), ("count()", "higher", "flow")],
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

    def make(self, key: str, dropped: list[str]) -> Any:
        before = {kind: self.keys(kind) for kind in ("kpis", "yardsticks", "scorecards")}
        answer = self.client.post(
            "/api/from-rows/make", json={"dataset": key, "title": "From rows", "dropped": dropped}
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
                self.assertTrue(all(item["reason"].endswith(".") for item in found["items"]))
                page = self.client.get(f"/api/scorecards/{made['id']}/page").json()
                self.assertEqual([i["problem"] for i in page["instruments"] if i["problem"]], [])
                graded = sum(
                    part["count"] for part in page["tally"] if part["state"] not in ("not_graded", "no_reading")
                )
                counted = sum(part["count"] for part in page["tally"])
                self.assertGreater(graded, 0.9 * counted, page["tally"])
                titles = [section["title"] for section in made["body"]["sections"]]
                self.assertEqual(titles[0], "At a glance")
                self.assertTrue(any(title.startswith("By ") for title in titles))
                self.doCleanups()

    def test_a_plan_in_the_rows_is_the_target_and_last_year_the_mark_where_there_is_one(self) -> None:
        found = self.propose(self.upload("Plant", *plant()))
        says = {(item["kind"], item["name"]): item["says"] for item in found["items"]}
        self.assertEqual(says["mark", "Output units"], "target: sum(planned_output_units)")
        self.assertEqual(says["mark", "Downtime hours"], "last year: the same period a year earlier")
        self.assertIn("Planned output units", {one["name"] for one in found["left_out"]})
        short = self.propose(self.upload("Depot", *depot()))
        self.assertTrue(any(i["kind"] == "mark" and "median" in i["reason"] for i in short["items"]))

    def test_what_is_dropped_takes_what_needs_it_along(self) -> None:
        key = self.upload("Depot", *depot())
        items = self.propose(key)["items"]
        costs = next(i["id"] for i in items if i["kind"] == "kpi" and i["name"] == "Cost per parcel delivered")
        marks = [i["id"] for i in items if i["kind"] == "mark"]
        card = self.make(key, [costs, marks[0]])
        instruments = [i for section in card["body"]["sections"] for i in section["instruments"]]
        formulas = [self.client.get(f"/api/kpis/{i['kpi']}").json()["body"]["formula"] for i in instruments]
        self.assertFalse([formula for formula in formulas if "cost" in formula])
        bare = [i for i in instruments if not i["marks"]]
        self.assertTrue(bare and all(i["yardstick"] is None for i in bare))

    def test_rows_without_a_period_and_live_ones_are_refused_with_what_to_do(self) -> None:
        for key in ("routes", "bookings"):
            answer = self.client.post("/api/from-rows", json={"dataset": key})
            self.assertEqual(answer.status_code, 422, answer.text)
            self.assertTrue(answer.json()["detail"])
        self.assertEqual(self.client.post("/api/from-rows", json={"dataset": "nowhere"}).status_code, 404)
        one = self.upload("One row", ["Day", "Size"], [["2026-10-01", "4"]])
        self.assertTrue(self.propose(one)["items"])
