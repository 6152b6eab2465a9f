"""A second world for the tests, of another trade than the demo's: beekeepers who sell honey. Other words and languages,
odd names, datasets that end on different days, members without rows, rows that could not be fetched or are held back, a
draft, and a scorecard that was deleted and one that reads nothing."""

from __future__ import annotations

import datetime as dt
import http.server
import threading
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

from tests import world

# Where the hives stand. The last one brings nothing for months.
STANDS = (
    "Süd & Söhne", "مَنحل التل الشمالي", "<b>Wabe</b>", "Der Bienenstand hinter der alten Mühle am oberen Weiher, Teil 2",
    "Ōsaka‑Höhe, „Nord“", "Ruht",
)  # fmt: skip
KINDS = ("Linde", "Heide & Tanne", "Raps")
THROUGH = {"ernte": dt.date(2026, 10, 14), "kosten": dt.date(2026, 9, 30), "besuche": dt.date(2026, 10, 11)}


class Elsewhere:
    """A server from which rows are fetched by the clock: some that answer, some that do not, some that shrink."""

    def __init__(self) -> None:
        outer = self
        self.shrunk = False

        class Handler(http.server.BaseHTTPRequestHandler):
            def do_GET(self) -> None:
                body = outer.rows(self.path).encode()
                self.send_response(503 if outer.shrunk and "broken" in self.path else 200)
                self.send_header("Content-Length", str(len(body)))
                self.end_headers()
                self.wfile.write(body)

            def log_message(self, *_: Any) -> None:
                pass

        self.server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), Handler)
        threading.Thread(target=self.server.serve_forever, daemon=True).start()

    def address(self, name: str) -> str:
        return f"http://127.0.0.1:{self.server.server_port}/{name}.csv"

    def rows(self, path: str) -> str:
        many = 3 if self.shrunk and "shrinking" in path else 24
        lines = [f"2026-{n % 9 + 1:02d}-1{n % 3},{STANDS[n % 4].replace(',', ' ')},{20 + n}" for n in range(many)]
        return "Datum,Stand,Grad\n" + "\n".join(lines) + "\n"

    def close(self) -> None:
        self.server.shutdown()
        self.server.server_close()


@dataclass
class Apiary:
    """The server, and the keys of what is kept in it, by kind."""

    server: world.Running
    elsewhere: Elsewhere
    keys: dict[str, list[str]] = field(default_factory=dict)
    deleted: str = ""

    @property
    def client(self) -> Any:
        return self.server.client

    def ok(self, method: str, path: str, **options: Any) -> Any:
        answer = self.client.request(method, path, **options)
        assert answer.status_code < 300, f"{method} {path}: {answer.status_code} {answer.text[:600]}"
        return answer.json() if answer.content else None

    def make(self, kind: str, body: dict[str, Any], path: str = "") -> str:
        key = str(self.ok("post", path or f"/api/{kind}", json=body)["id"])
        self.keys.setdefault(kind, []).append(key)
        return key

    def tag(self, path: str) -> dict[str, str]:
        return {"If-Match": self.client.get(path).headers["etag"]}

    def change(self, method: str, path: str, body: Any, of: str = "") -> Any:
        return self.ok(method, path, json=body, headers=self.tag(of or path))

    def upload(self, name: str, head: str, rows: list[tuple[Any, ...]], roles: dict[str, str], through: dt.date) -> str:
        def cell(value: Any) -> str:
            return "" if value is None else '"' + str(value).replace('"', '""') + '"'

        text = head + "\n" + "\n".join(";".join(map(cell, row)) for row in rows)
        made = self.ok("post", "/api/datasets", files={"file": (f"{name}.csv", text.encode())})
        columns = [
            {"name": c["name"], "label": c["label"], "role": roles.get(c["name"], c["role"])} for c in made["columns"]
        ]
        self.change(
            "patch", f"/api/datasets/{made['id']}", {"name": name, "columns": columns, "through": through.isoformat()}
        )
        self.keys.setdefault("datasets", []).append(made["id"])
        return str(made["id"])


@lru_cache(maxsize=1)
def apiary() -> Apiary:
    """Built once a run."""
    server = world.Running("--no-demo", "--fetch-from", "127.0.0.1").start()
    elsewhere = Elsewhere()
    world.at_the_end(server.close)
    world.at_the_end(elsewhere.close)
    made = Apiary(server, elsewhere)
    _build(made)
    return made


def _days(first: dt.date, last: dt.date, step: int) -> list[dt.date]:
    return [first + dt.timedelta(days=n) for n in range(0, (last - first).days + 1, step)]


