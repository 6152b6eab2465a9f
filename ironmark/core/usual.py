"""The usual range of a KPI, from what its own history was before each reading, and the signals that stand out of it."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, fields
from typing import Any, Final

import numpy as np
import numpy.typing as npt

from ironmark.core.evaluate import Floats
from ironmark.core.ratio import Kind

Flags = npt.NDArray[np.uint8]
_Any = npt.NDArray[Any]

FEWEST: Final = 12  # readings before a first range is told; below that it would move with each of them
FEWEST_AFTER: Final = 8  # and since a shift or a named date, which is how many show a shift
LONGEST: Final = 60  # readings that a range rests on at most
PER_SIGMA: Final = 1.128  # d2 of two readings: how much of a standard deviation they differ by on average
LIMITS: Final = 3.0  # standard deviations; 3 / 1.128 = 2.66 moving ranges
RUN: Final = 8  # on one side of the middle
TREND: Final = 6  # rising or falling
SEASONS: Final = {"day": 7, "week": 52, "month": 12, "quarter": 4}  # periods that make a week, or a year
BLOCK, ROOM = 32, 200_000  # rows that are worked out at once, and of how many readings in all
AT_ONCE = 150_000  # readings of all that are asked for at once that are worked out together
_LASTING: Final = 1.0  # standard deviations that the mean of a run is off the middle, to be a new level
_SEASON_GAIN: Final = 0.75  # of the squared errors at most are left where the seasons of other years are taken out

OUTSIDE, ON_ONE_SIDE, STEADY, TWO_OF_THREE = 1, 2, 4, 8  # signals, as bits


@dataclass(frozen=True)
class Usual:
    """What is usual for each reading of (P, M) and, in a row more, for the one after the last. KPI unit.

    low, middle, high: NaN where there is no range yet. sigma: a standard deviation of a reading, KPI unit. start: the row that
    its range begins with; count: of how many readings it is made. seasonal: whether seasons were taken out. signals: bits of
    OUTSIDE, ON_ONE_SIDE, STEADY, TWO_OF_THREE (P, M); side: 1 above, -1 below, of a signal. run: how many
    readings in a row lie on that side; steady: how many rose or fell in a row.
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


