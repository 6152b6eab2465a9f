"""The strip of a yardstick: bands, proof, sweep and back-test by the readings of one KPI."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from ironmark.core import axis as axes
from ironmark.core import reading as core
from ironmark.core import readings, words
from ironmark.core import yardstick as grading
from ironmark.core.axis import Axis
from ironmark.core.evaluate import Floats
from ironmark.core.marks import TARGET
from ironmark.core.numbers import NumberStyle, show
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.drawing.scales import axis_picture, bands_on, cut_lines
from ironmark.pages.model.face_settings import AxisBody
from ironmark.pages.model.field_types import Key, MarkName, Model, Number
from ironmark.pages.model.pictures import AxisPicture, Band, CutLine
from ironmark.pages.model.scorecard import InstrumentBody, ScopeBody
from ironmark.pages.model.yardstick import YardstickBody
from ironmark.pages.reading.instrument_scope import period_of, take_readings, unit_of

MOST_DOTS = 600
MOST_PAST = 60


class StripAsk(Model):
    """Try a yardstick on the readings of a KPI. ``member`` and ``scope`` say whose marks derive the cuts."""

    body: YardstickBody
    kpi: Key
    saved: Key | None = None  # the yardstick to compare with
    by: str | None = Field(None, max_length=80)
    member: str | None = Field(None, max_length=200)
    scope: ScopeBody = ScopeBody()
    marks: list[MarkName] = Field(default=[TARGET], max_length=4)
    axis: AxisBody = AxisBody()
    rehearse: Number | None = None


class BandWords(BaseModel):
    state: str
    name: str
    words: str


class CutWords(BaseModel):
    words: str
    shown: str
    value: float | None
    fraction: float | None
    mark: str | None
    mark_value: float | None  # what its mark comes to here: a dragged cut keeps its factor or offset by it
    belongs: str
    offset_shown: str


class Dot(BaseModel):
    fraction: float
    state: str | None
    label: str


class ProofRow(BaseModel):
    cut: str
    under: str
    at: str
    over: str


class SweepStep(BaseModel):
    start: float
    shown: str
    state: str
    fraction: float


class StateCount(BaseModel):
    state: str
    name: str
    count: int


class GradeChange(BaseModel):
    label: str
    shown: str
    before: str | None
    after: str | None


class Rehearsal(BaseModel):
    value: float
    shown: str
    fraction: float
    state: str | None


class Strip(BaseModel):
    period_label: str
    nature: str
    scale: float  # what plain numbers and offsets are multiplied by for the period read: 1 but for a flow
    kpi_name: str
    direction: str
    axis: AxisPicture
    step: float  # a round step for arrow keys and snapping
    bands: list[Band]
    band_words: list[BandWords]
    cuts: list[CutWords]
    lines: list[CutLine]
    reason: str
    dots: list[Dot]
    readings: int
    counts: list[StateCount]
    proof: list[ProofRow]
    sweep: list[SweepStep]
    changes: list[GradeChange]
    past_changes: list[GradeChange]  # of earlier periods, the newest first
    past_count: int
    rehearsal: Rehearsal | None
    reading: Rehearsal | None  # what is read now, graded by the form that is tried
    doubts: list[str]  # questions about numbers that are far from everything read so far


def strip_of(context: ReadingContext, ask: StripAsk) -> Strip:
    """Everything the strip shows for a yardstick, saved or not, on a KPI's past and current readings."""
    yardstick = context.graded_by(ask.body)
    kpi = context.kpi(ask.kpi)
    source = context.source(kpi)
    context.fetch([], [ask.saved] if ask.saved else [])
    saved = ask.saved if ask.saved in context.yardsticks else None
    instrument = InstrumentBody(id="strip", kpi=ask.kpi, by=ask.by, axis=ask.axis, yardstick=saved)
    # The marks asked for and those the tried cuts are derived from, looked up together.
    instrument.marks = list(dict.fromkeys((*ask.marks, *yardstick.marks)))
    before, _ = take_readings(context, instrument, ask.scope)
    after = core.regrade(before, yardstick)
    period = period_of(ask.scope, [source], context.year_start)
    p = before.period_index(period)
    p = len(before.periods) - 1 if p is None else p
    m = before.member_index(ask.member) or 0
    unit, style = unit_of(kpi.unit.as_unit(), instrument), context.style
    cuts = after.cuts[:, p, m].tolist()
    value = float(after.value[p, m])
    axis = axis_picture(_strip_axis(ask.axis, after, p, m, unit.kind == "percent"), unit, style)
    straight = Axis(axis.low, axis.high)
    fine = bool(grading.ordered(yardstick, np.asarray(cuts)[:, None])[0])
    known = np.isfinite(after.value)
    graded = known & (after.band >= 0)
    earlier = [at for at in range(len(after.periods) - 1, -1, -1) if at != p] if ask.saved else []
    past = [change for at in earlier for change in _changes(before, after, at, unit, style, after.periods[at].short)]
    return Strip(
        period_label=period.label,
        nature=kpi.nature,
        scale=float(core.scale(after, yardstick)[p, m]),
        kpi_name=kpi.name,
        direction=kpi.direction,
        axis=axis,
        step=axis.step,
        bands=bands_on(straight, yardstick, cuts) if fine else [],
        band_words=[
            BandWords(state=key, name=yardstick.known[key].name, words=words.band_words(yardstick, cuts, i, unit, style) if fine else "")
            for i, key in enumerate(yardstick.bands)
        ],
        cuts=[_cut_words(cut, value, after, p, m, straight, unit, style) for cut, value in zip(yardstick.cuts, cuts, strict=True)],
        lines=cut_lines(straight, cuts, unit, style),
        reason="" if fine else grading.why_not_graded(yardstick, cuts),
        dots=_dots(after, straight, unit, style),
        readings=int(known.sum()),
        counts=_counts(yardstick, after.band[graded]),
        proof=[
            ProofRow(cut=words.show_cut(row.cut, unit, style), under=yardstick.bands[row.under], at=yardstick.bands[row.at], over=yardstick.bands[row.over])
            for row in (grading.prove(yardstick, cuts) if fine else [])
        ],
        sweep=[
            SweepStep(start=start, shown=words.show_cut(start, unit, style), state=yardstick.bands[band], fraction=straight.place(start))
            for start, band in (grading.sweep(yardstick, cuts, axis.low, axis.high) if fine else [])
        ],
        changes=_changes(before, after, p, unit, style) if ask.saved else [],
        past_changes=past[:MOST_PAST],
        past_count=len(past),
        rehearsal=None if ask.rehearse is None else _rehearsal(ask.rehearse, yardstick, cuts, straight, unit, style),
        doubts=words.doubts_of(_tried(ask, yardstick), unit, _for_one(after, yardstick), style),
        reading=_rehearsal(value, yardstick, cuts, straight, unit, style) if math.isfinite(value) else None,
    )  # fmt: skip


