"""Shares of few rows: how far off they may be, and which states they could be in."""

from __future__ import annotations

from typing import Final

import numpy as np

from ironmark.core.evaluate import Floats

FEW: Final = 100  # rows; of more the interval is told in the workings, but no sign is drawn hollow for it
Z: Final = 1.959963984540054  # nineteen in twenty


def wilson(above: Floats, below: Floats, z: float = Z) -> tuple[Floats, Floats]:
    """The interval of a share, from 0 to 1, of ``above`` of ``below`` rows. NaN where there are none.

    Wilson, "Probable inference, the law of succession, and statistical inference", *JASA* 22 (1927).
    """
    with np.errstate(all="ignore"):
        n = np.where(below > 0, below, np.nan)
        share = above / n
        centre = (share + z * z / (2 * n)) / (1 + z * z / n)
        half = z / (1 + z * z / n) * np.sqrt(np.clip(share * (1 - share), 0, None) / n + z * z / (4 * n * n))
    return np.clip(centre - half, 0, 1), np.clip(centre + half, 0, 1)
