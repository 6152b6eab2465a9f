"""How often usual variation alone lands in each state, and where the middle would have to be."""

from __future__ import annotations

from collections.abc import Sequence
from statistics import NormalDist

import numpy as np

from ironmark.core.evaluate import Floats
from ironmark.core.yardstick import Yardstick, grade


def landing(middle: float, sigma: float, cuts: Sequence[float]) -> Floats:
    """The share of readings in each band, from the lowest values up, if nothing but usual variation were at work.

    middle, sigma: KPI unit, of a normal distribution. cuts: rising, KPI unit. Where nothing
    varies, all lie where the middle does.
    """
    below = [NormalDist(middle, sigma).cdf(cut) if sigma > 0 else float(cut > middle) for cut in cuts]
    return np.diff([0.0, *below, 1.0])


def middle_for(cut: float, sigma: float, share: float, above: bool = True) -> float:
    """Where the middle has to be for this share of readings to lie on the far side of a cut, KPI unit."""
    off = NormalDist().inv_cdf(share) * sigma
    return cut + off if above else cut - off


def states_of(yardstick: Yardstick, values: Floats, cuts: Floats) -> dict[str, float]:
    """Which share of some values each state has. values: (N,), KPI unit; cuts: (K,), those of the reading."""
    band = grade(yardstick, values, np.broadcast_to(cuts[:, None], (len(cuts), len(values))))
    known = band >= 0
    if not known.any():
        return {}
    return {
        state: float((band[known] == at).mean())
        for at, state in enumerate(yardstick.bands)
        if (band[known] == at).any()
    }
