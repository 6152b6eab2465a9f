"""A first yardstick for a KPI that has none, so that an instrument never starts empty."""

from __future__ import annotations

import numpy as np

from ironmark.core.axis import LARGEST, step_for
from ironmark.core.evaluate import Floats
from ironmark.core.yardstick import Cut, Yardstick, default_bands

NEAREST = 0.005  # cuts of a share nearer than half a point to each other are none


def propose(values: Floats, target: Floats, direction: str, share: bool) -> Yardstick:
    """A yardstick around the target where there is one, else at quantiles of the values.

    values: readings so far, target: their targets (any shape, KPI unit, NaN for none); direction: higher, lower or
    inside; share: whether the KPI is a percent, which cannot pass 1.
    """
    lines = target[np.isfinite(target)]
    bands = default_bands(direction)
    if direction == "inside" or not lines.size:
        quantiles = round_quantiles(values[np.isfinite(values)], np.linspace(0, 1, len(bands) + 1)[1:-1])
        return Yardstick(bands, tuple(Cut(float(f"{line:.12g}")) for line in quantiles))
    if share and direction == "higher" and lines.max() * 1.1 > 1:
        # A share cannot reach 110 % of a target near 1: half the way up counts instead.
        room = round(float(1 - lines.max()) / 2, 3)
        if room < NEAREST:
            return Yardstick(("short", "near", "met"), (Cut(-0.05, "target"), Cut(0.0, "target")))
        return Yardstick(bands, tuple(Cut(offset, "target") for offset in (-round(room * 1.5, 3), 0.0, room)))
    return Yardstick(bands, tuple(Cut(0.0, "target", factor) for factor in (0.9, 1.0, 1.1)))


def round_quantiles(known: Floats, shares: Floats) -> Floats:
    """The values (n,) below which ``shares`` (n,) of the known ones lie, rounded and rising; 1, 2, … for none."""
    known = known[np.abs(known) <= LARGEST]
    if not known.size:
        return np.arange(1.0, len(shares) + 1)
    lines = np.quantile(known, shares)
    step = step_for(float(lines[-1] - lines[0]) or abs(float(lines[0])) or 1.0, 20)
    rounded = np.round(lines / step) * step
    if len(np.unique(rounded)) < len(lines):
        rounded = rounded[0] + np.arange(len(lines)) * step
    return np.clip(rounded, -LARGEST, LARGEST)
