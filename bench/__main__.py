"""python -m bench [grading|scope|imports|intake|orders|previews|ledger|readers|editions|front|presses|folder|drafting|long|lists|memory|at_once|cluster|changes|signals|watches|steady]: measure, and print ratios.
``steady``, ``long``, ``lists``, ``intake``, ``orders``, ``at_once`` and ``memory`` (an hour) take long and ``cluster`` needs ClickHouse; they are only run when they are named, or with ``all``,
which runs everything and keeps what it says in docs/bench.md with the machine it was said of; ``all but long memory`` leaves some
out, and what was kept of them before stays."""

from __future__ import annotations

import os
import platform
import subprocess
import sys
import time
from collections.abc import Collection
from importlib.metadata import version
from pathlib import Path

from bench import (
    at_once,
    changes,
    cluster,
    drafting,
    editions,
    folder,
    front,
    grading,
    imports,
    intake,
    ledger,
    lists,
    long,
    memory,
    orders,
    presses,
    previews,
    readers,
    scope,
    signals,
    watches,
)
from bench.measure import additions

PARTS = {
    "grading": grading.main,
    "scope": scope.main,
    "imports": imports.main,
    "intake": intake.main,
    "orders": orders.main,
    "previews": previews.main,
    "ledger": ledger.main,
    "readers": readers.main,
    "editions": editions.main,
    "front": front.main,
    "presses": presses.main,
    "folder": folder.main,
    "drafting": drafting.main,
    "long": long.main,
    "lists": lists.main,
    "memory": memory.main,
    "changes": changes.main,
    "at_once": at_once.main,
    "cluster": cluster.main,
    "signals": signals.main,
    "watches": watches.main,
    "steady": readers.steady,
}

APART = ("at_once", "cluster", "intake", "lists", "long", "memory", "orders", "steady")
DOCS = Path(__file__).parents[1] / "docs" / "bench.md"


def machine() -> list[str]:
    """What it is run on."""
    info = Path("/proc/cpuinfo").read_text()
    model = next((line.split(":")[1].strip() for line in info.splitlines() if line.startswith("model name")), "unknown")
    memory = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") / 1e9
    names = ("fastapi", "polars", "numpy", "sqlalchemy", "pydantic")
    return [
        f"- {os.cpu_count()} × {model}, {memory:.0f} GB of memory",
        f"- {platform.system()} {platform.release()}, Python {platform.python_version()}",
        "- " + ", ".join(f"{name} {version(name)}" for name in names),
        f"- load in the minute before: {os.getloadavg()[0]:.1f}; 5,000,000 additions in Python took {additions():.2f} s",
    ]


def everything(but: Collection[str] = ()) -> None:
    """Each in a process of its own, so that none finds memory or a server that another left behind. but: parts left out; what
    is kept of them stays, with its own day."""
    before = _kept()
    told = [
        "# What was measured", "",
        "By `python -m bench all`. Ratios are of contenders that took turns in one run.", "", *machine(),
    ]  # fmt: skip
    for name in PARTS:
        if name in but:
            told += ["", f"## {name}", "", before.get(name, "Not measured yet.")]
            continue
        began = time.perf_counter()
        run = subprocess.run([sys.executable, "-m", "bench", name], capture_output=True, text=True, check=False)
        print(run.stdout, flush=True)
        end = run.stdout.strip() or "nothing was measured"
        if run.returncode:
            end += f"\n\nIt ended with an error: {run.stderr.strip().splitlines()[-1] if run.stderr.strip() else run.returncode}"
        told += [
            "",
            f"## {name}",
            "",
            "```",
            end,
            "```",
            "",
            f"{time.strftime('%-d %B %Y')}. It took {time.perf_counter() - began:.0f} s.",
        ]
    DOCS.write_text("\n".join(told) + "\n")


def _kept() -> dict[str, str]:
    """What stands in docs/bench.md, by part."""
    parts = DOCS.read_text().split("\n## ")[1:] if DOCS.exists() else []
    return {part.split("\n", 1)[0]: part.split("\n", 1)[1].strip() for part in parts}


if __name__ == "__main__":
    if sys.argv[1:2] == ["all"]:
        everything(sys.argv[3:])
    else:
        for name in sys.argv[1:] or [name for name in PARTS if name not in APART]:
            PARTS[name]()
