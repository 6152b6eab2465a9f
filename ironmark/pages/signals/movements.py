"""What moved a reading from another one: a staircase of what each member, or each factor, gave."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from ironmark.core import moved as core
from ironmark.core.formula import parse
from ironmark.core.formula_nodes import Binary, Node, Reference
from ironmark.core.numbers import NumberStyle, Unit, round_half_up, show, show_gap
from ironmark.core.periods import Period
from ironmark.core.prose import reads_as
from ironmark.core.readings import Readings
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.reading.rows_of import RowsOf

Against = Literal["before", "year ago", "target"]
FACTORS = "*"  # in place of a segment
SHOWN = 5  # steps that are named; what the others gave is one


@dataclass(slots=True)
class StepPicture:
    """What one member gave. kind: "gave" what is its own, "mix" what came of other weights, "others" several members
    together. low, high: where it stands, as fractions of the height; up: whether it gave."""

    name: str
    kind: str
    shown: str
    given: float
    low: float
    high: float
    up: bool


@dataclass(slots=True)
class ByChoice:
    key: str
    name: str


@dataclass(slots=True)
class MovedPicture:
    """A staircase from one figure to another. by: the segment whose members are its steps, "*" for factors; then: one within
    the member that gave most, with the steps there. why_not: where it cannot be told."""

    from_label: str
    from_shown: str
    from_at: float
    to_label: str
    to_shown: str
    to_at: float
    by: str
    by_label: str
    segments: list[ByChoice]
    steps: list[StepPicture]
    within: str
    within_by: str
    within_steps: list[StepPicture]
    why_not: str


@dataclass(frozen=True)
class _Change:
    names: list[str]
    moved: core.Moved
    before: float
    after: float


@dataclass(frozen=True)
class _Asked:
    """What a movement is of: row ``p`` of some readings of all rows together, from ``other`` or from its target."""

    context: ReadingContext
    key: str
    readings: Readings
    p: int
    against: Against

    @property
    def period(self) -> Period:
        return self.readings.periods[self.p]

    @property
    def other(self) -> Period:
        if self.against == "target":
            return self.period
        return self.period.shift(-1) if self.against == "before" else self.period.years_back(1)

    def change(self, rows: RowsOf, by: str) -> _Change | None:
        """What each member of a segment gave; None where there is nothing to compare with."""
        apart = rows.told_apart(by)
        if self.against == "target":
            return self._from_target(apart)
        told = apart.sides((self.other, self.period))
        if told is None:
            return None
        members, above, below = told
        names = [member or "" for member in members]
        if below is None or rows.ratio is None:
            return _Change(names, core.of_sum(above[0], above[1]), float(above[0].sum()), float(above[1].sum()))
        moved = core.of_ratio(above[0], below[0], above[1], below[1])
        scale, offset = rows.ratio.scale, rows.ratio.offset
        with np.errstate(all="ignore"):
            before, after = (offset + scale * float(above[at].sum() / below[at].sum()) for at in (0, 1))
        return _Change(names, _scaled(moved, scale), before, after)

    def _from_target(self, apart: RowsOf) -> _Change | None:
        """What each member is off the target of all, by its weight."""
        name = next(iter(self.readings.marks), None)
        mark = float(self.readings.marks[name][self.p, 0]) if name else float("nan")
        told = apart.sides([self.period])
        members, above, below = told or ((), None, None)
        if above is None or below is None or not np.isfinite(mark) or apart.ratio is None:
            return None
        scale, offset = apart.ratio.scale, apart.ratio.offset
        moved = core.of_ratio((mark - offset) / scale * below[0], below[0], above[0], below[0])
        whole = offset + scale * float(above[0].sum() / below[0].sum())
        return _Change([member or "" for member in members], _scaled(moved, scale), mark, whole)


def _scaled(moved: core.Moved, scale: float) -> core.Moved:
    return core.Moved(moved.rate * scale, moved.mix * scale, moved.change * scale)


def movement(
    context: ReadingContext, key: str, rows: RowsOf | None, readings: Readings, p: int, against: Against, by: str | None,
    then: str | None = None,
) -> MovedPicture:  # fmt: skip
    """What moved row ``p`` of some readings of all rows together. by: None for the segment that tells most in fewest members."""
    asked = _Asked(context, key, readings, p, against)
    unit, style, body = readings.kpi.unit, context.style, context.kpi(key)
    choices = []
    adds = rows is not None and (rows.ratio is not None or rows.adds)
    if rows is not None and adds:
        chosen = rows.rows.chosen
        choices = [s for s, names in rows.segments.items() if len(names) > 1 and len(chosen.get(s, names)) > 1]
    named = [(segment, context.label_of(body.dataset, segment).lower()) for segment in choices]
    factors = _factors(asked, rows) if against != "target" else None
    if factors is not None:
        named.append((FACTORS, "factor"))
    label = "target" if against == "target" else asked.other.label
    picture = MovedPicture(
        label, "", 0, asked.period.label, "", 0, by or "", "", [ByChoice(*one) for one in named], [], "", "", [], ""
    )
    if not named or rows is None:
        picture.why_not = (
            "No segment of its rows has several members to tell it by."
            if adds
            else "What it is made of does not add up over members, so that none of them gave a part of it."
        )
        return picture
    told = {s: one for s in choices if (one := asked.change(rows, s)) is not None} if by != FACTORS else {}
    telling = {s: one for s, one in told.items() if one.moved.rate.any()}  # else it is what the KPI is defined by
    if by not in dict(named):
        by = max(telling, key=lambda s: core.telling(telling[s].moved.given), default=FACTORS if factors else None)
    change = factors if by == FACTORS else told.get(by or "")
    if change is None or not np.isfinite(change.moved.change):
        nothing = f"There is nothing to compare with: {label} has no reading."
        picture.why_not = nothing if against != "target" else "There is no target that its members could be held to."
        return picture
    picture.by, picture.by_label = by or "", dict(named).get(by or "", "")
    picture.steps, (picture.from_at, picture.to_at) = _stairs(change, unit, style)
    # With the decimals that the steps have, so that these lead from one to the other as they are written.
    more = None if unit.compact or unit.kind == "duration" else unit.decimals + 1
    picture.from_shown, picture.to_shown = (
        show(end, unit, style, decimals=more) for end in (change.before, change.after)
    )
    if by is not None and by != FACTORS and against != "target":
        _within(asked, picture, rows, change, then)
    return picture


def _within(asked: _Asked, picture: MovedPicture, rows: RowsOf, change: _Change, then: str | None) -> None:
    """The second segment, within the member that gave most."""
    most = change.names[int(np.argmax(np.abs(change.moved.given)))]
    segments = [one.key for one in picture.segments if one.key not in (picture.by, FACTORS)]
    inner = rows.of_member(picture.by, most)
    told = {s: one for s in segments if (one := asked.change(inner, s)) is not None}
    fine = {s: one for s, one in told.items() if len(one.names) > 1 and one.moved.rate.any()}
    if not fine:
        return
    chosen = then if then in fine else max(fine, key=lambda s: core.telling(fine[s].moved.given))
    picture.within, picture.within_by = most, chosen
    picture.within_steps = _stairs(fine[chosen], asked.readings.kpi.unit, asked.context.style)[0]


def _stairs(change: _Change, unit: Unit, style: NumberStyle) -> tuple[list[StepPicture], tuple[float, float]]:
    """Steps from the figure before to the one after: what gave most first, what few gave as one, other mix last."""
    rate, mix = np.nan_to_num(change.moved.rate), float(np.nan_to_num(change.moved.mix).sum())
    order = [int(at) for at in np.argsort(-np.abs(rate), kind="stable") if rate[at]]
    alone, rest = (order, []) if len(order) <= SHOWN else (order[: SHOWN - 1], order[SHOWN - 1 :])
    parts = [(change.names[at], "gave", float(rate[at])) for at in alone]
    if rest:
        parts.append((f"{len(rest)} others", "others", float(rate[rest].sum())))
    if abs(mix) > 1e-12 * max(1.0, abs(change.before)):
        parts.append(("other mix", "mix", mix))
    shown = _shown([given for _, _, given in parts], change, unit, style)
    levels = np.concatenate([[change.before], change.before + np.cumsum([given for _, _, given in parts])])
    low, high = float(levels.min()), float(levels.max())
    room = (high - low) * 0.12 or abs(high) * 0.1 or 1.0
    low, high = low - room, high + room

    def place(value: float) -> float:
        return (value - low) / (high - low)

    steps = [
        StepPicture(name, kind, text, given, place(min(a, b)), place(max(a, b)), given >= 0)
        for (name, kind, given), text, a, b in zip(parts, shown, levels[:-1].tolist(), levels[1:].tolist(), strict=True)
    ]
    return steps, (place(change.before), place(change.after))


def _shown(given: Sequence[float], change: _Change, unit: Unit, style: NumberStyle) -> list[str]:
    """Parts as they are written, so that what is written adds up to the difference of the figures that are."""
    places = unit.decimals + 1
    if unit.kind in ("number", "percent", "currency") and not unit.compact:
        by = 100 if unit.kind == "percent" else 1
        ends = [round_half_up(value * by, places) for value in (change.before, change.after)]
        given = [float(part) / by for part in core.shown_parts([one * by for one in given], ends[1] - ends[0], places)]
    signs = ["+" if one > 0 else "−" if one < 0 else "" for one in given]
    return [sign + show_gap(one, unit, style, decimals=places) for sign, one in zip(signs, given, strict=True)]


def _factors(asked: _Asked, rows: RowsOf | None) -> _Change | None:
    """Of a product or quotient, what each factor gave; None where it is none, or one is not above 0."""
    if rows is None:
        return None
    written = _product(parse(asked.context.kpi(asked.key).formula), 1)
    worked = _product(rows.kpi.formula, 1)
    if len(worked) < 2 or len(written) != len(worked):
        return None
    ends = (asked.other, asked.period)
    sides = [rows.together(node, ends) for node, _ in worked]
    before, after, powers = [s[0] for s in sides], [s[1] for s in sides], [power for _, power in worked]
    if not np.isfinite([*before, *after]).all():
        return None
    given = core.of_factors(before, after, powers)
    if given is None:
        return None
    names = [_name_of(asked.context, node, power) for node, power in written]
    first, last = (float(np.prod([v**q for v, q in zip(side, powers, strict=True)])) for side in (before, after))
    return _Change(names, core.Moved(np.array(given), np.zeros(len(given)), last - first), first, last)


def _product(node: Node, power: int) -> list[tuple[Node, int]]:
    match node:
        case Binary(op="*", left=left, right=right):
            return _product(left, power) + _product(right, power)
        case Binary(op="/", left=left, right=right):
            return _product(left, power) + _product(right, -power)
    return [(node, power)]


def _name_of(context: ReadingContext, node: Node, power: int) -> str:
    if isinstance(node, Reference):
        body, assumed = context.by_handle.get(node.handle), context.assumptions.get(node.handle)
        name = body.name if body else assumed.name if assumed else f"@{node.handle}"
    else:
        name = reads_as(node, context.style).rstrip(".")
    return f"{name}, divided by" if power < 0 else name
