"""Timing side by side: the runs of all contenders alternate, so that a slow moment hits each alike."""

from __future__ import annotations

import gc
import time
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True)
class Timing:
    name: str
    seconds: np.ndarray

    @property
    def median(self) -> float:
        return float(np.median(self.seconds))

    @property
    def p95(self) -> float:
        return float(np.quantile(self.seconds, 0.95))


def side_by_side(contenders: dict[str, Callable[[], object]], runs: int, warm_up: int = 1) -> dict[str, Timing]:
    """Time each contender ``runs`` times in turn, after ``warm_up`` uncounted rounds."""
    taken: dict[str, list[float]] = {name: [] for name in contenders}
    for round_ in range(warm_up + runs):
        for name, work in contenders.items():
            gc.collect()
            started = time.perf_counter()
            work()
            if round_ >= warm_up:
                taken[name].append(time.perf_counter() - started)
    return {name: Timing(name, np.array(times)) for name, times in taken.items()}


def report(title: str, timings: dict[str, Timing], ours: str, budgets: dict[str, tuple[float, str]]) -> None:
    """Print medians and ratios. budgets: contender → (limit, "at most" or "at least").

    "at most": ours ÷ theirs; "at least": theirs ÷ ours, that is, how many times faster we are.
    """
    print(f"\n{title}")
    for timing in timings.values():
        print(f"  {timing.name:<44} median {timing.median * 1000:10.2f} ms   p95 {timing.p95 * 1000:10.2f} ms")
    for name, (limit, sense) in budgets.items():
        ratio = timings[ours].median / timings[name].median
        shown = ratio if sense == "at most" else 1 / ratio
        kept = shown <= limit if sense == "at most" else shown >= limit
        told = f"{ours} ÷ {name}" if sense == "at most" else f"{name} ÷ {ours}"
        print(f"  {told}: {shown:.2f}× (budget: {sense} {limit:g}×) {'kept' if kept else 'MISSED'}")


USUAL = 0.25  # seconds that a usual processor takes for ``additions``


def additions() -> float:
    """How quick the machine is just now, in seconds: hosts that are shared are several times slower at times."""
    began, total = time.perf_counter(), 0
    for n in range(5_000_000):
        total += n
    return time.perf_counter() - began
