"""What moved a figure from one reading to another: what each member gave, of a ratio rate and mix apart, and factors."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

import numpy as np

from ironmark.core.evaluate import Floats


@dataclass(frozen=True)
class Moved:
    """What each member gave (M), in the unit of the figure. rate: by its own figure; mix: by its share of the whole, of a
    ratio. All of it adds up to ``change``, to the rounding of a float."""

    rate: Floats
    mix: Floats
    change: float

    @property
    def given(self) -> Floats:
        return self.rate + self.mix


def of_sum(before: Floats, after: Floats) -> Moved:
    """Of a sum over members: each gave what it differs by. (M), NaN counts as nothing."""
    was, now = np.nan_to_num(before), np.nan_to_num(after)
    return Moved(now - was, np.zeros_like(now), float(now.sum() - was.sum()))


def of_ratio(above_0: Floats, below_0: Floats, above_1: Floats, below_1: Floats) -> Moved:
    """Of a ratio of sums over members (M): each by its rate at the mean of its two weights, and by its weight at how far
    the mean of its two rates is from that of the whole.

    Kitagawa, "Components of a difference between two rates", *JASA* 50 (1955). A member without anything below in
    one of the two has the rate of the other there: it gives mix alone.
    """
    a0, b0, a1, b1 = (np.nan_to_num(line) for line in (above_0, below_0, above_1, below_1))
    whole_0, whole_1 = b0.sum(), b1.sum()
    if not whole_0 or not whole_1:
        nothing = np.full(len(a0), np.nan)
        return Moved(nothing, nothing, float("nan"))
    with np.errstate(all="ignore"):
        r0, r1 = a0 / b0, a1 / b1
        # What is above without anything below belongs to the whole all the same; its weight of one is as good as none.
        r0, r1 = np.where(b0 == 0, r1, r0), np.where(b1 == 0, r0, r1)
    r0, r1 = np.nan_to_num(r0, posinf=0, neginf=0), np.nan_to_num(r1, posinf=0, neginf=0)
    s0, s1 = b0 / whole_0, b1 / whole_1
    all_0, all_1 = a0.sum() / whole_0, a1.sum() / whole_1
    rate = (r1 - r0) * (s0 + s1) / 2
    rate += np.where(b1 == 0, a1 / whole_1, 0) - np.where(b0 == 0, a0 / whole_0, 0)
    mix = (s1 - s0) * ((r0 + r1) / 2 - (all_0 + all_1) / 2)
    return Moved(rate, mix, float(all_1 - all_0))


def of_factors(before: Sequence[float], after: Sequence[float], powers: Sequence[int]) -> list[float] | None:
    """What each factor of a product gave, adding up to the change of the product; None where one is not above 0.

    powers: 1 for a factor, -1 for what is divided by. The logarithmic mean Divisia index (Ang, "The LMDI approach to
    decomposition analysis", *Energy Policy* 33, 2005).
    """
    if min(*before, *after, 1.0) <= 0:
        return None
    was = float(np.prod([value**power for value, power in zip(before, powers, strict=True)]))
    now = float(np.prod([value**power for value, power in zip(after, powers, strict=True)]))
    mean = was if now == was else (now - was) / np.log(now / was)
    return [float(mean * power * np.log(b / a)) for a, b, power in zip(before, after, powers, strict=True)]


def telling(given: Floats) -> float:
    """How much few members tell of a change, from 0 (all the same) to 1 (one alone); 0 for a single member."""
    size = np.abs(given[np.isfinite(given)])
    if len(size) < 2 or not size.sum():
        return 0.0
    part = float(((size / size.sum()) ** 2).sum())
    return (part - 1 / len(size)) / (1 - 1 / len(size))


def shown_parts(parts: Sequence[float], whole: float, decimals: int) -> list[Fraction]:
    """Parts rounded so that what is shown adds up to the whole as it is shown (largest remainder)."""
    unit = Fraction(1, 10**decimals)
    exact = [Fraction(part) / unit for part in parts]
    total = round(Fraction(whole) / unit)
    floors = [part.numerator // part.denominator for part in exact]
    left = total - sum(floors)
    order = sorted(range(len(parts)), key=lambda at: exact[at] - floors[at], reverse=left > 0)
    for turn in range(abs(left) if parts else 0):
        floors[order[turn % len(order)]] += 1 if left > 0 else -1
    return [floor * unit for floor in floors]
