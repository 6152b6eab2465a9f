"""Several people at once: some send long lists while others step through pages, look at rows and try formulas; what the server's
processes hold meanwhile, and how long each kind of question took."""

from __future__ import annotations

import io
import random
import sys
import threading
import time
from collections import defaultdict
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import httpx
import numpy as np
import polars as pl

from bench.intake import sent
from bench.memory import MEMORY, Curve
from tests import world

LAUNDRIES, PROGRAMS = [f"Mosoda {n:02d} őrség" for n in range(37)], ["gyapjú", "pamut 60°", "kímélő", "öblítés"]
SENDERS, READERS, SMALL = 4, 6, 6
FORMULAS = ("median(perc)", "distinct(vevő)", "sum(súly_kg) / count()", "stdev(perc)", 'count(where selejt = "igen") / count()')  # fmt: skip
SCOPES: tuple[dict[str, Any], ...] = (
    {}, {"period": "2025-05"}, {"mosoda": LAUNDRIES[7]}, {"program": "kímélő", "period": "2024-Q3"},
    {"mosoda": LAUNDRIES[3:7], "period": "2025-02"},
)  # fmt: skip


def washes(rows: int, seed: int) -> bytes:
    """What laundries washed, as it is kept in Hungary: days with full stops, decimal commas, 90,000 customers."""
    rng = np.random.default_rng(seed)
    days = np.datetime64("2023-03-01") + rng.integers(0, 1250, rows).astype("timedelta64[D]")
    weights = pl.Series(np.round(rng.gamma(3, 2, rows), 2))
    frame = pl.DataFrame(
        {
            "nap": pl.Series(days).cast(pl.Date).dt.strftime("%Y.%m.%d."),
            "mosoda": pl.Series(LAUNDRIES).gather(rng.integers(0, len(LAUNDRIES), rows)),
            "program": pl.Series(PROGRAMS).gather(rng.integers(0, len(PROGRAMS), rows)),
            "vevő": pl.Series([f"V{n:06d}" for n in range(90_000)]).gather(rng.integers(0, 90_000, rows)),
            "súly_kg": weights.cast(pl.String).str.replace(".", ",", literal=True),
            "perc": rng.integers(20, 160, rows),
            "selejt": pl.Series(["igen", "nem"]).gather((rng.random(rows) > 0.03).astype(int)),
        }
    )
    buffer = io.BytesIO()
    frame.write_csv(buffer, separator=";")
    return buffer.getvalue()


class _People:
    """Everybody who asks the server something. took: seconds, by what was asked; failed: what was refused."""

    def __init__(self, address: str) -> None:
        self.took: dict[str, list[float]] = defaultdict(list)
        self.failed: list[str] = []
        self.cards: list[str] = []
        self.datasets: list[str] = []
        self.over = threading.Event()
        self._address = address

    def _client(self) -> httpx.Client:
        return httpx.Client(base_url=self._address, timeout=900)

    def _asked(self, client: httpx.Client, what: str, method: str, path: str, **told: Any) -> httpx.Response:
        began = time.perf_counter()
        answer = client.request(method, path, **told)
        self.took[what].append(time.perf_counter() - began)
        if answer.status_code >= 400:
            self.failed.append(f"{what}: {answer.text[:120]}")
        return answer

    def send(self, name: str, body: bytes) -> None:
        """A list as a browser sends it, and a scorecard of it."""
        with self._client() as client:
            began = time.perf_counter()
            key = sent(client, body, name)
            self.took["taken in"].append(time.perf_counter() - began)
            self.datasets.append(key)
            made = self._asked(client, "draft", "POST", "/api/from-rows/make", json={"dataset": key, "title": name})
            self.cards.append(made.json()["id"])

    def read(self, seed: int) -> None:
        rng = random.Random(seed)
        with self._client() as client:
            while not self.over.is_set():
                if not self.cards:
                    time.sleep(0.5)
                    continue
                what = rng.choices(["page", "preview", "sorted", "column", "front", "list"], [70, 10, 10, 4, 3, 3])[0]
                self._look(client, what, rng)

    def _look(self, client: httpx.Client, what: str, rng: random.Random) -> None:
        dataset = rng.choice(self.datasets)
        if what == "page":
            path = f"/api/scorecards/{rng.choice(self.cards)}/page"
            self._asked(client, what, "GET", path, params=rng.choice(SCOPES))
        elif what == "preview":
            kpi = {"handle": "x", "name": "X", "dataset": dataset, "formula": rng.choice(FORMULAS)}
            by = rng.choice([None, "mosoda", "program"])
            self._asked(client, what, "POST", "/api/kpis/preview", json={"body": kpi, "by": by})
        else:
            path = {
                "sorted": f"/api/datasets/{dataset}/rows/page?sort=perc&offset={rng.randint(0, 3000)}",
                "column": f"/api/datasets/{dataset}/columns/{rng.choice(['mosoda', 'perc', 'vevő'])}",
                "front": "/api/front", "list": "/api/kpis/glances",
            }[what]  # fmt: skip
            self._asked(client, what, "GET", path)


def main(rows: int = 3_000_000, minutes: float = 2.0) -> None:
    """rows: of each long list; minutes: how long is read after all were taken in."""
    for workers in (1, 2):
        server = world.Running("--memory", f"{MEMORY >> 20}MB", "--workers", str(workers)).start()
        assert server.process is not None
        curve, people = Curve(server.process.pid), _People(server.address)
        with ThreadPoolExecutor(SENDERS + READERS + 1) as pool:
            reading = [pool.submit(people.read, seed) for seed in range(READERS)]
            sending = [pool.submit(people.send, f"nagy{n}", washes(rows, n)) for n in range(SENDERS)]
            for n in range(SMALL):
                people.send(f"kicsi{n}", washes(rows // 10, 100 + n))
            for one in sending:
                one.result()
            time.sleep(minutes * 60)
            people.over.set()
            for one in reading:
                one.result()
        curve.end()
        _told(workers, rows, people, curve)
        server.close()


def _told(workers: int, rows: int, people: _People, curve: Curve) -> None:
    asked = sum(map(len, people.took.values()))
    print(f"\n{SENDERS} people send {rows:,} rows each while {READERS} read, {workers} process{'es' if workers > 1 else ''}, told {MEMORY >> 20} MB")  # fmt: skip
    for what, took in sorted(people.took.items()):
        print(f"  {what:<10} {len(took):>6}   median {np.median(took):6.2f} s   p95 {np.quantile(took, 0.95):6.2f} s   most {max(took):6.1f} s")  # fmt: skip
    print(f"  {asked} questions, {len(people.failed)} failed {people.failed[:3] or ''}")
    print(f"  held, the most of each part of it, in GB: {curve.drawn()}")
    if len(curve.parts) > 1:
        print(
            f"  of which, in the process they are started by and in each of them: {' '.join(f'{part:.2f}' for part in curve.parts)}"
        )
    most = max(curve.seen)
    print(f"  at most {most:.2f} GB (budget: {MEMORY / 1e9:.2f} GB) {'kept' if most * 1e9 < MEMORY else 'MISSED'}")


if __name__ == "__main__":
    main(*(float(one) if "." in one else int(one) for one in sys.argv[1:]))  # type: ignore[arg-type]
