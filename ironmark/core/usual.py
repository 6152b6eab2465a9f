"""The usual range of a KPI, from what its own history was before each reading, and the signals that stand out of it."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np
import numpy.typing as npt

from ironmark.core.evaluate import Floats
from ironmark.core.formula_nodes import Aggregate, Binary, Minus, Node, Number, aggregates, denominator

Kind = Literal["level", "share", "count", "ratio"]
Flags = npt.NDArray[np.uint8]

FEWEST: Final = 12  # readings before a first range is told; below that it would move with each of them
FEWEST_AFTER: Final = 8  # and since a shift or a named date, which is how many show a shift
LONGEST: Final = 60  # readings that a range rests on at most
PER_SIGMA: Final = 1.128  # d2 of two readings: how much of a standard deviation they differ by on average
LIMITS: Final = 3.0  # standard deviations; 3 / 1.128 = 2.66 moving ranges
RUN: Final = 8  # on one side of the middle
TREND: Final = 6  # rising or falling
SEASONS: Final = {"day": 7, "week": 52, "month": 12, "quarter": 4}  # periods that make a week, or a year
_LASTING: Final = 1.0  # standard deviations that the mean of a run is off the middle, to be a new level
_SEASON_GAIN: Final = 0.75  # of the squared errors at most are left where the seasons of other years are taken out

OUTSIDE, ON_ONE_SIDE, STEADY, TWO_OF_THREE = 1, 2, 4, 8  # signals, as bits


@dataclass(frozen=True)
class Usual:
    """What is usual for each reading of (P, M) and, in a row more, for the one after the last. KPI unit.

    low, middle, high: NaN where there is no range yet. sigma: a standard deviation of a reading, KPI unit. start: the row that
    its range begins with; count: of how many readings it is made. seasonal: whether seasons were taken out. signals: bits of
    OUTSIDE, ON_ONE_SIDE, STEADY, TWO_OF_THREE (P, M); side: 1 above, -1 below, of a signal. run: how many
    readings in a row lie on that side; steady: how many rose or fell in a row. shifted: the rows a new range begins with, of
    each column in rising order.
    """

    low: Floats
    middle: Floats
    high: Floats
    sigma: Floats
    start: npt.NDArray[np.int64]
    count: npt.NDArray[np.int64]
    seasonal: npt.NDArray[np.bool_]
    signals: Flags
    side: npt.NDArray[np.int8]
    run: npt.NDArray[np.int64]
    steady: npt.NDArray[np.int64]


@dataclass(frozen=True)
class Ratio:
    """A formula as ``offset + scale × above / below``."""

    above: Node
    below: Node
    scale: float = 1.0
    offset: float = 0.0


def ratio_of(node: Node) -> Ratio | None:
    """What a formula divides by what; None where it is no single ratio, scaled or moved by a number."""
    match node:
        case Binary(op="/", left=left, right=right) if aggregates(right):
            above, scale = _scaled(left)
            return Ratio(above, right, scale) if aggregates(above) else None
        case Aggregate(name="mean", of=of) if of is not None:
            below = denominator(node)
            return Ratio(Aggregate(**{**vars(node), "name": "sum"}), below) if below else None
        case Minus(of=of):
            found = ratio_of(of)
            return found and Ratio(found.above, found.below, -found.scale, -found.offset)
        case Binary(op="*", left=Number(value=by), right=of) | Binary(op="*", left=of, right=Number(value=by)):
            found = ratio_of(of)
            return found and Ratio(found.above, found.below, found.scale * by, found.offset * by)
        case Binary(op="/", left=of, right=Number(value=by)) if by:
            found = ratio_of(of)
            return found and Ratio(found.above, found.below, found.scale / by, found.offset / by)
        case Binary(op="+", left=Number(value=by), right=of) | Binary(op="+", left=of, right=Number(value=by)):
            found = ratio_of(of)
            return found and Ratio(found.above, found.below, found.scale, found.offset + by)
        case Binary(op="-", left=of, right=Number(value=by)):
            found = ratio_of(of)
            return found and Ratio(found.above, found.below, found.scale, found.offset - by)
        case Binary(op="-", left=Number(value=by), right=of):
            found = ratio_of(of)
            return found and Ratio(found.above, found.below, -found.scale, by - found.offset)
    return None


def _scaled(node: Node) -> tuple[Node, float]:
    match node:
        case Binary(op="*", left=Number(value=by), right=of) | Binary(op="*", left=of, right=Number(value=by)):
            inner, scale = _scaled(of)
            return inner, scale * by
    return node, 1.0


def kind_of(ratio: Ratio | None, above: Floats | None, below: Floats | None) -> Kind:
    """What chart a history is read by. above, below: (P, M), what the ratio's two sides come to.

    A share is so many of so many: whole numbers, never more above than below. A count is so many events for so
    much of something. A ratio of anything else varies with what is below it too, but as much as it does.
    """
    if ratio is None or above is None or below is None:
        return "level"
    known = np.isfinite(above) & np.isfinite(below)
    over, under = above[known], below[known]
    if not over.size or (under < 0).any():
        return "level"
    if not (over == np.round(over)).all() or (over < 0).any():
        return "level" if any(a.name == "mean" for a in aggregates(ratio.below)) else "ratio"
    if (under == np.round(under)).all() and (over <= under).all():
        return "share"
    counts = aggregates(ratio.above)
    return "count" if counts and all(a.name == "count" for a in counts) else "ratio"


def usual(
    value: Floats,
    kind: Kind = "level",
    below: Floats | None = None,
    scale: float = 1.0,
    offset: float = 0.0,
    named: Collection[int] = (),
    season: int = 0,
) -> Usual:
    """The usual range of every reading, from those before it alone, and which of them are signals.

    value: (P, M), KPI unit, NaN where there is none or it is of a part of its period. kind, below, scale, offset: see
    ``kind_of`` and ``Ratio``. named: rows that begin a new range. season: how many periods make a year, 0 for none.

    Levels: an individuals chart, mean ± 2.66 mean moving ranges (Shewhart 1931; Wheeler, *Understanding Variation*,
    1993). Shares and counts: binomial and Poisson limits by each period's own denominator, widened by the moving
    range of the standardised readings (Laney, "Improved control charts for attributes", *Quality Engineering* 14, 2002).
    Signals: outside of the limits; 8 on one side of the middle; 6 rising or falling; 2 of 3 beyond two
    thirds of the way (Western Electric 1956; Nelson, *J. Quality Technology* 16, 1984).
    """
    with np.errstate(all="ignore"):
        x = (value - offset) / scale if kind != "level" else value.astype(float)
        size = np.ones_like(x) if kind == "level" or below is None else np.where(below > 0, below, np.nan)
        x = np.where(np.isfinite(x) & np.isfinite(size), x, np.nan)
        found = _Reader(x, size, kind, season).read(frozenset(named))
    if kind == "level":
        return found
    low, high = offset + scale * found.low, offset + scale * found.high
    return Usual(
        np.minimum(low, high), offset + scale * found.middle, np.maximum(low, high), abs(scale) * found.sigma, found.start,
        found.count, found.seasonal, found.signals, (found.side * np.sign(scale)).astype(np.int8), found.run, found.steady,
    )  # fmt: skip


class _Reader:
    """Goes through a history once, from its first reading to the one after its last, all members at a time."""

    def __init__(self, x: Floats, size: Floats, kind: Kind, season: int) -> None:
        self.x, self.kind, self.season = x, kind, season
        self.size = np.vstack([size, _last_known(size)])  # the next one is taken to be as large as the last
        rows, columns = x.shape
        self.gaps = not np.isfinite(x).all()
        self.named, self.has_season = 0, np.zeros(x.shape[1], np.bool_)
        shape = (rows + 1, columns)
        self.low, self.middle, self.high, self.sigma = (np.full(shape, np.nan) for _ in range(4))
        self.start, self.count = np.zeros(shape, np.int64), np.zeros(shape, np.int64)
        self.seasonal = np.zeros(shape, np.bool_)
        self.signals, self.side = np.zeros((rows, columns), np.uint8), np.zeros((rows, columns), np.int8)
        self.run, self.steady = np.zeros((rows, columns), np.int64), np.zeros((rows, columns), np.int64)

    def read(self, named: frozenset[int]) -> Usual:
        rows, columns = self.x.shape
        at = np.zeros(columns, np.int64)  # where the range of each member begins
        state = _Running(columns)
        for t in range(rows + 1):
            if t in named:
                at, self.named = np.full(columns, t), t
                state = _Running(columns)
            adjust, at = self._range(t, at, state)
            if t < rows:
                at = self._judge(t, at, adjust, state)
        return Usual(
            self.low, self.middle, self.high, self.sigma, self.start, self.count, self.seasonal, self.signals, self.side,
            self.run, self.steady,
        )  # fmt: skip

    def _range(self, t: int, at: npt.NDArray[np.int64], state: _Running) -> tuple[Floats, npt.NDArray[np.int64]]:
        """The range of row ``t``; returns what its season adds (M), and where it begins."""
        first = max(0, t - LONGEST)
        x, size = self.x[first:t], self.size[first:t]
        adjust, wider = self._seasons(x, t - max(first, self.named))
        # Before two years were over each season looked like a shift.
        found = (wider > 1) & ~self.has_season
        if found.any():
            at, self.has_season = np.where(found, self.named, at), self.has_season | found
            state.forget(found)
        among = np.isfinite(x) & (np.arange(first, t)[:, None] >= at)
        n = among.sum(axis=0)
        enough = n >= np.where(at > 0, FEWEST_AFTER, FEWEST)
        self.start[t], self.count[t] = np.maximum(at, first), n
        if not enough.any():
            return np.zeros(len(at)), at
        adjusted = x - adjust[:-1]
        weight = np.where(among, size, 0.0)
        middle = np.where(among, adjusted * size, 0.0).sum(axis=0) / weight.sum(axis=0)
        spread = self._spread(middle)
        each = (adjusted - middle) / (spread / np.sqrt(size))
        # What does not vary at all has no moving range either; the division by nothing is not one.
        sigma = (
            _moving_range(np.where(among, np.nan_to_num(each, posinf=0.0, neginf=0.0), np.nan), self.gaps) / PER_SIGMA
        )
        if self.kind in ("share", "count"):
            sigma = np.maximum(sigma, 1.0)
        now = sigma * spread / np.sqrt(self.size[t]) * wider
        centre = middle + adjust[-1]
        low, high = centre - LIMITS * now, centre + LIMITS * now
        low = np.where(np.where(among, x, 0.0).min(axis=0) >= 0, np.maximum(low, 0.0), low)
        if self.kind == "share":
            high = np.minimum(high, 1.0)
        for kept, found in ((self.low, low), (self.middle, centre), (self.high, high), (self.sigma, now)):
            kept[t] = np.where(enough, found, np.nan)
        self.seasonal[t] = (wider > 1) & enough
        return np.where(enough, adjust[-1], 0.0), at

    def _spread(self, middle: Floats) -> Floats:
        """A standard deviation of a reading of size 1, as far as it is known beforehand."""
        if self.kind == "share":
            return np.sqrt(np.clip(middle * (1 - middle), 0, None))
        if self.kind == "count":
            return np.sqrt(np.clip(middle, 0, None))
        return np.ones_like(middle)

    def _seasons(self, x: Floats, since: int) -> tuple[Floats, Floats]:
        """What each reading of ``x``, and the next one, has from its season (R + 1, M), and how much wider the range of the
        next one has to be for it (M). Nothing where two whole years do not show it. since: how many of them
        came after the last named date."""
        length, (rows, columns) = self.season, x.shape
        none, as_it_is = np.zeros((rows + 1, columns)), np.ones(columns)
        years = since // length if length else 0
        if years < 2:
            return none, as_it_is
        block = x[rows - years * length :].reshape(years, length, columns)
        whole = np.isfinite(block).all(axis=(0, 1))
        if not whole.any():
            return none, as_it_is
        deviation = block - block.mean(axis=1, keepdims=True)
        total = deviation.sum(axis=0)
        others = (total[None] - deviation) / (years - 1)  # the season as the other years show it
        gain = ((deviation - others) ** 2).sum(axis=(0, 1)) / (deviation**2).sum(axis=(0, 1))
        used = whole & (gain < _SEASON_GAIN)
        season = np.where(used, total / years, 0.0)
        place = (np.arange(rows + 1) - (rows - years * length)) % length
        # Of so few years the season takes up some of what varies; of a new reading it does not.
        return season[place], np.where(used, np.sqrt((years + 1) / (years - 1)), 1.0)

    def _judge(self, t: int, at: npt.NDArray[np.int64], adjust: Floats, state: _Running) -> npt.NDArray[np.int64]:
        """Whether reading ``t`` is a signal; returns where the range of the next one begins."""
        x = self.x[t] - adjust
        there = np.isfinite(self.x[t])
        off = self.x[t] - self.middle[t]
        z = np.where(off == 0, 0.0, off / self.sigma[t])
        known = there & np.isfinite(self.middle[t])
        z = np.where(known, z, 0.0)
        state.saw(t, x, z, self.middle[t], self.sigma[t], there, known)
        flags = np.where(np.abs(z) > LIMITS, OUTSIDE, 0)
        flags |= np.where(np.abs(state.run) >= RUN, ON_ONE_SIDE, 0)
        flags |= np.where(np.abs(state.steady) >= TREND - 1, STEADY, 0)
        beyond = np.sign(z) * (np.abs(z) > 2)
        two = (beyond != 0) & ((beyond == state.beyond[0]) | (beyond == state.beyond[1]))
        flags |= np.where(two, TWO_OF_THREE, 0)
        self.signals[t] = np.where(known, flags, 0)
        by_trend = (flags == STEADY) & known
        side = np.where(by_trend, np.sign(state.steady), np.sign(z))
        self.side[t] = np.where(known & (flags > 0), side, 0)
        self.run[t], self.steady[t] = np.abs(state.run), np.where(state.steady != 0, np.abs(state.steady) + 1, 0)
        state.beyond = [np.where(there, beyond, state.beyond[0]), np.where(there, state.beyond[0], state.beyond[1])]
        length = np.abs(state.run)
        mean = state.total / np.maximum(length, 1)
        lasting = (length >= RUN) & (np.abs(mean - state.before) >= _LASTING * state.by)
        at = np.where(lasting, state.first, at)
        state.forget(lasting)
        return at


class _Running:
    """What the rules remember of the readings so far, by member. run: how many lie on one side, with its sign; steady: how
    many rose or fell; first, total, before, by: where the run began, what it adds up to, and the middle and the standard
    deviation that its first reading met."""

    def __init__(self, columns: int) -> None:
        self.run, self.steady = np.zeros(columns, np.int64), np.zeros(columns, np.int64)
        self.first, self.total = np.zeros(columns, np.int64), np.zeros(columns)
        self.before, self.by = np.zeros(columns), np.zeros(columns)
        self.last = np.full(columns, np.nan)
        self.beyond = [np.zeros(columns), np.zeros(columns)]

    def saw(
        self, t: int, x: Floats, z: Floats, middle: Floats, sigma: Floats, there: npt.NDArray[np.bool_],
        known: npt.NDArray[np.bool_],
    ) -> None:  # fmt: skip
        sign = np.sign(z).astype(np.int64)
        on = known & (sign == np.sign(self.run)) & (sign != 0)
        begins = known & ~on
        self.run = np.where(on, self.run + sign, np.where(begins, sign, self.run))
        self.first = np.where(begins, t, self.first)
        self.total = np.where(begins, 0.0, self.total) + np.where(known, x, 0.0)
        self.before, self.by = np.where(begins, middle, self.before), np.where(begins, sigma, self.by)
        step = np.where(np.isfinite(self.last), np.sign(x - self.last), 0).astype(np.int64)
        goes_on = there & (step == np.sign(self.steady)) & (step != 0)
        self.steady = np.where(goes_on, self.steady + step, np.where(there, step, self.steady))
        self.last = np.where(there, x, self.last)

    def forget(self, which: npt.NDArray[np.bool_]) -> None:
        """A run that began a new range is over; it is what is usual now."""
        self.run = np.where(which, 0, self.run)
        self.steady = np.where(which, 0, self.steady)
        self.beyond = [np.where(which, 0.0, one) for one in self.beyond]


def _moving_range(each: Floats, gaps: bool) -> Floats:
    """The mean of how much each reading differs from the one before it (M); across a gap from the last there was."""
    if not gaps and np.isfinite(each).all():
        mean: Floats = np.abs(np.diff(each, axis=0)).mean(axis=0)
        return mean
    rows = np.arange(len(each))[:, None]
    known = np.isfinite(each)
    last = np.maximum.accumulate(np.where(known, rows, -1), axis=0)
    before = np.vstack([np.full((1, each.shape[1]), -1), last[:-1]])
    differ = np.abs(each - np.take_along_axis(each, np.maximum(before, 0), axis=0))
    fine = known & (before >= 0)
    found: Floats = np.where(fine, differ, 0.0).sum(axis=0) / np.maximum(fine.sum(axis=0), 1)
    return found


def _last_known(size: Floats) -> Floats:
    rows = np.arange(len(size))[:, None]
    last = np.where(np.isfinite(size), rows, 0).max(axis=0, initial=0)
    return size[last, np.arange(size.shape[1])] if len(size) else np.ones(size.shape[1])


@dataclass(frozen=True)
class Drawn:
    """A range as it is drawn, (P, M) each: of each stretch of history as all of it shows it. start: the row it begins with."""

    low: Floats
    middle: Floats
    high: Floats
    start: npt.NDArray[np.int64]


def drawn(found: Usual) -> Drawn:
    """The ranges of a history as they are drawn afterwards: level over each stretch between shifts and named dates, by
    what was known at its end. Signals are told by what was known before each reading."""
    rows = len(found.low) - 1
    begins, ends = np.zeros(found.start[:-1].shape, np.int64), np.zeros(found.start[:-1].shape, np.int64)
    after = found.start[-1].copy()
    last = np.full(after.shape, rows)
    for t in range(rows - 1, -1, -1):
        # A range that begins later than this row is the next stretch's.
        over = t < after
        # The one that was told next is still made of this stretch alone, unless somebody named a date.
        told = np.where(found.start[t + 1] == found.start[t], t + 1, t)
        last = np.where(over, told, last)
        after = np.where(over, found.start[t], after)
        begins[t], ends[t] = after, last
    # A season moves the range from period to period.
    ends = np.where(np.take_along_axis(found.seasonal, ends, axis=0), np.arange(rows)[:, None], ends)
    low, middle, high = (np.take_along_axis(kept, ends, axis=0) for kept in (found.low, found.middle, found.high))
    return Drawn(low, middle, high, begins)
