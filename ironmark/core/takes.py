"""What it takes to reach a mark: what the days to come have to bring, or how many may still fail."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from ironmark.core.evaluate import Floats


@dataclass(frozen=True)
class SumTakes:
    """needed: what is missing; each: what each day to come has to bring. usual: what such days brought."""

    needed: float
    each: float
    usual: float


def of_sum(so_far: float, mark: float, left: int, usual: float) -> SumTakes | None:
    """What a sum needs to come up to a mark in the days that are left; None where there are none. usual: a day's mean."""
    needed = mark - so_far
    return SumTakes(needed, needed / left, usual) if left > 0 else None


@dataclass(frozen=True)
class ShareTakes:
    """may_fail: of the ``coming`` rows, to end at the mark or better; below 0 it cannot be reached. such: how many of so
    many failed by the latest weeks."""

    coming: int
    may_fail: int
    such: float


def of_share(good: float, all_: float, mark: float, coming: float, rate: float, lower: bool = False) -> ShareTakes:
    """How many of the rows to come may still fail. good, all_: so far; mark: a share; rate: the share of late.

    lower: less is better, so that what is counted is what fails.
    """
    n = round(coming)
    if lower:
        most = math.floor(mark * (all_ + n) - good + 1e-9)
        return ShareTakes(n, min(most, n), n * rate)
    least = math.ceil(mark * (all_ + n) - good - 1e-9)
    return ShareTakes(n, min(n - least, n), n * (1 - rate))


def out_of_reach_since(good: Floats, all_: Floats, mark: float, coming: Floats, lower: bool = False) -> int | None:
    """The first day after which a share's mark could not be reached any more, however good the rows to come; None while it
    can. good, all_: so far after each day (D,); coming: rows to come after each (D,)."""
    with np.errstate(all="ignore"):
        best = good / (all_ + coming) if lower else (good + coming) / (all_ + coming)
    over = best > mark + 1e-12 if lower else best < mark - 1e-12
    if not over.any() or not over[-1]:
        return None
    back = np.flatnonzero(~over)
    return int(back[-1]) + 1 if len(back) else 0
