"""Axes, bands and cuts as faces draw them: places as fractions, texts written."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

from ironmark.core import axis as axes
from ironmark.core import words
from ironmark.core import yardstick as grading
from ironmark.core.axis import Axis
from ironmark.core.numbers import NumberStyle, Unit
from ironmark.pages.model.face_settings import Ticks
from ironmark.pages.model.pictures import AxisPicture, Band, CutLine, Tick

MOST_STEPS = 200  # on an axis, for what is dragged along it


@dataclass(frozen=True)
class Ticked:
    """Where an axis has its ticks. cuts: those that all readings on it share."""

    where: Ticks = "own"
    count: int = 5
    cuts: tuple[float, ...] = ()

    def places(self, axis: Axis) -> list[float]:
        if self.where == "cuts":
            return sorted({cut for cut in self.cuts if axis.low <= cut <= axis.high})
        if self.where == "ends":
            return [axis.low, axis.high]
        if self.where == "round":
            return axes.about(axis, self.count)
        return axes.ticks(axis) if self.where == "own" else []


def axis_picture(
    axis: Axis, unit: Unit, style: NumberStyle, ticked: Ticked = Ticked(), full: float = 1.0
) -> AxisPicture:
    """full: where on the axis a full track ends, 0 to 1."""
    places = ticked.places(axis)
    # The unit's text stands at the figure, not at every tick; a duration needs its own.
    bare = replace(unit, text="", sign=False) if unit.kind == "number" else replace(unit, sign=False)
    return AxisPicture(
        low=axis.low,
        high=axis.high,
        step=axes.step_for(axis.high - axis.low, MOST_STEPS),
        low_shown=words.show_cut(axis.low, unit, style),
        high_shown=words.show_cut(axis.high, unit, style),
        zero=axis.place(0.0),
        broken=axis.broken,
        ticks=[Tick(fraction=axis.place(v), label=words.show_cut(v, bare, style)) for v in places],
        marked=ticked.where,
        full=full,
    )


def with_nan(figures: Iterable[float | None]) -> list[float]:
    """Figures as they are reckoned with: NaN where there is none."""
    return [math.nan if figure is None else figure for figure in figures]


def bands_on(axis: Axis, yardstick: grading.Yardstick, cuts: Sequence[float]) -> list[Band]:
    """The bands as far as they lie on the axis, by cuts that are in order."""
    found, start, low, span = [], 0.0, axis.low, axis.high - axis.low
    for at, state in enumerate(yardstick.bands):
        end = min(1.0, max(0.0, (cuts[at] - low) / span)) if at < len(cuts) else 1.0
        if end > start:
            found.append(Band(at, state, start, end))
        start = end
    return found


def cut_lines(axis: Axis, cuts: Sequence[float], unit: Unit, style: NumberStyle) -> list[CutLine]:
    return [
        CutLine(
            value=float(c),
            fraction=axis.place(c),
            shown=words.show_line(float(c), unit, style),
            past=axis.past(c),
        )
        for c in cuts
        if math.isfinite(c)
    ]
