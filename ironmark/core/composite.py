"""Composites: several KPIs rolled up into one by weights, by their states or by how far their marks are reached."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ironmark.core.distances import gap_and_attainment, headroom
from ironmark.core.evaluate import Floats
from ironmark.core.readings import Readings


@dataclass(frozen=True)
class WeightedPart:
    """One part: its weight, and its score (P, M), a fraction, NaN where it has none."""

    name: str
    weight: float
    score: Floats
    readings: Readings


def state_scores(readings: Readings) -> Floats:
    """What the states of readings are worth, (P, M): 0 for the worst of their yardstick, 1 for its best, even steps
    between; NaN ungraded. Where all bands carry one state it is the best."""
    yardstick = readings.yardstick
    if yardstick is None:
        return np.full(readings.value.shape, np.nan)
    ranks = sorted({state.rank for state in yardstick.states})
    steps = len(ranks) - 1
    worth = np.array([ranks.index(state.rank) / steps if steps else 1.0 for state in yardstick.states])
    return np.where(readings.band >= 0, worth[np.maximum(readings.band, 0)], np.nan)


def attainment_scores(readings: Readings, mark: str, low: float, high: float) -> Floats:
    """How far a mark is reached, (P, M), held between ``low`` and ``high``; NaN without a mark.

    For inside a range, on its edge is 1 and the headroom is added to it.
    """
    if readings.kpi.direction == "inside":
        reached = 1 + headroom(readings, mark)
    else:
        reached = gap_and_attainment(readings, mark)[1]
    return np.asarray(np.clip(reached, low, high))


def compose(parts: Sequence[WeightedPart]) -> Floats:
    """The mean of the parts' scores by their weights, (P, M).

    A part without a score counts for nothing, and the others keep their proportions; NaN where no part has one. The weighted arithmetic mean Σ w s ÷ Σ w.
    """
    scores = np.stack([part.score for part in parts])
    weights = np.array([part.weight for part in parts])[:, None, None]
    known = np.isfinite(scores)
    with np.errstate(all="ignore"):
        total = np.where(known, scores * weights, 0.0).sum(axis=0) / (known * weights).sum(axis=0)
    return np.where(known.any(axis=0), total, np.nan)


def contributions(parts: Sequence[WeightedPart], p: int, m: int) -> list[float]:
    """What each part adds to one composite reading; they come to its value. NaN for a part without a score."""
    scores = np.array([part.score[p, m] for part in parts])
    weights = np.array([part.weight for part in parts])
    known = np.isfinite(scores)
    whole = weights[known].sum()
    with np.errstate(all="ignore"):  # weights of 0 alone give no share
        return [float(s * w / whole) if ok else np.nan for s, w, ok in zip(scores, weights, known, strict=True)]
