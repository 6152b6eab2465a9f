"""Axes: from, to and round ticks, and where on them a value lies."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from ironmark.core.evaluate import Floats

SMALLEST = 1e-300  # a step below it would be lost in rounding
LARGEST = 1e300  # beyond it the length of an axis could not be told
STEPS = (1.0, 2.0, 2.5, 5.0, 10.0)


@dataclass(frozen=True)
class Axis:
    """A straight scale from ``low`` to ``high`` in the KPI's unit; ``high`` is the larger."""

    low: float
    high: float

    def __post_init__(self) -> None:
        if not (math.isfinite(self.low) and math.isfinite(self.high) and self.low < self.high):
            raise ValueError("an axis runs from a smaller to a larger number")
        if not math.isfinite(self.high - self.low):
            raise ValueError("the axis is too long to be drawn")

    @property
    def broken(self) -> bool:
        """Whether a bar on this axis does not start at zero and has to say so."""
        return self.low > 0 or self.high < 0

    def fraction(self, values: ArrayLike) -> Floats:
        """Where values (...) lie on the axis, 0 at ``low`` and 1 at ``high``, held within; NaN stays NaN."""
        return np.clip((np.asarray(values, dtype=float) - self.low) / (self.high - self.low), 0.0, 1.0)

    def place(self, value: float) -> float:
        """``fraction`` of one value; a blank lies at the low end."""
        if value != value:
            return 0.0
        return min(1.0, max(0.0, (value - self.low) / (self.high - self.low)))

    def past(self, value: float) -> int:
        """−1 or 1 when the value lies beyond the low or high end, else 0 (noise counts as on the end)."""
        slack = (self.high - self.low) * 1e-9
        return int(value > self.high + slack) - int(value < self.low - slack)


def step_for(span: float, most: int) -> float:
    """The smallest round step (1, 2, 2.5, 5 × a power of ten) that cuts ``span`` into at most ``most`` parts."""
    raw = max(span / max(most, 1), SMALLEST)
    power = 10.0 ** math.floor(math.log10(raw))
    return next((m * power for m in STEPS if m * power >= raw * (1 - 1e-9)), 10 * power)


def ticks(axis: Axis, most: int = 6) -> list[float]:
    """Round values on the axis, rising, at most ``most``; at least one unless the axis holds no round value."""
    step = step_for(axis.high - axis.low, max(most - 1, 1))
    first, last = math.ceil(axis.low / step - 1e-9), math.floor(axis.high / step + 1e-9)
    if last - first > most + 1:  # the axis is so far from zero that the step vanishes in rounding
        return [axis.low, axis.high][:most]
    # The floor keeps floating-point noise from putting the first or last tick off the axis.
    return [min(max(i * step, axis.low), axis.high) for i in range(first, last + 1)][:most]


def about(axis: Axis, count: int) -> list[float]:
    """About ``count`` round values on the axis, rising: of the round steps that of which the number is the nearest."""
    found = [ticks(axis, most) for most in range(max(count - 1, 2), count + 4)]
    return min(found, key=lambda values: (abs(len(values) - count), len(values)))


def whole_of(values: Floats, percent: bool) -> float | None:
    """Where an axis of percents ends, 1, unless one of the values (n,) passes it; None for no such end."""
    return 1.0 if percent and not bool(np.any(values > 1 + 1e-9)) else None


def choose(values: Iterable[float], *, from_zero: bool = False, ceiling: float | None = None) -> Axis:
    """An axis on which values, cuts and marks all fit, with round ends and some room.

    values: what has to fit, KPI unit; blanks are passed over. from_zero: a bar whose length should tell the
    amount. ceiling: an end the unit cannot pass (1 for a share), kept to unless a value does.
    """
    known = np.array([v for v in values if v is not None and math.isfinite(v)], dtype=float)
    known = known[np.abs(known) <= LARGEST]
    if not known.size:
        return Axis(0.0, ceiling or 1.0)
    low, high = float(known.min()), float(known.max())
    share = ceiling is not None and low >= 0 and high <= ceiling
    if share and high - low <= 1e-9:
        return Axis(0.0, float(ceiling or 1.0))
    if from_zero or (low >= 0 and low < 0.5 * high):
        low, high = min(low, 0.0), max(high, 0.0)
    if high - low <= 1e-9 * max(abs(low), abs(high)):
        # Everything lies on one value: make room on both sides of it.
        room = abs(high) * 0.5 or (ceiling or 1.0)
        low, high = (0.0, high + room) if low == 0 or from_zero else (low - room, high + room)
    room = (high - low) * 0.08
    wanted_low = low if low == 0 else low - room
    wanted_high = high if high == 0 else high + room
    step = step_for(wanted_high - wanted_low, 8)
    new_low, new_high = (
        math.floor(wanted_low / step + 1e-9) * step,
        math.ceil(wanted_high / step - 1e-9) * step,
    )
    if share and ceiling is not None:
        new_high = min(new_high, ceiling)
    if low >= 0 > new_low:
        new_low = 0.0
    if not new_low < new_high:
        new_low, new_high = low - abs(low or 1.0), high + abs(high or 1.0)
    return Axis(new_low, new_high)


def with_ends(chosen: Axis, low: float | None, high: float | None) -> Axis:
    """An axis with one or both ends given, the others as they were chosen.

    A given end that lies past the chosen one wins, and that one gives way, so that the axis keeps its length. Ends
    between which nothing can be drawn (two given that do not rise, or one so far out that the length vanishes) leave
    the chosen axis as it is.
    """
    start, end = chosen.low if low is None else low, chosen.high if high is None else high
    span = chosen.high - chosen.low
    if start >= end and (low is None or high is None):
        start, end = (start, start + span) if high is None else (end - span, end)
    return Axis(start, end) if start < end and math.isfinite(end - start) else chosen
