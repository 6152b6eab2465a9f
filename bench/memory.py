"""What the server holds while other rows are read each time, under the memory it is told; and how long the slowest page took."""

from __future__ import annotations

import random
import sys
import threading
import time
from typing import Any

from bench import lists
from ironmark.store.scratch import held_bytes
from tests import world

ROWS, MEMORY = 30_000_000, 2 << 30
MINUTES = 60.0


class _Curve:
    """The memory of the server's own processes, its database apart, twice a second."""

    def __init__(self, server: int) -> None:
        self.seen: list[float] = []
        self._server, self._over = server, threading.Event()
        self._watch = threading.Thread(target=self._look, daemon=True)
        self._watch.start()

    def _look(self) -> None:
        while not self._over.wait(0.5):
            self.seen.append(held_bytes([self._server]) / 1e9)

    def end(self) -> None:
        self._over.set()
        self._watch.join()

    def drawn(self, parts: int = 24) -> str:
        """The most of each part of the time, in GB."""
        step = max(1, len(self.seen) // parts)
        return " ".join(f"{max(self.seen[at : at + step]):.1f}" for at in range(0, len(self.seen), step))


def main(rows: int = ROWS, minutes: float = MINUTES) -> None:
    server = world.Running("--memory", f"{MEMORY >> 20}MB").start()
    assert server.process is not None
    curve = _Curve(server.process.pid)
    client: Any = server.client
    began = time.perf_counter()
    lists.fill(client, rows, 60)
    print(
        f"\nMixed work over {rows:,} rows in {lists.DATASETS} datasets, told {MEMORY >> 20} MB; taken in in {time.perf_counter() - began:.0f} s"
    )
    taken_in, kpis = len(curve.seen), client.get("/api/kpis").json()
    mine = [one for one in kpis if one["body"]["name"].startswith("Honey")]
    rng, slowest, failed, asked = random.Random(4), (0.0, ""), 0, 0
    until = time.monotonic() + minutes * 60
    while time.monotonic() < until:
        kpi = rng.choice(mine)
        by = rng.choice([None, "apiary"])
        ask = rng.choice(["preview", "list", "front", "page"])
        start = time.perf_counter()
        if ask == "preview":
            answer = client.post(
                "/api/kpis/preview", json={"body": kpi["body"], "key": kpi["id"], "by": by}, timeout=300
            )
        elif ask == "list":
            answer = client.get("/api/kpis/glances", timeout=300)
        elif ask == "front":
            answer = client.get("/api/front", timeout=300)
        else:
            body = {"title": "Hives", "scope": {}, "sections": [{"id": "s", "instruments": [
                {"id": "a", "kpi": kpi["id"], "by": by, "face": "ledger" if by else "figure", "w": 12, "h": 8}
            ]}]}  # fmt: skip
            answer = client.post("/api/scorecards/read", json={"body": body}, timeout=300)
        took, asked = time.perf_counter() - start, asked + 1
        failed += answer.status_code >= 400
        slowest = max(slowest, (took, f"{ask} of {kpi['body']['name']}" + (f" by {by}" if by else "")))
    curve.end()
    most = max(curve.seen)
    print(f"  while rows came in: at most {max(curve.seen[: max(taken_in, 1)]):.2f} GB")
    print(f"  {asked} questions in {minutes:g} minutes, {failed} failed; the slowest: {slowest[1]}, {slowest[0]:.1f} s")
    print(f"  held, the most of each part of it, in GB: {curve.drawn()}")
    print(f"  at most {most:.2f} GB (budget: {MEMORY / 1e9:.2f} GB) {'kept' if most * 1e9 < MEMORY else 'MISSED'}")
    server.close()


if __name__ == "__main__":
    main(*(float(one) if "." in one else int(one) for one in sys.argv[1:]))  # type: ignore[arg-type]