def _build(at: Apiary) -> None:
    at.change("put", "/api/calendar", {"year_start": 4, "locale": "de_DE"})
    harvest = at.upload(
        "Ernte", "Tag;Stand;Sorte;Menge kg;Völker;Wasser",
        [
            (day, STANDS[n % 5], KINDS[n % 3], round(4 + n % 11 * 1.5 + day.month / 4, 1), 3 + n % 4, None if n % 9 == 0 else 16 + n % 5)
            for n, day in enumerate(_days(dt.date(2025, 3, 3), THROUGH["ernte"], 2))
            if not (day.month == 1 and day.year == 2026)
        ] + [(dt.date(2025, 4, 2), STANDS[5], KINDS[0], 1.5, 1, 18)],
        {"tag": "period", "stand": "segment", "sorte": "segment", "menge_kg": "measure", "völker": "measure", "wasser": "measure"},
        THROUGH["ernte"],
    )  # fmt: skip
    costs = at.upload(
        "Kosten & Löhne", "Monat;Stand;Betrag €",
        [
            (dt.date(2025 + (2 + n) // 12, (2 + n) % 12 + 1, 1), stand, 90 + n * 3 + len(stand))
            for n in range(19) for stand in STANDS[:4]
        ],
        {"monat": "period", "stand": "segment", "betrag": "measure"}, THROUGH["kosten"],
    )  # fmt: skip
    visits = at.upload(
        "Besuche", "Woche;Anlass;Zahl",
        [(day, ("Führung", "Verkauf")[n % 2], 5 + n % 13) for n, day in enumerate(_days(dt.date(2025, 6, 2), THROUGH["besuche"], 7))],
        {"woche": "period", "anlass": "segment", "zahl": "measure"}, THROUGH["besuche"],
    )  # fmt: skip
    stands = at.ok("post", "/api/datasets", files={"file": ("Stände.csv", ("Stand;Bezirk\n" + "\n".join(f'"{s}";{"Ost & West" if n % 2 else "Nörd"}' for n, s in enumerate(STANDS[:4]))).encode())})  # fmt: skip
    at.keys["datasets"].append(stands["id"])
    roles = [{"name": c["name"], "label": c["label"], "role": "segment" if c["name"] == "stand" else c["role"]} for c in stands["columns"]]  # fmt: skip
    at.change("patch", f"/api/datasets/{stands['id']}", {"name": "Stände", "columns": roles})
    at.change("put", f"/api/datasets/{harvest}/lookups", {"lookups": [
        {"dataset": stands["id"], "on": [{"here": "stand", "there": "stand"}], "take": [{"column": "bezirk"}]}
    ]}, f"/api/datasets/{harvest}")  # fmt: skip
    at.change("put", f"/api/datasets/{harvest}/derived", {"derived": [
        {"label": "Wochenteil", "formula": 'if(weekday(tag) in ("Saturday", "Sunday"), "Ende", "Mitte")', "role": "segment"}
    ]}, f"/api/datasets/{harvest}")  # fmt: skip
    sheet = at.make("datasets", {"name": "Güte, von Hand", "labels": ["Monat", "Stand", "Note"], "rows": [
        [f"2026-{m:02d}-01", stand, str(1 + (m + n) % 3)] for m in range(1, 9) for n, stand in enumerate(STANDS[:3])
    ]}, "/api/datasets/typed")  # fmt: skip
    at.make("datasets", {"name": "Winterfest?", "day": "2026-10-01", "items": list(STANDS[:3]), "steps": ["Füttern", "Dämmen & decken"], "done": [[True, False], [True, True], [False, False]]}, "/api/datasets/checklists")  # fmt: skip
    checklist = at.keys["datasets"][-1]
    _by_the_clock(at)
    _documents(at, harvest, costs, visits, sheet, checklist)


def _by_the_clock(at: Apiary) -> None:
    """One dataset whose rows cannot be fetched any more, and one whose new rows are held back."""
    for name in ("broken", "shrinking"):
        body = {"name": f"Wetter, {name}", "origin": {"kind": "address", "url": at.elsewhere.address(name)}}
        asked = at.ok("post", "/api/datasets/kept", json=body)
        done = world.until(lambda asked=asked: at.client.get(f"/api/uploads/{asked['id']}").json(), lambda u: u["state"] != "running")  # type: ignore[misc]  # fmt: skip
        at.keys["datasets"].append(done["dataset"])
        at.keys.setdefault("uploads", []).append(asked["id"])
    at.elsewhere.shrunk = True
    for key, state in zip(at.keys["datasets"][-2:], ("failed", "held"), strict=True):
        at.ok("post", f"/api/datasets/{key}/refresh/now")
        world.until(lambda key=key: at.client.get(f"/api/datasets/{key}/refresh").json()["state"], lambda found, state=state: found == state)  # type: ignore[misc]  # fmt: skip


def _documents(at: Apiary, harvest: str, costs: str, visits: str, sheet: str, checklist: str) -> None:
    broken, shrinking = at.keys["datasets"][-2:]
    euros, kilos = (
        {"kind": "currency", "decimals": 0, "currency": "EUR"},
        {"kind": "number", "decimals": 1, "text": "kg"},
    )
    sugar = {"handle": "zuckerpreis", "name": "Zuckerpreis", "unit": {"kind": "currency", "decimals": 2, "currency": "EUR"}, "value": 1.2, "least": 0.5, "most": 3, "step": 0.1}  # fmt: skip
    at.make("assumptions", sugar)
    kpis: dict[str, str] = {}
    for handle, name, dataset, formula, more in (
        ("ernte", "Ernte", harvest, "sum(menge_kg)", {"nature": "flow", "unit": kilos}),
        ("wasser", "Wasser <18 % im Glas", harvest, "count(where wasser <= 18) / count(where wasser is filled)", {"unit": {"kind": "percent", "decimals": 1}}),
        ("voelker", "Völker", harvest, "sum(völker)", {"nature": "stock"}),
        ("kosten", "Kosten", costs, "sum(betrag)", {"nature": "flow", "unit": euros, "direction": "lower"}),
        ("kosten_je_kg", "Kosten je Kilo", harvest, "@kosten / @ernte", {"unit": euros | {"decimals": 2}, "direction": "lower"}),
        ("zucker", "Zucker", harvest, "sum(völker) * @zuckerpreis", {"unit": euros, "direction": "lower", "nature": "rate"}),
        ("ernte_12", "Ernte, zwölf Monate", harvest, "rolling(sum(menge_kg), 12)", {"nature": "stock", "unit": kilos}),
        ("fuehrungen", "Führungen", visits, "sum(zahl where anlass = “Führung”)".replace("“", '"').replace("”", '"'), {"nature": "flow"}),
        ("note", "Note", sheet, "mean(note)", {"direction": "inside", "unit": {"kind": "number", "decimals": 1}}),
        ("winter", "Winterfest", checklist, "count(where done = yes) / count()", {"unit": {"kind": "percent", "decimals": 0}}),
        ("grad", "Grad", broken, "mean(grad)", {}), ("grad2", "Grad, zurückgehalten", shrinking, "mean(grad)", {}),
        ("leer", "Liest nichts", harvest, "sum(menge_kg where sorte = “Klee”)".replace("“", '"').replace("”", '"'), {"nature": "flow"}),
    ):  # fmt: skip
        kpis[handle] = at.make("kpis", {"handle": handle, "name": name, "dataset": dataset, "formula": formula, "owner": "Imkerin Jørgensen", **more})  # fmt: skip
    at.make("kpis", {"handle": "gesamt", "name": "Alles in allem", "dataset": harvest, "unit": {"kind": "percent", "decimals": 0}, "composite": {
        "parts": [{"kpi": kpis["ernte"], "weight": 2}, {"kpi": kpis["wasser"]}], "by": "attainment"}})  # fmt: skip
    kpis["gesamt"] = at.keys["kpis"][-1]
    palette = at.make("palettes", {"name": "Imkers Farben", "states": [
        {"key": "arm", "name": "Arm", "sign": "far-under", "colour": "#8c2d19"}, {"key": "reich", "name": "Reich & satt", "sign": "far-over", "colour": "#2c5f8a"},
    ]})  # fmt: skip
    own = at.make("yardsticks", {"name": "Gegen das Ziel", "bands": [f"{palette}-arm", f"{palette}-reich"], "cuts": [{"mark": "target", "factor": 0.9}]})  # fmt: skip
    plain = at.make("yardsticks", {"name": "Vier Stufen", "bands": ["short", "near", "met", "beyond"], "cuts": [{"mark": "target", "factor": f} for f in (0.8, 1.0, 1.2)], "kpi": kpis["ernte"]})  # fmt: skip
    for handle, changes in {
        "ernte": [{"name": "target", "whose": "each", "of": {"stand": ""}, "since": "2025-01", "value": 60}],
        "wasser": [{"name": "target", "whose": "everyone", "of": {}, "since": "2025-04", "value": 0.6}],
        "kosten": [{"name": "target", "whose": "together", "of": {}, "since": "2025-01", "value": 600}],
        "voelker": [{"name": "target", "whose": "together", "of": {}, "since": "2025-01", "value": 20}],
    }.items():
        at.ok("post", f"/api/kpis/{kpis[handle]}/marks", json={"changes": changes, "sure": True}, headers={"If-Match": '"0"'})  # fmt: skip
    faces = [
        ("a", "ernte", "dial", {}), ("b", "ernte", "bullet", {"by": "stand"}), ("c", "wasser", "bar", {"by": "sorte"}),
        ("d", "kosten", "ledger", {"by": "stand"}), ("e", "kosten_je_kg", "figure", {}), ("f", "ernte", "history", {}),
        ("g", "voelker", "column", {}), ("h", "ernte_12", "figure", {"marks": []}), ("i", "note", "tile", {"by": "stand", "marks": []}),
        ("j", "winter", "pips", {"marks": []}), ("k", "grad", "figure", {"marks": []}), ("l", "grad2", "ranked", {"by": "stand", "marks": []}),
        ("m", "leer", "dial", {}), ("n", "fuehrungen", "strip", {"last": 12}), ("o", "gesamt", "ring", {"marks": []}),
        ("p", "zucker", "chip", {"by": "stand", "marks": []}), ("q", "wasser", "lamp", {"by": "bezirk"}), ("r", "ernte", "profile", {"by": "wochenteil"}),
    ]  # fmt: skip
    graded = {"ernte": plain, "wasser": own, "kosten": plain, "voelker": plain, "leer": plain}
    instruments = [
        {"id": key, "kpi": kpis[kpi], "face": face, "yardstick": graded.get(kpi), "x": n % 3 * 4, "y": n // 3 * 7, "w": 4, "h": 7, **more}
        for n, (key, kpi, face, more) in enumerate(faces)
    ]  # fmt: skip
    words = [{"id": "t", "text": "## Stand der Dinge & mehr\n\n{ernte} von {ernte: mark}; {wasser: gap}. {gibt_es_nicht}", "x": 0, "y": 0, "w": 12, "h": 4}]  # fmt: skip
    at.make("scorecards", {"title": "Ein Jahr mit Bienen & Honig <alt>", "folder": "Für alle", "owner": "Imkerin Jørgensen", "asks": {"worst": True}, "sections": [
        {"id": "s1", "title": "Ernte & Kosten", "instruments": instruments}, {"id": "s2", "title": "Gesagt", "texts": words},
    ]})  # fmt: skip
    at.make("scorecards", {"title": "Nur Wochen", "scope": {"period": "latest", "grain": "week", "members": {"anlass": ["Führung"]}}, "sections": [
        {"id": "w", "instruments": [{"id": "w1", "kpi": kpis["fuehrungen"], "face": "history"}, {"id": "w2", "kpi": kpis["ernte"], "face": "figure", "x": 4}]},
    ]})  # fmt: skip
    at.make("scorecards", {"title": "Leer", "sections": []})
    at.deleted = at.make("scorecards", {"title": "Abgelegt", "sections": [{"id": "x", "instruments": instruments[:2]}]})
    at.keys["scorecards"].remove(at.deleted)
    at.ok("delete", f"/api/scorecards/{at.deleted}", headers=at.tag(f"/api/scorecards/{at.deleted}"))
    card = at.keys["scorecards"][0]
    at.make("cases", {"name": "Teurer Zucker", "scorecard": card, "values": {at.keys["assumptions"][0]: 2.4}})
    about = {"kpi": kpis["ernte"], "members": {"stand": [STANDS[1]]}, "period": "2026-09"}
    note = {**about, "text": "Nach dem **Regen** {ernte: value of Süd & Söhne}."}
    at.keys["notes"] = [at.ok("put", "/api/notes", json=note, headers={"If-Match": '"0"'})["id"]]
    for publish in (True, False):  # the second one is left as a draft
        key = at.make("editions", {"scorecard": card, "scope": {"period": "2026-09"}, "note": "Für <alle> & jeden."})
        if publish:
            at.ok("post", f"/api/editions/{key}/publish")
    at.make("links", {"name": "Aushang", "edition": at.keys["editions"][0], "until": "2999-12-31"})
    at.make("standing", {"scorecard": card, "nth": 2})
    at.keys["exports"] = [at.ok("post", "/api/exports", json={"kind": "csv", "edition": at.keys["editions"][0]})["id"]]
