"""When a change is told: once it has held, and once per fall, however a reading flutters around a cut.

A change counts when it stays for some readings. Once it was told, it counts again only after the reading went back over the cut
by a margin, or stayed back for some readings: the two thresholds of a trigger with hysteresis (O. H. Schmitt, A thermionic trigger,
Journal of Scientific Instruments 15, 1938).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from ironmark.core.evaluate import Floats

Ranks = npt.NDArray[np.int64]
Flags = npt.NDArray[np.bool_]
NO_READING = -1


@dataclass(frozen=True)
class HoldOff:
    """stays: readings in a row that a change has to last, the first of them counted. back: how far a reading has to go back over
    the cut before a change counts again, KPI unit. rest: or for how many readings it has to stay back. With neither, one reading
    that is back is enough."""

    stays: int = 1
    back: float = 0.0
    rest: int = 0

    def __post_init__(self) -> None:
        if self.stays < 1 or self.rest < 0 or not self.back >= 0:
            raise ValueError("a change stays for at least one reading, and goes back by no less than nothing")


@dataclass(frozen=True)
class Falls:
    """What is told of some histories, arrays (P, M). told: a fall is told at this reading. began: the reading with which the fall
    began that is told here, −1 where none is. unheld: a fall began here that was not told: it did not hold, or had not gone back
    far enough since the last one. before: the rank that a told fall is from, −1 where none is."""

    told: Flags
    began: Ranks
    unheld: Flags
    before: Ranks


def falls(ranks: Ranks, beyond: Floats, hold: HoldOff, *, from_start: bool = False) -> Falls:
    """The falls of some histories that are told.

    ranks: (P, M), 0 the lowest, −1 where there is no reading, which neither holds nor breaks anything. beyond: (K, P, M), how far
    each reading lies beyond all that has a rank of k or less, KPI unit, NaN where that is not known and any distance will do.
    from_start: whether a history that begins at the lowest rank has fallen to it; else it was never seen higher.
    """
    count, members = ranks.shape
    told, unheld = np.zeros(ranks.shape, bool), np.zeros(ranks.shape, bool)
    began, before = np.full(ranks.shape, -1), np.full(ranks.shape, -1)
    for m in range(members):
        series = _Series(hold, from_start)
        for p in range(count):
            rank = int(ranks[p, m])
            if rank == NO_READING:
                continue
            fell_from = series.settled
            if (since := series.take(p, rank, beyond[:, p, m])) is not None:
                told[p, m], began[p, m] = True, since
                before[p, m] = fell_from if fell_from <= len(beyond) else -1
        unheld[series.unheld, m] = True
    return Falls(told, began, unheld, before)


class _Series:
    """One history as it is read, reading by reading. settled: the rank it is held to be at."""

    def __init__(self, hold: HoldOff, from_start: bool) -> None:
        self._hold = hold
        self.settled: int = np.iinfo(np.int64).max if from_start else -1
        self._seen = from_start
        self._low: list[tuple[int, int]] = []  # the readings in a row below what is settled: places and ranks
        self._high: list[int] = []  # the ranks in a row above it
        self._last: int | None = None
        self.unheld: list[int] = []

    def take(self, p: int, rank: int, beyond: Floats) -> int | None:
        """Take the next reading. Returns where the fall began that is told with it."""
        last, self._last = self._last, rank
        if not self._seen:
            self.settled, self._seen = rank, True
            return None
        if rank > self.settled:
            self._give_up()
            self._high.append(rank)
            stayed = 0 < self._hold.rest <= len(self._high)
            if self._is_far(float(beyond[self.settled])):
                self.settled, self._high = rank, []
            elif stayed:
                self.settled, self._high = min(self._high[-self._hold.rest :]), []
            return None
        fell_back = bool(self._high)
        self._high = []
        if rank == self.settled:
            self._give_up()
            if fell_back and last is not None and last > rank:
                self.unheld.append(p)  # it had not gone back far enough
            return None
        self._low.append((p, rank))
        if len(self._low) < self._hold.stays:
            return None
        since = self._low[-self._hold.stays][0]
        self.settled = max(one for _, one in self._low[-self._hold.stays :])
        self._low = []
        return since

    def _is_far(self, distance: float) -> bool:
        if self._hold.back > 0:
            return not distance < self._hold.back  # where it is not known, any will do
        return self._hold.rest == 0

    def _give_up(self) -> None:
        """A fall that was going on did not hold."""
        if self._low:
            self.unheld.append(self._low[0][0])
        self._low = []
