"""The demo: the same rows on every run, and every trap it is meant to hold."""

import unittest

import polars as pl

from ironmark.core.faces import FACES
from ironmark.demo import content, sailings, scorecards
from tests import world


class Rows(unittest.TestCase):
    def test_are_the_same_on_every_run(self) -> None:
        self.assertTrue(sailings.sailings().equals(sailings.sailings()))
        self.assertTrue(sailings.safety().equals(sailings.safety()))

    def test_about_thirty_thousand_over_twenty_two_months_the_last_partial(self) -> None:
        frame = sailings.sailings()
        self.assertAlmostEqual(frame.height, 30_000, delta=500)
        months = frame["date"].dt.strftime("%Y-%m").unique().sort().to_list()
        self.assertEqual((len(months), months[0], months[-1]), (22, "2025-02", "2026-11"))
        self.assertEqual(frame["date"].max(), sailings.THROUGH)

    def test_a_cancelled_sailing_has_no_figures(self) -> None:
        void = sailings.sailings().filter(pl.col("cancelled") == "yes")
        self.assertGreater(void.height, 100)
        self.assertEqual(void["delay_minutes"].null_count(), void.height)
        self.assertEqual(void["fare_revenue"].null_count(), void.height)

    def test_months_without_rows_are_there(self) -> None:
        frame = sailings.sailings().with_columns(pl.col("date").dt.strftime("%Y-%m").alias("month"))
        for route, year, month in sailings.CLOSED:
            self.assertEqual(
                frame.filter((pl.col("route") == route) & (pl.col("month") == f"{year}-{month:02d}")).height, 0
            )


class Arrangement(unittest.TestCase):
    def test_the_scorecards_use_every_face_and_all_can_be_read(self) -> None:
        client, faces = world.running().client, set()
        for key in scorecards.SCORECARDS:
            body = client.get(f"/api/scorecards/{key}").json()["body"]
            faces |= {i["face"] for section in body["sections"] for i in section["instruments"]}
            drawn = client.post("/api/scorecards/read", json={"body": body}).json()
            for picture in drawn["instruments"]:
                self.assertTrue(picture["problem"] is None or picture["waiting"], picture["problem"])
        self.assertEqual(faces, set(FACES))


class Traps(unittest.TestCase):
    def setUp(self) -> None:
        self.client = world.running().client

    def readings(self, kpi: str, yardstick: str, period: str = "2026-10", **rest: object) -> list[dict[str, object]]:
        instrument = {"id": "i", "kpi": kpi, "face": "bullet", "yardstick": yardstick, **rest}
        body = {"title": "t", "scope": {"period": period}, "sections": [{"id": "s", "instruments": [instrument]}]}
        found = self.client.post("/api/scorecards/read", json={"body": body}).json()
        read: list[dict[str, object]] = found["instruments"][0]["readings"]
        return read

    def test_a_value_exactly_on_a_cut_belongs_to_the_band_above(self) -> None:
        (crew,) = self.readings("crew-certified", "safety-share")
        self.assertEqual((crew["value"], crew["state"]), (0.85, "met"))

    def test_a_lower_is_better_and_a_range_kpi(self) -> None:
        states = {
            str(r["member"]): r["state"]
            for r in self.readings("fuel-per-mile", "fuel-limit", by="vessel", marks=["limit"])
        }
        self.assertEqual((states["Grey Wether"], states["Turnstone"]), ("short", "beyond"))
        (deck,) = self.readings("deck-load", "deck-range", marks=[])
        self.assertEqual((deck["state"], deck["band_words"]), ("met", "60% up to, not including, 75%"))

    def test_a_route_without_a_target_and_a_hand_kept_score(self) -> None:
        read = self.readings("revenue-per-sailing", "share-of-target", by="route")
        self.assertEqual([r["member"] for r in read if r["status"] == "not_graded"], ["Tarn Point – Lowsay"])
        scores = [r["value"] for r in self.readings("berth", "score", by="vessel", marks=[]) if r["value"] is not None]
        self.assertTrue(scores and all(1 <= float(str(score)) <= 3 for score in scores))

    def test_a_kpi_past_its_axis(self) -> None:
        found = [
            self.readings("fare-revenue", "share-of-target", period=f"2026-{m:02d}", axis={"high": 1_000_000})[0][
                "past"
            ]
            for m in (1, 7)
        ]
        self.assertEqual(found, [0, 1])

    def test_every_document_of_it_is_one_the_api_would_take(self) -> None:
        for kind, documents in (("yardsticks", content.YARDSTICKS), ("scorecards", scorecards.SCORECARDS)):
            for body in documents.values():
                made = self.client.post(f"/api/{kind}", json=body)
                self.assertEqual(made.status_code, 201, made.text)
                self.client.delete(f"/api/{kind}/{made.json()['id']}", headers={"If-Match": '"1"'}).raise_for_status()