def usual(
    value: Floats,
    kind: Kind | Sequence[Kind] = "level",
    below: Floats | None = None,
    scale: float | Floats = 1.0,
    offset: float | Floats = 0.0,
    named: Collection[int] = (),
    season: int = 0,
) -> Usual:
    """The usual range of every reading, from those before it alone, and which of them are signals.

    value: (P, M), KPI unit, NaN where there is none or it is of a part of its period. kind, below, scale, offset: see
    ``ratio.kind_of`` and ``ratio.Ratio``, the last three not looked at for levels; all but ``below`` (P, M) are one for
    all members or (M,). named: rows that begin a new range. season: how many
    periods make a year, 0 for none.

    Levels: an individuals chart, mean ± 2.66 mean moving ranges (Shewhart 1931; Wheeler, *Understanding Variation*,
    1993). Shares and counts: binomial and Poisson limits by each period's own denominator, widened by the moving
    range of the standardised readings (Laney, "Improved control charts for attributes", *Quality Engineering* 14, 2002).
    Signals: outside of the limits; 8 on one side of the middle; 6 rising or falling; 2 of 3 beyond two
    thirds of the way (Western Electric 1956; Nelson, *J. Quality Technology* 16, 1984).
    """
    kinds = np.broadcast_to(np.asarray(kind), value.shape[1:])
    rows, columns = value.shape
    many = max(1, AT_ONCE // max(rows, 1))
    if columns > many:  # what stands in memory meanwhile is some forty times as much
        scales, offsets = (np.broadcast_to(np.asarray(one, dtype=np.float64), columns) for one in (scale, offset))
        whole: dict[str, _Any] = {}
        for a in range(0, columns, many):
            b = a + many
            under = None if below is None else below[:, a:b]
            part = usual(value[:, a:b], kinds[a:b], under, scales[a:b], offsets[a:b], named, season)  # type: ignore[arg-type]
            for one in fields(Usual):
                found = getattr(part, one.name)
                if a == 0:
                    whole[one.name] = np.empty((len(found), columns), dtype=found.dtype)
                whole[one.name][:, a:b] = found
        return Usual(**whole)
    level = kinds == "level"
    scale, offset = np.where(level, 1.0, scale), np.where(level, 0.0, offset)
    with np.errstate(all="ignore"):
        x = (value - offset) / scale
        size = np.ones_like(x)
        if below is not None:
            size = np.where(level, size, np.where(below > 0, below, np.nan))
        x = np.where(np.isfinite(x) & np.isfinite(size), x, np.nan)
        found = _Reader(x, size, kinds, season).read(frozenset(named))
    low, high = offset + scale * found.low, offset + scale * found.high
    return Usual(
        np.minimum(low, high), offset + scale * found.middle, np.maximum(low, high), np.abs(scale) * found.sigma, found.start,
        found.count, found.seasonal, found.signals, (found.side * np.sign(scale)).astype(np.int8), found.run, found.steady,
    )  # fmt: skip


class _Reader:
    """Works a history out for all readings and members at once: first as if nothing had ever shifted, then, for the members that
    did, again from where they did."""

    def __init__(self, x: Floats, size: Floats, kinds: npt.NDArray[np.str_], season: int) -> None:
        self.x = x
        self.share, self.count_of = kinds == "share", kinds == "count"
        self.sized = (kinds != "level").any()  # of none but levels each reading is of size 1
        rows, columns = x.shape
        self.rows = rows
        self.size = np.vstack([size, _last_known(size)])  # the next one is taken to be as large as the last
        self.finite = np.isfinite(x)
        self.filled = np.where(self.finite, x, 0.0)
        self.before = _known_before(self.finite)
        self.known = np.vstack([np.zeros((1, columns), np.int64), np.cumsum(self.finite, axis=0)])  # before each row
        self.season = season
        shape = (rows + 1, columns)
        self.low, self.middle, self.high, self.sigma, self.adjust = (np.full(shape, np.nan) for _ in range(5))
        self.start, self.count = np.full(shape, -1), np.zeros(shape, np.int64)
        self.seasonal, self.enough = np.zeros(shape, np.bool_), np.zeros(shape, np.bool_)
        self.signals, self.side = np.zeros((rows, columns), np.uint8), np.zeros((rows, columns), np.int8)
        self.run, self.steady = np.zeros((rows, columns), np.int64), np.zeros((rows, columns), np.int64)

    def read(self, named: frozenset[int]) -> Usual:
        rows, columns = self.x.shape
        line = np.arange(rows + 1)
        begins = np.isin(line, list(named))
        self.named = np.maximum.accumulate(np.where(begins, line, 0))
        since = np.broadcast_to(self.named[:, None], self.start.shape).copy()  # where each row's range begins
        fresh = np.broadcast_to(begins[:, None], self.start.shape).copy()  # rows before which what went on is over
        seasons = _Seasons(self.x, self.season, self.named)
        fresh |= seasons.begins
        handled = np.full(columns, -1)
        which, begin = np.arange(columns), 0
        while len(which):
            self._ranges(which, since, seasons, begin)
            at, first = self._judge(which, fresh, handled)
            shifted = at >= 0
            which, at, first = which[shifted], at[shifted], first[shifted]
            handled[which] = at
            begin = int(at.min(initial=rows)) + 1  # up to there all stays as it is
            for m, t, row in zip(which.tolist(), at.tolist(), first.tolist(), strict=True):
                # Until two years were over each season may look like a shift; it goes for none once they are.
                until = seasons.next_begin(t + 1, m)
                since[t + 1 : until, m] = np.maximum(since[t + 1 : until, m], row)
                fresh[t + 1 : t + 2, m] = True
        return Usual(
            self.low, self.middle, self.high, self.sigma, self.start, self.count, self.seasonal, self.signals, self.side,
            self.run, self.steady,
        )  # fmt: skip

    def _ranges(
        self, which: npt.NDArray[np.int64], since: npt.NDArray[np.int64], seasons: _Seasons, begin: int
    ) -> None:
        """The ranges of some members from row ``begin`` on, a block of rows at a time."""
        rows = np.arange(begin, self.rows + 1)[:, None]
        start = np.maximum(np.maximum(since[begin:, which], rows - LONGEST), 0)
        n = self.known[begin:, which] - self.known[start, which]
        named = self.named[begin:, None]
        enough = n >= np.where((since[begin:, which] > named) | (named > 0), FEWEST_AFTER, FEWEST)
        # Most rows' ranges begin where they did: a shift moves those of the next LONGEST rows.
        changed = (start != self.start[begin:, which]) | (enough & ~self.enough[begin:, which])
        self.start[begin:, which], self.count[begin:, which], self.enough[begin:, which] = start, n, enough
        for kept, nothing in ((self.low, np.nan), (self.middle, np.nan), (self.high, np.nan), (self.sigma, np.nan), (self.adjust, 0.0)):  # fmt: skip
            kept[begin:, which] = np.where(enough, kept[begin:, which], nothing)
        self.seasonal[begin:, which] &= enough
        changed &= enough
        if not changed.any():
            return
        first = begin + int(changed.any(axis=1).argmax())
        for seasonal in (True, False):
            for block in range(first - first % BLOCK, self.rows + 1, BLOCK):
                a, b, lo = max(block, first), min(block + BLOCK, self.rows + 1), max(0, block - LONGEST)
                some = which[(seasons.has[which] == seasonal) & changed[a - begin : b - begin].any(axis=0)]
                most = max(1, ROOM // ((b - a) * (b - lo)))
                for m in range(0, len(some), most):
                    self._block(a, b, lo, some[m : m + most], seasons)

    def _block(self, a: int, b: int, lo: int, which: npt.NDArray[np.int64], seasons: _Seasons) -> None:
        """Rows ``a`` up to ``b`` of some members, from readings ``lo`` on. Arrays are (T, N, M): by row, by reading before
        it, by member."""
        hi = min(max(b - 1, 1), self.rows)
        start, n, enough = (kept[a:b, which] for kept in (self.start, self.count, self.enough))
        x, size = self.filled[lo:hi, which], np.nan_to_num(self.size[lo:hi, which])
        read = np.arange(lo, hi)[None, :, None]
        among = self.finite[lo:hi, which][None] & (read < np.arange(a, b)[:, None, None])
        among &= read >= start[:, None]
        taken, now, wider = seasons.of(a, b, lo, hi, which)
        adjusted = x[None] if taken is None else x[None] - taken
        if self.sized:
            weight = np.where(among, size[None], 0.0)
            middle = (adjusted * weight).sum(axis=1) / weight.sum(axis=1)
        else:
            middle = np.where(among, adjusted, 0.0).sum(axis=1) / n
        spread = self._spread(middle, which)
        sigma = self._varies(among, start, n, lo, which, size, x, taken, middle) / PER_SIGMA
        sigma = np.where(spread > 0, sigma / spread, 0.0)
        sigma = np.where(self.share[which] | self.count_of[which], np.maximum(sigma, 1.0), sigma)
        sigma = sigma * spread / np.sqrt(self.size[a:b, which]) * wider
        middle = middle + now
        low, high = middle - LIMITS * sigma, middle + LIMITS * sigma
        under = x < 0
        never_under = ~(among & under[None]).any(axis=1) if under.any() else True
        low = np.where(never_under, np.maximum(low, 0.0), low)
        high = np.where(self.share[which], np.minimum(high, 1.0), high)
        for kept, found in ((self.low, low), (self.middle, middle), (self.high, high), (self.sigma, sigma)):
            kept[a:b, which] = np.where(enough, found, np.nan)
        self.seasonal[a:b, which] = (wider > 1) & enough
        self.adjust[a:b, which] = np.where(enough, now, 0.0)

    def _varies(
        self, among: npt.NDArray[np.bool_], start: npt.NDArray[np.int64], n: npt.NDArray[np.int64], lo: int,
        which: npt.NDArray[np.int64], size: Floats, x: Floats, taken: Floats | None, middle: Floats,
    ) -> Floats:  # fmt: skip
        """The mean moving range (T, M) of readings as if each were of size 1; across a gap from the last there was."""
        before = self.before[lo : lo + len(x), which]
        place = np.maximum(before - lo, 0)
        root = np.sqrt(size)
        last = _at(root, place)
        differ = (x * root - _at(x, place) * last)[None]
        if taken is not None:
            there = taken[:, place, np.arange(len(which))]
            differ = differ - (taken * root[None] - there * last[None])
        if self.sized:
            differ = differ - middle[:, None] * (root - last)[None]
        both = among & (before[None] >= start[:, None])
        # Each but the first has one before it.
        found: Floats = np.where(both, np.abs(differ), 0.0).sum(axis=1) / np.maximum(n - 1, 1)
        return found

    def _spread(self, middle: Floats, which: npt.NDArray[np.int64]) -> Floats:
        """A standard deviation of a reading of size 1, as far as it is known beforehand (T, M)."""
        share, count = self.share[which], self.count_of[which]
        found = np.ones_like(middle)
        if share.any():
            found = np.where(share, np.sqrt(np.clip(middle * (1 - middle), 0, None)), found)
        if count.any():
            found = np.where(count, np.sqrt(np.clip(middle, 0, None)), found)
        return found

    def _judge(
        self, which: npt.NDArray[np.int64], fresh: npt.NDArray[np.bool_], handled: npt.NDArray[np.int64]
    ) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.int64]]:
        """Which readings of some members are signals; the row after which each has a new level, -1 for none, and where that
        began. handled: rows up to which shifts are known."""
        if not self.rows:
            return np.full(len(which), -1), np.zeros(len(which), np.int64)
        middle, sigma = self.middle[:-1, which], self.sigma[:-1, which]
        there, x = self.finite[:, which], self.filled[:, which]
        known = there & np.isfinite(middle)
        off = np.where(known, x - middle, 0.0)
        z = np.where(off == 0, 0.0, off / np.where(known, sigma, 1.0))
        adjusted = x - self.adjust[:-1, which]
        since = np.maximum.accumulate(np.where(fresh[:-1, which], np.arange(self.rows)[:, None], 0), axis=0)
        sign = np.sign(z).astype(np.int8)
        first, run = _runs(sign, known, since)
        last = self.before[:, which]
        step = np.sign(adjusted - _at(adjusted, np.maximum(last, 0))).astype(np.int8)
        step = np.where(there & (last >= 0), step, 0).astype(np.int8)
        steady = _runs(step, there, since)[1]
        beyond = np.where(np.abs(z) > 2, sign, 0).astype(np.int8)
        two = (beyond != 0) & _again(beyond, last, since)
        flags = np.where(np.abs(z) > LIMITS, OUTSIDE, 0) | np.where(run >= RUN, ON_ONE_SIDE, 0)
        flags |= np.where(steady >= TREND - 1, STEADY, 0) | np.where(two, TWO_OF_THREE, 0)
        flags = np.where(known, flags, 0)
        side = np.where(flags == STEADY, step, sign)
        self.signals[:, which], self.side[:, which] = flags, np.where(flags > 0, side, 0)
        self.run[:, which], self.steady[:, which] = run, np.where(steady > 0, steady + 1, 0)
        total = np.cumsum(np.where(known, adjusted, 0.0), axis=0)
        begun = _at(total, first) - _at(adjusted, first)
        mean = (total - begun) / np.maximum(run, 1)
        met, by = (_at(line, first) for line in (middle, sigma))
        lasting = known & (run >= RUN) & (np.abs(mean - met) >= _LASTING * by)
        lasting &= np.arange(self.rows)[:, None] > handled[which]
        at = np.where(lasting.any(axis=0), lasting.argmax(axis=0), -1)
        return at, first[at, np.arange(len(which))]


