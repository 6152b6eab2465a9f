"""What a ledger draws in its rows besides figures: tally strokes, and bars that grow both ways."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ironmark.core.axis import step_for
from ironmark.core.evaluate import Floats
from ironmark.core.yardstick import NOISE

MOST_STROKES = 25


def stroke_of(values: Floats) -> float:
    """A round amount for one tally stroke, so that the largest of the values (n,), KPI unit, takes at most
    MOST_STROKES."""
    sizes = np.abs(values[np.isfinite(values)])
    largest = float(sizes.max()) if sizes.size else 0.0
    return step_for(largest, MOST_STROKES) if largest > 0 else 1.0


def strokes(values: Floats, one: float) -> NDArray[np.int64]:
    """How many strokes of ``one`` each value (n,) takes, rounded up so that a little is never nothing; 0 for none."""
    counted = np.ceil(np.abs(values) / one - NOISE)
    return np.where(np.isfinite(counted), np.maximum(counted, (values != 0) & np.isfinite(values)), 0).astype(np.int64)


def both_ways(shares: Floats) -> Floats:
    """Bars that grow to either side of a middle line, (n,) from −1 to 1, one scale for all; NaN stays NaN."""
    known = np.abs(shares[np.isfinite(shares)])
    largest = float(known.max()) if known.size else 0.0
    return shares / largest if largest else shares * 0.0
