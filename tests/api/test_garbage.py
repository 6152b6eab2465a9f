"""Garbage sent to every endpoint: a problem document each time, never a 500, and nothing changed."""

import json
import unittest
from typing import Any

from tests import world

ODD = [
    "",
    "nowhere",
    "%00",
    "..%2f..%2fetc",
    "a" * 300,
    "'; DROP TABLE records; --",
    "路线",
    "%ED%A0%BD",
    "-1",
    "null",
]
BODIES: list[bytes] = [
    b"", b"{", b"null", b"[]", b"0", b'"text"', b"{}", b'{"body": 5}', b"\xff\xfe\x00", b'{"a":' * 500 + b"1" + b"}" * 500,
    b'{"title": "\\ud800", "name": "\\ud800"}', b'{"body": {"bands": ["short", "met"], "cuts": [{"offset": NaN}]}}',
    json.dumps({"title": "x" * 10_000, "sections": [{}] * 80}).encode(),
    json.dumps({"changes": [{"name": "target", "since": "9999-99", "value": 1e999}]}).encode(),
    json.dumps({"instrument": {"id": "i", "kpi": "nothing", "x": -5, "w": 99}, "scope": {"period": "yesterday"}}).encode(),
]  # fmt: skip

STREAM = "/api/changes"  # which lasts, and takes nothing


