"""The mark book: which line a reading is measured against."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from ironmark.core.evaluate import Floats
from ironmark.core.periods import Grain, Period, pieces

Ints = NDArray[np.int64]
Nature = Literal["flow", "stock", "rate"]
NAMES = ("target", "stretch", "floor", "limit")
TOGETHER = "*"  # the segment and member of an entry for everything read together


@dataclass(frozen=True)
class MarkEntry:
    """A line from a period on: of one member of a segment, of all together, or of any (both None).

    A flow's entry is an amount for a period of the grain of ``since``: a yearly one is a twelfth or so a month.
    """

    name: str
    segment: str | None
    member: str | None
    since: Period
    value: float


@dataclass(frozen=True)
class Lines:
    """Marks by period and member, (P, M) each: ``value`` in the KPI's unit, NaN for none; ``entry`` the index of
    the entry in force at the period's end, −1 for none; ``count`` how many entries the mark comes from."""

    value: Floats
    entry: Ints
    count: Ints


def look_up(
    entries: Sequence[MarkEntry], name: str, days: Ints, segment: str | None, members: Sequence[str | None]
) -> Ints:
    """Which entry is in force for every day and member.

    days: (P,) days counted from the first of January of year 1; members: M names of ``segment``, None for all
    together. Returns the index into ``entries`` (P, M), −1 where there is none. The latest entry of the member on
    or before the day wins, else the latest of any; of two from the same day the one for the shorter period.
    """
    codes = {member: code for code, member in enumerate(dict.fromkeys(members), start=2) if member is not None}
    relevant = []
    for index, entry in enumerate(entries):
        if entry.name != name:
            continue
        if entry.segment == TOGETHER:
            code: int | None = 1
        elif entry.member is None:
            code = 0
        else:
            code = codes.get(entry.member) if entry.segment == segment else None
        if code is not None:
            relevant.append((code, entry.since.start.toordinal(), -entry.since.days, index))
    shape = (len(days), len(members))
    if not relevant:
        return np.full(shape, -1)
    table = np.array(sorted(relevant), dtype=np.int64)
    stride = int(max(table[:, 1].max(), days.max() if len(days) else 0)) + 1
    keys = table[:, 0] * stride + table[:, 1]

    def latest(of: Ints) -> Ints:
        """The row of ``table`` in force for member code ``of`` (1, M) on each day; −1 for none."""
        at = np.searchsorted(keys, of * stride + days[:, None], side="right") - 1
        held = (at >= 0) & (table[np.maximum(at, 0), 0] == of)
        return np.where(held, at, -1)

    wanted = np.array([[1 if member is None else codes[member] for member in members]], dtype=np.int64)
    own = latest(wanted)
    row = np.where(own >= 0, own, latest(np.zeros_like(wanted)))
    return np.where(row >= 0, table[np.maximum(row, 0), 3], -1)


Weigh = Callable[[tuple[Period, ...]], Floats | None]


def over(
    entries: Sequence[MarkEntry],
    name: str,
    periods: Sequence[Period],
    nature: Nature,
    segment: str | None,
    members: Sequence[str | None],
    weigh: Weigh | None = None,
) -> Lines:
    """The mark ``name`` of whole periods, however long these are beside the entries'.

    A flow's marks add up over the months or days a period is made of; a stock takes the last one; a rate takes
    the mark when it is the same throughout, else the mean weighted by ``weigh`` (from pieces (N,) to the
    formula's denominator (N, M)), or by days where there is no denominator. A piece without a mark leaves the
    whole period without one.
    """
    fine = any(p.unit != "month" for p in periods) or any(e.since.unit != "month" for e in entries if e.name == name)
    parts, of = pieces(periods, "day" if fine else "month")
    starts = np.array([part.start.toordinal() for part in parts], dtype=np.int64)
    index = look_up(entries, name, starts, segment, members)
    first = np.searchsorted(np.array(of), np.arange(len(periods)))
    last = np.append(first[1:], len(parts)) - 1
    lines = np.array([entry.value for entry in entries] or [np.nan])
    value = np.where(index >= 0, lines[np.maximum(index, 0)], np.nan)
    new = np.ones_like(index)
    new[1:] = index[1:] != index[:-1]
    new[first] = 1
    count = np.add.reduceat(new * (index >= 0), first, axis=0)
    if nature == "flow":
        value = np.add.reduceat(value * _amount(entries, index, parts), first, axis=0)
    elif nature == "stock" or len(parts) == len(periods):
        value = value[last]
    else:
        value = _mean(value, parts, first, weigh)
    return Lines(value, index[last], count)


def amounts(periods: Sequence[Period], per: Grain) -> Floats:
    """How many of its ``per`` each period holds, (P,): a quarter three months, a week of February a quarter of one."""
    whole = MarkEntry("", None, None, Period.of(dt.date(1, 1, 1), per, periods[0].year_start), 1.0)
    return over([whole], "", periods, "flow", None, [None]).value[:, 0]


def _amount(entries: Sequence[MarkEntry], index: Ints, parts: Sequence[Period]) -> Floats:
    """How much of the amount of its entry falls to each piece, (N, M): by days, and 1 where they are of one length."""
    kinds = list(dict.fromkeys((entry.since.grain, entry.since.year_start) for entry in entries))
    if not kinds:
        return np.ones(index.shape)
    kind_of = np.array([kinds.index((entry.since.grain, entry.since.year_start)) for entry in entries])
    days = np.array([part.days for part in parts], dtype=float)
    whole = np.array([[Period.of(part.start, *kind).days for kind in kinds] for part in parts], dtype=float)
    share = days[:, None] / whole
    return np.where(index >= 0, share[np.arange(len(parts))[:, None], kind_of[np.maximum(index, 0)]], np.nan)


def _mean(value: Floats, parts: tuple[Period, ...], first: Ints, weigh: Weigh | None) -> Floats:
    low, high = np.minimum.reduceat(value, first, axis=0), np.maximum.reduceat(value, first, axis=0)
    if np.array_equal(low, high, equal_nan=True):
        return low
    days = np.array([part.days for part in parts], dtype=float)[:, None]
    weights = weigh(parts) if weigh else None
    weights = np.broadcast_to(days, value.shape) if weights is None else np.nan_to_num(weights)
    total = np.add.reduceat(weights, first, axis=0)
    # A period without rows so far has no denominator to weigh by.
    repeats = np.diff(np.append(first, len(parts)))
    weights = np.where(np.repeat(total, repeats, axis=0) > 0, weights, days)
    with np.errstate(all="ignore"):
        mean = np.add.reduceat(value * weights, first, axis=0) / np.add.reduceat(weights, first, axis=0)
    return np.where(low == high, low, mean)


def spread(total: float, weights: Floats, decimals: int) -> Floats:
    """A figure dealt out by weights (n,), not negative, so that the parts add up to it to the last unit.

    decimals: of the smallest unit dealt out; the parts are rounded down to it and what is left over goes to those
    that lost most (the largest remainder method). Raises ValueError where there is nothing to go by.
    """
    weights = np.nan_to_num(weights)
    if weights.size == 0 or weights.min() < 0 or weights.sum() <= 0:
        raise ValueError("the weights must not be negative, and at least one above zero")
    unit = 10.0**decimals
    whole = round(total * unit)
    exact = whole * weights / weights.sum()
    parts = np.floor(exact)
    left = int(whole - parts.sum())
    parts[np.argsort(parts - exact, kind="stable")[:left]] += 1
    return np.asarray(np.round(parts / unit, decimals))
