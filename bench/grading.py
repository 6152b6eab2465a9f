"""Grading 100,000 readings with cuts from marks, beside one NumPy pass over the same arrays."""

from __future__ import annotations

import numpy as np

from bench.measure import report, side_by_side
from ironmark.core.yardstick import Cut, Yardstick, grade, resolve

READINGS = 100_000


def main() -> None:
    rng = np.random.default_rng(1)
    values, target = rng.normal(0.9, 0.05, READINGS), rng.normal(0.92, 0.02, READINGS)
    cuts = (Cut(0, "target", 0.92), Cut(0, "target"), Cut(0, "target", 1.04))
    yardstick = Yardstick(("short", "near", "met", "beyond"), cuts)

    def ours() -> object:
        return grade(yardstick, values, resolve(yardstick, {"target": target}, values.shape))

    def one_pass() -> object:
        return sum((values >= target * cut.factor).astype(np.int8) for cut in cuts)

    timings = side_by_side({"Iron Mark": ours, "one NumPy pass": one_pass}, runs=60, warm_up=5)
    report(
        f"Grading {READINGS:,} readings, 4 bands, cuts from marks",
        timings,
        "Iron Mark",
        {"one NumPy pass": (2, "at most")},
    )
