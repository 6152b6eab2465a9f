"""What is usual for the readings of one block, from their own histories."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt

from ironmark.core import yardstick as grading
from ironmark.core.evaluate import Floats
from ironmark.core.few_rows import FEW, wilson
from ironmark.core.formula_nodes import aggregates
from ironmark.core.periods import Period
from ironmark.core.ratio import Kind, Sides, sides_of
from ironmark.core.readings import Readings
from ironmark.core.usual import (
    ON_ONE_SIDE,
    OUTSIDE,
    SEASONS,
    STEADY,
    TWO_OF_THREE,
    Drawn,
    Usual,
    drawn,
    usual,
)
from ironmark.pages.model.kpi import NamedDate
from ironmark.pages.model.standing import FewRows, UsualRange

RULES = {OUTSIDE: "outside", ON_ONE_SIDE: "one side", STEADY: "steady", TWO_OF_THREE: "two of three"}

SIGNALS = [tuple(name for bit, name in RULES.items() if flags & bit) for flags in range(16)]


@dataclass(frozen=True)
class _Asked:
    """What ``core.usual`` is asked of a block: arrays (P, M), scale and offset (M,)."""

    value: Floats
    kind: Kind
    below: Floats
    scale: Floats
    offset: Floats
    season: int


class UsualRanges:
    """Worked out once for all readings of a block, when the first of them is asked for."""

    def __init__(self, readings: Readings, named: Sequence[NamedDate] = ()) -> None:
        self.readings = readings
        self._rows: dict[int, list[UsualRange | None]] = {}
        self.named: dict[int, str] = {}  # rows that a new range begins with, and why
        self.names: dict[int, str] = {}  # all rows that a named day is in or before
        for one in sorted(named, key=lambda one: one.day):
            if (row := _row_of(readings.periods, one)) is not None:
                self.names[row] = f"{self.names[row]}, {one.reason}" if row in self.names else one.reason
                if one.new_range:
                    self.named[row] = self.names[row]

    @cached_property
    def creeps(self) -> bool:
        """Whether it is a running total, which creeps by what it is made of."""
        return any(a.window is not None for a in aggregates(self.readings.kpi.formula))

    @cached_property
    def applies(self) -> bool:
        """Whether there is a history to be usual by: neither of running totals, nor of periods that are no neighbours."""
        return not self.creeps and not any(period.without for period in self.readings.periods[-2:])

    @cached_property
    def sides(self) -> Sides | None:
        readings = self.readings
        if readings.kpi.nature == "flow":
            return None
        found = sides_of(readings.kpi.formula, readings.totals.parts, readings.value.shape)
        if found is None:
            return None
        with np.errstate(all="ignore"):
            told = found.ratio.offset + found.ratio.scale * found.above / found.below
        off = np.abs(told - readings.value)
        # A composite, or a value that is tried, is not what its formula comes to.
        if (np.isfinite(told) & (off > 1e-12 + 1e-9 * np.abs(readings.value))).any():
            return None
        return found

    @cached_property
    def kind(self) -> Kind:
        return self.sides.kind if self.sides else "level"

    @cached_property
    def found(self) -> Usual:
        held = self._asked
        return usual(held.value, held.kind, held.below, held.scale, held.offset, self.named, held.season)

    @cached_property
    def _asked(self) -> _Asked:
        readings, held = self.readings, self.sides
        partial = np.array([part is not None for part in readings.partial_periods])
        value = np.where(partial[:, None], np.nan, readings.value)
        season, one = SEASONS.get(readings.periods[0].grain, 0), np.ones(value.shape[1])
        if held is None:
            return _Asked(value, "level", np.ones_like(value), one, 0 * one, season)
        return _Asked(value, held.kind, held.below, held.ratio.scale * one, held.ratio.offset * one, season)

    @cached_property
    def drawn(self) -> Drawn:
        return drawn(self.found)

    def at(self, p: int, m: int) -> UsualRange | None:
        """What is usual for one reading; None where its history is too short to tell."""
        if not self.applies or self.readings.partial_periods[p] is not None:
            return None
        row = self._rows.get(p)
        if row is None:
            row = self._rows[p] = self._row(p)
        return row[m]

    def _row(self, p: int) -> list[UsualRange | None]:
        """What is usual for all members of a period: pages show most of them."""
        found, kind, periods = self.found, self.kind, self.readings.periods
        lines = (
            found.low, found.middle, found.high, found.start, found.count, found.seasonal, found.signals, found.side, found.run,
            found.steady,
        )  # fmt: skip
        return [
            UsualRange(
                _even(low),
                _even(middle),
                _even(high),
                periods[start].key,
                of,
                kind,
                seasonal,
                SIGNALS[flags],
                side,
                run,
                steady,
            )
            if middle == middle
            else None
            for low, middle, high, start, of, seasonal, flags, side, run, steady in zip(
                *(line[p].tolist() for line in lines), strict=True
            )
        ]

    def line(self, p: int, m: int) -> tuple[float, float, float, str] | None:
        """The range as it is drawn under a reading: low, middle, high, and why it begins there, where no day is named."""
        if not self.applies:
            return None
        lines = self.drawn
        if not np.isfinite(lines.middle[p, m]):
            return None
        begins = int(lines.start[p, m]) == p and p > 0
        why = ("" if p in self.named else "a new level") if begins else ""
        low, middle, high = (_even(float(line[p, m])) for line in (lines.low, lines.middle, lines.high))
        return low, middle, high, why

    def is_signal(self, p: int, m: int) -> bool:
        return self.applies and self.readings.partial_periods[p] is None and bool(self.found.signals[p, m])

    @cached_property
    def _few(self) -> npt.NDArray[np.bool_]:
        """Which readings are graded shares of few rows (P, M)."""
        if self.sides is None or self.kind != "share":
            return np.zeros(self.readings.value.shape, np.bool_)
        below = self.sides.below
        return (below > 0) & (below <= FEW) & (self.readings.band >= 0)

    def few(self, p: int, m: int) -> FewRows | None:
        """The states that a share of few rows could be in; None where it is in its own for certain enough."""
        held, yardstick = self.sides, self.readings.yardstick
        if held is None or yardstick is None or not self._few[p, m]:
            return None
        above, below = held.above[p, m], held.below[p, m]
        ends = np.array([float(end) for end in wilson(above, below)])
        values = held.ratio.offset + held.ratio.scale * ends
        cuts = self.readings.cuts[:, p, m]
        bands = grading.grade(yardstick, values, np.broadcast_to(cuts[:, None], (len(cuts), 2)))
        if (bands < 0).any() or bands[0] == bands[1]:
            return None
        low, high = sorted(int(band) for band in bands)
        states = tuple(dict.fromkeys(yardstick.bands[band] for band in range(low, high + 1)))
        return (
            FewRows(float(above), float(below), float(min(values)), float(max(values)), states)
            if len(states) > 1
            else None
        )


def _even(value: float) -> float:
    """To twelve figures: the last ones of a sum depend on how many members it was worked out for at once."""
    return float(f"{value:.12g}")


def work_out(blocks: Iterable[UsualRanges]) -> None:
    """The ranges of many blocks at once: one after the other each would take as long as all of them together."""
    alike: dict[tuple[object, ...], list[UsualRanges]] = {}
    for block in {id(block): block for block in blocks}.values():
        if block.applies and "found" not in block.__dict__:
            held = block._asked
            alike.setdefault((len(held.value), held.season, tuple(block.named)), []).append(block)
    for some in alike.values():
        asked = [block._asked for block in some]
        value, below = (np.concatenate([getattr(one, name) for one in asked], axis=1) for name in ("value", "below"))
        scale, offset = (np.concatenate([getattr(one, name) for one in asked]) for name in ("scale", "offset"))
        kinds = [one.kind for one in asked for _ in one.scale]
        found = usual(value, kinds, below, scale, offset, some[0].named, asked[0].season)
        ends = np.cumsum([one.value.shape[1] for one in asked]).tolist()
        for block, a, b in zip(some, [0, *ends], ends, strict=False):
            block.__dict__["found"] = Usual(**{name: getattr(found, name)[:, a:b] for name in found.__dict__})


def _row_of(periods: Sequence[Period], named: NamedDate) -> int | None:
    """The first period that lies wholly from a named date on; None before and after them all."""
    return next((row for row, period in enumerate(periods) if period.start >= named.date), None)
