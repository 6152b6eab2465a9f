"""Every KPI at a glance: the same as a KPI's own figures, kept by version, and read by the side where rows are many."""

import time
import unittest
from typing import Any
from unittest import mock

import numpy as np

from ironmark.pages.authoring import kpi_glances
from ironmark.pages.authoring.kpi_glances import Glance, KpiGlances
from ironmark.pages.context import source_registry
from ironmark.pages.context.source_registry import Sources
from tests import world

# A bakery: what each oven bakes, in Czech; the last one is cold.
OVENS = ("Pec č. 1", "Pec „Stará“", "<i>Kamna</i>")


def bakery(rows: int, more: float = 0) -> bytes:
    lines = [
        f"{1 + n % 28}.{1 + n % 10}.2026;{OVENS[n % 3]};{10 + n % 90 + more:.1f}".replace(".5", ",5")
        for n in range(rows)
    ]
    return ("Den;Pec;Bochníky\n" + "\n".join(lines) + "\n").encode()


class Lists(unittest.TestCase):
    def setUp(self) -> None:
        self.client = world.running().client

    def dataset(self, name: str, rows: int) -> str:
        made = self.client.post("/api/datasets", files={"file": (f"{name}.csv", bakery(rows))})
        self.assertEqual(made.status_code, 201, made.text)
        self.value = next(c["name"] for c in made.json()["columns"] if c["role"] == "measure")
        return str(made.json()["id"])

    def kpi(self, handle: str, dataset: str, formula: str) -> dict[str, Any]:
        body = {
            "handle": handle,
            "name": f"Bochníky {handle}",
            "dataset": dataset,
            "formula": formula,
            "nature": "flow",
        }
        made = self.client.post("/api/kpis", json=body)
        self.assertEqual(made.status_code, 201, made.text)
        found: dict[str, Any] = made.json()
        return found

    def listed(self, key: str, waited: bool = True) -> dict[str, Any]:
        """A KPI as the list has it, once it is read."""
        until = time.monotonic() + 60
        while True:
            found = next(one for one in self.client.get("/api/kpis/glances").json() if one["id"] == key)
            if not (waited and found["waiting"]) or time.monotonic() > until:
                return dict(found)
            time.sleep(0.1)

    def test_what_is_listed_is_what_the_kpi_says(self) -> None:
        every = {one["id"]: one["body"] for one in self.client.get("/api/kpis").json()}
        checked = 0
        for key, body in every.items():
            found = self.listed(key)
            if found["problem"]:
                continue
            asked = {"body": body, "key": key, "period": "complete"}
            typed = self.client.post("/api/kpis/preview", json=asked).json()
            if typed.get("results") and typed["period_label"] == found["period"]:
                whole = [one for one in typed["results"] if not one["partial"]]
                self.assertEqual(whole[-1]["shown"], found["shown"], body["name"])
                checked += 1
        self.assertGreater(checked, 8)

    def test_whatever_it_rests_on_is_noticed(self) -> None:
        dataset = self.dataset("pekárna", 300)
        kpi = self.kpi("upeceno", dataset, f"sum({self.value})")
        ratio = self.kpi("na_den", dataset, "@upeceno / 28")
        before, other = self.listed(kpi["id"]), self.listed(ratio["id"])
        self.assertEqual(before, self.listed(kpi["id"], waited=False))
        # A formula, and what names it.
        body = kpi["body"] | {"formula": f"sum({self.value}) * 2"}
        self.client.put(f"/api/kpis/{kpi['id']}", json=body, headers={"If-Match": '"1"'}).raise_for_status()
        self.assertNotEqual(self.listed(kpi["id"])["shown"], before["shown"])
        self.assertNotEqual(self.listed(ratio["id"])["shown"], other["shown"])
        # A target: its line in the small history.
        line = self.listed(kpi["id"])["target"]
        mark = {"name": "target", "whose": "together", "of": {}, "since": "2026-01", "value": 5000}
        answer = self.client.post(f"/api/kpis/{kpi['id']}/marks", json={"changes": [mark]}, headers={"If-Match": '"0"'})
        self.assertEqual(answer.status_code, 200, answer.text)
        self.assertNotEqual(self.listed(kpi["id"])["target"], line)
        # Rows.
        files = {"file": ("pekárna.csv", bakery(300, more=5))}
        shown = self.listed(kpi["id"])["shown"]
        held = self.client.get(f"/api/datasets/{dataset}").json()
        answer = self.client.post(
            f"/api/datasets/{dataset}/rows?how=replace", files=files, headers={"If-Match": f'"{held["version"]}"'}
        )
        self.assertLess(answer.status_code, 300, answer.text)
        self.assertNotEqual(self.listed(kpi["id"])["shown"], shown)
        # One that is gone.
        self.client.delete(f"/api/kpis/{ratio['id']}", headers={"If-Match": '"1"'}).raise_for_status()
        self.assertNotIn(ratio["id"], [one["id"] for one in self.client.get("/api/kpis/glances").json()])

    def test_many_rows_are_read_by_the_side(self) -> None:
        dataset = self.dataset("velká pekárna", kpi_glances.FEW_ROWS + 20_000)
        keys = [self.kpi(f"upeceno_{at}", dataset, f"sum({self.value}) + {at}")["id"] for at in range(5)]
        found = self.client.get("/api/kpis/glances").json()
        self.assertTrue(all(one["waiting"] for one in found if one["id"] in keys))
        read = [self.listed(key) for key in keys]
        self.assertEqual([one["problem"] for one in read], [""] * 5)
        self.assertTrue(all(one["line"] for one in read))

    def test_a_list_stands_without_a_row_being_read(self) -> None:
        for one in self.client.get("/api/kpis/glances").json():
            self.listed(one["id"])
        known = {one["id"]: one for one in self.client.get("/api/kpis/glances").json() if not one["problem"]}
        sources = Sources(world.engine())
        unread = mock.patch.object(source_registry.datasets, "rows", side_effect=AssertionError("rows were read"))
        with unread, sources.readings() as session:
            found = {one.id: one.model_dump() for one in KpiGlances(sources).listed(session)}
        kept = {key: one for key, one in found.items() if not one["waiting"] and not one["problem"]}
        live = [key for key in known if key not in kept]
        self.assertEqual(kept, {key: known[key] for key in kept})
        self.assertLessEqual(len(live), 4, live)  # live sources have no versions

    def test_what_fails_is_told_and_holds_up_no_other(self) -> None:
        sources, bad = Sources(world.engine()), self.client.get("/api/kpis").json()[0]["id"]
        true = kpi_glances.glance_at

        def worked(context: Any, key: str, name: str | None) -> Glance:
            if key == bad:
                raise np.linalg.LinAlgError("a fault of ours")
            return true(context, key, name)

        glances = KpiGlances(sources)
        until = time.monotonic() + 60
        with (
            mock.patch.object(kpi_glances, "glance_at", worked),
            mock.patch.object(kpi_glances.kpi_glances, "kept", lambda *_: {}),
            mock.patch.object(kpi_glances.kpi_glances, "put"),
        ):
            while time.monotonic() < until:
                with sources.readings() as session:
                    found = {one.id: one for one in glances.listed(session)}
                if not any(one.waiting for one in found.values()):
                    break
                time.sleep(0.1)
        self.assertIn("ours", found[bad].problem)
        self.assertGreater(sum(not one.problem and not one.waiting for one in found.values()), 8)