class Garbage(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.client = world.running().client
        described = cls.client.get("/api/openapi.json").json()["paths"]
        cls.paths: dict[str, dict[str, Any]] = {path: one for path, one in described.items() if path != STREAM}

    def everything(self) -> str:
        return "".join(
            self.client.get(f"/api/{kind}").text
            for kind in ("scorecards", "kpis", "yardsticks", "datasets", "assumptions", "cases")
        )

    def hold(self, method: str, path: str, **options: Any) -> None:
        answer = self.client.request(method, path, **options)
        told = f"{method} {path[:80]} {str(options)[:120]}: {answer.status_code} {answer.text[:200]}"
        self.assertLess(answer.status_code, 500, told)
        if answer.status_code >= 400:
            self.assertEqual(answer.headers["content-type"], "application/problem+json", told)
            problem = answer.json()
            self.assertTrue(problem["title"] and problem["detail"], told)
            self.assertEqual(problem["status"], answer.status_code)

    def test_every_endpoint_answers_garbage_with_a_problem(self) -> None:
        before = self.everything()
        for path, methods in self.paths.items():
            for method in methods:
                for key in ODD if "{key}" in path else [""]:
                    where = path.replace("{key}", key)
                    if method in ("get", "delete"):
                        for match in ('"1"', "", "garbage", '"99999999999"', '"-1"'):
                            self.hold(method, where, headers={"If-Match": match})
                    else:
                        for body in BODIES if key in ("", "nowhere") else BODIES[:3]:
                            headers = {"Content-Type": "application/json", "If-Match": '"1"'}
                            self.hold(method, where, content=body, headers=headers)
                        self.hold(
                            method, where, content=b"a=1", headers={"Content-Type": "application/x-www-form-urlencoded"}
                        )
        self.assertEqual(self.everything(), before)

    def test_real_keys_with_garbage_bodies_change_nothing(self) -> None:
        before = self.everything()
        keys = {  # of kinds there is something of in the demo
            "scorecards": "network-performance",
            "kpis": "on-time",
            "yardsticks": "punctuality",
            "datasets": "sailings",
            "specimens": "plain",
            "assumptions": "fuel-price",
            "cases": "dear-fuel",
            "front": "network-performance",
        }
        for path, methods in self.paths.items():
            # A new token for machines needs nothing but the dataset, so that garbage beside it does no harm.
            for method in set(methods) - {"get", "delete"} if not path.endswith("/token") else ():
                kind = path.split("/")[2]
                if "{key}" in path:
                    for body in BODIES:
                        headers = {"Content-Type": "application/json", "If-Match": '"1"'}
                        self.hold(method, path.replace("{key}", keys.get(kind, "none")), content=body, headers=headers)
        for query in ("name=%00", "by=nowhere", "year=0", "year=9999999", "year=x", "name=" + "x" * 90):
            self.hold("get", f"/api/kpis/on-time/marks?{query}")
        self.assertEqual(self.everything(), before)

    def test_extreme_numbers_are_drawn_or_refused_but_never_fail(self) -> None:
        edges = [0.0, -1e300, 1e300, 1e-300, 1e15, float("inf")]
        base = {"id": "i", "kpi": "on-time", "face": "dial", "yardstick": "punctuality"}
        for low in (*edges, None):
            for high in (*edges, None):
                instrument = base | {"axis": {"low": low, "high": high}}
                body = json.dumps({"instrument": instrument}).replace("Infinity", "1e999")
                self.hold(
                    "post", "/api/scorecards/faces", content=body.encode(), headers={"Content-Type": "application/json"}
                )
        for factor in edges:
            for offset in edges:
                cut = {"mark": "target", "factor": factor, "offset": offset}
                strip = {
                    "body": {"name": "x", "bands": ["short", "met"], "cuts": [cut]},
                    "kpi": "on-time",
                    "rehearse": offset,
                }
                body = json.dumps(strip).replace("Infinity", "1e999")
                self.hold(
                    "post", "/api/yardsticks/strip", content=body.encode(), headers={"Content-Type": "application/json"}
                )
        change = {"name": "target", "since": "2026-01", "value": 1e300}
        self.hold("post", "/api/kpis/fare-revenue/marks/try", json={"changes": [change], "by": "route"})
        rows = b"day,x\n2026-01-02,1e308\n2026-02-02,-1e308\n2026-03-02,1e-308\n"
        made = self.client.post("/api/datasets", files={"file": ("huge.csv", rows)}).json()
        for formula in ("sum(x)", "sum(x) * sum(x)", "sum(x) / 1e308", "max(x) - min(x)"):
            kpi = {"handle": "huge", "name": "Huge", "dataset": made["id"], "formula": formula}
            self.hold("post", "/api/kpis/preview", json={"body": kpi})
            key = self.client.post("/api/kpis", json=kpi).json().get("id")
            if key:
                for period in ("2026-01", "2026-02", "2026-03"):
                    ask = {"instrument": base | {"kpi": key, "yardstick": None}, "scope": {"period": period}}
                    self.hold("post", "/api/scorecards/faces", json=ask)
                    self.hold("post", "/api/scorecards/workings", json=ask)
                self.hold("post", "/api/yardsticks/propose", json={"kpi": key})
                self.client.delete(f"/api/kpis/{key}", headers={"If-Match": '"1"'})
        self.client.delete(f"/api/datasets/{made['id']}", headers={"If-Match": '"1"'})

    def test_a_segment_nobody_has_is_a_problem_everywhere(self) -> None:
        yardstick = self.client.get("/api/yardsticks/punctuality").json()["body"]
        change = {"name": "target", "since": "2026-01", "value": 0.9}
        for path, body in (
            ("/api/yardsticks/strip", {"body": yardstick, "kpi": "on-time", "by": "harbour"}),
            ("/api/yardsticks/propose", {"kpi": "on-time", "by": "harbour"}),
            ("/api/kpis/on-time/marks/try", {"changes": [change], "by": "harbour"}),
            ("/api/scorecards/workings", {"instrument": {"id": "i", "kpi": "on-time", "by": "harbour"}}),
        ):
            with self.subTest(path):
                answer = self.client.post(path, json=body)
                self.assertEqual(answer.status_code, 422, answer.text)
                self.assertIn("harbour", answer.json()["detail"])
        faces = self.client.post(
            "/api/scorecards/faces", json={"instrument": {"id": "i", "kpi": "on-time", "by": "harbour"}}
        )
        self.assertIn("harbour", faces.json()[0]["picture"]["problem"])

    def test_a_write_without_a_version_or_with_an_old_one_is_refused(self) -> None:
        for kind, key in (("scorecards", "network-performance"), ("kpis", "on-time"), ("yardsticks", "punctuality")):
            body = self.client.get(f"/api/{kind}/{key}").json()["body"]
            with self.subTest(kind):
                path = f"/api/{kind}/{key}"
                self.assertEqual(self.client.put(path, json=body).status_code, 428)
                answer = self.client.put(path, json=body, headers={"If-Match": '"999"'})
                self.assertEqual(answer.status_code, 412)
                self.assertEqual(answer.json()["where"]["saw"], 999)
                self.assertIn("Take the newer one", answer.json()["detail"])
                self.assertEqual(
                    self.client.delete(path, headers={"If-Match": '"999"'}).status_code,
                    412 if kind == "scorecards" else 409,
                )

    def test_other_sites_and_other_hosts_are_kept_out(self) -> None:
        body = {"title": "Planted", "sections": []}
        answer = self.client.post("/api/scorecards", json=body, headers={"Origin": "http://elsewhere.example"})
        self.assertEqual(answer.status_code, 403)
        self.assertEqual(self.client.get("/api/health", headers={"Host": "elsewhere.example"}).status_code, 421)
        own = {"Origin": world.running().address}
        made = self.client.post("/api/scorecards", json=body, headers=own)
        self.assertEqual(made.status_code, 201)
        self.client.delete(f"/api/scorecards/{made.json()['id']}", headers={"If-Match": '"1"'}).raise_for_status()

    def test_a_body_beyond_all_measure_is_refused(self) -> None:
        self.hold(
            "post",
            "/api/scorecards/read",
            content=b" " * (5 * 1024 * 1024),
            headers={"Content-Type": "application/json"},
        )
