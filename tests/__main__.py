"""Run every test over one MariaDB and one server; write the counts for ``check``.

python -m tests [RESULTS] [PATTERN]: PATTERN picks modules, as in ``core`` or ``browser.test_bench``, or several with commas
between, or single tests as in ``api.test_links.Links.test_…``; with ! before it, all others; ``browser=1/2`` is every
second of them.
"""

from __future__ import annotations

import re
import signal
import sys
import time
import unittest
from pathlib import Path

from ironmark.store import scratch
from tests import world

SLOWEST = 12
FOLDERS = ("core", "tables", "store", "pages", "api", "second", "browser")


class Timed(unittest.TextTestResult):
    """Tells which tests took longest, so that those that could be quicker are seen."""

    took: dict[str, float]

    def startTest(self, test: unittest.TestCase) -> None:
        self.took = getattr(self, "took", {})
        self.took[test.id()] = -time.perf_counter()
        super().startTest(test)

    def stopTest(self, test: unittest.TestCase) -> None:
        super().stopTest(test)
        self.took[test.id()] += time.perf_counter()

    def printErrors(self) -> None:
        super().printErrors()
        slowest = sorted(getattr(self, "took", {}).items(), key=lambda one: -one[1])[:SLOWEST]
        self.stream.writeln(
            "\nthe longest: " + ", ".join(f"{name.rpartition('tests.')[2]} {s:.0f} s" for name, s in slowest)
        )


def main(results: str | None = None, pattern: str = "") -> int:
    here = Path(__file__).parent
    for end in (signal.SIGTERM, signal.SIGHUP):
        signal.signal(end, lambda *_: sys.exit(1))  # what was started is taken away then too
    scratch.sweep()
    suite = unittest.TestSuite()
    pattern, _, share = pattern.partition("=")
    first, parts = (int(number) for number in (share or "1/1").split("/"))
    modules = [
        f"tests.{folder}.{path.stem}" for folder in FOLDERS for path in sorted((here / folder).glob("test_*.py"))
    ]
    named = pattern.removeprefix("!").split(",")
    single = [f"tests.{one}" for one in named if re.search(r"\.[A-Z]", one)]
    wanted = [name for name in modules if any(one in name for one in named) != pattern.startswith("!")] + single
    for name in wanted[first - 1 :: parts]:
        suite.addTests(unittest.defaultTestLoader.loadTestsFromName(name))
    try:
        found = unittest.TextTestRunner(verbosity=1, resultclass=Timed).run(suite)
    finally:
        world.close()
    # A test counts once, however many of its subtests fail.
    gone_wrong = [test for test, _ in (*found.failures, *found.errors)] + [*found.unexpectedSuccesses]
    failed = len({getattr(test, "test_case", test).id() for test in gone_wrong})
    skipped = len(found.skipped)
    passed = found.testsRun - failed - skipped
    if results:
        Path(results).write_text(f"{passed} {failed} {skipped}\n")
    print(f"{passed} passed, {failed} failed, {skipped} skipped")
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main(*sys.argv[1:]))
