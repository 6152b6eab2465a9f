"""Yardsticks: ordered bands with cuts between them, and how a value is graded."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from ironmark.core.evaluate import Floats
from ironmark.core.palette import STATES, State, palette_of
from ironmark.core.periods import Grain

Bands = NDArray[np.int8]

Per = Grain | Literal["any"]
NOISE = 1e-9  # relative; nearer than this to a cut is on it
NO_READING, NOT_GRADED = -2, -1
_BLOCK = 25_000  # values worked on at once
_SIGN = {"above": 1, "below": -1}  # which way a reading on a cut is moved to be in its band
MIN_BANDS, MAX_BANDS = 2, 12


@dataclass(frozen=True)
class Cut:
    """The boundary between two bands: the number ``offset``, or ``factor × mark + offset``.

    A value on the cut belongs to the band above it, unless ``belongs`` is "below".
    """

    offset: float
    mark: str | None = None
    factor: float = 1.0
    belongs: Literal["above", "below"] = "above"


@dataclass(frozen=True)
class Yardstick:
    """n bands, given by the keys of their states from the lowest values up, and n − 1 cuts.

    per: the period that plain numbers and offsets are meant for where the KPI is a flow; a quarter's are three times
    a month's, and those for "any" stand as they are, however long the period is. known: the states there are, by key; all bands carry states of one palette.
    """

    bands: tuple[str, ...]
    cuts: tuple[Cut, ...]
    per: Per = "month"
    known: Mapping[str, State] = field(default_factory=lambda: STATES, compare=False, repr=False)

    def __post_init__(self) -> None:
        if not MIN_BANDS <= len(self.bands) <= MAX_BANDS:
            raise ValueError(f"a yardstick has {MIN_BANDS} to {MAX_BANDS} bands; this one has {len(self.bands)}")
        if len(self.cuts) != len(self.bands) - 1:
            raise ValueError(f"{len(self.bands)} bands need {len(self.bands) - 1} cuts; there are {len(self.cuts)}")
        unknown = [key for key in self.bands if key not in self.known]
        if unknown:
            near = [key for key in self.known if palette_of(key) == palette_of(self.bands[0])] or list(self.known)
            raise ValueError(f"there is no state “{unknown[0]}”; there are {', '.join(near)}")
        if len({palette_of(key) for key in self.bands}) > 1:
            raise ValueError("the bands carry states of two palettes; choose all of them from one")

    @property
    def states(self) -> tuple[State, ...]:
        """The state of each band, from the lowest values up."""
        return tuple(self.known[key] for key in self.bands)

    def in_numbers(self, lines: Mapping[str, float]) -> Yardstick:
        """The same with every cut a number, by what its mark comes to (KPI unit). Raises KeyError for one not given."""
        cuts = tuple(
            cut if cut.mark is None else Cut(tidy(value_of(cut, lines[cut.mark])), belongs=cut.belongs)
            for cut in self.cuts
        )
        return Yardstick(self.bands, cuts, self.per, self.known)

    @property
    def marks(self) -> tuple[str, ...]:
        """The names of the marks the cuts are derived from."""
        return tuple(dict.fromkeys(cut.mark for cut in self.cuts if cut.mark is not None))


def resolve(yardstick: Yardstick, marks: Mapping[str, Floats], shape: tuple[int, ...]) -> Floats:
    """The cuts as numbers, row by row.

    marks: arrays of ``shape``, KPI unit, NaN where there is none. Returns (cuts, *shape) float, KPI unit,
    NaN where a cut's mark is missing.
    """
    lines = np.empty((len(yardstick.cuts), *shape))
    for some in _blocks(shape):
        for line, cut in zip(lines[:, some], yardstick.cuts, strict=True):
            if cut.mark is None:
                line[...] = cut.offset
            elif cut.mark in marks:
                np.multiply(marks[cut.mark][some], cut.factor, out=line)
                if cut.offset:
                    line += cut.offset
            else:
                line[...] = np.nan
    return lines


def _blocks(shape: tuple[int, ...]) -> list[slice]:
    """The rows of arrays in parts that stay near the processor, with all that is worked out of them."""
    size = math.prod(shape)
    if size <= _BLOCK:
        return [slice(None)]
    rows = max(1, _BLOCK * shape[0] // size)
    return [slice(at, at + rows) for at in range(0, shape[0], rows)]


def value_of(cut: Cut, mark: float | None, scale: float = 1.0) -> float:
    """What one cut comes to, KPI unit. mark: the value of its mark; scale: what plain numbers and offsets are times, 3 for
    a flow's quarter. NaN where its mark is missing."""
    if cut.mark is None:
        return cut.offset * scale
    return math.nan if mark is None else cut.factor * mark + cut.offset * scale


def moved(cut: Cut, to: float, mark: float | None, scale: float = 1.0) -> Cut:
    """The cut at another value ``to``, KPI unit: a factor of a mark stays a factor (of four decimals), a number or an
    offset one; where its mark is 0 the offset is moved. mark and scale as in ``value_of``. Raises ValueError where the
    mark is missing."""
    if cut.mark is None:
        return replace(cut, offset=tidy(to / scale))
    if mark is None:
        raise ValueError(f"there is no {cut.mark} to move this cut by")
    if not cut.offset and cut.factor != 1 and mark != 0:
        return replace(cut, factor=round(to / mark, 4))
    return replace(cut, offset=tidy((to - cut.factor * mark) / scale))


def tidy(number: float) -> float:
    """Without what reckoning in binary leaves: 0.30000000000000004 is 0.3."""
    return float(f"{number:.12g}")