class _Seasons:
    """What each reading has from its season, as the years before a row show it. begins: the rows from which on they do (P + 1, M)."""

    def __init__(self, x: Floats, length: int, named: npt.NDArray[np.int64]) -> None:
        rows, columns = x.shape
        self.length = length
        self.has: npt.NDArray[np.bool_] = np.zeros(columns, np.bool_)
        self.begins = np.zeros((rows + 1, columns), np.bool_)
        if not length or rows < 2 * length:
            return
        self.season = np.zeros((rows + 1, length, columns))
        self.wider = np.ones((rows + 1, columns))
        seen = np.zeros(columns, np.bool_)
        for t in range(2 * length, rows + 1):
            years = min(t - int(named[t]), LONGEST) // length
            if named[t] == t:
                seen[:] = False
            if years < 2:
                continue
            block = x[t - years * length : t].reshape(years, length, columns)
            deviation = block - block.mean(axis=1, keepdims=True)
            total = deviation.sum(axis=0)
            others = (total[None] - deviation) / (years - 1)  # the season as the other years show it
            gain = ((deviation - others) ** 2).sum(axis=(0, 1)) / (deviation**2).sum(axis=(0, 1))
            used = gain < _SEASON_GAIN  # never where a reading is missing
            self.season[t] = np.roll(np.where(used, total / years, 0.0), t % length, axis=0)
            # Of so few years the season takes up some of what varies; of a new reading it does not.
            self.wider[t] = np.where(used, np.sqrt((years + 1) / (years - 1)), 1.0)
            self.begins[t] = used & ~seen
            seen = seen | used
        self.has |= self.begins.any(axis=0)

    def of(
        self, a: int, b: int, lo: int, hi: int, which: npt.NDArray[np.int64]
    ) -> tuple[Floats | None, Floats, Floats]:
        """For rows ``a`` up to ``b``: what readings ``lo`` up to ``hi`` have from their seasons (T, N, M), None for nothing; what
        the row itself has, and how much wider its range has to be (T, M)."""
        if not self.has[which].any():
            return None, np.zeros((b - a, len(which))), np.ones((b - a, len(which)))
        season = self.season[a:b][:, :, which]
        now = season[np.arange(b - a), np.arange(a, b) % self.length]
        return season[:, np.arange(lo, hi) % self.length], now, self.wider[a:b, which]

    def next_begin(self, t: int, m: int) -> int:
        """The next row from which on a season is known; the end where there is none."""
        later = np.flatnonzero(self.begins[t:, m])
        return t + int(later[0]) if len(later) else len(self.begins)


