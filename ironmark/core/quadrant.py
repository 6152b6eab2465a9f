"""Quadrants: two KPIs cut once each, and in which of the four quarters every member lies."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray

from ironmark.core.evaluate import Floats
from ironmark.core.yardstick import NOISE

Direction = Literal["higher", "lower"]
BOTH, UP_ONLY, ACROSS_ONLY, NEITHER, NOWHERE = 0, 1, 2, 3, -1


def good(values: Floats, cut: float, direction: Direction) -> NDArray[np.bool_]:
    """Whether each value (n,) lies on the good side of the cut; on the cut counts as good, noise aside."""
    slack = abs(cut) * NOISE
    return np.asarray(values >= cut - slack if direction == "higher" else values <= cut + slack)


def quarters(up: NDArray[np.bool_], across: NDArray[np.bool_], known: NDArray[np.bool_]) -> NDArray[np.int8]:
    """The quarter of each member, (n,): BOTH good, UP_ONLY, ACROSS_ONLY, NEITHER, or NOWHERE where one is unknown."""
    found = np.where(up, np.where(across, BOTH, UP_ONLY), np.where(across, ACROSS_ONLY, NEITHER))
    return np.where(known, found, NOWHERE).astype(np.int8)


def cut_of(values: Floats, marks: Floats | None) -> tuple[float, bool]:
    """Where to cut an axis, and whether the values have to be taken as gaps to their marks for it.

    values, marks: (n,) KPI unit. One mark for all is the cut; marks of their own put the cut at a gap of 0; without
    marks the middle value is it.
    """
    lines = marks[np.isfinite(marks)] if marks is not None else np.array([])
    if lines.size:
        same = np.ptp(lines) <= NOISE * float(np.abs(lines).max())
        return (float(lines[0]), False) if same else (0.0, True)
    known = values[np.isfinite(values)]
    return (float(np.median(known)) if known.size else 0.0), False


def radii(values: Floats) -> Floats:
    """Radii of dots (n,) from 0 to 1, so that their area tells the amount; 0 for blanks and for what is not above 0."""
    amounts = np.where(np.isfinite(values), np.maximum(values, 0.0), 0.0)
    largest = float(amounts.max()) if amounts.size else 0.0
    return np.sqrt(amounts / largest) if largest else np.zeros_like(amounts)
