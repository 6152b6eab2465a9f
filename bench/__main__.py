"""python -m bench [grading|scope]: measure, and print ratios."""

from __future__ import annotations

import sys

from bench import grading, scope

PARTS = {"grading": grading.main, "scope": scope.main}

if __name__ == "__main__":
    for name in sys.argv[1:] or PARTS:
        PARTS[name]()
