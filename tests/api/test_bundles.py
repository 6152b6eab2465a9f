"""Bundles read into another installation, and backups put back."""

import io
import json
import shutil
import subprocess
import sys
import tempfile
import unittest
import zipfile
from pathlib import Path
from typing import Any

from tests import world

CARDS = ("network-performance", "sailing-cost", "fleet-readiness")


def page(client: Any, card: str) -> Any:
    """A page without the versions it rests on, and without what a live source gives that has no password yet."""
    found = client.get(f"/api/scorecards/{card}/page?data=true&period=2026-10").json()
    found.pop("rests_on")
    for one in found["assumptions"]:
        one.pop("version")
    return found


class Bundles(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.client = world.running().client
        cls.empty = world.Running("--no-demo").start()
        cls.addClassCleanup(cls.empty.close)

    def send(self, path: str, body: bytes, client: Any = None, status: int = 200) -> Any:
        files = {"file": ("b.zip", body)}
        answer = (client or self.empty.client).post(path, files=files, timeout=120)
        self.assertEqual(answer.status_code, status, answer.text[:500])
        return answer.json()

    def test_a_pack_of_the_demo_gives_the_same_pages_elsewhere(self) -> None:
        asked = {"scorecard": [*CARDS, "service-health"]}
        packed = self.client.get("/api/bundle", params=asked).content
        self.assertEqual(packed, self.client.get("/api/bundle", params=asked).content)  # the same bytes
        with zipfile.ZipFile(io.BytesIO(packed)) as found:
            self.assertIn("datasets/sailings.parquet", found.namelist())
            self.assertNotIn("password", found.read("datasets/bookings.json").decode() if "datasets/bookings.json" in found.namelist() else "")  # fmt: skip
        report = self.send("/api/bundle/look", packed)
        self.assertTrue(all(item["what"] in ("new", "same") for item in report["items"]), report)
        self.assertEqual(self.empty.client.get("/api/scorecards").json(), [])
        self.send("/api/bundle", packed)
        for card in CARDS:
            self.assertEqual(page(self.empty.client, card), page(self.client, card), card)
        again = self.send("/api/bundle/look", packed)
        self.assertEqual({item["what"] for item in again["items"]}, {"same"})
        # What differs is told, kept as it is, and replaced only where that is asked for.
        found_kpi = self.empty.client.get("/api/kpis/on-time")
        body = found_kpi.json()["body"] | {"name": "Elsewhere"}
        self.empty.client.put("/api/kpis/on-time", json=body, headers={"If-Match": found_kpi.headers["etag"]})
        changed = [i for i in self.send("/api/bundle", packed)["items"] if i["what"] != "same"]
        self.assertEqual([(i["kind"], i["id"], i["what"]) for i in changed], [("kpi", "on-time", "changed")])
        self.assertEqual(self.empty.client.get("/api/kpis/on-time").json()["body"]["name"], "Elsewhere")
        self.send("/api/bundle?replace=true", packed)
        self.assertEqual(self.empty.client.get("/api/kpis/on-time").json()["body"]["name"], "On-time departures")
        # A handle that another one has here is a clash, and nothing is done.
        with zipfile.ZipFile(io.BytesIO(packed)) as found:
            files = {name: found.read(name) for name in found.namelist()}
        manifest = json.loads(files["manifest.json"])
        manifest["order"]["kpi"].append("other")
        files["manifest.json"] = json.dumps(manifest).encode()
        files["kpis/other.json"] = files["kpis/on-time.json"]
        clash = self.send("/api/bundle?replace=true", zipped(files), status=409)
        self.assertIn("@on_time is On-time departures here", clash["detail"])

    def test_editions_orders_and_holidays_travel_and_are_packed_the_same_elsewhere(self) -> None:
        card = "fleet-readiness"
        key = self.client.post("/api/editions", json={"scorecard": card, "note": "As of “today” & ΑΒΓ"}).json()["id"]
        self.client.post(f"/api/editions/{key}/publish")
        days = {"file": ("h.csv", b"2027-01-01\n2027-12-26\n")}
        holidays = self.client.post("/api/holidays", files=days, data={"name": "Tides"}).json()["id"]
        order = self.client.post("/api/standing", json={"scorecard": card, "holidays": holidays, "nth": 5}).json()
        asked = {"scorecard": card, "editions": True}
        packed = self.client.get("/api/bundle", params=asked).content
        other = world.Running("--no-demo").start()
        self.addCleanup(other.close)
        self.send("/api/bundle", packed, other.client)
        frozen = [c.get(f"/api/editions/{key}?data=true").json() for c in (self.client, other.client)]
        self.assertEqual(*frozen)
        self.assertEqual(other.client.get("/api/standing").json()[0]["body"], order["body"])
        again = other.client.get("/api/bundle", params=asked).content
        with zipfile.ZipFile(io.BytesIO(packed)) as one, zipfile.ZipFile(io.BytesIO(again)) as two:
            differ = [n for n in one.namelist() if n not in two.namelist() or one.read(n) != two.read(n)]
        self.assertEqual(differ, [])
        self.assertEqual(packed, again, "packed there it has the same bytes")
        self.assertEqual({i["what"] for i in self.send("/api/bundle/look", packed, other.client)["items"]}, {"same"})
        # An edition is never changed by a bundle.
        with zipfile.ZipFile(io.BytesIO(packed)) as found:
            files = {name: found.read(name) for name in found.namelist()}
        body = json.loads(files[f"editions/{key}.json"])
        files[f"editions/{key}.json"] = json.dumps(body | {"note": "Another one"}).encode()
        self.send("/api/bundle?replace=true", zipped(files), other.client, 409)
        tag = {"If-Match": f'"{order["version"]}"'}
        self.client.delete(f"/api/standing/{order['id']}", headers=tag)
        self.client.delete(f"/api/holidays/{holidays}")

    def test_what_no_route_would_keep_does_not_come_in(self) -> None:
        packed = self.client.get("/api/bundle", params={"scorecard": "fleet-readiness"}).content
        with zipfile.ZipFile(io.BytesIO(packed)) as found:
            files = {name: found.read(name) for name in found.namelist()}
        other = world.Running("--no-demo").start()
        self.addCleanup(other.close)
        order = json.loads(files["manifest.json"])["order"]
        kpi, dataset = f"kpis/{order['kpi'][0]}.json", f"datasets/{order['dataset'][0]}.json"
        yardstick = f"yardsticks/{order['yardstick'][0]}.json"
        manifest = json.loads(files["manifest.json"])

        def with_(name: str, change: dict[str, Any]) -> dict[str, bytes]:
            return files | {name: json.dumps(json.loads(files[name]) | change).encode()}

        columns = json.loads(files[dataset])["columns"]
        odd = [
            with_(kpi, {"formula": "sum(no_such_column)"}),
            with_(kpi, {"handle": "NOT a handle"}),
            with_(yardstick, {"kpi": "nowhere"}),
            with_(dataset, {"name": ""}),
            with_(dataset, {"columns": [*columns, columns[0]]}),
            with_(dataset, {"columns": [columns[0] | {"role": "king"}, *columns[1:]]}),
            files | {"manifest.json": json.dumps(manifest | {"order": order | {"kpi": ["../../etc"]}}).encode()},
        ]
        for at, one in enumerate(odd):
            with self.subTest(at):
                told = self.send("/api/bundle", zipped(one), other.client, 422)
                self.assertTrue(told["detail"])
        self.assertEqual(other.client.get("/api/kpis").json(), [])
        self.assertEqual(other.client.get("/api/datasets").json(), [])
        # What nothing names is not even inflated, however much of it there is.
        buffer = io.BytesIO(zipped(files))
        with zipfile.ZipFile(buffer, "a", zipfile.ZIP_DEFLATED) as more:
            for n in range(3):
                more.writestr(f"marks/nobody{n}.json", b" " * (64 << 20))
        self.send("/api/bundle", buffer.getvalue(), other.client)
        self.assertEqual(len(other.client.get("/api/scorecards").json()), 1)

    def test_the_example_can_be_read(self) -> None:
        report = self.send("/api/bundle/look", (world.ROOT / "docs" / "example-bundle.zip").read_bytes())
        self.assertIn("Fleet readiness", [item["name"] for item in report["items"] if item["kind"] == "scorecard"])

    def test_garbage_is_refused_and_changes_nothing(self) -> None:
        before = self.empty.client.get("/api/kpis").text
        for odd in (b"", b"PK\x03\x04", zipped({"manifest.json": b"{}"}), zipped({"manifest.json": b"["}),
                    zipped({"manifest.json": json.dumps({"format": "ironmark-bundle-1", "order": {"kpi": ["x"]}}).encode(), "calendar.json": b"{}", "kpis/x.json": b'{"name": 5}'}),
                    zipped({"manifest.json": json.dumps({"format": "ironmark-bundle-1", "order": 7}).encode(), "calendar.json": b"{}"})):  # fmt: skip
            for path in ("/api/bundle/look", "/api/bundle"):
                self.send(path, odd, status=422)
        self.assertEqual(self.empty.client.get("/api/kpis").text, before)
        self.assertEqual(self.client.get("/api/bundle?scorecard=nowhere").status_code, 404)


def zipped(files: dict[str, bytes]) -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as made:
        for name, body in files.items():
            made.writestr(name, body)
    return buffer.getvalue()


class OnTheCommandLine(unittest.TestCase):
    def run_it(self, *arguments: str) -> str:
        done = subprocess.run(
            [sys.executable, "-m", "ironmark", *arguments], cwd=world.ROOT, capture_output=True, text=True, timeout=120
        )
        self.assertEqual(done.returncode, 0, done.stderr + done.stdout)
        return done.stdout

    def test_pack_and_unpack_backup_and_restore(self) -> None:
        server = world.Running().start()
        self.addCleanup(server.close)
        place = Path(tempfile.mkdtemp(prefix="ironmark-test-"))
        self.addCleanup(shutil.rmtree, place, True)
        before = {card: page(server.client, card) for card in CARDS}
        edition = server.client.post("/api/editions", json={"scorecard": CARDS[0]}).json()["id"]
        frozen = server.client.get(f"/api/editions/{edition}?data=true").content
        self.run_it("pack", str(place / "b.zip"), "--data-dir", str(server.directory))
        self.run_it("backup", str(place / "b.sql.gz"), "--data-dir", str(server.directory))  # while the server runs
        for card in CARDS:
            tag = server.client.get(f"/api/scorecards/{card}").headers["etag"]
            server.client.delete(f"/api/scorecards/{card}", headers={"If-Match": tag})
        told = self.run_it("unpack", str(place / "b.zip"), "--data-dir", str(server.directory))
        self.assertIn("Nothing was changed", told)
        self.assertEqual(told.count("new      scorecard"), len(CARDS), told)
        self.run_it("unpack", str(place / "b.zip"), "--keep", "--data-dir", str(server.directory))
        self.assertEqual({card: page(server.client, card) for card in CARDS}, before)
        tag = server.client.get(f"/api/editions/{edition}").headers["etag"]
        server.client.delete(f"/api/editions/{edition}", headers={"If-Match": tag})
        self.assertEqual((place / "b.sql.gz").stat().st_mode & 0o777, 0o600, "its owner alone may read it")
        for arguments, said in (
            (("restore", str(place / "b.sql.gz")), "A server works on this database"),
            (("backup", str(place / "nowhere" / "b.sql.gz")), "There is no folder"),
        ):
            refused = subprocess.run(
                [sys.executable, "-m", "ironmark", *arguments, "--data-dir", str(server.directory)],
                cwd=world.ROOT, capture_output=True, text=True, timeout=120,
            )  # fmt: skip
            self.assertEqual(refused.returncode, 1)
            self.assertIn(said, refused.stderr)
        server.stop()
        (place / "odd.gz").write_bytes(b"not a backup")
        refused = subprocess.run(
            [sys.executable, "-m", "ironmark", "restore", str(place / "odd.gz"), "--data-dir", str(server.directory)],
            cwd=world.ROOT, capture_output=True, text=True, timeout=120,
        )  # fmt: skip
        self.assertEqual(refused.returncode, 1)
        self.assertIn("nothing was changed", refused.stderr)
        self.run_it("restore", str(place / "b.sql.gz"), "--data-dir", str(server.directory))
        server.start()
        self.assertEqual({card: page(server.client, card) for card in CARDS}, before)
        self.assertEqual(server.client.get(f"/api/editions/{edition}?data=true").content, frozen)


if __name__ == "__main__":
    unittest.main()
