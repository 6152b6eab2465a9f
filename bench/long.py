"""The PDF of a list of 10,000 rows, through a server: how long it takes, and the memory that server and printers hold."""

from __future__ import annotations

import threading
import time
from pathlib import Path
from typing import Any

from ironmark.store.scratch import held_bytes, members
from tests import world

ROWS = 10_000
NAMES = {
    "names of a line": "Hive {n:05d}, Lower Meadow",
    "names of two lines": "Hive {n:05d}, brought from the lower meadow in the spring and looked after by the morning group",
}


def card(client: Any, name: str) -> str:
    """A scorecard with nothing but a ledger of so many members against a target."""
    lines = [f'2026-10-{1 + n % 28:02d},"{name.format(n=n)}",{20 + n * 37 % 81}' for n in range(ROWS)]
    files = {"file": ("hives.csv", ("day,hive,frames\n" + "\n".join(lines) + "\n").encode())}
    made = client.post("/api/datasets", files=files).json()
    columns = [{key: column[key] for key in ("name", "label", "role")} for column in made["columns"]]
    columns[1]["role"] = "segment"  # so many members are not taken for one by themselves
    change = {"name": made["name"], "columns": columns, "through": made["through"]}
    client.patch(f"/api/datasets/{made['id']}", json=change, headers={"If-Match": '"1"'}).raise_for_status()
    kpi = {"handle": f"frames_{len(name)}", "name": "Frames", "dataset": made["id"], "formula": "sum(frames)", "nature": "flow"}  # fmt: skip
    key = client.post("/api/kpis", json=kpi).json()["id"]
    mark = {"changes": [{"name": "target", "whose": "each", "of": {"hive": ""}, "since": "2026-01", "value": 60}]}
    client.post(f"/api/kpis/{key}/marks", json=mark, headers={"If-Match": '"0"'}).raise_for_status()
    cuts = [{"mark": "target", "factor": factor} for factor in (0.9, 1.0, 1.1)]
    yardstick = {"name": f"Frames {len(name)}", "bands": ["short", "near", "met", "beyond"], "cuts": cuts}
    graded = client.post("/api/yardsticks", json=yardstick).json()["id"]
    ledger = {"id": "l", "kpi": key, "by": "hive", "face": "ledger", "yardstick": graded, "w": 12, "h": 18}
    body = {"title": "Hives", "scope": {"period": "2026-10"}, "sections": [{"id": "s", "instruments": [ledger]}]}
    return str(client.post("/api/scorecards", json=body).json()["id"])


class Held:
    """The most memory that a server and everything it began hold at once."""

    def __init__(self, server: int) -> None:
        self.most: dict[str, int] = {}
        self._server, self._over = server, threading.Event()
        self._watch = threading.Thread(target=self._look, daemon=True)

    def __enter__(self) -> Held:
        self._watch.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._over.set()
        self._watch.join()

    def _look(self) -> None:
        while not self._over.wait(1.0):
            groups = (Path(place) / "group" for place in Path("/tmp").glob("ironmark-printer-*"))
            printers = sum(held_bytes(members(int(group.read_text()))) for group in groups if group.exists())
            server = held_bytes([self._server])
            if server + printers > sum(self.most.values()):
                self.most = {"server": server, "printers": printers}


def main() -> None:
    server = world.running()
    assert server.process is not None
    print(f"\nThe PDF of a list of {ROWS:,} rows, through the server")
    for called, name in NAMES.items():
        key = card(server.client, name)
        begun = time.perf_counter()
        edition = server.client.post("/api/editions", json={"scorecard": key}, timeout=300).json()["id"]
        frozen, begun = time.perf_counter() - begun, time.perf_counter()
        with Held(server.process.pid) as held:
            export = server.client.post("/api/exports", json={"kind": "pdf", "edition": edition}).json()["id"]
            while (found := server.client.get(f"/api/exports/{export}").json())["state"] in ("waiting", "running"):
                time.sleep(0.5)
            took = time.perf_counter() - begun
            size = len(server.client.get(f"/api/exports/{export}/file").content)
        whole = sum(held.most.values())
        told = ", ".join(f"{part} {count / 1e9:.2f}" for part, count in held.most.items())
        print(
            f"  {called}: {found['state']} in {took:.0f} s (budget: 60 s) {'kept' if took < 60 else 'MISSED'}, "
            f"{size / 1e6:.1f} MB, frozen before in {frozen:.0f} s; at most {whole / 1e9:.2f} GB held (budget: 1.5 GB) "
            f"{'kept' if whole < 1.5e9 else 'MISSED'} ({told})"
        )
    world.close()


if __name__ == "__main__":
    main()
