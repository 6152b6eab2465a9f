"""How often a mark is met by usual variation alone, and where the middle would have to be."""

from __future__ import annotations

import numpy as np

from ironmark.core.chance import landing, middle_for
from ironmark.core.numbers import NumberStyle, show
from ironmark.core.readings import Readings
from ironmark.core.words import show_mark
from ironmark.pages.reading.usual_ranges import UsualRanges

SURE = 0.9


def by_chance(readings: Readings, usual: UsualRanges, mark: float, style: NumberStyle, m: int = 0) -> list[str]:
    """In sentences, the first of them how often; none where its history is too short or nothing says what is better. mark: of a whole
    period, KPI unit."""
    direction = readings.kpi.direction
    if not usual.applies or not np.isfinite(mark) or direction not in ("higher", "lower"):
        return []
    middle, sigma = (float(line[-1, m]) for line in (usual.found.middle, usual.found.sigma))
    if not np.isfinite([middle, sigma]).all():
        return []
    higher, unit, grain = direction == "higher", readings.kpi.unit, readings.periods[-1].grain
    below = float(landing(middle, sigma, [mark])[0])
    often = 1 - below if higher else below
    written, now = show_mark(mark, unit, style), show(middle, unit, style)
    said = [f"met in {round(10 * often)} of 10 {grain}s"]
    said.append(f"At {show(middle_for(middle, sigma, 0.8, above=not higher), unit, style)} it would be met in 8 of 10.")
    if often < SURE:
        needed = middle_for(mark, sigma, SURE, above=higher)
        way = "rise" if needed > middle else "fall"
        said.append(
            f"To meet {written} nine times in ten, its middle has to {way} from {now} to {show(needed, unit, style)}."
        )
    return said
