"""python -m bench [grading|scope|imports|previews|ledger|readers|folder|steady]: measure, and print ratios. ``steady`` takes
ten minutes, and is only run when it is named."""

from __future__ import annotations

import sys

from bench import folder, grading, imports, ledger, previews, readers, scope

PARTS = {
    "grading": grading.main,
    "scope": scope.main,
    "imports": imports.main,
    "previews": previews.main,
    "ledger": ledger.main,
    "readers": readers.main,
    "folder": folder.main,
    "steady": readers.steady,
}

if __name__ == "__main__":
    for name in sys.argv[1:] or [name for name in PARTS if name != "steady"]:
        PARTS[name]()
