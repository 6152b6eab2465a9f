"""A first yardstick for a KPI that has none, so that an instrument never starts empty."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ironmark.core.axis import LARGEST, step_for
from ironmark.core.evaluate import Floats
from ironmark.core.marks import TARGET
from ironmark.core.palette import STANDARD
from ironmark.core.yardstick import MAX_BANDS, MIN_BANDS, Cut, Yardstick, default_bands, tidy

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
        return Yardstick(bands, tuple(Cut(tidy(line)) for line in quantiles))
    if share and direction == "higher" and lines.max() * 1.1 > 1:
        # A share cannot reach 110 % of a target near 1: half the way up counts instead.
        room = round(float(1 - lines.max()) / 2, 3)
        if room < NEAREST:
            return Yardstick(("short", "near", "met"), (Cut(-0.05, TARGET), Cut(0.0, TARGET)))
        return Yardstick(bands, tuple(Cut(offset, TARGET) for offset in (-round(room * 1.5, 3), 0.0, room)))
    return Yardstick(bands, tuple(Cut(0.0, TARGET, factor) for factor in (0.9, 1.0, 1.1)))


def dealt_states(direction: str, count: int) -> tuple[str, ...]:
    """The states of ``count`` bands from the lowest values up, the four spread over them as evenly as they go.

    Inside a range the best lie in the middle and the worst at both ends.
    """
    ranked = [state.key for state in STANDARD.states]
    if direction == "inside":
        half = (count + 1) // 2
        up = [ranked[min(at * 3 // max(half, 2), 2)] for at in range(half)]
        up[-1] = "met" if half > 1 else up[-1]
        return tuple(up + up[: count - half][::-1])
    up = [ranked[at * len(ranked) // count] if count > 3 else ranked[at] for at in range(count)]
    return tuple(up if direction == "higher" else up[::-1])


def shares_of(typed: Sequence[float]) -> Floats:
    """Shares of bands, (n,) fractions, held against what shares have to be.

    Raises ValueError that says in percent what is missing or too much where they do not come to 1.
    """
    if not MIN_BANDS <= len(typed) <= MAX_BANDS:
        raise ValueError(f"give {MIN_BANDS} to {MAX_BANDS} shares, one for each band; there are {len(typed)}")
    if any(not share > 0 for share in typed):
        raise ValueError("every share must be above zero")
    total = float(np.sum(typed))
    if abs(total - 1) > 1e-8:
        off = f"{100 * (1 - total):g} % is missing" if total < 1 else f"{100 * (total - 1):g} % is too much"
        raise ValueError(f"the shares come to {100 * total:g} %; {off}")
    return np.asarray(typed, dtype=float)


def deal(
    direction: str, shares: Floats, *, low: float = 0.0, high: float = 1.0, values: Floats | None = None
) -> Yardstick:
    """Bands that take up ``shares`` (n,) of the way from ``low`` to ``high``, or, given ``values``, of those.

    low, high, values: KPI unit. Cuts are rounded as far as keeps them apart.
    """
    inner = np.cumsum(shares)[:-1]
    if values is not None:
        lines = round_quantiles(values[np.isfinite(values)], inner)
    else:
        lines = low + (high - low) * inner
        step = step_for(high - low, 200)
        rounded = np.round(lines / step) * step
        lines = rounded if np.all(np.diff(rounded) > 0) else lines
    return Yardstick(dealt_states(direction, len(shares)), tuple(Cut(tidy(line)) for line in lines))


def round_quantiles(known: Floats, shares: Floats) -> Floats:
    """The values (n,) below which ``shares`` (n,) of the known ones lie, rounded and rising; 1, 2, … for none.

    Quantiles are interpolated linearly between the two nearest values (type 7 of Hyndman & Fan (1996), Sample
    quantiles in statistical packages).
    """
    known = known[np.abs(known) <= LARGEST]
    if not known.size:
        return np.arange(1.0, len(shares) + 1)
    lines = np.quantile(known, shares)
    step = step_for(float(lines[-1] - lines[0]) or abs(float(lines[0])) or 1.0, 20)
    rounded = np.round(lines / step) * step
    if len(np.unique(rounded)) < len(lines):
        rounded = rounded[0] + np.arange(len(lines)) * step
    return np.clip(rounded, -LARGEST, LARGEST)
