"""python -m bench [grading|scope|imports|previews|ledger|readers|editions|front|folder|drafting|long|cluster|changes|steady]: measure, and print ratios.
``steady`` and ``long`` take minutes and ``cluster`` needs ClickHouse; they are only run when they are named."""

from __future__ import annotations

import sys

from bench import (
    changes,
    cluster,
    drafting,
    editions,
    folder,
    front,
    grading,
    imports,
    ledger,
    long,
    previews,
    readers,
    scope,
)

PARTS = {
    "grading": grading.main,
    "scope": scope.main,
    "imports": imports.main,
    "previews": previews.main,
    "ledger": ledger.main,
    "readers": readers.main,
    "editions": editions.main,
    "front": front.main,
    "folder": folder.main,
    "drafting": drafting.main,
    "long": long.main,
    "changes": changes.main,
    "cluster": cluster.main,
    "steady": readers.steady,
}

if __name__ == "__main__":
    for name in sys.argv[1:] or [name for name in PARTS if name not in ("cluster", "long", "steady")]:
        PARTS[name]()