def _runs(
    sign: npt.NDArray[np.int8], known: npt.NDArray[np.bool_], since: npt.NDArray[np.int64]
) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.int64]]:
    """Where the run of one sign that each reading is in began, and how many readings it has so far, 0 for none. since: a run
    begins there at the earliest."""
    rows = np.arange(len(sign))[:, None]
    last = _known_before(known)
    before = _at(sign, np.maximum(last, 0))
    new = known & ((last < since) | (before != sign))
    first = np.maximum.accumulate(np.where(new, rows, 0), axis=0)
    counted = np.cumsum(known, axis=0)
    count = counted - _at(counted, first) + 1
    return first, np.where(known & (sign != 0), count, 0)


def _again(
    beyond: npt.NDArray[np.int8], last: npt.NDArray[np.int64], since: npt.NDArray[np.int64]
) -> npt.NDArray[np.bool_]:
    """Whether one of the two readings before was the same."""
    found = np.zeros(beyond.shape, np.bool_)
    place = last
    for _ in range(2):
        found |= (place >= since) & (_at(beyond, np.maximum(place, 0)) == beyond)
        place = np.where(place >= 0, _at(last, np.maximum(place, 0)), -1)
    return found


def _known_before(known: npt.NDArray[np.bool_]) -> npt.NDArray[np.int64]:
    """The row of the last one that is known before each; -1 for none."""
    if not len(known):
        return np.zeros(known.shape, np.int64)
    last = np.maximum.accumulate(np.where(known, np.arange(len(known))[:, None], -1), axis=0)
    return np.vstack([np.full((1, known.shape[1]), -1), last[:-1]])


def _at(line: _Any, place: npt.NDArray[np.int64]) -> _Any:
    """The values of each column at some of its rows."""
    found: _Any = line[place, np.arange(line.shape[1])]
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
    ends = np.where(_at(found.seasonal, ends), np.arange(rows)[:, None], ends)
    low, middle, high = (_at(kept, ends) for kept in (found.low, found.middle, found.high))
    return Drawn(low, middle, high, begins)