def _counts(yardstick: grading.Yardstick, bands: NDArray[np.int8]) -> list[StateCount]:
    """How many readings are in each state, the worst first. bands: of each reading that is graded."""
    counts = np.bincount(bands, minlength=len(yardstick.bands))
    by_state = {key: 0 for key in sorted(set(yardstick.bands), key=lambda key: yardstick.known[key].rank)}
    for state, count in zip(yardstick.bands, counts, strict=True):
        by_state[state] += int(count)
    return [StateCount(state=key, name=yardstick.known[key].name, count=count) for key, count in by_state.items()]


def _for_one(readings: readings.Readings, yardstick: grading.Yardstick) -> Floats:
    """Values as they are beside the yardstick's plain numbers, (P, M): of a flow what one of its periods has."""
    with np.errstate(all="ignore"):
        return np.asarray(readings.value / core.scale(readings, yardstick))


def _tried(ask: StripAsk, yardstick: grading.Yardstick) -> dict[str, float | None]:
    """The numbers that are tried, by what they are."""
    cuts = {f"cut {at}": cut.offset for at, cut in enumerate(yardstick.cuts, start=1) if cut.mark is None}
    return {**cuts, "axis from": ask.axis.low, "axis to": ask.axis.high, "rehearsed": ask.rehearse}


def _strip_axis(given: AxisBody, readings: readings.Readings, p: int, m: int, share: bool) -> Axis:
    """An axis on which all past readings and the cuts lie."""
    values = np.concatenate([readings.value.ravel(), readings.cuts[:, p, m]])
    return axes.with_ends(axes.choose(values, ceiling=axes.whole_of(values, share)), given.low, given.high)


def _cut_words(
    cut: grading.Cut,
    value: float,
    readings: readings.Readings,
    p: int,
    m: int,
    axis: Axis,
    unit: Any,
    style: NumberStyle,
) -> CutWords:
    known = math.isfinite(value)
    mark = float(readings.marks[cut.mark][p, m]) if cut.mark else math.nan
    return CutWords(
        words=words.cut_words(cut, unit, style),
        shown=words.show_cut(value, unit, style) if known else "",
        value=value if known else None,
        fraction=axis.place(value) if known else None,
        mark=cut.mark,
        mark_value=mark if math.isfinite(mark) else None,
        belongs=cut.belongs,
        offset_shown=words.offset_words(cut.offset, unit, style),
    )


def _dots(readings: readings.Readings, axis: Axis, unit: Any, style: NumberStyle) -> list[Dot]:
    """Past readings as dots, the newest first, at most MOST_DOTS."""
    dots: list[Dot] = []
    for p in range(len(readings.periods) - 1, -1, -1):
        for m, member in enumerate(readings.members):
            value = float(readings.value[p, m])
            if math.isfinite(value) and len(dots) < MOST_DOTS:
                who = f"{member}, " if member else ""
                label = f"{who}{readings.periods[p].short}: {show(value, unit, style)}"
                dots.append(Dot(fraction=axis.place(value), state=readings.state(p, m), label=label))
    return dots


def _changes(
    before: readings.Readings, after: readings.Readings, p: int, unit: Any, style: NumberStyle, when: str = ""
) -> list[GradeChange]:
    """The readings of the period whose state would be another."""
    return [
        GradeChange(
            label=" ".join(part for part in (member or ("" if when else "all together"), when) if part),
            shown=show(float(after.value[p, m]), unit, style),
            before=before.state(p, m),
            after=after.state(p, m),
        )
        for m, member in enumerate(after.members)
        if before.state(p, m) != after.state(p, m)
    ]


def _rehearsal(
    value: float, yardstick: grading.Yardstick, cuts: list[float], axis: Axis, unit: Any, style: NumberStyle
) -> Rehearsal:
    band = int(grading.grade(yardstick, np.array([value]), np.asarray(cuts)[:, None])[0])
    state = yardstick.bands[band] if band >= 0 else None
    return Rehearsal(value=value, shown=show(value, unit, style), fraction=axis.place(value), state=state)
