"""Run every test over one MariaDB and one server; write the counts for ``check``.

python -m tests [RESULTS] [PATTERN]: PATTERN picks modules, as in ``core`` or ``browser.test_bench``, or several with commas
between, or single tests as in ``api.test_links.Links.test_…``; with ! before it, all others. ``=FOLDER``: those that no other
lane has taken yet; lanes that run side by side share a folder, in which each notes what it takes.
"""

from __future__ import annotations

import os
import re
import signal
import sys
import time
import unittest
from pathlib import Path

from ironmark.store import scratch
from tests import world

SLOWEST = 12
# Those that take longest are begun first, so that lanes end at about the same time.
LONGEST = (
    "api.test_exports", "browser.test_specimens", "browser.test_second_world", "store.test_starting", "browser.test_failures", "browser.test_hands", "browser.test_front", "browser.test_bench", "store.test_live",
    "api.test_bundles", "browser.test_accessibility", "browser.test_reading", "store.test_processes", "second.test_readings",
    "store.test_any_day", "browser.test_editions", "api.test_refreshing", "api.test_second_world", "api.test_busy",
    "browser.test_drawing", "browser.test_datasets", "browser.test_sources", "api.test_standing", "api.test_editions", "tables.test_reader",
)  # fmt: skip
FOLDERS = ("core", "tables", "store", "pages", "api", "second", "browser")


class Untaken(unittest.TestSuite):
    """The tests of modules, each looked for only when it is its turn, and left out where another lane has taken it.

    What a module leaves behind is told and taken away, since no other may depend on which came before it.
    """

    def __init__(self, modules: list[str], folder: str) -> None:
        super().__init__()
        self._cleanup = False
        self._modules, self._folder = modules, folder

    def run(self, result: unittest.TestResult, debug: bool = False) -> unittest.TestResult:
        """Each module alone, so that its classes have cleared up themselves when it is looked at what it left."""
        for name in self._modules:
            try:
                if self._folder:
                    os.close(os.open(Path(self._folder) / name, os.O_CREAT | os.O_EXCL))
            except FileExistsError:
                continue
            unittest.defaultTestLoader.loadTestsFromName(name).run(result)
            result._previousTestClass = None  # type: ignore[attr-defined]  # its last class has ended with it
            if left := world.clear_away():
                print(f"\n{name} left behind: {', '.join(left)}", file=sys.stderr)
        return result


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
    pattern, _, folder = pattern.partition("=")
    modules = [
        f"tests.{folder}.{path.stem}" for folder in FOLDERS for path in sorted((here / folder).glob("test_*.py"))
    ]
    named = pattern.removeprefix("!").split(",")
    single = [f"tests.{one}" for one in named if re.search(r"\.[A-Z]", one)]
    wanted = [name for name in modules if any(one in name for one in named) != pattern.startswith("!")] + single
    if folder:
        wanted.sort(key=lambda name: [*LONGEST, name[6:]].index(name[6:]))
    suite = Untaken(wanted, folder)
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
