"""Two KPIs as a quadrant: a dot for each member, both axes cut, four named quarters."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from ironmark.core import axis as axes
from ironmark.core import quadrant as core
from ironmark.core import words
from ironmark.core.axis import Axis
from ironmark.core.evaluate import Floats
from ironmark.core.numbers import MINUS, NumberStyle, Unit, show, show_gap
from ironmark.pages.drawing.scales import axis_picture, with_nan
from ironmark.pages.model.face_settings import QuadrantLook
from ironmark.pages.model.page import Crossing, Figures, Subject
from ironmark.pages.model.pictures import DotPlace, QuadrantPicture, QuadrantSide, Quarter


@dataclass(frozen=True)
class Side:
    """One of the two KPIs: its values by member as they are placed, and where they are cut."""

    name: str
    unit: Unit
    values: Floats
    shown: list[str]
    cut: float
    how: str
    direction: str
    axis: Axis


def quadrant_picture(
    crossing: Crossing,
    look: QuadrantLook,
    subject: Subject,
    mark: str,
    shades: Mapping[str | None, str | None],
    style: NumberStyle,
) -> QuadrantPicture:
    """mark: of the KPI that goes up. shades: the colours of a ramp, by member."""
    members = crossing.members
    up = _side(subject, crossing.up, crossing.up_marks, look.cut_up, mark, style)
    across = _side(crossing.across_subject, crossing.across, crossing.across_marks, look.cut_across, look.mark, style)
    radii = core.radii(np.array(with_nan(crossing.sizes))) if look.size else np.zeros(len(members))
    known = np.isfinite(up.values) & np.isfinite(across.values)
    quarter = core.quarters(
        core.good(up.values, up.cut, _way(up.direction)), core.good(across.values, across.cut, _way(across.direction)), known
    )  # fmt: skip
    names = _names(up, across)
    quarters = [
        Quarter(name=body.name or name, state=body.state, members=[])
        for body, name in zip(look.quarters, names, strict=True)
    ]
    dots = []
    for m, member in enumerate(members):
        if not known[m]:
            continue
        held = quarters[quarter[m]]
        held.members.append(member)
        x, y = float(across.values[m]), float(up.values[m])
        told = f"{up.name} {up.shown[m]}, {across.name} {across.shown[m]}"
        dots.append(
            DotPlace(
                member=member, x=_turned(across.axis.place(x), look.reverse_across), y=_turned(up.axis.place(y), look.reverse_up),
                past=bool(across.axis.past(x) or up.axis.past(y)), quarter=int(quarter[m]), state=held.state,
                shade=shades.get(member), size=float(radii[m]), shown=told, spoken=f"{member}, {told}, {held.name}",
            )
        )  # fmt: skip
    return QuadrantPicture(
        up=_picture(up, look.reverse_up, style),
        across=_picture(across, look.reverse_across, style),
        quarters=quarters,
        good_up=(_way(up.direction) == "higher") != look.reverse_up,
        good_across=(_way(across.direction) == "higher") != look.reverse_across,
        dots=dots,
        size_name=crossing.size_name,
        missing=[member for m, member in enumerate(members) if not known[m]],
    )


def _side(
    subject: Subject, figures: Figures, lines: Figures | None, given: float | None, mark: str, style: NumberStyle
) -> Side:
    values, unit, name = np.array(with_nan(figures)), subject.unit, subject.name
    marks = None if lines is None else np.array(with_nan(lines))
    shown = [show(value, unit, style) or "no reading" for value in values]
    if given is not None:
        cut, how = given, f"cut at {words.show_cut(given, unit, style)}"
    else:
        cut, as_gaps = core.cut_of(values, marks)
        if as_gaps and marks is not None:
            values, name = values - marks, f"{name}, gap to {mark}"
            shown = [_gap_shown(value, unit, style) for value in values]
            if unit.kind == "percent":
                values, name, unit = values * 100, f"{subject.name}, points from {mark}", Unit("number", 1)
            how = f"cut where each is on its own {mark}"
        elif marks is not None and np.isfinite(marks).any():
            how = f"cut at {mark} {words.show_cut(cut, unit, style)}"
        else:
            how = "cut at the middle member"
    axis = axes.choose([*values, cut], ceiling=axes.whole_of(values, unit.kind == "percent"))
    return Side(name, unit, values, shown, cut, how, subject.direction, axis)


def _gap_shown(gap: float, unit: Unit, style: NumberStyle) -> str:
    if not math.isfinite(gap):
        return "no reading"
    return f"{MINUS if gap < 0 else '+' if gap > 0 else ''}{show_gap(gap, unit, style)}"


def _picture(side: Side, reverse: bool, style: NumberStyle) -> QuadrantSide:
    axis = axis_picture(side.axis, side.unit, style)
    if reverse:
        for tick in axis.ticks:
            tick.fraction = 1 - tick.fraction
    return QuadrantSide(
        name=side.name, axis=axis, cut=_turned(side.axis.place(side.cut), reverse),
        cut_shown=words.show_cut(float(f"{side.cut:.6g}"), side.unit, style), cut_words=side.how, reverse=reverse,
    )  # fmt: skip


def _turned(fraction: float, reverse: bool) -> float:
    return 1 - fraction if reverse else fraction


def _way(direction: str) -> core.Direction:
    """A range has no good side of one cut: the larger then counts as the good one."""
    return "lower" if direction == "lower" else "higher"


def _names(up: Side, across: Side) -> list[str]:
    one, other = up.name.partition(",")[0], across.name.partition(",")[0]
    return ["Good in both", f"Good in {_lower(one)} only", f"Good in {_lower(other)} only", "Good in neither"]


def _lower(name: str) -> str:
    return name if name[1:2].isupper() else name[:1].lower() + name[1:]
