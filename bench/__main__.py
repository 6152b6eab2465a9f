"""python -m bench [grading|scope|imports|previews|ledger|readers]: measure, and print ratios."""

from __future__ import annotations

import sys

from bench import grading, imports, ledger, previews, readers, scope

PARTS = {
    "grading": grading.main,
    "scope": scope.main,
    "imports": imports.main,
    "previews": previews.main,
    "ledger": ledger.main,
    "readers": readers.main,
}

if __name__ == "__main__":
    for name in sys.argv[1:] or PARTS:
        PARTS[name]()
