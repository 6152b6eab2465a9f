"""What the server holds while other rows are read each time, under the memory it is told; and how long the slowest page took."""

from __future__ import annotations

import random
import sys
import threading
import time
from contextlib import suppress
from typing import Any

import psutil

from bench import lists
from ironmark.store.scratch import held_bytes
from tests import world

ROWS, MEMORY = 30_000_000, 2 << 30
MINUTES = 60.0


class Curve:
    """The memory of the server's own processes, its database and its printers apart, twice a second."""

    def __init__(self, server: int) -> None:
        self.seen: list[float] = []
        self.parts: list[float] = []  # of each process, when all together held most
        self._server, self._over = server, threading.Event()
        self._watch = threading.Thread(target=self._look, daemon=True)
        self._watch.start()

    def _look(self) -> None:
        while not self._over.wait(0.5):
            parts = [held_bytes([pid]) / 1e9 for pid in (self._server, *self._workers())]
            self.seen.append(sum(parts))
            if self.seen[-1] >= max(self.seen):
                self.parts = parts

    def _workers(self) -> list[int]:
        """The processes that it has others beside itself for."""
        with suppress(psutil.Error):
            return [one.pid for one in psutil.Process(self._server).children() if one.name().startswith("python")]
        return []

    def end(self) -> None:
        self._over.set()
        self._watch.join()

    def drawn(self, parts: int = 24) -> str:
        """The most of each part of the time, in GB."""
        step = max(1, len(self.seen) // parts)
        return " ".join(f"{max(self.seen[at : at + step]):.1f}" for at in range(0, len(self.seen), step))


# What is asked, and how often beside the others.
ASKS = (
    ("preview", 60), ("list", 40), ("front", 40), ("page", 60), ("rows", 4), ("sorted", 1), ("column", 4), ("draft", 1),
    ("export", 8), ("more rows", 1), ("bundle", 1),
)  # fmt: skip


def _asked(client: Any, ask: str, kpi: Any, rng: random.Random) -> Any:
    dataset, by = kpi["body"]["dataset"], rng.choice([None, "apiary"])
    body = {"title": "Hives", "scope": {}, "sections": [{"id": "s", "instruments": [
        {"id": "a", "kpi": kpi["id"], "by": by, "face": "ledger" if by else "figure", "w": 12, "h": 8}
    ]}]}  # fmt: skip
    if ask == "preview":
        return client.post("/api/kpis/preview", json={"body": kpi["body"], "key": kpi["id"], "by": by}, timeout=300)
    if ask in ("list", "front"):
        return client.get({"list": "/api/kpis/glances", "front": "/api/front"}[ask], timeout=300)
    if ask == "page":
        return client.post("/api/scorecards/read", json={"body": body}, timeout=300)
    if ask == "draft":
        return client.post("/api/from-rows", json={"dataset": dataset}, timeout=300)
    if ask == "export":
        return client.post(
            f"/api/scorecards/export/{rng.choice(['csv', 'xlsx', 'json'])}", json={"body": body}, timeout=300
        )
    if ask == "bundle":
        return client.get("/api/bundle", timeout=600)
    if ask == "more rows":
        etag = client.get(f"/api/datasets/{dataset}").headers["etag"]
        line = f"day,apiary,honey,frames\n2026-09-{rng.randint(10, 28)},Apiary 03,{rng.randint(1, 90)}.25,4\n"
        return client.post(
            f"/api/datasets/{dataset}/rows", params={"how": "append"}, headers={"If-Match": etag},
            files={"file": ("more.csv", line.encode())}, timeout=300,
        )  # fmt: skip
    at = f"/api/datasets/{dataset}"
    asked = {
        "rows": f"{at}/rows", "column": f"{at}/columns/{rng.choice(['honey', 'apiary'])}",
        "sorted": f"{at}/rows/page?sort=honey&offset={rng.randint(0, 5000)}",
    }  # fmt: skip
    return client.get(asked[ask], timeout=300)


def main(rows: int = ROWS, minutes: float = MINUTES) -> None:
    server = world.Running("--memory", f"{MEMORY >> 20}MB").start()
    assert server.process is not None
    curve = Curve(server.process.pid)
    client: Any = server.client
    began = time.perf_counter()
    lists.fill(client, rows, 60)
    print(
        f"\nMixed work over {rows:,} rows in {lists.DATASETS} datasets, told {MEMORY >> 20} MB; taken in in {time.perf_counter() - began:.0f} s"
    )
    taken_in, kpis = len(curve.seen), client.get("/api/kpis").json()
    mine = [one for one in kpis if one["body"]["name"].startswith("Honey")]
    rng, slowest, failed = random.Random(4), dict[str, float](), list[str]()
    until, asked = time.monotonic() + minutes * 60, 0
    while time.monotonic() < until:
        ask = rng.choices([what for what, _ in ASKS], [often for _, often in ASKS])[0]
        start = time.perf_counter()
        answer = _asked(client, ask, rng.choice(mine), rng)
        took, asked = time.perf_counter() - start, asked + 1
        if answer.status_code >= 400:
            failed.append(f"{ask}: {answer.text[:120]}")
        slowest[ask] = max(took, slowest.get(ask, 0.0))
    curve.end()
    most = max(curve.seen)
    print(f"  while rows came in: at most {max(curve.seen[: max(taken_in, 1)]):.2f} GB")
    told = ", ".join(f"{what} {took:.1f} s" for what, took in sorted(slowest.items(), key=lambda one: -one[1]))
    print(
        f"  {asked} questions in {minutes:g} minutes, {len(failed)} failed {failed[:3] or ''}; the slowest of each: {told}"
    )
    print(f"  held, the most of each part of it, in GB: {curve.drawn()}")
    print(f"  at most {most:.2f} GB (budget: {MEMORY / 1e9:.2f} GB) {'kept' if most * 1e9 < MEMORY else 'MISSED'}")
    server.close()


if __name__ == "__main__":
    main(*(float(one) if "." in one else int(one) for one in sys.argv[1:]))  # type: ignore[arg-type]