def ordered(yardstick: Yardstick, cuts: Floats) -> NDArray[np.bool_]:
    """Whether the resolved cuts (cuts, ...) rise in order; False, too, where one is missing.

    Two cuts on one value leave the band between them empty, except where the lower one gives the value to the
    band below and the upper one to the band above: both outer bands claim it, so that is out of order.
    """
    fine: NDArray[np.bool_] = np.isfinite(cuts[0])
    for lower, upper, one, other in zip(cuts, cuts[1:], yardstick.cuts, yardstick.cuts[1:], strict=False):
        if one.belongs == "below" and other.belongs == "above":
            fine &= upper > lower + NOISE * np.abs(lower)
        else:
            fine &= upper >= lower
    return fine


def grade(yardstick: Yardstick, values: Floats, cuts: Floats) -> Bands:
    """The band each value falls in.

    values: (...) float, KPI unit, NaN for no reading; cuts: (cuts, ...) as ``resolve`` gives them.
    Returns the band's index from the lowest up, NOT_GRADED where cuts are missing or out of order, NO_READING
    where there is no value. A value within NOISE of a cut counts as on it.
    """
    band = np.empty(values.shape, dtype=np.int8)
    for some in _blocks(values.shape):
        _grade(yardstick, values[some], cuts[:, some], band[some])
    return band


def _grade(yardstick: Yardstick, values: Floats, cuts: Floats, band: Bands) -> None:
    """Fill in the band of each value."""
    fine = ordered(yardstick, cuts)
    # Of cuts that are in order none is below zero where the first is not; others grade nothing.
    positive = np.fmin.reduce(cuts[0], axis=None, initial=0) >= 0
    # A reading is as far over a cut above zero as the cut is under it, and is moved once for all of them.
    signs = {_SIGN[cut.belongs] for cut in yardstick.cuts} if positive else ()
    nudged = {sign: values * (1 + sign * NOISE) for sign in signs}
    over = band.view(np.bool_)  # what is over the first cut is over one
    for n, (line, cut) in enumerate(zip(cuts, yardstick.cuts, strict=True)):
        sign, exceeds = _SIGN[cut.belongs], np.greater_equal if cut.belongs == "above" else np.greater
        if positive:
            exceeds(nudged[sign], line, out=over)
        else:
            exceeds(values, line - sign * NOISE * np.abs(line), out=over)
        if n:
            band += over.view(np.int8)
        else:
            over = np.empty(values.shape, dtype=np.bool_)
    if not fine.all():
        band[~fine] = NOT_GRADED
    band[np.isnan(values)] = NO_READING


def why_not_graded(
    yardstick: Yardstick,
    cuts: Sequence[float],
    no_mark: Callable[[str], str] = lambda mark: f"no {mark} in the mark book",
) -> str:
    """The reason in words that one reading, with resolved ``cuts`` (n,), was not graded.

    no_mark: the reason that there is no mark of a name.
    """
    missing = [cut.mark for cut, line in zip(yardstick.cuts, cuts, strict=True) if not np.isfinite(line)]
    if missing and missing[0]:
        return no_mark(missing[0])
    for at, (lower, upper) in enumerate(zip(cuts, list(cuts)[1:], strict=False), start=1):
        if upper <= lower:
            return f"cuts {at} and {at + 1} of the yardstick are out of order"
    return "the cuts are out of order"


@dataclass(frozen=True)
class Proof:
    """The bands just under, exactly at and just over one cut."""

    cut: float
    under: int
    at: int
    over: int


def prove(yardstick: Yardstick, cuts: Sequence[float]) -> list[Proof]:
    """Grade around every cut of one reading. ``cuts``: (n,) resolved, KPI unit.

    The steps to either side are 1e-6 of the cut: small to a reader, a thousand times NOISE.
    """
    lines = np.asarray(cuts, dtype=float)
    step = np.maximum(np.abs(lines) * 1e-6, 1e-12)
    values = np.stack([lines - step, lines, lines + step])
    graded = grade(yardstick, values, np.broadcast_to(lines[:, None, None], (len(lines), *values.shape)).copy())
    return [Proof(float(line), *(int(band) for band in graded[:, i])) for i, line in enumerate(lines)]


def sweep(yardstick: Yardstick, cuts: Sequence[float], low: float, high: float) -> list[tuple[float, int]]:
    """Where the band changes on the way from ``low`` to ``high``: (value, band from there on)."""
    lines = np.asarray(cuts, dtype=float)
    stops = np.unique(np.concatenate([[low], lines[(lines > low) & (lines < high)], [high]]))
    middles = (stops[:-1] + stops[1:]) / 2
    if not len(middles):
        return []
    graded = grade(yardstick, middles, np.broadcast_to(lines[:, None], (len(lines), len(middles))).copy())
    found: list[tuple[float, int]] = []
    for start, band in zip(stops, graded, strict=False):
        if not found or found[-1][1] != band:
            found.append((float(start), int(band)))
    return found


def best(yardstick: Yardstick) -> list[int]:
    """The indices of the bands whose state ranks highest in this yardstick."""
    top = max(state.rank for state in yardstick.states)
    return [index for index, state in enumerate(yardstick.states) if state.rank == top]


def default_bands(direction: str) -> tuple[str, ...]:
    """The states a new yardstick's bands carry, from the lowest values up."""
    return {
        "higher": ("short", "near", "met", "beyond"),
        "lower": ("beyond", "met", "near", "short"),
        "inside": ("short", "near", "met", "near", "short"),
    }[direction]
